// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include <benchmark/benchmark.h>
#include <fmt/format.h>
#include <tbb/parallel_for.h>
#include <tbb/task_arena.h>

#include <cmath>
#include <random>

#include "own_stream.h"
#include "wakuzume/image.h"
#include "wakuzume/repaint.h"
#include "wakuzume/survey.h"

namespace wakuzume {
namespace {

/// As kits have them: powers of two with gutters, and odd sizes between.
std::vector<RectSize> make_sizes(std::size_t count, std::uint32_t most_odd) {
  std::mt19937 random(1);
  const std::uint32_t sides[] = {32, 64, 128, 256, 256, 512, 512, 1024};
  std::vector<RectSize> sizes;
  for (std::size_t i = 0; i < count; ++i) {
    const std::uint32_t side = sides[random() % std::size(sides)] + 64;
    const bool odd = most_odd > 0 && random() % 2 == 0;
    sizes.push_back(odd ? RectSize{17 + static_cast<std::uint32_t>(random() % most_odd),
                                   17 + static_cast<std::uint32_t>(random() % most_odd)}
                        : RectSize{side, side});
  }
  return sizes;
}

void BM_Pack(benchmark::State& state) {
  const auto sizes = make_sizes(static_cast<std::size_t>(state.range(0)),
                                static_cast<std::uint32_t>(state.range(1)));
  double share = 0;
  for (auto _ : state) {
    const auto packing = pack(sizes, {.max_page_px = 65536});
    share = packing ? packing->used_share(sizes) : 0;
  }
  state.counters["used_share"] = share;
}
BENCHMARK(BM_Pack)
    ->ArgNames({"rects", "odd"})
    ->Args({300, 700})
    ->Args({10'000, 0})
    ->Args({10'000, 700})
    ->Unit(benchmark::kMillisecond);

/// Squares with a detailed texture each, so that decoding and encoding have something to do.
Scene make_wall(std::size_t count, std::uint32_t side) {
  Scene scene;
  std::mt19937 random(7);
  const std::vector<float> positions{0, 0, 0, 1, 0, 0, 1, 1, 0, 0, 1, 0};
  const std::vector<float> uvs{0, 1, 1, 1, 1, 0, 0, 0};
  const std::vector<std::uint16_t> indices{0, 1, 2, 0, 2, 3};
  const auto add = [&](const auto& values, ComponentType component, ElementType element) {
    return add_stream(scene, values, component, element);
  };
  const StreamId position = add(positions, ComponentType::f32, ElementType::vec3);
  const StreamId uv = add(uvs, ComponentType::f32, ElementType::vec2);
  const StreamId index = add(indices, ComponentType::u16, ElementType::scalar);
  scene.levels.emplace_back();
  for (std::size_t m = 0; m < count; ++m) {
    Pixels pixels{side, side, {}};
    pixels.rgba.resize(std::size_t{4} * side * side, 255);
    for (std::size_t i = 0; i < pixels.rgba.size(); i += 4) {
      const double x = static_cast<double>(i / 4 % side);
      const double y = static_cast<double>(i / 4) / side;
      for (std::size_t c = 0; c < 3; ++c) {
        const double wave = 90 * std::sin(0.05 * x * (1 + static_cast<double>(c)) + 0.04 * y);
        pixels.rgba[i + c] =
            static_cast<std::uint8_t>(128 + wave + static_cast<double>(random() % 9));
      }
    }
    Image image;
    image.name = fmt::format("picture_{}", m);
    image.bytes = make_bytes(*encode_png(pixels));
    scene.images.push_back(std::move(image));
    Texture texture;
    texture.image = make_id<ImageId>(m);
    scene.textures.push_back(texture);
    Material material;
    material.name = fmt::format("m{}", m);
    material.base_color_texture.texture = make_id<TextureId>(m);
    scene.materials.push_back(material);
    Primitive primitive;
    primitive.attributes = {{"POSITION", position}, {"TEXCOORD_0", uv}};
    primitive.indices = index;
    primitive.material = make_id<MaterialId>(m);
    Mesh mesh;
    mesh.primitives.push_back(std::move(primitive));
    scene.meshes.push_back(std::move(mesh));
    Node node;
    node.mesh = make_id<MeshId>(m);
    node.trs.translation = {static_cast<double>(m % 20) * 2, static_cast<double>(m / 20) * 2, 0};
    scene.nodes.push_back(node);
    scene.levels[0].roots.push_back(make_id<NodeId>(m));
  }
  return scene;
}

struct Wall {
  Scene scene;
  RoutePlan routes;
  std::vector<Pixels> pages;
};

const Wall& find_wall() {
  static const Wall wall = [] {
    Wall out;
    out.scene = make_wall(48, 1024);
    const auto found = survey(out.scene);
    const auto images = read_image_facts(out.scene, ImageDepth::detail);
    out.routes = *propose_routes(out.scene, *found, *images,
                                 {.goal = MaterialGoal::full_resolution, .max_page_px = 4096});
    for (std::size_t p = 0; p < out.routes.pages.size(); ++p) {
      out.pages.push_back(
          *paint_page(out.scene, out.routes, p, Channel::color, StandardCodec(), {}));
    }
    return out;
  }();
  return wall;
}

template <class Body>
void in_threads(std::int64_t threads, std::size_t count, const Body& body) {
  tbb::task_arena arena(static_cast<int>(threads));
  arena.execute([&] { tbb::parallel_for(std::size_t{0}, count, body); });
}

/// Reading the textures, packing, painting and writing the pages.
void BM_Pages(benchmark::State& state) {
  const Wall& wall = find_wall();
  const auto found = survey(wall.scene);
  for (auto _ : state) {
    const RunControl run{.threads = static_cast<unsigned>(state.range(0))};
    // Sizes are enough to lay pages out; the look into the pixels belongs to the survey.
    const auto repainted = repaint(wall.scene, wall.routes, run);
    Scene out = repainted->scene;
    if (!paint_pages(wall.scene, wall.routes, repainted->images, StandardCodec(), out, run)) {
      state.SkipWithError("not painted");
    }
  }
  state.counters["megapixels"] = 48 * 1024.0 * 1024 / 1e6;
}
BENCHMARK(BM_Pages)
    ->ArgName("threads")
    ->Arg(1)
    ->Arg(2)
    ->Unit(benchmark::kMillisecond)
    ->UseRealTime();

/// The floor: the same textures decoded and the same pages encoded, and nothing else.
void BM_Pages_floor(benchmark::State& state) {
  const Wall& wall = find_wall();
  for (auto _ : state) {
    in_threads(state.range(0), wall.scene.images.size(), [&](std::size_t i) {
      benchmark::DoNotOptimize(decode_image(wall.scene.images[i].bytes));
    });
    in_threads(state.range(0), wall.pages.size(),
               [&](std::size_t p) { benchmark::DoNotOptimize(encode_png(wall.pages[p])); });
  }
}
BENCHMARK(BM_Pages_floor)
    ->ArgName("threads")
    ->Arg(1)
    ->Arg(2)
    ->Unit(benchmark::kMillisecond)
    ->UseRealTime();

}  // namespace
}  // namespace wakuzume
