// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "command.h"
#include "text.h"
#include "wakuzume/reduce.h"
#include "wakuzume/words.h"

namespace wakuzume::cli {
namespace {

/// "0.4 mm", "12 cm", "3.1 m": two digits that tell.
std::string to_length(double metres) {
  const double size = std::abs(metres);
  const auto print = [&](double unit, const char* name) {
    const double value = metres / unit;
    return fmt::format("{:.{}f} {}", value, value < 10 ? 1 : 0, name);
  };
  return size == 0     ? "0"
         : size < 5e-5 ? "< 0.1 mm"
         : size < 0.01 ? print(1e-3, "mm")
         : size < 1    ? print(1e-2, "cm")
                       : print(1, "m");
}

/// Why a mesh has more triangles left than it was to have; empty: it has not.
std::string tell_end(const ReducedMesh& mesh, const ReduceSettings& wanted) {
  switch (mesh.why) {
    case ReducedTo::count:
      return "";
    case ReducedTo::error:
      return wanted.triangles == 0 && wanted.share >= 1 ? "" : "as far as it may lie off";
    case ReducedTo::held:
      return fmt::format("protected parts hold {}", group_digits(mesh.held));
    case ReducedTo::shape:
      return "the least its parts consist of";
  }
  return "";
}

/// Why a count was not met; empty: it was, or is not told for the scene as a whole.
/// \param was  triangles drawn before \param is  and now
std::string tell_missed(std::uint64_t was,
                        std::uint64_t is,
                        const Reduced& after,
                        const ReduceSettings& wanted) {
  if (wanted.triangles == 0 || !wanted.nodes.empty() || is <= wanted.triangles) {
    return "";
  }
  std::uint64_t reduced = 0;
  std::uint64_t gone = 0;
  std::uint64_t held = 0;
  for (const ReducedMesh& mesh : after.meshes) {
    reduced += mesh.draws * mesh.triangles;
    gone += mesh.draws * (mesh.triangles_before - mesh.triangles);
    held += mesh.draws * mesh.held;
  }
  return fmt::format(
      "{} triangles were wanted, {} of {} are left: {} are of meshes that stay as they are, {} are "
      "held in others, {} are the least that those consist of",
      group_digits(wanted.triangles), group_digits(is), group_digits(was),
      group_digits(was - gone - reduced), group_digits(held), group_digits(reduced - held));
}

std::string print_reduction(const Scene& before,
                            const Reduced& after,
                            const std::vector<MeshDeviation>& deviations,
                            std::uint64_t was,
                            std::uint64_t is,
                            const ReduceSettings& wanted,
                            std::size_t most) {
  std::string out = fmt::format(
      "Triangles drawn    {} -> {}, {:.0f} %, by {} of {} meshes\n", group_digits(was),
      group_digits(is), was > 0 ? 100.0 * static_cast<double>(is) / static_cast<double>(was) : 100,
      group_digits(after.meshes.size()), group_digits(before.meshes.size()));
  if (after.meshes.empty()) {
    return out;
  }
  std::vector<std::size_t> order(after.meshes.size());
  for (std::size_t i = 0; i < order.size(); ++i) {
    order[i] = i;
  }
  const auto saved = [&](std::size_t i) {
    const ReducedMesh& mesh = after.meshes[i];
    return mesh.draws * (mesh.triangles_before - mesh.triangles);
  };
  std::stable_sort(order.begin(), order.end(),
                   [&](std::size_t a, std::size_t b) { return saved(a) > saved(b); });
  out += fmt::format("\n  {:<24}{:>7}{:>20}{:>11}{:>10}{:>9}\n", "mesh", "shown", "triangles",
                     "farthest", "mean", "turned");
  for (std::size_t i = 0; i < std::min(most, order.size()); ++i) {
    const ReducedMesh& mesh = after.meshes[order[i]];
    const MeshDeviation& deviation = deviations[order[i]];
    const std::string end = tell_end(mesh, wanted);
    out += fmt::format(
        "  {}{:>7}{:>20}{:>11}{:>10}{:>7.1f}\u00b0{}\n", pad(cut(before[mesh.mesh].name, 23), 24),
        group_digits(mesh.draws),
        fmt::format("{} -> {}", group_digits(mesh.triangles_before), group_digits(mesh.triangles)),
        to_length(deviation.surface.max_m()), to_length(deviation.surface.mean_m()),
        deviation.turned_deg, end.empty() ? "" : "\n    " + end);
  }
  if (order.size() > most) {
    out += fmt::format("  and {} more\n", group_digits(order.size() - most));
  }
  return out;
}

}  // namespace

Exit reduce_command(const Options& options) {
  Command command(options);
  if (auto loaded = command.load_job(); !loaded) {
    return command.fail(loaded.error());
  }
  auto source = command.read_and_survey(options.input);
  if (!source) {
    return command.fail(source.error());
  }
  const auto outlook = make_outlook(source->scene, source->survey, command.job());
  if (!outlook) {
    return command.fail(outlook.error());
  }
  const auto plan = propose_reduction(source->scene, source->survey, options.reduce, outlook->views,
                                      command.run());
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
  const auto deviations =
      measure_reduction(source->scene, *reduced, {.samples = 8'000}, command.run());
  if (!deviations) {
    return command.fail(deviations.error());
  }
  const auto written = write_scene(reduced->scene, options.output,
                                   list_files(source->scene, options.input), command.run());
  if (!written) {
    return command.fail(written.error());
  }
  for (const std::string& line : written->left_out) {
    command.console().warn(line);
  }
  const std::uint64_t was = count_totals(source->scene).triangles;
  const std::uint64_t is = count_totals(reduced->scene).triangles;
  command.print(fmt::format("{}\nScene in {}\n",
                            print_reduction(source->scene, *reduced, *deviations, was, is,
                                            options.reduce, options.top.value_or(20)),
                            options.output));
  if (const std::string missed = tell_missed(was, is, *reduced, options.reduce); !missed.empty()) {
    command.console().warn(missed);
  }
  return Exit::done;
}

}  // namespace wakuzume::cli
