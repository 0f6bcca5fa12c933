// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
//
// Drawing a town and what was built of it from sixteen views, beside the floor of an empty scene.

#include <benchmark/benchmark.h>

#include <memory>

#include "large_scene.h"
#include "wakuzume/build.h"
#include "wakuzume/image.h"
#include "wakuzume/render.h"
#include "wakuzume/settings_file.h"
#include "wakuzume/verify_views.h"

namespace wakuzume {
namespace {

constexpr std::uint32_t view_count = 16;

struct Drawn {
  explicit Drawn(Scene shown) : scene(std::move(shown)), survey(*wakuzume::survey(scene)) {
    if (auto device = open_render_device()) {
      if (auto made = Renderer::make({scene, survey}, *device, StandardCodec())) {
        renderer = std::move(*made);
      }
    }
  }
  Scene scene;
  Survey survey;
  std::unique_ptr<Renderer> renderer;
};

std::vector<Viewpoint> make_sixteen(const Drawn& drawn) {
  return choose_views(*make_views(drawn.scene, drawn.survey, {.count = 32}), view_count);
}

/// Clearing, reading back and nothing to draw: what sixteen pictures of 1280 x 720 take anyway.
void BM_Shots_floor(benchmark::State& state) {
  Drawn town(make_large_scene(1000));
  const std::vector<Viewpoint> views = make_sixteen(town);
  Scene nothing;
  nothing.nodes.emplace_back();
  Drawn empty(std::move(nothing));
  if (!empty.renderer) {
    state.SkipWithError("nothing to draw with");
    return;
  }
  for (auto _ : state) {
    for (const Viewpoint& view : views) {
      benchmark::DoNotOptimize(empty.renderer->make_shot(view, {}));
    }
  }
  state.SetItemsProcessed(state.iterations() * view_count);
}

/// Both scenes from all views, compared pixel by pixel: all that verify does with pictures.
void compare_views(benchmark::State& state, Scene scene) {
  Drawn before(std::move(scene));
  const Outlook outlook{*make_views(before.scene, before.survey, {.count = 32}),
                        shipped_profiles().back()};
  const Plan plan = *propose(before.scene, before.survey, {}, outlook);
  Built built = *build(before.scene, plan);
  Drawn after(std::move(built.scene));
  if (!before.renderer || !after.renderer) {
    state.SkipWithError("nothing to draw with");
    return;
  }
  const std::vector<Viewpoint> views = make_sixteen(before);
  Verdict verdict;
  for (auto _ : state) {
    verdict = {};
    verdict.passed = true;
    const auto done = verify_views({before.scene, before.survey, *before.renderer},
                                   {after.scene, after.survey, *after.renderer}, built.ledger,
                                   views, {}, verdict);
    benchmark::DoNotOptimize(done);
  }
  state.SetItemsProcessed(state.iterations() * view_count * 2);
  double submit_before = 0;
  double submit_after = 0;
  double triangles = 0;
  for (const ViewCheck& check : verdict.views) {
    submit_before += check.before.submit_ms / view_count;
    submit_after += check.after.submit_ms / view_count;
    triangles += static_cast<double>(check.before.triangles) / view_count;
  }
  state.counters["passed"] = verdict.passed ? 1 : 0;
  state.counters["triangles_in_view"] = triangles;
  state.counters["submit_ms_before"] = submit_before;
  state.counters["submit_ms_after"] = submit_after;
}

void BM_VerifyViews(benchmark::State& state) {
  compare_views(state, make_large_scene(static_cast<std::size_t>(state.range(0))));
}

void BM_VerifyViews_district(benchmark::State& state) {
  compare_views(state, make_district(static_cast<std::size_t>(state.range(0))));
}

// ---- the audit --------------------------------------------------------------------------------

struct BuiltDistrict {
  Scene before;
  Built built;
};

const BuiltDistrict& find_built_district() {
  static const BuiltDistrict made = [] {
    BuiltDistrict out;
    out.before = make_district(50'000);
    const Survey found = *survey(out.before);
    const Outlook outlook{*make_views(out.before, found, {.count = 32}), shipped_profiles().back()};
    out.built = *build(out.before, *propose(out.before, found, {}, outlook));
    return out;
  }();
  return made;
}

/// What the audit reads besides geometry: the bytes of both scenes once, for their hashes.
void BM_Audit_floor(benchmark::State& state) {
  const BuiltDistrict& district = find_built_district();
  const RunControl run{.threads = 2};
  for (auto _ : state) {
    benchmark::DoNotOptimize(make_content_hash(district.before, run));
    benchmark::DoNotOptimize(make_content_hash(district.built.scene, run));
  }
}

void BM_Audit(benchmark::State& state) {
  const BuiltDistrict& district = find_built_district();
  std::uint64_t triangles = 0;
  for (auto _ : state) {
    const auto verdict =
        verify(district.before, district.built.scene, district.built.ledger, {}, {.threads = 2});
    triangles = verdict->passed ? verdict->triangles_checked : 0;
  }
  state.SetItemsProcessed(state.iterations() * static_cast<std::int64_t>(triangles));
}

BENCHMARK(BM_Audit_floor)
    ->Name("BM_Audit/floor_hash/district/threads:2")
    ->Unit(benchmark::kMillisecond)
    ->UseRealTime();
BENCHMARK(BM_Audit)
    ->Name("BM_Audit/district/threads:2")
    ->Unit(benchmark::kMillisecond)
    ->UseRealTime();
BENCHMARK(BM_VerifyViews_district)
    ->Name("BM_VerifyViews/district/pieces")
    ->Arg(50'000)
    ->Unit(benchmark::kMillisecond)
    ->UseRealTime()
    ->Iterations(1);
BENCHMARK(BM_Shots_floor)->Unit(benchmark::kMillisecond)->UseRealTime();
BENCHMARK(BM_VerifyViews)
    ->ArgName("draws")
    ->Arg(10'000)
    ->Arg(50'000)
    ->Unit(benchmark::kMillisecond)
    ->UseRealTime()
    ->Iterations(1);

}  // namespace
}  // namespace wakuzume
