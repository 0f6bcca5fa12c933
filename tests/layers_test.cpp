// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include <gtest/gtest.h>

#include <algorithm>
#include <cmath>
#include <cstring>
#include <set>

#include "support/pictures.h"
#include "support/process.h"
#include "wakuzume/build.h"
#include "wakuzume/io.h"
#include "wakuzume/verify.h"

/// Materials whose textures are layers.
namespace wakuzume {
namespace {

using test::add_picture;
using test::make_patch;
using test::make_picture;
using test::paint;
using test::Painted;

constexpr MaterialSettings fewest{.goal = MaterialGoal::fewest_draws};
constexpr MaterialSettings full{.goal = MaterialGoal::full_resolution};

/// Floors that repeat their textures, one a material.
class Floors {
 public:
  MaterialId add(std::uint32_t side, std::uint32_t seed, double repeats = 5) {
    const MaterialId id =
        builder.add_material("floor_" + std::to_string(builder.scene.materials.size()));
    material(id).base_color_texture.texture = add_picture(builder, make_picture(side, side, seed));
    show(id, repeats);
    return id;
  }
  void show(MaterialId id, double repeats = 5) {
    const double x = 1.5 * static_cast<double>(builder.scene.nodes.size());
    builder.add_node("floor", builder.add_mesh("floor", make_patch(0.25, 0, repeats, repeats), id),
                     test::at(x));
  }
  Material& material(MaterialId id) { return builder.scene.materials[to_index(id)]; }

  test::SceneBuilder builder;
};

Verdict look(const Scene& scene, const Painted& painted) {
  Verdict verdict;
  verdict.passed = true;
  EXPECT_TRUE(
      verify_looks(scene, painted.repainted.scene, painted.routes, StandardCodec(), {}, verdict));
  return verdict;
}

TEST(Layers, HoldTexturesThatRepeatTexelByTexel) {
  Floors floors;
  for (std::uint32_t f = 0; f < 4; ++f) {
    floors.add(32, f);
  }
  const Scene scene = floors.builder.finish();
  const Painted painted = paint(scene, full);
  ASSERT_EQ(painted.routes.stacks.size(), 1U);
  const LayerStack& stack = painted.routes.stacks[0];
  EXPECT_EQ(stack.members.size(), 4U);
  EXPECT_EQ(stack[Channel::color].count(), 4U);
  EXPECT_FALSE(stack.has(Channel::normal));
  for (const MaterialRoute& route : painted.routes.routes) {
    EXPECT_EQ(route.route, Route::layers) << route.reason;
    EXPECT_NE(route.reason.find("repeats"), std::string::npos);
    EXPECT_DOUBLE_EQ(route.texels_per_metre, route.texels_per_metre_after);
  }
  const ImageId id = painted.repainted.images[0][0];
  const auto array = decode_ktx2(encoded_bytes(painted.repainted.scene, id));
  ASSERT_TRUE(array) << to_string(array.error());
  ASSERT_EQ(array->layers.size(), 4U);
  for (std::uint32_t m = 0; m < 4; ++m) {
    const Material& own = scene[stack.members[m]];
    const auto source = decode_image(
        encoded_bytes(scene, scene.textures[to_index(own.base_color_texture.texture)].image));
    EXPECT_EQ(test::find_psnr(*source, array->layers[stack[Channel::color].of_member[m]]), 100);
  }
  const Verdict verdict = look(scene, painted);
  EXPECT_TRUE(verdict.passed);
  ASSERT_EQ(verdict.looks.size(), 4U);
  for (const LookCheck& check : verdict.looks) {
    EXPECT_GE(check.psnr_db, 60);
  }
}

TEST(Layers, AreStoredOnceWhereTheyAreEqualAndAsOneTextureWhereAllAre) {
  Floors floors;
  const MaterialId first = floors.add(32, 1);
  const TextureId bumps = add_picture(floors.builder, test::make_normal_picture(32, 32, 9));
  for (std::uint32_t f = 1; f < 4; ++f) {
    const MaterialId id = floors.add(32, f % 2);
    floors.material(id).roughness = 0.2 * f;
  }
  for (Material& material : floors.builder.scene.materials) {
    material.normal_texture.texture = bumps;
  }
  const Scene scene = floors.builder.finish();
  const Painted painted = paint(scene, fewest);
  ASSERT_EQ(painted.routes.stacks.size(), 1U);
  const LayerStack& stack = painted.routes.stacks[0];
  EXPECT_EQ(stack[Channel::color].count(), 2U) << "two pictures";
  EXPECT_EQ(stack[Channel::surface].count(), 4U) << "four roughnesses";
  EXPECT_EQ(stack[Channel::surface].size, (RectSize{1, 1}));
  EXPECT_EQ(stack[Channel::normal].count(), 1U) << "one picture for all";
  const Scene& out = painted.repainted.scene;
  const Material& shared = out.materials.back();
  EXPECT_TRUE(out.textures[to_index(shared.base_color_texture.texture)].layers);
  const Texture& normals = out.textures[to_index(shared.normal_texture.texture)];
  EXPECT_FALSE(normals.layers);
  EXPECT_TRUE(out.images[to_index(normals.image)].name.ends_with("_normal"));
  EXPECT_TRUE(look(scene, painted).passed);
  EXPECT_EQ(painted.routes.find(first)->member, 0U);
}

TEST(Layers, TakeOneSizeForFewestDrawsAndSeveralWhereNothingMayBeLost) {
  Floors floors;
  for (std::uint32_t f = 0; f < 3; ++f) {
    floors.add(16, f);
    floors.add(64, 10 + f);
  }
  const Scene scene = floors.builder.finish();
  const Painted few = paint(scene, fewest);
  ASSERT_EQ(few.routes.stacks.size(), 1U);
  EXPECT_EQ(few.routes.stacks[0][Channel::color].size, (RectSize{64, 64}));
  EXPECT_TRUE(look(scene, few).passed);
  const Painted fine = paint(scene, full);
  ASSERT_EQ(fine.routes.stacks.size(), 2U);
  std::set<std::uint32_t> sizes;
  for (const LayerStack& stack : fine.routes.stacks) {
    sizes.insert(stack[Channel::color].size.width_px);
  }
  EXPECT_EQ(sizes, (std::set<std::uint32_t>{16, 64}));
  EXPECT_TRUE(look(scene, fine).passed);
}

/// Pictures of other shapes stand in their layers several times, so that every texel is seen where
/// and as large as it was.
TEST(Layers, HoldTrimsSideBySideTexelByTexel) {
  Floors floors;
  const std::pair<std::uint32_t, std::uint32_t> sides[] = {
      {64, 64}, {64, 8}, {16, 64}, {32, 32}, {60, 60}};
  for (const auto& [width, height] : sides) {
    const MaterialId id = floors.add(64, width + height);
    floors.material(id).base_color_texture.texture =
        add_picture(floors.builder, make_picture(width, height, width * height));
  }
  const Scene scene = floors.builder.finish();
  const Painted painted = paint(scene, fewest);
  ASSERT_EQ(painted.routes.stacks.size(), 1U);
  const LayerStack& stack = painted.routes.stacks[0];
  EXPECT_EQ(stack.copies,
            (std::vector<std::array<std::uint32_t, 2>>{{1, 1}, {1, 8}, {4, 1}, {2, 2}}))
      << "what goes into no whole number of times is left out";
  EXPECT_EQ(painted.routes.find(MaterialId{4})->route, Route::stay);
  const ImageId image = painted.repainted.images[0][0];
  const auto array = decode_ktx2(encoded_bytes(painted.repainted.scene, image));
  ASSERT_TRUE(array);
  for (std::uint32_t m = 0; m < 4; ++m) {
    const auto& [width, height] = sides[m];
    const Pixels& layer = array->layers[stack[Channel::color].of_member[m]];
    ASSERT_EQ(layer.width_px, 64U);
    const auto source = decode_image(encoded_bytes(
        scene, scene.textures[to_index(scene.materials[m].base_color_texture.texture)].image));
    std::size_t different = 0;
    for (std::uint32_t y = 0; y < 64; ++y) {
      for (std::uint32_t x = 0; x < 64; ++x) {
        for (std::size_t c = 0; c < 4; ++c) {
          different += layer.rgba[4 * (y * 64 + x) + c] !=
                               source->rgba[4 * (y % height * width + x % width) + c]
                           ? 1U
                           : 0U;
        }
      }
    }
    EXPECT_EQ(different, 0U) << width << " x " << height;
  }
  const Verdict verdict = look(scene, painted);
  EXPECT_TRUE(verdict.passed);
  for (const LookCheck& check : verdict.looks) {
    EXPECT_GE(check.psnr_db, 60) << to_index(check.material);
  }
}

TEST(Layers, TakeNoOtherShapesWhereTheSamplerEndsAtTheEdge) {
  constexpr std::uint32_t clamp_to_edge = 33071;
  Floors floors;
  for (const std::uint32_t side : {64U, 64U, 32U}) {
    const MaterialId id = floors.add(side, 0);
    floors.material(id).base_color_texture.texture = add_picture(
        floors.builder, make_picture(side, side, static_cast<std::uint32_t>(to_index(id))),
        clamp_to_edge, clamp_to_edge);
  }
  const RoutePlan routes = test::route(floors.builder.finish(), fewest);
  ASSERT_EQ(routes.stacks.size(), 1U);
  EXPECT_EQ(routes.stacks[0].members, (std::vector<MaterialId>{MaterialId{0}, MaterialId{1}}));
}

TEST(Layers, AreCutWhereTheyWouldTakeMoreThanTheyMay) {
  Floors floors;
  for (std::uint32_t f = 0; f < 6; ++f) {
    floors.add(512, f);
  }
  const Scene scene = floors.builder.finish();
  MaterialSettings settings = fewest;
  settings.max_stack_megabytes = 3;  // 6 x 512 x 512 x 4 x 4/3 B are 8 MiB
  const RoutePlan small = test::route(scene, settings);
  EXPECT_EQ(small.stacks.size(), 3U) << "two layers each, and none of them smaller";
  EXPECT_EQ(small.stacks[0][Channel::color].size, (RectSize{512, 512}));
  EXPECT_EQ(small.routes[0].texels_per_metre_after, small.routes[0].texels_per_metre);
  settings.goal = MaterialGoal::full_resolution;
  EXPECT_EQ(test::route(scene, settings).stacks.size(), 3U);
  settings.max_stack_megabytes = 256;
  settings.max_layers = 4;
  EXPECT_EQ(test::route(scene, settings).stacks.size(), 2U);
}

TEST(Layers, TakeTransformsIntoTheirUvs) {
  Floors floors;
  const MaterialId plain = floors.add(32, 1);
  const MaterialId moved = floors.add(32, 2);
  UvTransform transform;
  transform.offset = {0.25, -0.5};
  transform.rotation = 0.7;
  transform.scale = {2, 0.5};
  floors.material(moved).base_color_texture.transform = transform;
  const Scene scene = floors.builder.finish();
  const Painted painted = paint(scene, full);
  EXPECT_EQ(painted.routes.find(plain)->route, Route::layers);
  EXPECT_EQ(painted.routes.find(moved)->route, Route::layers);
  EXPECT_TRUE(look(scene, painted).passed);
}

TEST(Layers, ShowPlainViewersTheOldMaterials) {
  Floors floors;
  for (std::uint32_t f = 0; f < 3; ++f) {
    floors.add(32, f);
  }
  const Scene scene = floors.builder.finish();
  const Painted painted = paint(scene, full);
  const auto found = survey(painted.repainted.scene);
  ASSERT_TRUE(found);
  ASSERT_EQ(painted.repainted.scene.images.size(), 4U);
  Plan plan = *propose(painted.repainted.scene, *found, {}, {});
  plan.routes = painted.routes;
  const auto built = build(painted.repainted.scene, plan,
                           {.origin = &scene, .page_images = painted.repainted.images});
  ASSERT_TRUE(built) << to_string(built.error());
  ASSERT_TRUE(check_scene(built->scene));
  std::size_t draws = 0;
  std::size_t plain = 0;
  std::uint64_t triangles = 0;
  std::set<std::string> names;
  for (const Mesh& mesh : built->scene.meshes) {
    draws += mesh.primitives.size();
    plain += mesh.plain.size();
    for (const Primitive& primitive : mesh.plain) {
      triangles += count_list_indices(built->scene, primitive) / 3;
      names.insert(built->scene[primitive.material].name);
      EXPECT_EQ(primitive.find(layer_semantic), no_stream);
    }
  }
  EXPECT_EQ(draws, 1U);
  EXPECT_EQ(plain, 3U);
  EXPECT_EQ(names, (std::set<std::string>{"floor_0", "floor_1", "floor_2"}));
  EXPECT_EQ(triangles, count_totals(scene).triangles);
  // Asked for none, there are none, and loaders have to know the extension.
  plan.routes.settings.plain_look = PlainLook::none;
  MaterialSettings settings = full;
  settings.plain_look = PlainLook::none;
  const Painted bare = paint(scene, settings);
  EXPECT_EQ(bare.repainted.scene.extensions_required,
            std::vector<std::string>{texture_layers_extension});
}

TEST(Layers, ComeThroughFilesAsTheyWere) {
  Floors floors;
  for (std::uint32_t f = 0; f < 3; ++f) {
    floors.add(32, f);
  }
  const Scene scene = floors.builder.finish();
  const Painted painted = paint(scene, full);
  const auto folder = test::make_scratch();
  for (const char* name : {"layers.glb", "layers.gltf"}) {
    const std::string path = (folder / name).string();
    ASSERT_TRUE(write_scene(painted.repainted.scene, path));
    const auto back = read_scene(path);
    ASSERT_TRUE(back) << to_string(back.error());
    const auto hit = std::find_if(back->textures.begin(), back->textures.end(),
                                  [](const Texture& t) { return static_cast<bool>(t.layers); });
    ASSERT_NE(hit, back->textures.end());
    EXPECT_EQ(hit->layers->layer_of, (std::vector<std::uint32_t>{0, 1, 2}));
    EXPECT_TRUE(decode_ktx2(encoded_bytes(*back, hit->layers->image)));
  }
}

TEST(Layers, AreRefusedWhereTheirNumbersMakeNoSense) {
  Floors floors;
  for (std::uint32_t f = 0; f < 3; ++f) {
    floors.add(32, f);
  }
  const Scene scene = floors.builder.finish();
  const RoutePlan good = test::route(scene, full);
  ASSERT_TRUE(repaint(scene, good));
  const auto refused = [&](const auto& spoil) {
    RoutePlan routes = good;
    spoil(routes);
    const auto out = repaint(scene, routes);
    return !out && out.error().code == ErrorCode::plan_mismatch;
  };
  EXPECT_TRUE(refused([](RoutePlan& r) { r.stacks[0].members.clear(); }));
  EXPECT_TRUE(refused([](RoutePlan& r) { r.stacks[0].members[1] = MaterialId{99}; }));
  EXPECT_TRUE(refused([](RoutePlan& r) { r.stacks[0].channels[0].of_member[0] = 7; }));
  EXPECT_TRUE(refused([](RoutePlan& r) { r.stacks[0].channels[0].of_member.pop_back(); }));
  EXPECT_TRUE(refused([](RoutePlan& r) { r.stacks[0].channels[0].size = {40000, 4}; }));
  EXPECT_TRUE(refused([](RoutePlan& r) { r.stacks[0].copies.pop_back(); }));
  EXPECT_TRUE(refused([](RoutePlan& r) { r.stacks[0].copies[1] = {1, 0}; }));
  EXPECT_TRUE(refused([](RoutePlan& r) { r.stacks[0].uv_set = 16; }));
  EXPECT_TRUE(refused([](RoutePlan& r) { r.routes[0].stack = 5; }));
  EXPECT_TRUE(refused([](RoutePlan& r) { r.routes[0].member = 5; }));
}

/// Renderers may make levels of their own; files are read by those that take them as they are.
TEST(Layers, WithAWrongMipLevelAreFound) {
  Floors floors;
  for (std::uint32_t f = 0; f < 3; ++f) {
    floors.add(48, f);
  }
  const Scene scene = floors.builder.finish();
  MaterialSettings settings = fewest;
  settings.layer_packing = Supercompression::none;
  for (const TexelFormat format : {TexelFormat::rgba8, TexelFormat::astc_4x4}) {
    settings.layer_format = format;
    Painted painted = paint(scene, settings);
    const Verdict right = look(scene, painted);
    EXPECT_TRUE(right.passed) << right.mismatches[0].what;
    const ImageId id = painted.repainted.images[0][0];
    const auto coarse = decode_ktx2(encoded_bytes(painted.repainted.scene, id), {}, 2);
    ASSERT_TRUE(coarse) << to_string(coarse.error());
    EXPECT_EQ(coarse->layers[0].width_px, 12U);
    EXPECT_EQ(coarse->mip_levels, 6U);
    EXPECT_FALSE(decode_ktx2(encoded_bytes(painted.repainted.scene, id), {}, 6));
    // The third level shows the picture from another corner.
    const auto data = encoded_bytes(painted.repainted.scene, id).data();
    std::vector<std::byte> bytes(data.begin(), data.end());
    constexpr std::size_t entry = 80 + 2 * 24;
    std::uint64_t offset = 0;
    std::uint64_t length = 0;
    std::memcpy(&offset, &bytes[entry], 8);
    std::memcpy(&length, &bytes[entry + 8], 8);
    const auto level = bytes.begin() + static_cast<std::ptrdiff_t>(offset);
    std::rotate(level, level + static_cast<std::ptrdiff_t>(length / 32 * 16),
                level + static_cast<std::ptrdiff_t>(length));
    painted.repainted.scene.images[to_index(id)].bytes = make_bytes(std::move(bytes));
    const Verdict verdict = look(scene, painted);
    EXPECT_FALSE(verdict.passed);
    ASSERT_EQ(verdict.mismatches.size(), 1U);
    EXPECT_EQ(verdict.mismatches[0].what.substr(0, 14), "mip level 2 of")
        << verdict.mismatches[0].what;
  }
}

TEST(Layers, OfDamagedFilesAreErrors) {
  TextureArray array;
  array.layers = {make_picture(20, 12, 1), make_picture(20, 12, 2)};
  const auto file = encode_ktx2(array);
  ASSERT_TRUE(file);
  ASSERT_TRUE(decode_ktx2(make_bytes(*file)));
  for (std::size_t length = 0; length < file->size(); length += 7) {
    std::vector<std::byte> cut(file->begin(), file->begin() + static_cast<std::ptrdiff_t>(length));
    decode_ktx2(make_bytes(cut));  // an error or the layers, as the first level stands last
  }
  std::vector<std::byte> huge = *file;
  huge[20 + 3] = std::byte{0x7F};  // width
  const auto out = decode_ktx2(make_bytes(huge));
  ASSERT_FALSE(out);
  EXPECT_EQ(out.error().code, ErrorCode::bad_image);
  std::vector<std::byte> many = *file;
  many[32 + 1] = std::byte{0xFF};  // layers
  ASSERT_FALSE(decode_ktx2(make_bytes(many)));
  EXPECT_EQ(decode_ktx2(make_bytes(*file), {.max_pixels = 100}).error().code, ErrorCode::too_large);
}

TEST(Layers, AreForHandsToo) {
  Floors floors;
  const MaterialId a = floors.add(32, 1, 0.9);
  const MaterialId b = floors.add(32, 2, 0.9);
  const MaterialId c = floors.add(32, 3, 0.9);
  MaterialSettings settings = full;
  settings.routes = {"floor_0=layers", "floor_1=layers"};
  const RoutePlan routes = test::route(floors.builder.finish(), settings);
  EXPECT_EQ(routes.find(a)->route, Route::layers);
  EXPECT_EQ(routes.find(b)->route, Route::layers);
  EXPECT_NE(routes.find(a)->reason.find("by hand"), std::string::npos);
  EXPECT_EQ(routes.find(c)->route, Route::layers) << "it would be alone on a page";
  EXPECT_NE(routes.find(c)->reason.find("nothing else would share a page"), std::string::npos);
}

}  // namespace
}  // namespace wakuzume
