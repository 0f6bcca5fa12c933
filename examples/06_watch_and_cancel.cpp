// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
//
// EXAMPLE: 06_watch_and_cancel SCENE
// SHOWS: being told how far a job is, and stopping it.
// READ FIRST: 05_whole_job.cpp

#include <atomic>
#include <cstdio>
#include <string>
#include <string_view>

#include "example.h"
#include "wakuzume/wakuzume.h"

namespace {

/// Prints what each step came to, and has had enough once something is built.
class Impatient final : public wakuzume::Observer {
 public:
  bool advance(std::string_view, double) override {  // from any thread
    ++calls;
    return !enough;
  }
  void tell(std::string_view line) override {
    std::printf("%s\n", std::string(line).c_str());
    enough = line == "built";
  }

  std::atomic<int> calls = 0;
  std::atomic<bool> enough = false;
};

}  // namespace

int main(int argc, char** argv) {
  if (argc != 2) {
    return fail_usage("06_watch_and_cancel SCENE");
  }
  auto scene = wakuzume::read_scene(argv[1]);
  if (!scene) {
    return fail(scene.error());
  }
  Impatient observer;
  const wakuzume::StandardCodec codec;
  const auto made =
      wakuzume::run_job(std::move(*scene), {.profile = *wakuzume::read_cost_profile("desk")},
                        {.codec = codec}, {.observer = &observer});
  if (made || made.error().code != wakuzume::ErrorCode::cancelled) {
    return made ? 1 : fail(made.error());
  }
  std::printf("%s\n", made.error().message.c_str());
  return observer.calls > 0 ? 0 : 1;
}
