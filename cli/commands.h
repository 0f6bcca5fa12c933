// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#pragma once

#include <optional>
#include <string>
#include <vector>

#include "console.h"
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
  std::string sheets;       ///< materials: folder for pictures of the pages
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
  // Given on the line, they replace what the settings file says.
  std::optional<std::uint32_t> min_instances;
  std::optional<std::uint32_t> max_vertices;
  std::optional<double> cell_size_m;
  std::optional<double> triangle_growth;
  std::optional<double> memory_growth;
  std::optional<std::string> repeats;
  std::optional<std::string> blended;
  std::vector<std::string> split;
  std::optional<std::string> split_by;
  std::optional<double> split_cell_m;
  std::optional<std::string> materials;
  std::vector<std::string> routes;
  std::vector<std::string> scales;
  std::optional<std::uint32_t> page_px;
  std::optional<std::string> mesh_unit;
  std::optional<std::string> colliders;
  std::optional<std::uint32_t> views;
  std::optional<std::uint32_t> view_seed;
  std::optional<std::string> profile;
  bool compares = false;  ///< plans on several terms
};

/// By its word; nothing for another.
std::optional<ColliderShape> find_collider_shape(const std::string& word);

Exit survey_command(const Options& options);
Exit propose_command(const Options& options);
Exit edit_command(const Options& options);
Exit materials_command(const Options& options);
Exit build_command(const Options& options);
Exit repaint_command(const Options& options);
Exit restore_command(const Options& options);
Exit picture_command(const Options& options);
Exit verify_command(const Options& options);
Exit run_command(const Options& options);
Exit demo_command(const Options& options);
Exit settings_command(const Options& options);

}  // namespace wakuzume::cli
