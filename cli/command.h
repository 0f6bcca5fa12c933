// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#pragma once

#include <fmt/format.h>

#include <optional>
#include <string>

#include "commands.h"
#include "wakuzume/delivery.h"
#include "wakuzume/image.h"
#include "wakuzume/io.h"
#include "wakuzume/job.h"
#include "wakuzume/render.h"

namespace wakuzume::cli {

struct Surveyed {
  Scene scene;
  Survey survey;
};

/// One run of one command: settings, console, and errors on their way to an exit code.
class Command {
 public:
  explicit Command(const Options& options) : options_(options), console_(options.talk) {
    run_.threads = options.threads;
    run_.observer = &console_;
    apply_build();
  }

  [[nodiscard]] const Options& options() const { return options_; }
  Console& console() { return console_; }
  [[nodiscard]] const RunControl& run() const { return run_; }
  [[nodiscard]] const Settings& settings() const { return job_.settings; }
  /// What settings and line ask for. Complete after load_job.
  Job& job() { return job_; }
  /// What reads pictures and draws. \pre folders that the line writes to are there, or will not be
  JobTools& tools();

  /// Builds by a cache, if the line names one. Borrowed.
  void use(FolderCache& cache) { job_.build.cache = options_.cache.empty() ? nullptr : &cache; }
  void tell_trouble(const FolderCache& cache) {
    if (!cache.trouble().empty()) {
      console_.warn("the cache could not keep everything: " + cache.trouble());
    }
  }

  /// The settings file, that of the line or else of the project, and what the line says over it.
  Result<void> load_settings();
  /// The same with the profile and the views that they name.
  Result<void> load_job();
  /// All that counts, with where it comes from. \pre load_settings
  EffectiveSettings take_effective();
  /// What the line says, over what is there.
  [[nodiscard]] Result<void> apply_line(Settings& settings) const;
  /// Writes a text, but never over a file that the line names as an input. \error cannot_write
  Result<void> write(const std::string& path, const std::string& text);
  /// The same for a document of ours, which is read again first.
  Result<void> write_json(const std::string& path, const std::string& json);
  Result<Surveyed> read_and_survey(const std::string& path);
  /// What the images of a scene are, as deeply as the line asks for.
  Result<std::vector<ImageFacts>> read_images(const Scene& scene);

  Result<Scene> read(const std::string& path) {
    Result<Scene> scene = read_scene(path, {}, run_);
    if (scene) {
      console_.tell(fmt::format("read {}: {} nodes", path, scene->nodes.size()));
    }
    return scene;
  }

  /// A scene that results are made of: pictures of its lightmap pages lie beside it.
  Result<Scene> read_source(const std::string& path);

  void print(const std::string& text) {
    console_.clear_progress();
    if (options_.talk != Talk::quiet) {
      fmt::print("{}", text);
    }
  }

  Exit fail(const Error& error) {
    console_.report(error);
    return to_exit(error);
  }

  /// Results go to stdout, or whole into the file of -o.
  Exit deliver(const std::string& text) {
    console_.clear_progress();
    if (options_.output.empty()) {
      fmt::print("{}", text);
      return Exit::done;
    }
    const auto written = options_.format == Format::json ? write_json(options_.output, text)
                                                         : write(options_.output, text);
    return written ? Exit::done : fail(written.error());
  }

 private:
  [[nodiscard]] Result<void> refuse_input(const std::string& path) const;
  void apply_build();
  /// Where pictures wait to be written: beside what the line writes.
  [[nodiscard]] std::string spill_folder() const;
  /// What the line says is noted as coming from there.
  void note_line();
  /// Budgets of --tier count like those of the line.
  Result<void> choose_tier();

  const Options& options_;
  Console console_;
  RunControl run_;
  Job job_;
  EffectiveSettings effective_;  ///< of files, before the line
  std::optional<StandardCodec> codec_;
  std::optional<RenderShots> shots_;
  std::optional<FolderLightmaps> lightmaps_;
  std::optional<JobTools> tools_;
};

}  // namespace wakuzume::cli
