// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include <gtest/gtest.h>

#include <cmath>
#include <cstring>

#include "support/scene_builder.h"
#include "wakuzume/build.h"
#include "wakuzume/verify.h"

/// What becomes of vertex attributes that the members of a cluster do not share.
namespace wakuzume {
namespace {

using test::Floats;
using test::MeshData;
using test::SceneBuilder;

class MergeAttributes : public testing::Test {
 protected:
  MergeAttributes() : material_(builder_.add_material("stone")) {}

  void add(const MeshData& data, const Trs& trs = {}) {
    builder_.add_node("n", builder_.add_mesh("m", data, material_), trs);
  }
  void add(Primitive primitive, const Trs& trs = {}) {
    builder_.add_node("n", builder_.add_mesh("m", {std::move(primitive)}), trs);
  }

  /// Builds and expects one draw.
  const Primitive& merge() {
    source_ = builder_.finish();
    const auto found = survey(source_);
    const auto plan = propose(source_, *found, {.repeats = Repeats::merge});
    auto built = build(source_, *plan);
    EXPECT_TRUE(built) << to_string(built.error());
    result_ = std::move(built->scene);
    const auto valid = check_scene(result_);
    EXPECT_TRUE(valid) << to_string(valid.error());
    const auto verdict = verify(source_, result_, built->ledger);
    EXPECT_TRUE(verdict && verdict->passed)
        << (verdict->mismatches.empty() ? "" : verdict->mismatches[0].what);
    const auto draws = make_draw_list(result_);
    EXPECT_EQ(draws.size(), 1U);
    return result_[result_[draws[0].node].mesh].primitives[0];
  }

  Floats values(const Primitive& primitive, const char* semantic) {
    const StreamId id = primitive.find(semantic);
    EXPECT_NE(id, no_stream) << semantic;
    return id == no_stream ? Floats() : make_floats(result_, id);
  }

  SceneBuilder builder_;
  MaterialId material_;
  Scene source_;
  Scene result_;
};

TEST_F(MergeAttributes, MissingColoursAreWhiteAndMissingUvsAreZero) {
  MeshData full = test::make_square();
  full.colors.assign(16, 0.25F);
  MeshData bare = test::make_square();
  bare.uvs.clear();
  add(full);
  add(bare, test::at(2));
  const Primitive& merged = merge();
  const Floats colors = values(merged, "COLOR_0");
  const Floats uvs = values(merged, "TEXCOORD_0");
  EXPECT_EQ(colors[0], 0.25F);
  EXPECT_EQ(Floats(colors.begin() + 16, colors.end()), Floats(16, 1.0F));
  EXPECT_EQ(Floats(uvs.begin(), uvs.begin() + 8), full.uvs);
  EXPECT_EQ(Floats(uvs.begin() + 8, uvs.end()), Floats(8, 0.0F));
}

TEST_F(MergeAttributes, MissingNormalsBecomeFlatOnes) {
  MeshData bare = test::make_tetrahedron();
  bare.normals.clear();
  add(test::make_square());
  add(bare, test::scaled(1, 1, -1));
  const Primitive& merged = merge();
  EXPECT_EQ(count_vertices(result_, merged), 4U + 12U) << "each corner of the flat part its own";
  const Floats p = values(merged, "POSITION");
  const Floats n = values(merged, "NORMAL");
  const auto indices = make_indices(result_, merged);
  for (std::size_t i = 6; i < indices.size(); i += 3) {
    const float* a = &p[indices[i] * 3];
    const float* b = &p[indices[i + 1] * 3];
    const float* c = &p[indices[i + 2] * 3];
    const double u[3] = {b[0] - a[0], b[1] - a[1], b[2] - a[2]};
    const double v[3] = {c[0] - a[0], c[1] - a[1], c[2] - a[2]};
    const double face[3] = {u[1] * v[2] - u[2] * v[1], u[2] * v[0] - u[0] * v[2],
                            u[0] * v[1] - u[1] * v[0]};
    const double length = std::hypot(face[0], face[1], face[2]);
    for (std::size_t corner = 0; corner < 3; ++corner) {
      for (std::size_t k = 0; k < 3; ++k) {
        EXPECT_NEAR(n[indices[i + corner] * 3 + k], face[k] / length, 1e-6);
      }
    }
  }
}

TEST_F(MergeAttributes, NormalsThatAllLackStayAway) {
  MeshData bare = test::make_square();
  bare.normals.clear();
  add(bare);
  add(bare, test::at(1));
  const Primitive& merged = merge();
  EXPECT_EQ(merged.find("NORMAL"), no_stream);
  EXPECT_EQ(count_vertices(result_, merged), 8U);
}

TEST_F(MergeAttributes, ByteColoursPassThroughBitForBit) {
  for (int part = 0; part < 2; ++part) {
    MeshData bare = test::make_square();
    bare.normals.clear();
    Primitive primitive = builder_.make_primitive(bare, material_);
    std::vector<std::uint8_t> bytes(16);
    for (std::size_t i = 0; i < 16; ++i) {
      bytes[i] = static_cast<std::uint8_t>(i * 16 + static_cast<std::size_t>(part) * 15);
    }
    primitive.attributes.push_back(
        {"COLOR_0", builder_.add_stream(bytes, ElementType::vec4, ComponentType::u8, true)});
    add(std::move(primitive), test::at(part));
  }
  const Primitive& merged = merge();
  const StreamId id = merged.find("COLOR_0");
  EXPECT_EQ(result_[id].component, ComponentType::u8);
  EXPECT_TRUE(result_[id].normalized);
  const auto packed = make_packed(result_, id);
  ASSERT_EQ(packed.size(), 32U);
  for (std::size_t i = 0; i < 32; ++i) {
    EXPECT_EQ(static_cast<std::size_t>(packed[i]), (i % 16) * 16 + i / 16 * 15);
  }
}

TEST_F(MergeAttributes, EverySixteenBitColourSurvives) {
  std::vector<std::uint16_t> all(65'536);
  for (std::size_t i = 0; i < all.size(); ++i) {
    all[i] = static_cast<std::uint16_t>(i);
  }
  for (int part = 0; part < 2; ++part) {
    MeshData points;
    points.mode = PrimitiveMode::points;
    points.positions.assign(std::size_t{3} * 16'384, 0.0F);
    Primitive primitive = builder_.make_primitive(points, material_);
    primitive.attributes.push_back(
        {"COLOR_0", builder_.add_stream(all, ElementType::vec4, ComponentType::u16, true)});
    add(std::move(primitive), test::at(part));
  }
  const Primitive& merged = merge();
  const auto packed = make_packed(result_, merged.find("COLOR_0"));
  ASSERT_EQ(packed.size(), all.size() * 4);
  EXPECT_EQ(std::memcmp(packed.data(), all.data(), all.size() * 2), 0);
  EXPECT_EQ(std::memcmp(packed.data() + all.size() * 2, all.data(), all.size() * 2), 0);
}

TEST_F(MergeAttributes, ColoursOfTwoTypesMeetAsFloatsAndThreeComponentsGetAnAlpha) {
  Primitive bytes = builder_.make_primitive(test::make_square(), material_);
  MeshData floats = test::make_square();
  floats.colors.assign(16, 0.5F);
  // Three bytes an element: the standard wants a stride of four.
  const std::vector<std::uint8_t> padded{0, 51, 102, 9, 153, 204, 255, 9,
                                         0, 51, 102, 9, 153, 204, 255, 9};
  Stream stream;
  stream.count = 4;
  stream.element = ElementType::vec3;
  stream.component = ComponentType::u8;
  stream.normalized = true;
  bytes.attributes.push_back(
      {"COLOR_0", builder_.add_bytes(padded.data(), padded.size(), stream, 4)});
  add(std::move(bytes));
  add(floats, test::at(3));
  const Primitive& merged = merge();
  const StreamId id = merged.find("COLOR_0");
  EXPECT_EQ(result_[id].component, ComponentType::f32);
  const Floats colors = values(merged, "COLOR_0");
  EXPECT_EQ((Floats{colors[0], colors[1], colors[2], colors[3]}), (Floats{0, 0.2F, 0.4F, 1}));
  EXPECT_EQ(colors[16], 0.5F);
}

TEST_F(MergeAttributes, QuantisedPositionsAndUvsAreConvertedExactly) {
  Primitive primitive;
  primitive.material = material_;
  const std::vector<std::int16_t> positions{0, 0, 0, 0, 32767, -32768, 16384, 0, -32767, 1, 2, 0};
  Stream stream;
  stream.count = 3;
  stream.element = ElementType::vec3;
  stream.component = ComponentType::i16;
  stream.normalized = true;
  primitive.attributes.push_back(
      {"POSITION", builder_.add_bytes(positions.data(), positions.size() * 2, stream, 8)});
  primitive.attributes.push_back(
      {"TEXCOORD_0", builder_.add_stream(std::vector<std::uint16_t>{0, 65535, 32768, 1, 13107, 0},
                                         ElementType::vec2, ComponentType::u16, true)});
  add(primitive);
  add(primitive, test::at(0, 0, 2));
  const Primitive& merged = merge();
  const auto p = make_doubles(result_, merged.find("POSITION"));
  const double pivot_x = result_[make_draw_list(result_)[0].node].trs.translation[0];
  EXPECT_NEAR(p[3] + pivot_x, 1, 1e-7);
  EXPECT_NEAR(p[6] + pivot_x, -1, 1e-7);
  const Floats uvs = values(merged, "TEXCOORD_0");
  EXPECT_EQ(Floats(uvs.begin(), uvs.begin() + 6),
            (Floats{0, 1, 32768.0F / 65535, 1.0F / 65535, 0.2F, 0}));
}

TEST_F(MergeAttributes, CustomAttributesAreCopiedAndPadded) {
  for (int part = 0; part < 2; ++part) {
    MeshData bare = test::make_square();
    Primitive primitive = builder_.make_primitive(bare, material_);
    // One byte a vertex, four bytes apart, as the standard wants vertex data aligned.
    const std::vector<std::uint8_t> bytes{7, 0, 0, 0, 8, 0, 0, 0, 9, 0, 0, 0, 10, 0, 0, 0};
    Stream stream;
    stream.count = 4;
    stream.component = ComponentType::u8;
    primitive.attributes.push_back(
        {"_ROOM", builder_.add_bytes(bytes.data(), bytes.size(), stream, 4)});
    add(std::move(primitive), test::at(part));
  }
  const Primitive& merged = merge();
  const Stream& rooms = result_[merged.find("_ROOM")];
  EXPECT_EQ(rooms.component, ComponentType::u8);
  EXPECT_EQ(result_[rooms.view].stride, 4U);
  EXPECT_EQ(values(merged, "_ROOM"), (Floats{7, 8, 9, 10, 7, 8, 9, 10}));
}

TEST_F(MergeAttributes, SparseAndMissingViewsAreDecoded) {
  Primitive primitive = builder_.make_primitive(test::make_square(), material_);
  const StreamId index = builder_.add_stream(std::vector<std::uint16_t>{2, 0}, ElementType::scalar,
                                             ComponentType::u16);
  const StreamId moved =
      builder_.add_stream(Floats{5, 6, 7}, ElementType::vec3, ComponentType::f32);
  SparseSubstitution sparse;
  sparse.count = 1;
  sparse.index_view = builder_.scene[index].view;
  sparse.value_view = builder_.scene[moved].view;
  Stream& positions = builder_.scene.streams[to_index(primitive.attributes[0].stream)];
  positions.sparse = sparse;
  positions.bounds.reset();
  Stream zeros;
  zeros.count = 4;
  zeros.element = ElementType::vec2;
  builder_.scene.streams.push_back(zeros);
  primitive.attributes.push_back(
      {"TEXCOORD_1", make_id<StreamId>(builder_.scene.streams.size() - 1)});
  add(primitive);
  add(primitive, test::at(0, 0, 9));
  const Primitive& merged = merge();
  const auto p = make_doubles(result_, merged.find("POSITION"));
  const Vec3d pivot = result_[make_draw_list(result_)[0].node].trs.translation;
  EXPECT_NEAR(p[6] + pivot[0], 5, 1e-6);
  EXPECT_NEAR(p[7] + pivot[1], 6, 1e-6);
  EXPECT_NEAR(p[8] + pivot[2], 7, 1e-6);
  EXPECT_EQ(values(merged, "TEXCOORD_1"), Floats(16, 0.0F));
}

TEST_F(MergeAttributes, OnlyUsedVerticesOfASharedBufferAreTaken) {
  MeshData large = test::make_square();
  for (int i = 0; i < 1000; ++i) {
    large.positions.insert(large.positions.end(), {9, 9, 9});
  }
  large.normals.clear();
  large.uvs.clear();
  large.indices = {0, 1, 2, 1003, 2, 1};
  add(large);
  Primitive shared = builder_.scene.meshes[0].primitives[0];
  shared.indices = builder_.add_stream(std::vector<std::uint32_t>{500, 501, 502},
                                       ElementType::scalar, ComponentType::u32);
  add(shared, test::at(1));
  const Primitive& merged = merge();
  EXPECT_EQ(count_vertices(result_, merged), 4U + 3U);
}

TEST_F(MergeAttributes, LinesAndPointsMergeAmongTheirOwnKind) {
  for (const auto mode :
       {PrimitiveMode::lines, PrimitiveMode::line_strip, PrimitiveMode::line_loop}) {
    MeshData data = test::make_square();
    data.mode = mode;
    data.indices = {0, 1, 2, 3};
    add(data);
  }
  const Primitive& merged = merge();
  EXPECT_EQ(merged.mode, PrimitiveMode::lines);
  EXPECT_EQ(make_indices(result_, merged),
            (std::vector<std::uint32_t>{0, 1, 2, 3, 4, 5, 5, 6, 6, 7, 8, 9, 9, 10, 10, 11, 11, 8}));
}

}  // namespace
}  // namespace wakuzume
