// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include <fmt/format.h>
#include <gtest/gtest.h>

#include <algorithm>
#include <cmath>
#include <numbers>
#include <random>
#include <sstream>

#include "support/process.h"
#include "wakuzume/build.h"
#include "wakuzume/findings.h"
#include "wakuzume/image.h"
#include "wakuzume/io.h"

namespace wakuzume {
namespace {

namespace fs = std::filesystem;

/// A <source> of so many numbers an element.
std::string make_source(const std::string& id,
                        const std::vector<double>& values,
                        std::size_t width) {
  static constexpr const char* names[] = {"X", "Y", "Z", "W"};
  std::string params;
  for (std::size_t i = 0; i < width; ++i) {
    params += fmt::format("<param name=\"{}\" type=\"float\"/>", names[i]);
  }
  return fmt::format(
      "<source id=\"{0}\"><float_array id=\"{0}-a\" count=\"{1}\">{2}</float_array>"
      "<technique_common><accessor source=\"#{0}-a\" count=\"{3}\" stride=\"{4}\">{5}</accessor>"
      "</technique_common></source>",
      id, values.size(), fmt::join(values, " "), values.size() / width, width, params);
}

/// A square of a metre with UVs; `faces` shows it.
std::string make_geometry(const std::string& id, const std::string& faces) {
  return fmt::format(
      "<geometry id=\"{0}\" name=\"{0} shape\"><mesh>{1}{2}{3}<vertices id=\"{0}-v\">"
      "<input semantic=\"POSITION\" source=\"#{0}-p\"/></vertices>{4}</mesh></geometry>",
      id, make_source(id + "-p", {0, 0, 0, 1, 0, 0, 1, 1, 0, 0, 1, 0}, 3),
      make_source(id + "-n", {0, 0, 1}, 3),
      make_source(id + "-t", {0, 0, 1, 0, 1, 1, 0, 1, 0.5, 0.25}, 2), faces);
}

std::string make_inputs(const std::string& id, std::uint32_t uv_set = 0) {
  return fmt::format(
      "<input semantic=\"VERTEX\" source=\"#{0}-v\" offset=\"0\"/>"
      "<input semantic=\"NORMAL\" source=\"#{0}-n\" offset=\"1\"/>"
      "<input semantic=\"TEXCOORD\" source=\"#{0}-t\" offset=\"2\" set=\"{1}\"/>",
      id, uv_set);
}

std::string make_square(const std::string& id) {
  return make_geometry(id, "<polylist material=\"look\" count=\"1\">" + make_inputs(id) +
                               "<vcount>4</vcount><p>0 0 0 1 0 1 2 0 2 3 0 3</p></polylist>");
}

std::string make_effect(const std::string& inner, const std::string& params = "") {
  return "<library_effects><effect id=\"effect\"><profile_COMMON>" + params +
         "<technique sid=\"common\">" + inner +
         "</technique></profile_COMMON></effect></library_effects><library_materials>"
         "<material id=\"m\" name=\"paint\"><instance_effect url=\"#effect\"/></material>"
         "</library_materials>";
}

constexpr const char* shown_square =
    "<node id=\"n\" name=\"tile\"><instance_geometry url=\"#g\"><bind_material><technique_common>"
    "<instance_material symbol=\"look\" target=\"#m\"/></technique_common></bind_material>"
    "</instance_geometry></node>";

struct Parts {
  std::string geometries = make_square("g");
  std::string nodes = shown_square;
  std::string others{};
  std::string asset{};
};

std::string make_document(const Parts& parts) {
  return "<?xml version=\"1.0\" encoding=\"utf-8\"?>\n"
         "<COLLADA xmlns=\"http://www.collada.org/2005/11/COLLADASchema\" version=\"1.4.1\">\n"
         "<asset>" +
         parts.asset + "</asset>\n" + parts.others + "\n<library_geometries>" + parts.geometries +
         "</library_geometries>\n<library_visual_scenes><visual_scene id=\"s\" name=\"yard\">" +
         parts.nodes +
         "</visual_scene></library_visual_scenes>\n"
         "<scene><instance_visual_scene url=\"#s\"/></scene>\n</COLLADA>\n";
}

class Collada : public testing::Test {
 protected:
  Collada() : folder_(test::make_scratch()) {}

  Result<Scene> try_read(const std::string& text) {
    test::write_all(folder_ / "kit.dae", text);
    return read_scene((folder_ / "kit.dae").string());
  }
  Scene read(const Parts& parts) {
    const auto scene = try_read(make_document(parts));
    EXPECT_TRUE(scene) << to_string(scene.error());
    return scene ? *scene : Scene{};
  }

  fs::path folder_;
};

/// What the judge prints, of a scene of ours.
struct Measures {
  double triangles = 0;
  double area = 0;
  double uvs = 0;
  Box3d box;
};

Measures measure(const Scene& scene) {
  Measures out;
  const std::vector<Mat4d> worlds = make_world_matrices(scene);
  for (std::size_t n = 0; n < scene.nodes.size(); ++n) {
    if (scene.nodes[n].mesh == no_mesh) {
      continue;
    }
    for (const Primitive& primitive : scene[scene.nodes[n].mesh].primitives) {
      const auto positions = make_doubles(scene, primitive.find("POSITION"));
      const auto uvs = make_doubles(scene, primitive.find("TEXCOORD_0"));
      const auto indices = make_list_indices(scene, primitive);
      std::vector<Vec3d> places;
      for (const std::uint32_t i : indices) {
        Vec3d& place = places.emplace_back();
        for (std::size_t row = 0; row < 3; ++row) {
          place[row] = worlds[n][12 + row];
          for (std::size_t c = 0; c < 3; ++c) {
            place[row] += worlds[n][4 * c + row] * positions[3 * std::size_t{i} + c];
          }
        }
        out.box.include(place);
        out.uvs += uvs[2 * std::size_t{i}] + 2 * uvs[2 * std::size_t{i} + 1];
      }
      for (std::size_t i = 0; i + 2 < places.size(); i += 3) {
        const auto side = [&](std::size_t to, std::size_t c) {
          return places[i + to][c] - places[i][c];
        };
        const double x = side(1, 1) * side(2, 2) - side(1, 2) * side(2, 1);
        const double y = side(1, 2) * side(2, 0) - side(1, 0) * side(2, 2);
        const double z = side(1, 0) * side(2, 1) - side(1, 1) * side(2, 0);
        out.area += std::hypot(x, y, z) / 2;
        out.triangles += 1;
      }
    }
  }
  return out;
}

/// What the first draw moves with.
NodeId find_mover(const Scene& scene) {
  const Survey found = *survey(scene);
  return found.keys[to_index(found.draws[0].key)].moving_root;
}

TEST_F(Collada, GivesMetresWithYUp) {
  const Scene scene = read({.nodes = "<node id=\"n\" name=\"tile\"><translate>10 20 30</translate>"
                                     "<instance_geometry url=\"#g\"/></node>",
                            .asset = "<unit name=\"inch\" meter=\"0.0254\"/>"
                                     "<up_axis>Z_UP</up_axis>"});
  ASSERT_EQ(scene.nodes.size(), 1U);
  EXPECT_EQ(scene.nodes[0].name, "tile");
  EXPECT_EQ(scene.levels[0].name, "yard");
  const Measures found = measure(scene);
  EXPECT_EQ(found.triangles, 2);
  EXPECT_NEAR(found.area, 0.0254 * 0.0254, 1e-9);
  // x stays, z becomes y, and y goes away from the eye.
  EXPECT_NEAR(found.box.min[0], 10 * 0.0254, 1e-7);
  EXPECT_NEAR(found.box.min[1], 30 * 0.0254, 1e-7);
  EXPECT_NEAR(found.box.max[1], 30 * 0.0254, 1e-7);
  EXPECT_NEAR(found.box.min[2], -21 * 0.0254, 1e-7);
  EXPECT_NEAR(found.box.max[2], -20 * 0.0254, 1e-7);
  const auto normals = make_doubles(scene, scene.meshes[0].primitives[0].find("NORMAL"));
  EXPECT_EQ(Vec3d({normals[0], normals[1], normals[2]}), Vec3d({0, 1, 0}));
  for (const double scale : scene.nodes[0].trs.scale) {
    EXPECT_EQ(scale, 1) << "the unit is in the geometry";
  }
}

TEST_F(Collada, SharesOneMeshAmongEqualInstances) {
  const Scene scene =
      read({.nodes = "<node><instance_node url=\"#pair\"/></node>"
                     "<node><translate>5 0 0</translate><instance_node url=\"#pair\"/></node>",
            .others = "<library_nodes><node id=\"pair\"><instance_geometry url=\"#g\"/>"
                      "<instance_geometry url=\"#g\"/></node></library_nodes>"});
  EXPECT_EQ(scene.meshes.size(), 1U);
  EXPECT_EQ(measure(scene).triangles, 8);
  EXPECT_EQ(scene.nodes.size(), 6U) << "a node, what it shows, and one for the second mesh, twice";
}

TEST_F(Collada, ReadsTheLooksOfMaterials) {
  Pixels pixels{2, 2, std::vector<std::uint8_t>(16, 200)};
  const auto png = encode_png(pixels);
  fs::create_directories(folder_ / "pictures");
  test::write_all(folder_ / "pictures" / "Old Wood.png",
                  {reinterpret_cast<const char*>(png->data()), png->size()});
  const std::string params =
      "<newparam sid=\"surface\"><surface type=\"2D\"><init_from>wood</init_from></surface>"
      "</newparam><newparam sid=\"sampler\"><sampler2D><source>surface</source>"
      "<wrap_s>MIRROR</wrap_s><wrap_t>CLAMP</wrap_t></sampler2D></newparam>"
      "<newparam sid=\"amount\"><float>0.25</float></newparam>";
  const Scene scene = read(
      {.geometries = make_geometry("g", "<triangles material=\"look\">" + make_inputs("g", 7) +
                                            "<p>0 0 0 1 0 1 2 0 2</p></triangles>"),
       .nodes = "<node><instance_geometry url=\"#g\"><bind_material><technique_common>"
                "<instance_material symbol=\"look\" target=\"#m\"><bind_vertex_input "
                "semantic=\"CH\" input_semantic=\"TEXCOORD\" input_set=\"7\"/>"
                "</instance_material></technique_common></bind_material></instance_geometry>"
                "</node>",
       .others = "<library_images><image id=\"wood\"><init_from>file:///C:/kits/old%20wood.PNG"
                 "</init_from></image></library_images>" +
                 make_effect("<phong><emission><color>0.1 0.2 0.3 1</color></emission><diffuse>"
                             "<texture texture=\"sampler\" texcoord=\"CH\"/></diffuse>"
                             "<specular><color>0.5 0.5 0.5 1</color></specular>"
                             "<shininess><float>30</float></shininess>"
                             "<transparent opaque=\"A_ONE\"><color>1 1 1 1</color></transparent>"
                             "<transparency><param ref=\"amount\"/></transparency></phong>",
                             params)});
  ASSERT_EQ(scene.materials.size(), 1U);
  const Material& material = scene.materials[0];
  EXPECT_EQ(material.name, "paint");
  EXPECT_EQ(material.base_color, Vec4d({1, 1, 1, 0.25}));
  EXPECT_EQ(material.alpha_mode, AlphaMode::blend);
  EXPECT_EQ(material.emissive, Vec3d({0.1, 0.2, 0.3}));
  EXPECT_NEAR(material.roughness, std::pow(2.0 / 32, 0.25), 1e-12);
  EXPECT_EQ(material.metallic, 0);
  EXPECT_NE(material.extra->extras.find("\"specular\":\"0.5 0.5 0.5 1\""), std::string::npos);
  const Texture& texture = scene.textures[to_index(material.base_color_texture.texture)];
  EXPECT_EQ(material.base_color_texture.texcoord, 0U) << "its seventh set is the first here";
  EXPECT_EQ(scene.images[to_index(texture.image)].uri, "pictures/Old%20Wood.png");
  EXPECT_TRUE(scene.missing_files.empty());
  EXPECT_EQ(scene.samplers[to_index(texture.sampler)].wrap_s, wrap_mirrored);
  EXPECT_EQ(scene.samplers[to_index(texture.sampler)].wrap_t, wrap_clamp);
}

TEST_F(Collada, TransparencyGoesByItsMode) {
  struct Case {
    const char* text;
    double alpha;
  };
  const Case cases[] = {
      {"<transparent opaque=\"RGB_ZERO\"><color>0.5 0.5 0.5 1</color></transparent>", 0.5},
      {"<transparent opaque=\"RGB_ZERO\"><color>0 0 0 1</color></transparent>", 1},
      {"<transparent opaque=\"RGB_ONE\"><color>0.25 0.25 0.25 1</color></transparent>", 0.25},
      {"<transparent opaque=\"A_ZERO\"><color>1 1 1 0.75</color></transparent>", 0.25},
      {"<transparency><float>0.5</float></transparency>", 0.5},
      // Written the other way round.
      {"<transparency><float>0</float></transparency>", 1},
  };
  for (const Case& c : cases) {
    const Scene scene =
        read({.others = make_effect("<lambert><diffuse><color>1 0 0 1</color></diffuse>" +
                                    std::string(c.text) + "</lambert>")});
    ASSERT_EQ(scene.materials.size(), 1U) << c.text;
    EXPECT_NEAR(scene.materials[0].base_color[3], c.alpha, 1e-6) << c.text;
    EXPECT_EQ(scene.materials[0].alpha_mode, c.alpha < 1 ? AlphaMode::blend : AlphaMode::opaque);
    EXPECT_EQ(scene.materials[0].base_color[0], 1);
  }
}

TEST_F(Collada, ConstantEffectsAreUnlit) {
  const Scene scene =
      read({.others = make_effect("<constant><emission><color>0 1 0 1</color></emission>"
                                  "</constant>")});
  ASSERT_EQ(scene.materials.size(), 1U);
  EXPECT_TRUE(scene.materials[0].unlit());
  EXPECT_EQ(scene.materials[0].base_color, Vec4d({0, 1, 0, 1}));
  EXPECT_EQ(scene.materials[0].emissive, Vec3d({0, 0, 0}));
}

TEST_F(Collada, EveryKindOfFacesBecomesTheSameSquare) {
  const std::string inputs = make_inputs("g");
  const std::pair<const char*, std::string> kinds[] = {
      {"triangles", "<p>0 0 0 1 0 1 2 0 2 0 0 0 2 0 2 3 0 3</p>"},
      {"polylist", "<vcount>4</vcount><p>0 0 0 1 0 1 2 0 2 3 0 3</p>"},
      {"polygons", "<p>0 0 0 1 0 1 2 0 2 3 0 3</p>"},
      {"trifans", "<p>0 0 0 1 0 1 2 0 2 3 0 3</p>"},
      {"tristrips", "<p>0 0 0 1 0 1 3 0 3 2 0 2</p>"},
  };
  for (const auto& [kind, body] : kinds) {
    const Scene scene =
        read({.geometries = make_geometry(
                  "g", fmt::format("<{0} material=\"look\">{1}{2}</{0}>", kind, inputs, body))});
    ASSERT_EQ(scene.meshes.size(), 1U) << kind;
    const Primitive& primitive = scene.meshes[0].primitives[0];
    EXPECT_EQ(count_vertices(scene, primitive), 4U) << kind;
    const auto positions = make_doubles(scene, primitive.find("POSITION"));
    const auto uvs = make_doubles(scene, primitive.find("TEXCOORD_0"));
    const auto indices = make_list_indices(scene, primitive);
    double area = 0;
    for (std::size_t i = 0; i + 2 < indices.size(); i += 3) {
      const auto at = [&](std::size_t c, std::size_t axis) {
        return positions[3 * std::size_t{indices[i + c]} + axis];
      };
      area += ((at(1, 0) - at(0, 0)) * (at(2, 1) - at(0, 1)) -
               (at(2, 0) - at(0, 0)) * (at(1, 1) - at(0, 1))) /
              2;
    }
    EXPECT_NEAR(area, 1, 1e-12) << kind << ": all are turned to the eye";
    for (std::size_t v = 0; v < 4; ++v) {
      EXPECT_EQ(uvs[2 * v], positions[3 * v]) << kind;
      EXPECT_EQ(uvs[2 * v + 1], 1 - positions[3 * v + 1]) << kind << ": v goes down";
    }
  }
  const Scene lines =
      read({.geometries =
                make_geometry("g", "<lines>" + inputs + "<p>0 0 0 1 0 1 2 0 2 3 0 3</p></lines>")});
  ASSERT_EQ(lines.meshes.size(), 1U);
  EXPECT_EQ(lines.meshes[0].primitives[0].mode, PrimitiveMode::lines);
}

TEST_F(Collada, WhatCantBeReadIsLeftOutAndTold) {
  const Scene scene = read(
      {.geometries = make_geometry("g", "<triangles material=\"look\">" + make_inputs("g") +
                                            "<p>0 0 0 1 0 1 2 0 2 0 0 0 2 0 2 99 0 3</p>"
                                            "</triangles>"),
       .nodes = std::string(shown_square) +
                "<node><instance_geometry url=\"#nowhere\"/></node><node><skew>1 2</skew></node>"
                "<node><instance_light url=\"#sun\"/></node>",
       .others = "<library_animations><animation id=\"swing\"><channel source=\"#x\" "
                 "target=\"n/transform\"/></animation></library_animations>"});
  const auto find = [&](const char* what) -> const SkippedPart* {
    const auto hit = std::find_if(scene.skipped_parts.begin(), scene.skipped_parts.end(),
                                  [&](const SkippedPart& part) { return part.what == what; });
    return hit == scene.skipped_parts.end() ? nullptr : &*hit;
  };
  ASSERT_NE(find("faces with an index that can't be"), nullptr);
  EXPECT_EQ(find("faces with an index that can't be")->count, 1U);
  EXPECT_EQ(find("faces with an index that can't be")->first_line, 5U);
  EXPECT_NE(find("references to what is not there"), nullptr);
  EXPECT_NE(find("transforms that are not read"), nullptr);
  EXPECT_NE(find("lights"), nullptr);
  ASSERT_NE(find("animations"), nullptr);
  EXPECT_EQ(find("animations")->file, "kit.dae");
  EXPECT_EQ(measure(scene).triangles, 1);
  // The door that the animation swung is not merged with the wall.
  EXPECT_NE(find_mover(scene), no_node);
}

TEST_F(Collada, SkinsStandAsTheyWereBound) {
  const Scene scene = read(
      {.nodes = "<node name=\"bone\" type=\"JOINT\"/><node name=\"guard\"><translate>9 9 9"
                "</translate><instance_controller url=\"#skin\"/></node>",
       .others = "<library_controllers><controller id=\"skin\"><skin source=\"#g\">"
                 "<bind_shape_matrix>1 0 0 4 0 1 0 0 0 0 1 0 0 0 0 1</bind_shape_matrix></skin>"
                 "</controller></library_controllers>"});
  const Measures found = measure(scene);
  EXPECT_EQ(found.triangles, 2);
  EXPECT_NEAR(found.box.min[0], 4, 1e-6);
  EXPECT_NEAR(found.box.min[1], 0, 1e-6);
  EXPECT_NE(find_mover(scene), no_node);
  ASSERT_FALSE(scene.skipped_parts.empty());
  EXPECT_EQ(scene.skipped_parts[0].what, "skins");
}

TEST_F(Collada, CamerasLookWhereTheyDid) {
  const Scene scene =
      read({.nodes = std::string(shown_square) +
                     "<node><translate>0 0 5</translate>"
                     "<rotate>1 0 0 90</rotate><instance_camera url=\"#c\"/></node>",
            .others = "<library_cameras><camera id=\"c\"><optics><technique_common>"
                      "<perspective><yfov>60</yfov><aspect_ratio>2</aspect_ratio>"
                      "<znear>0.1</znear><zfar>100</zfar></perspective>"
                      "</technique_common></optics></camera></library_cameras>",
            .asset = "<up_axis>Z_UP</up_axis>"});
  ASSERT_EQ(scene.cameras.size(), 1U);
  EXPECT_NEAR(scene.cameras[0].yfov, std::numbers::pi / 3, 1e-12);
  const auto worlds = make_world_matrices(scene);
  for (std::size_t n = 0; n < scene.nodes.size(); ++n) {
    if (scene.nodes[n].camera != no_camera) {
      // In the file it looks along its -z, which is turned to +y: away from the eye.
      EXPECT_NEAR(-worlds[n][8], 0, 1e-12);
      EXPECT_NEAR(-worlds[n][9], 0, 1e-12);
      EXPECT_NEAR(-worlds[n][10], -1, 1e-12);
      EXPECT_NEAR(worlds[n][13], 5, 1e-12);
    }
  }
}

TEST_F(Collada, RefusesWithTheLine) {
  const auto refused = [&](const std::string& text) {
    const auto scene = try_read(text);
    EXPECT_FALSE(scene);
    return scene ? Error{} : scene.error();
  };
  const Error broken = refused("<?xml version=\"1.0\"?>\n<COLLADA>\n<asset>\n</COLLADA>\n");
  EXPECT_EQ(broken.code, ErrorCode::bad_value);
  EXPECT_EQ(broken.place.pointer, "line 4");
  EXPECT_EQ(refused("<html/>").code, ErrorCode::bad_value);
  EXPECT_EQ(refused("").code, ErrorCode::bad_value);
  EXPECT_EQ(refused("<COLLADA/>").code, ErrorCode::bad_value);
  const std::string loop =
      "<library_nodes><node id=\"a\"><instance_node url=\"#b\"/></node>"
      "<node id=\"b\"><instance_node url=\"#a\"/></node></library_nodes>";
  EXPECT_EQ(
      refused(make_document({.nodes = "<node><instance_node url=\"#a\"/></node>", .others = loop}))
          .code,
      ErrorCode::node_cycle);
  // Each shows the next twice: a short file that means a tree of 2^30 nodes.
  std::string doubling;
  for (int i = 0; i < 30; ++i) {
    doubling += fmt::format(
        "<node id=\"d{0}\"><instance_node url=\"#d{1}\"/><instance_node url=\"#d{1}\"/></node>", i,
        i + 1);
  }
  EXPECT_EQ(refused(make_document({.nodes = "<node><instance_node url=\"#d0\"/></node>",
                                   .others = "<library_nodes>" + doubling +
                                             "<node id=\"d30\"/></library_nodes>"}))
                .code,
            ErrorCode::too_large);
}

/// A tree of turned, scaled and moved squares, in any unit and with any axis up.
std::string make_forest(std::uint32_t seed) {
  std::mt19937 random(seed);
  const auto number = [&](double low, double high) {
    return std::uniform_real_distribution<double>(low, high)(random);
  };
  std::string nodes;
  int depth = 0;
  for (int i = 0; i < 40; ++i) {
    nodes += "<node>";
    ++depth;
    if (i % 3 == 0) {
      // A matrix is a turn about z with a place, by rows.
      const double angle = number(0, 6);
      nodes += fmt::format("<matrix>{} {} 0 {} {} {} 0 {} 0 0 1 {} 0 0 0 1</matrix>",
                           std::cos(angle), -std::sin(angle), number(-3, 3), std::sin(angle),
                           std::cos(angle), number(-3, 3), number(-3, 3));
    } else {
      const double height = number(-1, 1);
      const double turn = number(0, 6);
      const double across = std::sqrt(1 - height * height);
      nodes += fmt::format(
          "<translate>{} {} {}</translate><rotate>{} {} {} {}</rotate><scale>{} {} {}</scale>",
          number(-3, 3), number(-3, 3), number(-3, 3), across * std::cos(turn),
          across * std::sin(turn), height, number(-180, 180), number(0.5, 2), number(0.5, 2),
          number(0.5, 2));
    }
    nodes += "<instance_geometry url=\"#g\"/>";
    while (depth > 0 && (depth > 4 || number(0, 1) < 0.5)) {
      nodes += "</node>";
      --depth;
    }
  }
  for (; depth > 0; --depth) {
    nodes += "</node>";
  }
  // The loader that judges turns nothing for x, so that is held above.
  return make_document(
      {.nodes = nodes,
       .asset = fmt::format("<unit meter=\"{}\"/><up_axis>{}</up_axis>", seed % 2 == 0 ? 0.01 : 2.5,
                            seed % 3 == 0 ? "Y_UP" : "Z_UP")});
}

TEST_F(Collada, ReadsTheSameAsAnEngine) {
  std::vector<std::string> command{WAKUZUME_NODE, WAKUZUME_JUDGES "/collada.mjs"};
  constexpr std::uint32_t files = 6;
  for (std::uint32_t seed = 0; seed < files; ++seed) {
    const fs::path path = folder_ / fmt::format("forest_{}.dae", seed);
    test::write_all(path, make_forest(seed));
    command.push_back(path.string());
  }
  const test::Outcome outcome = test::run_program(command);
  ASSERT_EQ(outcome.exit_code, 0) << outcome.err;
  std::istringstream lines(outcome.out);
  for (std::uint32_t seed = 0; seed < files; ++seed) {
    Measures theirs;
    lines >> theirs.triangles >> theirs.area >> theirs.uvs >> theirs.box.min[0] >>
        theirs.box.min[1] >> theirs.box.min[2] >> theirs.box.max[0] >> theirs.box.max[1] >>
        theirs.box.max[2];
    const auto scene = read_scene(command[2 + seed]);
    ASSERT_TRUE(scene) << to_string(scene.error());
    const Measures ours = measure(*scene);
    EXPECT_EQ(ours.triangles, theirs.triangles);
    EXPECT_EQ(ours.triangles, 80);
    EXPECT_NEAR(ours.area, theirs.area, 1e-4 * theirs.area) << seed;
    EXPECT_NEAR(ours.uvs, theirs.uvs, 1e-3) << seed;
    const double extent = theirs.box.largest_extent();
    for (std::size_t c = 0; c < 3; ++c) {
      EXPECT_NEAR(ours.box.min[c], theirs.box.min[c], 1e-5 * extent) << seed;
      EXPECT_NEAR(ours.box.max[c], theirs.box.max[c], 1e-5 * extent) << seed;
    }
  }
}

TEST_F(Collada, GoesThroughTheWholeJob) {
  test::write_all(folder_ / "forest.dae", make_forest(1));
  const test::Outcome outcome =
      test::run_program({WAKUZUME_TOOL, "run", (folder_ / "forest.dae").string(), "-o",
                         (folder_ / "out").string(), "--views", "8"});
  EXPECT_EQ(outcome.exit_code, 0) << outcome.out << outcome.err;
  const auto result = read_scene((folder_ / "out" / "forest.glb").string());
  ASSERT_TRUE(result);
  EXPECT_EQ(measure(*result).triangles, 80);
}

TEST_F(Collada, DamagedFilesEndInErrorsOrScenes) {
  const std::string whole = make_document(
      {.others = "<library_images><image id=\"wood\"><init_from>a.png</init_from></image>"
                 "</library_images>" +
                 make_effect("<phong><diffuse><texture texture=\"wood\"/></diffuse></phong>"),
       .asset = "<unit meter=\"0.1\"/><up_axis>X_UP</up_axis>"});
  std::mt19937 random(5);
  const auto below = [&](std::size_t end) {
    return std::uniform_int_distribution<std::size_t>(0, end - 1)(random);
  };
  static constexpr std::string_view pieces[] = {
      "-1", "#",       "<",   ">",  "99999999999", "nan",         "/",
      "\"", "</node>", "<p>", "id", "&amp;",       "stride=\"0\""};
  std::size_t scenes = 0;
  constexpr std::size_t rounds = 2000;
  for (std::size_t i = 0; i < rounds; ++i) {
    std::string text = whole;
    for (std::size_t edits = 1 + below(2); edits > 0; --edits) {
      const std::size_t at = below(text.size());
      switch (below(4)) {
        case 0:
          text[at] = static_cast<char>(below(256));
          break;
        case 1:
          text.erase(at, 1 + below(20));
          break;
        case 2:
          text.insert(at, pieces[below(std::size(pieces))]);
          break;
        default:
          text.insert(at, text.substr(below(text.size()), below(200)));
      }
    }
    if (i % 10 == 0) {
      text.resize(below(text.size()));
    }
    const auto scene = try_read(text);
    if (scene) {
      ++scenes;
      EXPECT_TRUE(check_scene(*scene));
    } else {
      EXPECT_FALSE(scene.error().message.empty());
    }
  }
  EXPECT_GT(scenes, rounds / 20);
  EXPECT_LT(scenes, rounds);
}

}  // namespace
}  // namespace wakuzume
