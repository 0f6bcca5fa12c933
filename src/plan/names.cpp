// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include "plan/names.h"

#include <fmt/format.h>

#include <algorithm>

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

std::string fill_pattern(const std::string& pattern, std::span<const PatternWord> words) {
  std::string out = pattern;
  for (const PatternWord& word : words) {
    const std::string mark = fmt::format("{{{}}}", word.name);
    const std::string text = word.text.empty() ? "none" : make_plain_name(word.text);
    for (std::size_t at = out.find(mark); at != std::string::npos;
         at = out.find(mark, at + text.size())) {
      out.replace(at, mark.size(), text);
    }
  }
  return out;
}

bool is_pattern(const std::string& pattern, std::span<const std::string_view> words) {
  std::size_t at = 0;
  while ((at = pattern.find_first_of("{}", at)) != std::string::npos) {
    const std::size_t end = pattern.find('}', at);
    if (pattern[at] == '}' || end == std::string::npos) {
      return false;
    }
    const std::string_view word = std::string_view(pattern).substr(at + 1, end - at - 1);
    if (std::find(words.begin(), words.end(), word) == words.end()) {
      return false;
    }
    at = end + 1;
  }
  return !pattern.empty();
}

std::string NameGiver::make_unique(const std::string& base) {
  return make_numbered(base + "_{number}");
}

std::string NameGiver::make_numbered(const std::string& pattern) {
  constexpr std::string_view mark = "{number}";
  const std::size_t at = pattern.find(mark);
  std::uint32_t& number = next_number_[pattern];
  std::string name;
  do {
    const std::string digits = fmt::format("{:03}", ++number);
    if (at != std::string::npos) {
      name = pattern.substr(0, at) + digits + pattern.substr(at + mark.size());
    } else {
      name = number == 1 ? pattern : pattern + "_" + digits;
    }
  } while (of_nodes_.contains(name) || !names_.insert(name).second);
  return name;
}

}  // namespace wakuzume
