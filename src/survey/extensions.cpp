// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include "wakuzume/extensions.h"

#include <algorithm>
#include <array>

#include "wakuzume/material.h"

namespace wakuzume {
namespace {

constexpr const char* packed_streams = "EXT_meshopt_compression";

struct Known {
  std::string_view name;
  ExtensionFate fate;
  std::string_view in_results;
  std::string_view without;
};

constexpr std::string_view all_geometry = "anything that is drawn";
constexpr auto understood = ExtensionFate::understood;
constexpr auto carried = ExtensionFate::carried;
constexpr auto undone = ExtensionFate::undone;

constexpr Known known_extensions[] = {
    {packed_streams, undone, "plain streams, or packed again by --geometry packed", all_geometry},
    {"KHR_draco_mesh_compression", undone, "plain streams, or packed by --geometry packed",
     all_geometry},
    {"KHR_mesh_quantization", understood,
     "types as they were; more by --geometry quantised or packed", all_geometry},
    {"EXT_mesh_gpu_instancing", understood,
     "sets of the file as they were; its own by --instances extension", "instance sets"},
    {"KHR_texture_transform", understood, "kept, or moved into UVs where materials are shared",
     "moves, turns and scales of textures"},
    {"EXT_texture_webp", understood, "kept; pages by materials.picture_type webp",
     "WebP pictures without another beside them"},
    {"KHR_texture_basisu", carried, "kept, and its materials stay as they are",
     "pictures in KTX2 without another beside them"},
    {"KHR_lights_punctual", understood, "kept with its nodes", "its lights"},
    {"KHR_materials_unlit", understood, "kept", "colours without light: it shades them"},
    {"MOZ_lightmap", understood, "kept, or joined by --lightmaps join", "lightmaps of materials"},
    {texture_layers_extension, understood, "kept; its own where textures repeat",
     "shared layers: it draws the materials that stood before them, and more draws"},
};

const Known* find_known(std::string_view name) {
  const auto* const at = std::find_if(std::begin(known_extensions), std::end(known_extensions),
                                      [&](const Known& known) { return known.name == name; });
  return at == std::end(known_extensions) ? nullptr : at;
}

ExtensionUse make_use(const std::string& name, bool required) {
  ExtensionUse use;
  use.name = name;
  use.required = required;
  if (const Known* const known = find_known(name)) {
    use.fate = known->fate;
    use.in_results = known->in_results;
    use.without = known->without;
  } else if (name.starts_with("KHR_materials_")) {
    use.in_results = "kept with its materials, which share no pages unless all agree";
    use.without = "how its materials differ from the standard ones";
  } else {
    use.in_results = "kept where its owner survives; draws that a merge would take it from stay";
    use.without = "whatever it says";
  }
  return use;
}

bool lists(const std::vector<std::string>& names, const std::string& name) {
  return std::find(names.begin(), names.end(), name) != names.end();
}

std::vector<ExtensionUse> list_used(const Scene& scene) {
  std::vector<ExtensionUse> out;
  for (const std::string& name : scene.extensions_used) {
    out.push_back(make_use(name, lists(scene.extensions_required, name)));
  }
  for (const std::string& name : scene.extensions_required) {
    if (!lists(scene.extensions_used, name)) {
      out.push_back(make_use(name, true));
    }
  }
  return out;
}

}  // namespace

std::string_view to_string(ExtensionFate fate) {
  constexpr std::array<std::string_view, 3> names{"undone", "understood", "carried"};
  return names[static_cast<std::size_t>(fate)];
}

std::vector<ExtensionUse> list_extensions(const Scene& scene) {
  std::vector<ExtensionUse> out = list_used(scene);
  for (const std::string& name : scene.unpacked) {
    out.push_back(make_use(name, true));
  }
  return out;
}

std::vector<ExtensionUse> list_written_extensions(const Scene& scene) {
  std::vector<ExtensionUse> out = list_used(scene);
  if (scene.storage == StreamStorage::packed) {
    out.push_back(make_use(packed_streams, true));
  }
  return out;
}

}  // namespace wakuzume
