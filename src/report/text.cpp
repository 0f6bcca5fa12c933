// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include "report/text.h"

#include <fmt/format.h>

namespace wakuzume {

std::string name_of(const Scene& scene, MaterialId id) {
  if (id == no_material) {
    return "(default)";
  }
  const std::string& name = scene[id].name;
  return name.empty() ? fmt::format("#{}", to_index(id)) : name;
}

}  // namespace wakuzume
