// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include "build/looks.h"

#include <algorithm>
#include <set>
#include <string>

#include "rework/compact.h"
#include "rework/use_marks.h"
#include "survey/lightmaps.h"
#include "survey/textures.h"

namespace wakuzume {
namespace {

/// Variants name materials, and extensions of materials name textures; that of lightmaps is known.
bool has_hidden_references(const Scene& scene) {
  const bool variants = std::any_of(scene.meshes.begin(), scene.meshes.end(), [](const Mesh& mesh) {
    return std::any_of(mesh.primitives.begin(), mesh.primitives.end(),
                       [](const Primitive& p) { return p.extra && !p.extra->extensions.empty(); });
  });
  return variants ||
         std::any_of(scene.materials.begin(), scene.materials.end(), [&](const Material& material) {
           const auto slots = list_slots(material);
           const auto core = std::count_if(slots.begin(), slots.end(), [](const TextureSlot* slot) {
             return slot->texture != no_texture;
           });
           const bool lit = find_lightmap_extension(scene, material).has_value();
           return list_textures(scene, material).size() >
                  static_cast<std::size_t>(core) + (lit ? 1U : 0U);
         });
}

/// New numbers of the old entries; null handles for those that went.
struct LookNumbers {
  std::vector<MaterialId> materials;
  std::vector<ImageId> images;
};

struct LookUse {
  UseMarks<MaterialId> materials;
  UseMarks<TextureId> textures;
  UseMarks<SamplerId> samplers;
  UseMarks<ImageId> images;

  void include(const LookUse& other) {
    materials.include(other.materials);
    textures.include(other.textures);
    samplers.include(other.samplers);
    images.include(other.images);
  }
};

LookUse mark_nothing(const Scene& scene) {
  return {UseMarks<MaterialId>(scene.materials.size()), UseMarks<TextureId>(scene.textures.size()),
          UseMarks<SamplerId>(scene.samplers.size()), UseMarks<ImageId>(scene.images.size())};
}

LookUse mark_looks(const Scene& scene) {
  LookUse use = mark_nothing(scene);
  for (const Node& node : scene.nodes) {
    if (node.mesh != no_mesh) {
      const Mesh& mesh = scene[node.mesh];
      for (const std::vector<Primitive>* primitives : {&mesh.primitives, &mesh.plain}) {
        for (const Primitive& primitive : *primitives) {
          use.materials(primitive.material);
        }
      }
    }
  }
  for (std::size_t m = 0; m < scene.materials.size(); ++m) {
    if (!use.materials.has(m)) {
      continue;
    }
    for (const TextureSlot* slot : list_slots(scene.materials[m])) {
      use.textures(slot->texture);
    }
    if (const auto lightmap = find_lightmap_extension(scene, scene.materials[m])) {
      use.textures(lightmap->texture);
    }
  }
  for (std::size_t t = 0; t < scene.textures.size(); ++t) {
    if (use.textures.has(t)) {
      use.samplers(scene.textures[t].sampler);
      use.images(find_image(scene, make_id<TextureId>(t)));
      use.images(scene.textures[t].image);
    }
  }
  return use;
}

/// `"source": 7` with another number.
void replace_source(std::string& json, std::size_t number) {
  const std::size_t key = json.find("\"source\"");
  const std::size_t first = key == std::string::npos ? key : json.find_first_of("0123456789", key);
  if (first != std::string::npos) {
    const std::size_t end = json.find_first_not_of("0123456789", first);
    json.replace(first, (end == std::string::npos ? json.size() : end) - first,
                 std::to_string(number));
  }
}

template <class Id>
std::vector<Id> make_same(std::size_t count) {
  std::vector<Id> same(count);
  for (std::size_t i = 0; i < count; ++i) {
    same[i] = make_id<Id>(i);
  }
  return same;
}

/// Those that were used before and are not now, from materials too.
void remove_textures(const UseMarks<TextureId>& before,
                     const UseMarks<TextureId>& now,
                     Scene& built) {
  std::vector<TextureId> lightmaps;
  for (const Material& material : built.materials) {
    const auto lightmap = find_lightmap_extension(built, material);
    lightmaps.push_back(lightmap ? lightmap->texture : no_texture);
  }
  const auto numbers = remove_unused(built.textures, before, now);
  for (std::size_t m = 0; m < built.materials.size(); ++m) {
    for (TextureSlot* slot : list_slots(built.materials[m])) {
      renumber(slot->texture, numbers);
    }
    if (lightmaps[m] != no_texture) {
      set_lightmap_texture(built.materials[m], numbers[to_index(lightmaps[m])]);
    }
  }
}

/// Removes what was used before and is not now.
LookNumbers drop_unused(const LookUse& before, Scene& built) {
  if (has_hidden_references(built) || !find_referring_extension(built).empty()) {
    return {make_same<MaterialId>(built.materials.size()), make_same<ImageId>(built.images.size())};
  }
  const LookUse now = mark_looks(built);
  LookNumbers numbers;
  numbers.materials = remove_unused(built.materials, before.materials, now.materials);
  for (Mesh& mesh : built.meshes) {
    for (std::vector<Primitive>* primitives : {&mesh.primitives, &mesh.plain}) {
      for (Primitive& primitive : *primitives) {
        renumber(primitive.material, numbers.materials);
      }
    }
  }
  remove_textures(before.textures, now.textures, built);
  const auto samplers = remove_unused(built.samplers, before.samplers, now.samplers);
  std::vector<ImageId> shown;
  for (std::size_t t = 0; t < built.textures.size(); ++t) {
    shown.push_back(find_image(built, make_id<TextureId>(t)));
  }
  numbers.images = remove_unused(built.images, before.images, now.images);
  for (std::size_t t = 0; t < built.textures.size(); ++t) {
    Texture& texture = built.textures[t];
    renumber(texture.sampler, samplers);
    if (texture.layers) {
      renumber(texture.layers.ensure().image, numbers.images);
    }
    if (texture.image != no_image) {
      renumber(texture.image, numbers.images);
    } else if (!texture.layers && shown[t] != no_image) {
      for (RawMember& extension : texture.extra.ensure().extensions) {
        replace_source(extension.json, to_index(numbers.images[to_index(shown[t])]));
      }
    }
  }
  return numbers;
}

void renumber_pages(const LookNumbers& numbers, Ledger& ledger) {
  for (auto& page : ledger.page_images) {
    for (ImageId& image : page) {
      image = image == no_image ? no_image : numbers.images[to_index(image)];
    }
  }
}

/// The ledger after materials were renumbered once more. \param left  how many there are now
void follow_materials(const LookNumbers& numbers, std::size_t left, Ledger& ledger) {
  const std::vector<MaterialId> before = std::move(ledger.material_from);
  ledger.material_from.assign(left, no_material);
  for (std::size_t m = 0; m < numbers.materials.size(); ++m) {
    if (numbers.materials[m] != no_material) {
      ledger.material_from[to_index(numbers.materials[m])] =
          before.empty() ? make_id<MaterialId>(m) : before[m];
    }
  }
}

/// Images of lightmap pages that nothing is on any more, with the textures and materials that show
/// them and that nothing uses.
/// \param numbers  of images, by their numbers when the plan was made
LookUse mark_left_pages(const LightmapPlan& plan,
                        const std::vector<ImageId>& numbers,
                        const Scene& scene) {
  std::set<std::string> pages;
  for (const Node& node : scene.nodes) {
    if (node.mesh == no_mesh) {
      continue;
    }
    for (const Primitive& primitive : scene[node.mesh].primitives) {
      pages.insert(find_lightmap(scene, node, primitive, plan.page_key));
    }
  }
  LookUse left = mark_nothing(scene);
  for (const LightmapPage& page : plan.pages) {
    const ImageId image = page.image == no_image ? no_image : numbers[to_index(page.image)];
    if (image == no_image || pages.contains(page.name)) {
      continue;
    }
    left.images(image);
    for (std::size_t t = 0; t < scene.textures.size(); ++t) {
      if (scene.textures[t].image == image) {
        left.textures(make_id<TextureId>(t));
      }
    }
    for (std::size_t m = 0; m < scene.materials.size(); ++m) {
      if (find_lightmap_image(scene, make_id<MaterialId>(m)) == image) {
        left.materials(make_id<MaterialId>(m));
      }
    }
  }
  return left;
}

}  // namespace

void drop_unshown(const LookOrigins& from, Built& built) {
  std::vector<ImageId> images = make_same<ImageId>(built.scene.images.size());
  const auto follow = [&](const LookNumbers& numbers) {
    follow_materials(numbers, built.scene.materials.size(), built.ledger);
    renumber_pages(numbers, built.ledger);
    images = numbers.images;
  };
  // Reduced meshes show what they showed, unless normals were painted for them.
  const bool relief = from.unreduced != nullptr && from.steps.reduction.settings.relief_px > 0;
  if (from.origin != nullptr || relief) {
    LookUse before = mark_nothing(built.scene);
    for (const Scene* const scene : {from.origin, relief ? from.unreduced : nullptr}) {
      if (scene != nullptr) {
        before.include(mark_looks(*scene));
      }
    }
    follow(drop_unused(before, built.scene));
  }
  const LightmapPlan& lightmaps = from.steps.lightmaps;
  if (std::any_of(lightmaps.pages.begin(), lightmaps.pages.end(),
                  [](const LightmapPage& page) { return page.image != no_image; })) {
    follow(drop_unused(mark_left_pages(lightmaps, images, built.scene), built.scene));
  }
}

}  // namespace wakuzume
