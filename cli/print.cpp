// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include "print.h"

#include <fmt/format.h>

#include <algorithm>
#include <array>

#include "text.h"
#include "wakuzume/extensions.h"

namespace wakuzume::cli {
namespace {

constexpr std::size_t top_rows = 20;

}  // namespace

std::string to_factor(std::uint64_t before, std::uint64_t after) {
  if (before == after) {
    return "the same";
  }
  if (before == 0 || after == 0) {
    return "";
  }
  const bool fewer = after < before;
  const double factor =
      static_cast<double>(fewer ? before : after) / static_cast<double>(fewer ? after : before);
  const char* const way = fewer ? "fewer" : "more";
  return factor < 1.01 ? fmt::format("{:.2g} % {}", 100 * (factor - 1), way)
                       : fmt::format("{:.{}f} times {}", factor, factor < 2 ? 2 : 1, way);
}

std::string print_staying(const Survey& survey) {
  std::string out;
  const auto line = [&](std::uint64_t count, const char* why) {
    if (count > 0) {
      out += fmt::format("  {:>9}  {}\n", group_digits(count), why);
    }
  };
  for (std::size_t rule = 1; rule < survey.stay_counts.size(); ++rule) {
    line(survey.stay_counts[rule], explain(static_cast<StayRule>(rule)));
  }
  const auto blended = std::count_if(survey.draws.begin(), survey.draws.end(), [](const Draw& d) {
    return d.blended && d.stay == StayRule::none;
  });
  line(static_cast<std::uint64_t>(blended), "blended: merged only where their order can't be seen");
  return out.empty() ? out
                     : "\nDraws that stay as they are, or merge with their like alone:\n" + out;
}

namespace {

std::array<std::uint64_t, fate_count> count_fates(const Ledger& ledger) {
  std::array<std::uint64_t, fate_count> fates{};
  for (const LedgerRow& row : ledger.rows) {
    ++fates[static_cast<std::size_t>(row.fate)];
  }
  return fates;
}

}  // namespace

std::string to_change(const Ledger& before, const Ledger& after) {
  const auto had = count_fates(before);
  const auto has = count_fates(after);
  return fmt::format("Put back {}: {} that were merged, {} that were instanced; {} left\n",
                     plural(had[0] + had[1] - has[0] - has[1], "draw", "draws"),
                     group_digits(had[0] - has[0]), group_digits(had[1] - has[1]),
                     plural(after.results.size(), "group is", "groups are"));
}

std::string to_text(const Ledger& ledger) {
  const auto fates = count_fates(ledger);
  return fmt::format(
      "The plan covers each of the {} exactly once: {} merged, {} instanced, {} kept\n",
      plural(ledger.rows.size(), "draw", "draws"), group_digits(fates[0]), group_digits(fates[1]),
      group_digits(fates[2]));
}

std::string to_comparison(const Totals& before,
                          const Totals& after,
                          const char* name_before,
                          const char* name_after) {
  std::string out = fmt::format("  {:<10} {:>13} {:>13}\n", "", name_before, name_after);
  const auto line = [&](const char* name, std::uint64_t a, std::uint64_t b) {
    out += fmt::format("  {:<10} {:>13} {:>13}   {}\n", name, group_digits(a), group_digits(b),
                       to_factor(a, b));
  };
  line("draws", before.draws, after.draws);
  line("triangles", before.triangles, after.triangles);
  line("vertices", before.vertices, after.vertices);
  line("materials", before.materials, after.materials);
  line("nodes", before.nodes, after.nodes);
  line("meshes", before.meshes, after.meshes);
  out += fmt::format("  {:<10} {:>13} {:>13}   {}\n", "bytes", to_size(before.bytes),
                     to_size(after.bytes), to_factor(before.bytes, after.bytes));
  return out;
}

std::string to_text(const Verdict& verdict) {
  std::string out =
      fmt::format("{}: {} of the {}source found exactly once in the result{}\n",
                  verdict.passed ? "PASSED" : "FAILED",
                  plural(verdict.triangles_checked, "triangle", "triangles"),
                  verdict.reductions.empty() ? "" : "reduced ",
                  verdict.elements_checked > 0
                      ? fmt::format(", {} lines and points", group_digits(verdict.elements_checked))
                      : "");
  out += fmt::format("  {} merged, {} instanced, {} kept, {} dropped\n",
                     group_digits(verdict.fates[0]), group_digits(verdict.fates[1]),
                     group_digits(verdict.fates[2]), group_digits(verdict.fates[3]));
  out += fmt::format("  largest distance of a corner from its place: {:.3g} m\n",
                     verdict.largest_position_error_m);
  if (verdict.poses > 0) {
    out += fmt::format("  in motion: {} places in {}, none farther off than {:.3g} m\n",
                       group_digits(verdict.places_in_motion),
                       plural(verdict.poses, "pose", "poses"), verdict.largest_motion_error_m);
  }
  if (verdict.shaded_per_triangle[1] > 0) {
    out += fmt::format("  vertices shaded for a triangle: {:.2f}, before {:.2f}\n",
                       verdict.shaded_per_triangle[1], verdict.shaded_per_triangle[0]);
  }
  if (verdict.lightmap_lookups > 0) {
    out += fmt::format("  {} lookups of lightmaps read the texels that they read before\n",
                       group_digits(verdict.lightmap_lookups));
  }
  const auto is_less_like = [](const auto& a, const auto& b) { return a.psnr_db < b.psnr_db; };
  if (!verdict.looks.empty()) {
    const auto worst = std::min_element(verdict.looks.begin(), verdict.looks.end(), is_less_like);
    std::uint64_t samples = 0;
    for (const LookCheck& check : verdict.looks) {
      samples += check.samples;
    }
    out +=
        fmt::format("  {} that became shared ones look the same in {} places; at worst {:.1f} dB\n",
                    plural(verdict.looks.size(), "material", "materials"), group_digits(samples),
                    worst->psnr_db);
  }
  if (!verdict.gpu_pictures.empty()) {
    const auto worst =
        std::min_element(verdict.gpu_pictures.begin(), verdict.gpu_pictures.end(), is_less_like);
    out += fmt::format("  {} for GPUs are like what they lie beside; at worst {:.1f} dB, {}\n",
                       plural(verdict.gpu_pictures.size(), "picture", "pictures"), worst->psnr_db,
                       worst->file);
  }
  if (verdict.mismatch_count > 0) {
    out +=
        fmt::format("  {} that do not match:\n", plural(verdict.mismatch_count, "thing", "things"));
  }
  for (std::size_t m = 0; m < std::min(top_rows, verdict.mismatches.size()); ++m) {
    const Mismatch& mismatch = verdict.mismatches[m];
    const std::string where =
        mismatch.draw.node == no_node
            ? ""
            : fmt::format("{} primitive {}: ", cut(mismatch.path, 60), mismatch.draw.primitive);
    out += fmt::format("    {}{}\n", where, mismatch.what);
  }
  return out;
}

std::string print_needs(const Scene& written) {
  const std::vector<ExtensionUse> uses = list_written_extensions(written);
  std::vector<std::string> needed;
  std::vector<std::string> lost;
  for (const ExtensionUse& use : uses) {
    if (use.required) {
      needed.push_back(use.name);
    } else if (!use.without.empty()) {
      lost.push_back(fmt::format("without {} they leave out {}", use.name, use.without));
    }
  }
  std::string out = needed.empty() ? "Any loader of glTF 2.0 opens the result\n"
                                   : fmt::format("Loaders of the result have to know {}\n",
                                                 fmt::join(needed, ", "));
  for (const std::string& one : lost) {
    out += fmt::format("  {}\n", one);
  }
  return out;
}

std::string print_extensions(const Scene& scene) {
  const std::vector<ExtensionUse> uses = list_extensions(scene);
  if (uses.empty()) {
    return {};
  }
  std::string out = "\nExtensions of the file                    here        in results\n";
  for (const ExtensionUse& use : uses) {
    out += fmt::format("  {:<39} {:<11} {}\n", use.name + (use.required ? ", required" : ""),
                       to_string(use.fate), use.in_results);
    if (!use.without.empty()) {
      out +=
          fmt::format("  {:<39} {:<11} a loader without it leaves out {}\n", "", "", use.without);
    }
  }
  return out;
}

std::string print_extras(const Built& built) {
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

}  // namespace wakuzume::cli
