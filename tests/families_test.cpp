// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include "wakuzume/families.h"

#include <gtest/gtest.h>

#include <algorithm>
#include <cmath>
#include <numeric>
#include <random>

#include "support/parts.h"
#include "support/scene_builder.h"

namespace wakuzume {
namespace {

using test::MeshData;
using test::SceneBuilder;

Families families_of(const Scene& scene, const FamilySettings& settings = {}) {
  const auto found = survey(scene);
  EXPECT_TRUE(found);
  auto families = find_families(scene, *found, settings);
  EXPECT_TRUE(families) << to_string(families.error());
  return std::move(*families);
}

/// A scene of one mesh a part, each shown once where it is.
Scene make_scene(const std::vector<MeshData>& parts) {
  SceneBuilder builder;
  for (const MeshData& part : parts) {
    builder.add_node("part", builder.add_mesh("part", part));
  }
  return builder.finish();
}

/// Farthest vertex of `to` from the nearest image of one of `from`, by brute force.
double find_distance(const MeshData& from, const MeshData& to, const Mat4d& matrix) {
  double worst = 0;
  for (std::size_t v = 0; v < to.positions.size(); v += 3) {
    double nearest = 1e300;
    for (std::size_t w = 0; w < from.positions.size(); w += 3) {
      double square = 0;
      for (std::size_t c = 0; c < 3; ++c) {
        double at = matrix[12 + c];
        for (std::size_t k = 0; k < 3; ++k) {
          at += matrix[4 * k + c] * static_cast<double>(from.positions[w + k]);
        }
        square += std::pow(at - static_cast<double>(to.positions[v + c]), 2);
      }
      nearest = std::min(nearest, square);
    }
    worst = std::max(worst, nearest);
  }
  return std::sqrt(worst);
}

TEST(FindFamilies, TellsHowDeepItHadToLook) {
  const MeshData part = test::make_part(1);
  const MeshData moved =
      test::transform_part(part, test::make_random_trs(5, test::Scaling::uniform));
  const Scene scene =
      make_scene({part, part, test::shuffle_part(part, 3), moved, test::make_part(2)});
  const Families families = families_of(scene);
  ASSERT_EQ(families.prototypes.size(), 2U);
  ASSERT_EQ(families.members.size(), 5U);
  const Likeness wanted[] = {Likeness::prototype, Likeness::content, Likeness::vertices,
                             Likeness::shape, Likeness::prototype};
  for (std::size_t i = 0; i < 5; ++i) {
    EXPECT_EQ(families.members[i].likeness, wanted[i]) << i;
    EXPECT_EQ(families.members[i].family, i < 4 ? 0U : 1U);
  }
}

struct Baked {
  test::Scaling scaling;
  bool mirrored;
  bool shuffled;
  const char* name;
};
std::ostream& operator<<(std::ostream& out, const Baked& baked) { return out << baked.name; }

class FindFamiliesBaked : public testing::TestWithParam<Baked> {};

TEST_P(FindFamiliesBaked, RecoversTheTransformOfEveryVertex) {
  const Baked& how = GetParam();
  for (std::uint32_t seed = 0; seed < 25; ++seed) {
    const MeshData part = test::make_part(seed);
    Trs trs = test::make_random_trs(seed + 100, how.scaling);
    trs.scale[0] *= how.mirrored ? -1 : 1;
    MeshData copy = test::transform_part(part, trs);
    if (how.shuffled) {
      copy = test::shuffle_part(copy, seed);
    }
    const Families families = families_of(make_scene({part, copy}));
    ASSERT_EQ(families.prototypes.size(), 1U) << "seed " << seed;
    const Fit& fit = families.members[1].fit;
    EXPECT_LE(fit.residual, 1e-4);
    EXPECT_LE(find_distance(part, copy, fit.matrix), 1e-4 * test::find_diagonal(copy));
    EXPECT_EQ(linear_determinant(fit.matrix) < 0, how.mirrored) << "seed " << seed;
  }
}

INSTANTIATE_TEST_SUITE_P(
    All,
    FindFamiliesBaked,
    testing::Values(Baked{test::Scaling::none, false, false, "rigid"},
                    Baked{test::Scaling::none, false, true, "rigid_shuffled"},
                    Baked{test::Scaling::uniform, false, true, "uniform_shuffled"},
                    Baked{test::Scaling::each_axis, false, false, "stretched"},
                    Baked{test::Scaling::each_axis, false, true, "stretched_shuffled"},
                    Baked{test::Scaling::none, true, false, "mirrored"},
                    Baked{test::Scaling::uniform, true, true, "mirrored_shuffled"},
                    Baked{test::Scaling::each_axis, true, true, "mirrored_stretched_shuffled"}),
    [](const auto& tested) { return std::string(tested.param.name); });

TEST(FindFamilies, FindsSymmetricParts) {
  // Any of many transforms is right: what counts is that the vertices land on each other.
  for (const std::size_t sides : {3U, 4U, 5U, 6U, 12U, 64U}) {
    const MeshData prism = test::make_prism(sides);
    for (std::uint32_t seed = 0; seed < 4; ++seed) {
      const MeshData copy = test::shuffle_part(
          test::transform_part(prism, test::make_random_trs(seed, test::Scaling::uniform)), seed);
      const Families families = families_of(make_scene({prism, copy}));
      ASSERT_EQ(families.prototypes.size(), 1U) << sides << " sides, seed " << seed;
      EXPECT_LE(find_distance(prism, copy, families.members[1].fit.matrix),
                1e-4 * test::find_diagonal(copy));
    }
  }
}

TEST(FindFamilies, FindsFlatPartsAndSingleTriangles) {
  MeshData triangle;
  triangle.positions = {0, 0, 0, 1, 0, 0, 0, 2, 0};
  triangle.uvs = {0, 0, 1, 0, 0, 1};
  triangle.indices = {0, 1, 2};
  for (const MeshData& flat : {triangle, test::make_square(), test::make_fan(9)}) {
    for (std::uint32_t seed = 0; seed < 10; ++seed) {
      Trs trs = test::make_random_trs(seed, test::Scaling::uniform);
      trs.scale[0] *= seed % 2 == 0 ? 1 : -1;
      const MeshData copy = test::shuffle_part(test::transform_part(flat, trs), seed);
      const Families families = families_of(make_scene({flat, copy}));
      ASSERT_EQ(families.prototypes.size(), 1U) << flat.positions.size() << " seed " << seed;
      EXPECT_LE(find_distance(flat, copy, families.members[1].fit.matrix),
                1e-4 * test::find_diagonal(copy));
    }
  }
}

TEST(FindFamilies, KeepsNearlyEqualPartsApart) {
  const MeshData part = test::make_part(7);
  const double diagonal = test::find_diagonal(part);
  MeshData inside = part;
  inside.positions[4] += static_cast<float>(0.8e-4 * diagonal);
  MeshData outside = part;
  outside.positions[4] += static_cast<float>(1.3e-4 * diagonal);
  MeshData other_uv = part;
  other_uv.uvs[3] += 0.01F;
  MeshData other_normal = part;
  std::swap(other_normal.normals[0], other_normal.normals[1]);
  MeshData other_triangle = part;
  std::swap(other_triangle.indices[0], other_triangle.indices[1]);
  const Families families =
      families_of(make_scene({part, inside, outside, other_uv, other_normal, other_triangle}));
  std::vector<std::uint32_t> of;
  std::transform(families.members.begin(), families.members.end(), std::back_inserter(of),
                 [](const FamilyMember& member) { return member.family; });
  EXPECT_EQ(of, (std::vector<std::uint32_t>{0, 0, 1, 2, 3, 4}));
}

TEST(FindFamilies, NeedsTheWindingTurnedWhereThePointsAreMirrored) {
  const MeshData part = test::make_part(3);
  MeshData inside_out = part;
  for (std::size_t v = 0; v < part.positions.size(); v += 3) {
    inside_out.positions[v] *= -1;
    inside_out.normals[v] *= -1;
  }
  EXPECT_EQ(families_of(make_scene({part, inside_out})).prototypes.size(), 2U);
}

TEST(FindFamilies, LeavesOutAttributesThatMayDiffer) {
  const MeshData part = test::make_part(7);
  MeshData other = part;
  other.uvs[3] += 0.01F;
  EXPECT_EQ(families_of(make_scene({part, other})).prototypes.size(), 2U);
  EXPECT_EQ(families_of(make_scene({part, other}), {.ignored_attributes = {"TEXCOORD_0"}})
                .prototypes.size(),
            1U);
}

TEST(FindFamilies, FindsTheTruthOfAMixedHouse) {
  // Thirty models, each copied ten times in one of the ways files have it.
  std::vector<MeshData> parts;
  std::vector<std::uint32_t> truth;
  std::mt19937 random(11);
  const auto draw = [&](std::uint32_t below) {
    return static_cast<std::uint32_t>(random() % below);
  };
  for (std::uint32_t copy = 0; copy < 10; ++copy) {
    for (std::uint32_t model = 0; model < 30; ++model) {
      const MeshData part = test::make_part(model);
      Trs trs = test::make_random_trs(draw(1000), static_cast<test::Scaling>(draw(3)));
      trs.scale[1] *= draw(3) == 0 ? -1 : 1;
      MeshData made = copy % 3 == 0 ? part : test::transform_part(part, trs);
      parts.push_back(copy % 2 == 0 ? made : test::shuffle_part(made, draw(99)));
      truth.push_back(model);
    }
  }
  const Families families = families_of(make_scene(parts));
  EXPECT_EQ(families.prototypes.size(), 30U);
  for (std::size_t i = 0; i < parts.size(); ++i) {
    EXPECT_EQ(families.members[i].family, truth[i]) << "part " << i;
  }
}

TEST(FindFamilies, CopesWithAHundredThousandQuads) {
  SceneBuilder builder;
  constexpr std::size_t quads = 100'000;
  for (std::size_t i = 0; i < quads; ++i) {
    MeshData quad = test::make_square();
    for (std::size_t v = 0; v < quad.positions.size(); v += 3) {
      quad.positions[v] += static_cast<float>(i % 300) * 2;
      quad.positions[v + 1] += static_cast<float>(i / 300) * 2;
    }
    builder.add_node("quad", builder.add_mesh("quad", quad));
  }
  const Families families = families_of(builder.finish());
  EXPECT_EQ(families.prototypes.size(), 1U);
  EXPECT_EQ(families.members.size(), quads);
  EXPECT_NEAR(families.members.back().fit.matrix[12], 2.0 * ((quads - 1) % 300), 1e-3);
}

/// Few corners, so that nothing but a fit tells them apart: from square to five hundred times as
/// long as wide, a third of them moved copies, nearly within or beyond what is allowed.
std::vector<MeshData> make_look_alikes(std::uint32_t seed, std::size_t count) {
  std::mt19937 random(seed);
  const auto pick = [&](double low, double high) {
    return static_cast<float>(low + (high - low) * static_cast<double>(random() % 100'000) / 1e5);
  };
  std::vector<MeshData> out;
  while (out.size() < count) {
    if (out.size() > 4 && random() % 3 == 0) {
      MeshData copy = out[random() % out.size()];
      const double off = test::find_diagonal(copy) * (random() % 2 == 0 ? 3e-5 : 3e-3);
      for (float& value : copy.positions) {
        value += pick(-off, off);
      }
      const auto trs = test::make_random_trs(
          static_cast<std::uint32_t>(random() % 1000),
          random() % 2 == 0 ? test::Scaling::uniform : test::Scaling::each_axis);
      out.push_back(test::shuffle_part(test::transform_part(copy, trs),
                                       static_cast<std::uint32_t>(out.size())));
      continue;
    }
    MeshData quad = test::make_square();
    const float length = std::exp(pick(0, std::log(500.0)));
    for (std::size_t v = 0; v < quad.positions.size() / 3; ++v) {
      quad.positions[3 * v] = length * quad.positions[3 * v] + pick(-0.3, 0.3);
      quad.positions[3 * v + 1] += pick(-0.3, 0.3);
      if (seed % 2 == 0 && !quad.uvs.empty()) {
        quad.uvs[2 * v] = quad.positions[3 * v] / 4;
        quad.uvs[2 * v + 1] = quad.positions[3 * v + 1] / 4;
      }
    }
    out.push_back(std::move(quad));
  }
  return out;
}

class LookAlikes : public testing::TestWithParam<std::uint32_t> {};

TEST_P(LookAlikes, JoinWhatBruteForceJoins) {
  const Scene scene = make_scene(make_look_alikes(GetParam(), 160));
  const auto found = survey(scene);
  const Families families = families_of(scene);
  const auto primitive_of = [&](std::size_t shape) -> const Primitive& {
    return scene[found->shapes[shape].mesh].primitives[found->shapes[shape].primitive];
  };
  std::vector<std::size_t> prototypes;
  std::size_t repeats = 0;
  for (std::size_t shape = 0; shape < found->shapes.size(); ++shape) {
    const auto first = std::find_if(prototypes.begin(), prototypes.end(), [&](std::size_t other) {
      return find_fit(scene, primitive_of(other), primitive_of(shape), FamilySettings{});
    });
    const std::size_t wanted = first == prototypes.end() ? shape : *first;
    if (first == prototypes.end()) {
      prototypes.push_back(shape);
    }
    repeats += wanted != shape ? 1U : 0U;
    EXPECT_EQ(to_index(families.prototypes[families.members[shape].family]), wanted) << shape;
  }
  EXPECT_GT(repeats, 15U);
  EXPECT_GT(prototypes.size(), 60U);
}

INSTANTIATE_TEST_SUITE_P(Seeds, LookAlikes, testing::Range(1U, 9U));

TEST(FindFamilies, KeepsMorphingShapesToThemselves) {
  SceneBuilder builder;
  const MeshData part = test::make_part(1);
  const MeshData moved = test::transform_part(part, test::make_random_trs(1, test::Scaling::none));
  for (const MeshData& data : {part, moved}) {
    Primitive primitive = builder.make_primitive(data, no_material);
    primitive.morph_targets.push_back({primitive.attributes.front()});
    builder.add_node("part", builder.add_mesh("part", {primitive}));
  }
  EXPECT_EQ(families_of(builder.finish()).prototypes.size(), 2U);
}

TEST(FindFamilies, IsTheSameForAnyThreads) {
  const Scene scene = test::make_random_scene(5, 200);
  const auto found = survey(scene);
  const auto one = find_families(scene, *found, {}, {.threads = 1});
  const auto two = find_families(scene, *found, {}, {.threads = 2});
  ASSERT_TRUE(one && two);
  ASSERT_EQ(one->prototypes, two->prototypes);
  for (std::size_t i = 0; i < one->members.size(); ++i) {
    EXPECT_EQ(one->members[i].family, two->members[i].family);
    EXPECT_EQ(one->members[i].fit.matrix, two->members[i].fit.matrix);
  }
}

TEST(FindFamilies, RefusesSettingsOutOfRange) {
  const Scene scene = make_scene({test::make_square()});
  const auto found = survey(scene);
  const auto families = find_families(scene, *found, {.tolerance = 0.5});
  ASSERT_FALSE(families);
  EXPECT_EQ(families.error().code, ErrorCode::bad_setting);
  EXPECT_NE(families.error().message.find("families.tolerance"), std::string::npos);
}

}  // namespace
}  // namespace wakuzume
