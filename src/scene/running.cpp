// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include "scene/running.h"

#include <tbb/parallel_for.h>
#include <tbb/task_arena.h>

#include <atomic>
#include <mutex>

namespace wakuzume {

void in_arena(const RunControl& run, Callee<> body) {
  tbb::task_arena arena(run.threads == 0 ? tbb::task_arena::automatic
                                         : static_cast<int>(std::min(run.threads, 1024U)));
  arena.execute([&] { body(); });
}

bool for_each_index(std::size_t count,
                    const RunControl& run,
                    std::string_view stage,
                    Callee<std::size_t> body) {
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

}  // namespace wakuzume
