// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include "obj/parse.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <map>
#include <tuple>
#include <utility>

#include "files/text_faults.h"
#include "files/text_lines.h"
#include "kits/ears.h"

namespace wakuzume {
namespace {

/// Statements that say nothing of shapes: display, and what belongs to curves.
constexpr std::string_view silent_words[] = {
    "mg",        "vp",     "bevel", "c_interp", "d_interp", "lod",    "shadow_obj", "step", "deg",
    "trace_obj", "cstype", "bmat",  "parm",     "trim",     "hole",   "scrv",       "sp",   "end",
    "ctech",     "stech",  "con",   "call",     "csh",      "usemap", "maplib",     "res"};
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
    place_smooth_normals();
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
    } else if (word == "s") {
      read_smoothing(rest);
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
    smooth_face();
    std::vector<ObjCorner>& out = open_run(ObjElement::faces).corners;
    if (face_.size() == 3) {
      out.insert(out.end(), face_.begin(), face_.end());
      return;
    }
    face_places_.clear();
    for (const ObjCorner& corner : face_) {
      const std::array<float, 3>& place = file_.positions[corner.position];
      face_places_.push_back({static_cast<double>(place[0]), static_cast<double>(place[1]),
                              static_cast<double>(place[2])});
    }
    for (const std::uint32_t corner : cut_polygon(face_places_)) {
      out.push_back(face_[corner]);
    }
  }

  /// A number from 1 on; "off" and 0 stand for none.
  void read_smoothing(std::string_view rest) {
    const std::string_view word = take_word(rest);
    std::uint32_t group = 0;
    if (word != "off" && !parse_number(word, group)) {
      fail(fmt::format("\"{}\" is no smoothing group", begin_of(word)));
      skip("smoothing groups that can't be read", "their faces are flat");
      group = 0;
    }
    smoothing_ = group;
  }

  /// Corners of a smoothing group without a normal get one that all faces of the group share there,
  /// each by its area.
  void smooth_face() {
    if (smoothing_ == 0 || std::all_of(face_.begin(), face_.end(), [](const ObjCorner& corner) {
          return corner.normal != no_index;
        })) {
      return;
    }
    std::array<double, 3> normal{};  // M. Newell's
    for (std::size_t i = 0; i < face_.size(); ++i) {
      const auto& a = file_.positions[face_[i].position];
      const auto& b = file_.positions[face_[(i + 1) % face_.size()].position];
      for (std::size_t axis = 0; axis < 3; ++axis) {
        const std::size_t u = (axis + 1) % 3;
        const std::size_t v = (axis + 2) % 3;
        normal[axis] += (static_cast<double>(a[u]) - static_cast<double>(b[u])) *
                        (static_cast<double>(a[v]) + static_cast<double>(b[v]));
      }
    }
    for (ObjCorner& corner : face_) {
      if (corner.normal != no_index) {
        continue;
      }
      const auto [slot, added] = smooth_at_.try_emplace({corner.position, smoothing_},
                                                        static_cast<std::uint32_t>(smooth_.size()));
      if (added) {
        smooth_.emplace_back();
      }
      for (std::size_t axis = 0; axis < 3; ++axis) {
        smooth_[slot->second][axis] += normal[axis];
      }
      // Those of the file are numbered as it goes on, so these come behind the last of them.
      corner.normal = first_smooth + slot->second;
    }
  }

  void place_smooth_normals() {
    const auto first = static_cast<std::uint32_t>(file_.normals.size());
    for (const std::array<double, 3>& sum : smooth_) {
      const double length = std::sqrt(sum[0] * sum[0] + sum[1] * sum[1] + sum[2] * sum[2]);
      std::array<float, 3> normal{0, 0, 1};  // faces without any area have none
      for (std::size_t axis = 0; axis < 3 && length > 0 && std::isfinite(length); ++axis) {
        normal[axis] = static_cast<float>(sum[axis] / length);
      }
      file_.normals.push_back(normal);
    }
    for (ObjRun& run : file_.runs) {
      for (ObjCorner& corner : run.corners) {
        if (corner.normal >= first_smooth && corner.normal != no_index) {
          corner.normal += first - first_smooth;
        }
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
  /// Numbers of normals that smoothing groups make, while the file's own are still counted.
  static constexpr std::uint32_t first_smooth = 0x8000'0000U;
  std::uint32_t smoothing_ = 0;
  std::map<std::pair<std::uint32_t, std::uint32_t>, std::uint32_t> smooth_at_;  ///< position, group
  std::vector<std::array<double, 3>> smooth_;
  std::string object_;
  std::string group_;
  std::string material_;
  std::size_t run_ = no_index;
  std::map<std::tuple<std::string, std::string, std::string, ObjElement, bool>, std::size_t> known_;
  std::vector<ObjCorner> face_;
  std::vector<std::array<double, 3>> face_places_;
};

}  // namespace

Result<ObjFile> parse_obj(std::string_view text) { return ObjParser(text).parse(); }

}  // namespace wakuzume
