// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include <gtest/gtest.h>

#include <algorithm>
#include <map>
#include <set>

#include "glasshouse.h"
#include "support/pictures.h"
#include "support/process.h"
#include "wakuzume/io.h"

/// Shared materials through the tool: from the line to the file and back.
namespace wakuzume {
namespace {

class ToolMaterials : public testing::Test {
 protected:
  ToolMaterials() : folder_(test::make_scratch()) {}
  [[nodiscard]] std::string path(const std::string& name) const {
    return (folder_ / name).string();
  }
  static std::string run(const std::vector<std::string>& line, int wanted = 0) {
    const test::Outcome outcome = test::run_tool_small(line);
    EXPECT_EQ(outcome.exit_code, wanted) << line[0] << ": " << outcome.out << outcome.err;
    return wanted == 0 ? outcome.out : outcome.out + outcome.err;
  }
  void write(const Scene& scene) { ASSERT_TRUE(write_scene(scene, path("s.glb"))); }
  void build(const std::string& result, const std::vector<std::string>& more = {}) {
    std::vector<std::string> line{"propose",      path("s.glb"), "-o",
                                  path("p.json"), "--materials", "fewest_draws"};
    line.insert(line.end(), more.begin(), more.end());
    run(line);
    run({"build", path("p.json"), "-o", path(result)});
  }
  static std::size_t count_materials(const Scene& scene) {
    return static_cast<std::size_t>(count_totals(scene).materials);
  }

  std::filesystem::path folder_;
};

TEST_F(ToolMaterials, SharesThoseOfTheDemoAndPutsThemBackToTheByte) {
  write(demo::make_glasshouse());
  build("r.glb");
  const auto result = read_scene(path("r.glb"));
  ASSERT_TRUE(result);
  EXPECT_LE(count_materials(*result), 14U);
  EXPECT_EQ(test::ask_validator(path("r.glb")).substr(0, 2), "0 ");
  EXPECT_NE(run({"verify", path("s.glb"), path("r.glb")}).find("became shared ones"),
            std::string::npos);
  run({"restore", path("r.glb"), "-o", path("back.glb")});
  EXPECT_TRUE(test::read_all(path("back.glb")) == test::read_all(path("s.glb")));
}

TEST_F(ToolMaterials, DrawsSheetsOfPagesAndLayers) {
  test::SceneBuilder builder;
  for (std::uint32_t m = 0; m < 4; ++m) {
    const MaterialId id = builder.add_material("kit_" + std::to_string(m));
    const std::uint32_t side = m == 3 ? 32 : 64;
    builder.scene.materials[to_index(id)].base_color_texture.texture =
        test::add_picture(builder, test::make_picture(side, side, m));
    const double repeats = m < 2 ? 1 : 5;  // the last two are layers
    builder.add_node("n", builder.add_mesh("n", test::make_patch(0, 0, repeats, repeats), id),
                     test::at(2 * m));
  }
  write(builder.finish());
  run({"propose", path("s.glb"), "-o", path("p.json"), "--materials", "fewest_draws"});
  run({"materials", path("p.json"), "--sheets", path("new/sheets")});
  const auto files = test::list_folder(folder_ / "new" / "sheets");
  ASSERT_EQ(files.size(), 2U);
  const std::string page = test::read_all(folder_ / "new/sheets" / files[0]);
  EXPECT_NE(page.find("kit_0"), std::string::npos);
  EXPECT_NE(page.find("64 x 64 of 64 x 64 texels"), std::string::npos) << page.substr(0, 400);
  const std::string layers = test::read_all(folder_ / "new/sheets" / files[1]);
  EXPECT_NE(layers.find("2 layers of color, 64 x 64 pixels"), std::string::npos);
  EXPECT_NE(layers.find("32 x 32 texels, 2 x 2 times"), std::string::npos);
}

TEST_F(ToolMaterials, PutsAPartBackWithItsOwnMaterials) {
  write(demo::make_glasshouse());
  build("r.gltf");
  run({"restore", path("r.gltf"), "-o", path("part.glb"), "--node", "/glasshouse/wing_east/*"});
  EXPECT_EQ(test::ask_validator(path("part.glb")).substr(0, 2), "0 ");
  run({"verify", path("s.glb"), path("part.glb")});
  const auto source = read_scene(path("s.glb"));
  const auto part = read_scene(path("part.glb"));
  ASSERT_TRUE(source && part);
  const auto names = [](const Scene& scene) {
    std::set<std::string> out;
    for (std::size_t n = 0; n < scene.nodes.size(); ++n) {
      const std::string node = make_node_path(scene, make_id<NodeId>(n));
      if (node.starts_with("/glasshouse/wing_east") && scene.nodes[n].mesh != no_mesh) {
        for (const Primitive& primitive : scene[scene.nodes[n].mesh].primitives) {
          out.insert(node + " " + scene[primitive.material].name);
        }
      }
    }
    return out;
  };
  EXPECT_EQ(names(*part), names(*source));
  // From there all the way.
  run({"restore", path("part.glb"), "-o", path("back.glb")});
  EXPECT_TRUE(test::read_all(path("back.glb")) == test::read_all(path("s.glb")));
}

TEST_F(ToolMaterials, FoldAMerryMixOfKitsTwentyfold) {
  // 240 materials of forty looks, as kits store them: under other names and in other files.
  const Scene looks = test::make_gallery(11, 40);
  test::SceneBuilder builder;
  builder.scene = looks;
  for (int copy = 1; copy < 6; ++copy) {
    const std::size_t images = builder.scene.images.size();
    const std::size_t textures = builder.scene.textures.size();
    for (std::size_t i = 0; i < looks.images.size(); ++i) {
      builder.scene.images.push_back(looks.images[i]);
    }
    for (Texture texture : looks.textures) {
      texture.image = make_id<ImageId>(to_index(texture.image) + images);
      builder.scene.textures.push_back(texture);
    }
    for (std::size_t m = 0; m < looks.materials.size(); ++m) {
      Material material = looks.materials[m];
      material.name += "_copy" + std::to_string(copy);
      for (TextureSlot* slot : list_slots(material)) {
        if (slot->texture != no_texture) {
          slot->texture = make_id<TextureId>(to_index(slot->texture) + textures);
        }
      }
      builder.scene.materials.push_back(material);
      Mesh mesh = looks.meshes[m];
      mesh.primitives[0].material = make_id<MaterialId>(builder.scene.materials.size() - 1);
      builder.scene.meshes.push_back(mesh);
      builder.add_node("copy", make_id<MeshId>(builder.scene.meshes.size() - 1),
                       test::at(2.0 * static_cast<double>(m), 2.0 * copy));
    }
  }
  write(builder.finish());
  build("r.glb");
  const auto result = read_scene(path("r.glb"));
  ASSERT_TRUE(result);
  EXPECT_LE(20 * count_materials(*result), 240U);
  run({"verify", path("s.glb"), path("r.glb")});
}

TEST_F(ToolMaterials, VerifyFindsAPageThatSomebodyPaintedOver) {
  write(test::make_gallery(5, 10));
  build("r.gltf");
  run({"verify", path("s.glb"), path("r.gltf")});
  const auto files = test::list_folder(folder_);
  const auto page = std::find_if(files.begin(), files.end(), [](const std::string& name) {
    return name.ends_with("_color.png");
  });
  ASSERT_NE(page, files.end());
  const auto pixels = decode_image(make_bytes(std::vector<char>([&] {
    const std::string text = test::read_all(path(*page));
    return std::vector<char>(text.begin(), text.end());
  }())));
  ASSERT_TRUE(pixels);
  Pixels other = *pixels;
  std::reverse(other.rgba.begin(), other.rgba.end());
  for (std::size_t i = 0; i < other.rgba.size(); i += 4) {
    other.rgba[i + 3] = 255;
  }
  const auto bytes = encode_png(other);
  ASSERT_TRUE(bytes);
  test::write_all(path(*page),
                  std::string(reinterpret_cast<const char*>(bytes->data()), bytes->size()));
  EXPECT_NE(run({"verify", path("s.glb"), path("r.gltf")}, 1).find("looks different"),
            std::string::npos);
}

TEST_F(ToolMaterials, TakesRoutesFromAPlanThatSomebodyEdited) {
  write(test::make_gallery(5, 10));
  build("r.glb");
  std::string plan = test::read_all(path("p.json"));
  const std::string was = "\"routes\": []";
  const std::size_t at = plan.find(was);
  ASSERT_NE(at, std::string::npos);
  plan.replace(at, was.size(), "\"routes\": [\"kit_4=stay\"]");
  test::write_all(path("p.json"), plan);
  run({"propose", path("s.glb"), "--rebase", path("p.json"), "-o", path("q.json"), "--route",
       "kit_5=stay"});
  const auto next = read_plan(path("q.json"));
  ASSERT_TRUE(next);
  EXPECT_EQ(next->routes.find(MaterialId{4})->route, Route::stay);
  EXPECT_EQ(next->routes.find(MaterialId{5})->route, Route::stay);
  EXPECT_NE(next->routes.find(MaterialId{4})->reason.find("by hand"), std::string::npos);
  run({"build", path("q.json"), "-o", path("again.glb")});
  run({"verify", path("s.glb"), path("again.glb")});
  // Revised and edited, a plan keeps its routes.
  run({"propose", "--revise", path("q.json"), "-o", path("t.json"), "--cells", "3"});
  run({"edit", path("t.json"), "-o", path("u.json"), "--keep", "/square_1"});
  EXPECT_EQ(read_plan(path("u.json"))->routes.routes.size(), next->routes.routes.size());
  run({"build", path("u.json"), "-o", path("edited.glb")});
  run({"verify", path("s.glb"), path("edited.glb")});
}

TEST_F(ToolMaterials, PaintsAnewWhenOnlyPicturesChanged) {
  // Tiles and layers, with a plain look beside them.
  test::SceneBuilder builder;
  for (std::uint32_t m = 0; m < 6; ++m) {
    const MaterialId id = builder.add_material("m" + std::to_string(m));
    builder.scene.materials[m].base_color_texture.texture =
        test::add_picture(builder, test::make_picture(32, 32, m));
    const double repeats = m < 3 ? 1 : 6;
    builder.add_node("n" + std::to_string(m),
                     builder.add_mesh("mesh", test::make_patch(0, 0, repeats, repeats), id),
                     test::at(1.5 * m));
  }
  Scene scene = builder.finish();
  for (std::size_t i = 0; i < scene.images.size(); ++i) {
    scene.images[i].uri = "pictures/" + std::to_string(i) + ".png";
  }
  std::filesystem::create_directories(folder_ / "source" / "pictures");
  const auto write_source = [&] { ASSERT_TRUE(write_scene(scene, path("source/s.gltf"))); };
  write_source();
  run({"propose", path("source/s.gltf"), "-o", path("p.json"), "--materials", "fewest_draws"});
  std::filesystem::create_directories(folder_ / "pictures");
  run({"build", path("p.json"), "-o", path("r.gltf")});
  std::map<std::string, std::string> before;
  for (const auto& entry : std::filesystem::directory_iterator(folder_)) {
    if (entry.is_regular_file()) {
      const std::string name = entry.path().filename().string();
      before[name] = test::read_all(path(name));
    }
  }
  EXPECT_NE(run({"repaint", path("r.gltf")}).find("0 of"), std::string::npos);
  for (const std::uint32_t m : {1U, 4U}) {
    scene.images[m].bytes = make_bytes(*encode_png(test::make_picture(32, 32, 70 + m)));
    scene.images[m].view = no_view;
  }
  write_source();
  EXPECT_NE(run({"verify", path("source/s.gltf"), path("r.gltf")}, 3).find("was made for content"),
            std::string::npos);
  run({"repaint", path("r.gltf")});
  std::set<std::string> changed;
  for (const auto& [name, was] : before) {
    if (test::read_all(path(name)) != was) {
      changed.insert(name.substr(name.rfind('_') + 1));
    }
  }
  EXPECT_TRUE(changed.contains("color.png")) << "the page";
  EXPECT_TRUE(changed.contains("color.ktx2")) << "the layers";
  for (const std::string& name : changed) {
    EXPECT_FALSE(name.ends_with(".bin") || name.ends_with(".gltf")) << name;
  }
  EXPECT_NE(run({"verify", path("source/s.gltf"), path("r.gltf")}).find("PASSED"),
            std::string::npos);
  // Where geometry changed too, nothing is written.
  scene.nodes[0].trs.translation[1] = 3;
  write_source();
  const std::string ledger = test::read_all(path("r.ledger.json"));
  run({"repaint", path("r.gltf")}, 3);
  EXPECT_EQ(test::read_all(path("r.ledger.json")), ledger);
}

TEST_F(ToolMaterials, RefusesWhatItCanNotDo) {
  write(test::make_gallery(5, 10));
  build("r.glb");
  EXPECT_NE(run({"build", path("p.json"), "-o", path("c.glb"), "--carry-source"}, 2)
                .find("keep the source file"),
            std::string::npos);
  EXPECT_NE(run({"propose", path("s.glb"), "-o", path("q.json"), "--materials", "fewest_draws",
                 "--route", "kit_1=vanish"},
                2)
                .find("vanish"),
            std::string::npos);
  // A scene whose pictures changed since the plan was made is refused, and nothing is written.
  auto scene = *read_scene(path("s.glb"));
  const auto first =
      std::find_if(scene.materials.begin(), scene.materials.end(),
                   [](const auto& m) { return m.base_color_texture.texture != no_texture; });
  Image& image =
      scene.images[to_index(scene.textures[to_index(first->base_color_texture.texture)].image)];
  image.view = no_view;
  image.bytes = make_bytes(std::vector<char>{'n', 'o', 'n', 'e'});
  ASSERT_TRUE(write_scene(scene, path("t.glb")));
  run({"build", path("p.json"), "-o", path("d.glb"), "--scene", path("t.glb")}, 3);
  EXPECT_FALSE(std::filesystem::exists(path("d.glb")));
}

TEST_F(ToolMaterials, TakesRoutesAndScalesFromTheLineBeforeThoseOfTheFile) {
  write(test::make_gallery(5, 10));
  test::write_all(path("s.toml"),
                  "[materials]\ngoal = \"full_resolution\"\nroutes = [\"kit_*=atlas\"]\n");
  run({"propose", path("s.glb"), "-o", path("p.json"), "--settings", path("s.toml"), "--route",
       "kit_3=stay", "--page", "512"});
  const auto plan = read_plan(path("p.json"));
  ASSERT_TRUE(plan);
  EXPECT_EQ(plan->routes.settings.goal, MaterialGoal::full_resolution);
  EXPECT_EQ(plan->routes.settings.max_page_px, 512U);
  EXPECT_EQ(plan->routes.find(MaterialId{3})->route, Route::stay);
  EXPECT_NE(plan->routes.find(MaterialId{4})->route, Route::stay);
  // The plan says the same again, and so does its file.
  EXPECT_EQ(test::read_all(path("p.json")),
            to_json(repaint(*read_scene(path("s.glb")), plan->routes)->scene, *plan));
}

TEST_F(ToolMaterials, ComparesGoalsOfASceneAndOfAPlan) {
  write(test::make_gallery(3, 6));
  const std::string told = run({"materials", path("s.glb"), "--compare"});
  for (const char* text :
       {"keep", "full_resolution", "fewest_draws", "megabytes", "draws", "texels_per_m"}) {
    EXPECT_NE(told.find(text), std::string::npos) << told;
  }
  build("r.glb");
  EXPECT_EQ(run({"materials", path("p.json"), "--compare"}), told);
  EXPECT_NE(run({"materials", path("s.glb"), "--compare", "--format", "csv"}).find("keep,"),
            std::string::npos);
}

}  // namespace
}  // namespace wakuzume
