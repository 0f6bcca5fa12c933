// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#pragma once

#include <cstdint>
#include <map>
#include <string>
#include <string_view>
#include <vector>

#include "collada/document.h"
#include "kits/kit_scene.h"

namespace wakuzume::collada {

/// Which UV set of a primitive a material's name for UVs stands for: "CHANNEL0" is TEXCOORD_1.
using UvNames = std::map<std::string, std::uint32_t>;

/// Reads the materials of a document: one for each way that primitives give it their UVs.
/// \source roughness from the exponent of a highlight as for the libraries of OBJ
class Materials {
 public:
  Materials(Document& document, KitScene& kit) : document_(document), kit_(kit) {}

  /// \param material  a <material>; nothing where it is not there: one that has its name alone
  MaterialId find(const pugi::xml_node& material, const std::string& name, const UvNames& uvs);
  /// Whether something shows the material of this id.
  [[nodiscard]] bool has(const std::string& id) const {
    const auto at = known_.lower_bound({id, {}});
    return at != known_.end() && at->first.first == id;
  }

 private:
  struct Texture {
    std::string file;  ///< empty: there is none
    std::uint32_t wrap_s = wrap_repeat;
    std::uint32_t wrap_t = wrap_repeat;
    std::string uv_name;
  };
  /// A colour or a picture.
  struct Look {
    bool given = false;
    Vec4d color{0, 0, 0, 1};
    Texture texture;
  };

  void read_effect(const pugi::xml_node& effect, const UvNames& uvs, Material& material);
  void read_transparency(const pugi::xml_node& shading,
                         const pugi::xml_node& profile,
                         const Look& diffuse,
                         Material& material);
  [[nodiscard]] Look read_look(const pugi::xml_node& owner, const pugi::xml_node& profile);
  [[nodiscard]] Texture read_texture(const pugi::xml_node& texture, const pugi::xml_node& profile);
  [[nodiscard]] std::string find_file(const pugi::xml_node& image);
  [[nodiscard]] double read_number(const pugi::xml_node& owner,
                                   const pugi::xml_node& profile,
                                   double missing);
  TextureSlot make_slot(const Texture& texture,
                        const UvNames& uvs,
                        const std::string& material,
                        const char* what);

  Document& document_;
  KitScene& kit_;
  std::map<std::pair<std::string, UvNames>, MaterialId> known_;
};

}  // namespace wakuzume::collada
