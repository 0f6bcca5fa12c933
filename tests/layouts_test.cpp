// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include <gtest/gtest.h>

#include <algorithm>
#include <array>
#include <cmath>
#include <set>

#include "support/pictures.h"
#include "support/process.h"
#include "wakuzume/io.h"
#include "wakuzume/job.h"
#include "wakuzume/repaint.h"
#include "wakuzume/settings_file.h"
#include "wakuzume/sheets.h"

/// Materials painted by a UV layout that an artist made.
namespace wakuzume {
namespace {

using test::add_picture;
using test::make_flat_picture;
using test::make_patch;
using test::make_picture;

const StandardCodec& codec() {
  static const StandardCodec made;
  return made;
}

/// A hut of four parts, each a square metre, with a quarter of the second UV set each.
class Hut : public testing::Test {
 protected:
  /// \param inset  how far each part stays from the edges of its quarter
  explicit Hut(double inset = 0) {
    for (std::uint32_t p = 0; p < 4; ++p) {
      const MaterialId id = builder_.add_material("hut_" + std::to_string(p));
      Material& material = builder_.scene.materials[to_index(id)];
      pictures_.push_back(make_picture(64, 64, 50 + p));
      material.base_color_texture.texture = add_picture(builder_, pictures_.back());
      material.roughness = 0.25 * p;
      add_part(p, id, p % 2 * 0.5 + inset, p / 2 * 0.5 + inset, 0.5 - 2 * inset);
    }
  }
  void add_part(std::uint32_t p, MaterialId material, double u, double v, double side) {
    test::MeshData data = make_patch(0, 0, 1, 1);
    for (std::size_t i = 0; i < data.uvs.size(); i += 2) {
      data.lightmap_uvs.push_back(static_cast<float>(u + side * data.uvs[i]));
      data.lightmap_uvs.push_back(static_cast<float>(v + side * data.uvs[i + 1]));
    }
    builder_.add_node("part_" + std::to_string(p),
                      builder_.add_mesh("part_" + std::to_string(p), data, material),
                      test::at(1.5 * p));
  }
  Material& material(std::size_t p) { return builder_.scene.materials[p]; }

  Result<JobResult> run(const MaterialSettings& materials) {
    Job job{.profile = *read_cost_profile("desk")};
    job.settings.materials = materials;
    job.settings.propose.repeats = Repeats::merge;
    job.settings.verify.picture_width_px = 160;
    job.settings.verify.picture_height_px = 90;
    job.settings.verify.picture_views = 2;
    return run_job(builder_.finish(), job, {.codec = codec()});
  }
  static Pixels page_of(const Scene& scene, const TextureSlot& slot) {
    const ImageId image = scene.textures[to_index(slot.texture)].image;
    return *decode_image(encoded_bytes(scene, image));
  }
  static const Material& only_material(const Scene& scene) {
    const Survey found = *survey(scene);
    EXPECT_EQ(found.draws.size(), 1U);
    return scene[found.draws.front().material];
  }

  test::SceneBuilder builder_;
  std::vector<Pixels> pictures_;
};

TEST_F(Hut, BecomesOneMaterialWithThreeTexturesByItsOwnLayout) {
  material(1).normal_texture.texture = add_picture(builder_, test::make_normal_picture(64, 64, 3));
  const auto made = run({.layouts = {"hut_*=hut:1:128px"}});
  ASSERT_TRUE(made) << to_string(made.error());
  EXPECT_TRUE(made->verdict.passed);
  EXPECT_TRUE(made->plan.routes.faults.empty());
  const Scene& scene = made->built.scene;
  const Material& hut = only_material(scene);
  EXPECT_EQ(hut.name, "hut");
  const Pixels color = page_of(scene, hut.base_color_texture);
  const Pixels surface = page_of(scene, hut.metallic_roughness_texture);
  const Pixels normal = page_of(scene, hut.normal_texture);
  for (const Pixels* page : {&color, &surface, &normal}) {
    EXPECT_EQ(page->width_px, 128U);
    EXPECT_EQ(page->height_px, 128U);
  }
  EXPECT_EQ(hut.emissive_texture.texture, no_texture);
  // A quarter of the page is 64 texels wide: each is the texel of the picture that was there.
  int farthest = 0;
  for (std::uint32_t y = 0; y < 128; ++y) {
    for (std::uint32_t x = 0; x < 128; ++x) {
      const std::uint32_t p = y / 64 * 2 + x / 64;
      for (std::size_t c = 0; c < 3; ++c) {
        const int is = color.rgba[4 * (std::size_t{y} * 128 + x) + c];
        const int was = pictures_[p].rgba[4 * (std::size_t{y % 64} * 64 + x % 64) + c];
        farthest = std::max(farthest, std::abs(is - was));
      }
      EXPECT_NEAR(surface.rgba[4 * (std::size_t{y} * 128 + x) + 1], 255 * 0.25 * p, 1);
    }
  }
  EXPECT_LE(farthest, 1);
}

TEST_F(Hut, HasItsLayoutAsTheFirstUvs) {
  const auto made = run({.layouts = {"hut_*=hut:1:128px"}});
  ASSERT_TRUE(made) << to_string(made.error());
  const Scene& after = made->source.source.scene;
  for (NodeId node{0}; to_index(node) < 4; node = make_id<NodeId>(to_index(node) + 1)) {
    const Primitive& primitive = after[after[node].mesh].primitives.front();
    const Survey found = *survey(after);
    const UvRange& first = found.shapes[to_index(node)].uvs.front();
    EXPECT_EQ(first.set, 0U);
    EXPECT_NEAR(first.min[0], static_cast<double>(to_index(node) % 2) * 0.5, 1e-6);
    EXPECT_NEAR(first.max[1], static_cast<double>(to_index(node) / 2) * 0.5 + 0.5, 1e-6);
    EXPECT_NE(primitive.find("TEXCOORD_1"), no_stream);
  }
}

TEST_F(Hut, IsAsLargeAsItIsAskedFor) {
  const auto side_of = [&](const char* wish) {
    const auto made = run({.layouts = {wish}});
    EXPECT_TRUE(made) << wish << (made ? "" : to_string(made.error()));
    return made ? made->plan.routes.pages.at(0).size.width_px : 0;
  };
  EXPECT_EQ(side_of("hut_*=hut:1"), 128U) << "as fine as it was";
  EXPECT_EQ(side_of("hut_*=hut:1:50px"), 52U) << "a multiple of four";
  // Four square metres on the whole page.
  EXPECT_EQ(side_of("hut_*=hut:1:32/m"), 64U);
  const auto made = run({.layouts = {"hut_*=hut:1:32/m"}});
  EXPECT_NEAR(made->plan.routes.routes.front().texels_per_metre, 64, 1e-6);
  EXPECT_NEAR(made->plan.routes.routes.front().texels_per_metre_after, 32, 0.01);
}

TEST_F(Hut, ComesBackToTheByteAndInParts) {
  const Scene source = builder_.finish();
  const auto made = run({.layouts = {"node=/part_[01]=hut:1"}});
  ASSERT_TRUE(made) << to_string(made.error());
  EXPECT_TRUE(made->verdict.passed);
  EXPECT_EQ(survey(made->built.scene)->draws.size(), 3U) << "two parts are in no group";
  const Built built = made->built;
  const auto all = put_back(source, built.ledger, built.scene, {.everything = true});
  ASSERT_TRUE(all);
  EXPECT_EQ(make_content_hash(all->scene), make_content_hash(source));
  const auto one = put_back(source, built.ledger, built.scene, {.nodes = {"/part_0"}});
  ASSERT_TRUE(one) << to_string(one.error());
  EXPECT_EQ(survey(one->scene)->draws.size(), 4U);
}

class InsetHut : public Hut {
 protected:
  InsetHut() : Hut(0.1) {}
};

TEST_F(InsetHut, FillsItsMarginsWithWhatIsNearest) {
  using Rgb = std::array<std::uint8_t, 3>;
  std::set<Rgb> wanted;
  for (std::uint32_t p = 0; p < 4; ++p) {
    const auto shade = static_cast<std::uint8_t>(40 + 60 * p);
    material(p).base_color_texture.texture =
        add_picture(builder_, make_flat_picture(8, 8, {shade, 10, 200, 255}));
    wanted.insert({shade, 10, 200});
  }
  const auto made = run({.layouts = {"hut_*=hut:1:64px"}});
  ASSERT_TRUE(made) << to_string(made.error());
  const Pixels color =
      page_of(made->built.scene, only_material(made->built.scene).base_color_texture);
  for (std::size_t i = 0; i < color.rgba.size(); i += 4) {
    const Rgb texel{color.rgba[i], color.rgba[i + 1], color.rgba[i + 2]};
    ASSERT_TRUE(wanted.contains(texel)) << i / 4 % 64 << ", " << i / 4 / 64;
  }
  // At the edge of the page, of the part beside it.
  EXPECT_EQ(color.rgba[0], 40);
  EXPECT_EQ(color.rgba[4 * std::size_t{63}], 100);
}

TEST_F(Hut, TellsWhatLiesOverAnotherPartOrLeavesTheTile) {
  const MaterialId more = builder_.add_material("hut_more");
  builder_.scene.materials[to_index(more)].base_color = {1, 0, 0, 1};
  add_part(4, more, 0.25, 0.25, 0.25);
  add_part(5, more, 0.75, 0.75, 0.5);
  const Scene scene = builder_.finish();
  const RoutePlan routes = test::route(scene, {.layouts = {"hut_*=hut:1:128px"}});
  std::vector<std::string> told;
  for (const LayoutFault& fault : routes.faults) {
    told.push_back(to_string(scene, routes, fault));
  }
  const auto tells = [&](const std::string& text) {
    return std::any_of(told.begin(), told.end(),
                       [&](const std::string& line) { return line.find(text) != line.npos; });
  };
  EXPECT_EQ(routes.faults.size(), 3U);
  EXPECT_TRUE(tells("/part_5 leaves the tile of UV set 1 on hut: from 0.75, 0.75 to 1.25, 1.25"));
  // A quarter by a quarter of 128 texels, but for those on edges between triangles.
  EXPECT_TRUE(tells("/part_0 and /part_4 show the same"));
  EXPECT_TRUE(tells("/part_3 and /part_5 show the same"));
  for (const LayoutFault& fault : routes.faults) {
    if (fault.texels > 0) {
      EXPECT_NEAR(static_cast<double>(fault.texels), 32 * 32, 200);
    }
  }
  // Faults come from files, too.
  RoutePlan spoilt = routes;
  spoilt.faults.front().page = 9;
  EXPECT_EQ(repaint(scene, spoilt).error().code, ErrorCode::plan_mismatch);
  const auto sheet = paint_page_sheet(scene, routes, 0, codec());
  ASSERT_TRUE(sheet) << to_string(sheet.error());
  EXPECT_NE(sheet->find("leaves the tile"), std::string::npos);
  EXPECT_NE(sheet->find("show the same"), std::string::npos);
}

TEST_F(Hut, TellsPartsThatCanNotGoOntoIt) {
  material(2).alpha_mode = AlphaMode::blend;
  const MaterialId bare = builder_.add_material("hut_bare");
  builder_.add_node("bare", builder_.add_mesh("bare_mesh", make_patch(0, 0, 1, 1), bare));
  const auto made = run({.layouts = {"hut_*=hut:1"}});
  ASSERT_FALSE(made);
  const std::string& message = made.error().message;
  EXPECT_NE(message.find("hut_2: it is blended, and hut_0 is opaque"), std::string::npos)
      << message;
  EXPECT_TRUE(message.starts_with("materials.layouts: the group hut can't be one material"))
      << message;
  EXPECT_NE(message.find("hut_bare: the mesh bare_mesh has no UVs in UV set 1"), std::string::npos)
      << message;
  for (const char* wrong :
       {"hut_*=hut", "hut_*=hut:16", "hut_*=:1", "hut_*=hut:1:0.5", "a=hut:1"}) {
    EXPECT_EQ(validate(MaterialSettings{.layouts = {wrong}}).has_value(), wrong[0] == 'a') << wrong;
  }
}

TEST_F(Hut, IsOneThroughTheToolWithAPictureOfItsFaults) {
  const MaterialId more = builder_.add_material("hut_more");
  add_part(4, more, 0.25, 0.25, 0.25);
  const auto folder = test::make_scratch();
  const auto path = [&](const char* name) { return (folder / name).string(); };
  ASSERT_TRUE(write_scene(builder_.finish(), path("s.glb")));
  const auto told = test::run_tool(
      {"propose", path("s.glb"), "-o", path("p.json"), "--bake-onto", "hut_*=hut:1:64px"});
  EXPECT_EQ(told.exit_code, 0) << told.err;
  EXPECT_NE(told.err.find("/part_0 and /part_4 show the same"), std::string::npos) << told.err;
  EXPECT_NE(test::read_all(path("p.hut.svg")).find("<path"), std::string::npos);
  EXPECT_EQ(test::run_tool({"build", path("p.json"), "-o", path("r.glb")}).exit_code, 0);
  EXPECT_EQ(test::ask_validator(path("r.glb")).substr(0, 2), "0 ");
  EXPECT_EQ(test::run_tool({"restore", path("r.glb"), "-o", path("back.glb")}).exit_code, 0);
  EXPECT_TRUE(test::read_all(path("back.glb")) == test::read_all(path("s.glb")));
}

}  // namespace
}  // namespace wakuzume
