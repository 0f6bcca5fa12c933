// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include <benchmark/benchmark.h>

#include <cmath>
#include <cstring>
#include <stdexcept>

#include "wakuzume/stream_codec.h"

// Packed streams on one core, beside what it takes to copy their plain bytes.
namespace wakuzume {
namespace {

struct Plain {
  PackLayout layout;
  std::vector<std::byte> bytes;
};

/// A hilly square of a million vertices, 16 bytes each as they are quantised: positions in 16 bits,
/// normals in 8, UVs in 16; or its triangles, row by row.
Plain make_plain(PackMode mode) {
  constexpr std::uint32_t side = 1000;
  Plain out{{mode, PackFilter::none, mode == PackMode::attributes ? 16U : 4U, 0}, {}};
  const auto put = [&](auto value) {
    const auto* const bytes = reinterpret_cast<const std::byte*>(&value);
    out.bytes.insert(out.bytes.end(), bytes, bytes + sizeof value);
  };
  for (std::uint32_t y = 0; y < side; ++y) {
    for (std::uint32_t x = 0; x < side; ++x) {
      const std::uint32_t at = y * (side + 1) + x;
      if (mode != PackMode::attributes) {
        for (const std::uint32_t corner :
             {at, at + 1, at + side + 1, at + side + 1, at + 1, at + side + 2}) {
          put(corner);
        }
        continue;
      }
      const double height = std::sin(0.031 * x) * std::cos(0.017 * y);
      put(static_cast<std::uint16_t>(60 * x));
      put(static_cast<std::uint16_t>(60 * y));
      put(static_cast<std::uint16_t>(8000 + 7000 * height));
      put(std::uint16_t{0});
      for (const double part : {0.031 * std::cos(0.031 * x), 0.017 * std::sin(0.017 * y), 0.99}) {
        put(static_cast<std::int8_t>(127 * part));
      }
      put(std::int8_t{0});
      put(static_cast<std::uint16_t>(65 * x));
      put(static_cast<std::uint16_t>(65 * y));
    }
  }
  out.layout.count = out.bytes.size() / out.layout.stride;
  return out;
}

void count_bytes(benchmark::State& state, const Plain& plain, std::size_t packed) {
  state.SetBytesProcessed(state.iterations() * static_cast<std::int64_t>(plain.bytes.size()));
  state.counters["packed_share"] =
      static_cast<double>(packed) / static_cast<double>(plain.bytes.size());
}

void BM_PackStream(benchmark::State& state, PackMode mode) {
  const Plain plain = make_plain(mode);
  std::vector<std::byte> packed;
  for (auto _ : state) {
    packed = pack_stream(plain.bytes, plain.layout);
    benchmark::DoNotOptimize(packed.data());
  }
  count_bytes(state, plain, packed.size());
}

void BM_UnpackStream(benchmark::State& state, PackMode mode) {
  const Plain plain = make_plain(mode);
  const std::vector<std::byte> packed = pack_stream(plain.bytes, plain.layout);
  std::vector<std::byte> out(plain.bytes.size());
  for (auto _ : state) {
    if (!unpack_stream(packed, plain.layout, out)) {
      throw std::runtime_error("what was packed can't be unpacked");
    }
    benchmark::DoNotOptimize(out.data());
  }
  count_bytes(state, plain, packed.size());
}

void BM_CopyStream(benchmark::State& state, PackMode mode) {
  const Plain plain = make_plain(mode);
  std::vector<std::byte> out(plain.bytes.size());
  for (auto _ : state) {
    std::memcpy(out.data(), plain.bytes.data(), out.size());
    benchmark::DoNotOptimize(out.data());
  }
  count_bytes(state, plain, plain.bytes.size());
}

BENCHMARK_CAPTURE(BM_PackStream, , PackMode::attributes)
    ->Name("BM_PackStream/attributes/vertices:1000000/threads:1");
BENCHMARK_CAPTURE(BM_PackStream, , PackMode::triangles)
    ->Name("BM_PackStream/triangles:2000000/threads:1");
BENCHMARK_CAPTURE(BM_PackStream, , PackMode::indices)
    ->Name("BM_PackStream/indices:6000000/threads:1");
BENCHMARK_CAPTURE(BM_UnpackStream, , PackMode::attributes)
    ->Name("BM_UnpackStream/attributes/vertices:1000000/threads:1");
BENCHMARK_CAPTURE(BM_UnpackStream, , PackMode::triangles)
    ->Name("BM_UnpackStream/triangles:2000000/threads:1");
BENCHMARK_CAPTURE(BM_UnpackStream, , PackMode::indices)
    ->Name("BM_UnpackStream/indices:6000000/threads:1");
BENCHMARK_CAPTURE(BM_CopyStream, , PackMode::attributes)
    ->Name("BM_UnpackStream/floor_memcpy/vertices:1000000/threads:1");

}  // namespace
}  // namespace wakuzume
