// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include "support/process.h"

#include <fcntl.h>
#include <gtest/gtest.h>
#include <spawn.h>
#include <sys/wait.h>
#include <unistd.h>

#include <algorithm>
#include <csignal>
#include <cstdlib>
#include <fstream>
#include <sstream>
#include <thread>

extern char** environ;

namespace wakuzume::test {

namespace fs = std::filesystem;

fs::path make_scratch() {
  const auto* info = testing::UnitTest::GetInstance()->current_test_info();
  std::string name = std::string(info->test_suite_name()) + "." + info->name();
  std::replace(name.begin(), name.end(), '/', '_');
  const fs::path folder = fs::path(WAKUZUME_TEST_FOLDER) / name;
  fs::remove_all(folder);
  fs::create_directories(folder);
  return folder;
}

std::string read_all(const fs::path& path) {
  std::ifstream file(path, std::ios::binary);
  EXPECT_TRUE(file.good()) << path;
  std::stringstream text;
  text << file.rdbuf();
  return text.str();
}

void write_all(const fs::path& path, const std::string& text) {
  std::ofstream file(path, std::ios::binary);
  file << text;
  ASSERT_TRUE(file.good()) << path;
}

std::vector<std::string> list_folder(const fs::path& folder) {
  std::vector<std::string> names;
  for (const auto& entry : fs::directory_iterator(folder)) {
    names.push_back(entry.path().filename().string());
  }
  std::sort(names.begin(), names.end());
  return names;
}

Outcome run_program(const std::vector<std::string>& command) {
  char out_name[] = "/tmp/wakuzume-out-XXXXXX";
  char err_name[] = "/tmp/wakuzume-err-XXXXXX";
  const int out = ::mkstemp(out_name);
  const int err = ::mkstemp(err_name);
  posix_spawn_file_actions_t actions;
  posix_spawn_file_actions_init(&actions);
  posix_spawn_file_actions_adddup2(&actions, out, STDOUT_FILENO);
  posix_spawn_file_actions_adddup2(&actions, err, STDERR_FILENO);
  std::vector<char*> arguments;
  for (const std::string& argument : command) {
    arguments.push_back(const_cast<char*>(argument.c_str()));
  }
  arguments.push_back(nullptr);
  pid_t child = 0;
  Outcome outcome;
  const int failed =
      ::posix_spawnp(&child, arguments[0], &actions, nullptr, arguments.data(), environ);
  posix_spawn_file_actions_destroy(&actions);
  EXPECT_EQ(failed, 0) << command[0];
  int status = 0;
  ::waitpid(child, &status, 0);
  outcome.exit_code = WIFEXITED(status) ? WEXITSTATUS(status) : 128 + WTERMSIG(status);
  ::close(out);
  ::close(err);
  outcome.out = read_all(out_name);
  outcome.err = read_all(err_name);
  ::unlink(out_name);
  ::unlink(err_name);
  return outcome;
}

std::string find_tool() {
  const char* const other = std::getenv("WAKUZUME_TOOL");
  return other == nullptr ? WAKUZUME_TOOL : other;
}

int kill_tool(std::vector<std::string> arguments, std::chrono::microseconds after) {
  arguments.insert(arguments.begin(), find_tool());
  posix_spawn_file_actions_t actions;
  posix_spawn_file_actions_init(&actions);
  for (const int stream : {STDOUT_FILENO, STDERR_FILENO}) {
    posix_spawn_file_actions_addopen(&actions, stream, "/dev/null", O_WRONLY, 0);
  }
  std::vector<char*> words;
  std::transform(arguments.begin(), arguments.end(), std::back_inserter(words),
                 [](const std::string& word) { return const_cast<char*>(word.c_str()); });
  words.push_back(nullptr);
  pid_t child = 0;
  EXPECT_EQ(::posix_spawnp(&child, words[0], &actions, nullptr, words.data(), environ), 0);
  posix_spawn_file_actions_destroy(&actions);
  std::this_thread::sleep_for(after);
  ::kill(child, SIGKILL);
  int status = 0;
  ::waitpid(child, &status, 0);
  return WIFEXITED(status) ? WEXITSTATUS(status) : 128 + WTERMSIG(status);
}

Outcome run_tool(std::vector<std::string> arguments) {
  arguments.insert(arguments.begin(), find_tool());
  return run_program(arguments);
}

std::string small_proof() { return WAKUZUME_SOURCE "/tests/support/small_proof.toml"; }

Outcome run_tool_small(std::vector<std::string> arguments) {
  if (std::find(arguments.begin(), arguments.end(), "--settings") == arguments.end()) {
    arguments.insert(arguments.end(), {"--settings", small_proof()});
  }
  return run_tool(std::move(arguments));
}

std::string ask_validator(const fs::path& file) {
  const Outcome outcome =
      run_program({WAKUZUME_NODE, WAKUZUME_JUDGES "/validate.mjs", file.string()});
  const std::size_t path = outcome.out.find(" " + file.string());
  EXPECT_NE(path, std::string::npos) << outcome.out << outcome.err;
  if (path == std::string::npos) {
    return "the validator did not run";
  }
  std::string text = outcome.out;
  text.erase(path, file.string().size() + 1);
  while (!text.empty() && text.back() == '\n') {
    text.pop_back();
  }
  return text;
}

}  // namespace wakuzume::test
