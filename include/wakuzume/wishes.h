// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#pragma once

#include <cstddef>
#include <cstdint>
#include <span>
#include <string>
#include <string_view>
#include <variant>
#include <vector>

#include "wakuzume/ids.h"
#include "wakuzume/result.h"
#include "wakuzume/run_control.h"
#include "wakuzume/scene.h"
#include "wakuzume/survey.h"

/// Wishes: texts by which settings, plans and the line speak of draws.
///
/// In: a text, and a surveyed scene. Out: the draws that it speaks of. A wish is one of
///   /hall/*_shelf                      a glob over node paths, or over names of materials
///   material=glass_* and static=no     terms over the columns of the draw table
///   not (triangles>5000 or extras.room='east wing')
/// 1. Terms are "column op value"; operators are = != < <= > >=. On texts = and != take globs, in
///    which * crosses slashes; texts that are both numbers are compared as numbers.
/// 2. `not` binds closest, then `and`, then `or`; brackets go before. Values that hold " and ",
///    " or " or a bracket without its partner stand in quotes.
/// 3. `extras.KEY` is what the extras of a draw's node say, or of its nearest ancestor that has the
///    key.
/// 4. A text that does not begin like terms is one glob, whatever it holds.
namespace wakuzume {

struct Column {
  std::string_view name;
  bool numeric = false;
};

using Cell = std::variant<std::string, double>;

/// What a wish without terms is a glob over.
enum class WishOver : std::uint8_t {
  node_paths,
  materials  ///< their names; terms then speak of materials that some matching draw shows
};

/// The columns that terms may name: those of the draw table, but for its findings.
std::span<const Column> list_wish_columns();

/// Whether a text begins like terms.
bool is_terms(std::string_view wish);

/// \error bad_setting  terms that can't be read; an unknown column comes with the nearest
Result<void> validate_wish(const std::string& wish);

/// Asks wishes with terms that have no answer yet in the survey's settings, and keeps the answers
/// there: from then on they count, whatever becomes of the scene.
/// \pre `found` is of `scene`
/// \error as validate_wish; cancelled
Result<void> answer_wishes(const Scene& scene,
                           std::span<const std::string> wishes,
                           Survey& found,
                           const RunControl& run = {});

/// "survey.keep_nodes: nothing that is drawn matches ...", one for each that speaks of nothing.
std::vector<std::string> list_idle(std::span<const WishUse> uses);

/// Draws that a wish speaks of, ascending. Terms that have an answer in the survey's settings are
/// not asked again.
/// \pre `found` is of `scene`
/// \error as validate_wish; cancelled
/// \cost a cell a draw and term, in parallel; a path a node for globs over paths
Result<std::vector<DrawId>> find_draws(const Scene& scene,
                                       const Survey& found,
                                       const std::string& wish,
                                       WishOver over = WishOver::node_paths,
                                       const RunControl& run = {});

}  // namespace wakuzume
