// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#pragma once

#include <functional>
#include <map>
#include <optional>
#include <string>
#include <utility>
#include <vector>

#include "console.h"
#include "wakuzume/reduce.h"
#include "wakuzume/revise.h"
#include "wakuzume/settings_file.h"

/// What each command does, once its line has been parsed.
namespace wakuzume::cli {

enum class Format { text, json, csv };

struct Options {
  std::string input;                ///< scene or plan
  std::vector<std::string> inputs;  ///< survey: scenes
  std::string second;               ///< verify: the result
  std::string output;
  std::string ledger;  ///< verify, restore: another than the one beside the result
  std::string scene;   ///< build, restore: another than the one the plan or ledger names
  std::vector<std::string> groups;  ///< restore: globs over groups
  std::vector<std::string> nodes;   ///< restore: globs over nodes
  std::string settings_file;
  Format format = Format::text;
  Talk talk = Talk::normal;
  unsigned threads = 0;
  // survey: what to print and from where to look.
  std::string table;
  std::string by;
  std::size_t depth = 2;
  std::vector<std::string> where;
  std::string sort;
  std::optional<std::uint32_t> top;
  std::string views_file;
  std::string save_views;
  std::string tier;
  std::vector<std::string> budgets;
  bool skip_pixels = false;
  bool never_mends = false;
  // propose: from an earlier plan, or asking one.
  std::string revise;
  std::string rebase;
  std::string why;
  std::vector<Edit> edits;  ///< edit: in the order of the line
  /// edit: how many triangles groups may draw, before all other edits.
  std::vector<std::pair<std::string, ReduceSettings>> group_triangles;
  std::string sheets;  ///< materials: folder for pictures of the pages
  // picture.
  std::string show = "shaded";
  std::string camera;
  std::optional<std::uint32_t> view_number;  ///< from one on
  bool all_views = false;
  std::string plan;  ///< whose groups and routes are shown
  std::uint32_t picture_width = 1280;
  std::uint32_t picture_height = 800;
  std::string pictures;  ///< verify: folder for what was compared
  // build.
  bool carry_source = false;
  std::vector<std::string> assets;
  std::string asset_pivot = "own";
  std::string cache;
  /// By option, what the line says of settings, over what the file says.
  std::map<std::string, std::vector<std::string>> settings;
  bool compares = false;   ///< plans on several terms
  bool effective = false;  ///< settings: as they count, with where each comes from
  bool merges = false;     ///< reduce: what is left, too
  /// What the line says of a reduction, over what the file says.
  std::vector<std::function<void(ReduceSettings&)>> reduce;
};

/// By its word; nothing for another.
std::optional<ColliderShape> find_collider_shape(const std::string& word);

Exit survey_command(const Options& options);
Exit propose_command(const Options& options);
Exit edit_command(const Options& options);
Exit materials_command(const Options& options);
Exit build_command(const Options& options);
Exit reduce_command(const Options& options);
Exit repaint_command(const Options& options);
Exit restore_command(const Options& options);
Exit picture_command(const Options& options);
Exit verify_command(const Options& options);
Exit run_command(const Options& options);
Exit demo_command(const Options& options);
Exit settings_command(const Options& options);

}  // namespace wakuzume::cli
