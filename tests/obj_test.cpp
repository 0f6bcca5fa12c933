// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include <gtest/gtest.h>

#include <algorithm>
#include <array>
#include <cmath>
#include <ostream>
#include <random>
#include <set>

#include "support/process.h"
#include "wakuzume/findings.h"
#include "wakuzume/image.h"
#include "wakuzume/io.h"

namespace wakuzume {
namespace {

namespace fs = std::filesystem;

/// Files of a kit in a folder of their own.
class Kit : public testing::Test {
 protected:
  Kit() : folder_(test::make_scratch()) {}

  void write(const std::string& name, const std::string& text) {
    fs::create_directories((folder_ / name).parent_path());
    test::write_all(folder_ / name, text);
  }
  void write_picture(const std::string& name) {
    Pixels pixels;
    pixels.width_px = pixels.height_px = 2;
    pixels.rgba.assign(16, 200);
    const auto png = encode_png(pixels);
    write(name, std::string(reinterpret_cast<const char*>(png->data()), png->size()));
  }
  Scene read(const std::string& text) {
    write("kit.obj", text);
    const auto scene = read_scene((folder_ / "kit.obj").string());
    EXPECT_TRUE(scene) << to_string(scene.error());
    return scene ? *scene : Scene{};
  }
  const Material& material(const Scene& scene, const std::string& name) {
    const auto hit = std::find_if(scene.materials.begin(), scene.materials.end(),
                                  [&](const Material& m) { return m.name == name; });
    EXPECT_NE(hit, scene.materials.end()) << name;
    return *hit;
  }

  fs::path folder_;
};

constexpr const char* square =
    "v 0 0 0\nv 1 0 0\nv 1 1 0\nv 0 1 0\nvt 0 0\nvt 1 0\nvt 1 1\nvt 0 1\nvn 0 0 1\n";

double area_of(const Scene& scene, const Primitive& primitive) {
  const auto positions = make_doubles(scene, primitive.find("POSITION"));
  double area = 0;
  const auto indices = make_list_indices(scene, primitive);
  for (std::size_t i = 0; i + 2 < indices.size(); i += 3) {
    const double* a = &positions[3 * std::size_t{indices[i]}];
    const double* b = &positions[3 * std::size_t{indices[i + 1]}];
    const double* c = &positions[3 * std::size_t{indices[i + 2]}];
    area += ((b[0] - a[0]) * (c[1] - a[1]) - (b[1] - a[1]) * (c[0] - a[0])) / 2;
  }
  return area;
}

TEST_F(Kit, FacesBecomeTrianglesWithTheirAttributes) {
  const Scene scene = read(std::string(square) + "f 1/1/1 2/2/1 3/3/1 4/4/1\n");
  ASSERT_EQ(scene.meshes.size(), 1U);
  const Primitive& primitive = scene.meshes[0].primitives[0];
  EXPECT_EQ(make_list_indices(scene, primitive).size(), 6U);
  EXPECT_EQ(count_vertices(scene, primitive), 4U);
  EXPECT_NEAR(area_of(scene, primitive), 1, 1e-12);
  const auto positions = make_doubles(scene, primitive.find("POSITION"));
  const auto uvs = make_doubles(scene, primitive.find("TEXCOORD_0"));
  for (std::size_t v = 0; v < 4; ++v) {
    EXPECT_EQ(uvs[2 * v], positions[3 * v]);
    EXPECT_EQ(uvs[2 * v + 1], 1 - positions[3 * v + 1]) << "v goes down in glTF";
  }
  EXPECT_EQ(make_doubles(scene, primitive.find("NORMAL"))[2], 1);
  EXPECT_EQ(scene.nodes[0].name, "kit");
}

TEST_F(Kit, IndicesCountFromTheEndWhereNegative) {
  const Scene scene = read("v 9 9 9\n" + std::string(square) + "f -4/-4/-1 -3/-3/-1 -2/-2/-1\n");
  EXPECT_NEAR(area_of(scene, scene.meshes[0].primitives[0]), 0.5, 1e-12);
}

TEST_F(Kit, PolygonsKeepTheirAreaWhateverTheirShape) {
  // An L, a star, a comb, and one that starts at its notch; all counter-clockwise.
  const std::vector<std::vector<std::array<double, 2>>> shapes = {
      {{0, 0}, {3, 0}, {3, 1}, {1, 1}, {1, 3}, {0, 3}},
      {{1, 1}, {1, 3}, {0, 3}, {0, 0}, {3, 0}, {3, 1}},
      {{0, 0}, {2, 1}, {4, 0}, {3, 2}, {4, 4}, {2, 3}, {0, 4}, {1, 2}},
      {{0, 0},
       {5, 0},
       {5, 3},
       {4, 3},
       {4, 1},
       {3, 1},
       {3, 3},
       {2, 3},
       {2, 1},
       {1, 1},
       {1, 3},
       {0, 3}},
      {{0, 0}, {4, 0}, {4, 4}, {3, 1}}};
  for (const auto& points : shapes) {
    for (const bool turned : {false, true}) {
      std::string text;
      std::string face = "f";
      for (std::size_t i = 0; i < points.size(); ++i) {
        const auto& p = points[turned ? points.size() - 1 - i : i];
        text += "v " + std::to_string(p[0]) + " " + std::to_string(p[1]) + " 0\n";
        face += " " + std::to_string(i + 1);
      }
      const Scene scene = read(text + face + "\n");
      double expected = 0;  // the shoelace formula, independent of any triangles
      for (std::size_t i = 0; i < points.size(); ++i) {
        const auto& a = points[i];
        const auto& b = points[(i + 1) % points.size()];
        expected += (a[0] * b[1] - b[0] * a[1]) / 2;
      }
      EXPECT_NEAR(area_of(scene, scene.meshes[0].primitives[0]), turned ? -expected : expected,
                  1e-9);
      double unsigned_area = 0;
      const Primitive& primitive = scene.meshes[0].primitives[0];
      const auto positions = make_doubles(scene, primitive.find("POSITION"));
      const auto indices = make_list_indices(scene, primitive);
      EXPECT_EQ(indices.size(), 3 * (points.size() - 2));
      for (std::size_t i = 0; i + 2 < indices.size(); i += 3) {
        const double* a = &positions[3 * std::size_t{indices[i]}];
        const double* b = &positions[3 * std::size_t{indices[i + 1]}];
        const double* c = &positions[3 * std::size_t{indices[i + 2]}];
        unsigned_area +=
            std::abs((b[0] - a[0]) * (c[1] - a[1]) - (b[1] - a[1]) * (c[0] - a[0])) / 2;
      }
      EXPECT_NEAR(unsigned_area, std::abs(expected), 1e-9) << "no triangle lies on another";
    }
  }
}

TEST_F(Kit, ObjectsAreNodesGroupsAreBelowAndMaterialsArePrimitives) {
  const Scene scene = read(std::string(square) +
                           "o house\nusemtl brick\nf 1 2 3\ng roof\nf 1 3 4\nusemtl tile\n"
                           "f 1 2 4\ng\nusemtl brick\nf 2 3 4\no shed\nf 1 2 3\nl 1 2 3\np 4\n");
  ASSERT_EQ(scene.nodes.size(), 3U);
  EXPECT_EQ(make_node_path(scene, NodeId{0}), "/house");
  EXPECT_EQ(make_node_path(scene, NodeId{1}), "/house/roof");
  EXPECT_EQ(make_node_path(scene, NodeId{2}), "/shed");
  EXPECT_EQ(scene[scene.nodes[0].mesh].primitives.size(), 1U);
  EXPECT_EQ(count_list_indices(scene, scene[scene.nodes[0].mesh].primitives[0]), 6U)
      << "what goes on after an interruption joins what was there";
  EXPECT_EQ(scene[scene.nodes[1].mesh].primitives.size(), 2U);
  const auto& shed = scene[scene.nodes[2].mesh].primitives;
  ASSERT_EQ(shed.size(), 3U);
  EXPECT_EQ(shed[1].mode, PrimitiveMode::lines);
  EXPECT_EQ(count_list_indices(scene, shed[1]), 4U);
  EXPECT_EQ(shed[2].mode, PrimitiveMode::points);
}

TEST_F(Kit, ColorsOfVerticesAreTaken) {
  const Scene scene = read("v 0 0 0 1 0 0\nv 1 0 0 0 1 0\nv 1 1 0 0 0 1\nf 1 2 3\n");
  EXPECT_EQ(make_doubles(scene, scene.meshes[0].primitives[0].find("COLOR_0")),
            (std::vector<double>{1, 0, 0, 1, 0, 1, 0, 1, 0, 0, 1, 1}));
}

TEST_F(Kit, SmoothingGroupsShareNormalsAndOthersDoNot) {
  // A roof of two slopes of unequal length, its ridge along z.
  const std::string roof = "v -1 0 0\nv 0 1 0\nv 3 0 0\nv -1 0 2\nv 0 1 2\nv 3 0 2\n";
  const std::string slopes = "f 4 5 2 1\nf 5 6 3 2\n";
  const auto normals_at_ridge = [&](const std::string& text) {
    const Scene scene = read(roof + text);
    const Primitive& primitive = scene.meshes[0].primitives[0];
    std::set<std::array<float, 3>> out;
    if (primitive.find("NORMAL") == no_stream) {
      return out;
    }
    const auto places = make_floats(scene, primitive.find("POSITION"));
    const auto normals = make_floats(scene, primitive.find("NORMAL"));
    for (std::size_t v = 0; v < places.size(); v += 3) {
      if (places[v + 1] == 1) {
        out.insert({normals[v], normals[v + 1], normals[v + 2]});
      }
    }
    return out;
  };
  EXPECT_TRUE(normals_at_ridge(slopes).empty()) << "flat, as the standard makes them";
  EXPECT_TRUE(normals_at_ridge("s off\n" + slopes).empty());
  EXPECT_EQ(normals_at_ridge("s 1\nf 4 5 2 1\ns 2\nf 5 6 3 2\n").size(), 2U);
  const auto smooth = normals_at_ridge("s 1\n" + slopes);
  ASSERT_EQ(smooth.size(), 1U);
  // By area: of the slopes (-1, 1, 0) x 2 and (1, 3, 0) x 2.
  const double length = std::hypot(0.0, 4.0);
  EXPECT_NEAR((*smooth.begin())[0], 0 / length, 1e-6);
  EXPECT_NEAR((*smooth.begin())[1], 4 / length, 1e-6);
  // What has normals of its own keeps them.
  const auto own = normals_at_ridge("vn 0 0 1\ns 1\nf 4//1 5//1 2//1 1//1\n");
  EXPECT_EQ(own, (std::set<std::array<float, 3>>{{0, 0, 1}}));
  EXPECT_TRUE(normals_at_ridge("s many\n" + slopes).empty());
}

TEST_F(Kit, OnePictureForRoughnessAndMetalIsTaken) {
  write_picture("both.png");
  write_picture("other.png");
  write("kit.mtl",
        "newmtl both\nmap_Pr both.png\nmap_Pm both.png\n"
        "newmtl apart\nPr 0.3\nmap_Pr both.png\nmap_Pm other.png\n");
  const Scene scene = read(std::string("mtllib kit.mtl\n") + square +
                           "usemtl both\nf 1 2 3\nusemtl apart\nf 1 3 4\n");
  const Material& both = material(scene, "both");
  EXPECT_NE(both.metallic_roughness_texture.texture, no_texture);
  EXPECT_EQ(both.metallic, 1);
  EXPECT_EQ(both.roughness, 1);
  const Material& apart = material(scene, "apart");
  EXPECT_EQ(apart.metallic_roughness_texture.texture, no_texture);
  EXPECT_NEAR(apart.roughness, 0.3, 1e-6);
  EXPECT_NE(apart.extra->extras.find("\"map_Pm\":\"other.png\""), std::string::npos);
}

TEST_F(Kit, MaterialsComeWithFactorsAndTextureOptions) {
  write_picture("maps/Brick Wall.png");
  write_picture("normal.png");
  write("my kit.mtl",
        "# a comment\nnewmtl brick wall\nKd 0.5 0.25 1\nKe 0.1\nNs 0\nd 0.5\nKs 1 1 1\n"
        "map_Kd -blendu on -S 2 3 1 -o 0.25 0.5 -mm 0 1 -clamp on -texres 512 "
        "C:\\kits\\maps\\brick wall.PNG\n"
        "map_Bump -bm 0.75 normal.png\nmap_Ks gloss.png\n"
        "newmtl metal\nPr 0.3\nPm 0.9\nTr 0.25\nnorm normal.png\n");
  const Scene scene = read("mtllib my kit.mtl\n" + std::string(square) +
                           "usemtl brick wall\nf 1/1 2/2 3/3\nusemtl metal\nf 1/1 2/2 4/4\n");
  const Material& brick = material(scene, "brick wall");
  EXPECT_EQ(brick.base_color, (Vec4d{0.5, 0.25, 1, 0.5}));
  EXPECT_EQ(brick.alpha_mode, AlphaMode::blend);
  EXPECT_NEAR(brick.emissive[2], 0.1, 1e-7) << "one number stands for three";
  EXPECT_EQ(brick.roughness, 1);
  EXPECT_EQ(brick.normal_texture.factor, 0.75);
  ASSERT_NE(brick.base_color_texture.texture, no_texture);
  const Texture& texture = scene.textures[to_index(brick.base_color_texture.texture)];
  EXPECT_EQ(scene.images[to_index(texture.image)].uri, "maps/Brick%20Wall.png");
  EXPECT_EQ(scene.samplers[to_index(texture.sampler)].wrap_s, 33071U);
  ASSERT_TRUE(brick.base_color_texture.transform);
  const UvTransform& transform = *brick.base_color_texture.transform;
  EXPECT_EQ(transform.scale, (Vec2d{2, 3}));
  EXPECT_EQ(transform.offset, (Vec2d{0.25, 1 - 3 - 0.5}));
  EXPECT_NE(brick.extra->extras.find(R"("map_Ks":"gloss.png")"), std::string::npos);
  const Material& metal = material(scene, "metal");
  EXPECT_NEAR(metal.roughness, 0.3, 1e-6);
  EXPECT_NEAR(metal.metallic, 0.9, 1e-6);
  EXPECT_NEAR(metal.base_color[3], 0.75, 1e-6);
  EXPECT_EQ(scene.images.size(), 2U) << "one file is one image";
  EXPECT_TRUE(scene.missing_files.empty());
}

TEST_F(Kit, UvTransformShowsTheSamePlaceAsTheOptions) {
  write_picture("a.png");
  write("a.mtl", "newmtl m\nmap_Kd -s 2 3 -o 0.1 0.2 a.png\n");
  const Scene scene = read(
      "mtllib a.mtl\nusemtl m\nv 0 0 0\nv 1 0 0\nv 0 1 0\n"
      "vt 0.3 0.7\nvt 1 0\nvt 0 1\nf 1/1 2/2 3/3\n");
  const UvTransform& t = *scene.materials[0].base_color_texture.transform;
  const auto uvs = make_doubles(scene, scene.meshes[0].primitives[0].find("TEXCOORD_0"));
  EXPECT_NEAR(t.scale[0] * uvs[0] + t.offset[0], 2 * 0.3 + 0.1, 1e-6);
  EXPECT_NEAR(t.scale[1] * uvs[1] + t.offset[1], 1 - (3 * 0.7 + 0.2), 1e-6);
}

TEST_F(Kit, WhatIsMissingIsListedAndTheRestIsRead) {
  write("a.mtl", "newmtl m\nmap_Kd ../../etc/passwd.png\nmap_Bump gone.png\n");
  const Scene scene = read("mtllib a.mtl none.mtl\n" + std::string(square) +
                           "usemtl m\nf 1/1 2/2 3/3\nusemtl unknown\nf 1/1 3/3 4/4\n");
  ASSERT_EQ(scene.missing_files.size(), 3U);
  EXPECT_EQ(scene.missing_files[0].uri, "../../etc/passwd.png");
  EXPECT_EQ(scene.missing_files[1].uri, "gone.png");
  EXPECT_EQ(scene.missing_files[2].uri, "none.mtl");
  EXPECT_NE(scene.missing_files[0].used_for.find("material m"), std::string::npos);
  EXPECT_EQ(scene.materials.size(), 2U) << "unknown materials are kept apart by name";
  const auto findings = find_findings(scene, *survey(scene), {});
  ASSERT_TRUE(findings);
  EXPECT_EQ(std::count_if(findings->begin(), findings->end(),
                          [](const Finding& f) { return f.code == FindingCode::file_missing; }),
            3);
}

TEST_F(Kit, GoesThroughTheWholeJob) {
  write_picture("a.png");
  write("a.mtl", "newmtl m\nmap_Kd a.png\n");
  std::string text = "mtllib a.mtl\nusemtl m\n" + std::string(square);
  for (int i = 0; i < 5; ++i) {
    text += "o part_" + std::to_string(i) + "\nf 1/1/1 2/2/1 3/3/1 4/4/1\n";
  }
  const Scene scene = read(text);
  const auto out = folder_ / "out";
  const test::Outcome outcome =
      test::run_tool({"run", (folder_ / "kit.obj").string(), "-o", out.string()});
  EXPECT_EQ(outcome.exit_code, 0) << outcome.err;
  const auto after = read_scene((out / "kit.glb").string());
  ASSERT_TRUE(after);
  EXPECT_EQ(count_totals(scene).draws, 5U);
  EXPECT_EQ(count_totals(*after).draws, 1U);
  EXPECT_EQ(test::ask_validator(out / "kit.glb"), "0 0");
}

struct BadObj {
  const char* text;
  const char* place;
  const char* message;
};
std::ostream& operator<<(std::ostream& out, const BadObj& fault) { return out << fault.message; }
class BadObjs : public Kit, public testing::WithParamInterface<BadObj> {};

TEST_P(BadObjs, NameFileAndLine) {
  write("bad.obj", GetParam().text);
  const auto scene = read_scene((folder_ / "bad.obj").string());
  ASSERT_FALSE(scene);
  EXPECT_EQ(scene.error().code, ErrorCode::bad_value);
  EXPECT_EQ(scene.error().place.pointer, GetParam().place);
  EXPECT_NE(scene.error().message.find(GetParam().message), std::string::npos)
      << to_string(scene.error());
}

INSTANTIATE_TEST_SUITE_P(
    Faults,
    BadObjs,
    testing::Values(BadObj{"v 0 0 0\nf 1 2 3\n", "line 2", "vertex 2 is asked for, 1 are there"},
                    BadObj{"v 0 0 0\nf 1 0 1\n", "line 2", "vertex 0"},
                    BadObj{"v 0 0 0\nf -2 1 1\n", "line 2", "vertex -2"},
                    BadObj{"v 0 0\n", "line 1", "2 numbers where 3 are needed"},
                    BadObj{"# x\n\nv 0 zero 0\n", "line 3", "\"zero\" is no number"},
                    BadObj{"v 0 0 0\nf 1 \\\n1\n", "line 3", "a face with 2 corners"},
                    BadObj{"v 0 0 0\nf 1 99999999999999999999 1\n", "line 2", "is no index"},
                    BadObj{"v 0 0 0\nf 1/ 1x 1\n", "line 2", "is no index"},
                    BadObj{"l\n", "line 1", "a line with 0 corners"},
                    BadObj{"v 0 0 0\nl 1\n", "line 2", "a line with 1 corners"},
                    BadObj{"v 0 0 0\nl -1\n", "line 2", "a line with 1 corners"},
                    BadObj{"l 4\n", "line 1", "vertex 4 is asked for, 0 are there"},
                    BadObj{"a picture\n", "line 1", "\"a\" is no statement of this format"}));

/// What was skipped, by what it says.
const SkippedPart* find_skipped(const Scene& scene, const std::string& what) {
  for (const SkippedPart& part : scene.skipped_parts) {
    if (part.what == what) {
      return &part;
    }
  }
  return nullptr;
}

TEST_F(Kit, WhatCanNotBeReadIsSkippedAndTold) {
  const Scene scene = read(std::string(square) +
                           "f 1/1/1 2/2/1 3/3/1\n"  // line 10
                           "f 1 2\n"                // two corners
                           "f 1 2 99\n"             // no such vertex
                           "f 1 0 2\n"
                           "v 1 zero 2\n"    // line 14: vertex 5
                           "f 1 2 5\n"       // uses it
                           "l\nl 4\nl -1\n"  // lines of none and one
                           "l 1 2\np 9\n"
                           "f 1/9/1 2/2/1 3/3/1\n"  // line 21: no such UV
                           "f 1/1/7 2/2/1 3/3/1\n"  // no such normal
                           "surf 0 1 0 1 1 2 3 4\n"
                           "made by hand\n");
  ASSERT_EQ(scene.meshes.size(), 1U);
  const auto& primitives = scene.meshes[0].primitives;
  ASSERT_EQ(primitives.size(), 3U) << "faces, a line, and the face without normals";
  EXPECT_EQ(count_list_indices(scene, primitives[0]), 6U);
  EXPECT_EQ(primitives[1].mode, PrimitiveMode::lines);
  EXPECT_EQ(count_list_indices(scene, primitives[1]), 2U);
  EXPECT_EQ(primitives[2].find("NORMAL"), no_stream);
  EXPECT_NE(primitives[2].find("TEXCOORD_0"), no_stream);
  const auto uvs = make_doubles(scene, primitives[0].find("TEXCOORD_0"));
  EXPECT_EQ(std::count(uvs.begin(), uvs.end(), 0.0), 4)
      << "two of (0, 1), (1, 1) and (1, 0), and the corner without UV looks at 0, 0";
  const auto expect = [&](const char* what, std::uint64_t count, std::uint64_t line) {
    const SkippedPart* part = find_skipped(scene, what);
    ASSERT_NE(part, nullptr) << what;
    EXPECT_EQ(part->count, count) << what;
    EXPECT_EQ(part->first_line, line) << what;
    EXPECT_EQ(part->file, "kit.obj");
    EXPECT_FALSE(part->instead.empty());
    EXPECT_FALSE(part->detail.empty());
  };
  expect("faces with fewer than three corners", 1, 11);
  expect("faces with an index that can't be", 3, 12);
  expect("vertices that can't be read", 1, 14);
  expect("lines with fewer than two corners", 2, 16);
  expect("lines and points with an index that can't be", 2, 18);
  expect("indices of texture coordinates that can't be", 1, 21);
  expect("indices of normals that can't be", 1, 22);
  expect("curves and surfaces", 1, 23);
  expect("lines that are no statement", 1, 24);
  EXPECT_EQ(scene.skipped_parts.size(), 9U);
  const auto findings = find_findings(scene, *survey(scene), {});
  ASSERT_TRUE(findings);
  EXPECT_EQ(std::count_if(findings->begin(), findings->end(),
                          [](const Finding& f) { return f.code == FindingCode::part_skipped; }),
            9);
}

TEST_F(Kit, MaterialsWithFaultsKeepTheirDefaults) {
  write_picture("a b.png");
  write("a.mtl",
        "newmtl m\nKd 1 red 1\nNs shiny\nmap_Kd -glow 0.5 on -s 2 2 1 a b.png\n"
        "newmtl n\nmap_Kd -odd.png\n");
  const Scene scene = read("mtllib a.mtl\n" + std::string(square) + "usemtl m\nf 1/1 2/2 3/3\n");
  const Material& m = material(scene, "m");
  ASSERT_NE(m.base_color_texture.texture, no_texture);
  EXPECT_EQ(scene.images[0].uri, "a%20b.png");
  EXPECT_EQ(m.base_color_texture.transform->scale, (Vec2d{2, 2}));
  const SkippedPart* numbers = find_skipped(scene, "numbers of materials that can't be read");
  ASSERT_NE(numbers, nullptr);
  EXPECT_EQ(numbers->count, 2U);
  EXPECT_EQ(numbers->first_line, 2U);
  EXPECT_EQ(numbers->file, "a.mtl");
  const SkippedPart* options = find_skipped(scene, "options of textures that are not known");
  ASSERT_NE(options, nullptr);
  EXPECT_EQ(options->count, 1U);
  EXPECT_EQ(scene.missing_files.size(), 1U) << "a name may begin like an option";
}

/// Text of an OBJ and its MTL whose names are "grün" and "naïve", in some encoding.
TEST_F(Kit, NamesInOtherEncodingsComeOutAsUtf8) {
  const auto utf16 = [](const std::string& latin1, bool big) {
    std::string out = big ? "\xFE\xFF" : "\xFF\xFE";
    for (const char c : latin1) {
      out += big ? std::string{'\0', c} : std::string{c, '\0'};
    }
    return out;
  };
  const auto to_utf8 = [](const std::string& latin1) {
    std::string out;
    for (const char c : latin1) {
      const auto byte = static_cast<unsigned char>(c);
      out += byte < 0x80 ? std::string{c}
                         : std::string{static_cast<char>(0xC0U | byte >> 6U),
                                       static_cast<char>(0x80U | (byte & 0x3FU))};
    }
    return out;
  };
  const std::string obj =
      "mtllib m.mtl\n" + std::string(square) + "o na\xEFve\nusemtl gr\xFCn\nf 1/1 2/2 3/3\n";
  const std::string mtl = "newmtl gr\xFCn\nmap_Kd gr\xFCn.png\n";
  write_picture("gr\xC3\xBCn.png");
  for (const auto& [o, m] : std::vector<std::pair<std::string, std::string>>{
           {obj, mtl},
           {to_utf8(obj), to_utf8(mtl)},
           {obj, to_utf8(mtl)},
           {"\xEF\xBB\xBF" + to_utf8(obj), mtl},
           {utf16(obj, false), utf16(mtl, true)},
           {"# \xC3\xBC\n" + obj, to_utf8("# \xFC\n") + mtl}}) {
    write("m.mtl", m);
    const Scene scene = read(o);
    ASSERT_EQ(scene.nodes.size(), 1U);
    EXPECT_EQ(scene.nodes[0].name, "na\xC3\xAFve");
    ASSERT_EQ(scene.materials.size(), 1U) << "both files mean one material";
    EXPECT_EQ(scene.materials[0].name, "gr\xC3\xBCn");
    EXPECT_TRUE(scene.missing_files.empty());
  }
  // The file itself under its old name, and the whole job.
  fs::remove(folder_ / "gr\xC3\xBCn.png");
  write_picture("gr\xFCn.png");
  write("m.mtl", mtl);
  write("kit.obj", obj);
  const test::Outcome outcome =
      test::run_tool({"run", (folder_ / "kit.obj").string(), "-o", (folder_ / "out").string()});
  EXPECT_EQ(outcome.exit_code, 0) << outcome.err;
  EXPECT_EQ(test::ask_validator(folder_ / "out" / "kit.glb"), "0 0");
}

TEST_F(Kit, SurvivesRandomDamage) {
  write("a.mtl", "newmtl m\nKd 1 1 1\nmap_Kd -s 1 1 a.png\n");
  const std::string whole = "mtllib a.mtl\n" + std::string(square) +
                            "usemtl m\no a\nf 1/1/1 2/2/1 3/3/1 4/4/1\nl 1 2 3\ng b\nf -1 -2 -3\n";
  std::mt19937 random(7);
  std::size_t read_well = 0;
  for (int round = 0; round < 2000; ++round) {
    std::string text = whole;
    for (int i = 0; i < 3; ++i) {
      text[random() % text.size()] = static_cast<char>(random());
    }
    text.resize(random() % 4 == 0 ? random() % text.size() : text.size());
    write("kit.obj", text);
    const auto scene = read_scene((folder_ / "kit.obj").string());
    read_well += scene ? 1U : 0U;
    if (scene) {
      EXPECT_TRUE(check_scene(*scene));
      EXPECT_TRUE(survey(*scene));
    } else {
      EXPECT_FALSE(scene.error().message.empty());
    }
  }
  EXPECT_GT(read_well, 1000U) << "one fault refuses no file";
  EXPECT_LT(read_well, 2000U);
}

}  // namespace
}  // namespace wakuzume
