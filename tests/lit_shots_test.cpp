// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include <gtest/gtest.h>

#include <cmath>
#include <cstring>

#include "support/lit_scene.h"
#include "support/pictures.h"
#include "support/scene_builder.h"
#include "support/shots.h"
#include "wakuzume/image.h"
#include "wakuzume/job.h"
#include "wakuzume/picture.h"
#include "wakuzume/settings_file.h"

/// Shots that are lit by lightmaps: against the texels themselves, and before against after.
namespace wakuzume {
namespace {

constexpr RenderSettings small{.width_px = 320, .height_px = 320};

/// One page in any format.
class OnePage final : public LightmapFiles {
 public:
  explicit OnePage(const TexelGrid& grid) : bytes_(make_bytes(*pack_texels(grid))) {}
  [[nodiscard]] Result<LightmapFile> find(const std::string&) const override {
    return LightmapFile{"page", bytes_};
  }

 private:
  Bytes bytes_;
};

/// A white square of 4 m that shows a page whole: as its own UVs say, or moved there by a place.
Scene make_screen(const std::string& place) {
  test::SceneBuilder builder;
  test::MeshData data = test::make_square();
  for (std::size_t v = 0; v < data.positions.size() / 3; ++v) {
    const float u = data.positions[3 * v];
    const float w = 1 - data.positions[3 * v + 1];
    data.lightmap_uvs.push_back(place.empty() ? u : (u - 0.25F) * 2);
    data.lightmap_uvs.push_back(place.empty() ? w : w * 4);
  }
  const MaterialId white = builder.add_material("white");
  builder.scene.materials.back().metallic = 0;
  const MeshId mesh = builder.add_mesh("screen", data, white);
  const NodeId node = builder.add_node("screen", mesh, test::scaled(4, 4, 4, {-2, -2, 0}));
  builder.set_extras(node, "{\"lightmap\":0" + place + "}");
  return builder.finish();
}

TexelGrid make_grid(const std::string& format, std::uint32_t texel_bytes) {
  return {{4, 4}, format, texel_bytes, std::vector<std::byte>(std::size_t{16} * texel_bytes)};
}

double to_linear(int srgb) {
  const double value = srgb / 255.0;
  return value <= 0.04045 ? value / 12.92 : std::pow((value + 0.055) / 1.055, 2.4);
}

/// Light of each texel, red, as formats store it.
struct Stored {
  const char* format;
  std::uint32_t texel_bytes;
};
void PrintTo(const Stored& stored, std::ostream* out) { *out << stored.format; }

/// Writes a texel. \return the light that it is
double store(TexelGrid& grid, std::size_t texel) {
  std::byte* const to = &grid.texels[texel * grid.texel_bytes];
  const auto number = static_cast<int>(texel);
  if (grid.format == "image/png rgb 8") {
    to[0] = static_cast<std::byte>(20 + 10 * number);
    return to_linear(20 + 10 * number);
  }
  if (grid.format == "image/png rgb 16") {
    const auto value = static_cast<std::uint16_t>((20 + 10 * number) * 257);
    std::memcpy(to, &value, 2);
    return to_linear(20 + 10 * number);
  }
  if (grid.format == "image/vnd.radiance rgbe") {
    to[0] = static_cast<std::byte>(16 * number);
    to[3] = static_cast<std::byte>(127);
    return 16 * number / 512.0;
  }
  const float value = 0.03F * static_cast<float>(number);
  std::memcpy(to + grid.texel_bytes - 4, &value, 4);
  return static_cast<double>(value);
}

class LitShots : public testing::TestWithParam<Stored> {};

TEST_P(LitShots, ShowTheLightOfEachTexel) {
  TexelGrid grid = make_grid(GetParam().format, GetParam().texel_bytes);
  const OnePage dark(grid);
  std::array<double, 16> light{};
  for (std::size_t texel = 0; texel < light.size(); ++texel) {
    light[texel] = store(grid, texel);
  }
  const OnePage page(grid);
  const Viewpoint view = test::make_flat_view(2);
  for (const char* place : {"", ",\"lightmap_transform\":[0.5,0.25,0.25,0]"}) {
    test::Drawn lit(make_screen(place), {}, &page, small);
    test::Drawn unlit(make_screen(place), {}, &dark, small);
    const Shot shot = lit.shoot(view);
    const Shot without = unlit.shoot(view);
    ASSERT_EQ(shot.width_px, 320U);
    for (std::size_t texel = 0; texel < light.size(); ++texel) {
      // In the middle of a texel there is no other.
      const std::size_t x = 40 + 80 * (texel % 4);
      const std::size_t y = 40 + 80 * (texel / 4);
      const double red = to_linear(test::find_pixel(shot, x, y)[0]) -
                         to_linear(test::find_pixel(without, x, y)[0]);
      EXPECT_NEAR(red, light[texel], 0.012) << "texel " << texel << place;
      EXPECT_EQ(test::find_pixel(shot, x, y)[1], test::find_pixel(without, x, y)[1]);
    }
  }
}

INSTANTIATE_TEST_SUITE_P(Formats,
                         LitShots,
                         testing::Values(Stored{"image/png rgb 8", 3},
                                         Stored{"image/png rgb 16", 6},
                                         Stored{"image/vnd.radiance rgbe", 4},
                                         Stored{"image/x-exr B:half G:float R:float", 10}));

/// MOZ_lightmap: a texture, its transform, and how bright it is.
TEST(LitShots, FollowWhatMaterialsNameThemselves) {
  TexelGrid grid = make_grid("image/png rgb 8", 3);
  std::array<double, 16> light{};
  for (std::size_t texel = 0; texel < light.size(); ++texel) {
    light[texel] = store(grid, texel);
  }
  const auto make = [&](const std::string& intensity) {
    Scene scene = make_screen(",\"lightmap_transform\":[1,1,0,0]");
    scene.nodes[0].extra = {};
    scene.images.emplace_back().bytes = make_bytes(*pack_texels(grid));
    scene.textures.emplace_back().image = ImageId{0};
    scene.materials[0].extra.ensure().extensions.push_back(
        {"MOZ_lightmap", "{\"index\":0,\"texCoord\":1,\"intensity\":" + intensity +
                             ",\"extensions\":{\"KHR_texture_transform\":{\"scale\":[0.5,0.25],"
                             "\"offset\":[0.25,0]}}}"});
    return scene;
  };
  const Viewpoint view = test::make_flat_view(2);
  const Shot lit = test::Drawn(make("0.75"), {}, nullptr, small).shoot(view);
  const Shot dark = test::Drawn(make("0"), {}, nullptr, small).shoot(view);
  for (std::size_t texel = 0; texel < light.size(); ++texel) {
    const std::size_t x = 40 + 80 * (texel % 4);
    const std::size_t y = 40 + 80 * (texel / 4);
    const double red =
        to_linear(test::find_pixel(lit, x, y)[0]) - to_linear(test::find_pixel(dark, x, y)[0]);
    EXPECT_NEAR(red, 0.75 * light[texel], 0.012) << "texel " << texel;
  }
}

TEST(LitShots, AreOfSkyAndLampsWhereThereIsNoPicture) {
  test::Drawn plain(make_screen(""), small);
  test::Drawn lit(make_screen(""), {}, nullptr, small);
  const Viewpoint view = test::make_flat_view(2);
  EXPECT_EQ(plain.shoot(view).picture.rgba, lit.shoot(view).picture.rgba);
  EXPECT_EQ(lit.renderer->losses().unread_pictures, 0U);
}

TEST(LitShots, TellWhatCanNotBeRead) {
  TexelGrid grid = make_grid("image/png rgb 8", 3);
  std::vector<std::byte> bytes = *pack_texels(grid);
  bytes.resize(bytes.size() - 20);
  const Scene scene = make_screen("");
  const Survey found = *survey(scene);
  const std::vector<LitPage> pages{{"0", make_bytes(bytes), 4, 4}};
  const auto made =
      Renderer::make({scene, found, pages}, test::find_device(), StandardCodec(), small);
  ASSERT_TRUE(made);
  EXPECT_EQ((*made)->losses().unread_pictures, 1U);
  const std::vector<LitPage> large(
      1, {"0",
          make_bytes(*pack_texels(
              {{512, 512}, "image/png gray 8", 1, std::vector<std::byte>(std::size_t{512} * 512)})),
          512, 512});
  const auto refused = Renderer::make({scene, found, large}, test::find_device(), StandardCodec(),
                                      {.max_texture_megabytes = 2});
  ASSERT_FALSE(refused);
  EXPECT_EQ(refused.error().code, ErrorCode::too_large);
}

Job make_job(const SurveySettings& rules, Repeats repeats) {
  Job job;
  job.settings.survey = rules;
  job.settings.lightmaps.goal = LightmapGoal::join;
  job.settings.propose.repeats = repeats;
  job.settings.propose.min_instances = 2;
  job.settings.views.count = 4;
  job.settings.verify.picture_width_px = 320;
  job.settings.verify.picture_height_px = 180;
  job.profile = *read_cost_profile("desk");
  return job;
}

/// Merged, as instances, kept.
TEST(LitShots, AreEqualBeforeAndAfterPagesAreJoined) {
  std::array<std::size_t, fate_count> fates{};
  for (std::uint32_t seed = 1; seed <= 12; ++seed) {
    const bool shared = seed % 2 == 0;
    const test::LitScene lit = test::make_lit_scene(
        {.seed = seed, .draws = 40, .by_transform = seed % 3 != 0, .shared_mesh = shared});
    test::Album album(4, {32, 32});
    album.soften();
    const StandardCodec codec;
    RenderShots shots(codec);
    const JobTools tools{.codec = codec, .shots = &shots, .lightmaps = &album};
    const auto made =
        run_job(lit.scene, make_job(lit.rules, shared ? Repeats::instance : Repeats::merge), tools);
    ASSERT_TRUE(made) << to_string(made.error());
    EXPECT_TRUE(made->verdict.passed);
    EXPECT_TRUE(made->verdict.mends.empty());
    EXPECT_EQ(made->verdict.lit_pages, (std::array<std::size_t, 2>{4, 1}));
    for (const LedgerRow& row : made->built.ledger.rows) {
      ++fates[static_cast<std::size_t>(row.fate)];
    }
    double best = 0;
    for (const ViewCheck& view : made->verdict.views) {
      EXPECT_GE(view.psnr_db, 70) << "view " << view.number << ", seed " << seed;
      best = std::max(best, view.psnr_db);
    }
    // Floats that are rounded otherwise move a place by 1e-5 of a texel, which some pixel shows.
    EXPECT_GE(best, 97) << "seed " << seed;
  }
  EXPECT_GT(fates[static_cast<std::size_t>(Fate::merged)], 100U);
  EXPECT_GT(fates[static_cast<std::size_t>(Fate::instanced)], 100U);
}

TEST(LitShots, RejectAPageThatIsNotAsItWasBaked) {
  const Scene scene = test::make_lit_by_materials(3, 12);
  const StandardCodec codec;
  RenderShots shots(codec);
  const JobTools tools{.codec = codec, .shots = &shots};
  Job job = make_job({}, Repeats::by_cost);
  job.settings.verify.mend_rounds = 0;
  const auto made = run_job(scene, job, tools);
  ASSERT_TRUE(made) << to_string(made.error());
  EXPECT_TRUE(made->verdict.passed);
  EXPECT_EQ(made->verdict.lit_pages, (std::array<std::size_t, 2>{3, 1}));
  Scene wrong = made->after;
  ASSERT_EQ(wrong.images.size(), 1U);
  TexelGrid grid = *unpack_texels(encoded_bytes(wrong, ImageId{0}));
  for (std::size_t at = 0; at < grid.texels.size(); at += 4) {
    grid.texels[at] ^= std::byte{0x80};
  }
  wrong.images[0].bytes = make_bytes(*pack_texels(grid));
  const auto verdict = prove(made->source.source, made->built.ledger, wrong, job, tools);
  ASSERT_TRUE(verdict) << to_string(verdict.error());
  EXPECT_FALSE(verdict->passed);
  EXPECT_EQ(verdict->mismatch_count, 0U) << "nothing but the pictures tells";
}

TEST(LitShots, ColorPagesByTheirLight) {
  const test::LitScene lit = test::make_lit_scene({.pages = 3, .draws = 12});
  const test::Album album(3, {32, 32});
  test::Drawn drawn(lit.scene, lit.rules, &album, small);
  const auto classes = *make_classes(drawn.scene, drawn.survey, Showing::lightmap);
  ASSERT_EQ(classes.classes.size(), 3U);
  std::uint32_t draws = 0;
  for (const DrawClasses::Class& one : classes.classes) {
    EXPECT_EQ(one.name.rfind("page ", 0), 0U) << one.name;
    draws += one.draws;
  }
  EXPECT_EQ(draws, 12U);
  const Viewpoint view = make_viewpoint("front", {8, 4, 20}, {7, 0, 0});
  const Shot shot = drawn.shoot(view, {.shading = Shading::none, .measure = Measure::baked_light});
  float darkest = 1;
  float brightest = 0;
  for (std::size_t p = 0; p < shot.hits.size(); ++p) {
    if (shot.hits[p].draw != no_draw) {
      darkest = std::min(darkest, shot.values[p]);
      brightest = std::max(brightest, shot.values[p]);
    }
  }
  EXPECT_LT(darkest, 0.2F);
  EXPECT_GT(brightest, 0.3F);
}

}  // namespace
}  // namespace wakuzume
