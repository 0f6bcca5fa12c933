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
#include "wakuzume/settings.h"
#include "wakuzume/verify_views.h"

namespace wakuzume {
namespace {

constexpr std::uint32_t view_count = 16;

struct Drawn {
  explicit Drawn(Scene shown) : scene(std::move(shown)), survey(*wakuzume::survey(scene)) {
    if (auto device = open_render_device()) {
      if (auto made = Renderer::make(scene, survey, *device, StandardCodec())) {
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
void BM_VerifyViews(benchmark::State& state) {
  Drawn before(make_large_scene(static_cast<std::size_t>(state.range(0))));
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
  for (const ViewCheck& check : verdict.views) {
    submit_before += check.before.submit_ms / view_count;
    submit_after += check.after.submit_ms / view_count;
  }
  state.counters["passed"] = verdict.passed ? 1 : 0;
  state.counters["submit_ms_before"] = submit_before;
  state.counters["submit_ms_after"] = submit_after;
}

BENCHMARK(BM_Shots_floor)->Unit(benchmark::kMillisecond)->UseRealTime();
BENCHMARK(BM_VerifyViews)->ArgName("draws")->Arg(10'000)->Arg(50'000)->Unit(benchmark::kMillisecond)->UseRealTime()->Iterations(1);

}  // namespace
}  // namespace wakuzume
