// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include "wakuzume/findings.h"

#include <gtest/gtest.h>

#include <cmath>
#include <functional>
#include <limits>
#include <map>
#include <ostream>
#include <set>

#include "glasshouse.h"
#include "support/scene_builder.h"
#include "wakuzume/image.h"

namespace wakuzume {
namespace {

using test::SceneBuilder;

/// A scene with nothing to find, and its pictures.
struct Clean {
  Clean() {
    Image image;
    image.name = "plaster";
    image.bytes = make_bytes(std::vector<std::uint8_t>{1});
    builder.scene.images.push_back(image);
    builder.add_texture(ImageId{0});
    stone = builder.add_material("stone");
    scene().materials[0].base_color_texture.texture = TextureId{0};
    images.push_back(make_facts(256, 256));
    wall = builder.add_mesh("wall", test::make_square(), stone);
    builder.add_node("wall", wall);
    rock = builder.add_mesh("rock", test::make_tetrahedron(), stone);
    builder.add_node("rock", rock, test::at(3));
  }
  static ImageFacts make_facts(std::uint32_t width, std::uint32_t height) {
    ImageFacts facts;
    facts.width_px = width;
    facts.height_px = height;
    facts.decoded = true;
    facts.pixels = {width, height};
    return facts;
  }
  Scene& scene() { return builder.scene; }
  Primitive& primitive(MeshId mesh) { return scene().meshes[to_index(mesh)].primitives[0]; }
  NodeId add(const test::MeshData& data, double x = 6) {
    return builder.add_node("more", builder.add_mesh("more", data, stone), test::at(x));
  }
  std::vector<Finding> find(const FindingSettings& settings = {}) {
    const Scene finished = builder.finish();
    const auto found = find_findings(finished, *survey(finished), images, settings);
    EXPECT_TRUE(found);
    return *found;
  }

  SceneBuilder builder;
  std::vector<ImageFacts> images;
  MaterialId stone;
  MeshId wall;
  MeshId rock;
};

std::set<std::string> codes_of(const std::vector<Finding>& findings) {
  std::set<std::string> codes;
  for (const Finding& finding : findings) {
    codes.insert(std::string(to_string(finding.code)));
  }
  return codes;
}

TEST(Findings, AreNoneInACleanScene) {
  EXPECT_EQ(codes_of(Clean().find()), std::set<std::string>{});
}

/// One change to the clean scene, and the one code that it must bring: that and no other.
struct Fault {
  FindingCode code;
  std::function<void(Clean&)> spoil;
  std::uint64_t draws;
};
std::ostream& operator<<(std::ostream& out, const Fault& fault) {
  return out << to_string(fault.code);
}
TEST(Findings, LeaveBlendedMaterialsThatFadeAlone) {
  Clean clean;
  clean.scene().materials[0].alpha_mode = AlphaMode::blend;
  clean.images[0].alpha_between = 0.05;
  EXPECT_EQ(codes_of(Clean(clean).find()), std::set<std::string>{});
  clean.images[0].alpha_between = 0;
  clean.scene().materials[0].base_color[3] = 0.5;
  EXPECT_EQ(codes_of(Clean(clean).find()), std::set<std::string>{});
  clean.scene().materials[0].base_color[3] = 1;
  EXPECT_EQ(codes_of(Clean(clean).find()).size(), 1U);
}

class SpoiltScenes : public testing::TestWithParam<Fault> {};

TEST_P(SpoiltScenes, BringTheirFindingAndNoOther) {
  Clean clean;
  GetParam().spoil(clean);
  const auto findings = clean.find();
  ASSERT_EQ(codes_of(findings), std::set<std::string>{std::string(to_string(GetParam().code))});
  ASSERT_EQ(findings.size(), 1U);
  EXPECT_EQ(findings[0].draws.size(), GetParam().draws) << findings[0].what;
  EXPECT_FALSE(findings[0].subject.empty());
  EXPECT_FALSE(findings[0].what.empty());
  EXPECT_FALSE(findings[0].remedy.empty());
}

test::MeshData with_uvs(float scale, float shift) {
  test::MeshData data = test::make_square();
  data.positions[0] = -0.25F;  // else it is a copy of the wall
  for (float& uv : data.uvs) {
    uv = uv * scale + shift;
  }
  return data;
}

/// A square of 2 n n triangles; `gap` keeps its cells apart.
test::MeshData make_field(int n, float size, float gap) {
  test::MeshData data;
  for (int i = 0; i < n * n; ++i) {
    const float x = static_cast<float>(i % n) * size;
    const float y = static_cast<float>(i / n) * size;
    const auto first = static_cast<std::uint32_t>(data.positions.size() / 3);
    for (const auto& [u, v] : {std::pair(0.0F, 0.0F), {1.0F, 0.0F}, {1.0F, 1.0F}, {0.0F, 1.0F}}) {
      data.positions.insert(data.positions.end(),
                            {x + u * size * (1 - gap), y + v * size * (1 - gap), 0});
      data.normals.insert(data.normals.end(), {0, 0, 1});
      data.uvs.insert(data.uvs.end(), {u, v});
    }
    for (const std::uint32_t corner : {0U, 1U, 2U, 0U, 2U, 3U}) {
      data.indices.push_back(first + corner);
    }
  }
  return data;
}

INSTANTIATE_TEST_SUITE_P(
    Each,
    SpoiltScenes,
    testing::Values(
        Fault{FindingCode::not_finite,
              [](Clean& c) {
                test::MeshData data = test::make_tetrahedron();
                data.positions[4] = std::numeric_limits<float>::quiet_NaN();
                c.add(data);
              },
              1},
        Fault{FindingCode::file_missing,
              [](Clean& c) {
                c.scene().missing_files.push_back({"gone.png", "image 3"});
              },
              0},
        Fault{FindingCode::part_skipped,
              [](Clean& c) {
                c.scene().skipped_parts.push_back({"kit.obj", "faces", "left out", "odd", 3, 7});
              },
              0},
        Fault{FindingCode::semantic_unknown,
              [](Clean& c) {
                std::vector<Attribute>& attributes = c.primitive(c.wall).attributes;
                attributes.push_back({"TEXCOORD_true", attributes.back().stream});
              },
              1},
        Fault{FindingCode::uvs_missing,
              [](Clean& c) { c.scene().materials[0].base_color_texture.texcoord = 3; }, 2},
        Fault{FindingCode::image_unreadable, [](Clean& c) { c.images[0].problem = "cut short"; },
              2},
        Fault{FindingCode::placed_twice, [](Clean& c) { c.builder.add_node("again", c.wall); }, 1},
        Fault{FindingCode::triangles_shared,
              [](Clean& c) {
                const MaterialId other = c.builder.add_material("layer");
                c.scene().materials[1].base_color_texture.texture = TextureId{0};
                c.scene().materials[1].roughness = 0.5;
                test::MeshData data = test::make_square();
                data.positions.insert(data.positions.end(), {2, 2, 0});
                data.normals.insert(data.normals.end(), {0, 0, 1});
                data.uvs.insert(data.uvs.end(), {1, 1});
                data.indices = {0, 1, 2, 2, 3, 4};
                c.scene().meshes[to_index(c.wall)].primitives.push_back(
                    c.builder.make_primitive(data, other));
              },
              2},
        Fault{FindingCode::triangles_repeated,
              [](Clean& c) {
                test::MeshData data = test::make_square();
                data.indices.insert(data.indices.end(), {1, 2, 0});
                c.add(data);
              },
              1},
        Fault{FindingCode::triangles_degenerate,
              [](Clean& c) {
                test::MeshData data = test::make_square();
                data.indices.insert(data.indices.end(), {1, 1, 0});
                c.add(data);
              },
              1},
        Fault{FindingCode::vertices_unused,
              [](Clean& c) {
                test::MeshData data = test::make_square();
                data.indices.resize(3);
                c.add(data);
              },
              1},
        Fault{FindingCode::material_used_twice,
              [](Clean& c) {
                test::MeshData data = test::make_tetrahedron();
                for (float& x : data.positions) {
                  x += 5;
                }
                c.scene().meshes[to_index(c.wall)].primitives.push_back(
                    c.builder.make_primitive(data, c.stone));
              },
              2},
        Fault{FindingCode::material_copied,
              [](Clean& c) {
                const MaterialId copy = c.builder.add_material("stone.001");
                c.scene().materials[1].base_color_texture.texture = TextureId{0};
                c.primitive(c.rock).material = copy;
              },
              2},
        Fault{FindingCode::material_without_image,
              [](Clean& c) {
                for (const MeshId mesh : {c.wall, c.rock}) {
                  const MaterialId id = c.builder.add_material("plain");
                  c.scene().materials[to_index(id)].base_color[0] = mesh == c.wall ? 0.1 : 0.9;
                  c.primitive(mesh).material = id;
                }
                c.builder.add_node("textured", c.builder.add_mesh("t", with_uvs(1, 0), c.stone));
              },
              2},
        Fault{FindingCode::geometry_copied, [](Clean& c) { c.add(test::make_square()); }, 2},
        Fault{FindingCode::image_copied,
              [](Clean& c) {
                c.scene().images.push_back(c.scene().images[0]);
                c.builder.add_texture(ImageId{1});
                c.scene().materials[0].emissive_texture.texture = TextureId{1};
                c.images.push_back(c.images[0]);
              },
              2},
        Fault{FindingCode::uv_off_tile, [](Clean& c) { c.add(with_uvs(1, 3)); }, 1},
        Fault{FindingCode::uv_repeats, [](Clean& c) { c.add(with_uvs(3, 0)); }, 1},
        Fault{FindingCode::image_too_fine,
              [](Clean& c) { c.images[0] = Clean::make_facts(8192, 8192); }, 2},
        Fault{FindingCode::alpha_has_two_values,
              [](Clean& c) {
                c.scene().materials[0].alpha_mode = AlphaMode::blend;
                c.images[0].alpha_between = 0.01;
                c.images[0].alpha_low = 0.4;
              },
              2},
        Fault{FindingCode::image_one_color, [](Clean& c) { c.images[0].one_color = true; }, 2},
        Fault{FindingCode::image_size_uneven,
              [](Clean& c) { c.images[0] = Clean::make_facts(256, 250); }, 2},
        Fault{FindingCode::normals_missing,
              [](Clean& c) {
                test::MeshData data = test::make_square();
                data.normals.clear();
                c.add(data);
              },
              1},
        Fault{FindingCode::tangents_missing,
              [](Clean& c) { c.scene().materials[0].normal_texture.texture = TextureId{0}; }, 2},
        Fault{FindingCode::transform_mirrored,
              [](Clean& c) { c.builder.add_node("m", c.wall, test::scaled(-1, 1, 1)); }, 1},
        Fault{
            FindingCode::transform_sheared,
            [](Clean& c) {
              const NodeId above = c.builder.add_node("a", no_mesh, test::scaled(3, 1, 1));
              const NodeId below = c.builder.add_node("b", c.wall, test::at(4), above);
              c.scene().nodes[to_index(below)].trs.rotation = {0, 0, std::sin(0.3), std::cos(0.3)};
            },
            1},
        Fault{FindingCode::transform_flattened,
              [](Clean& c) { c.builder.add_node("f", c.rock, test::scaled(1, 0, 1)); }, 1},
        Fault{FindingCode::too_large_to_cull, [](Clean& c) { c.add(make_field(40, 1, 0)); }, 1},
        Fault{FindingCode::merged_too_coarsely, [](Clean& c) { c.add(make_field(40, 1, 0.5F)); },
              1},
        Fault{FindingCode::far_from_origin,
              [](Clean& c) { c.builder.add_node("lost", c.rock, test::at(20'000)); }, 1},
        Fault{FindingCode::helper_drawn,
              [](Clean& c) { c.builder.add_node("Wall Collision 3", c.wall, test::at(9)); }, 1},
        Fault{FindingCode::node_empty, [](Clean& c) { c.builder.add_node("nothing"); }, 0},
        Fault{FindingCode::track_constant,
              [](Clean& c) {
                const NodeId still = c.builder.add_node("still", c.wall, test::at(9));
                c.builder.animate(still);
                AnimationSampler& sampler = c.scene().animations[0].samplers[0];
                sampler.output = c.builder.add_stream(test::Floats{9, 0, 0, 9, 0, 0},
                                                      ElementType::vec3, ComponentType::f32);
                c.scene().animations[0].channels[0].path = "translation";
              },
              1},
        Fault{FindingCode::resource_unused,
              [](Clean& c) { c.builder.add_mesh("spare", with_uvs(1, 0), c.stone); }, 0}));

TEST(Findings, SayWhichVerticesAreTooManyBySettings) {
  Clean clean;
  EXPECT_EQ(codes_of(clean.find({.max_vertices = 3})), (std::set<std::string>{"vertex_limit"}));
  EXPECT_EQ(codes_of(clean.find({.max_vertices = 12})), std::set<std::string>{});
}

TEST(Findings, TellImagesThatAlwaysRepeat) {
  Clean clean;
  for (const MeshId mesh : {clean.wall, clean.rock}) {
    Primitive& primitive = clean.primitive(mesh);
    for (Attribute& attribute : primitive.attributes) {
      if (attribute.semantic == "TEXCOORD_0") {
        const Stream& stream = clean.scene().streams[to_index(attribute.stream)];
        test::Floats uvs(2 * stream.count);
        for (std::size_t i = 0; i < uvs.size(); ++i) {
          uvs[i] = static_cast<float>(i % 5);
        }
        attribute.stream = clean.builder.add_stream(uvs, ElementType::vec2, ComponentType::f32);
      }
    }
  }
  EXPECT_EQ(codes_of(clean.find()), (std::set<std::string>{"uv_repeats", "image_repeats_always"}));
  EXPECT_EQ(codes_of(clean.find({.repeats = 100})), (std::set<std::string>{"uv_repeats"}));
}

TEST(Findings, CountWhatTheyCost) {
  Clean clean;
  clean.add(test::make_square());
  clean.add(test::make_square(), 9);
  const auto findings = clean.find();
  ASSERT_EQ(findings.size(), 1U);
  EXPECT_EQ(findings[0].draw_cost, 2U);
  EXPECT_EQ(findings[0].byte_cost, 2U * (4 * 32 + 24)) << "two copies of 4 vertices, 6 indices";
  EXPECT_EQ(findings[0].draws, (std::vector<DrawId>{DrawId{0}, DrawId{2}, DrawId{3}}));
}

TEST(Findings, KeepStillWhatIsClampedAtTheEdge) {
  Clean clean;
  clean.add(with_uvs(3, 0));
  Sampler clamp;
  clamp.wrap_s = clamp.wrap_t = 33071;
  clean.scene().samplers.push_back(clamp);
  clean.scene().textures[0].sampler = SamplerId{0};
  EXPECT_EQ(codes_of(clean.find()), std::set<std::string>{});
}

TEST(Findings, AreTheSameForAnyNumberOfThreads) {
  const Scene scene = demo::make_glasshouse();
  const Survey found = *survey(scene);
  const auto images = *read_image_facts(scene, ImageDepth::pixels);
  const auto one = find_findings(scene, found, images, {}, {.threads = 1});
  const auto four = find_findings(scene, found, images, {}, {.threads = 4});
  ASSERT_EQ(one->size(), four->size());
  for (std::size_t i = 0; i < one->size(); ++i) {
    EXPECT_EQ((*one)[i].subject, (*four)[i].subject);
    EXPECT_EQ((*one)[i].what, (*four)[i].what);
    EXPECT_EQ((*one)[i].draws, (*four)[i].draws);
  }
}

TEST(Findings, RefuseSettingsOutOfRange) {
  for (const FindingSettings& settings :
       {FindingSettings{.texels_per_metre = 0}, FindingSettings{.too_fine_factor = 0.5},
        FindingSettings{.repeats = 0}, FindingSettings{.large_share = 1.5},
        FindingSettings{.separate_parts = 1}, FindingSettings{.far_m = -1},
        FindingSettings{.max_vertices = 2}}) {
    const auto valid = validate(settings);
    ASSERT_FALSE(valid);
    EXPECT_EQ(valid.error().message.substr(0, 9), "findings.");
  }
}

}  // namespace
}  // namespace wakuzume
