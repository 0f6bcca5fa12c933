// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#pragma once

#include <fmt/format.h>

#include <string>

#include "commands.h"
#include "wakuzume/image.h"
#include "wakuzume/io.h"

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
  }

  [[nodiscard]] const Options& options() const { return options_; }
  Console& console() { return console_; }
  [[nodiscard]] const RunControl& run() const { return run_; }
  [[nodiscard]] const Settings& settings() const { return settings_; }

  Result<void> load_settings();
  /// What the line says of materials, over what the settings say.
  void apply_materials(MaterialSettings& materials) const;
  /// What the line says of planning, over what the settings say.
  void apply_line(ProposeSettings& propose) const;
  /// Where pictures wait to be written: beside what the line writes.
  [[nodiscard]] std::string spill_folder() const;
  /// Writes a text, but never over a file that the line names as an input. \error cannot_write
  Result<void> write(const std::string& path, const std::string& text);
  /// The same for a document of ours, which is read again first.
  Result<void> write_json(const std::string& path, const std::string& json);
  Result<Surveyed> read_and_survey(const std::string& path, const SplitSettings& split = {});
  /// A scene with some of its meshes taken to pieces.
  Result<Scene> read_split(const std::string& path, const SplitSettings& split);
  /// What the last of those did, as a line of text; empty when nothing was split.
  [[nodiscard]] const std::string& split_note() const { return split_note_; }
  /// What the images of a scene are, as deeply as the line asks for.
  Result<std::vector<ImageFacts>> read_images(const Scene& scene);
  /// The same as deeply as routes need it.
  Result<std::vector<ImageFacts>> read_images_in_detail(const Scene& scene);
  /// Sizes of images, without decoding any, for what plans are measured by.
  Result<void> add_images(const Scene& scene, Outlook& outlook);
  /// Views and prices, by the settings and the line. Without images.
  Result<Outlook> make_outlook(const Scene& scene, const Survey& survey);
  /// All that is told of a scene, by the settings, from an outlook.
  Result<Assessment> assess(const Scene& scene, const Survey& survey, Outlook outlook);

  Result<Scene> read(const std::string& path) {
    Result<Scene> scene = read_scene(path, {}, run_);
    if (scene) {
      console_.tell(fmt::format("read {}: {} nodes", path, scene->nodes.size()));
    }
    return scene;
  }

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
  void apply_split();
  /// Budgets of --tier count like those of the line.
  Result<void> choose_tier();

  const Options& options_;
  Console console_;
  RunControl run_;
  Settings settings_;
  std::string split_note_;
};

}  // namespace wakuzume::cli
