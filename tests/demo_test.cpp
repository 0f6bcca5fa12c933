// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include <gtest/gtest.h>

#include <algorithm>
#include <set>

#include "glasshouse.h"
#include "support/process.h"
#include "wakuzume/image.h"
#include "wakuzume/io.h"

/// The demo scene has what it promises, and the whole job on it keeps its promise.
namespace wakuzume {
namespace {

const Scene& glasshouse() {
  static const Scene scene = demo::make_glasshouse();
  return scene;
}

TEST(Glasshouse, HasTheSizeOfASmallLevel) {
  const auto found = survey(glasshouse());
  ASSERT_TRUE(found);
  EXPECT_GE(found->totals.draws, 1'400U);
  EXPECT_LE(found->totals.draws, 1'700U);
  EXPECT_EQ(glasshouse().cameras.size(), 6U);
  EXPECT_EQ(glasshouse().animations.size(), 8U);
  EXPECT_EQ(glasshouse().skins.size(), 11U);
  EXPECT_GE(glasshouse().lights.size(), 12U);
  EXPECT_GT(found->stay_counts[static_cast<std::size_t>(StayRule::animated)], 15U);
  EXPECT_EQ(found->stay_counts[static_cast<std::size_t>(StayRule::morphing)], 2U);
  EXPECT_EQ(found->stay_counts[static_cast<std::size_t>(StayRule::carries_light)], 4U);
}

TEST(Glasshouse, HoldsWhatMakesLevelsCostly) {
  const Scene& scene = glasshouse();
  const auto found = survey(scene);
  std::set<std::string> lightmaps;
  std::size_t mirrored = 0;
  std::size_t blended = 0;
  for (const Draw& draw : found->draws) {
    lightmaps.insert((*found)[draw.key].lightmap);
    mirrored += draw.mirrored ? 1U : 0U;
    blended += draw.blended ? 1U : 0U;
  }
  EXPECT_EQ(lightmaps, (std::set<std::string>{"", "0", "1", "2", "3", "4", "5", "6", "7"}));
  EXPECT_EQ(found->lightmap_places.size(), 5U) << "four of plinths, and UVs as they are";
  EXPECT_GT(mirrored, 600U);
  EXPECT_GE(blended, 16U);
  double farthest_u = 0;
  std::size_t several = 0;
  std::size_t same_bytes = 0;
  for (const Mesh& mesh : scene.meshes) {
    several += mesh.primitives.size() > 1 ? 1U : 0U;
    same_bytes += mesh.name.ends_with(".copy") ? 1U : 0U;
    for (const Primitive& primitive : mesh.primitives) {
      if (const StreamId uv = primitive.find("TEXCOORD_0"); uv != no_stream) {
        const auto values = make_floats(scene, uv);
        farthest_u = std::max(farthest_u,
                              static_cast<double>(*std::max_element(values.begin(), values.end())));
      }
    }
  }
  EXPECT_GT(farthest_u, 20) << "tiling far outside the unit square";
  EXPECT_GE(several, 4U);
  EXPECT_GE(same_bytes, 12U);
  const auto plates = std::count_if(scene.materials.begin(), scene.materials.end(),
                                    [](const Material& m) { return m.name.starts_with("plate_"); });
  EXPECT_EQ(plates, 8);
}

TEST(Glasshouse, HasPicturesFromSixtyFourToAThousand) {
  std::uint32_t smallest = 100'000;
  std::uint32_t largest = 0;
  for (std::size_t i = 0; i < glasshouse().images.size(); ++i) {
    const auto pixels = decode_image(encoded_bytes(glasshouse(), make_id<ImageId>(i)));
    ASSERT_TRUE(pixels) << i;
    smallest = std::min(smallest, pixels->width_px);
    largest = std::max(largest, pixels->width_px);
  }
  EXPECT_EQ(smallest, 64U);
  EXPECT_EQ(largest, 1024U);
}

TEST(Glasshouse, IsTheSameSceneEveryTime) {
  EXPECT_EQ(make_content_hash(demo::make_glasshouse()), make_content_hash(glasshouse()));
}

TEST(DemoRun, NeedsAtLeastTenTimesFewerDrawsAndLosesNothing) {
  const Scene& scene = glasshouse();
  const auto found = survey(scene);
  const auto plan = propose(scene, *found);
  ASSERT_TRUE(plan);
  const auto built = build(scene, *plan);
  ASSERT_TRUE(built) << to_string(built.error());
  const auto verdict = verify(scene, built->scene, built->ledger);
  ASSERT_TRUE(verdict);
  EXPECT_TRUE(verdict->passed);
  EXPECT_GE(verdict->before.draws, 10 * verdict->after.draws);
  EXPECT_EQ(verdict->triangles_checked, verdict->before.triangles);
  // Panes of two sides are stored as two of one.
  std::uint64_t backs = 0;
  for (const LedgerResult& result : built->ledger.results) {
    backs += result.has_backs ? result.order.size() / 2 : 0;
  }
  EXPECT_GT(backs, 0U);
  EXPECT_EQ(verdict->after.triangles, verdict->before.triangles + backs);
  EXPECT_LT(verdict->largest_position_error_m, 1e-5);
  EXPECT_EQ(verdict->after.draws, plan->forecast.after.draws);
  EXPECT_EQ(built->scene.animations.size(), scene.animations.size());
  EXPECT_EQ(built->scene.cameras.size(), scene.cameras.size());
}

}  // namespace
}  // namespace wakuzume
