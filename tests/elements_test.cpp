// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include <gtest/gtest.h>

#include <cstring>
#include <limits>
#include <ostream>

#include "support/scene_builder.h"

namespace wakuzume {
namespace {

using test::SceneBuilder;

TEST(MakeFloats, ExpandsNormalizedIntegersAsTheStandardSays) {
  SceneBuilder builder;
  const StreamId i8 = builder.add_stream(std::vector<std::int8_t>{-128, -127, 0, 127},
                                         ElementType::scalar, ComponentType::i8, true);
  const StreamId u8 = builder.add_stream(std::vector<std::uint8_t>{0, 51, 255, 128},
                                         ElementType::scalar, ComponentType::u8, true);
  const StreamId i16 = builder.add_stream(std::vector<std::int16_t>{-32768, -32767, 16384, 32767},
                                          ElementType::scalar, ComponentType::i16, true);
  const StreamId u16 = builder.add_stream(std::vector<std::uint16_t>{0, 13107, 65535, 32768},
                                          ElementType::scalar, ComponentType::u16, true);
  const Scene scene = builder.finish();
  EXPECT_EQ(make_floats(scene, i8), (test::Floats{-1, -1, 0, 1}));
  EXPECT_EQ(make_floats(scene, u8), (test::Floats{0, 0.2F, 1, 128.0F / 255}));
  EXPECT_EQ(make_floats(scene, i16), (test::Floats{-1, -1, 16384.0F / 32767, 1}));
  EXPECT_EQ(make_floats(scene, u16), (test::Floats{0, 0.2F, 1, 32768.0F / 65535}));
}

TEST(MakeFloats, KeepsPlainIntegersAndFloatsBitForBit) {
  SceneBuilder builder;
  const StreamId u32 = builder.add_stream(std::vector<std::uint32_t>{0, 16777216, 4294967040U},
                                          ElementType::scalar, ComponentType::u32);
  const test::Floats odd{1e-45F, -0.0F, std::numeric_limits<float>::max()};
  const StreamId f32 = builder.add_stream(odd, ElementType::vec3, ComponentType::f32);
  const Scene scene = builder.finish();
  EXPECT_EQ(make_floats(scene, u32), (test::Floats{0, 16777216, 4294967040.0F}));
  const test::Floats again = make_floats(scene, f32);
  EXPECT_EQ(std::memcmp(again.data(), odd.data(), sizeof(float) * 3), 0);
  EXPECT_EQ(make_doubles(scene, u32), (std::vector<double>{0, 16777216, 4294967040.0}));
}

TEST(MakeFloats, StepsOverOtherAttributesOfAnInterleavedView) {
  SceneBuilder builder;
  const test::Floats mixed{1, 2, 3, 90, 4, 5, 6, 91};
  Stream positions;
  positions.count = 2;
  positions.element = ElementType::vec3;
  const StreamId id = builder.add_bytes(mixed.data(), mixed.size() * 4, positions, 16);
  Stream rest;
  rest.count = 2;
  rest.offset = 12;
  rest.view = builder.scene[id].view;
  builder.scene.streams.push_back(rest);
  const Scene scene = builder.finish();
  EXPECT_EQ(make_floats(scene, id), (test::Floats{1, 2, 3, 4, 5, 6}));
  EXPECT_EQ(make_floats(scene, StreamId{1}), (test::Floats{90, 91}));
}

/// 2 x 2 bytes take two columns of four bytes; 3 x 3 of 16 bits take three of eight.
TEST(MakeFloats, KnowsThePaddingOfMatrixColumns) {
  EXPECT_EQ(element_bytes(ComponentType::u8, ElementType::mat2), 8U);
  EXPECT_EQ(element_bytes(ComponentType::u8, ElementType::mat3), 12U);
  EXPECT_EQ(element_bytes(ComponentType::u16, ElementType::mat3), 24U);
  EXPECT_EQ(element_bytes(ComponentType::f32, ElementType::mat4), 64U);
  EXPECT_EQ(element_bytes(ComponentType::u8, ElementType::vec3), 3U);
  SceneBuilder builder;
  const std::vector<std::uint8_t> bytes{1, 2, 99, 99, 3, 4, 99, 99};
  Stream stream;
  stream.count = 1;
  stream.element = ElementType::mat2;
  stream.component = ComponentType::u8;
  const StreamId id = builder.add_bytes(bytes.data(), bytes.size(), stream);
  EXPECT_EQ(make_floats(builder.finish(), id), (test::Floats{1, 2, 3, 4}));
}

class SparseStream : public testing::Test {
 protected:
  /// Replaces the elements 1 and 3 of four two-component vectors.
  StreamId add(bool with_base) {
    const test::Floats base{1, 1, 2, 2, 3, 3, 4, 4};
    const std::vector<std::uint16_t> places{1, 3};
    const test::Floats values{20, 21, 40, 41};
    const StreamId index = builder_.add_stream(places, ElementType::scalar, ComponentType::u16);
    const StreamId value = builder_.add_stream(values, ElementType::vec2, ComponentType::f32);
    const StreamId id = builder_.add_stream(base, ElementType::vec2, ComponentType::f32);
    Stream& stream = builder_.scene.streams[to_index(id)];
    SparseSubstitution sparse;
    sparse.count = 2;
    sparse.index_view = builder_.scene[index].view;
    sparse.index_type = ComponentType::u16;
    sparse.value_view = builder_.scene[value].view;
    stream.sparse = sparse;
    if (!with_base) {
      stream.view = no_view;
    }
    return id;
  }
  SceneBuilder builder_;
};

TEST_F(SparseStream, ReplacesElementsOfItsBase) {
  const StreamId id = add(true);
  const Scene scene = builder_.finish();
  EXPECT_EQ(make_floats(scene, id), (test::Floats{1, 1, 20, 21, 3, 3, 40, 41}));
  EXPECT_EQ(make_packed(scene, id).size(), 32U);
}

TEST_F(SparseStream, StandsOnZerosWithoutABase) {
  const StreamId id = add(false);
  EXPECT_EQ(make_floats(builder_.finish(), id), (test::Floats{0, 0, 20, 21, 0, 0, 40, 41}));
}

struct ModeCase {
  PrimitiveMode mode;
  std::vector<std::uint32_t> expected;
};
std::ostream& operator<<(std::ostream& out, const ModeCase& fault) {
  return out << static_cast<int>(fault.mode);
}

class ListIndices : public testing::TestWithParam<ModeCase> {};

TEST_P(ListIndices, FollowTheStandardsOrder) {
  SceneBuilder builder;
  test::MeshData data;
  data.positions.assign(15, 0.0F);
  data.mode = GetParam().mode;
  const MeshId mesh = builder.add_mesh("five", data);
  const Scene scene = builder.finish();
  const Primitive& primitive = scene[mesh].primitives[0];
  EXPECT_EQ(make_list_indices(scene, primitive), GetParam().expected);
  EXPECT_EQ(count_list_indices(scene, primitive), GetParam().expected.size());
}

INSTANTIATE_TEST_SUITE_P(
    EveryMode,
    ListIndices,
    testing::Values(ModeCase{PrimitiveMode::points, {0, 1, 2, 3, 4}},
                    ModeCase{PrimitiveMode::lines, {0, 1, 2, 3}},
                    ModeCase{PrimitiveMode::line_loop, {0, 1, 1, 2, 2, 3, 3, 4, 4, 0}},
                    ModeCase{PrimitiveMode::line_strip, {0, 1, 1, 2, 2, 3, 3, 4}},
                    ModeCase{PrimitiveMode::triangles, {0, 1, 2}},
                    ModeCase{PrimitiveMode::triangle_strip, {0, 1, 2, 1, 3, 2, 2, 3, 4}},
                    ModeCase{PrimitiveMode::triangle_fan, {1, 2, 0, 2, 3, 0, 3, 4, 0}}));

TEST(ListIndicesOfTooFew, AreEmptyAndNotACrash) {
  for (std::uint32_t mode = 0; mode <= 6; ++mode) {
    SceneBuilder builder;
    test::MeshData data;
    data.positions.assign(3, 0.0F);
    data.mode = static_cast<PrimitiveMode>(mode);
    const MeshId mesh = builder.add_mesh("one", data);
    const Scene scene = builder.finish();
    const Primitive& primitive = scene[mesh].primitives[0];
    EXPECT_EQ(make_list_indices(scene, primitive).size(), mode == 0 ? 1U : 0U) << mode;
    EXPECT_EQ(count_list_indices(scene, primitive), mode == 0 ? 1U : 0U) << mode;
  }
}

TEST(Indices, AreReadFromEveryUnsignedType) {
  SceneBuilder builder;
  const test::MeshData square = test::make_square();
  const auto check = [&](auto type, ComponentType component) {
    using T = decltype(type);
    std::vector<T> small(square.indices.begin(), square.indices.end());
    Primitive primitive = builder.make_primitive(square, no_material);
    primitive.indices = builder.add_stream(small, ElementType::scalar, component);
    EXPECT_EQ(make_indices(builder.scene, primitive), square.indices);
  };
  check(std::uint8_t{}, ComponentType::u8);
  check(std::uint16_t{}, ComponentType::u16);
  check(std::uint32_t{}, ComponentType::u32);
}

}  // namespace
}  // namespace wakuzume
