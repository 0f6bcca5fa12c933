// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#pragma once

#include <string_view>

namespace wakuzume {

/// Is told how far long work has come. Called from any thread, one call at a time.
class Observer {
 public:
  virtual ~Observer() = default;

  /// \param stage  what is being done, such as "merging"
  /// \param done   share of that stage, in [0, 1]
  /// \return false to stop; the call that was running then returns ErrorCode::cancelled
  virtual bool advance(std::string_view stage, double done) = 0;
  /// What a step of a job came to, such as "proposed: 12 groups". From the caller's thread.
  virtual void tell(std::string_view) {}
  /// What a person should know about the scene or the result. From the caller's thread.
  virtual void warn(std::string_view) {}
};

/// How a long call runs, never what it gives: results are the same for every value.
struct RunControl {
  unsigned threads = 0;          ///< \default 0: as many as the machine has processors
  Observer* observer = nullptr;  ///< borrowed for the length of the call; may be null
};

}  // namespace wakuzume
