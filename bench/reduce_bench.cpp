// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include <benchmark/benchmark.h>

#include <cmath>
#include <numeric>

#include "wakuzume/surface.h"

namespace wakuzume {
namespace {

struct Hills {
  std::vector<float> positions;
  std::vector<float> normals;
  std::vector<float> uvs;
  std::vector<std::uint32_t> indices;

  [[nodiscard]] Surface show() const {
    return {positions, indices, {{TraitKind::direction, 3, normals}, {TraitKind::uv, 2, uvs}}, {}};
  }
};

double find_height(double u, double v) {
  return 0.05 * std::sin(19 * u) * std::cos(21 * v) + 0.02 * std::sin(70 * u * v) +
         0.001 * std::sin(977 * u) * std::sin(1013 * v);
}

Hills make_hills(std::size_t triangles) {
  const auto side = static_cast<std::uint32_t>(std::sqrt(static_cast<double>(triangles) / 2));
  Hills out;
  for (std::uint32_t y = 0; y <= side; ++y) {
    for (std::uint32_t x = 0; x <= side; ++x) {
      const double u = static_cast<double>(x) / side;
      const double v = static_cast<double>(y) / side;
      constexpr double step = 1e-4;
      const double du = (find_height(u + step, v) - find_height(u - step, v)) / (2 * step);
      const double dv = (find_height(u, v + step) - find_height(u, v - step)) / (2 * step);
      const double size = std::sqrt(1 + du * du + dv * dv);
      for (const double value : {u, v, find_height(u, v)}) {
        out.positions.push_back(static_cast<float>(value));
      }
      for (const double value : {-du / size, -dv / size, 1 / size}) {
        out.normals.push_back(static_cast<float>(value));
      }
      out.uvs.insert(out.uvs.end(), {static_cast<float>(u), static_cast<float>(v)});
    }
  }
  for (std::uint32_t y = 0; y < side; ++y) {
    for (std::uint32_t x = 0; x < side; ++x) {
      const std::uint32_t a = y * (side + 1) + x;
      const std::uint32_t b = a + side + 1;
      out.indices.insert(out.indices.end(), {a, a + 1, b + 1, a, b + 1, b});
    }
  }
  return out;
}

/// To a tenth of its triangles.
void BM_ReduceSurface(benchmark::State& state) {
  const Hills hills = make_hills(static_cast<std::size_t>(state.range(0)));
  const std::uint64_t triangles = hills.indices.size() / 3;
  std::size_t left = 0;
  for (auto _ : state) {
    const auto reduced = reduce_surface(hills.show(), {.triangles = triangles / 10}, {},
                                        {.threads = static_cast<unsigned>(state.range(1))});
    left = reduced->triangle_from.size();
  }
  state.counters["left"] = static_cast<double>(left);
  state.SetItemsProcessed(state.iterations() * static_cast<std::int64_t>(triangles));
}
BENCHMARK(BM_ReduceSurface)
    ->ArgNames({"triangles", "threads"})
    ->Args({10'000, 2})
    ->Args({100'000, 2})
    ->Args({1'000'000, 1})
    ->Args({1'000'000, 2})
    ->Args({4'000'000, 2})
    ->Unit(benchmark::kMillisecond)
    ->UseRealTime();

/// The area of all triangles: each is looked at once.
void BM_ReduceSurface_floor(benchmark::State& state) {
  const Hills hills = make_hills(static_cast<std::size_t>(state.range(0)));
  for (auto _ : state) {
    double sum = 0;
    for (std::size_t i = 0; i < hills.indices.size(); i += 3) {
      const float* a = &hills.positions[std::size_t{3} * hills.indices[i]];
      const float* b = &hills.positions[std::size_t{3} * hills.indices[i + 1]];
      const float* c = &hills.positions[std::size_t{3} * hills.indices[i + 2]];
      const float x = (b[1] - a[1]) * (c[2] - a[2]) - (b[2] - a[2]) * (c[1] - a[1]);
      const float y = (b[2] - a[2]) * (c[0] - a[0]) - (b[0] - a[0]) * (c[2] - a[2]);
      const float z = (b[0] - a[0]) * (c[1] - a[1]) - (b[1] - a[1]) * (c[0] - a[0]);
      sum += std::sqrt(x * x + y * y + z * z);
    }
    benchmark::DoNotOptimize(sum);
  }
  state.SetItemsProcessed(state.iterations() * static_cast<std::int64_t>(hills.indices.size() / 3));
}
BENCHMARK(BM_ReduceSurface_floor)
    ->ArgName("triangles")
    ->Arg(1'000'000)
    ->Unit(benchmark::kMillisecond);

}  // namespace
}  // namespace wakuzume
