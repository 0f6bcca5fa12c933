// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#pragma once

#include <optional>
#include <string>

#include "console.h"
#include "wakuzume/settings.h"

/// What each command does, once its line has been parsed.
namespace wakuzume::cli {

enum class Format { text, json };

struct Options {
  std::string input;   ///< scene or plan
  std::string second;  ///< verify: the result
  std::string output;
  std::string ledger;  ///< verify: another than the one beside the result
  std::string scene;   ///< build: another than the one the plan names
  std::string settings_file;
  Format format = Format::text;
  Talk talk = Talk::normal;
  unsigned threads = 0;
  // Given on the line, they replace what the settings file says.
  std::optional<std::uint32_t> min_instances;
  std::optional<std::uint32_t> max_vertices;
  std::optional<double> cell_size_m;
  std::optional<double> fewer_draws;
  std::optional<std::string> blended;
};

Exit survey_command(const Options& options);
Exit propose_command(const Options& options);
Exit build_command(const Options& options);
Exit verify_command(const Options& options);
Exit run_command(const Options& options);
Exit demo_command(const Options& options);
Exit settings_command(const Options& options);

}  // namespace wakuzume::cli
