// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#pragma once

#include <map>
#include <string>
#include <string_view>
#include <vector>

#include "collada/document.h"
#include "kits/kit_scene.h"

namespace wakuzume::collada {

/// A primitive of a geometry, its material still by its symbol.
struct Part {
  std::string symbol;
  Primitive primitive;
  std::vector<std::uint32_t> uv_sets;  ///< the file's number of each TEXCOORD_n
};

/// Reads the geometries of a document, each once.
class Meshes {
 public:
  Meshes(Document& document, const Axes& axes, KitScene& kit)
      : document_(document), axes_(axes), kit_(kit) {}

  /// What can't be drawn is left out, and told. \param geometry  a <geometry>
  const std::vector<Part>& find(const pugi::xml_node& geometry);

 private:
  Document& document_;
  const Axes& axes_;
  KitScene& kit_;
  std::map<std::string_view, std::vector<Part>> known_;  ///< by id
};

}  // namespace wakuzume::collada
