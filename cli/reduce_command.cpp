// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include <fmt/format.h>

#include <algorithm>

#include "command.h"
#include "print_reduction.h"

namespace wakuzume::cli {

Exit reduce_command(const Options& options) {
  Command command(options);
  if (auto loaded = command.load_job(); !loaded) {
    return command.fail(loaded.error());
  }
  const ReduceSettings& wanted = command.settings().reduce;
  if (!wanted.asks()) {
    return command.fail(Error{ErrorCode::bad_setting,
                              "say how few triangles may stay with --to, or how far they may lie "
                              "off with --error; or in the settings, under [reduce]",
                              {}});
  }
  auto source = command.read_and_survey(options.input);
  if (!source) {
    return command.fail(source.error());
  }
  const auto outlook = make_outlook(source->scene, source->survey, command.job());
  if (!outlook) {
    return command.fail(outlook.error());
  }
  const auto plan =
      propose_reduction(source->scene, source->survey, wanted, outlook->views, command.run());
  if (!plan) {
    return command.fail(plan.error());
  }
  for (const std::string& line : plan->left_as) {
    command.console().warn(line);
  }
  const auto reduced = reduce(source->scene, *plan, command.run());
  if (!reduced) {
    return command.fail(reduced.error());
  }
  Verdict verdict;
  if (auto checked =
          verify_reduction(source->scene, source->survey, reduced->scene, reduced->meshes, *plan,
                           outlook->views, verdict, command.run());
      !checked) {
    return command.fail(checked.error());
  }
  std::vector<ReductionCheck>& checks = verdict.reductions;
  std::stable_sort(checks.begin(), checks.end(),
                   [](const ReductionCheck& a, const ReductionCheck& b) {
                     return a.draws * (a.triangles_before - a.triangles) >
                            b.draws * (b.triangles_before - b.triangles);
                   });
  const auto written = write_scene(reduced->scene, options.output,
                                   list_files(source->scene, options.input), command.run());
  if (!written) {
    return command.fail(written.error());
  }
  for (const std::string& line : written->left_out) {
    command.console().warn(line);
  }
  command.print(fmt::format(
      "{}\n{}\nScene in {}\n",
      tell_triangles(count_totals(source->scene), count_totals(reduced->scene), reduced->meshes,
                     wanted),
      print_reductions(checks, options.top.value_or(20), reduced->meshes, wanted), options.output));
  return Exit::done;
}

}  // namespace wakuzume::cli
