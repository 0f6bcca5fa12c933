// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
//
// Surveying from ten thousand to a million draws, beside floors measured in the same run.

#include <benchmark/benchmark.h>
#include <sys/resource.h>

#include <map>

#include "large_scene.h"
#include "wakuzume/assess.h"
#include "wakuzume/culling.h"
#include "wakuzume/settings_file.h"

namespace wakuzume {
namespace {

constexpr std::uint32_t view_count = 512;

struct Town {
  Scene scene;
  Survey survey;
  std::vector<Viewpoint> views;
  std::vector<Box3d> boxes;
};

/// One at a time: a million draws twice would tell nothing about memory.
const Town& make_town(std::int64_t draws) {
  static std::map<std::int64_t, Town> made;
  if (made.find(draws) == made.end()) {
    made.clear();
    Town& town = made[draws];
    town.scene = make_large_scene(static_cast<std::size_t>(draws));
    town.survey = *survey(town.scene);
    town.views = *make_views(town.scene, town.survey, {.count = view_count});
    for (const Draw& draw : town.survey.draws) {
      town.boxes.push_back(draw.box);
    }
  }
  return made[draws];
}

void report_draws(benchmark::State& state) {
  state.SetItemsProcessed(state.iterations() * state.range(0));
  rusage usage{};
  getrusage(RUSAGE_SELF, &usage);
  state.counters["peak_MiB"] = static_cast<double>(usage.ru_maxrss) / 1024;
}

void report_pairs(benchmark::State& state) {
  state.SetItemsProcessed(state.iterations() * state.range(0) * view_count);
}

/// World boxes and nothing else: what any survey has to find for itself.
void BM_Survey_floor(benchmark::State& state) {
  const Town& town = make_town(state.range(0));
  for (auto _ : state) {
    const std::vector<Mat4d> world = make_world_matrices(town.scene);
    Box3d bounds;
    for (const Draw& draw : town.survey.draws) {
      bounds.include(make_transformed_box(world[to_index(draw.node)], town.survey[draw.shape].box));
    }
    benchmark::DoNotOptimize(bounds);
  }
  report_draws(state);
}

void BM_Survey(benchmark::State& state) {
  const Town& town = make_town(state.range(0));
  for (auto _ : state) {
    auto found = survey(town.scene);
    benchmark::DoNotOptimize(found);
  }
  report_draws(state);
}

/// Reads every box once for each view, and keeps a sum: the memory that culling one by one touches.
void BM_Culling_floor(benchmark::State& state) {
  const Town& town = make_town(state.range(0));
  for (auto _ : state) {
    double sum = 0;
    for (std::uint32_t v = 0; v < view_count; ++v) {
      for (const Box3d& box : town.boxes) {
        sum += box.min[0] + box.max[2];
      }
      benchmark::DoNotOptimize(sum);
    }
  }
  report_pairs(state);
}

void BM_Culling_one_by_one(benchmark::State& state) {
  const Town& town = make_town(state.range(0));
  const CullingBoxes boxes(town.boxes);
  std::vector<std::uint64_t> seen(boxes.word_count());
  for (auto _ : state) {
    for (const Viewpoint& view : town.views) {
      boxes.find_seen_one_by_one(make_frustum(view), seen);
      benchmark::DoNotOptimize(seen.data());
    }
  }
  report_pairs(state);
}

void BM_Culling(benchmark::State& state) {
  const Town& town = make_town(state.range(0));
  const RunControl run{.threads = static_cast<unsigned>(state.range(1))};
  for (auto _ : state) {
    auto visibility = make_visibility(town.survey, town.views, run);
    benchmark::DoNotOptimize(visibility);
  }
  report_pairs(state);
}

/// The survey and all that is told of it, but for the decoding of images.
void BM_Assess(benchmark::State& state) {
  const Town& town = make_town(state.range(0));
  AssessSettings settings;
  settings.views.count = view_count;
  settings.profile = *read_cost_profile("desk");
  const RunControl run{.threads = static_cast<unsigned>(state.range(1))};
  std::uint64_t draws = 0;
  for (auto _ : state) {
    const auto found = survey(town.scene, {}, run);
    const auto assessment = assess(town.scene, *found, {}, settings, run);
    draws = assessment->frames.views.front().total.draws;
  }
  report_draws(state);
  state.SetLabel("draws in the first view " + std::to_string(draws));
}

BENCHMARK(BM_Survey_floor)
    ->Name("BM_Survey/floor_boxes/town/draws")
    ->RangeMultiplier(10)
    ->Range(10'000, 1'000'000)
    ->Unit(benchmark::kMillisecond)
    ->UseRealTime();
BENCHMARK(BM_Survey)
    ->Name("BM_Survey/town/draws")
    ->RangeMultiplier(10)
    ->Range(10'000, 1'000'000)
    ->Unit(benchmark::kMillisecond)
    ->UseRealTime();
BENCHMARK(BM_Culling_floor)
    ->Name("BM_Culling/floor_read/town/views:512/threads:1/draws")
    ->Arg(100'000)
    ->Unit(benchmark::kMillisecond)
    ->UseRealTime();
BENCHMARK(BM_Culling_one_by_one)
    ->Name("BM_Culling/one_by_one/town/views:512/threads:1/draws")
    ->Arg(100'000)
    ->Unit(benchmark::kMillisecond)
    ->UseRealTime();
BENCHMARK(BM_Culling)
    ->Name("BM_Culling/town/views:512/draws/threads")
    ->Args({100'000, 1})
    ->Args({100'000, 2})
    ->Args({1'000'000, 2})
    ->Unit(benchmark::kMillisecond)
    ->UseRealTime();
BENCHMARK(BM_Assess)
    ->Name("BM_Assess/town/views:512/draws/threads")
    ->Args({10'000, 2})
    ->Args({100'000, 2})
    ->Args({1'000'000, 2})
    ->Unit(benchmark::kMillisecond)
    ->UseRealTime();

}  // namespace
}  // namespace wakuzume
