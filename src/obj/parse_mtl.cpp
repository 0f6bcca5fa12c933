// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include <fmt/format.h>

#include <algorithm>
#include <cctype>
#include <cmath>

#include "files/text_faults.h"
#include "files/text_lines.h"
#include "obj/parse.h"

namespace wakuzume {
namespace {

/// How many words an option of a map takes; numbers may be fewer.
struct MapOption {
  std::string_view name;
  std::size_t words;
  bool numbers;
};
constexpr MapOption map_options[] = {
    {"-blendu", 1, false}, {"-blendv", 1, false},    {"-boost", 1, true},    {"-bm", 1, true},
    {"-cc", 1, false},     {"-clamp", 1, false},     {"-imfchan", 1, false}, {"-mm", 2, true},
    {"-o", 3, true},       {"-s", 3, true},          {"-t", 3, true},        {"-texres", 1, true},
    {"-type", 1, false},   {"-colorspace", 1, false}};

/// Exporters write either case.
bool equals_word(std::string_view a, std::string_view b) {
  return std::equal(a.begin(), a.end(), b.begin(), b.end(), [](unsigned char x, unsigned char y) {
    return std::tolower(x) == std::tolower(y);
  });
}

const MapOption* find_option(std::string_view word) {
  for (const MapOption& option : map_options) {
    if (equals_word(option.name, word)) {
      return &option;
    }
  }
  return nullptr;
}

void apply_option(const MapOption& option,
                  const std::vector<std::string_view>& words,
                  MtlTexture& out) {
  const auto number = [&](std::size_t i, float otherwise) {
    float value = otherwise;
    return i < words.size() && parse_number(words[i], value) && std::isfinite(value) ? value
                                                                                     : otherwise;
  };
  if (option.name == "-s") {
    out.scale = {number(0, 1), number(1, 1)};
  } else if (option.name == "-o") {
    out.offset = {number(0, 0), number(1, 0)};
  } else if (option.name == "-bm") {
    out.bump = number(0, 1);
  } else if (option.name == "-clamp") {
    out.clamp = !words.empty() && equals_word(words[0], "on");
  }
}

bool is_number(std::string_view word) {
  float ignored = 0;
  return parse_number(word, ignored);
}

/// An option that is not known, with what can only be its values; the rest of the line where there
/// is none: then it is the name. A name may begin like an option, but it has an ending.
std::string_view skip_option(std::string_view rest) {
  std::string_view after = rest;
  const std::string_view word = take_word(after);
  if (word.size() < 2 || word[0] != '-' || word.find('.') != std::string_view::npos ||
      trim_blanks(after).empty()) {
    return rest;
  }
  while (true) {
    std::string_view next = after;
    const std::string_view value = take_word(next);
    const bool belongs = is_number(value) || equals_word(value, "on") || equals_word(value, "off");
    if (!belongs || trim_blanks(next).empty()) {
      return after;
    }
    after = next;
  }
}

/// Options, then all the rest of the line as the name: names may have blanks in them.
/// \param unknown  is told of options that are not known
template <class Unknown>
MtlTexture parse_texture(std::string_view rest, const Unknown& unknown) {
  MtlTexture out;
  while (true) {
    std::string_view after = rest;
    const std::string_view first = take_word(after);
    const MapOption* option = find_option(first);
    if (option == nullptr) {
      const std::string_view behind = skip_option(rest);
      if (behind.size() == rest.size()) {
        break;
      }
      unknown(first);
      rest = behind;
      continue;
    }
    std::vector<std::string_view> words;
    while (words.size() < option->words) {
      std::string_view next = after;
      const std::string_view word = take_word(next);
      if (word.empty() || (option->numbers && !is_number(word))) {
        break;
      }
      words.push_back(word);
      after = next;
    }
    apply_option(*option, words, out);
    rest = after;
  }
  std::string_view name = trim_blanks(rest);
  if (name.size() >= 2 && name.front() == '"' && name.back() == '"') {
    name = name.substr(1, name.size() - 2);
  }
  out.name = name;
  return out;
}

class MtlParser {
 public:
  explicit MtlParser(std::string_view text) : lines_(text) {}

  MtlFile parse() {
    std::string_view line;
    while (lines_.next(line)) {
      std::string_view rest = line;
      const std::string_view word = take_word(rest);
      if (word.empty() || word[0] == '#') {
        continue;
      }
      if (equals_word(word, "newmtl")) {
        file_.materials.emplace_back().name = trim_blanks(rest);
      } else if (!file_.materials.empty()) {
        statement(word, rest, file_.materials.back());
      }
    }
    file_.skipped = faults_.take();
    return std::move(file_);
  }

 private:
  void skip_number(std::string_view rest) {
    faults_.add("numbers of materials that can't be read", "their defaults stand",
                fmt::format("\"{}\" is no number", begin_of(trim_blanks(rest))), lines_.number());
  }

  void read(std::string_view rest, float& out) {
    float value = 0;
    std::string_view after = rest;
    if (parse_number(take_word(after), value) && std::isfinite(value)) {
      out = value;
    } else {
      skip_number(rest);
    }
  }

  MtlTexture read_map(std::string_view rest) {
    return parse_texture(rest, [&](std::string_view option) {
      faults_.add("options of textures that are not known", "left out",
                  fmt::format("the option {}", begin_of(option)), lines_.number());
    });
  }

  /// One number stands for all three.
  void read(std::string_view rest, std::array<float, 3>& out) {
    const std::string_view all = trim_blanks(rest);
    std::array<float, 3> values{};
    std::size_t count = 0;
    while (count < 3 && parse_number(take_word(rest), values[count]) &&
           std::isfinite(values[count])) {
      ++count;
    }
    std::string_view after = all;
    take_word(after);
    if (count == 1 && trim_blanks(after).empty()) {
      out = {values[0], values[0], values[0]};
    } else if (count == 3) {
      out = values;
    } else if (!all.starts_with("spectral") && !all.starts_with("xyz")) {
      skip_number(all);
    }
  }

  /// A bump map is taken for one where no better is given: exporters write either.
  static bool is_normal_map(std::string_view word, const MtlMaterial& material) {
    const bool bump = equals_word(word, "map_bump") || equals_word(word, "bump");
    return equals_word(word, "norm") || equals_word(word, "map_Kn") ||
           (bump && material.normal_map.name.empty());
  }

  void statement(std::string_view word, std::string_view rest, MtlMaterial& out) {
    const auto is = [&](std::string_view name) { return equals_word(word, name); };
    if (is("Kd")) {
      read(rest, out.diffuse);
    } else if (is("Ke")) {
      read(rest, out.emission);
    } else if (is("d")) {
      read_dissolve(rest, out.alpha);
    } else if (is("Tr")) {
      float transparency = 1 - out.alpha;
      read(rest, transparency);
      out.alpha = 1 - transparency;
    } else if (is("Ns")) {
      read(rest, out.shininess);
    } else if (is("Pr")) {
      read(rest, out.roughness);
    } else if (is("Pm")) {
      read(rest, out.metallic);
    } else if (is("map_Kd")) {
      out.diffuse_map = read_map(rest);
    } else if (is("map_Ke")) {
      out.emission_map = read_map(rest);
    } else if (is("map_Pr")) {
      out.roughness_map = read_map(rest);
    } else if (is("map_Pm")) {
      out.metallic_map = read_map(rest);
    } else if (is("map_d")) {
      out.alpha_map = read_map(rest);
    } else if (is_normal_map(word, out)) {
      out.normal_map = read_map(rest);
    } else {
      out.others.push_back({std::string(word), std::string(trim_blanks(rest))});
    }
  }

  /// "d -halo 0.5" depends on the angle, which glTF can't say: its number is taken as it is.
  void read_dissolve(std::string_view rest, float& alpha) {
    std::string_view after = rest;
    read(take_word(after) == "-halo" ? after : rest, alpha);
  }

  LineReader lines_;
  MtlFile file_;
  Faults faults_;
};

}  // namespace

MtlFile parse_mtl(std::string_view text) { return MtlParser(text).parse(); }

}  // namespace wakuzume
