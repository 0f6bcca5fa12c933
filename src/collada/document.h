// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#pragma once

#include <cstdint>
#include <pugixml.hpp>
#include <string>
#include <string_view>
#include <unordered_map>
#include <vector>

#include "files/text_faults.h"
#include "wakuzume/bytes.h"
#include "wakuzume/geometry.h"
#include "wakuzume/result.h"

/// Collada files as elements that find each other.
namespace wakuzume::collada {

/// An XML document with its elements by their ids, and what could not be read of it.
class Document {
 public:
  /// \error bad_value  no XML, or no Collada; the place is a line
  static Result<Document> parse(const Bytes& bytes);

  [[nodiscard]] pugi::xml_node root() const { return tree_.document_element(); }
  /// The element that "#id" names; nothing where there is none, or it is in another file.
  [[nodiscard]] pugi::xml_node find(std::string_view url) const;
  /// What an element's attribute of this name refers to. Tells where that is not there.
  /// \param wanted  name of the element that it has to be
  pugi::xml_node follow(const pugi::xml_node& from, const char* attribute, const char* wanted);
  [[nodiscard]] std::uint64_t find_line(const pugi::xml_node& node) const;

  /// Notes something that is not read, once a kind.
  void skip(const pugi::xml_node& where, const char* what, const char* instead, std::string detail);
  std::vector<SkippedPart> take_skipped() { return faults_.take(); }

  /// The numbers of an element's text; those that are none are nought, and told.
  std::vector<double> read_numbers(const pugi::xml_node& node);
  /// The same for what counts; what is no count is no_index.
  std::vector<std::uint32_t> read_counts(const pugi::xml_node& node);

 private:
  pugi::xml_document tree_;
  std::unordered_map<std::string_view, pugi::xml_node> by_id_;  // looked up only
  std::vector<std::uint64_t> line_ends_;
  Faults faults_;
};

/// Metres with y up, as glTF has them, from those of the file. Turns are exact.
class Axes {
 public:
  /// \param root  of the document
  explicit Axes(const pugi::xml_node& root);

  [[nodiscard]] Vec3d turn(const Vec3d& v) const;
  [[nodiscard]] Vec3d place(const Vec3d& v) const;
  /// A matrix between two spaces of the file, between the same two in metres.
  [[nodiscard]] Mat4d convert(const Mat4d& matrix) const;
  /// The turn as a matrix.
  [[nodiscard]] Mat4d matrix() const;
  [[nodiscard]] bool turns() const { return up_ != 'Y'; }
  [[nodiscard]] double metres() const { return metres_; }

 private:
  double metres_ = 1;
  char up_ = 'Y';
};

/// The name that people gave, else the id.
std::string find_name(const pugi::xml_node& node);

}  // namespace wakuzume::collada
