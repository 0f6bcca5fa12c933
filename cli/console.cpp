// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include "console.h"

#include <fmt/format.h>
#include <unistd.h>

#include <chrono>
#include <csignal>

#include "text.h"

namespace wakuzume::cli {
namespace {

constexpr std::size_t most_columns = 70;

volatile std::sig_atomic_t interrupted = 0;

void remember_interrupt(int) { interrupted = 1; }

double now_s() {
  return std::chrono::duration<double>(std::chrono::steady_clock::now().time_since_epoch()).count();
}

}  // namespace

Exit to_exit(const Error& error) {
  switch (error.code) {
    case ErrorCode::cannot_write:
      return Exit::cannot_write;
    case ErrorCode::bad_setting:
      return Exit::bad_usage;
    case ErrorCode::cancelled:
      return Exit::cancelled;
    default:
      return Exit::bad_input;
  }
}

Console::Console(Talk talk)
    : talk_(talk),
      shows_progress_(talk != Talk::quiet && ::isatty(STDERR_FILENO) != 0),
      started_s_(now_s()) {
  std::signal(SIGINT, remember_interrupt);
  std::signal(SIGTERM, remember_interrupt);
}

Console::~Console() { clear_progress(); }

bool Console::advance(std::string_view stage, double done) {
  if (shows_progress_) {
    // A line that wraps could not be taken back.
    fmt::print(stderr, "\r\x1b[K{} {:.0f} %", cut(std::string(stage), most_columns), done * 100);
    line_open_ = true;
  }
  return interrupted == 0;
}

void Console::clear_progress() {
  if (line_open_) {
    fmt::print(stderr, "\r\x1b[K");
    line_open_ = false;
  }
}

void Console::tell(std::string_view line) {
  if (talk_ == Talk::verbose) {
    clear_progress();
    fmt::print(stderr, "[{:6.3f} s] {}\n", now_s() - started_s_, line);
  }
}

void Console::warn(std::string_view line) {
  if (talk_ != Talk::quiet) {
    clear_progress();
    fmt::print(stderr, "note: {}\n", line);
  }
}

void Console::report(const Error& error) {
  clear_progress();
  fmt::print(stderr, "error: {}\n", to_string(error));
}

}  // namespace wakuzume::cli
