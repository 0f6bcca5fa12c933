// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#pragma once

#include <algorithm>
#include <memory>
#include <string_view>
#include <type_traits>

#include "wakuzume/result.h"
#include "wakuzume/run_control.h"

/// How the stages run: an arena of the caller's size, and progress that can cancel.
namespace wakuzume {

inline Error make_cancelled() {
  return {ErrorCode::cancelled, "stopped on request; nothing was changed", {}};
}

/// Tells how far a stage is. \return false when the observer asks to stop
inline bool goes_on(const RunControl& run, std::string_view stage, double done = 0) {
  return run.observer == nullptr || run.observer->advance(stage, done);
}

/// What can be called, whatever its type: the templates of oneTBB are compiled once for it and not
/// for each body there is. Borrows what it calls.
template <class... Arguments>
class Callee {
 public:
  template <class Body>
  requires(!std::is_same_v<std::remove_cvref_t<Body>, Callee>)
      Callee(const Body& body)  // NOLINT(google-explicit-constructor): bodies are written in place
      : body_(std::addressof(body)), call_([](const void* of, Arguments... arguments) {
          (*static_cast<const Body*>(of))(arguments...);
        }) {}

  void operator()(Arguments... arguments) const { call_(body_, arguments...); }

 private:
  const void* body_;
  void (*call_)(const void*, Arguments...);
};

/// Runs what uses oneTBB on as many threads as asked for.
void in_arena(const RunControl& run, Callee<> body);

/// Calls `body(i)` for every i in [0, count) on the threads of `run`.
/// `body` writes only to what belongs to i, so the result does not depend on the schedule.
/// \return false when the observer asked to stop; some bodies then never ran
bool for_each_index(std::size_t count,
                    const RunControl& run,
                    std::string_view stage,
                    Callee<std::size_t> body);

/// The same by ranges: calls `body(begin, end)` for pieces of at most `grain` that together are
/// [0, count). For bodies too short to be worth a call each.
template <class Body>
bool for_each_range(std::size_t count,
                    std::size_t grain,
                    const RunControl& run,
                    std::string_view stage,
                    const Body& body) {
  return for_each_index((count + grain - 1) / grain, run, stage, [&](std::size_t piece) {
    body(piece * grain, std::min(count, (piece + 1) * grain));
  });
}

}  // namespace wakuzume
