// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
//
// Merging beside memcpy of the same bytes on the same threads.

#include <benchmark/benchmark.h>
#include <tbb/parallel_for.h>
#include <tbb/task_arena.h>

#include <cmath>
#include <cstring>

#include "large_scene.h"
#include "wakuzume/build.h"

namespace wakuzume {
namespace {

struct Prepared {
  Scene scene;
  Plan plan;
  std::uint64_t merged_bytes = 0;
};

const Prepared& find_prepared() {
  static const Prepared prepared = [] {
    Prepared out;
    out.scene = make_dense_scene(160, 20'000);
    const auto found = survey(out.scene);
    out.plan = *propose(out.scene, *found, {.repeats = Repeats::merge, .cell_size_m = 100}, {});
    for (const Group& group : out.plan.groups) {
      out.merged_bytes += group.bytes;
    }
    return out;
  }();
  return prepared;
}

void run_floor(benchmark::State& state) {
  const Prepared& prepared = find_prepared();
  constexpr std::size_t piece = 1 << 20;
  const std::size_t pieces = prepared.merged_bytes / piece;
  std::vector<std::byte> from(pieces * piece, std::byte{1});
  std::vector<std::byte> to(pieces * piece, std::byte{2});
  tbb::task_arena arena(static_cast<int>(state.range(0)));
  for (auto _ : state) {
    arena.execute([&] {
      tbb::parallel_for(std::size_t{0}, pieces, [&](std::size_t p) {
        std::memcpy(to.data() + p * piece, from.data() + p * piece, piece);
      });
    });
    benchmark::ClobberMemory();
  }
  state.SetBytesProcessed(state.iterations() * static_cast<std::int64_t>(pieces * piece));
}
BENCHMARK(run_floor)
    ->Name("BM_Merge/floor_memcpy/threads")
    ->Arg(1)
    ->Arg(2)
    ->Unit(benchmark::kMillisecond)
    ->UseRealTime();

void run_build(benchmark::State& state) {
  const Prepared& prepared = find_prepared();
  const RunControl run{.threads = static_cast<unsigned>(state.range(0))};
  for (auto _ : state) {
    auto built = build(prepared.scene, prepared.plan, {}, run);
    benchmark::DoNotOptimize(built);
  }
  state.SetBytesProcessed(state.iterations() * static_cast<std::int64_t>(prepared.merged_bytes));
}
BENCHMARK(run_build)
    ->Name("BM_Merge/build/threads")
    ->Arg(1)
    ->Arg(2)
    ->Unit(benchmark::kMillisecond)
    ->UseRealTime();

}  // namespace
}  // namespace wakuzume
