// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include "print_reduction.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "text.h"

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
                        std::span<const ReducedMesh> meshes,
                        const ReduceSettings& wanted) {
  const auto share = static_cast<std::uint64_t>(wanted.share * static_cast<double>(was));
  const std::uint64_t most =
      wanted.triangles > 0 ? std::min<std::uint64_t>(wanted.triangles, share) : share;
  if (!wanted.nodes.empty() || is <= most) {
    return "";
  }
  std::uint64_t reduced = 0;
  std::uint64_t gone = 0;
  std::uint64_t held = 0;
  for (const ReducedMesh& mesh : meshes) {
    reduced += mesh.draws * mesh.triangles;
    gone += mesh.draws * (mesh.triangles_before - mesh.triangles);
    held += mesh.draws * mesh.held;
  }
  return fmt::format(
      "{} triangles were wanted, {} of {} are left: {} are of meshes that stay as they are, {} are "
      "held in others, {} are the least that those consist of",
      group_digits(most), group_digits(is), group_digits(was), group_digits(was - gone - reduced),
      group_digits(held), group_digits(reduced - held));
}

/// Pictures of normals; empty: there are none.
std::string tell_relief(const std::vector<ReliefPicture>& pictures) {
  if (pictures.empty()) {
    return "";
  }
  const auto largest = std::max_element(pictures.begin(), pictures.end(),
                                        [](const ReliefPicture& a, const ReliefPicture& b) {
                                          return std::uint64_t{a.size.width_px} * a.size.height_px <
                                                 std::uint64_t{b.size.width_px} * b.size.height_px;
                                        });
  return fmt::format("Normals painted    into {}, the largest of {} x {} pixels\n",
                     plural(pictures.size(), "picture", "pictures"),
                     group_digits(largest->size.width_px), group_digits(largest->size.height_px));
}

}  // namespace

std::string tell_triangles(const Totals& before,
                           const Totals& after,
                           const Source& source,
                           const ReduceSettings& wanted) {
  const std::vector<ReducedMesh>& meshes = source.reduced;
  const double share = before.triangles > 0 ? 100.0 * static_cast<double>(after.triangles) /
                                                  static_cast<double>(before.triangles)
                                            : 100;
  const std::string missed = tell_missed(before.triangles, after.triangles, meshes, wanted);
  return fmt::format(
      "Triangles drawn    {} -> {}, {:.0f} %, by {} of {} meshes\n{}{}",
      group_digits(before.triangles), group_digits(after.triangles), share,
      group_digits(static_cast<std::uint64_t>(std::count_if(
          meshes.begin(), meshes.end(), [](const ReducedMesh& mesh) { return mesh.gave(); }))),
      group_digits(before.meshes), missed.empty() ? "" : "  " + missed + "\n",
      tell_relief(source.relief));
}

std::string print_reductions(std::span<const ReductionCheck> checks,
                             std::size_t most,
                             std::span<const ReducedMesh> meshes,
                             const ReduceSettings& wanted) {
  if (checks.empty()) {
    return "";
  }
  std::string out = fmt::format("  {:<24}{:>7}{:>20}{:>11}{:>10}{:>10}{:>9}\n", "mesh", "shown",
                                "triangles", "farthest", "pixels", "mean", "turned");
  for (std::size_t i = 0; i < std::min(most, checks.size()); ++i) {
    const ReductionCheck& check = checks[i];
    const auto mesh = std::find_if(meshes.begin(), meshes.end(),
                                   [&](const ReducedMesh& of) { return of.mesh == check.mesh; });
    std::string end = mesh == meshes.end() ? "" : tell_end(*mesh, wanted);
    if (mesh != meshes.end() && mesh->specks > 0) {
      end = plural(mesh->specks, "small part", "small parts") + " went as a whole" +
            (end.empty() ? "" : "; " + end);
    }
    out +=
        fmt::format("  {}{:>7}{:>20}{:>11}{:>10}{:>10}{:>7.1f}\u00b0{}\n",
                    pad(cut(check.name, 23), 24), group_digits(check.draws),
                    fmt::format("{} -> {}", group_digits(check.triangles_before),
                                group_digits(check.triangles)),
                    to_length(check.farthest_m),
                    check.farthest_px > 0 ? fmt::format("{:.1f}", check.farthest_px) : "unseen",
                    to_length(check.mean_m), check.turned_deg, end.empty() ? "" : "\n    " + end);
  }
  if (checks.size() > most) {
    out += fmt::format("  and {} more\n", group_digits(checks.size() - most));
  }
  return out;
}

}  // namespace wakuzume::cli
