// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include <benchmark/benchmark.h>
#include <fmt/format.h>

#include <algorithm>
#include <cstring>
#include <random>

#include "own_stream.h"
#include "wakuzume/lightmaps.h"

namespace wakuzume {
namespace {

constexpr std::uint32_t page_px = 1024;

/// Squares that are lit by pages, `draws` of them on each, with charts side by side.
Scene make_lit_level(std::size_t pages, std::size_t draws) {
  Scene scene;
  std::mt19937 random(5);
  const auto add = [&](const auto& values, ComponentType component, ElementType element) {
    return add_stream(scene, values, component, element);
  };
  Primitive primitive;
  const std::vector<float> positions{0, 0, 0, 1, 0, 0, 1, 1, 0, 0, 1, 0};
  const std::vector<float> uvs{0, 1, 1, 1, 1, 0, 0, 0};
  primitive.attributes = {{"POSITION", add(positions, ComponentType::f32, ElementType::vec3)},
                          {"TEXCOORD_1", add(uvs, ComponentType::f32, ElementType::vec2)}};
  primitive.indices =
      add(std::vector<std::uint16_t>{0, 1, 2, 0, 2, 3}, ComponentType::u16, ElementType::scalar);
  scene.meshes.emplace_back().primitives.push_back(primitive);
  scene.levels.emplace_back();
  const auto side = static_cast<std::size_t>(std::sqrt(static_cast<double>(draws)));
  for (std::size_t p = 0; p < pages; ++p) {
    for (std::size_t d = 0; d < side * side; ++d) {
      Node& node = scene.nodes.emplace_back();
      node.mesh = MeshId{0};
      node.trs.translation = {static_cast<double>(random() % 1000), 0,
                              static_cast<double>(random() % 1000)};
      const double scale = 1.0 / static_cast<double>(side);
      node.extra.ensure().extras = fmt::format(
          R"({{"lightmap":{},"lightmap_transform":[{},{},{},{}]}})", p, 0.9 * scale, 0.9 * scale,
          scale * static_cast<double>(d % side), scale * static_cast<double>(d / side));
      scene.levels[0].roots.push_back(make_id<NodeId>(scene.nodes.size() - 1));
    }
  }
  return scene;
}

std::vector<LightmapPicture> list_pictures(std::size_t pages) {
  std::vector<LightmapPicture> out;
  for (std::size_t p = 0; p < pages; ++p) {
    out.push_back({std::to_string(p),
                   no_image,
                   fmt::format("lightmap_{}.hdr", p),
                   {page_px, page_px},
                   "image/vnd.radiance rgbe"});
  }
  return out;
}

void BM_ProposeLightmaps(benchmark::State& state) {
  const auto pages = static_cast<std::size_t>(state.range(0));
  const Scene scene = make_lit_level(pages, static_cast<std::size_t>(state.range(1)));
  const auto found = survey(scene);
  const auto pictures = list_pictures(pages);
  std::size_t joined = 0;
  for (auto _ : state) {
    const auto plan = propose_lightmaps(scene, *found, pictures, {.goal = LightmapGoal::join});
    joined = plan ? plan->joined.size() : 0;
  }
  state.counters["joined_pages"] = static_cast<double>(joined);
  state.SetItemsProcessed(state.iterations() * static_cast<std::int64_t>(found->draws.size()));
}
BENCHMARK(BM_ProposeLightmaps)
    ->ArgNames({"pages", "draws_a_page"})
    ->Args({1000, 64})
    ->Args({1000, 400})
    ->Unit(benchmark::kMillisecond);

/// All texels of all pages, one joined page in memory at a time.
void BM_MoveTexels(benchmark::State& state) {
  const auto pages = static_cast<std::size_t>(state.range(0));
  const Scene scene = make_lit_level(pages, 64);
  const auto found = survey(scene);
  const auto plan =
      propose_lightmaps(scene, *found, list_pictures(pages), {.goal = LightmapGoal::join});
  TexelGrid page{{page_px, page_px}, "image/vnd.radiance rgbe", 4, {}};
  page.texels.resize(std::size_t{4} * page_px * page_px, std::byte{77});
  for (auto _ : state) {
    for (std::size_t j = 0; j < plan->joined.size(); ++j) {
      TexelGrid joined{plan->joined[j].size, page.format, 4, {}};
      joined.texels.resize(std::size_t{4} * joined.size.width_px * joined.size.height_px);
      for (const LightmapMove& move : plan->moves) {
        if (move.to == j) {
          move_texels(page, move, joined);
        }
      }
      fill_gaps(plan->moves, static_cast<std::uint32_t>(j), joined);
      benchmark::DoNotOptimize(joined.texels.data());
    }
  }
  state.SetBytesProcessed(state.iterations() * static_cast<std::int64_t>(pages) *
                          static_cast<std::int64_t>(page.texels.size()));
}
BENCHMARK(BM_MoveTexels)->ArgName("pages")->Arg(1000)->Unit(benchmark::kMillisecond);

void BM_MoveTexels_floor(benchmark::State& state) {
  const auto pages = static_cast<std::size_t>(state.range(0));
  const std::vector<std::byte> page(std::size_t{4} * page_px * page_px, std::byte{77});
  std::vector<std::byte> joined(page.size() * 9);
  for (auto _ : state) {
    for (std::size_t p = 0; p < pages; ++p) {
      std::memcpy(&joined[p % 9 * page.size()], page.data(), page.size());
    }
    benchmark::DoNotOptimize(joined.data());
  }
  state.SetBytesProcessed(state.iterations() * static_cast<std::int64_t>(pages) *
                          static_cast<std::int64_t>(page.size()));
}
BENCHMARK(BM_MoveTexels_floor)->ArgName("pages")->Arg(1000)->Unit(benchmark::kMillisecond);

}  // namespace
}  // namespace wakuzume
