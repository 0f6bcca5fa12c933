// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include <fmt/format.h>

#include <algorithm>

#include "command.h"
#include "print.h"
#include "print_looks.h"
#include "print_reduction.h"

namespace wakuzume::cli {
namespace {

/// Meshes that gave most first.
void sort_by_saved(std::vector<ReductionCheck>& checks) {
  const auto saved = [](const ReductionCheck& check) {
    return check.draws * (check.triangles_before - check.triangles);
  };
  std::stable_sort(
      checks.begin(), checks.end(),
      [&](const ReductionCheck& a, const ReductionCheck& b) { return saved(a) > saved(b); });
}

/// How far each mesh lies off, as a verdict has it.
Result<Verdict> check_meshes(Command& command, const Prepared& prepared) {
  Verdict verdict;
  verdict.passed = true;
  verdict.before = count_totals(prepared.source.before_all());
  verdict.after = count_totals(prepared.source.scene);
  if (prepared.source.unreduced) {
    const Scene& before = *prepared.source.unreduced;
    const auto found = survey(before, command.settings().survey, command.run());
    if (!found) {
      return Failure(found.error());
    }
    const auto outlook = make_outlook(before, *found, command.job());
    if (!outlook) {
      return Failure(outlook.error());
    }
    if (auto checked = verify_reduction(before, *found, prepared.source.before_sharing(),
                                        prepared.source.reduced, prepared.reduction, outlook->views,
                                        verdict, command.run());
        !checked) {
      return Failure(checked.error());
    }
  }
  return verdict;
}

/// What is left, drawn as one: by itself a prop is in sight or it is not.
Result<Plan> propose_one_mesh(Command& command, Prepared& prepared) {
  prepared.outlook.views.clear();
  prepared.outlook.eyes.clear();
  ProposeSettings& settings = command.job().settings.propose;
  settings.repeats = Repeats::merge;
  settings.mesh_unit = MeshUnit::place;
  return propose(prepared, command.job(), command.run());
}

std::string tell(Command& command, const Prepared& prepared, const Verdict& verdict) {
  const ReduceSettings& wanted = command.settings().reduce;
  return fmt::format("{}\n{}",
                     tell_triangles(verdict.before, count_totals(prepared.source.before_sharing()),
                                    prepared.source, wanted),
                     print_reductions(verdict.reductions, command.options().top.value_or(20),
                                      prepared.source.reduced, wanted));
}

Exit finish(Command& command, const std::string& text, const Verdict& verdict) {
  command.print(command.options().format == Format::json ? to_json(verdict) : text);
  return verdict.passed ? Exit::done : Exit::check_failed;
}

/// The scene with its nodes as they are.
Exit write_reduced(Command& command, const Prepared& prepared) {
  const Options& options = command.options();
  auto verdict = check_meshes(command, prepared);
  if (!verdict) {
    return command.fail(verdict.error());
  }
  sort_by_saved(verdict->reductions);
  const auto written =
      write_scene(prepared.source.with_relief(prepared.source.scene), options.output,
                  list_files(prepared.source.before_all(), options.input), command.run());
  if (!written) {
    return command.fail(written.error());
  }
  for (const std::string& line : written->left_out) {
    command.console().warn(line);
  }
  return finish(command,
                tell(command, prepared, *verdict) + fmt::format("\nScene in {}\n", options.output),
                *verdict);
}

/// A result with its ledger, which can be proved and put back.
Exit write_merged(Command& command, Prepared& prepared) {
  const Options& options = command.options();
  const auto plan = propose_one_mesh(command, prepared);
  if (!plan) {
    return command.fail(plan.error());
  }
  auto built = build(prepared.source, *plan, command.job(), command.tools(), command.run());
  if (!built) {
    return command.fail(built.error());
  }
  FileDelivery delivery(options.input, options.output,
                        list_files(prepared.source.before_all(), options.input));
  const auto after = delivery.deliver(*built, command.run());
  if (!after) {
    return command.fail(after.error());
  }
  JobTools tools = command.tools();
  tools.shots = nullptr;
  auto proved = prove(prepared.source, built->ledger, *after, command.job(), tools, command.run());
  if (!proved) {
    return command.fail(proved.error());
  }
  sort_by_saved(proved->reductions);
  return finish(
      command,
      fmt::format("{}\n{}{}\n{}\nScene in {}, ledger in {}\n", tell(command, prepared, *proved),
                  print_materials(prepared), to_comparison(proved->before, proved->after),
                  to_text(*proved), options.output, beside(options.output, ".ledger.json")),
      *proved);
}

}  // namespace

Exit reduce_command(const Options& options) {
  Command command(options);
  if (auto loaded = command.load_job(); !loaded) {
    return command.fail(loaded.error());
  }
  if (!command.settings().reduce.asks()) {
    return command.fail(Error{ErrorCode::bad_setting,
                              "say how few triangles may stay with --to, or how far they may lie "
                              "off with --error; or in the settings, under [reduce]",
                              {}});
  }
  auto scene = command.read_source(options.input);
  if (!scene) {
    return command.fail(scene.error());
  }
  auto prepared = prepare(std::move(*scene), command.job(), command.tools(), command.run());
  if (!prepared) {
    return command.fail(prepared.error());
  }
  return options.merges || command.settings().materials.goal != MaterialGoal::keep
             ? write_merged(command, *prepared)
             : write_reduced(command, *prepared);
}

}  // namespace wakuzume::cli
