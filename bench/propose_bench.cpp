// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
//
// Proposing from ten thousand to a million draws; families beside a floor; the plan beside the best
// fixed grid that a search over cell sizes finds.

#include <benchmark/benchmark.h>
#include <fmt/format.h>
#include <sys/resource.h>
// NOLINTNEXTLINE(readability-identifier-naming): the name that xxHash asks for
#define XXH_INLINE_ALL
#include <xxhash.h>

#include <cmath>
#include <limits>
#include <map>
#include <numbers>

#include "glasshouse.h"
#include "large_scene.h"
#include "wakuzume/io.h"
#include "wakuzume/propose.h"
#include "wakuzume/settings_file.h"

namespace wakuzume {
namespace {

constexpr std::uint32_t view_count = 512;
constexpr std::size_t family_count = 10'000;

struct Town {
  Scene scene;
  Survey survey;
  Outlook outlook;
};

Town make_town(Scene scene, std::uint32_t views) {
  Town town;
  town.scene = std::move(scene);
  town.survey = *survey(town.scene);
  town.outlook = {*make_views(town.scene, town.survey, {.count = views}),
                  *read_cost_profile("desk")};
  return town;
}

/// One at a time: a million draws twice would tell nothing about memory.
const Town& find_town(std::int64_t draws) {
  static std::map<std::int64_t, Town> made;
  if (made.find(draws) == made.end()) {
    made.clear();
    made[draws] =
        make_town(make_large_scene(static_cast<std::size_t>(draws), family_count), view_count);
  }
  return made[draws];
}

void BM_Propose(benchmark::State& state) {
  const Town& town = find_town(state.range(0));
  const RunControl run{.threads = static_cast<unsigned>(state.range(1))};
  std::string label;
  for (auto _ : state) {
    const auto plan = propose(town.scene, town.survey, {}, town.outlook, run);
    label = fmt::format("{} draws become {}, in the median view {} become {}",
                        plan->forecast.before.draws, plan->forecast.after.draws,
                        plan->forecast.before.view_draws.median,
                        plan->forecast.after.view_draws.median);
  }
  state.SetItemsProcessed(state.iterations() * state.range(0));
  rusage usage{};
  getrusage(RUSAGE_SELF, &usage);
  state.counters["peak_MiB"] = static_cast<double>(usage.ru_maxrss) / 1024;
  state.SetLabel(label);
}
BENCHMARK(BM_Propose)
    ->Name("BM_Propose/town/views:512/families:10000/draws/threads")
    ->Args({10'000, 2})
    ->Args({100'000, 2})
    ->Args({1'000'000, 2})
    ->Unit(benchmark::kMillisecond)
    ->UseRealTime();

// ---- families ---------------------------------------------------------------------------------

const Town& find_district() {
  static const Town district = make_town(make_district(50'000), 64);
  return district;
}

std::int64_t count_stream_bytes(const Survey& survey) {
  std::int64_t bytes = 0;
  for (const Shape& shape : survey.shapes) {
    bytes += static_cast<std::int64_t>(shape.bytes);
  }
  return bytes;
}

/// A scene whose time goes into its bytes: few draws of large meshes, each unlike the others.
const Town& find_dense() {
  static const Town dense = [] {
    Scene scene = make_large_scene(400, 400);
    // The same streams once more as one large block for each mesh.
    std::vector<float> values(3'000'000);
    for (std::size_t i = 0; i < values.size(); ++i) {
      values[i] = std::sin(static_cast<float>(i));
    }
    const auto block = make_id<BlockId>(scene.blocks.size());
    scene.blocks.emplace_back().bytes = make_bytes(values);
    for (std::size_t m = 0; m < scene.meshes.size(); ++m) {
      BlockView view;
      view.block = block;
      view.offset = m * 12;
      view.length = 900'000 * 12;
      Stream stream;
      stream.view = make_id<ViewId>(scene.views.size());
      stream.count = 900'000;
      stream.element = ElementType::vec3;
      scene.views.push_back(view);
      for (Attribute& attribute : scene.meshes[m].primitives[0].attributes) {
        if (attribute.semantic == "POSITION") {
          attribute.stream = make_id<StreamId>(scene.streams.size());
        }
      }
      scene.streams.push_back(stream);
      if (m == 99) {
        scene.meshes.resize(100);
      }
    }
    for (Node& node : scene.nodes) {
      if (node.mesh != no_mesh) {
        node.mesh = make_id<MeshId>(to_index(node.mesh) % 100);
      }
    }
    return make_town(std::move(scene), 1);
  }();
  return dense;
}

void BM_Families_floor(benchmark::State& state) {
  const Town& town = find_dense();
  for (auto _ : state) {
    for (const Shape& shape : town.survey.shapes) {
      for (const Attribute& attribute :
           town.scene[shape.mesh].primitives[shape.primitive].attributes) {
        const BlockView& view = town.scene[town.scene[attribute.stream].view];
        const auto bytes = town.scene[view.block].bytes.data().subspan(view.offset, view.length);
        benchmark::DoNotOptimize(XXH3_128bits(bytes.data(), bytes.size()));
      }
    }
  }
  state.SetBytesProcessed(state.iterations() * count_stream_bytes(town.survey));
}
BENCHMARK(BM_Families_floor)
    ->Name("BM_Families/floor_xxh3/dense/threads:1")
    ->Unit(benchmark::kMillisecond)
    ->UseRealTime();

/// The survey finds what is equal byte by byte, the families all else.
void BM_Families(benchmark::State& state) {
  const Town& town = find_dense();
  const RunControl run{.threads = 2};
  for (auto _ : state) {
    const auto found = survey(town.scene, {}, run);
    auto families = find_families(town.scene, *found, {}, run);
    benchmark::DoNotOptimize(families);
  }
  state.SetBytesProcessed(state.iterations() * count_stream_bytes(town.survey));
}
BENCHMARK(BM_Families)
    ->Name("BM_Families/dense/threads:2")
    ->Unit(benchmark::kMillisecond)
    ->UseRealTime();

void BM_Families_district(benchmark::State& state) {
  const Town& town = find_district();
  const RunControl run{.threads = 2};
  std::size_t families = 0;
  for (auto _ : state) {
    families = find_families(town.scene, town.survey, {}, run)->prototypes.size();
  }
  state.SetBytesProcessed(state.iterations() * count_stream_bytes(town.survey));
  state.SetLabel(fmt::format("{} shapes, {} families", town.survey.shapes.size(), families));
}
BENCHMARK(BM_Families_district)
    ->Name("BM_Families/district/threads:2")
    ->Unit(benchmark::kMillisecond)
    ->UseRealTime();

/// Thousands of shapes of one signature that only a fit could tell apart.
void BM_Families_unlike(benchmark::State& state) {
  static std::map<std::pair<std::int64_t, std::int64_t>, Town> made;
  const std::pair key(state.range(0), state.range(1));
  if (!made.contains(key)) {
    made.clear();
    made[key].scene = make_unlike_scene(static_cast<std::size_t>(state.range(0)),
                                        static_cast<UnlikeShape>(state.range(1)));
    made[key].survey = *survey(made[key].scene);
  }
  const Town& town = made[key];
  std::size_t families = 0;
  for (auto _ : state) {
    families =
        find_families(town.scene, town.survey, {}, RunControl{.threads = 1})->prototypes.size();
  }
  state.SetItemsProcessed(state.iterations() * state.range(0));
  state.SetLabel(fmt::format("{} families", families));
}
BENCHMARK(BM_Families_unlike)
    ->Name("BM_Families/unlike/threads:1/shapes/kind")
    ->ArgsProduct({{10'000, 100'000, 1'000'000}, {0, 1, 2}})
    ->Unit(benchmark::kMillisecond)
    ->Iterations(1)
    ->UseRealTime();

// ---- the rival --------------------------------------------------------------------------------

/// The best mean frame of all fixed grids from the whole scene down to a 256th, in steps of the
/// square root of two. \param growth  grids whose median view submits more are left out; 0: none
Outcome find_best_grid(const Town& town, double growth, double& best_cell_m) {
  Outcome best;
  best.mean_ms = std::numeric_limits<double>::infinity();
  const double extent = town.survey.bounds.largest_extent();
  for (double cell = 2 * extent; cell > extent / 256; cell /= std::numbers::sqrt2) {
    const auto plan = propose(town.scene, town.survey, {.cell_size_m = cell}, town.outlook);
    const Outcome& before = plan->forecast.before;
    const Outcome& after = plan->forecast.after;
    const bool allowed =
        growth == 0 || after.view_triangles.median <= growth * before.view_triangles.median;
    if (allowed && after.mean_ms < best.mean_ms) {
      best = after;
      best_cell_m = cell;
    }
  }
  return best;
}

void compare(benchmark::State& state, const Town& town, double growth) {
  ProposeSettings settings;
  settings.triangle_growth = growth;
  settings.few_triangles_ms = 0;
  Outcome ours;
  Outcome before;
  for (auto _ : state) {
    const auto plan = propose(town.scene, town.survey, settings, town.outlook);
    ours = plan->forecast.after;
    before = plan->forecast.before;
  }
  double cell = 0;
  const Outcome rival = find_best_grid(town, growth, cell);
  const auto tell = [&](const Outcome& o) {
    return fmt::format(
        "{:.4g} ms, {} draws and {:.3g} times the triangles in the median view, {:.4g} MB",
        o.mean_ms, o.view_draws.median, o.view_triangles.median / before.view_triangles.median,
        static_cast<double>(o.bytes) / 1e6);
  };
  state.counters["ms_of_best_grid"] = rival.mean_ms;
  state.counters["ms_of_plan"] = ours.mean_ms;
  state.SetLabel(fmt::format("today {}; plan {}; best grid ({:.4g} m) {}", tell(before), tell(ours),
                             cell, tell(rival)));
}

void BM_Rival_glasshouse(benchmark::State& state) {
  static const Town town = make_town(demo::make_glasshouse(), 64);
  compare(state, town, static_cast<double>(state.range(0)) / 100);
}
void BM_Rival_district(benchmark::State& state) {
  compare(state, find_district(), static_cast<double>(state.range(0)) / 100);
}
/// Any scene: its path in the environment.
void BM_Rival_file(benchmark::State& state) {
  const char* path = std::getenv("WAKUZUME_BENCH_SCENE");
  if (path == nullptr) {
    state.SkipWithError("set WAKUZUME_BENCH_SCENE to the path of a scene");
    return;
  }
  static const Town town = make_town(*read_scene(path), 64);
  compare(state, town, static_cast<double>(state.range(0)) / 100);
}
// The argument is the limit on triangles in percent of today; 0: no limit.
BENCHMARK(BM_Rival_glasshouse)
    ->Name("BM_Rival/glasshouse/growth")
    ->Arg(0)
    ->Arg(125)
    ->Iterations(1)
    ->Unit(benchmark::kMillisecond);
BENCHMARK(BM_Rival_district)
    ->Name("BM_Rival/district/growth")
    ->Arg(0)
    ->Arg(125)
    ->Iterations(1)
    ->Unit(benchmark::kMillisecond);
BENCHMARK(BM_Rival_file)
    ->Name("BM_Rival/file/growth")
    ->Arg(0)
    ->Arg(125)
    ->Iterations(1)
    ->Unit(benchmark::kMillisecond);

}  // namespace
}  // namespace wakuzume
