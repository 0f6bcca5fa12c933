// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include "collada/document.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "files/text_encoding.h"
#include "files/text_lines.h"
#include "wakuzume/ids.h"

namespace wakuzume::collada {
namespace {

/// XML counts the ends of lines among its blanks.
constexpr std::string_view xml_blanks = " \t\r\n";

/// The first of an id counts.
class Indexer final : public pugi::xml_tree_walker {
 public:
  explicit Indexer(std::unordered_map<std::string_view, pugi::xml_node>& by_id) : by_id_(by_id) {}
  bool for_each(pugi::xml_node& node) override {
    if (const pugi::xml_attribute id = node.attribute("id")) {
      by_id_.try_emplace(id.value(), node);
    }
    return true;
  }

 private:
  std::unordered_map<std::string_view, pugi::xml_node>& by_id_;
};

std::uint64_t find_line_of(const std::vector<std::uint64_t>& line_ends, std::int64_t offset) {
  const auto at = static_cast<std::uint64_t>(std::max<std::int64_t>(0, offset));
  return static_cast<std::uint64_t>(std::lower_bound(line_ends.begin(), line_ends.end(), at) -
                                    line_ends.begin()) +
         1;
}

}  // namespace

Result<Document> Document::parse(const Bytes& bytes) {
  Document out;
  const auto data = bytes.data();
  for (std::size_t i = 0; i < data.size(); ++i) {
    if (data[i] == std::byte{'\n'}) {
      out.line_ends_.push_back(i);
    }
  }
  const pugi::xml_parse_result parsed = out.tree_.load_buffer(data.data(), data.size());
  const auto refuse = [&](std::string message, std::int64_t offset) {
    return Failure(Error{ErrorCode::bad_value,
                         std::move(message),
                         {"", fmt::format("line {}", find_line_of(out.line_ends_, offset))}});
  };
  if (!parsed) {
    return refuse(fmt::format("this is no sound XML: {}", parsed.description()), parsed.offset);
  }
  const pugi::xml_node root = out.root();
  if (std::string_view(root.name()) != "COLLADA") {
    return refuse(fmt::format("the document is a <{}>, and that of Collada is a <COLLADA>",
                              begin_of(root.name())),
                  root.offset_debug());
  }
  Indexer indexer(out.by_id_);
  out.tree_.traverse(indexer);
  return out;
}

pugi::xml_node Document::find(std::string_view url) const {
  const auto hit = url.starts_with('#') ? by_id_.find(url.substr(1)) : by_id_.end();
  return hit == by_id_.end() ? pugi::xml_node() : hit->second;
}

pugi::xml_node Document::follow(const pugi::xml_node& from,
                                const char* attribute,
                                const char* wanted) {
  const std::string_view url = from.attribute(attribute).value();
  const pugi::xml_node found = find(url);
  if (std::string_view(found.name()) == wanted) {
    return found;
  }
  skip(from, "references to what is not there", "left out",
       fmt::format("<{}> asks for a <{}> \"{}\"", from.name(), wanted, begin_of(url)));
  return {};
}

std::uint64_t Document::find_line(const pugi::xml_node& node) const {
  return find_line_of(line_ends_, node.offset_debug());
}

void Document::skip(const pugi::xml_node& where,
                    const char* what,
                    const char* instead,
                    std::string detail) {
  faults_.add(what, instead, std::move(detail), find_line(where));
}

std::vector<double> Document::read_numbers(const pugi::xml_node& node) {
  std::vector<double> out;
  std::string_view text = node.text().get();
  for (std::string_view word = take_word(text, xml_blanks); !word.empty();
       word = take_word(text, xml_blanks)) {
    if (!parse_number(word, out.emplace_back())) {
      out.back() = 0;
      skip(node, "numbers that can't be read", "taken as 0",
           fmt::format("\"{}\" is no number", begin_of(word)));
    }
  }
  return out;
}

std::vector<std::uint32_t> Document::read_counts(const pugi::xml_node& node) {
  std::vector<std::uint32_t> out;
  std::string_view text = node.text().get();
  for (std::string_view word = take_word(text, xml_blanks); !word.empty();
       word = take_word(text, xml_blanks)) {
    if (!parse_number(word, out.emplace_back())) {
      out.back() = no_index;
    }
  }
  return out;
}

Axes::Axes(const pugi::xml_node& root) {
  const pugi::xml_node asset = root.child("asset");
  const double metres = asset.child("unit").attribute("meter").as_double(1);
  metres_ = std::isfinite(metres) && metres > 0 ? metres : 1;
  const std::string_view up = asset.child("up_axis").text().get();
  const std::size_t letter = up.find_first_of("XYZ");
  up_ = letter == std::string_view::npos ? 'Y' : up[letter];
}

/// Of the standard, "up_axis": what is right, up, and towards the eye.
Vec3d Axes::turn(const Vec3d& v) const {
  switch (up_) {
    case 'X':
      return {-v[1], v[0], v[2]};
    case 'Z':
      return {v[0], v[2], -v[1]};
    default:
      return v;
  }
}

Vec3d Axes::place(const Vec3d& v) const {
  const Vec3d turned = turn(v);
  return {metres_ * turned[0], metres_ * turned[1], metres_ * turned[2]};
}

Mat4d Axes::matrix() const {
  Mat4d out = identity_matrix;
  for (std::size_t column = 0; column < 3; ++column) {
    Vec3d axis{};
    axis[column] = 1;
    const Vec3d to = turn(axis);
    std::copy(to.begin(), to.end(), out.begin() + static_cast<std::ptrdiff_t>(4 * column));
  }
  return out;
}

Mat4d Axes::convert(const Mat4d& matrix) const {
  const Mat4d to = this->matrix();
  Mat4d back = identity_matrix;
  for (std::size_t row = 0; row < 3; ++row) {
    for (std::size_t column = 0; column < 3; ++column) {
      back[4 * column + row] = to[4 * row + column];
    }
  }
  Mat4d out = make_product(to, make_product(matrix, back));
  for (std::size_t row = 0; row < 3; ++row) {
    out[12 + row] *= metres_;
  }
  return out;
}

std::string find_name(const pugi::xml_node& node) {
  const std::string_view name = node.attribute("name").value();
  return to_utf8(name.empty() ? node.attribute("id").value() : name);
}

}  // namespace wakuzume::collada
