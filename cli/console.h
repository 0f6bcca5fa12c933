// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#pragma once

#include <string>
#include <string_view>

#include "wakuzume/result.h"
#include "wakuzume/run_control.h"

/// What the tool says beside its results, and how it ends.
namespace wakuzume::cli {

/// Every way the tool can end. --help prints the same list.
enum class Exit : int {
  done = 0,
  check_failed = 1,
  bad_usage = 2,
  bad_input = 3,
  cannot_write = 4,
  cancelled = 130,
};
inline constexpr const char* exit_help =
    "Exit codes: 0 done; 1 done, but a budget or the proof failed; 2 the command line or settings\n"
    "are wrong; 3 the input can't be read or is invalid; 4 the output can't be written; 130 "
    "cancelled.";

Exit to_exit(const Error& error);

enum class Talk { quiet, normal, verbose };

/// Progress on stderr, where stderr is a terminal, and cancelling on Ctrl-C.
class Console final : public Observer {
 public:
  explicit Console(Talk talk);
  ~Console() override;
  Console(const Console&) = delete;
  Console& operator=(const Console&) = delete;

  bool advance(std::string_view stage, double done) override;
  /// One line on stderr, with --verbose only.
  void tell(std::string_view line) override;
  void warn(std::string_view line) override;
  void report(const Error& error);
  /// Takes the progress line away; to be called before anything is written to stdout.
  void clear_progress();

 private:
  Talk talk_;
  bool shows_progress_ = false;
  bool line_open_ = false;
  double started_s_ = 0;
};

}  // namespace wakuzume::cli
