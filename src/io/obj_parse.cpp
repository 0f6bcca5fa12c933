// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include "io/obj_parse.h"

#include <fmt/format.h>

#include <algorithm>
#include <cctype>
#include <cmath>
#include <map>
#include <tuple>
#include <utility>

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

/// Faults of one kind are listed once, with their count and the first of them.
class Faults {
 public:
  void add(const char* what, const char* instead, std::string detail, std::uint64_t line) {
    const auto hit = std::find_if(list_.begin(), list_.end(),
                                  [&](const SkippedPart& part) { return part.what == what; });
    if (hit != list_.end()) {
      ++hit->count;
    } else {
      list_.push_back({"", what, instead, std::move(detail), 1, line});
    }
  }
  std::vector<SkippedPart> take() { return std::move(list_); }

 private:
  std::vector<SkippedPart> list_;
};

/// Statements that say nothing of shapes: smoothing, display, and what belongs to curves.
constexpr std::string_view silent_words[] = {
    "s",     "mg",   "vp",         "bevel",     "c_interp", "d_interp", "lod",  "shadow_obj",
    "step",  "deg",  "trace_obj",  "cstype",    "bmat",     "parm",     "trim", "hole",
    "scrv",  "sp",   "end",        "ctech",     "stech",    "con",      "call", "csh",
    "usemap", "maplib", "res"};
constexpr std::string_view curve_words[] = {"curv", "curv2", "surf", "bzp", "bsp", "cdc", "cdp"};

template <std::size_t n>
bool is_one_of(std::string_view word, const std::string_view (&words)[n]) {
  return std::find(std::begin(words), std::end(words), word) != std::end(words);
}

class ObjParser {
 public:
  explicit ObjParser(std::string_view text) : lines_(text) {}

  Result<ObjFile> parse() {
    std::string_view line;
    while (lines_.next(line)) {
      std::string_view rest = line;
      const std::string_view word = take_word(rest);
      if (!word.empty() && word[0] != '#') {
        statement(word, rest);
      }
    }
    if (!file_.colors.empty()) {
      file_.colors.resize(file_.positions.size(), {1, 1, 1, 1});
    }
    file_.skipped = faults_.take();
    if (file_.runs.empty() && !file_.skipped.empty()) {
      const SkippedPart& first = file_.skipped.front();
      return Failure(
          Error{ErrorCode::bad_value,
                fmt::format("nothing in it can be used; the first fault: {}", first.detail),
                {"", fmt::format("line {}", first.first_line)}});
    }
    return std::move(file_);
  }

 private:
  void statement(std::string_view word, std::string_view rest) {
    if (word == "v") {
      read_position(rest);
    } else if (word == "vt") {
      std::array<float, 2> uv{};
      if (read_numbers(rest, uv, 1) == 0) {
        uv = {0, 1};  // 0, 0 where v goes down
        skip("texture coordinates that can't be read", "taken as UV 0, 0");
      }
      file_.uvs.push_back(uv);
    } else if (word == "vn") {
      std::array<float, 3> normal{};
      good_normals_.push_back(read_numbers(rest, normal, 3) == 3);
      if (!good_normals_.back()) {
        skip("normals that can't be read", "what uses them has none");
      }
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
    } else if (is_one_of(word, curve_words)) {
      fail(fmt::format("\"{}\" has no triangles to take", word));
      skip("curves and surfaces", "left out");
    } else if (!is_one_of(word, silent_words)) {
      fail(fmt::format("\"{}\" is no statement of this format", begin_of(word)));
      skip("lines that are no statement", "left out");
    }
  }

  /// What is wrong with the line at hand; the first that is said counts.
  void fail(std::string detail) { detail_ = detail_.empty() ? std::move(detail) : detail_; }
  /// \param instead  what becomes of them
  void skip(const char* what, const char* instead) {
    faults_.add(what, instead, std::exchange(detail_, {}), lines_.number());
  }

  /// \return how many there are; 0 where they are fewer than needed or one is no number
  template <std::size_t n>
  std::size_t read_numbers(std::string_view& rest, std::array<float, n>& out, std::size_t least) {
    std::size_t count = 0;
    while (count < n) {
      const std::string_view word = take_word(rest);
      if (word.empty()) {
        break;
      }
      if (!parse_number(word, out[count])) {
        // What follows the numbers that are needed is often a comment.
        if (count >= least) {
          break;
        }
        fail(fmt::format("\"{}\" is no number", begin_of(word)));
        return 0;
      }
      ++count;
    }
    if (count < least) {
      fail(fmt::format("{} numbers where {} are needed", count, least));
      return 0;
    }
    return count;
  }

  /// x y z, then w, or a colour.
  void read_position(std::string_view rest) {
    std::array<float, 7> numbers{};
    const std::size_t count = read_numbers(rest, numbers, 3);
    // The numbers of those that follow must stay what they are.
    good_positions_.push_back(count > 0);
    if (count == 0) {
      numbers = {};
      skip("vertices that can't be read", "left out, with what uses them");
    }
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
      fail(fmt::format("\"{}\" is no index of a {}", begin_of(word), what));
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

  /// Without its vertex a corner is none; UVs and normals can do without.
  bool read_corner(std::string_view word, ObjCorner& corner) {
    const std::size_t first = word.find('/');
    const std::size_t second = first == std::string_view::npos ? first : word.find('/', first + 1);
    if (!read_index(word.substr(0, first), file_.positions.size(), "vertex", corner.position)) {
      return false;
    }
    if (!good_positions_[corner.position]) {
      fail(fmt::format("vertex {} can't be read", corner.position + 1));
      return false;
    }
    const std::string_view uv =
        first == std::string_view::npos ? "" : word.substr(first + 1, second - first - 1);
    const std::string_view normal = second == std::string_view::npos ? "" : word.substr(second + 1);
    if (!uv.empty() && !read_index(uv, file_.uvs.size(), "texture coordinate", corner.uv)) {
      skip("indices of texture coordinates that can't be", "their corners show UV 0, 0");
    }
    if (!normal.empty() && !read_index(normal, file_.normals.size(), "normal", corner.normal)) {
      skip("indices of normals that can't be", "their faces have no normals");
    }
    if (corner.normal != no_index && !good_normals_[corner.normal]) {
      corner.normal = no_index;
    }
    return true;
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
      return skip("faces with an index that can't be", "left out");
    }
    if (face_.size() < 3) {
      fail(fmt::format("a face with {} corners", face_.size()));
      return skip("faces with fewer than three corners", "left out");
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
      return skip("lines and points with an index that can't be", "left out");
    }
    if (face_.size() < 2) {
      fail(fmt::format("a line with {} corners", face_.size()));
      return skip("lines with fewer than two corners", "left out");
    }
    std::vector<ObjCorner>& out = open_run(ObjElement::lines).corners;
    for (std::size_t i = 0; i + 1 < face_.size(); ++i) {
      out.insert(out.end(), {face_[i], face_[i + 1]});
    }
  }

  void read_points(std::string_view rest) {
    face_.clear();
    if (!read_corners(rest, face_)) {
      return skip("lines and points with an index that can't be", "left out");
    }
    if (!face_.empty()) {
      std::vector<ObjCorner>& out = open_run(ObjElement::points).corners;
      out.insert(out.end(), face_.begin(), face_.end());
    }
  }

  /// The run that `face_` belongs to; one that was left may go on.
  ObjRun& open_run(ObjElement kind) {
    const bool normals = std::all_of(face_.begin(), face_.end(), [](const ObjCorner& corner) {
      return corner.normal != no_index;
    });
    if (run_ == no_index || file_.runs[run_].kind != kind || file_.runs[run_].normals != normals) {
      const auto [slot, added] =
          known_.try_emplace({object_, group_, material_, kind, normals}, file_.runs.size());
      if (added) {
        file_.runs.push_back({object_, group_, material_, kind, normals, {}});
      }
      run_ = slot->second;
    }
    return file_.runs[run_];
  }

  LineReader lines_;
  ObjFile file_;
  Faults faults_;
  std::string detail_;  ///< what is wrong with the line at hand
  std::vector<bool> good_positions_;
  std::vector<bool> good_normals_;
  std::string object_;
  std::string group_;
  std::string material_;
  std::size_t run_ = no_index;
  std::map<std::tuple<std::string, std::string, std::string, ObjElement, bool>, std::size_t> known_;
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
                fmt::format("\"{}\" is no number", begin_of(trim_blanks(rest))),
                lines_.number());
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

Result<ObjFile> parse_obj(std::string_view text) { return ObjParser(text).parse(); }

MtlFile parse_mtl(std::string_view text) { return MtlParser(text).parse(); }

}  // namespace wakuzume
