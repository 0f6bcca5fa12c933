// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#pragma once

#include <tbb/parallel_for.h>
#include <tbb/task_arena.h>

#include <algorithm>
#include <atomic>
#include <mutex>
#include <string_view>

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

/// Runs what uses oneTBB on as many threads as asked for.
template <class Body>
void in_arena(const RunControl& run, const Body& body) {
  tbb::task_arena arena(run.threads == 0 ? tbb::task_arena::automatic
                                         : static_cast<int>(std::min(run.threads, 1024U)));
  arena.execute(body);
}

/// Calls `body(i)` for every i in [0, count) on the threads of `run`.
/// `body` writes only to what belongs to i, so the result does not depend on the schedule.
/// \return false when the observer asked to stop; some bodies then never ran
template <class Body>
bool for_each_index(std::size_t count,
                    const RunControl& run,
                    std::string_view stage,
                    const Body& body) {
  std::atomic<std::size_t> finished{0};
  std::atomic<bool> stopped{false};
  std::mutex telling;
  const std::size_t step = std::max<std::size_t>(1, count / 100);
  const auto one = [&](std::size_t i) {
    if (stopped.load(std::memory_order_relaxed)) {
      return;
    }
    body(i);
    const std::size_t now = finished.fetch_add(1) + 1;
    if (run.observer != nullptr && (now % step == 0 || now == count)) {
      const std::scoped_lock lock(telling);
      if (!run.observer->advance(stage, static_cast<double>(now) / static_cast<double>(count))) {
        stopped = true;
      }
    }
  };
  in_arena(run, [&] { tbb::parallel_for(std::size_t{0}, count, one); });
  return !stopped;
}

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
