// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
//
// Merging beside memcpy of the same bytes on the same threads, and the ledger of a large level.

#include <benchmark/benchmark.h>
#include <tbb/parallel_for.h>
#include <tbb/task_arena.h>

#include <cmath>
#include <cstring>
#include <filesystem>
#include <fstream>

#include "build/geometry.h"
#include "large_scene.h"
#include "wakuzume/io.h"
#include "wakuzume/restore.h"

namespace wakuzume {
namespace {

struct Prepared {
  Scene scene;
  Survey survey;
  Plan plan;
  std::uint64_t merged_bytes = 0;
};

const Prepared& find_prepared() {
  static const Prepared prepared = [] {
    Prepared out;
    out.scene = make_dense_scene(160, 20'000);
    out.survey = *survey(out.scene);
    out.plan = *propose(out.scene, out.survey, {.repeats = Repeats::merge, .cell_size_m = 100}, {});
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

/// The same into memory that the system has not handed out before, as every build does.
void run_fresh_floor(benchmark::State& state) {
  const Prepared& prepared = find_prepared();
  constexpr std::size_t piece = 1 << 20;
  const std::size_t pieces = prepared.merged_bytes / piece;
  std::vector<std::byte> from(pieces * piece, std::byte{1});
  tbb::task_arena arena(static_cast<int>(state.range(0)));
  for (auto _ : state) {
    GeometryBlock block;
    block.reserve(pieces * piece);
    block.allocate();
    arena.execute([&] {
      tbb::parallel_for(std::size_t{0}, pieces, [&](std::size_t p) {
        std::memcpy(block.data(p * piece), from.data() + p * piece, piece);
      });
    });
    benchmark::ClobberMemory();
  }
  state.SetBytesProcessed(state.iterations() * static_cast<std::int64_t>(pieces * piece));
}
BENCHMARK(run_fresh_floor)
    ->Name("BM_Merge/floor_memcpy_fresh/threads")
    ->Arg(1)
    ->Arg(2)
    ->Unit(benchmark::kMillisecond)
    ->UseRealTime();

/// The merging alone: what a build does to vertices and indices, without looking at the source
/// first and without hashing what came out.
void run_geometry(benchmark::State& state) {
  const Prepared& prepared = find_prepared();
  const RunControl run{.threads = static_cast<unsigned>(state.range(0))};
  const BuildSettings settings;
  for (auto _ : state) {
    Scene out = prepared.scene;
    PlanGeometry geometry(prepared.scene, prepared.plan, prepared.survey, settings, out);
    auto made = geometry.make({}, run);
    benchmark::DoNotOptimize(made);
  }
  state.SetBytesProcessed(state.iterations() * static_cast<std::int64_t>(prepared.merged_bytes));
}
BENCHMARK(run_geometry)
    ->Name("BM_Merge/geometry/threads")
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

// ---- the ledger -------------------------------------------------------------------------------

/// As a build of a large level writes it: merged draws in ranges, and instances.
Ledger make_ledger(std::size_t rows) {
  Ledger out;
  out.source_path = "level.glb";
  for (std::size_t r = 0; r < rows; ++r) {
    const bool merged = r % 3 != 0;
    LedgerRow row;
    row.source = {make_id<NodeId>(2 * r), 0};
    row.fate = merged ? Fate::merged : Fate::instanced;
    row.node = make_id<NodeId>(r / 100);
    row.instance = merged ? 0 : static_cast<std::uint32_t>(r % 100);
    row.first_index = merged ? r % 100 * 3000 : 0;
    row.index_count = 3000;
    row.first_vertex = merged ? r % 100 * 1800 : 0;
    row.vertex_count = 1800;
    out.rows.push_back(row);
  }
  return out;
}

struct LedgerFile {
  explicit LedgerFile(std::size_t rows)
      : path(std::filesystem::temp_directory_path() / "wakuzume_bench.ledger.json") {
    const std::string text = to_json(make_ledger(rows));
    bytes = text.size();
    std::ofstream(path) << text;
  }
  ~LedgerFile() { std::filesystem::remove(path); }
  std::filesystem::path path;
  std::size_t bytes = 0;
};

void run_ledger_read(benchmark::State& state) {
  const LedgerFile file(static_cast<std::size_t>(state.range(0)));
  for (auto _ : state) {
    auto ledger = read_ledger(file.path.string());
    benchmark::DoNotOptimize(ledger);
  }
  state.SetItemsProcessed(state.iterations() * state.range(0));
  state.SetBytesProcessed(state.iterations() * static_cast<std::int64_t>(file.bytes));
}
BENCHMARK(run_ledger_read)
    ->Name("BM_Ledger/read/rows")
    ->Arg(1'000'000)
    ->Unit(benchmark::kMillisecond);

void run_ledger_index(benchmark::State& state) {
  const Ledger ledger = make_ledger(static_cast<std::size_t>(state.range(0)));
  for (auto _ : state) {
    const LedgerIndex index(ledger);
    benchmark::DoNotOptimize(index.find(NodeId{77}, 0, 0, 3'100));
  }
  state.SetItemsProcessed(state.iterations() * state.range(0));
}
BENCHMARK(run_ledger_index)
    ->Name("BM_Ledger/index/rows")
    ->Arg(1'000'000)
    ->Unit(benchmark::kMillisecond);

}  // namespace
}  // namespace wakuzume
