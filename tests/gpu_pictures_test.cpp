// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include "wakuzume/gpu_pictures.h"

#include <fmt/format.h>
#include <gtest/gtest.h>

#include <algorithm>
#include <cmath>
#include <cstdlib>
#include <fstream>
#include <random>
#include <set>

#include "support/pictures.h"
#include "support/process.h"
#include "support/scene_builder.h"
#include "wakuzume/delivery.h"
#include "wakuzume/image.h"
#include "wakuzume/io.h"
#include "wakuzume/settings_file.h"

namespace wakuzume {
namespace {

namespace fs = std::filesystem;

/// Discs that are opaque on a ground that is not, strewn: large ones on the left, small ones on the
/// right.
Pixels make_leaves(std::uint32_t side) {
  Pixels out{side, side, {}};
  for (std::uint32_t i = 0; i < side * side; ++i) {
    out.rgba.insert(out.rgba.end(), {60, 140, 40, 0});
  }
  std::mt19937 random(11);
  std::uniform_real_distribution<double> place(0, 1);
  for (std::uint32_t disc = 0; disc < 320; ++disc) {
    const bool large = disc < 8;
    const double radius = large ? side / 16.0 : side / 128.0;
    const double x = (large ? 0 : side / 2.0) + place(random) * side / 2;
    const double y = place(random) * side;
    for (std::uint32_t t = 0; t < side * side; ++t) {
      const double off = std::hypot(t % side + 0.5 - x, t / side + 0.5 - y);
      const bool same_half = (t % side < side / 2) == large;
      if (off < radius && same_half) {
        out.rgba[4 * std::size_t{t} + 3] = 255;
      }
    }
  }
  return out;
}

/// Share of the texels of a part of a picture that a cutoff of one half leaves.
double find_seen(const Pixels& pixels, double from, double to) {
  std::size_t seen = 0;
  std::size_t count = 0;
  for (std::uint32_t y = 0; y < pixels.height_px; ++y) {
    const auto end = static_cast<std::uint32_t>(to * pixels.width_px);
    for (auto x = static_cast<std::uint32_t>(from * pixels.width_px); x < end; ++x) {
      seen += pixels.rgba[4 * (std::size_t{y} * pixels.width_px + x) + 3] >= 128 ? 1U : 0U;
      ++count;
    }
  }
  return static_cast<double>(seen) / static_cast<double>(count);
}

Pixels read_level(const std::vector<std::byte>& file, std::uint32_t level) {
  const auto array = decode_ktx2(make_bytes(std::vector<std::byte>(file)), {}, level);
  EXPECT_TRUE(array) << array.error().message;
  return array ? array->layers.front() : Pixels{};
}

TEST(EncodeGpuPicture, KeepsTheShareOfWhatIsCutOutAtEveryLevel) {
  constexpr std::uint32_t side = 256;
  TextureArray array{.kind = TexelKind::colors, .layers = {make_leaves(side)}};
  const auto plain = encode_ktx2(array, {.shape = ArrayShape::single});
  array.cut = {0.5, {{0, 0, side / 2, side}, {side / 2, 0, side / 2, side}}};
  const auto kept = encode_ktx2(array, {.shape = ArrayShape::single});
  ASSERT_TRUE(plain);
  ASSERT_TRUE(kept);
  EXPECT_EQ(read_level(*plain, 0).rgba, read_level(*kept, 0).rgba) << "the picture is as it was";
  double worst_plain = 0;
  for (std::uint32_t level = 1; level <= 4; ++level) {
    for (const auto& [from, to] : {std::pair(0.0, 0.5), std::pair(0.5, 1.0)}) {
      const double wanted = find_seen(array.layers.front(), from, to);
      const Pixels shown = read_level(*kept, level);
      EXPECT_NEAR(find_seen(shown, from, to), wanted, 0.04) << level << " from " << from;
      worst_plain =
          std::max(worst_plain, std::abs(find_seen(read_level(*plain, level), from, to) - wanted));
    }
  }
  EXPECT_GT(worst_plain, 0.1) << "without, the small discs are gone";
}

TEST(EncodeGpuPicture, AveragesColoursAsLight) {
  test::SceneBuilder builder;
  Pixels board{64, 64, {}};
  for (std::uint32_t i = 0; i < 64 * 64; ++i) {
    const auto value = static_cast<std::uint8_t>((i + i / 64) % 2 == 0 ? 255 : 0);
    board.rgba.insert(board.rgba.end(), {value, value, value, 255});
  }
  const TextureId texture = test::add_picture(builder, board);
  const ImageId image = builder.scene.textures[to_index(texture)].image;
  for (const auto& [kind, grey] :
       {std::pair(TexelKind::colors, 188), std::pair(TexelKind::values, 128)}) {
    const GpuPicture picture{.image = image, .kind = kind, .textures = {texture}};
    const auto file =
        encode_gpu_picture(builder.scene, picture, {.texels = GpuTexels::rgba8}, StandardCodec());
    ASSERT_TRUE(file) << file.error().message;
    EXPECT_EQ(file->psnr_db, 100) << "the same";
    const auto array = decode_ktx2(make_bytes(std::vector<std::byte>(file->bytes)), {}, 1);
    ASSERT_TRUE(array);
    EXPECT_EQ(array->mip_levels, 7U);
    EXPECT_NEAR(array->layers.front().rgba[0], grey, 1);
  }
}

TEST(EncodeGpuPicture, TakesAFinerFormatWhereAPictureWouldLoseTooMuch) {
  test::SceneBuilder builder;
  Pixels noise{64, 64, std::vector<std::uint8_t>(4 * 64 * 64, 255)};
  std::mt19937 random(3);
  for (std::size_t i = 0; i < noise.rgba.size(); ++i) {
    noise.rgba[i] = i % 4 == 3 ? 255 : static_cast<std::uint8_t>(random() % 256);
  }
  const TextureId texture = test::add_picture(builder, noise);
  const GpuPicture picture{.image = builder.scene.textures[to_index(texture)].image,
                           .textures = {texture}};
  const auto encode = [&](GpuTexels texels, double least) {
    return *encode_gpu_picture(builder.scene, picture, {.texels = texels, .least_psnr_db = least},
                               StandardCodec());
  };
  const EncodedGpuPicture coarse = encode(GpuTexels::astc_6x6, 0);
  EXPECT_EQ(coarse.texels, GpuTexels::astc_6x6);
  EXPECT_LT(coarse.psnr_db, 20) << "no format of blocks holds noise";
  const EncodedGpuPicture finer = encode(GpuTexels::astc_6x6, coarse.psnr_db + 0.5);
  EXPECT_EQ(finer.texels, GpuTexels::astc_4x4);
  EXPECT_GT(finer.psnr_db, coarse.psnr_db);
  EXPECT_EQ(encode(GpuTexels::astc_6x6, 60).texels, GpuTexels::rgba8);
}

TEST(ListGpuPictures, KnowsWhatTexelsMean) {
  test::SceneBuilder builder;
  const auto add = [&](std::uint32_t seed) {
    return test::add_picture(builder, test::make_picture(8, 8, seed));
  };
  const MaterialId id = builder.add_material("all");
  Material material = builder.scene.materials[to_index(id)];
  material.alpha_mode = AlphaMode::mask;
  material.alpha_cutoff = 0.3;
  material.base_color = {1, 1, 1, 0.6};
  material.base_color_texture.texture = add(1);
  material.metallic_roughness_texture.texture = add(2);
  material.normal_texture.texture = add(3);
  material.occlusion_texture.texture = material.metallic_roughness_texture.texture;
  material.emissive_texture.texture = add(4);
  add(5);  // nobody shows it
  builder.scene.materials[to_index(id)] = material;
  const GpuPictures found = list_gpu_pictures(builder.scene, {}, {});
  ASSERT_EQ(found.pictures.size(), 4U);
  const auto kind_of = [&](const TextureSlot& slot) {
    return std::find_if(found.pictures.begin(), found.pictures.end(), [&](const GpuPicture& p) {
      return p.textures == std::vector<TextureId>{slot.texture};
    });
  };
  EXPECT_EQ(kind_of(material.base_color_texture)->kind, TexelKind::colors);
  EXPECT_NEAR(kind_of(material.base_color_texture)->cut.cutoff, 0.5, 1e-12) << "0.3 of 0.6";
  EXPECT_EQ(kind_of(material.metallic_roughness_texture)->kind, TexelKind::values);
  EXPECT_EQ(kind_of(material.normal_texture)->kind, TexelKind::normals);
  EXPECT_EQ(kind_of(material.emissive_texture)->kind, TexelKind::colors);
  ASSERT_EQ(found.left_out.size(), 1U);
  EXPECT_EQ(found.left_out[0].substr(0, 9), "a texture");
}

TEST(ListGpuPictures, CutsWhatSomeMaterialCuts) {
  test::SceneBuilder builder;
  const TextureId texture = test::add_picture(builder, test::make_picture(8, 8, 1));
  for (const AlphaMode mode : {AlphaMode::opaque, AlphaMode::mask, AlphaMode::blend}) {
    Material& material = builder.scene.materials[to_index(builder.add_material("m"))];
    material.alpha_mode = mode;
    material.base_color_texture.texture = texture;
  }
  const GpuPictures found = list_gpu_pictures(builder.scene, {}, {});
  ASSERT_EQ(found.pictures.size(), 1U) << "a texture names one file";
  EXPECT_EQ(found.pictures[0].textures, std::vector<TextureId>{texture});
  EXPECT_EQ(found.pictures[0].cut.cutoff, 0.5);
  EXPECT_TRUE(found.pictures[0].shows_alpha);
}

TEST(ListGpuPictures, KnowsTheTilesOfPages) {
  test::SceneBuilder builder;
  const TextureId texture = test::add_picture(builder, test::make_picture(32, 16, 1));
  Material& material = builder.scene.materials[to_index(builder.add_material("page"))];
  material.alpha_mode = AlphaMode::mask;
  material.base_color_texture.texture = texture;
  RoutePlan routes;
  AtlasPage& page = routes.pages.emplace_back();
  page.size = {64, 32};
  page.halvings[0] = 1;  // its picture is half as large
  Tile tile;
  tile.texture = {16, 8};
  tile.size = {16, 8};
  tile.x = 4;
  tile.y = 2;
  tile.turned = true;
  page.tiles = {tile, Tile{}};
  const ImageId image = builder.scene.textures[to_index(texture)].image;
  const PageImages images{{image, no_image, no_image, no_image}};
  const GpuPictures found = list_gpu_pictures(builder.scene, routes, images);
  ASSERT_EQ(found.pictures.size(), 1U);
  const std::vector<TexelRect> wanted{{2, 1, 4, 8}};
  EXPECT_EQ(found.pictures[0].cut.areas, wanted) << "a solid tile has nothing to cut";
}

TEST(ListGpuPictures, KnowsBakedLight) {
  test::SceneBuilder builder;
  const TextureId own = test::add_picture(builder, test::make_picture(8, 8, 1));
  const TextureId joined = test::add_picture(builder, test::make_picture(8, 8, 2));
  Material& material = builder.scene.materials[to_index(builder.add_material("wall"))];
  material.extra.ensure().extensions.push_back(
      {"MOZ_lightmap", fmt::format(R"({{"index":{},"texCoord":1}})", to_index(own))});
  const ImageId page = builder.scene.textures[to_index(joined)].image;
  const GpuPictures found =
      list_gpu_pictures(builder.scene, {}, PageImages{{page, no_image, no_image, no_image}});
  ASSERT_EQ(found.pictures.size(), 2U);
  EXPECT_EQ(found.pictures[0].textures, std::vector<TextureId>{own});
  EXPECT_EQ(found.pictures[1].textures, std::vector<TextureId>{joined});
  EXPECT_EQ(found.pictures[1].kind, TexelKind::colors);
  EXPECT_TRUE(found.left_out.empty());
}

TEST(NameGpuPicture, LeavesOtherExtrasAndTheContentAsTheyWere) {
  test::SceneBuilder builder;
  const TextureId id = test::add_picture(builder, test::make_picture(8, 8, 1));
  Texture& texture = builder.scene.textures[to_index(id)];
  texture.extra.ensure().extras = R"({ "mine": [1, 2] })";
  const ContentHash before = make_content_hash(builder.scene);
  name_gpu_picture(texture, "a.gpu/b \"c\".ktx2");
  EXPECT_EQ(find_gpu_picture(texture), "a.gpu/b \"c\".ktx2");
  EXPECT_NE(texture.extra->extras.find("\"mine\":[1,2]"), std::string::npos);
  EXPECT_EQ(make_content_hash(builder.scene), before);
  name_gpu_picture(texture, "other.ktx2");
  EXPECT_EQ(find_gpu_picture(texture), "other.ktx2");
  texture.extra.ensure().extras = R"({"mine":[1,3]})";
  EXPECT_NE(make_content_hash(builder.scene), before);
}

/// Results of a scene whose pictures are cut out, normals and colours, as files.
class GpuFiles : public testing::Test {
 protected:
  GpuFiles() : folder_(test::make_scratch()) {
    test::SceneBuilder builder;
    for (std::uint32_t m = 0; m < 4; ++m) {
      const std::string name = "leaf_" + std::to_string(m);
      const MaterialId id = builder.add_material(name);
      const TextureId texture = test::add_picture(builder, make_leaves(64));
      const TextureId normals = test::add_picture(builder, test::make_normal_picture(64, 64, m));
      Material& material = builder.scene.materials[to_index(id)];
      material.base_color = {1, 1, 1 - 0.1 * m, 1};
      material.base_color_texture.texture = texture;
      material.normal_texture.texture = normals;
      material.alpha_mode = m < 3 ? AlphaMode::mask : AlphaMode::opaque;
      const MeshId mesh = builder.add_mesh(name, test::make_patch(0, 0, 1, 1), id);
      builder.add_node(name, mesh, test::at(2.0 * m));
      builder.add_node(name + " again", mesh, test::at(2.0 * m, 3));
    }
    EXPECT_TRUE(write_scene(builder.finish(), path("yard.glb")));
  }
  [[nodiscard]] std::string path(const std::string& name) const {
    return (folder_ / name).string();
  }
  test::Outcome run(std::vector<std::string> line, int expected = 0) {
    test::Outcome outcome = test::run_tool_small(line);
    EXPECT_EQ(outcome.exit_code, expected) << line[0] << ": " << outcome.out << outcome.err;
    return outcome;
  }
  /// The files that textures of a result name, all of them there.
  std::set<std::string> list_named(const std::string& result) {
    std::set<std::string> named;
    const auto scene = read_scene(path(result));
    EXPECT_TRUE(scene);
    for (const Texture& texture : scene->textures) {
      const std::string uri = find_gpu_picture(texture);
      EXPECT_FALSE(uri.empty());
      EXPECT_TRUE(fs::is_regular_file(fs::path(path(result)).parent_path() / uri)) << uri;
      named.insert(uri);
    }
    return named;
  }

  fs::path folder_;
};

TEST_F(GpuFiles, LieBesideTheResultAndAreProved) {
  const std::vector<std::string> line{"run",         path("yard.glb"), "-o",
                                      path("out"),   "--materials",    "fewest_draws",
                                      "--instances", "extension",      "--gpu-pictures",
                                      "astc_4x4",    "--threads",      "2"};
  const test::Outcome made = run(line);
  EXPECT_NE(made.out.find("for GPUs are like what they lie beside"), std::string::npos) << made.out;
  const std::set<std::string> named = list_named("out/yard.glb");
  EXPECT_GE(named.size(), 2U);
  EXPECT_EQ(test::ask_validator(path("out/yard.glb")).substr(0, 2), "0 ") << "errors";
  for (const std::string& uri : named) {
    const auto array = decode_ktx2(make_bytes([&] {
      const std::string text = test::read_all(folder_ / "out" / uri);
      const auto bytes = std::as_bytes(std::span(text));
      return std::vector<std::byte>(bytes.begin(), bytes.end());
    }()));
    ASSERT_TRUE(array) << uri;
    EXPECT_EQ(array->format, TexelFormat::astc_4x4) << uri;
    EXPECT_GE(array->mip_levels, 7U) << uri;
  }
  // The same bytes by one thread.
  std::vector<std::string> again = line;
  again[3] = path("single");
  again.back() = "1";
  run(again);
  for (const std::string& uri : named) {
    EXPECT_TRUE(test::read_all(folder_ / "out" / uri) == test::read_all(folder_ / "single" / uri))
        << uri;
  }
  // A file of another picture is found.
  const std::string first = path("out/" + *named.begin());
  const std::string last = path("out/" + *named.rbegin());
  ASSERT_FALSE(test::read_all(first) == test::read_all(last));
  test::write_all(first, test::read_all(last));
  const test::Outcome wrong = run({"verify", path("yard.glb"), path("out/yard.glb")}, 1);
  EXPECT_NE(wrong.out.find(*named.begin()), std::string::npos) << wrong.out;
  fs::remove(first);
  const test::Outcome gone = run({"verify", path("yard.glb"), path("out/yard.glb")}, 1);
  EXPECT_NE(gone.out.find("is not there"), std::string::npos) << gone.out;
}

TEST_F(GpuFiles, GoAlongWhereThingsArePutBackAndPaintedAnew) {
  run({"run", path("yard.glb"), "-o", path("out"), "--materials", "fewest_draws", "--gpu-pictures",
       "rgba8"});
  run({"restore", path("out/yard.glb"), "-o", path("part/half.glb"), "--node", "/leaf_1"});
  for (const std::string& uri : list_named("part/half.glb")) {
    EXPECT_EQ(uri.substr(0, 9), "half.gpu/");
  }
  run({"verify", path("yard.glb"), path("part/half.glb")});
  run({"restore", path("out/yard.glb"), "-o", path("back.glb")});
  EXPECT_TRUE(test::read_all(path("back.glb")) == test::read_all(path("yard.glb")));
  EXPECT_FALSE(fs::exists(path("back.gpu")));
  // Another colour in a picture of the source.
  Scene source = *read_scene(path("yard.glb"));
  Pixels changed = make_leaves(64);
  for (std::size_t i = 0; i < changed.rgba.size(); i += 4) {
    changed.rgba[i] = 250;
  }
  Image& image = source.images[to_index(source.textures[0].image)];
  image.bytes = make_bytes(*encode_png(changed));
  image.view = no_view;
  ASSERT_TRUE(write_scene(source, path("yard.glb")));
  run({"repaint", path("out/yard.glb")});
  run({"verify", path("yard.glb"), path("out/yard.glb")});
}

TEST_F(GpuFiles, AreThereForPicturesThatStay) {
  run({"run", path("yard.glb"), "-o", path("kept"), "--gpu-pictures", "rgba8"});
  EXPECT_EQ(list_named("kept/yard.glb").size(), 6U)
      << "the three that are cut out are one picture, the fourth is not cut out; four normals";
  // The same beside a result of several files.
  run({"propose", path("yard.glb"), "-o", path("plan.json")});
  const test::Outcome built = test::run_tool(
      {"build", path("plan.json"), "-o", path("apart/yard.gltf"), "--gpu-pictures", "rgba8"});
  EXPECT_EQ(built.exit_code, 0) << built.err;
  EXPECT_EQ(list_named("apart/yard.gltf").size(), 6U);
  const test::Outcome carried = test::run_tool({"build", path("plan.json"), "-o", path("one.glb"),
                                                "--gpu-pictures", "rgba8", "--carry-source"});
  EXPECT_EQ(carried.exit_code, 2) << carried.err;
  EXPECT_NE(carried.err.find("files for GPUs"), std::string::npos) << carried.err;
  EXPECT_FALSE(fs::exists(path("one.glb")));
  const test::Outcome refused =
      run({"run", path("yard.glb"), "-o", path("no"), "--gpu-pictures", "bc7"}, 2);
  EXPECT_NE(refused.err.find("astc_4x4"), std::string::npos) << refused.err;
}

TEST(EncodeImage, WritesLossyPagesByTheirQuality) {
  const Pixels picture = test::make_picture(128, 128, 3);
  for (const PictureType type : {PictureType::jpeg, PictureType::webp}) {
    const auto rough = encode_image(picture, type, 30);
    const auto fine = encode_image(picture, type, 95);
    ASSERT_TRUE(rough);
    ASSERT_TRUE(fine);
    EXPECT_LT(rough->size(), fine->size());
    const auto psnr = [&](const std::vector<std::byte>& file) {
      return test::find_psnr(picture, *decode_image(make_bytes(std::vector<std::byte>(file))));
    };
    EXPECT_LT(psnr(*rough), psnr(*fine));
    EXPECT_GT(psnr(*rough), 20);
  }
  const auto exact = encode_image(picture, PictureType::webp);
  EXPECT_EQ(decode_image(make_bytes(std::vector<std::byte>(*exact)))->rgba, picture.rgba);
}

}  // namespace
}  // namespace wakuzume
