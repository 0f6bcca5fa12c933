// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include "io/obj_parse.h"

#include <fmt/format.h>

#include <algorithm>
#include <cctype>
#include <cmath>
#include <map>
#include <tuple>

#include "io/text_lines.h"

namespace wakuzume {
namespace {

constexpr std::size_t most_ear_corners = 1000;

using Point = std::array<double, 2>;

double cross(const Point& a, const Point& b, const Point& c) {
  return (b[0] - a[0]) * (c[1] - a[1]) - (b[1] - a[1]) * (c[0] - a[0]);
}

/// On the edge counts as inside: such an ear would cut the polygon apart.
bool holds(const Point& a, const Point& b, const Point& c, const Point& p) {
  return cross(a, b, p) >= 0 && cross(b, c, p) >= 0 && cross(c, a, p) >= 0;
}

/// Cuts polygons into triangles.
class EarCutter {
 public:
  EarCutter(const ObjFile& file, const std::vector<ObjCorner>& face) : face_(face) {
    project(file);
    for (std::size_t i = 0; i < face.size(); ++i) {
      left_.push_back(i);
    }
  }

  void cut(std::vector<ObjCorner>& out) {
    while (left_.size() > 3) {
      const std::size_t ear = find_ear();
      add(ear, out);
      left_.erase(left_.begin() + static_cast<std::ptrdiff_t>(ear));
    }
    add(1, out);
  }

 private:
  /// Onto the plane of the largest component of the polygon's normal (M. Newell's), turned so that
  /// the polygon goes counter-clockwise.
  void project(const ObjFile& file) {
    std::array<double, 3> normal{};
    const auto at = [&](std::size_t i, std::size_t axis) {
      return static_cast<double>(file.positions[face_[i % face_.size()].position][axis]);
    };
    for (std::size_t i = 0; i < face_.size(); ++i) {
      for (std::size_t axis = 0; axis < 3; ++axis) {
        const std::size_t u = (axis + 1) % 3;
        const std::size_t v = (axis + 2) % 3;
        normal[axis] += (at(i, u) - at(i + 1, u)) * (at(i, v) + at(i + 1, v));
      }
    }
    std::size_t axis = 0;
    for (std::size_t other = 1; other < 3; ++other) {
      axis = std::abs(normal[other]) > std::abs(normal[axis]) ? other : axis;
    }
    const double turn = normal[axis] < 0 ? -1 : 1;
    for (std::size_t i = 0; i < face_.size(); ++i) {
      points_.push_back({turn * at(i, (axis + 1) % 3), at(i, (axis + 2) % 3)});
    }
  }

  [[nodiscard]] std::size_t before(std::size_t i) const {
    return left_[(i + left_.size() - 1) % left_.size()];
  }
  [[nodiscard]] std::size_t after(std::size_t i) const { return left_[(i + 1) % left_.size()]; }

  /// A corner that juts out and has no other corner in its triangle; any where there is none,
  /// which only polygons that cross themselves lack.
  [[nodiscard]] std::size_t find_ear() const {
    for (std::size_t i = 1; i < left_.size() + 1; ++i) {
      const std::size_t ear = i % left_.size();
      if (is_ear(ear)) {
        return ear;
      }
    }
    return 1;
  }

  [[nodiscard]] bool is_ear(std::size_t i) const {
    const Point& a = points_[before(i)];
    const Point& b = points_[left_[i]];
    const Point& c = points_[after(i)];
    if (!(cross(a, b, c) > 0)) {
      return false;
    }
    for (const std::size_t other : left_) {
      const Point& p = points_[other];
      if (p != a && p != b && p != c && holds(a, b, c, p)) {
        return false;
      }
    }
    return true;
  }

  void add(std::size_t i, std::vector<ObjCorner>& out) const {
    out.push_back(face_[before(i)]);
    out.push_back(face_[left_[i]]);
    out.push_back(face_[after(i)]);
  }

  const std::vector<ObjCorner>& face_;
  std::vector<Point> points_;
  std::vector<std::size_t> left_;
};

class ObjParser {
 public:
  explicit ObjParser(std::string_view text) : lines_(text) {}

  Result<ObjFile> parse() {
    std::string_view line;
    while (lines_.next(line) && error_.message.empty()) {
      std::string_view rest = line;
      const std::string_view word = take_word(rest);
      if (!word.empty() && word[0] != '#') {
        statement(word, rest);
      }
    }
    if (!file_.colors.empty()) {
      file_.colors.resize(file_.positions.size(), {1, 1, 1, 1});
    }
    return error_.message.empty() ? Result<ObjFile>(std::move(file_)) : Failure(error_);
  }

 private:
  void statement(std::string_view word, std::string_view rest) {
    if (word == "v") {
      read_position(rest);
    } else if (word == "vt") {
      std::array<float, 2> uv{};
      read_numbers(rest, uv, 1);
      file_.uvs.push_back(uv);
    } else if (word == "vn") {
      std::array<float, 3> normal{};
      read_numbers(rest, normal, 3);
      file_.normals.push_back(normal);
    } else if (word == "f") {
      read_face(rest);
    } else if (word == "l") {
      read_lines(rest);
    } else if (word == "p") {
      read_points(rest);
    } else if (word == "o") {
      object_ = trim_blanks(rest);
      run_ = no_index;
    } else if (word == "g") {
      group_ = trim_blanks(rest);
      run_ = no_index;
    } else if (word == "usemtl") {
      material_ = trim_blanks(rest);
      run_ = no_index;
    } else if (word == "mtllib") {
      file_.libraries.emplace_back(trim_blanks(rest));
    }
    // Curves, surfaces and display statements have no triangles to take.
  }

  void fail(std::string message) {
    if (error_.message.empty()) {
      error_ = {
          ErrorCode::bad_value, std::move(message), {"", fmt::format("line {}", lines_.number())}};
    }
  }

  template <std::size_t n>
  std::size_t read_numbers(std::string_view& rest, std::array<float, n>& out, std::size_t least) {
    std::size_t count = 0;
    while (count < n) {
      const std::string_view word = take_word(rest);
      if (word.empty()) {
        break;
      }
      if (!parse_number(word, out[count])) {
        fail(fmt::format("\"{}\" is no number", word));
        return count;
      }
      ++count;
    }
    if (count < least) {
      fail(fmt::format("{} numbers where {} are needed", count, least));
    }
    return count;
  }

  /// x y z, then w, or a colour.
  void read_position(std::string_view rest) {
    std::array<float, 7> numbers{};
    const std::size_t count = read_numbers(rest, numbers, 3);
    file_.positions.push_back({numbers[0], numbers[1], numbers[2]});
    if (count >= 6) {
      file_.colors.resize(file_.positions.size() - 1, {1, 1, 1, 1});
      const std::size_t first = count - 3;  // with seven numbers, the fourth is w
      file_.colors.push_back({numbers[first], numbers[first + 1], numbers[first + 2], 1});
    }
  }

  /// Indices count from 1, or from the end where negative.
  bool read_index(std::string_view word, std::size_t size, const char* what, std::uint32_t& out) {
    std::int64_t index = 0;
    if (!parse_number(word, index)) {
      fail(fmt::format("\"{}\" is no index of a {}", word, what));
      return false;
    }
    const auto count = static_cast<std::int64_t>(size);
    const std::int64_t at = index < 0 ? count + index : index - 1;
    if (index == 0 || at < 0 || at >= count) {
      fail(fmt::format("{} {} is asked for, {} are there so far", what, index, count));
      return false;
    }
    out = static_cast<std::uint32_t>(at);
    return true;
  }

  bool read_corner(std::string_view word, ObjCorner& corner) {
    const std::size_t first = word.find('/');
    const std::size_t second = first == std::string_view::npos ? first : word.find('/', first + 1);
    if (!read_index(word.substr(0, first), file_.positions.size(), "vertex", corner.position)) {
      return false;
    }
    const std::string_view uv =
        first == std::string_view::npos ? "" : word.substr(first + 1, second - first - 1);
    const std::string_view normal = second == std::string_view::npos ? "" : word.substr(second + 1);
    return (uv.empty() || read_index(uv, file_.uvs.size(), "texture coordinate", corner.uv)) &&
           (normal.empty() || read_index(normal, file_.normals.size(), "normal", corner.normal));
  }

  bool read_corners(std::string_view rest, std::vector<ObjCorner>& corners) {
    for (std::string_view word = take_word(rest); !word.empty(); word = take_word(rest)) {
      if (!read_corner(word, corners.emplace_back())) {
        return false;
      }
    }
    return true;
  }

  void read_face(std::string_view rest) {
    face_.clear();
    if (!read_corners(rest, face_)) {
      return;
    }
    if (face_.size() < 3) {
      return fail(fmt::format("a face with {} corners", face_.size()));
    }
    std::vector<ObjCorner>& out = open_run(ObjElement::faces).corners;
    if (face_.size() == 3) {
      out.insert(out.end(), face_.begin(), face_.end());
    } else if (face_.size() <= most_ear_corners) {
      EarCutter(file_, face_).cut(out);
    } else {
      for (std::size_t i = 1; i + 1 < face_.size(); ++i) {
        out.insert(out.end(), {face_[0], face_[i], face_[i + 1]});
      }
    }
  }

  void read_lines(std::string_view rest) {
    face_.clear();
    if (!read_corners(rest, face_)) {
      return;
    }
    std::vector<ObjCorner>& out = open_run(ObjElement::lines).corners;
    for (std::size_t i = 0; i + 1 < face_.size(); ++i) {
      out.insert(out.end(), {face_[i], face_[i + 1]});
    }
  }

  void read_points(std::string_view rest) {
    face_.clear();
    if (read_corners(rest, face_)) {
      std::vector<ObjCorner>& out = open_run(ObjElement::points).corners;
      out.insert(out.end(), face_.begin(), face_.end());
    }
  }

  /// The run that the next element belongs to; one that was left may go on.
  ObjRun& open_run(ObjElement kind) {
    if (run_ == no_index || file_.runs[run_].kind != kind) {
      const auto [slot, added] =
          known_.try_emplace({object_, group_, material_, kind}, file_.runs.size());
      if (added) {
        file_.runs.push_back({object_, group_, material_, kind, {}});
      }
      run_ = slot->second;
    }
    return file_.runs[run_];
  }

  LineReader lines_;
  ObjFile file_;
  Error error_;
  std::string object_;
  std::string group_;
  std::string material_;
  std::size_t run_ = no_index;
  std::map<std::tuple<std::string, std::string, std::string, ObjElement>, std::size_t> known_;
  std::vector<ObjCorner> face_;
};

// ---- materials -------------------------------------------------------------------------------

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

/// Options, then all the rest of the line as the name: names may have blanks in them.
MtlTexture parse_texture(std::string_view rest) {
  MtlTexture out;
  while (true) {
    std::string_view after = rest;
    const MapOption* option = find_option(take_word(after));
    if (option == nullptr) {
      break;
    }
    std::vector<std::string_view> words;
    while (words.size() < option->words) {
      std::string_view next = after;
      const std::string_view word = take_word(next);
      float ignored = 0;
      if (word.empty() || (option->numbers && !parse_number(word, ignored))) {
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
  std::vector<MtlMaterial> parse(std::string_view text) {
    LineReader lines(text);
    std::string_view line;
    while (lines.next(line)) {
      std::string_view rest = line;
      const std::string_view word = take_word(rest);
      if (word.empty() || word[0] == '#') {
        continue;
      }
      if (equals_word(word, "newmtl")) {
        materials_.emplace_back().name = trim_blanks(rest);
      } else if (!materials_.empty()) {
        statement(word, rest, materials_.back());
      }
    }
    return std::move(materials_);
  }

 private:
  static void read(std::string_view rest, float& out) {
    float value = 0;
    if (parse_number(take_word(rest), value) && std::isfinite(value)) {
      out = value;
    }
  }

  /// One number stands for all three.
  static void read(std::string_view rest, std::array<float, 3>& out) {
    std::array<float, 3> values{};
    std::size_t count = 0;
    while (count < 3 && parse_number(take_word(rest), values[count]) &&
           std::isfinite(values[count])) {
      ++count;
    }
    if (count == 1) {
      out = {values[0], values[0], values[0]};
    } else if (count == 3) {
      out = values;
    }
  }

  /// A bump map is taken for one where no better is given: exporters write either.
  static bool is_normal_map(std::string_view word, const MtlMaterial& material) {
    const bool bump = equals_word(word, "map_bump") || equals_word(word, "bump");
    return equals_word(word, "norm") || equals_word(word, "map_Kn") ||
           (bump && material.normal_map.name.empty());
  }

  static void statement(std::string_view word, std::string_view rest, MtlMaterial& out) {
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
      out.diffuse_map = parse_texture(rest);
    } else if (is("map_Ke")) {
      out.emission_map = parse_texture(rest);
    } else if (is("map_d")) {
      out.alpha_map = parse_texture(rest);
    } else if (is_normal_map(word, out)) {
      out.normal_map = parse_texture(rest);
    } else {
      out.others.push_back({std::string(word), std::string(trim_blanks(rest))});
    }
  }

  /// "d -halo 0.5" depends on the angle, which glTF can't say: its number is taken as it is.
  static void read_dissolve(std::string_view rest, float& alpha) {
    std::string_view after = rest;
    read(take_word(after) == "-halo" ? after : rest, alpha);
  }

  std::vector<MtlMaterial> materials_;
};

}  // namespace

Result<ObjFile> parse_obj(std::string_view text) { return ObjParser(text).parse(); }

std::vector<MtlMaterial> parse_mtl(std::string_view text) { return MtlParser().parse(text); }

}  // namespace wakuzume
