// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include "print_proof.h"

#include <fmt/format.h>

#include <algorithm>

#include "print_reduction.h"
#include "text.h"

namespace wakuzume::cli {
namespace {

constexpr std::size_t most_rows = 12;
constexpr std::size_t view_columns = 24;

}  // namespace

std::string print_mends(const Verdict& verdict) {
  if (verdict.mends.empty()) {
    return "";
  }
  std::string out = fmt::format("\nTaken back, because the proof had rejected it, in {}\n",
                                plural(verdict.mends.back().round, "round", "rounds"));
  for (std::size_t m = 0; m < std::min(most_rows, verdict.mends.size()); ++m) {
    const Mend& mend = verdict.mends[m];
    out +=
        fmt::format("  {}\n", cut(fmt::format("{}: {}", mend.what, mend.became), page_columns - 2));
    out += fmt::format("      {}\n", cut(mend.why, page_columns - 6));
  }
  if (verdict.mends.size() > most_rows) {
    out += fmt::format("  and {} more; the verdict as JSON has all of them\n",
                       verdict.mends.size() - most_rows);
  }
  return out;
}

std::string print_views(const Verdict& verdict) {
  constexpr std::size_t most_reductions = 6;
  std::string out;
  if (!verdict.reductions.empty()) {
    out += "\nReduced meshes, the farthest off first\n" +
           print_reductions(verdict.reductions, most_reductions, {}, {});
  }
  if (!verdict.views.empty()) {
    const auto failed = std::count_if(verdict.views.begin(), verdict.views.end(),
                                      [](const ViewCheck& v) { return !v.passed; });
    out += fmt::format("\n{} drawn before and after by {}{}\n",
                       plural(verdict.views.size(), "view", "views"), verdict.drawn_by,
                       failed > 0                   ? fmt::format("; {} differ", failed)
                       : verdict.reductions.empty() ? "; all look the same"
                                                    : "; all show no more than meshes lie off");
    if (verdict.lit_pages[0] > 0) {
      out += fmt::format("  lit by {}, then by {}\n",
                         plural(verdict.lit_pages[0], "lightmap page", "lightmap pages"),
                         group_digits(verdict.lit_pages[1]));
    }
    out += fmt::format("  {} {:>9} {:>6} {:>8} {:>16} {:>17}\n",
                       pad("view, the worst first", view_columns), "wrong px", "dB", "likeness",
                       "draws", "ms to submit");
  }
  for (std::size_t v = 0; v < std::min(most_rows, verdict.views.size()); ++v) {
    const ViewCheck& check = verdict.views[v];
    out += fmt::format(
        "  {} {:>9} {:>6.1f} {:>8.4f} {:>16} {:>17}{}\n",
        pad(cut(check.view, view_columns), view_columns), group_digits(check.differing),
        check.psnr_db, check.likeness,
        fmt::format("{} -> {}", group_digits(check.before.draws), group_digits(check.after.draws)),
        fmt::format("{:.2f} -> {:.2f}", check.before.submit_ms, check.after.submit_ms),
        check.passed ? "" : "  FAILED");
  }
  if (verdict.views.size() > most_rows) {
    out += fmt::format("  and {} more views; the verdict as JSON has all of them\n",
                       verdict.views.size() - most_rows);
  }
  if (!verdict.posed_views.empty()) {
    const ViewCheck& worst = verdict.posed_views.front();
    out += fmt::format("  {} drawn before and after; the worst, {}: {} wrong, {:.1f} dB{}\n",
                       plural(verdict.posed_views.size(), "pose", "poses"), worst.view,
                       plural(worst.differing, "pixel", "pixels"), worst.psnr_db,
                       worst.passed ? "" : "  FAILED");
  }
  std::uint64_t righted = 0;
  std::uint64_t disordered = 0;
  std::uint64_t shifted = 0;
  for (const ViewCheck& check : verdict.views) {
    righted += check.righted_pixels;
    disordered += check.disordered_pixels;
    shifted += check.shifted_pixels;
  }
  if (shifted > 0) {
    out += fmt::format(
        "  Edges went through {}, within what reduced or quantised meshes may lie off\n",
        plural(shifted, "pixel", "pixels"));
  }
  if (righted + disordered > 0) {
    out += fmt::format(
        "  Order of blended layers: right now in {}, where it was wrong; wrong now in {}\n",
        plural(righted, "pixel", "pixels"), group_digits(disordered));
  }
  for (std::size_t g = 0; g < std::min(most_rows, verdict.group_faults.size()); ++g) {
    const GroupFault& fault = verdict.group_faults[g];
    const std::string name = fault.group.empty() ? "kept " : "group " + fault.group + ", ";
    out += fmt::format("  {}\n", cut(name + fault.node, page_columns - 2));
    out += fmt::format("      {}\n", cut(fmt::format("{} {}, most of them from {}",
                                                     plural(fault.pixels, "pixel", "pixels"),
                                                     explain(fault.fault), fault.view),
                                         page_columns - 6));
  }
  if (verdict.group_faults.size() > most_rows) {
    const std::size_t left = verdict.group_faults.size() - most_rows;
    out += fmt::format("  and {} more {}\n", left, left == 1 ? "group" : "groups");
  }
  for (const std::string& line : verdict.not_checked) {
    out += fmt::format("  Not checked: {}\n", line);
  }
  return out;
}

}  // namespace wakuzume::cli
