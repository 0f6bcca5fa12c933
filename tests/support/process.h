// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#pragma once

#include <chrono>
#include <filesystem>
#include <string>
#include <vector>

namespace wakuzume::test {

struct Outcome {
  int exit_code = -1;  ///< 128 + signal when it was killed
  std::string out;
  std::string err;
};

/// Runs a program with stdout and stderr caught.
Outcome run_program(const std::vector<std::string>& command);
/// The tool that was built with the tests; another one where WAKUZUME_TOOL names it, such as what
/// is shipped.
std::string find_tool();
/// Runs the tool.
Outcome run_tool(std::vector<std::string> arguments);
/// The same for tests of other things than the proof: a line without settings of its own gets those
/// of small_proof(), and draws small pictures of few views.
Outcome run_tool_small(std::vector<std::string> arguments);
std::string small_proof();

/// Runs the tool and kills it some time later, if it is still there. \return its exit code
int kill_tool(std::vector<std::string> arguments, std::chrono::microseconds after);

/// A fresh empty folder for one test, named after it.
std::filesystem::path make_scratch();

std::string read_all(const std::filesystem::path& path);
void write_all(const std::filesystem::path& path, const std::string& text);
/// Names of everything in a folder, sorted.
std::vector<std::string> list_folder(const std::filesystem::path& folder);

/// What the Khronos validator says of a file: "0 0" when there is nothing, else its counts of
/// errors and warnings and the first of them.
std::string ask_validator(const std::filesystem::path& file);

}  // namespace wakuzume::test
