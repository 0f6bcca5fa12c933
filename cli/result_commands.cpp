// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include <filesystem>
#include <functional>
#include <iterator>

#include "command.h"
#include "plan_command.h"
#include "print.h"
#include "print_looks.h"
#include "wakuzume/delivery.h"

// Commands that make a result, or another of it.
namespace wakuzume::cli {
namespace {

/// A result whose ledger is read, with its source where that is a file.
struct Opened {
  Scene built;
  std::string ledger_path;
  Ledger ledger;
  std::string source_path;
};

Result<Opened> open_result(Command& command) {
  const Options& options = command.options();
  auto built = command.read(options.input);
  if (!built) {
    return Failure(built.error());
  }
  Opened out{std::move(*built),
             options.ledger.empty() ? beside(options.input, ".ledger.json") : options.ledger,
             {},
             {}};
  auto ledger = read_ledger(out.ledger_path);
  if (!ledger) {
    return Failure(ledger.error());
  }
  out.ledger = std::move(*ledger);
  out.source_path =
      options.scene.empty() ? find_scene(out.ledger.source_path, out.ledger_path) : options.scene;
  return out;
}

/// How both commands end: the result in its file, what is told of it, where it all is.
Exit deliver(Command& command,
             Built& built,
             FileDelivery delivery,
             const std::function<std::string(const Scene& after)>& tell) {
  const auto after = delivery.deliver(built, command.run());
  if (!after) {
    return command.fail(after.error());
  }
  const std::string& output = command.options().output;
  command.print(fmt::format("{}\nScene in {}, ledger in {}\n", tell(*after), output,
                            beside(output, ".ledger.json")));
  return Exit::done;
}

void add(std::vector<std::string>& files, std::vector<std::string> more) {
  files.insert(files.end(), std::make_move_iterator(more.begin()),
               std::make_move_iterator(more.end()));
}

}  // namespace

Exit build_command(const Options& options) {
  Command command(options);
  auto plan = read_plan(options.input);
  if (!plan) {
    return command.fail(plan.error());
  }
  Settings wanted;
  wanted.propose = plan->settings;
  if (auto applied = command.apply_line(wanted); !applied) {
    return command.fail(applied.error());
  }
  plan->settings = wanted.propose;
  const std::string path =
      options.scene.empty() ? find_scene(plan->scene_path, options.input) : options.scene;
  auto scene = command.read_source(path);
  if (!scene) {
    return command.fail(scene.error());
  }
  std::vector<std::string> inputs = list_files(*scene, path);
  inputs.push_back(options.input);
  const auto source = make_source(std::move(*scene), *plan, command.tools().codec, command.run());
  if (!source) {
    return command.fail(source.error());
  }
  FolderCache cache(options.cache);
  command.use(cache);
  command.job().build.asset_ending = std::filesystem::path(options.output).extension().string();
  auto built = build(*source, *plan, command.job(), command.tools(), command.run());
  if (!built) {
    Error error = built.error();
    error.place.file = error.code == ErrorCode::bad_image ? path : options.input;
    tell_changes(command, source->scene, *plan, error);
    return command.fail(error);
  }
  command.tell_trouble(cache);
  return deliver(command, *built, {path, options.output, inputs}, [&](const Scene& after) {
    return fmt::format("{}\n{}{}", to_text(built->ledger),
                       to_comparison(count_totals(source->before_all()), count_totals(after)),
                       print_extras(*built));
  });
}

Exit restore_command(const Options& options) {
  Command command(options);
  auto opened = open_result(command);
  if (!opened) {
    return command.fail(opened.error());
  }
  const Ledger& ledger = opened->ledger;
  std::vector<std::string> inputs = list_files(opened->built, options.input);
  std::optional<Scene> source;
  if (!options.scene.empty() || ledger.source_copy.first_node == no_node) {
    auto scene = command.read(opened->source_path);
    if (!scene) {
      return command.fail(scene.error());
    }
    add(inputs, list_files(*scene, opened->source_path));
    source = std::move(*scene);
  }
  inputs.push_back(opened->ledger_path);
  RestoreChoice choice{false, options.groups, options.nodes};
  choice.everything = choice.groups.empty() && choice.nodes.empty();
  const Totals totals = count_totals(opened->built);
  auto restored =
      put_back(std::move(source), ledger, std::move(opened->built), choice, command.run());
  if (!restored) {
    Error error = restored.error();
    error.place.file = error.code == ErrorCode::bad_setting ? "" : opened->ledger_path;
    return command.fail(error);
  }
  return deliver(
      command, *restored, {opened->source_path, options.output, inputs}, [&](const Scene& after) {
        return fmt::format("{}\n{}", to_change(ledger, restored->ledger),
                           to_comparison(totals, count_totals(after), "built", "restored"));
      });
}

Exit repaint_command(const Options& options) {
  Command command(options);
  auto opened = open_result(command);
  if (!opened) {
    return command.fail(opened.error());
  }
  Ledger& ledger = opened->ledger;
  const std::string& path = opened->source_path;
  auto scene = command.read_source(path);
  if (!scene) {
    return command.fail(scene.error());
  }
  const std::vector<std::string> inputs = list_files(*scene, path);
  const auto source = make_source(std::move(*scene), ledger, command.tools().codec, command.run());
  if (!source) {
    return command.fail(source.error());
  }
  Scene& built = opened->built;
  const auto changed = refresh_pictures(*source, ledger, built, command.tools(), command.run());
  if (!changed) {
    Error error = changed.error();
    error.place.file = error.code == ErrorCode::bad_setting ? options.input : path;
    return command.fail(error);
  }
  if (auto done = write_lightmaps(changed->files, options.input, inputs, command.run()); !done) {
    return command.fail(done.error());
  }
  if (!changed->images.empty() || !changed->files.empty()) {
    if (!changed->images.empty()) {
      Scene* const scenes[] = {&built};
      const auto told = write_gpu_pictures(scenes, ledger, options.input, inputs, command.run());
      if (!told) {
        return command.fail(told.error());
      }
      for (const std::string& note : *told) {
        command.console().warn(note);
      }
      if (auto done = write_images(built, changed->images, options.input, inputs, command.run());
          !done) {
        return command.fail(done.error());
      }
    }
    if (auto done = write_document(opened->ledger_path, to_json(ledger)); !done) {
      return command.fail(done.error());
    }
  }
  command.print(fmt::format("{} of {} pictures changed and were written; meshes are as they were\n",
                            changed->images.size(), built.images.size()));
  if (ledger.lightmaps.joins()) {
    command.print(tell_lightmaps(ledger.lightmaps, changed->files.size()));
  }
  return Exit::done;
}

}  // namespace wakuzume::cli
