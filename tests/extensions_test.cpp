// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include "wakuzume/extensions.h"

#include <gtest/gtest.h>

#include <algorithm>

#include "support/pictures.h"
#include "support/process.h"
#include "support/scene_builder.h"
#include "wakuzume/build.h"
#include "wakuzume/io.h"

// What becomes of extensions, and what they stop.
namespace wakuzume {
namespace {

const ExtensionUse* find_use(const std::vector<ExtensionUse>& uses, const std::string& name) {
  const auto at = std::find_if(uses.begin(), uses.end(),
                               [&](const ExtensionUse& use) { return use.name == name; });
  return at == uses.end() ? nullptr : &*at;
}

TEST(ListExtensions, TellsOfEachWhatBecomesOfIt) {
  Scene scene = test::make_random_scene(2, 5);
  scene.extensions_used = {"KHR_lights_punctual", "KHR_materials_clearcoat", "ACME_glow"};
  scene.extensions_required = {"KHR_mesh_quantization"};
  scene.unpacked = {"EXT_meshopt_compression"};
  const auto uses = list_extensions(scene);
  ASSERT_EQ(uses.size(), 5U);
  EXPECT_EQ(find_use(uses, "KHR_lights_punctual")->fate, ExtensionFate::understood);
  EXPECT_EQ(find_use(uses, "KHR_lights_punctual")->without, "its lights");
  EXPECT_EQ(find_use(uses, "KHR_materials_clearcoat")->fate, ExtensionFate::carried);
  EXPECT_EQ(find_use(uses, "ACME_glow")->fate, ExtensionFate::carried);
  EXPECT_TRUE(find_use(uses, "KHR_mesh_quantization")->required);
  EXPECT_EQ(find_use(uses, "EXT_meshopt_compression")->fate, ExtensionFate::undone);
  for (const ExtensionUse& use : uses) {
    EXPECT_FALSE(use.in_results.empty()) << use.name;
    EXPECT_FALSE(use.without.empty()) << use.name;
  }
  // In a file it is written to, what was undone is gone; what is packed is there.
  EXPECT_EQ(find_use(list_written_extensions(scene), "EXT_meshopt_compression"), nullptr);
  scene.storage = StreamStorage::packed;
  EXPECT_TRUE(find_use(list_written_extensions(scene), "EXT_meshopt_compression")->required);
}

TEST(ListExtensions, StandsInTheSurveyAndAtTheEndOfARun) {
  const auto folder = test::make_scratch();
  Scene scene = test::make_random_scene(2, 12);
  scene.storage = StreamStorage::packed;
  scene.extensions_used.emplace_back("ACME_glow");
  const std::string source = (folder / "scene.glb").string();
  ASSERT_TRUE(write_scene(scene, source));
  const auto survey = test::run_tool_small({"survey", source});
  ASSERT_EQ(survey.exit_code, 0) << survey.err;
  EXPECT_NE(survey.out.find("EXT_meshopt_compression, required"), std::string::npos) << survey.out;
  EXPECT_NE(survey.out.find("ACME_glow"), std::string::npos);
  const auto run = [&](const std::string& form) {
    const auto done = test::run_tool_small(
        {"run", source, "-o", (folder / form).string(), "--repeats", "merge", "--geometry", form});
    EXPECT_EQ(done.exit_code, 0) << done.err;
    return done.out;
  };
  EXPECT_NE(run("plain").find("Any loader of glTF 2.0 opens the result"), std::string::npos);
  EXPECT_NE(run("packed").find("Loaders of the result have to know"), std::string::npos);
}

/// A square whose material has a picture that only an extension names.
Scene make_pictured(const char* extension, const std::string& mime_type, Bytes bytes) {
  test::SceneBuilder builder;
  Image image;
  image.mime_type = mime_type;
  image.bytes = std::move(bytes);
  builder.scene.images.push_back(image);
  Texture texture;
  texture.extra.ensure().extensions.push_back({extension, R"({"source":0})"});
  builder.scene.textures.push_back(texture);
  builder.scene.extensions_used.emplace_back(extension);
  for (int i = 0; i < 2; ++i) {
    const MaterialId material = builder.add_material(i == 0 ? "pictured" : "plain");
    builder.scene.materials.back().base_color_texture.texture =
        i == 0 ? TextureId{0} : test::add_picture(builder, test::make_picture(32, 32, 5));
    builder.add_node("part", builder.add_mesh("part", test::make_square(), material),
                     test::at(2 * i));
  }
  return builder.finish();
}

TEST(TextureExtensions, PicturesThatCanNotBeReadStayAndAreCarriedThrough) {
  const auto folder = test::make_scratch();
  const std::string basis("\xABKTX 20\xBB\r\n\x1A\n not for us", 30);
  const auto* const bytes = reinterpret_cast<const std::byte*>(basis.data());
  const Scene scene = make_pictured("KHR_texture_basisu", "image/ktx2",
                                    make_bytes(std::vector(bytes, bytes + basis.size())));
  const std::string source = (folder / "scene.glb").string();
  ASSERT_TRUE(write_scene(scene, source));
  const auto run = test::run_tool_small(
      {"run", source, "-o", (folder / "out").string(), "--materials", "fewest_draws"});
  EXPECT_EQ(run.exit_code, 0) << run.out << run.err;
  const Scene result = *read_scene((folder / "out" / "scene.glb").string());
  const auto kept =
      std::find_if(result.images.begin(), result.images.end(),
                   [](const Image& image) { return image.mime_type == "image/ktx2"; });
  ASSERT_NE(kept, result.images.end());
  const auto stays = test::run_tool(
      {"materials", (folder / "out" / "scene.plan.json").string(), "--where", "route=stay"});
  EXPECT_NE(stays.out.find("pictured"), std::string::npos) << stays.out;
}

}  // namespace
}  // namespace wakuzume
