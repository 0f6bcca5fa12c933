// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#pragma once

#include <cstdint>
#include <span>
#include <string>
#include <string_view>
#include <vector>

#include "survey/glob.h"
#include "wakuzume/wishes.h"

/// Terms over the columns of a table: read once, held against many rows.
namespace wakuzume {

/// Whether terms may speak of extras, too.
enum class ExtraTerms : std::uint8_t { none, allowed };

/// One comparison.
struct TermTest {
  std::size_t column = 0;  ///< where `extra` is empty
  std::string extra;       ///< key in the extras
  std::string op;
  std::string text;
  double number = 0;  ///< with `is_number`
  bool is_number = false;
  GlobSet glob{{}};

  [[nodiscard]] bool holds(const Cell& cell) const;
};

class Terms {
 public:
  /// \error bad_setting
  static Result<Terms> parse(std::string_view text,
                             std::span<const Column> columns,
                             ExtraTerms extras = ExtraTerms::none);

  /// \param make_cell  makes the cell that a TermTest speaks of, of one row
  template <class MakeCell>
  [[nodiscard]] bool hold(const MakeCell& make_cell) const {
    return holds(root_, make_cell);
  }

 private:
  friend class TermReader;
  enum class Kind : std::uint8_t { test, both, either, opposite };
  struct Part {
    Kind kind = Kind::test;
    std::uint32_t left = 0;   ///< of `test`: position in tests_; else in parts_
    std::uint32_t right = 0;  ///< of `both` and `either`
  };

  template <class MakeCell>
  [[nodiscard]] bool holds(std::uint32_t at, const MakeCell& make_cell) const {
    const Part& part = parts_[at];
    switch (part.kind) {
      case Kind::test:
        return tests_[part.left].holds(make_cell(tests_[part.left]));
      case Kind::both:
        return holds(part.left, make_cell) && holds(part.right, make_cell);
      case Kind::either:
        return holds(part.left, make_cell) || holds(part.right, make_cell);
      case Kind::opposite:
        break;
    }
    return !holds(part.left, make_cell);
  }

  std::vector<Part> parts_;
  std::vector<TermTest> tests_;
  std::uint32_t root_ = 0;
};

}  // namespace wakuzume
