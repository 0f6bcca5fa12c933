// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include "wakuzume/sharing.h"

#include <gtest/gtest.h>

#include <algorithm>

#include "support/scene_builder.h"

namespace wakuzume {
namespace {

/// A level that takes the named things from a kit.
struct LevelOfKit {
  explicit LevelOfKit(std::vector<int> things) {
    test::SceneBuilder builder;
    builder.add_material("first, so that numbers differ");
    for (const int thing : things) {
      Image image;
      image.bytes = make_bytes(std::vector<std::uint8_t>(10, static_cast<std::uint8_t>(thing)));
      builder.scene.images.push_back(image);
      const MaterialId material = builder.add_material("skin " + std::to_string(things.size()));
      builder.scene.materials[to_index(material)].base_color_texture.texture =
          builder.add_texture(make_id<ImageId>(builder.scene.images.size() - 1));
      test::MeshData data = test::make_square();
      data.positions[0] = static_cast<float>(-thing);
      builder.add_node("n", builder.add_mesh("thing_" + std::to_string(thing), data, material));
    }
    scene = builder.finish();
    found = *survey(scene);
  }
  Scene scene;
  Survey found;
};

TEST(Sharing, PacksWhatTheVerySameScenesUse) {
  const LevelOfKit a({1, 2, 3});
  const LevelOfKit b({4, 3, 2});
  const LevelOfKit c({3});
  const SharingInput inputs[] = {
      {&a.scene, &a.found, {}}, {&b.scene, &b.found, {}}, {&c.scene, &c.found, {}}};
  const Sharing sharing = find_sharing(inputs);
  using Scenes = std::vector<std::uint32_t>;
  ASSERT_EQ(sharing.packs.size(), 4U);
  EXPECT_EQ(sharing.packs[0].scenes, (Scenes{0, 1, 2}));
  EXPECT_EQ(sharing.packs[1].scenes, (Scenes{0, 1}));
  std::uint64_t parts = 0;
  for (const SharedPack& pack : sharing.packs) {
    EXPECT_EQ(pack.counts, (std::array<std::uint64_t, 3>{1, 1, 1})) << "a mesh, a skin, an image";
    EXPECT_EQ(pack.bytes, 4U * 32 + 24 + 10);
    parts += pack.counts[0] + pack.counts[1] + pack.counts[2];
  }
  EXPECT_EQ(parts, sharing.parts.size());
  const auto thing_3 = std::find_if(sharing.parts.begin(), sharing.parts.end(),
                                    [](const SharedPart& p) { return p.name == "thing_3"; });
  ASSERT_NE(thing_3, sharing.parts.end());
  EXPECT_EQ(thing_3->scenes, (Scenes{0, 1, 2}));
}

TEST(Sharing, TellsMeshesUnderOtherMaterialsApart) {
  LevelOfKit a({1});
  LevelOfKit b({1});
  b.scene.materials[1].roughness = 0.5;
  const SharingInput inputs[] = {{&a.scene, &a.found, {}}, {&b.scene, &b.found, {}}};
  const Sharing sharing = find_sharing(inputs);
  std::size_t shared = 0;
  for (const SharedPart& part : sharing.parts) {
    shared += part.scenes.size() == 2 ? 1U : 0U;
  }
  EXPECT_EQ(shared, 1U) << "the image alone";
  EXPECT_EQ(sharing.parts.size(), 5U);
}

}  // namespace
}  // namespace wakuzume
