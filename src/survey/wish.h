// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#pragma once

#include <cstdint>
#include <optional>
#include <span>
#include <string>
#include <vector>

#include "survey/draw_columns.h"
#include "survey/glob.h"
#include "survey/terms.h"

/// Wishes that have been read, to be held against many draws.
namespace wakuzume {

class Wish {
 public:
  /// \error bad_setting
  static Result<Wish> parse(const std::string& text);

  [[nodiscard]] const std::string& text() const { return text_; }
  [[nodiscard]] bool has_terms() const { return terms_.has_value(); }
  /// Of a wish without terms.
  [[nodiscard]] bool matches(const std::string& name) const { return glob_.find(name) == 0; }
  /// Of a wish with terms.
  [[nodiscard]] bool holds(const DrawRow& row) const;

 private:
  explicit Wish(std::string text) : text_(std::move(text)), glob_({text_}) {}

  std::string text_;
  GlobSet glob_;
  std::optional<Terms> terms_;
};

/// Lists of wishes of which the first that speaks of something counts.
class WishList {
 public:
  /// \error bad_setting
  static Result<WishList> parse(const std::vector<std::string>& texts);

  [[nodiscard]] bool has_terms() const;
  [[nodiscard]] bool has_globs() const;
  /// Position of the first glob that matches; no_index: none.
  [[nodiscard]] std::uint32_t find_glob(const std::string& name) const;
  [[nodiscard]] const Wish& operator[](std::size_t i) const { return wishes_[i]; }
  [[nodiscard]] std::size_t size() const { return wishes_.size(); }

 private:
  std::vector<Wish> wishes_;
};

/// Whether globs over paths speak of what is below a node, too.
enum class WishReach : std::uint8_t { own, with_all_below };

/// The answer to a wish that has been asked before; null: it has not.
const WishAnswer* find_answer(const std::vector<WishAnswer>& answers, const std::string& wish);

/// Asks wishes with terms that have no answer in a list yet, and adds what they speak of.
/// \error as validate_wish; cancelled
Result<void> add_answers(const Scene& scene,
                         const Survey& found,
                         std::span<const std::string> wishes,
                         std::vector<WishAnswer>& answers,
                         const RunControl& run);

/// A glob over names of materials, as terms. Terms stay as they are.
std::string to_material_terms(const std::string& wish);

/// By draw, whether a wish speaks of it, by its answer where it has one. \error cancelled
Result<std::vector<bool>> find_hits(const Scene& scene,
                                    const Survey& found,
                                    const Wish& wish,
                                    WishOver over,
                                    WishReach reach,
                                    const RunControl& run);

}  // namespace wakuzume
