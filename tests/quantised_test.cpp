// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include <gtest/gtest.h>

#include <algorithm>
#include <cmath>
#include <cstring>
#include <limits>
#include <random>

#include "support/scene_builder.h"
#include "wakuzume/build.h"
#include "wakuzume/verify.h"

/// KHR_mesh_quantization: every type in which positions, normals, UVs and colours may be stored.
namespace wakuzume {
namespace {

struct Storage {
  ComponentType component = ComponentType::f32;
  bool normalized = false;
};

std::string name_of(const testing::TestParamInfo<Storage>& info) {
  const char* const names[] = {"i8", "u8", "i16", "u16"};
  const auto at =
      static_cast<std::size_t>(info.param.component) - static_cast<std::size_t>(ComponentType::i8);
  return std::string(names[at]) + (info.param.normalized ? "_normalized" : "");
}

bool is_signed(ComponentType type) {
  return type == ComponentType::i8 || type == ComponentType::i16;
}
double largest(ComponentType type) {
  return type == ComponentType::i8    ? 127
         : type == ComponentType::u8  ? 255
         : type == ComponentType::i16 ? 32767
                                      : 65535;
}

/// What glTF 2.0 section 3.11 says a stored number stands for.
double decode(double stored, const Storage& storage) {
  return storage.normalized ? std::max(stored / largest(storage.component), -1.0) : stored;
}

class Quantised : public testing::TestWithParam<Storage> {
 protected:
  /// Random numbers of the type, padded to four bytes an element.
  StreamId add(std::size_t count, ElementType element, std::vector<double>& decoded) {
    const Storage& storage = GetParam();
    const std::size_t width = component_count(element);
    const std::size_t size = component_bytes(storage.component);
    const std::size_t stride = (width * size + 3) / 4 * 4;
    std::vector<std::byte> bytes(count * stride);
    std::vector<double> low(width, std::numeric_limits<double>::max());
    std::vector<double> high(width, std::numeric_limits<double>::lowest());
    for (std::size_t v = 0; v < count; ++v) {
      for (std::size_t c = 0; c < width; ++c) {
        const auto top = static_cast<std::int64_t>(largest(storage.component));
        const std::int64_t bottom = is_signed(storage.component) ? -top - 1 : 0;
        const auto range = static_cast<std::uint64_t>(top - bottom + 1);
        const std::int64_t stored = bottom + static_cast<std::int64_t>(random_() % range);
        std::memcpy(&bytes[v * stride + c * size], &stored, size);
        decoded.push_back(decode(static_cast<double>(stored), storage));
        low[c] = std::min(low[c], static_cast<double>(stored));
        high[c] = std::max(high[c], static_cast<double>(stored));
      }
    }
    Stream stream;
    stream.count = count;
    stream.element = element;
    stream.component = storage.component;
    stream.normalized = storage.normalized;
    stream.bounds = StreamBounds{low, high};
    return builder_.add_bytes(bytes.data(), bytes.size(), std::move(stream),
                              static_cast<std::uint32_t>(stride));
  }

  test::SceneBuilder builder_;
  std::mt19937 random_{23};
};

TEST_P(Quantised, PartsMergeToTheirExactValues) {
  constexpr std::size_t vertices = 9;
  const bool normals = is_signed(GetParam().component) && GetParam().normalized;
  std::vector<double> positions;
  std::vector<double> uvs;
  std::vector<double> directions;
  builder_.scene.extensions_used = {"KHR_mesh_quantization"};
  builder_.scene.extensions_required = {"KHR_mesh_quantization"};
  const MaterialId stone = builder_.add_material("stone");
  constexpr std::size_t parts = 3;
  for (std::size_t p = 0; p < parts; ++p) {
    Primitive primitive;
    primitive.material = stone;
    primitive.attributes.push_back({"POSITION", add(vertices, ElementType::vec3, positions)});
    primitive.attributes.push_back({"TEXCOORD_0", add(vertices, ElementType::vec2, uvs)});
    if (normals) {
      primitive.attributes.push_back({"NORMAL", add(vertices, ElementType::vec3, directions)});
    }
    builder_.add_node("n", builder_.add_mesh("m", {primitive}),
                      test::scaled(2, 1, 0.5, {100.0 * static_cast<double>(p), 0, 0}));
  }
  const Scene source = builder_.finish();
  const auto plan = propose(source, *survey(source),
                            {.repeats = Repeats::merge, .triangle_order = TriangleOrder::source});
  ASSERT_EQ(plan->groups.size(), 1U);
  const auto built = build(source, *plan);
  ASSERT_TRUE(built) << to_string(built.error());
  const auto verdict = verify(source, built->scene, built->ledger);
  ASSERT_TRUE(verdict);
  EXPECT_TRUE(verdict->passed) << verdict->mismatches[0].what;
  const LedgerResult& result = built->ledger.results.at(0);
  const Node& node = built->scene[result.node];
  const Primitive& merged = built->scene[node.mesh].primitives[0];
  const std::vector<float> got = make_floats(built->scene, merged.find("POSITION"));
  const std::vector<float> got_uvs = make_floats(built->scene, merged.find("TEXCOORD_0"));
  ASSERT_EQ(got.size(), positions.size());
  double extent = 0;
  for (const float value : got) {
    extent = std::max(extent, std::abs(static_cast<double>(value)));
  }
  for (std::size_t v = 0; v < parts * vertices; ++v) {
    const double scale[3] = {2, 1, 0.5};
    for (std::size_t c = 0; c < 3; ++c) {
      const double shift = c == 0 ? 100.0 * static_cast<double>(v / vertices) : 0;
      const double wanted = positions[3 * v + c] * scale[c] + shift;
      const double stored = static_cast<double>(got[3 * v + c]) + node.trs.translation[c];
      EXPECT_NEAR(stored, wanted, 1e-7 * extent) << "vertex " << v;
    }
    for (std::size_t c = 0; c < 2; ++c) {
      EXPECT_EQ(got_uvs[2 * v + c], static_cast<float>(uvs[2 * v + c])) << "vertex " << v;
    }
  }
  if (normals) {
    const std::vector<float> turned = make_floats(built->scene, merged.find("NORMAL"));
    for (std::size_t v = 0; v < parts * vertices; ++v) {
      const double x = directions[3 * v] / 2;
      const double y = directions[3 * v + 1];
      const double z = directions[3 * v + 2] * 2;
      const double length = std::hypot(x, y, z);
      EXPECT_NEAR(turned[3 * v], x / length, 1e-6);
      EXPECT_NEAR(turned[3 * v + 1], y / length, 1e-6);
      EXPECT_NEAR(turned[3 * v + 2], z / length, 1e-6);
    }
  }
}

class QuantisedColours : public Quantised {};

/// Colours keep their type where all agree, and then their very numbers.
TEST_P(QuantisedColours, GoThroughUnchanged) {
  const MaterialId stone = builder_.add_material("stone");
  std::vector<double> colors;
  for (int p = 0; p < 3; ++p) {
    Primitive primitive = builder_.make_primitive(test::make_square(), stone);
    primitive.attributes.push_back({"COLOR_0", add(4, ElementType::vec4, colors)});
    builder_.add_node("n", builder_.add_mesh("m", {primitive}), test::at(2.0 * p));
  }
  const Scene source = builder_.finish();
  const auto built = build(source, *propose(source, *survey(source), {.repeats = Repeats::merge}));
  ASSERT_TRUE(built);
  const LedgerResult& result = built->ledger.results.at(0);
  const Primitive& merged = built->scene[built->scene[result.node].mesh].primitives[0];
  const StreamId stream = merged.find("COLOR_0");
  EXPECT_EQ(built->scene[stream].component, GetParam().component);
  EXPECT_TRUE(built->scene[stream].normalized);
  EXPECT_EQ(make_doubles(built->scene, stream), colors);
}

INSTANTIATE_TEST_SUITE_P(Types,
                         Quantised,
                         testing::Values(Storage{ComponentType::i8, false},
                                         Storage{ComponentType::i8, true},
                                         Storage{ComponentType::u8, false},
                                         Storage{ComponentType::u8, true},
                                         Storage{ComponentType::i16, false},
                                         Storage{ComponentType::i16, true},
                                         Storage{ComponentType::u16, false},
                                         Storage{ComponentType::u16, true}),
                         name_of);
INSTANTIATE_TEST_SUITE_P(Types,
                         QuantisedColours,
                         testing::Values(Storage{ComponentType::u8, true},
                                         Storage{ComponentType::u16, true}),
                         name_of);

}  // namespace
}  // namespace wakuzume
