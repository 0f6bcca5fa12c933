// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include <draco/compression/decode.h>
#include <draco/compression/encode.h>
#include <draco/mesh/mesh.h>
#include <fmt/format.h>
#include <gtest/gtest.h>

#include <array>
#include <cmath>
#include <random>
#include <sstream>

#include "glasshouse.h"
#include "support/process.h"
#include "support/scene_builder.h"
#include "support/soup.h"
#include "wakuzume/build.h"
#include "wakuzume/io.h"
#include "wakuzume/verify.h"

// Meshes that KHR_draco_mesh_compression holds.
namespace wakuzume {
namespace {

constexpr std::uint32_t width = 9;
constexpr std::uint32_t vertices = width * width;
constexpr std::uint32_t triangles = 2 * (width - 1) * (width - 1);

template <std::size_t n>
std::array<float, n> make_values(std::uint32_t vertex, const char* semantic) {
  const auto x = static_cast<float>(vertex % width);
  const auto y = static_cast<float>(vertex / width);
  const std::array<float, 3> all = semantic[0] == 'P' ? std::array{x, y, std::sin(x + y)}
                                   : semantic[0] == 'N'
                                       ? std::array{0.F, 0.F, 1.F}
                                       : std::array{x / (width - 1), y / (width - 1), 0.F};
  std::array<float, n> out{};
  std::copy_n(all.begin(), n, out.begin());
  return out;
}

/// A wavy sheet with normals, UVs and colours of a byte each.
class Sheet {
 public:
  Sheet() {
    mesh_.set_num_points(vertices);
    position_ = add<3>(draco::GeometryAttribute::POSITION, "POSITION");
    normal_ = add<3>(draco::GeometryAttribute::NORMAL, "NORMAL");
    uv_ = add<2>(draco::GeometryAttribute::TEX_COORD, "TEXCOORD_0");
    draco::GeometryAttribute color;
    color.Init(draco::GeometryAttribute::COLOR, nullptr, 4, draco::DT_UINT8, true, 4, 0);
    color_ = mesh_.AddAttribute(color, true, vertices);
    for (std::uint32_t v = 0; v < vertices; ++v) {
      const std::array<std::uint8_t, 4> value{static_cast<std::uint8_t>(v), 7, 200, 255};
      mesh_.attribute(color_)->SetAttributeValue(draco::AttributeValueIndex(v), value.data());
    }
    for (std::uint32_t t = 0; t < triangles; ++t) {
      const std::uint32_t at = t / 2 / (width - 1) * width + t / 2 % (width - 1);
      draco::Mesh::Face face;
      face[0] = draco::PointIndex(t % 2 == 0 ? at : at + width);
      face[1] = draco::PointIndex(at + 1);
      face[2] = draco::PointIndex(t % 2 == 0 ? at + width : at + width + 1);
      mesh_.AddFace(face);
    }
  }

  std::string encode(int method, int quantised_bits) {
    draco::Encoder encoder;
    encoder.SetEncodingMethod(method);
    if (quantised_bits > 0) {
      encoder.SetAttributeQuantization(draco::GeometryAttribute::POSITION, quantised_bits);
      encoder.SetAttributeQuantization(draco::GeometryAttribute::TEX_COORD, quantised_bits);
      encoder.SetAttributeQuantization(draco::GeometryAttribute::NORMAL, 10);
    }
    encoder.SetTrackEncodedProperties(true);
    draco::EncoderBuffer buffer;
    EXPECT_TRUE(encoder.EncodeMeshToBuffer(mesh_, &buffer).ok());
    points = static_cast<std::uint32_t>(encoder.num_encoded_points());
    return {buffer.data(), buffer.size()};
  }

  [[nodiscard]] std::array<std::uint32_t, 4> list_ids() const {
    std::array<std::uint32_t, 4> out{};
    const int numbers[] = {position_, normal_, uv_, color_};
    for (std::size_t i = 0; i < out.size(); ++i) {
      out[i] = mesh_.attribute(numbers[i])->unique_id();
    }
    return out;
  }

  std::uint32_t points = 0;  ///< of what was encoded last

 private:
  template <std::size_t n>
  int add(draco::GeometryAttribute::Type type, const char* semantic) {
    draco::GeometryAttribute attribute;
    attribute.Init(type, nullptr, n, draco::DT_FLOAT32, false, n * sizeof(float), 0);
    const int number = mesh_.AddAttribute(attribute, true, vertices);
    for (std::uint32_t v = 0; v < vertices; ++v) {
      const auto values = make_values<n>(v, semantic);
      mesh_.attribute(number)->SetAttributeValue(draco::AttributeValueIndex(v), values.data());
    }
    return number;
  }

  draco::Mesh mesh_;
  int position_ = 0;
  int normal_ = 0;
  int uv_ = 0;
  int color_ = 0;
};

/// \return the path of a .gltf beside sheet.drc
std::string write_file(const std::string& packed,
                       const Sheet& sheet,
                       std::uint32_t faces = triangles) {
  const auto folder = test::make_scratch();
  const auto ids = sheet.list_ids();
  test::write_all(folder / "sheet.drc", packed);
  test::write_all(
      folder / "sheet.gltf",
      fmt::format(
          R"({{"asset":{{"version":"2.0"}},"scene":0,"scenes":[{{"nodes":[0]}}],"nodes":[{{"mesh":0}}],)"
          R"("extensionsUsed":["KHR_draco_mesh_compression"],)"
          R"("extensionsRequired":["KHR_draco_mesh_compression"],)"
          R"("meshes":[{{"primitives":[{{"attributes":{{"POSITION":1,"NORMAL":2,"TEXCOORD_0":3,)"
          R"("COLOR_0":4}},"indices":0,"extensions":{{"KHR_draco_mesh_compression":)"
          R"({{"bufferView":0,"attributes":{{"POSITION":{},"NORMAL":{},"TEXCOORD_0":{},)"
          R"("COLOR_0":{}}}}}}}}}]}}],)"
          R"("accessors":[{{"componentType":5123,"count":{},"type":"SCALAR"}},)"
          R"({{"componentType":5126,"count":{},"type":"VEC3","min":[0,0,-1],"max":[8,8,1]}},)"
          R"({{"componentType":5126,"count":{},"type":"VEC3"}},)"
          R"({{"componentType":5126,"count":{},"type":"VEC2"}},)"
          R"({{"componentType":5121,"normalized":true,"count":{},"type":"VEC4"}}],)"
          R"("bufferViews":[{{"buffer":0,"byteLength":{}}}],)"
          R"("buffers":[{{"byteLength":{},"uri":"sheet.drc"}}]}})",
          ids[0], ids[1], ids[2], ids[3], 3 * faces, sheet.points, sheet.points, sheet.points,
          sheet.points, packed.size(), packed.size()));
  return (folder / "sheet.gltf").string();
}

TEST(ReadDraco, GivesASequentialMeshBackExactly) {
  Sheet sheet;
  const auto scene =
      read_scene(write_file(sheet.encode(draco::MESH_SEQUENTIAL_ENCODING, 0), sheet));
  ASSERT_TRUE(scene) << to_string(scene.error());
  const Primitive& primitive = scene->meshes[0].primitives[0];
  ASSERT_EQ(count_vertices(*scene, primitive), vertices);
  const auto positions = make_floats(*scene, primitive.find("POSITION"));
  const auto colors = make_packed(*scene, primitive.find("COLOR_0"));
  for (std::uint32_t v = 0; v < vertices; ++v) {
    const auto expected = make_values<3>(v, "POSITION");
    ASSERT_TRUE(std::equal(expected.begin(), expected.end(), positions.begin() + 3 * v)) << v;
    ASSERT_EQ(colors[4 * v], static_cast<std::byte>(v));
  }
  EXPECT_EQ(make_indices(*scene, primitive).size(), 3 * triangles);
  EXPECT_EQ(scene->unpacked, (std::vector<std::string>{"KHR_draco_mesh_compression"}));
  EXPECT_TRUE(scene->extensions_required.empty());
  EXPECT_EQ(scene->blocks.size(), 1U) << "the compressed bytes are gone";
}

TEST(ReadDraco, ReadsWhatEdgesWereFollowedFor) {
  Sheet sheet;
  const auto plain =
      read_scene(write_file(sheet.encode(draco::MESH_SEQUENTIAL_ENCODING, 0), sheet));
  ASSERT_TRUE(plain);
  const auto soup = test::make_soup(*plain);
  const auto packed =
      read_scene(write_file(sheet.encode(draco::MESH_EDGEBREAKER_ENCODING, 14), sheet));
  ASSERT_TRUE(packed) << to_string(packed.error());
  constexpr double step = 1.0 / (1U << 14U);  // of the largest extent
  EXPECT_EQ(test::count_unmatched(soup, test::make_soup(*packed), 8 * step, step), 0U);
  // As a whole the file is one that others can read.
  const auto out = test::make_scratch() / "plain.glb";
  ASSERT_TRUE(write_scene(*packed, out.string()));
  EXPECT_EQ(test::ask_validator(out).substr(0, 2), "0 ");
}

draco::DataType find_type(ComponentType type) {
  switch (type) {
    case ComponentType::i8:
      return draco::DT_INT8;
    case ComponentType::u8:
      return draco::DT_UINT8;
    case ComponentType::i16:
      return draco::DT_INT16;
    case ComponentType::u16:
      return draco::DT_UINT16;
    case ComponentType::u32:
      return draco::DT_UINT32;
    case ComponentType::f32:
      break;
  }
  return draco::DT_FLOAT32;
}

draco::GeometryAttribute::Type find_use(const std::string& semantic) {
  return semantic == "POSITION"              ? draco::GeometryAttribute::POSITION
         : semantic == "NORMAL"              ? draco::GeometryAttribute::NORMAL
         : semantic.starts_with("TEXCOORD_") ? draco::GeometryAttribute::TEX_COORD
         : semantic.starts_with("COLOR_")    ? draco::GeometryAttribute::COLOR
                                             : draco::GeometryAttribute::GENERIC;
}

/// Puts the streams of a primitive into one that the extension holds.
void compress(Scene& scene, Primitive& primitive, int method, int position_bits) {
  draco::Mesh mesh;
  const auto points = static_cast<std::uint32_t>(count_vertices(scene, primitive));
  mesh.set_num_points(points);
  std::vector<int> numbers;
  for (const Attribute& attribute : primitive.attributes) {
    const Stream& stream = scene[attribute.stream];
    const std::uint32_t size = element_bytes(stream.component, stream.element);
    const auto components = static_cast<std::uint8_t>(component_count(stream.element));
    draco::GeometryAttribute made;
    made.Init(find_use(attribute.semantic), nullptr, components, find_type(stream.component),
              stream.normalized, size, 0);
    numbers.push_back(mesh.AddAttribute(made, true, points));
    const std::vector<std::byte> values = make_packed(scene, attribute.stream);
    for (std::uint32_t v = 0; v < points; ++v) {
      mesh.attribute(numbers.back())
          ->SetAttributeValue(draco::AttributeValueIndex(v), &values[std::size_t{size} * v]);
    }
  }
  const std::vector<std::uint32_t> indices = make_list_indices(scene, primitive);
  for (std::size_t i = 0; i + 2 < indices.size(); i += 3) {
    draco::Mesh::Face face;
    for (std::size_t c = 0; c < 3; ++c) {
      face[c] = draco::PointIndex(indices[i + c]);
    }
    mesh.AddFace(face);
  }
  draco::Encoder encoder;
  encoder.SetEncodingMethod(method);
  encoder.SetTrackEncodedProperties(true);
  if (position_bits > 0) {
    encoder.SetAttributeQuantization(draco::GeometryAttribute::POSITION, position_bits);
  }
  draco::EncoderBuffer buffer;
  const bool encoded = encoder.EncodeMeshToBuffer(mesh, &buffer).ok();
  draco::DecoderBuffer again;
  again.Init(buffer.data(), buffer.size());
  // What the library itself can't do stays as it is: few triangles of many points, or degenerate
  // ones alone.
  if (!encoded || !draco::Decoder().DecodeMeshFromBuffer(&again).ok()) {
    return;
  }
  const auto bytes = std::as_bytes(std::span(buffer.data(), buffer.size()));
  scene.blocks.emplace_back().bytes =
      make_bytes(std::vector<std::byte>(bytes.begin(), bytes.end()));
  BlockView& view = scene.views.emplace_back();
  view.block = make_id<BlockId>(scene.blocks.size() - 1);
  view.length = buffer.size();
  std::string ids;
  for (std::size_t a = 0; a < numbers.size(); ++a) {
    Attribute& attribute = primitive.attributes[a];
    Stream stream = scene[attribute.stream];
    stream.view = no_view;
    stream.offset = 0;
    stream.count = encoder.num_encoded_points();
    attribute.stream = make_id<StreamId>(scene.streams.size());
    scene.streams.push_back(std::move(stream));
    ids += fmt::format("{}\"{}\":{}", a > 0 ? "," : "", attribute.semantic,
                       mesh.attribute(numbers[a])->unique_id());
  }
  Stream stream;
  stream.component = ComponentType::u32;
  stream.count = 3 * encoder.num_encoded_faces();
  primitive.indices = make_id<StreamId>(scene.streams.size());
  scene.streams.push_back(std::move(stream));
  primitive.mode = PrimitiveMode::triangles;
  primitive.extra.ensure().extensions.push_back(
      {"KHR_draco_mesh_compression",
       fmt::format(R"({{"bufferView":{},"attributes":{{{}}}}})", scene.views.size() - 1, ids)});
}

Scene compress(Scene scene, int method, int position_bits) {
  for (Mesh& mesh : scene.meshes) {
    for (Primitive& primitive : mesh.primitives) {
      if (primitive.morph_targets.empty() && primitive.mode == PrimitiveMode::triangles) {
        compress(scene, primitive, method, position_bits);
      }
    }
  }
  scene.extensions_used.emplace_back("KHR_draco_mesh_compression");
  scene.extensions_required.emplace_back("KHR_draco_mesh_compression");
  return scene;
}

/// A scene that was written compressed, as it is read.
Scene read_compressed(const Scene& source, int method, int position_bits) {
  const std::string path = (test::make_scratch() / "packed.glb").string();
  const auto written = write_scene(compress(source, method, position_bits), path);
  EXPECT_TRUE(written) << to_string(written.error());
  auto packed = read_scene(path);
  EXPECT_TRUE(packed) << to_string(packed.error());
  return packed ? std::move(*packed) : Scene{};
}

TEST(ReadDraco, WholeScenesShowTheSameTriangles) {
  for (const std::uint32_t seed : {1U, 2U, 3U}) {
    const Scene plain = test::make_random_scene(seed, 60);
    const auto soup = test::make_soup(plain);
    const Scene exact = read_compressed(plain, draco::MESH_SEQUENTIAL_ENCODING, 0);
    EXPECT_EQ(exact.unpacked, (std::vector<std::string>{"KHR_draco_mesh_compression"}));
    EXPECT_EQ(test::count_unmatched(soup, test::make_soup(exact), 0), 0U) << seed;
    const Scene close = read_compressed(plain, draco::MESH_EDGEBREAKER_ENCODING, 16);
    // Following edges leaves out what is degenerate.
    const auto left = test::make_soup(close);
    EXPECT_EQ(test::count_unmatched(left, soup, 1e-3), 0U) << seed;
    EXPECT_GT(left.size(), soup.size() / 2) << seed;
  }
}

TEST(ReadDraco, ResultsOfWholeScenesAreThoseOfThePlainOnes) {
  const Scene source = demo::make_glasshouse();
  const Plan planned = *propose(source, *survey(source));
  const std::size_t draws = survey(build(source, planned)->scene)->draws.size();
  for (const auto& [method, bits] : {std::pair(draco::MESH_SEQUENTIAL_ENCODING, 0),
                                     std::pair(draco::MESH_EDGEBREAKER_ENCODING, 16)}) {
    const Scene packed = read_compressed(source, method, bits);
    const Plan plan = *propose(packed, *survey(packed));
    const Built built = *build(packed, plan);
    const auto verdict = verify(packed, built.scene, built.ledger);
    ASSERT_TRUE(verdict) << to_string(verdict.error());
    EXPECT_TRUE(verdict->passed) << method;
    EXPECT_EQ(survey(built.scene)->draws.size(), draws) << method;
    EXPECT_EQ(plan.groups.size(), planned.groups.size()) << method;
  }
}

TEST(ReadDraco, AgreesWithAnEnginesDecoderBitForBit) {
  for (const int method : {draco::MESH_SEQUENTIAL_ENCODING, draco::MESH_EDGEBREAKER_ENCODING}) {
    Sheet sheet;
    const std::string file = write_file(sheet.encode(method, 11), sheet);
    const auto scene = read_scene(file);
    ASSERT_TRUE(scene) << to_string(scene.error());
    const auto ids = sheet.list_ids();
    const test::Outcome outcome =
        test::run_program({WAKUZUME_NODE, WAKUZUME_JUDGES "/draco.mjs",
                           (std::filesystem::path(file).parent_path() / "sheet.drc").string(),
                           std::to_string(ids[0]), std::to_string(ids[1]), std::to_string(ids[2])});
    ASSERT_EQ(outcome.exit_code, 0) << outcome.err;
    std::istringstream lines(outcome.out);
    const auto next = [&] {
      std::string line;
      std::getline(lines, line);
      return line;
    };
    const auto to_hex = [](const auto& values) {
      std::string out;
      for (const std::byte byte : std::as_bytes(std::span(values))) {
        out += fmt::format("{:02x}", static_cast<unsigned>(byte));
      }
      return out;
    };
    const Primitive& primitive = scene->meshes[0].primitives[0];
    EXPECT_EQ(next(), to_hex(make_indices(*scene, primitive)));
    for (const char* const semantic : {"POSITION", "NORMAL", "TEXCOORD_0"}) {
      EXPECT_EQ(next(), to_hex(make_floats(*scene, primitive.find(semantic)))) << semantic;
    }
  }
}

TEST(ReadDraco, RefusesWhatItsAccessorsDoNotSay) {
  Sheet sheet;
  const std::string packed = sheet.encode(draco::MESH_EDGEBREAKER_ENCODING, 14);
  const auto fewer = read_scene(write_file(packed, sheet, triangles - 1));
  ASSERT_FALSE(fewer);
  EXPECT_EQ(fewer.error().code, ErrorCode::bad_value);
  EXPECT_EQ(fewer.error().place.pointer,
            "/meshes/0/primitives/0/extensions/KHR_draco_mesh_compression");
  EXPECT_NE(fewer.error().message.find("128 triangles"), std::string::npos);
  sheet.points += 1;
  EXPECT_FALSE(read_scene(write_file(packed, sheet)));
}

TEST(ReadDraco, RefusesAnAttributeThatHasNoAccessor) {
  Sheet sheet;
  const std::string file = write_file(sheet.encode(draco::MESH_EDGEBREAKER_ENCODING, 14), sheet);
  std::string text = test::read_all(file);
  const std::string first = R"("attributes":{"POSITION":1)";
  text.replace(text.find(first), first.size(), R"("attributes":{"_OTHER":4000,"POSITION":1)");
  test::write_all(file, text);
  const auto scene = read_scene(file);
  ASSERT_FALSE(scene);
  EXPECT_EQ(scene.error().code, ErrorCode::index_out_of_range);
}

TEST(ReadDraco, EndsDamagedMeshesInAnErrorOrInAScene) {
  Sheet sheet;
  std::mt19937 random(17);
  int refused = 0;
  for (const int method : {draco::MESH_SEQUENTIAL_ENCODING, draco::MESH_EDGEBREAKER_ENCODING}) {
    const std::string whole = sheet.encode(method, 11);
    for (int round = 0; round < 500; ++round) {
      std::string damaged = whole;
      if (random() % 4 == 0) {
        damaged.resize(1 + random() % (whole.size() - 1));
      }
      for (int hits = static_cast<int>(random() % 4); hits > 0; --hits) {
        damaged[random() % damaged.size()] = static_cast<char>(random());
      }
      const auto read = read_scene(write_file(damaged, sheet));
      if (!read) {
        ++refused;
        ASSERT_FALSE(read.error().message.empty());
      }
    }
  }
  EXPECT_GT(refused, 300);
}

}  // namespace
}  // namespace wakuzume
