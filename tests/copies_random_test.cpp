// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include <gtest/gtest.h>

#include <algorithm>
#include <cmath>
#include <random>

#include "support/parts.h"
#include "support/scene_builder.h"
#include "support/soup.h"
#include "wakuzume/build.h"
#include "wakuzume/restore.h"
#include "wakuzume/verify.h"

/// Copies stored in every way that people store them, of every size and anywhere: whatever is
/// planned can be built, passes the proof and comes back.
namespace wakuzume {
namespace {

using test::MeshData;

/// How a copy is stored.
enum class Way : std::uint8_t {
  node,       ///< under a node that moves it
  frozen,     ///< its transform in its points, as floats
  both,       ///< some in the points, some in the node
  quantised,  ///< points as 16-bit integers in the box, which a node undoes
  sheared,    ///< under two nodes that no triple can hold together
  shuffled,   ///< frozen, with vertices and triangles in another order
  frozen_shear
};
constexpr std::uint32_t way_count = 7;

double draw(std::mt19937& random, double low, double high) {
  return low + (high - low) * static_cast<double>(random() % 1'000'000) / 1'000'000;
}
/// Evenly over the orders of magnitude.
double draw_size(std::mt19937& random, double low, double high) {
  return std::exp(draw(random, std::log(low), std::log(high)));
}

class CopiesMaker {
 public:
  explicit CopiesMaker(std::uint32_t seed) : random_(seed * 2654435761U + 11) {}

  Scene make() {
    materials_ = {builder_.add_material("brass"), builder_.add_material("oak")};
    size_m_ = draw_size(random_, 1e-3, 1e3);
    for (double& c : centre_) {
      c = random_() % 2 == 0 ? 0 : draw_size(random_, 1, 1e5) * (random_() % 2 == 0 ? 1 : -1);
    }
    const std::size_t parts = 1 + random_() % 2;
    for (std::size_t p = 0; p < parts; ++p) {
      const MeshData part = make_model();
      const std::size_t copies = 3 + random_() % 8;
      for (std::size_t c = 0; c < copies; ++c) {
        add_copy(part);
      }
    }
    return builder_.finish();
  }

 private:
  std::uint32_t seed() { return static_cast<std::uint32_t>(random_()); }

  MeshData make_model() {
    switch (random_() % 5) {
      case 0:
        return test::make_prism(3 + random_() % 6);
      case 1:
        return test::make_fan(3 + random_() % 6);
      case 2:
        return test::make_tetrahedron();
      default:
        return test::make_part(seed());
    }
  }

  Trs make_place() {
    const auto scaling = static_cast<test::Scaling>(random_() % 3);
    Trs trs = test::make_random_trs(seed(), scaling);
    const bool mirrored = random_() % 4 == 0;
    for (std::size_t c = 0; c < 3; ++c) {
      trs.scale[c] *= size_m_ * (mirrored && c == 0 ? -1 : 1);
      trs.translation[c] = trs.translation[c] * size_m_ + centre_[c];
    }
    if (random_() % 5 == 0) {
      trs.scale[random_() % 3] *= draw_size(random_, 1e-3, 1);  // long and thin
    }
    return trs;
  }

  /// Most stand still; some move below a node that is stretched.
  NodeId find_parent() {
    if (random_() % 6 != 0) {
      return no_node;
    }
    if (mover_ == no_node) {
      mover_ = builder_.add_node("mover", no_mesh, test::scaled(2, 1, 0.5, {1, 2, 3}));
      builder_.animate(mover_);
    }
    return mover_;
  }

  MeshId add_mesh(const MeshData& data) {
    return builder_.add_mesh("copy", data, materials_[random_() % 8 == 0 ? 1 : 0]);
  }

  void add_copy(const MeshData& part) {
    const Trs place = make_place();
    const NodeId parent = find_parent();
    switch (static_cast<Way>(random_() % way_count)) {
      case Way::node:
        builder_.add_node("node", find_shared(part), place, parent);
        break;
      case Way::frozen:
        builder_.add_node("frozen", add_mesh(test::transform_part(part, place)), {}, parent);
        break;
      case Way::both: {
        const Trs first = test::make_random_trs(seed(), test::Scaling::uniform);
        builder_.add_node("both", add_mesh(test::transform_part(part, first)), place, parent);
        break;
      }
      case Way::quantised:
        add_quantised(test::transform_part(part, place), parent);
        break;
      case Way::sheared: {
        Trs inner = test::make_random_trs(seed(), test::Scaling::each_axis);
        inner.translation = {0, 0, 0};
        const NodeId above = builder_.add_node("above", no_mesh, place, parent);
        builder_.add_node("sheared", find_shared(part), inner, above);
        break;
      }
      case Way::shuffled:
        builder_.add_node("shuffled",
                          add_mesh(test::shuffle_part(test::transform_part(part, place), seed())),
                          {}, parent);
        break;
      case Way::frozen_shear: {
        Trs inner = test::make_random_trs(seed(), test::Scaling::each_axis);
        inner.translation = {0, 0, 0};
        builder_.add_node("frozen shear",
                          add_mesh(test::transform_part(test::transform_part(part, inner), place)),
                          {}, parent);
        break;
      }
    }
  }

  /// The model's own mesh, made when it is first shown.
  MeshId find_shared(const MeshData& part) {
    if (shared_ == no_mesh || shared_positions_ != part.positions) {
      shared_ = add_mesh(part);
      shared_positions_ = part.positions;
    }
    return shared_;
  }

  void add_quantised(const MeshData& data, NodeId parent) {
    Vec3d low{1e300, 1e300, 1e300};
    Vec3d high{-1e300, -1e300, -1e300};
    for (std::size_t i = 0; i < data.positions.size(); ++i) {
      low[i % 3] = std::min(low[i % 3], static_cast<double>(data.positions[i]));
      high[i % 3] = std::max(high[i % 3], static_cast<double>(data.positions[i]));
    }
    Trs undo;
    for (std::size_t c = 0; c < 3; ++c) {
      undo.scale[c] = high[c] > low[c] ? high[c] - low[c] : 1;
      undo.translation[c] = low[c];
    }
    std::vector<std::uint16_t> stored;  // padded to eight bytes, as glTF wants vertex data aligned
    for (std::size_t i = 0; i < data.positions.size(); ++i) {
      const double share =
          (static_cast<double>(data.positions[i]) - undo.translation[i % 3]) / undo.scale[i % 3];
      stored.push_back(
          static_cast<std::uint16_t>(std::lround(std::clamp(share, 0.0, 1.0) * 65535)));
      if (i % 3 == 2) {
        stored.push_back(0);
      }
    }
    // Normals as they are after the box is undone.
    MeshData own = data;
    for (std::size_t v = 0; v < own.normals.size() / 3; ++v) {
      double length = 0;
      for (std::size_t c = 0; c < 3; ++c) {
        float& n = own.normals[3 * v + c];
        n = static_cast<float>(static_cast<double>(n) * undo.scale[c]);
        length += static_cast<double>(n) * static_cast<double>(n);
      }
      for (std::size_t c = 0; c < 3 && length > 0; ++c) {
        own.normals[3 * v + c] /= static_cast<float>(std::sqrt(length));
      }
    }
    Primitive primitive = builder_.make_primitive(own, materials_[0]);
    Stream stream;
    stream.count = data.positions.size() / 3;
    stream.element = ElementType::vec3;
    stream.component = ComponentType::u16;
    stream.normalized = true;
    stream.bounds = StreamBounds{{0, 0, 0}, {65535, 65535, 65535}};
    const StreamId positions =
        builder_.add_bytes(stored.data(), stored.size() * sizeof(stored[0]), std::move(stream), 8);
    for (Attribute& attribute : primitive.attributes) {
      attribute.stream = attribute.semantic == "POSITION" ? positions : attribute.stream;
    }
    builder_.add_node("quantised", builder_.add_mesh("quantised", {primitive}), undo, parent);
  }

  std::mt19937 random_;
  test::SceneBuilder builder_;
  std::vector<MaterialId> materials_;
  double size_m_ = 1;
  Vec3d centre_{0, 0, 0};
  NodeId mover_ = no_node;
  MeshId shared_ = no_mesh;
  test::Floats shared_positions_;
};

class Copies : public testing::TestWithParam<int> {
 protected:
  /// Counts over a lot, so that no way is passed over unseen.
  std::size_t instanced_ = 0;
  std::size_t fitted_ = 0;
  std::size_t taken_back_ = 0;

  void check(std::uint32_t seed) {
    const Scene scene = CopiesMaker(seed).make();
    const RunControl run{.threads = 1};  // so small that threads would only wait for each other
    const auto found = survey(scene, {}, run);
    ASSERT_TRUE(found);
    const ProposeSettings settings{.repeats = seed % 3 == 0 ? Repeats::by_cost : Repeats::instance,
                                   .mesh_unit = seed % 5 == 0 ? MeshUnit::place : MeshUnit::group};
    const auto plan = propose(scene, *found, settings, {}, run);
    ASSERT_TRUE(plan) << to_string(plan.error());
    const auto covered = check_plan(scene, *plan, run);
    ASSERT_TRUE(covered) << "seed " << seed << ": " << to_string(covered.error());
    const auto built = build(scene, *plan, {}, run);
    ASSERT_TRUE(built) << "seed " << seed << ": " << to_string(built.error());
    const auto valid = check_scene(built->scene);
    ASSERT_TRUE(valid) << "seed " << seed << ": " << to_string(valid.error());
    const auto verdict = verify(scene, built->scene, built->ledger, {}, run);
    ASSERT_TRUE(verdict);
    ASSERT_TRUE(verdict->passed) << "seed " << seed << ": node "
                                 << scene[verdict->mismatches[0].draw.node].name << " "
                                 << verdict->mismatches[0].what;
    instanced_ += covered->instanced;
    fitted_ += verdict->fitted_draws;
    taken_back_ += plan->taken_back.size();
    const auto restored = restore(built->scene, built->ledger, scene, {.everything = true}, run);
    ASSERT_TRUE(restored) << "seed " << seed << ": " << to_string(restored.error());
    EXPECT_EQ(make_content_hash(restored->scene), make_content_hash(scene)) << "seed " << seed;
  }
};

/// Two thousand scenes in eight lots.
TEST_P(Copies, ArePlannedBuiltProvedAndRestored) {
  for (int i = 0; i < 250; ++i) {
    check(static_cast<std::uint32_t>(GetParam() * 250 + i));
    if (HasFatalFailure()) {
      return;
    }
  }
  EXPECT_GT(instanced_, 500U);
  EXPECT_GT(fitted_, 50U) << "some are instances of another's geometry";
}

INSTANTIATE_TEST_SUITE_P(Lots, Copies, testing::Range(0, 8));

}  // namespace
}  // namespace wakuzume
