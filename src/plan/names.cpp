// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include "plan/names.h"

#include <fmt/format.h>

#include "scene/hasher.h"

namespace wakuzume {

std::string make_plain_name(std::string_view text) {
  std::string out;
  for (const char c : text) {
    const bool plain = (c >= 'a' && c <= 'z') || (c >= 'A' && c <= 'Z') || (c >= '0' && c <= '9') ||
                       c == '-' || c == '.' || static_cast<unsigned char>(c) >= 0x80;
    if (plain) {
      out += c;
    } else if (!out.empty() && out.back() != '_') {
      out += '_';
    }
  }
  while (!out.empty() && out.back() == '_') {
    out.pop_back();
  }
  return out.empty() ? "unnamed" : out;
}

std::string to_short(double number) {
  return number >= 1000 ? fmt::format("{:.0f}", number) : fmt::format("{:.3g}", number);
}

std::string make_group_id(const Group& group) {
  std::string text;
  for (const DrawRef& ref : group.members) {
    fmt::format_to(std::back_inserter(text), "{}.{} ", to_index(ref.node), ref.primitive);
  }
  const char letter = group.kind == GroupKind::cluster ? 'c' : 'i';
  const XXH64_hash_t hash = XXH3_64bits(text.data(), text.size());
  return fmt::format("{}-{:012x}", letter, hash & 0xFFFF'FFFF'FFFFULL);
}

NameGiver::NameGiver(const Scene& scene) {
  of_nodes_.reserve(scene.nodes.size());
  for (const Node& node : scene.nodes) {
    of_nodes_.insert(node.name);
  }
}

std::string NameGiver::make_unique(const std::string& base) {
  std::uint32_t& number = next_number_[base];
  std::string name;
  do {
    name = fmt::format("{}_{:03}", base, ++number);
  } while (of_nodes_.contains(name) || !names_.insert(name).second);
  return name;
}

}  // namespace wakuzume
