// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include <gtest/gtest.h>

#include <algorithm>

#include "support/pictures.h"
#include "support/process.h"
#include "wakuzume/io.h"
#include "wakuzume/job.h"
#include "wakuzume/render.h"

/// Blended materials that become masks because somebody wishes it.
namespace wakuzume {
namespace {

/// Two crossed leaves a bush; each material has a picture of its own.
class Bushes {
 public:
  MaterialId add(const std::string& name, const Pixels& pixels) {
    const MaterialId id = builder.add_material(name, AlphaMode::blend);
    material(id).base_color_texture.texture = test::add_picture(builder, pixels);
    material(id).double_sided = true;
    return id;
  }
  void show(MaterialId id, test::MeshData mesh = test::make_patch(0, 0, 1, 1)) {
    const MeshId leaf = builder.add_mesh("leaf", mesh, id);
    for (int turn = 0; turn < 2; ++turn) {
      Trs trs = test::at(1.5 * static_cast<double>(builder.scene.nodes.size()) - turn, 0, 0.4);
      trs.rotation = {0, turn == 0 ? 0 : 0.6, 0, turn == 0 ? 1 : 0.8};
      builder.add_node(material(id).name, leaf, trs);
    }
  }
  Material& material(MaterialId id) { return builder.scene.materials[to_index(id)]; }

  test::SceneBuilder builder;
};

Pixels with_alpha(Pixels pixels, std::uint8_t alpha) {
  for (std::size_t a = 3; a < pixels.rgba.size(); a += 4) {
    pixels.rgba[a] = alpha;
  }
  return pixels;
}

/// Every fourth row is half there.
Pixels make_soft(std::uint32_t seed) {
  Pixels out = test::make_mask_picture(64, seed);
  for (std::size_t y = 0; y < 64; y += 4) {
    for (std::size_t x = 0; x < 64; ++x) {
      out.rgba[4 * (64 * y + x) + 3] = 128;
    }
  }
  return out;
}

Job make_job(MaterialGoal goal, std::vector<std::string> routes) {
  Job job{.profile = *read_cost_profile("desk")};
  job.settings.materials.goal = goal;
  job.settings.materials.routes = std::move(routes);
  job.settings.propose.blended = Blended::keep;
  job.settings.verify.picture_width_px = 160;
  job.settings.verify.picture_height_px = 90;
  job.settings.verify.picture_views = 4;
  return job;
}

const StandardCodec& codec() {
  static const StandardCodec made;
  return made;
}

TEST(Cutouts, NameWhatStandsInTheirWay) {
  Bushes bushes;
  const MaterialId leaf = bushes.add("leaf", test::make_mask_picture(64, 1));
  const MaterialId solid = bushes.add("leaf_solid", with_alpha(test::make_picture(64, 64, 2), 255));
  const MaterialId soft = bushes.add("leaf_soft", make_soft(3));
  const MaterialId thin = bushes.add("leaf_thin", test::make_mask_picture(64, 4));
  bushes.material(thin).base_color[3] = 0.4;
  const MaterialId faded = bushes.add("leaf_faded", test::make_mask_picture(64, 5));
  const MaterialId other = bushes.add("glass", test::make_mask_picture(64, 6));
  for (const MaterialId id : {leaf, solid, soft, thin, other}) {
    bushes.show(id);
  }
  test::MeshData mesh = test::make_patch(0, 0, 1, 1);
  mesh.colors.assign(mesh.positions.size() / 3 * 4, 1.0F);
  bushes.show(faded, mesh);
  const Scene scene = bushes.builder.finish();
  MaterialSettings settings;
  settings.routes = {"leaf*=cutout"};
  EXPECT_TRUE(asks_for_cutouts(settings));
  const auto images = codec().measure(scene, ImageDepth::detail, {});
  ASSERT_TRUE(images);
  auto found = find_cutouts(scene, *survey(scene), *images, settings);
  ASSERT_EQ(found.size(), 5U);
  const auto at = [&](MaterialId id) {
    return *std::find_if(found.begin(), found.end(),
                         [&](const Cutout& cutout) { return cutout.material == id; });
  };
  EXPECT_EQ(at(leaf).obstacle, "");
  EXPECT_EQ(at(leaf).draws, 2U);
  EXPECT_FALSE(at(leaf).opaque);
  EXPECT_EQ(at(leaf).lost_steps, 0);
  EXPECT_TRUE(at(solid).opaque);
  // A quarter of the rows at 127 steps from where they should be.
  EXPECT_DOUBLE_EQ(at(soft).between, 0.25);
  EXPECT_DOUBLE_EQ(at(soft).lost_steps, 127.0 / 4);
  EXPECT_EQ(at(soft).obstacle,
            "it would lose 31.8 of 255 steps of alpha, and materials.allowed_loss is 1.5");
  EXPECT_EQ(at(thin).obstacle, "its alpha factor is 0.4: what shows through it would be lost");
  EXPECT_EQ(at(faded).obstacle, "its vertices have an alpha of their own");
  settings.allowed_loss = 32;
  found = find_cutouts(scene, *survey(scene), *images, settings);
  EXPECT_EQ(at(soft).obstacle, "");

  Scene cut = scene;
  ASSERT_TRUE(cut_out(found, cut));
  EXPECT_EQ(cut[leaf].alpha_mode, AlphaMode::mask);
  EXPECT_EQ(cut[solid].alpha_mode, AlphaMode::opaque);
  EXPECT_EQ(cut[thin].alpha_mode, AlphaMode::blend);
  EXPECT_EQ(cut[other].alpha_mode, AlphaMode::blend);
  found[0].material = make_id<MaterialId>(99);
  const auto refused = cut_out(found, cut);
  ASSERT_FALSE(refused);
  EXPECT_EQ(refused.error().code, ErrorCode::plan_mismatch);
  EXPECT_EQ(refused.error().place.pointer, "/materials/cutouts/0");
}

TEST(Cutouts, MergeAsMasksAreProvedAndComeBackBlended) {
  Bushes bushes;
  for (std::uint32_t m = 0; m < 3; ++m) {
    const MaterialId id = bushes.add("leaf_" + std::to_string(m), test::make_mask_picture(64, m));
    bushes.show(id);
    bushes.show(id);
  }
  const Scene scene = bushes.builder.finish();
  for (const MaterialGoal goal : {MaterialGoal::keep, MaterialGoal::fewest_draws}) {
    RenderShots shots(codec());
    const JobTools tools{.codec = codec(), .shots = &shots};
    const auto blended = run_job(scene, make_job(goal, {}), tools);
    ASSERT_TRUE(blended) << to_string(blended.error());
    Job job = make_job(goal, {"leaf*=cutout"});
    const auto made = run_job(scene, job, tools);
    ASSERT_TRUE(made) << to_string(made.error());
    EXPECT_TRUE(made->verdict.passed);
    EXPECT_FALSE(made->verdict.views.empty());
    EXPECT_EQ(made->plan.routes.cutouts.size(), 3U);
    EXPECT_LT(made->plan.forecast.after.draws, blended->plan.forecast.after.draws);
    EXPECT_EQ(made->plan.forecast.after.draws, goal == MaterialGoal::keep ? 3U : 1U);
    const Scene& result = made->after;
    EXPECT_TRUE(std::none_of(result.meshes.begin(), result.meshes.end(), [&](const Mesh& mesh) {
      return std::any_of(mesh.primitives.begin(), mesh.primitives.end(), [&](const Primitive& p) {
        return result[p.material].alpha_mode == AlphaMode::blend;
      });
    }));
    const auto whole = put_back(scene, made->built.ledger, made->after, {.everything = true});
    ASSERT_TRUE(whole) << to_string(whole.error());
    EXPECT_EQ(make_content_hash(whole->scene), make_content_hash(scene));

    const auto folder = test::make_scratch();
    const std::string path = (folder / "a.ledger.json").string();
    ASSERT_TRUE(write_text(path, to_json(made->built.ledger)));
    const auto ledger = read_ledger(path);
    ASSERT_TRUE(ledger) << to_string(ledger.error());
    const auto source = make_source(scene, *ledger);
    ASSERT_TRUE(source);
    EXPECT_TRUE(prove(*source, *ledger, made->after, job, tools)->passed);
  }
}

TEST(Cutouts, AreToldByTheTool) {
  Bushes bushes;
  bushes.show(bushes.add("leaf", test::make_mask_picture(64, 1)));
  const MaterialId pane = bushes.add("leaf_pane", test::make_mask_picture(64, 2));
  bushes.material(pane).base_color[3] = 0.5;
  bushes.show(pane);
  const auto folder = test::make_scratch();
  const std::string input = (folder / "s.glb").string();
  ASSERT_TRUE(write_scene(bushes.builder.finish(), input));
  const auto propose = [&](const char* wish) {
    return test::run_tool({"propose", input, "--route", wish, "-o", (folder / "p.json").string()});
  };
  const test::Outcome told = propose("leaf*=cutout");
  ASSERT_EQ(told.exit_code, 0) << told.err;
  EXPECT_NE(told.out.find("Cut out instead of blended\n  leaf "), std::string::npos) << told.out;
  EXPECT_NE(told.out.find("a mask; 0 % of texels between, 0 of 255 steps lost"), std::string::npos);
  EXPECT_NE(told.out.find("no: its alpha factor is 0.5"), std::string::npos);
  EXPECT_NE(propose("moss=cutout").out.find("Nothing to cut out: no blended material matches"),
            std::string::npos);
  EXPECT_EQ(propose("leaf*=cut").exit_code, 2);
}

}  // namespace
}  // namespace wakuzume
