// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include "wakuzume/views.h"

#include <gtest/gtest.h>

#include <algorithm>
#include <cmath>
#include <limits>
#include <ostream>
#include <random>

#include "glasshouse.h"
#include "support/process.h"
#include "support/scene_builder.h"
#include "wakuzume/culling.h"
#include "wakuzume/io.h"

namespace wakuzume {
namespace {

Box3d make_box(const Vec3d& centre, double half) {
  return {{centre[0] - half, centre[1] - half, centre[2] - half},
          {centre[0] + half, centre[1] + half, centre[2] + half}};
}

/// The same question asked of all eight corners, one by one.
bool sees_some_corner_of_each_plane(const Frustum& frustum, const Box3d& box, double slack) {
  for (const Plane& plane : frustum.planes) {
    bool any = false;
    for (unsigned corner = 0; corner < 8; ++corner) {
      double reach = plane.distance;
      for (std::size_t c = 0; c < 3; ++c) {
        reach += plane.normal[c] * ((corner >> c & 1U) != 0 ? box.max[c] : box.min[c]);
      }
      any = any || reach >= slack;
    }
    if (!any) {
      return false;
    }
  }
  return true;
}

std::vector<Box3d> make_random_boxes(std::size_t count, std::uint32_t seed) {
  std::mt19937 random(seed);
  std::uniform_real_distribution<double> place(-100, 100);
  std::uniform_real_distribution<double> size(0, 4);
  std::vector<Box3d> boxes;
  for (std::size_t i = 0; i < count; ++i) {
    boxes.push_back(make_box({place(random), place(random) / 10, place(random)}, size(random)));
  }
  return boxes;
}

std::vector<Viewpoint> make_random_views(std::size_t count, std::uint32_t seed) {
  std::mt19937 random(seed);
  std::uniform_real_distribution<double> place(-100, 100);
  std::vector<Viewpoint> views;
  for (std::size_t i = 0; i < count; ++i) {
    views.push_back(make_viewpoint("v", {place(random), place(random), place(random)},
                                   {place(random), place(random), place(random)}));
    views.back().zfar_m = i % 3 == 0 ? 50 : 0;
    views.back().perspective = i % 4 != 0;
    views.back().xmag = 20;
    views.back().ymag = 10;
  }
  return views;
}

TEST(Frustum, SeesWhatIsBeforeTheCameraAndNothingElse) {
  Viewpoint view;  // at the origin, looking along -z, 60 degrees high, 16 by 9
  const Frustum frustum = make_frustum(view);
  EXPECT_TRUE(sees_box(frustum, make_box({0, 0, -10}, 1)));
  EXPECT_FALSE(sees_box(frustum, make_box({0, 0, 10}, 1)));
  // At ten metres the edge is 10 tan 30 = 5.77 m up, and 10.26 m to the side.
  EXPECT_TRUE(sees_box(frustum, make_box({0, 6.7, -10}, 1)));
  EXPECT_FALSE(sees_box(frustum, make_box({0, 7.6, -10}, 1)));
  EXPECT_TRUE(sees_box(frustum, make_box({11.2, 0, -10}, 1)));
  EXPECT_FALSE(sees_box(frustum, make_box({13.2, 0, -10}, 1)));
  EXPECT_TRUE(sees_box(frustum, make_box({0, 0, -1e7}, 1))) << "no far end";
  view.zfar_m = 20;
  EXPECT_TRUE(sees_box(make_frustum(view), make_box({0, 0, -20.5}, 1)));
  EXPECT_FALSE(sees_box(make_frustum(view), make_box({0, 0, -21.5}, 1)));
  EXPECT_TRUE(sees_box(frustum, Box3d{})) << "what has no box is never culled";
}

TEST(Frustum, OfAnOrthographicCameraHasParallelSides) {
  Viewpoint view;
  view.perspective = false;
  view.xmag = 3;
  view.ymag = 2;
  view.zfar_m = 100;
  const Frustum frustum = make_frustum(view);
  for (const double z : {-5.0, -90.0}) {
    EXPECT_TRUE(sees_box(frustum, make_box({3.9, 0, z}, 1)));
    EXPECT_FALSE(sees_box(frustum, make_box({4.1, 0, z}, 1)));
    EXPECT_FALSE(sees_box(frustum, make_box({0, -3.1, z}, 1)));
  }
}

TEST(Frustum, AgreesWithTheCornersOfTheBoxes) {
  const auto boxes = make_random_boxes(2000, 1);
  std::size_t seen = 0;
  for (const Viewpoint& view : make_random_views(40, 2)) {
    const Frustum frustum = make_frustum(view);
    for (const Box3d& box : boxes) {
      const bool sees = sees_box(frustum, box);
      // Rounding may decide either way within a nanometre of a plane.
      EXPECT_TRUE(sees ? sees_some_corner_of_each_plane(frustum, box, -1e-9)
                       : !sees_some_corner_of_each_plane(frustum, box, 1e-9));
      seen += sees ? 1U : 0U;
    }
  }
  EXPECT_GT(seen, 500U);
  EXPECT_LT(seen, 79'000U);
}

TEST(CullingBoxes, FindExactlyWhatSingleTestsFind) {
  auto boxes = make_random_boxes(10'000, 3);
  boxes[77] = Box3d{};
  boxes[78].max[1] = std::numeric_limits<double>::infinity();
  const CullingBoxes culling(boxes);
  ASSERT_EQ(culling.size(), boxes.size());
  std::vector<std::uint64_t> seen(culling.word_count());
  std::vector<std::uint64_t> one_by_one(culling.word_count());
  for (const Viewpoint& view : make_random_views(60, 4)) {
    const Frustum frustum = make_frustum(view);
    culling.find_seen(frustum, seen);
    culling.find_seen_one_by_one(frustum, one_by_one);
    EXPECT_EQ(seen, one_by_one);
    std::vector<bool> found(boxes.size(), false);
    for_each_seen(seen, [&](std::size_t place) { found[culling.index_at(place)] = true; });
    for (std::size_t i = 0; i < boxes.size(); ++i) {
      ASSERT_EQ(found[i], sees_box(frustum, boxes[i])) << i;
    }
  }
}

TEST(CullingBoxes, StayExactFarFromTheOrigin) {
  auto boxes = make_random_boxes(500, 5);
  auto views = make_random_views(20, 6);
  for (Box3d& box : boxes) {
    box.min[0] += 50'000;
    box.max[0] += 50'000;
  }
  const CullingBoxes culling(boxes);
  std::vector<std::uint64_t> seen(culling.word_count());
  for (Viewpoint& view : views) {
    view.world[12] += 50'000;
    culling.find_seen(make_frustum(view), seen);
    std::size_t count = 0;
    for_each_seen(seen, [&](std::size_t) { ++count; });
    std::size_t expected = 0;
    for (const Box3d& box : boxes) {
      expected += sees_box(make_frustum(view), box) ? 1U : 0U;
    }
    EXPECT_EQ(count, expected);
  }
}

TEST(Visibility, IsTheSameForAnyNumberOfThreads) {
  const Scene scene = demo::make_glasshouse();
  const Survey found = *survey(scene);
  const auto views = *make_views(scene, found);
  const auto one = make_visibility(found, views, {.threads = 1});
  const auto four = make_visibility(found, views, {.threads = 4});
  ASSERT_TRUE(one && four);
  for (std::size_t v = 0; v < views.size(); ++v) {
    EXPECT_TRUE(std::ranges::equal(one->of_view(v), four->of_view(v)));
  }
}

TEST(Views, BeginWithTheCamerasOfTheScene) {
  const Scene scene = demo::make_glasshouse();
  const auto views = make_views(scene, *survey(scene), {.count = 40});
  ASSERT_TRUE(views);
  ASSERT_EQ(views->size(), 46U);
  std::size_t counts[4] = {};
  for (const Viewpoint& view : *views) {
    ++counts[static_cast<std::size_t>(view.source)];
  }
  EXPECT_EQ(counts[0], 6U);
  EXPECT_EQ(counts[1], 35U);
  EXPECT_EQ(counts[2], 5U);
  EXPECT_EQ((*views)[0].source, ViewSource::camera);
}

TEST(Views, StandOnWhatFacesUp) {
  test::SceneBuilder builder;
  test::MeshData floor = test::make_square();  // in the xy plane: laid down by a rotation
  const MeshId mesh = builder.add_mesh("floor", floor);
  const double half = std::sqrt(0.5);
  builder.add_node("floor", mesh, {{0, 3, 0}, {-half, 0, 0, half}, {40, 40, 1}});
  builder.add_node("wall", mesh, {{0, 0, 0}, {0, 0, 0, 1}, {40, 3, 1}});
  builder.add_node("ceiling", mesh, {{0, 9, 0}, {half, 0, 0, half}, {40, 40, 1}});
  const Scene scene = builder.finish();
  const auto views = make_views(scene, *survey(scene), {.count = 32, .eye_height_m = 1.7});
  ASSERT_TRUE(views);
  for (const Viewpoint& view : *views) {
    if (view.source == ViewSource::sample) {
      EXPECT_NEAR(view.world[13], 4.7, 1e-9) << view.name;
      EXPECT_NEAR(view.world[9], 0, 1e-12) << "looks level";
    }
  }
}

TEST(Views, AreTheSameEveryTimeAndOthersWithAnotherSeed) {
  const Scene scene = demo::make_glasshouse();
  const Survey found = *survey(scene);
  const std::string first = to_json(*make_views(scene, found, {.seed = 5}));
  EXPECT_EQ(to_json(*make_views(scene, found, {.seed = 5})), first);
  EXPECT_NE(to_json(*make_views(scene, found, {.seed = 6})), first);
}

TEST(Views, OfASceneWithoutDrawsAreThereAllTheSame) {
  test::SceneBuilder builder;
  builder.add_node("nothing");
  const Scene scene = builder.finish();
  const auto views = make_views(scene, *survey(scene), {.count = 8});
  ASSERT_TRUE(views);
  EXPECT_EQ(views->size(), 8U);
  for (const Viewpoint& view : *views) {
    EXPECT_TRUE(std::isfinite(linear_determinant(view.world)));
  }
}

TEST(Views, RefuseSettingsOutOfRange) {
  for (const ViewSettings& settings :
       {ViewSettings{.count = 70'000}, ViewSettings{.eye_height_m = 0},
        ViewSettings{.yfov_deg = 180}, ViewSettings{.aspect = 0}}) {
    const auto valid = validate(settings);
    ASSERT_FALSE(valid);
    EXPECT_EQ(valid.error().code, ErrorCode::bad_setting);
    EXPECT_EQ(valid.error().message.substr(0, 6), "views.");
  }
}

TEST(ViewsDocument, IsReadBack) {
  const auto file = (test::make_scratch() / "a.views.json").string();
  const std::string json = to_json(make_random_views(9, 8));
  ASSERT_TRUE(write_text(file, json));
  const auto views = read_views(file);
  ASSERT_TRUE(views) << to_string(views.error());
  EXPECT_EQ(to_json(*views), json);
}

TEST(ViewsDocument, TakesAnEyeAndATarget) {
  const auto file = (test::make_scratch() / "a.views.json").string();
  ASSERT_TRUE(write_text(file, R"({"format":"wakuzume-views","version":1,"views":[
      {"name":"door","eye":[1,2,3],"target":[1,2,-7],"yfov_deg":90,"far_m":50}]})"));
  const auto views = read_views(file);
  ASSERT_TRUE(views) << to_string(views.error());
  const Viewpoint& view = views->front();
  EXPECT_EQ(view.name, "door");
  EXPECT_EQ((Vec3d{view.world[12], view.world[13], view.world[14]}), (Vec3d{1, 2, 3}));
  EXPECT_NEAR(view.world[10], 1, 1e-12);  // looks along -z
  EXPECT_NEAR(view.yfov, 1.5707963, 1e-6);
  EXPECT_EQ(view.zfar_m, 50);
}

struct BadView {
  const char* view;
  const char* place;
};
std::ostream& operator<<(std::ostream& out, const BadView& fault) { return out << fault.view; }
class BadViews : public testing::TestWithParam<BadView> {};

TEST_P(BadViews, AreRefusedWithTheirPlace) {
  const auto file = (test::make_scratch() / "a.views.json").string();
  ASSERT_TRUE(write_text(file, std::string(R"({"format":"wakuzume-views","version":1,"views":[)") +
                                   GetParam().view + "]}"));
  const auto views = read_views(file);
  ASSERT_FALSE(views);
  EXPECT_EQ(views.error().place.file, file);
  EXPECT_EQ(views.error().place.pointer, GetParam().place) << to_string(views.error());
}

INSTANTIATE_TEST_SUITE_P(
    Faults,
    BadViews,
    testing::Values(BadView{R"({})", "/views/0"},
                    BadView{R"({"eye":[0,0,0]})", "/views/0"},
                    BadView{R"({"eye":[1,0,0],"target":[1,0,0]})", "/views/0"},
                    BadView{R"({"eye":[1,0],"target":[1,0,0]})", "/views/0/eye"},
                    BadView{R"({"matrix":[1,2,3]})", "/views/0/matrix"},
                    BadView{R"({"matrix":[0,0,0,0,0,0,0,0,0,0,0,0,0,0,0,1]})", "/views/0"},
                    BadView{R"({"eye":[0,0,0],"target":[1,0,0],"yfov_deg":200})", "/views/0"},
                    BadView{R"({"eye":[0,0,0],"target":[1,0,0],"far_m":-1})", "/views/0"},
                    BadView{R"({"eye":[0,0,0],"target":[1,0,0],"half_width_m":3})", "/views/0"},
                    BadView{R"({"eye":[0,0,0],"target":[1,0,0],"lens":3})", "/views/0/lens"}));

}  // namespace
}  // namespace wakuzume
