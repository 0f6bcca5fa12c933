// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include "report/text.h"

#include <fmt/format.h>

namespace wakuzume {

std::string group_digits(std::uint64_t number) {
  std::string digits = std::to_string(number);
  for (std::size_t at = digits.size(); at > 3; at -= 3) {
    digits.insert(at - 3, ",");
  }
  return digits;
}

std::string name_of(const Scene& scene, MaterialId id) {
  if (id == no_material) {
    return "(default)";
  }
  const std::string& name = scene[id].name;
  return name.empty() ? fmt::format("#{}", to_index(id)) : name;
}

}  // namespace wakuzume
