// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include <gtest/gtest.h>

#include <algorithm>
#include <cmath>
#include <cstdlib>
#include <map>
#include <set>

#include "glasshouse.h"
#include "support/pictures.h"
#include "support/process.h"
#include "support/scene_builder.h"
#include "support/shots.h"
#include "wakuzume/image.h"
#include "wakuzume/io.h"
#include "wakuzume/picture.h"

/// Pictures by the library and by the command.
namespace wakuzume {
namespace {

Pixels read_picture(const std::filesystem::path& file) {
  const std::string bytes = test::read_all(file);
  const auto pixels = decode_image(make_bytes(std::vector<char>(bytes.begin(), bytes.end())));
  EXPECT_TRUE(pixels) << file;
  return pixels ? *pixels : Pixels{};
}

/// Steps between two colours as people see them, roughly: weighted by what eyes are sharp in.
double find_step(const std::uint8_t* a, const std::uint8_t* b) {
  const double r = a[0] - b[0];
  const double g = a[1] - b[1];
  const double blue = a[2] - b[2];
  return std::sqrt(2 * r * r + 4 * g * g + 3 * blue * blue);
}

class Pictures : public testing::Test {
 protected:
  Pictures() : folder_(test::make_scratch()) {
    EXPECT_TRUE(write_scene(demo::make_glasshouse(), path("house.glb")));
  }
  [[nodiscard]] std::string path(const std::string& name) const {
    return (folder_ / name).string();
  }
  test::Outcome picture(std::vector<std::string> more) {
    const bool sized = std::find(more.begin(), more.end(), "--size") != more.end();
    const bool named = std::find(more.begin(), more.end(), "-o") != more.end();
    more.insert(more.begin(), {"picture", path("house.glb"), "--views", "4"});
    if (!sized) {
      more.insert(more.end(), {"--size", "400x300"});
    }
    if (!named) {
      more.insert(more.end(), {"-o", path("p.png")});
    }
    return test::run_tool(more);
  }
  std::filesystem::path folder_;
};

TEST(DrawColors, TellNeighboursApart) {
  test::Drawn drawn(demo::make_glasshouse(), {.width_px = 480, .height_px = 270});
  const auto classes = *make_classes(drawn.scene, drawn.survey, Showing::draws);
  const auto views = *make_views(drawn.scene, drawn.survey, {.count = 8});
  std::map<std::pair<DrawId, DrawId>, double> steps;
  for (const Viewpoint& view : views) {
    const Shot shot = drawn.shoot(view, {.shading = Shading::none, .measure = Measure::facing});
    for (std::size_t p = 0; p + 1 < shot.hits.size(); ++p) {
      const DrawId a = shot.hits[p].draw;
      const DrawId b = shot.hits[p + 1].draw;
      if (a != b && a != no_draw && b != no_draw && (p + 1) % shot.width_px != 0) {
        const auto color = [&](DrawId d) {
          return classes.classes[classes.of_draw[to_index(d)]].color.data();
        };
        steps[std::minmax(a, b)] = find_step(color(a), color(b));
      }
    }
  }
  std::size_t close = 0;
  for (const auto& [pair, step] : steps) {
    close += step < 90 ? 1U : 0U;
  }
  EXPECT_GT(steps.size(), 3000U) << "pairs that meet in some picture";
  // Pairs that only meet because one is far behind the other can't all be known beforehand.
  EXPECT_LT(static_cast<double>(close) / static_cast<double>(steps.size()), 0.06);
}

TEST(DrawColors, AreTheSameEachTimeAndManifold) {
  const Scene scene = demo::make_glasshouse();
  const Survey found = *survey(scene);
  const auto a = *make_classes(scene, found, Showing::draws);
  const auto b = *make_classes(scene, found, Showing::draws);
  std::set<Color> colors;
  for (std::size_t c = 0; c < a.classes.size(); ++c) {
    EXPECT_EQ(a.classes[c].color, b.classes[c].color);
    colors.insert(a.classes[c].color);
  }
  EXPECT_EQ(a.classes.size(), found.draws.size());
  EXPECT_GE(colors.size(), 24U);
}

TEST(DrawClasses, CountEveryDrawOnce) {
  const Scene scene = demo::make_glasshouse();
  const Survey found = *survey(scene);
  const Plan plan = *propose(scene, found);
  for (const Showing showing :
       {Showing::keys, Showing::families, Showing::clusters, Showing::tiling, Showing::lightmap}) {
    const auto classes = *make_classes(scene, found, showing, {.plan = &plan});
    std::size_t draws = 0;
    for (const DrawClasses::Class& one : classes.classes) {
      draws += one.draws;
    }
    const auto none = static_cast<std::size_t>(
        std::count(classes.of_draw.begin(), classes.of_draw.end(), no_index));
    EXPECT_EQ(draws + none, found.draws.size()) << to_string(showing);
    EXPECT_GT(classes.classes.size(), 1U) << to_string(showing);
  }
  EXPECT_EQ(make_classes(scene, found, Showing::keys)->classes.size(), found.keys.size());
  EXPECT_EQ(make_classes(scene, found, Showing::clusters, {.plan = &plan})->classes.size(),
            plan.groups.size());
}

TEST_F(Pictures, ShowEverythingThereIsToSee) {
  ASSERT_EQ(test::run_tool({"propose", path("house.glb"), "-o", path("plan.json"), "--materials",
                            "fewest_draws", "--quiet"})
                .exit_code,
            0);
  std::set<std::string> different;
  for (std::size_t s = 0; s < showing_count; ++s) {
    const std::string show(to_string(static_cast<Showing>(s)));
    const test::Outcome outcome =
        picture({"--show", show, "--camera", "east_aisle", "--plan", path("plan.json")});
    ASSERT_EQ(outcome.exit_code, 0) << show << outcome.err;
    const Pixels pixels = read_picture(path("p.png"));
    EXPECT_EQ(pixels.width_px, 400U);
    EXPECT_EQ(pixels.height_px, 300U);
    different.insert(test::read_all(path("p.png")));
    // The legend's text is the brightest thing on its dark strip.
    int brightest = 0;
    PictureSettings settings;
    settings.showing = static_cast<Showing>(s);
    settings.width_px = 400;
    settings.height_px = 300;
    const std::size_t strip = find_room(settings).height_px;
    for (std::size_t p = 400 * strip; p < std::size_t{400} * 300; ++p) {
      brightest = std::max<int>(brightest, pixels.rgba[4 * p + 1]);
    }
    EXPECT_GT(brightest, 150) << show;
  }
  EXPECT_EQ(different.size(), showing_count);
}

TEST_F(Pictures, AreTheSameBytesEachTime) {
  for (const char* show : {"shaded", "draws", "wire"}) {
    ASSERT_EQ(picture({"--show", show, "--view", "3"}).exit_code, 0);
    const std::string first = test::read_all(path("p.png"));
    ASSERT_EQ(picture({"--show", show, "--view", "3", "--threads", "1"}).exit_code, 0);
    EXPECT_EQ(first, test::read_all(path("p.png"))) << show;
  }
}

TEST_F(Pictures, PutAResultBesideItsSource) {
  test::write_all(folder_ / "small.toml", "[verify]\npicture_views = 0\n");
  ASSERT_EQ(test::run_tool({"run", path("house.glb"), "-o", path("out"), "--quiet", "--settings",
                            path("small.toml")})
                .exit_code,
            0);
  for (const char* show : {"draws", "clusters"}) {
    const test::Outcome outcome =
        picture({"--show", show, "--with", path("out/house.glb"), "--camera", "overview"});
    ASSERT_EQ(outcome.exit_code, 0) << outcome.err;
    const Pixels pixels = read_picture(path("p.png"));
    EXPECT_EQ(pixels.width_px, 400U);
    EXPECT_LE(pixels.height_px, 300U);
  }
  // Draws of one group have one colour on both sides: few colours, the same ones.
  const Pixels pixels = read_picture(path("p.png"));
  std::map<std::array<int, 3>, std::array<std::size_t, 2>> colors;
  for (std::size_t y = 0; y < 80; ++y) {
    for (std::size_t x = 0; x < 398; ++x) {
      const std::uint8_t* const at = &pixels.rgba[4 * (y * 400 + x)];
      ++colors[{at[0] / 16, at[1] / 16, at[2] / 16}][x < 198 ? 0 : 1];
    }
  }
  std::size_t common = 0;
  std::size_t all = 0;
  for (const auto& [color, counts] : colors) {
    common += std::min(counts[0], counts[1]);
    all += std::max(counts[0], counts[1]);
  }
  EXPECT_GT(static_cast<double>(common) / static_cast<double>(all), 0.9);
}

TEST_F(Pictures, FitAllViewsOnASheet) {
  const test::Outcome outcome = picture({"--all-views"});
  ASSERT_EQ(outcome.exit_code, 0) << outcome.err;
  EXPECT_EQ(read_picture(path("p.png")).width_px, 400U);
}

TEST_F(Pictures, ComeInTheFormatOfTheirName) {
  for (const auto& [name, first] : {std::pair("q.jpg", "\xFF\xD8"), std::pair("q.webp", "RIFF"),
                                    std::pair("q.png", "\x89PNG")}) {
    ASSERT_EQ(test::run_tool({"picture", path("house.glb"), "-o", path(name), "--size", "320x240",
                              "--camera", "carnivore"})
                  .exit_code,
              0);
    EXPECT_TRUE(test::read_all(path(name)).starts_with(first)) << name;
  }
}

TEST_F(Pictures, SayWhatIsWrongWithTheLine) {
  const auto expect_error = [&](std::vector<std::string> more, int code, const std::string& text) {
    const test::Outcome outcome = picture(std::move(more));
    EXPECT_EQ(outcome.exit_code, code);
    EXPECT_NE(outcome.err.find(text), std::string::npos) << outcome.err;
    EXPECT_FALSE(std::filesystem::exists(path("p.png")));
  };
  expect_error({"--camera", "attic"}, 2,
               "--camera attic: the scene's cameras are entrance, east_aisle");
  expect_error({"--view", "99"}, 2, "--view 99: there are views 1 to");
  expect_error({"--show", "clusters"}, 2, "--show clusters needs a plan or a ledger");
  expect_error({"--show", "dreams"}, 2, "dreams");
  expect_error({"--size", "20x20"}, 2, "is no size from 320x240");
  expect_error({"-o", path("p.bmp")}, 2, "must end in .png, .jpg or .webp");
  const test::Outcome over =
      test::run_tool({"picture", path("house.glb"), "-o", path("house.glb/p.png")});
  EXPECT_EQ(over.exit_code, 4) << over.err;
}

/// Where EGL finds nothing to draw with, all else works.
class WithoutDrawing : public Pictures {
 protected:
  WithoutDrawing() { setenv("__EGL_VENDOR_LIBRARY_FILENAMES", path("no_vendor.json").c_str(), 1); }
  ~WithoutDrawing() override { unsetenv("__EGL_VENDOR_LIBRARY_FILENAMES"); }
};

TEST_F(WithoutDrawing, StillRunsAndSaysWhatWasNotChecked) {
  const test::Outcome outcome = test::run_tool({"run", path("house.glb"), "-o", path("out")});
  EXPECT_EQ(outcome.exit_code, 0) << outcome.err;
  EXPECT_NE(outcome.out.find("PASSED"), std::string::npos);
  EXPECT_NE(outcome.out.find("Not checked: pictures: "), std::string::npos) << outcome.out;
  EXPECT_NE(test::read_all(path("out/house.verdict.json")).find("\"not_checked\""),
            std::string::npos);
  EXPECT_NE(test::read_all(path("out/house.report.html")).find("not_checked"), std::string::npos);
}

TEST_F(WithoutDrawing, RefusesAPictureWithAReason) {
  const test::Outcome outcome = picture({});
  EXPECT_EQ(outcome.exit_code, 3);
  EXPECT_NE(outcome.err.find("pictures need EGL with OpenGL 4.5"), std::string::npos)
      << outcome.err;
}

}  // namespace
}  // namespace wakuzume
