// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include <algorithm>
#include <chrono>
#include <filesystem>

#include "command.h"
#include "glasshouse.h"
#include "layout_sheets.h"
#include "print.h"
#include "print_looks.h"
#include "print_plan.h"
#include "print_proof.h"
#include "print_survey.h"
#include "text.h"
#include "wakuzume/delivery.h"
#include "wakuzume/report.h"
#include "wakuzume/settings_file.h"

// Commands that do the whole job, or prove it.
namespace wakuzume::cli {
namespace {

namespace fs = std::filesystem;

std::string tell_run(const JobResult& made) {
  const Verdict& verdict = made.verdict;
  return to_text(made.source) + to_text(made.source.source.scene, made.plan) + "\n" +
         to_text(made.built.ledger) + "\n" + to_comparison(verdict.before, verdict.after) +
         print_extras(made.built) + "\n" + to_text(verdict) + print_views(verdict) +
         print_mends(verdict) + print_budgets(verdict.budgets, verdict.tiers) +
         tell_next(made.plan, made.assessment.ladder);
}

/// Of all these files; those that are not there have none.
std::string find_size(const std::vector<std::string>& files) {
  std::uint64_t bytes = 0;
  for (const std::string& file : files) {
    std::error_code missing;
    const auto size = fs::file_size(file, missing);
    bytes += missing ? 0 : size;
  }
  return to_size(bytes);
}

/// The files for GPUs of a verdict, if there are any.
std::string tell_gpu_pictures(const Verdict& verdict, const std::string& target) {
  if (verdict.gpu_pictures.empty()) {
    return "";
  }
  std::vector<std::string> files;
  for (const GpuPictureCheck& check : verdict.gpu_pictures) {
    files.push_back((fs::path(target).parent_path() / check.file).string());
  }
  std::sort(files.begin(), files.end());
  files.erase(std::unique(files.begin(), files.end()), files.end());
  return fmt::format("{} for GPUs in {}: {}\n", plural(files.size(), "picture", "pictures"),
                     beside(target, ".gpu"), find_size(files));
}

/// The whole job on one scene, into a folder. The result is proved as it was written.
Exit run_into(Command& command, const std::string& input, const fs::path& folder) {
  const auto begun = std::chrono::steady_clock::now();
  auto scene = command.read_source(input);
  if (!scene) {
    return command.fail(scene.error());
  }
  const std::chrono::duration<double> read_s = std::chrono::steady_clock::now() - begun;
  const std::string stem = fs::path(input).stem().string();
  const std::string target = (folder / (stem + ".glb")).string();
  FolderCache cache(command.options().cache);
  command.use(cache);
  const std::vector<std::string> inputs = list_files(*scene, input);
  FileDelivery delivery(input, target, inputs);
  ReportAudience audience(command.run().threads);
  const FolderLightmaps lightmaps({target, input});
  JobTools& tools = command.tools();
  tools.result_lightmaps = &lightmaps;
  tools.delivery = &delivery;
  tools.audience = &audience;
  auto made = run_job(std::move(*scene), command.job(), tools, command.run());
  if (!made) {
    return command.fail(made.error());
  }
  command.tell_trouble(cache);
  made->timings_s.insert(made->timings_s.begin(), {"read", read_s.count()});
  const std::string page = beside(target, ".report.html");
  const std::string report = make_report(fs::path(input).filename().string(), *made,
                                         audience.take_views(), {tools.codec, tools.lightmaps});
  if (auto done = write_documents(*made, input, target); !done) {
    return command.fail(done.error());
  }
  if (auto done = write_text(page, report); !done) {
    return command.fail(done.error());
  }
  if (auto done = write_faulty_layouts(command, made->source, target); !done) {
    return command.fail(done.error());
  }
  command.print(
      command.options().format == Format::json
          ? to_json(made->verdict)
          : tell_run(*made) + "\n" + print_needs(made->after) +
                fmt::format("\nResults in {}: {}.glb of {}, where the source takes {}, and its "
                            ".plan, .ledger, .survey and .verdict .json\n{}Open {} in a browser\n",
                            folder.string(), stem, find_size({target}), find_size(inputs),
                            tell_gpu_pictures(made->verdict, target), page));
  return made->verdict.passed ? Exit::done : Exit::check_failed;
}

}  // namespace

Exit verify_command(const Options& options) {
  Command command(options);
  if (auto loaded = command.load_job(); !loaded) {
    return command.fail(loaded.error());
  }
  const auto ledger =
      read_ledger(options.ledger.empty() ? beside(options.second, ".ledger.json") : options.ledger);
  if (!ledger) {
    return command.fail(ledger.error());
  }
  auto scene = command.read_source(options.input);
  if (!scene) {
    return command.fail(scene.error());
  }
  const auto before = make_source(std::move(*scene), *ledger, command.tools().codec, command.run());
  if (!before) {
    return command.fail(before.error());
  }
  auto after = command.read(options.second);
  if (!after) {
    return command.fail(after.error());
  }
  FolderAudience audience(options.pictures);
  const FolderLightmaps lightmaps({options.second, options.input});
  JobTools& tools = command.tools();
  tools.result_lightmaps = &lightmaps;
  tools.audience = options.pictures.empty() ? nullptr : &audience;
  const auto verdict =
      prove(*before, *ledger, std::move(*after), command.job(), tools, command.run());
  if (!verdict) {
    return command.fail(verdict.error());
  }
  if (!audience.done()) {
    return command.fail(audience.done().error());
  }
  const Exit delivered = command.deliver(
      options.format == Format::json
          ? to_json(*verdict)
          : to_comparison(verdict->before, verdict->after) + "\n" + to_text(*verdict) +
                print_views(*verdict) + print_budgets(verdict->budgets, verdict->tiers));
  return delivered != Exit::done || verdict->passed ? delivered : Exit::check_failed;
}

Exit run_command(const Options& options) {
  Command command(options);
  if (auto loaded = command.load_job(); !loaded) {
    return command.fail(loaded.error());
  }
  return run_into(command, options.input, options.output);
}

Exit demo_command(const Options& options) {
  Command command(options);
  if (auto loaded = command.load_job(); !loaded) {
    return command.fail(loaded.error());
  }
  const fs::path folder = options.output;
  const std::string source = (folder / "glasshouse.glb").string();
  const Scene scene = demo::make_glasshouse();
  command.console().tell("made the glasshouse");
  if (auto written = write_scene(scene, source, {}, command.run()); !written) {
    return command.fail(written.error());
  }
  command.print(fmt::format("The demo scene is in {}\n\n", source));
  return run_into(command, source, folder / "result");
}

Exit settings_command(const Options& options) {
  Command command(options);
  if (auto loaded = command.load_settings(); !loaded) {
    return command.fail(loaded.error());
  }
  return command.deliver(options.effective ? to_toml(command.take_effective())
                                           : to_toml(command.settings()));
}

}  // namespace wakuzume::cli
