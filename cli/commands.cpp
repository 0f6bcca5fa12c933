// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include "commands.h"

#include <fmt/format.h>

#include <algorithm>
#include <chrono>
#include <cstdio>
#include <filesystem>
#include <optional>

#include "command.h"
#include "compare_views.h"
#include "glasshouse.h"
#include "plan_command.h"
#include "print.h"
#include "print_looks.h"
#include "print_plan.h"
#include "print_survey.h"
#include "report_views.h"
#include "text.h"
#include "wakuzume/io.h"
#include "wakuzume/restore.h"

namespace wakuzume::cli {
namespace {

namespace fs = std::filesystem;

/// Seconds of each step, one after the other.
class Stopwatch {
 public:
  explicit Stopwatch(std::vector<std::pair<std::string, double>>& steps) : steps_(steps) {}
  void stop(const char* step) {
    const auto now = std::chrono::steady_clock::now();
    steps_.emplace_back(step, std::chrono::duration<double>(now - begun_).count());
    begun_ = now;
  }

 private:
  std::vector<std::pair<std::string, double>>& steps_;
  std::chrono::steady_clock::time_point begun_ = std::chrono::steady_clock::now();
};

/// The scene, its assets and its ledger, in the order that leaves the least to doubt when writing
/// is cut short: the ledger names the scene's content, so one of another result is noticed.
Result<Scene> write_and_reread(Command& command,
                               const Built& built,
                               const std::string& path,
                               const std::vector<std::string>& inputs) {
  std::vector<std::string> notes = built.ledger.left_out;
  for (const AssetScene& asset : built.assets) {
    const std::string target = (fs::path(path).parent_path() / asset.name).string();
    if (fs::path(target) == fs::path(path)) {
      return Failure(Error{ErrorCode::cannot_write,
                           "an asset has this name too; give its group or the scene another",
                           {path, ""}});
    }
    auto report = write_scene(asset.scene, target, inputs, command.run());
    if (!report) {
      return Failure(report.error());
    }
    command.console().tell(fmt::format("wrote {}: {} bytes", target, report->bytes));
    notes.insert(notes.end(), report->left_out.begin(), report->left_out.end());
  }
  auto report = write_scene(built.scene, path, inputs, command.run());
  if (!report) {
    return Failure(report.error());
  }
  command.console().tell(fmt::format("wrote {}: {} bytes", path, report->bytes));
  notes.insert(notes.end(), report->left_out.begin(), report->left_out.end());
  for (const std::string& note : notes) {
    command.console().warn(note);
  }
  if (auto done = write_document(beside(path, ".ledger.json"), to_json(built.ledger)); !done) {
    return Failure(done.error());
  }
  return command.read(path);
}

const Scene& origin_of(const Source& source) {
  return source.origin ? *source.origin : source.scene;
}

/// What a build made beside the scene, and what its cache was good for.
std::string tell_extras(const Built& built) {
  constexpr std::size_t max_misses = 12;
  std::string out;
  if (!built.assets.empty()) {
    out += fmt::format("\nFiles of their own, beside the scene\n");
  }
  for (const AssetScene& asset : built.assets) {
    const Totals totals = count_totals(asset.scene);
    out += fmt::format("  {:<40}{:>8} triangles{:>12}\n", asset.name,
                       group_digits(totals.triangles), to_size(totals.bytes));
  }
  if (built.ledger.source_copy.first_node != no_node) {
    out += fmt::format("\nThe source goes along: {} nodes in a scene that is not shown\n",
                       group_digits(built.ledger.source_copy.node_there.size()));
  }
  if (built.reuse.empty()) {
    return out;
  }
  std::vector<const Reuse*> misses;
  bool known = false;
  for (const Reuse& reuse : built.reuse) {
    known = known || reuse.reused || reuse.known;
    if (!reuse.reused) {
      misses.push_back(&reuse);
    }
  }
  if (!known) {
    return out +
           fmt::format("\nCache: knew none of these groups; {} merges are kept for next time\n",
                       built.reuse.size());
  }
  out += fmt::format("\nCache: {} of {} merges reused{}\n", built.reuse.size() - misses.size(),
                     built.reuse.size(), misses.empty() ? "" : ", the others were made anew");
  for (std::size_t m = 0; m < std::min(max_misses, misses.size()); ++m) {
    out += fmt::format("  {}: {}\n", misses[m]->group, misses[m]->why);
  }
  if (misses.size() > max_misses) {
    out += fmt::format("  and {} more\n", misses.size() - max_misses);
  }
  return out;
}

/// One run of build(), by the line, with its pages painted.
Result<Built> build_by_line(Command& command,
                            const Source& source,
                            const Plan& plan,
                            const std::string& output) {
  const Options& options = command.options();
  if (options.carry_source && source.origin) {
    return Failure(Error{ErrorCode::bad_setting,
                         "--carry-source can't carry materials as they were before they were "
                         "shared; keep the source file instead, restore finds it",
                         {}});
  }
  FolderCache cache(options.cache);
  BuildSettings settings;
  settings.carry_source = options.carry_source ? CarrySource::hidden : CarrySource::no;
  settings.assets = options.assets;
  settings.asset_pivot = options.asset_pivot == "base"     ? PivotAt::bounds_base
                         : options.asset_pivot == "centre" ? PivotAt::bounds_centre
                                                           : PivotAt::world_origin;
  settings.asset_ending = fs::path(output).extension().string();
  settings.cache = options.cache.empty() ? nullptr : &cache;
  settings.origin = source.origin ? &*source.origin : nullptr;
  settings.page_images = source.images;
  auto built = build(source.scene, plan, settings, command.run());
  if (!built) {
    return built;
  }
  built->ledger.split = plan.split;
  if (!cache.trouble().empty()) {
    command.console().warn("the cache could not keep everything: " + cache.trouble());
  }
  if (auto painted = paint_into(command, source, plan.routes, *built); !painted) {
    return Failure(painted.error());
  }
  return built;
}

Result<Scene> unpack_source(const Scene& built, const Ledger& ledger, const std::string& path) {
  if (auto source = find_carried_source(built, ledger)) {
    return std::move(*source);
  }
  return Failure(Error{ErrorCode::plan_mismatch,
                       "the built scene does not hold the source that the ledger tells of; name "
                       "the source with --scene",
                       {path, "/source_copy"}});
}

/// What a step takes back, as people read it.
std::vector<Mend> tell_mends(const Proposal& proposal, const MendStep& step, std::uint32_t round) {
  const Scene& origin = origin_of(proposal.source);
  std::vector<Mend> out;
  for (const MaterialTakenBack& taken : step.materials) {
    const std::string& name = origin[taken.material].name;
    out.push_back(
        {round,
         name.empty() ? fmt::format("material {}", to_index(taken.material)) : "material " + name,
         taken.to == TakenTo::larger ? "a tile as large as its texture"
                                     : "its own material, as it was",
         taken.why});
  }
  for (const TakenBack& taken : step.draws) {
    out.push_back({round,
                   fmt::format("{} primitive {}", make_node_path(origin, taken.draw.node),
                               taken.draw.primitive),
                   taken.from == TakenFrom::repeats ? "its own geometry, no repeat"
                                                    : "a draw of its own, as it was",
                   taken.why});
  }
  return out;
}

/// One round of a run: a proposal built, written and proved.
struct Round {
  Built built;
  Scene after;
  Verdict verdict;
};

Result<Round> build_and_prove(Command& command,
                              Proposal& proposal,
                              const std::string& input,
                              const std::string& target,
                              ReportAudience& audience,
                              const ProvedBefore* earlier,
                              Stopwatch& watch) {
  auto built = build_by_line(command, proposal.source, proposal.plan, target);
  if (!built) {
    return Failure(built.error());
  }
  built->ledger.source_path = make_relative(input, target);
  command.console().tell("built");
  watch.stop("build and paint");
  auto after =
      write_and_reread(command, *built, target, list_files(origin_of(proposal.source), input));
  if (!after) {
    return Failure(after.error());
  }
  watch.stop("write and read again");
  auto verdict = prove(command, proposal.source, built->ledger, *after, &audience, earlier);
  if (!verdict) {
    return Failure(verdict.error());
  }
  command.console().tell("verified");
  watch.stop("verify: audit, looks and views");
  return Round{std::move(*built), std::move(*after), std::move(*verdict)};
}

/// Builds and proves, and while the proof rejects something that can be taken back, plans again
/// without it.
Result<Round> build_until_it_holds(Command& command,
                                   Proposal& proposal,
                                   const std::string& input,
                                   const std::string& target,
                                   ReportAudience& audience,
                                   Stopwatch& watch) {
  std::vector<Mend> mends;
  std::optional<ProvedBefore> earlier;
  for (std::uint32_t round = 1;; ++round) {
    auto made = build_and_prove(command, proposal, input, target, audience,
                                earlier ? &*earlier : nullptr, watch);
    if (!made) {
      return made;
    }
    const MendStep step =
        round > command.settings().verify.mend_rounds
            ? MendStep{}
            : choose_mends(origin_of(proposal.source), made->built.ledger, made->verdict);
    if (step.empty()) {
      made->verdict.mends = std::move(mends);
      return made;
    }
    const std::vector<Mend> told = tell_mends(proposal, step, round);
    mends.insert(mends.end(), told.begin(), told.end());
    command.console().tell(fmt::format("took back {} that the proof rejected",
                                       plural(told.size(), "thing", "things")));
    if (auto again = propose_without(command, step, proposal); !again) {
      return Failure(again.error());
    }
    watch.stop("propose without what was rejected");
    earlier = ProvedBefore{std::move(made->built.ledger), std::move(made->verdict)};
  }
}

/// The whole job on one scene, into a folder. The result is proved as it was written.
Exit run_into(Command& command, const std::string& input, const fs::path& folder) {
  std::vector<std::pair<std::string, double>> timings;
  Stopwatch watch(timings);
  auto proposal = make_proposal(command, input);
  if (!proposal) {
    return command.fail(proposal.error());
  }
  watch.stop("read, survey and propose");
  // Before anything is written: what goes wrong here leaves no half of the results.
  auto assessment = command.assess(proposal->source.scene, proposal->survey, proposal->outlook);
  if (!assessment) {
    return command.fail(assessment.error());
  }
  watch.stop("assess: views, ladder, findings");
  const std::string stem = fs::path(input).stem().string();
  const std::string target = (folder / (stem + ".glb")).string();
  proposal->plan.scene_path = make_relative(input, target);
  ReportAudience audience(command.run().threads);
  auto made = build_until_it_holds(command, *proposal, input, target, audience, watch);
  if (!made) {
    return command.fail(made.error());
  }
  if (!made->verdict.mends.empty()) {
    // What was taken back left another scene to tell of.
    assessment =
        command.assess(proposal->source.scene, proposal->survey, std::move(proposal->outlook));
    if (!assessment) {
      return command.fail(assessment.error());
    }
    watch.stop("assess what is left");
  }
  const Verdict& verdict = made->verdict;
  const std::pair<const char*, std::string> documents[] = {
      {".survey.json", to_json(proposal->source.scene, proposal->survey, *assessment)},
      {".plan.json", to_json(proposal->source.scene, proposal->plan)},
      {".verdict.json", to_json(verdict)},
      {".report.html", make_report({.name = fs::path(input).filename().string(),
                                    .scene = proposal->source.scene,
                                    .survey = proposal->survey,
                                    .assessment = *assessment,
                                    .plan = proposal->plan,
                                    .ledger = made->built.ledger,
                                    .result = made->after,
                                    .verdict = verdict,
                                    .views = audience.take_views(),
                                    .sheets = make_sheets(made->after, made->built.ledger),
                                    .timings_s = timings})},
  };
  for (const auto& [ending, text] : documents) {
    const bool page = std::string_view(ending).ends_with(".html");
    if (auto done = page ? write_text(beside(target, ending), text)
                         : write_document(beside(target, ending), text);
        !done) {
      return command.fail(done.error());
    }
  }
  if (command.options().format == Format::json) {
    command.print(to_json(verdict));
  } else {
    command.print(command.split_note() + to_text(proposal->source, proposal->plan.routes) +
                  to_text(proposal->source.scene, proposal->plan) + "\n" +
                  to_text(made->built.ledger) + "\n" +
                  to_comparison(verdict.before, verdict.after) + tell_extras(made->built) + "\n" +
                  to_text(verdict) + print_views(verdict) + print_mends(verdict) +
                  print_budgets(verdict.budgets, verdict.tiers) +
                  tell_next(proposal->plan, assessment->ladder) +
                  fmt::format("\nResults in {}: {}.glb, and its .plan, .ledger, .survey and "
                              ".verdict .json\nOpen {} in a browser\n",
                              folder.string(), stem, beside(target, ".report.html")));
  }
  return verdict.passed ? Exit::done : Exit::check_failed;
}

}  // namespace

Exit build_command(const Options& options) {
  Command command(options);
  const auto plan = read_plan(options.input);
  if (!plan) {
    return command.fail(plan.error());
  }
  const std::string source =
      options.scene.empty() ? find_scene(plan->scene_path, options.input) : options.scene;
  const auto scene = read_source(command, source, plan->split, plan->routes);
  if (!scene) {
    return command.fail(scene.error());
  }
  auto built = build_by_line(command, *scene, *plan, options.output);
  if (!built) {
    Error error = built.error();
    error.place.file = error.code == ErrorCode::bad_image ? source : options.input;
    tell_changes(command, scene->scene, *plan, error);
    return command.fail(error);
  }
  built->ledger.source_path = make_relative(source, options.output);
  std::vector<std::string> inputs = list_files(origin_of(*scene), source);
  inputs.push_back(options.input);
  const auto after = write_and_reread(command, *built, options.output, inputs);
  if (!after) {
    return command.fail(after.error());
  }
  command.print(fmt::format("{}\n{}{}\nScene in {}, ledger in {}\n", to_text(built->ledger),
                            to_comparison(count_totals(origin_of(*scene)), count_totals(*after)),
                            tell_extras(*built), options.output,
                            beside(options.output, ".ledger.json")));
  return Exit::done;
}

Exit restore_command(const Options& options) {
  Command command(options);
  auto built = command.read(options.input);
  if (!built) {
    return command.fail(built.error());
  }
  const Totals totals = count_totals(*built);
  const std::string ledger_path =
      options.ledger.empty() ? beside(options.input, ".ledger.json") : options.ledger;
  const auto ledger = read_ledger(ledger_path);
  if (!ledger) {
    return command.fail(ledger.error());
  }
  const bool carried = options.scene.empty() && ledger->source_copy.first_node != no_node;
  const std::string source_path =
      options.scene.empty() ? find_scene(ledger->source_path, ledger_path) : options.scene;
  auto unpacked = carried ? unpack_source(*built, *ledger, ledger_path) : Scene();
  if (!unpacked) {
    return command.fail(unpacked.error());
  }
  const auto source = carried ? Result<Source>(Source{std::move(*unpacked), std::nullopt, {}})
                              : read_source(command, source_path, ledger->split, ledger->routes);
  if (!source) {
    return command.fail(source.error());
  }
  RestoreChoice choice{false, options.groups, options.nodes};
  choice.everything = choice.groups.empty() && choice.nodes.empty();
  const std::vector<std::string> built_files = list_files(*built, options.input);
  auto restored = put_back(command, *source, *ledger, std::move(*built), choice);
  if (restored && choice.everything && !carried &&
      (source->origin || !ledger->split.nodes.empty())) {
    // Pieces are whole again when all of them are back, and materials their own.
    const auto whole = command.read(source_path);
    if (!whole) {
      return command.fail(whole.error());
    }
    restored = make_untouched(*whole, command.run());
  }
  if (!restored) {
    Error error = restored.error();
    error.place.file = error.code == ErrorCode::bad_setting ? "" : ledger_path;
    return command.fail(error);
  }
  restored->ledger.source_path = make_relative(source_path, options.output);
  std::vector<std::string> inputs = built_files;
  const std::vector<std::string> sources =
      carried ? std::vector<std::string>{} : list_files(origin_of(*source), source_path);
  inputs.insert(inputs.end(), sources.begin(), sources.end());
  inputs.push_back(ledger_path);
  const auto after = write_and_reread(command, *restored, options.output, inputs);
  if (!after) {
    return command.fail(after.error());
  }
  command.print(fmt::format("{}\n{}\nScene in {}, ledger in {}\n",
                            to_change(*ledger, restored->ledger),
                            to_comparison(totals, count_totals(*after), "built", "restored"),
                            options.output, beside(options.output, ".ledger.json")));
  return Exit::done;
}

Exit verify_command(const Options& options) {
  Command command(options);
  if (auto loaded = command.load_settings(); !loaded) {
    return command.fail(loaded.error());
  }
  const auto ledger =
      read_ledger(options.ledger.empty() ? beside(options.second, ".ledger.json") : options.ledger);
  if (!ledger) {
    return command.fail(ledger.error());
  }
  const auto before = read_source(command, options.input, ledger->split, ledger->routes);
  if (!before) {
    return command.fail(before.error());
  }
  auto after = command.read(options.second);
  if (!after) {
    return command.fail(after.error());
  }
  FolderAudience audience(options.pictures);
  const auto verdict = prove(command, *before, *ledger, std::move(*after),
                             options.pictures.empty() ? nullptr : &audience);
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
  if (auto loaded = command.load_settings(); !loaded) {
    return command.fail(loaded.error());
  }
  return run_into(command, options.input, options.output);
}

Exit demo_command(const Options& options) {
  Command command(options);
  if (auto loaded = command.load_settings(); !loaded) {
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
  return command.deliver(to_toml(command.settings()));
}

}  // namespace wakuzume::cli
