// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include <fmt/format.h>

#include <algorithm>
#include <filesystem>
#include <limits>
#include <numeric>

#include "command.h"
#include "print_survey.h"
#include "text.h"
#include "wakuzume/delivery.h"
#include "wakuzume/sheets.h"
#include "wakuzume/table.h"

namespace wakuzume::cli {
namespace {

namespace fs = std::filesystem;

/// A sheet a page and a stack, their pictures painted anew.
Result<std::vector<std::string>> write_sheets(Command& command,
                                              const Scene& scene,
                                              const RoutePlan& routes,
                                              const std::string& folder) {
  std::error_code problem;
  fs::create_directories(folder, problem);
  if (problem) {
    return Failure(Error{
        ErrorCode::cannot_write, "the folder can't be made: " + problem.message(), {folder, ""}});
  }
  std::vector<std::string> files;
  const auto write = [&](const std::string& name, const Result<std::string>& sheet) {
    files.push_back((fs::path(folder) / (name + ".svg")).string());
    return sheet ? command.write(files.back(), *sheet) : Failure(sheet.error());
  };
  const PictureCodec& codec = command.tools().codec;
  for (std::size_t p = 0; p < routes.pages.size(); ++p) {
    if (auto done =
            write(routes.pages[p].name, paint_page_sheet(scene, routes, p, codec, command.run()));
        !done) {
      return Failure(done.error());
    }
  }
  for (std::size_t s = 0; s < routes.stacks.size(); ++s) {
    if (auto done =
            write(routes.stacks[s].name, paint_stack_sheet(scene, routes, s, codec, command.run()));
        !done) {
      return Failure(done.error());
    }
  }
  return files;
}

constexpr const char* choice_legend =
    "  megabytes: of textures with their mip levels on the profile's GPU\n"
    "  texels_per_m: the middle by draws; kept: the least share of its texels\n"
    "  along a side that some material keeps\n"
    "  to have one of them: --materials full_resolution, --materials fewest_draws\n";

/// What each goal would give, for a scene or for that of a plan.
Exit compare(Command& command) {
  const Options& options = command.options();
  if (auto loaded = command.load_job(); !loaded) {
    return command.fail(loaded.error());
  }
  std::string path = options.input;
  if (path.ends_with(".json")) {
    const auto plan = read_plan(path);
    if (!plan) {
      return command.fail(plan.error());
    }
    path = options.scene.empty() ? find_scene(plan->scene_path, options.input) : options.scene;
  }
  const auto scene = command.read_source(path);
  if (!scene) {
    return command.fail(scene.error());
  }
  const auto choices = list_material_choices(*scene, command.job(), command.tools(), command.run());
  if (!choices) {
    return command.fail(choices.error());
  }
  const auto table = make_choice_table(*choices);
  std::vector<std::uint32_t> rows(table->row_count());
  std::iota(rows.begin(), rows.end(), 0U);
  command.print(options.format == Format::text  ? to_text(*table, rows, rows.size()) + choice_legend
                : options.format == Format::csv ? to_csv(*table, rows)
                                                : to_json(*table, rows));
  return Exit::done;
}

}  // namespace

Exit materials_command(const Options& options) {
  Command command(options);
  if (options.compares) {
    return compare(command);
  }
  const auto plan = read_plan(options.input);
  if (!plan) {
    return command.fail(plan.error());
  }
  if (!plan->routes.shares()) {
    return command.fail(Error{ErrorCode::bad_setting,
                              "this plan leaves materials as they are; propose with --materials",
                              {options.input, ""}});
  }
  const std::string path =
      options.scene.empty() ? find_scene(plan->scene_path, options.input) : options.scene;
  auto read = command.read(path);
  if (!read) {
    return command.fail(read.error());
  }
  const auto source = make_source(std::move(*read), *plan, command.tools().codec, command.run());
  if (!source) {
    return command.fail(source.error());
  }
  const Scene& scene = *source->origin;
  const auto table = make_route_table(scene, plan->routes);
  auto rows = select_rows(*table, {options.where, options.sort});
  if (!rows) {
    return command.fail(rows.error());
  }
  if (options.format == Format::text) {
    command.print(to_text(*table, *rows, options.top.value_or(20)));
  } else {
    rows->resize(std::min<std::size_t>(
        rows->size(), options.top.value_or(std::numeric_limits<std::uint32_t>::max())));
    command.print(options.format == Format::csv ? to_csv(*table, *rows) : to_json(*table, *rows));
  }
  if (options.sheets.empty()) {
    return Exit::done;
  }
  const auto files = write_sheets(command, scene, plan->routes, options.sheets);
  if (!files) {
    return command.fail(files.error());
  }
  for (const std::string& file : *files) {
    command.console().tell("wrote " + file);
  }
  return Exit::done;
}

}  // namespace wakuzume::cli
