// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include "print_survey.h"

#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <iterator>
#include <map>

#include "print.h"
#include "text.h"

namespace wakuzume::cli {

namespace {

constexpr std::size_t top_apart = 6;
constexpr std::size_t top_findings = 14;

const char* advise(Rung rung) {
  switch (rung) {
    case Rung::instancing:
    case Rung::merging:
    case Rung::moving_together:
      return "`wakuzume run SCENE -o DIR` does it and proves the result";
    case Rung::folding:
    case Rung::tinting:
    case Rung::sharing:
      return "`wakuzume run SCENE -o DIR --materials fewest_draws` does it and proves the result";
    case Rung::joining:
      return "`wakuzume run SCENE -o DIR --lightmaps join` does it and proves the result";
    default:
      return "--table near shows what would have to become equal";
  }
}

/// What is gained by going on from what stays by itself is no advice: only real steps count.
std::string print_first(const Ladder& ladder) {
  std::size_t best = 0;
  std::uint64_t most = 0;
  for (std::size_t r = 1; r + 2 < rung_count; ++r) {
    const std::uint64_t gain = ladder.rungs[r - 1].draws - ladder.rungs[r].draws;
    if (gain > most) {
      most = gain;
      best = r;
    }
  }
  if (best == 0) {
    return "Do first: nothing. These draws can't be brought together as they are.\n";
  }
  const auto rung = static_cast<Rung>(best);
  return fmt::format("Do first: {}: saves {}.\n          {}.\n", explain(rung),
                     plural(most, "draw", "draws"), advise(rung));
}

std::string print_ladder(const Ladder& ladder) {
  std::string out = fmt::format("{:<61}{:>9}{:>12}{:>16}\n", "How low it could go, step by step",
                                "saves", "draws", "in a usual view");
  for (std::size_t r = 0; r < rung_count; ++r) {
    const RungCount& count = ladder.rungs[r];
    const std::uint64_t saved = r == 0 ? 0 : ladder.rungs[r - 1].draws - count.draws;
    if (r > 0 && saved == 0 && r + 1 < rung_count) {
      continue;
    }
    out += fmt::format("  {:<59}{:>9}{:>12}{:>16}\n", explain(static_cast<Rung>(r)),
                       saved == 0 ? "" : group_digits(saved), group_digits(count.draws),
                       group_digits(count.median_draws));
  }
  return out;
}

struct FrameLine {
  const char* name;
  double (*find)(const FrameCost&);
  int decimals;
};
constexpr FrameLine frame_lines[] = {
    {"draws, all passes", [](const FrameCost& f) { return static_cast<double>(f.total.draws); }, 0},
    {"triangles", [](const FrameCost& f) { return static_cast<double>(f.total.triangles); }, 0},
    {"pipeline switches",
     [](const FrameCost& f) { return static_cast<double>(f.total.pipeline_switches); }, 0},
    {"material switches",
     [](const FrameCost& f) { return static_cast<double>(f.total.material_switches); }, 0},
    {"texture megabytes",
     [](const FrameCost& f) { return static_cast<double>(f.total.texture_bytes) / 1e6; }, 1},
    {"milliseconds, CPU", [](const FrameCost& f) { return f.total.cpu_ms; }, 2},
    {"milliseconds, GPU", [](const FrameCost& f) { return f.total.gpu_ms; }, 2},
};

std::string to_figure(double value, int decimals) {
  return decimals == 0 ? group_digits(static_cast<std::uint64_t>(value))
                       : fmt::format("{:.{}f}", value, decimals);
}

std::string print_spread(const std::string& name,
                         const Spread& spread,
                         int decimals,
                         const std::vector<Viewpoint>& views) {
  return fmt::format("  {}{:>12}{:>12}{:>12}  {}\n", pad(cut(name, 26), 26),
                     to_figure(spread.median, decimals), to_figure(spread.p95, decimals),
                     to_figure(spread.worst, decimals),
                     spread.worst_view == no_index ? "" : cut(views[spread.worst_view].name, 30));
}

/// The median draws of each pass, as many to a line as fit.
std::string print_passes(const Frames& frames) {
  std::string out;
  std::string line = "  median draws by pass:";
  for (std::size_t p = 0; p < frames.profile.passes.size(); ++p) {
    std::vector<double> draws;
    for (const FrameCost& frame : frames.views) {
      draws.push_back(static_cast<double>(frame.passes[p].draws));
    }
    const std::string item = fmt::format(" {} {}{}", cut(frames.profile.passes[p].name, 40),
                                         to_figure(make_spread(draws).median, 0),
                                         p + 1 < frames.profile.passes.size() ? "," : "");
    if (count_characters(line) + count_characters(item) > page_columns) {
      out += line + "\n";
      line = "   ";
    }
    line += item;
  }
  return out + line + "\n";
}

std::string print_frames(const Assessment& assessment) {
  const Frames& frames = assessment.frames;
  std::array<std::uint64_t, 4> sources{};
  for (const Viewpoint& view : assessment.views) {
    ++sources[static_cast<std::size_t>(view.source)];
  }
  std::vector<std::string> parts;
  constexpr std::array<std::pair<const char*, const char*>, 4> words{
      std::pair("camera", "cameras"), std::pair("sample", "samples"),
      std::pair("overview", "overviews"), std::pair("listed view", "listed views")};
  for (std::size_t s = 0; s < sources.size(); ++s) {
    if (sources[s] > 0) {
      parts.push_back(plural(sources[s], words[s].first, words[s].second));
    }
  }
  std::string out =
      fmt::format("A frame on \"{}\", from {}\n", frames.profile.name,
                  parts.empty() ? "no view" : fmt::format("{}", fmt::join(parts, ", ")));
  if (frames.views.empty()) {
    return out;
  }
  out += fmt::format("  {:<26}{:>12}{:>12}{:>12}  {}\n", "", "median", "95 % below", "worst",
                     "worst in");
  for (const FrameLine& line : frame_lines) {
    out += print_spread(line.name, frames.find_spread(line.find), line.decimals, assessment.views);
  }
  return out + print_passes(frames);
}

std::string name_of(const Scene& scene, const Survey& survey, KeyId key) {
  const MaterialId id = survey[key].material;
  if (id == no_material) {
    return "the default material";
  }
  const std::string& name = scene[id].name;
  return name.empty() ? fmt::format("material {}", to_index(id)) : name;
}

std::string explain(const ApartGroup& group) {
  const std::size_t n = group.keys.size();
  switch (group.part) {
    case KeyPart::material_name:
      return fmt::format("{} materials equal by value, only the names differ", n);
    case KeyPart::base_color:
      return fmt::format("{} materials differ by colour alone", n);
    case KeyPart::factors:
      return fmt::format("{} materials differ by metal, roughness or glow factors alone", n);
    case KeyPart::color_texture:
      return fmt::format("{} materials differ by their colour texture alone", n);
    case KeyPart::other_textures:
      return fmt::format("{} materials differ by their other textures alone", n);
    case KeyPart::alpha:
      return fmt::format("{} materials differ by alpha mode alone", n);
    case KeyPart::sidedness:
      return fmt::format("{} materials differ by sidedness alone", n);
    case KeyPart::shading:
      return fmt::format("{} materials differ by extensions alone", n);
    case KeyPart::extras:
      return fmt::format("{} materials differ by extras alone", n);
    case KeyPart::layout:
      return fmt::format("one material in {} vertex layouts", n);
    case KeyPart::topology:
      return fmt::format("one material on {} of triangles, lines and points", n);
    case KeyPart::lightmap:
      return fmt::format("one material on {} lightmap pages", n);
    case KeyPart::tag:
      return fmt::format("one material under {} tags", n);
    case KeyPart::level:
      return fmt::format("one material in {} levels", n);
    case KeyPart::moving_root:
      return fmt::format("one material under {} moving roots", n);
  }
  return "";
}

std::string print_apart(const Scene& scene, const Survey& survey, const Apart& apart) {
  if (apart.groups.empty() && apart.meshes.empty()) {
    return "";
  }
  std::string out =
      fmt::format("\n{:<60}{:>7}  {}\n", "What keeps draws apart", "draws", "such as");
  for (std::size_t g = 0; g < std::min(top_apart, apart.groups.size()); ++g) {
    const ApartGroup& group = apart.groups[g];
    const bool one_material = group.part >= KeyPart::layout;
    const std::string names = one_material
                                  ? name_of(scene, survey, group.keys[0])
                                  : fmt::format("{}, {}", name_of(scene, survey, group.keys[0]),
                                                name_of(scene, survey, group.keys[1]));
    out += fmt::format("  {:<58}{:>7}  {}\n", cut(explain(group), 57), group_digits(group.draws),
                       cut(names, 31));
  }
  if (apart.groups.size() > top_apart) {
    out += fmt::format(
        "  and {}; --table near lists every key with its nearest\n",
        plural(apart.groups.size() - top_apart, "other such group", "other such groups"));
  }
  if (!apart.meshes.empty()) {
    const MixedMesh& mesh = apart.meshes.front();
    const std::string& name = scene[mesh.mesh].name;
    out += fmt::format("  {:<58}{:>7}  {}\n",
                       fmt::format("{} with several materials, this one with {}",
                                   plural(apart.meshes.size(), "mesh", "meshes"), mesh.materials),
                       group_digits(mesh.draws),
                       cut(name.empty() ? fmt::format("mesh {}", to_index(mesh.mesh)) : name, 31));
  }
  return out;
}

/// Findings of one code together.
struct CodeSum {
  std::size_t first = 0;
  std::uint64_t count = 0;
  std::uint64_t draw_cost = 0;
  std::uint64_t byte_cost = 0;
};

std::string print_findings(const std::vector<Finding>& findings) {
  if (findings.empty()) {
    return "\nFindings: none\n";
  }
  std::map<FindingCode, CodeSum> sums;
  for (std::size_t f = 0; f < findings.size(); ++f) {
    const auto [slot, added] = sums.try_emplace(findings[f].code);
    if (added) {
      slot->second.first = f;
    }
    ++slot->second.count;
    slot->second.draw_cost += findings[f].draw_cost;
    slot->second.byte_cost += findings[f].byte_cost;
  }
  std::vector<CodeSum> order;
  std::transform(sums.begin(), sums.end(), std::back_inserter(order),
                 [](const auto& entry) { return entry.second; });
  std::stable_sort(order.begin(), order.end(), [&](const CodeSum& a, const CodeSum& b) {
    const Severity first = findings[a.first].severity;
    const Severity second = findings[b.first].severity;
    return first != second ? first < second : a.draw_cost > b.draw_cost;
  });
  std::string out =
      fmt::format("\n{}: the costliest of each kind and what to do; all: --table findings\n",
                  plural(findings.size(), "finding", "findings"));
  for (std::size_t i = 0; i < std::min(top_findings, order.size()); ++i) {
    const CodeSum& sum = order[i];
    const Finding& finding = findings[sum.first];
    const std::string cost = sum.draw_cost > 0   ? plural(sum.draw_cost, "draw", "draws")
                             : sum.byte_cost > 0 ? to_size(sum.byte_cost)
                                                 : "";
    const std::string text = fmt::format("{}: {}", cut(finding.subject, 20), finding.remedy);
    out += fmt::format("  {:<8} {:<23}{:>5} x {:>11}  {}\n", to_string(finding.severity),
                       to_string(finding.code), group_digits(sum.count), cost, cut(text, 45));
  }
  if (order.size() > top_findings) {
    out += fmt::format("  and {} more\n", plural(order.size() - top_findings, "kind", "kinds"));
  }
  return out;
}

std::string print_result(const BudgetResult& result) {
  const auto number = [](double value) {
    return value == static_cast<double>(static_cast<std::uint64_t>(value))
               ? group_digits(static_cast<std::uint64_t>(value))
               : fmt::format("{:.2f}", value);
  };
  return fmt::format("  {:<6} {:<28}{:>14} of {:<14}{}\n", result.passed() ? "passes" : "FAILS",
                     result.budget.figure, number(result.value), number(result.budget.limit),
                     cut(result.where, 32));
}

/// Tiers go from the easiest to the hardest: the last that passes is reached.
std::string print_tiers(const std::vector<TierResult>& tiers) {
  std::size_t reached = tiers.size();
  for (std::size_t t = 0; t < tiers.size(); ++t) {
    reached = tiers[t].passed() ? t : reached;
  }
  const std::size_t next = reached == tiers.size() ? 0 : reached + 1;
  std::string out = reached == tiers.size()
                        ? "\nTier reached: none\n"
                        : fmt::format("\nTier reached: {}\n", tiers[reached].name);
  if (next < tiers.size()) {
    out += fmt::format("What stops it from reaching {}:\n", tiers[next].name);
    for (const BudgetResult& result : tiers[next].results) {
      out += result.passed() ? "" : print_result(result);
    }
  }
  return out;
}

std::string to_cell(const Cell& cell) {
  if (const double* value = std::get_if<double>(&cell)) {
    return *value == static_cast<double>(static_cast<std::int64_t>(*value))
               ? fmt::format("{}", static_cast<std::int64_t>(*value))
               : fmt::format("{:.4g}", *value);
  }
  return std::get<std::string>(cell);
}

/// What a column of the page takes and may be cut down to.
struct Width {
  std::size_t wanted = 0;  ///< 0: left out
  std::size_t least = 0;
};

/// What each column takes; nothing where all of its cells are empty.
std::vector<Width> measure_columns(const Table& table,
                                   const std::vector<std::vector<std::string>>& lines) {
  constexpr std::size_t least_first = 40;
  constexpr std::size_t least_text = 22;
  std::vector<Width> widths;
  bool first = true;
  for (std::size_t c = 0; c < table.columns().size(); ++c) {
    const Column& column = table.columns()[c];
    std::size_t longest = 0;
    for (const std::vector<std::string>& line : lines) {
      longest = std::max(longest, count_characters(line[c]));
    }
    Width width;
    width.wanted = longest == 0 && !lines.empty() ? 0 : std::max(longest, column.name.size());
    width.least =
        column.numeric ? width.wanted : std::min(width.wanted, first ? least_first : least_text);
    first = first && column.numeric;
    widths.push_back(width);
  }
  return widths;
}

/// Columns are left out from the right until the rest fits when cut as far as may be; then texts
/// are cut, the widest first, until all fits. Numbers are never cut.
void fit_page(std::vector<Width>& widths) {
  const auto sum = [&](auto member) {
    std::size_t total = 0;
    for (const Width& width : widths) {
      total += width.wanted == 0 ? 0 : width.*member + 2;
    }
    return total;
  };
  while (sum(&Width::least) > page_columns) {
    std::find_if(widths.rbegin(), widths.rend(), [](const Width& w) {
      return w.wanted > 0;
    })->wanted = 0;
  }
  const auto room_of = [](const Width& w) { return w.wanted - std::min(w.wanted, w.least); };
  while (sum(&Width::wanted) > page_columns) {
    --std::max_element(widths.begin(), widths.end(), [&](const Width& a, const Width& b) {
        return room_of(a) < room_of(b);
      })->wanted;
  }
}

/// Paths lose their beginning, other texts their end.
std::string cut_cell(const std::string& text, std::size_t width) {
  const std::size_t used = count_characters(text);
  if (!text.starts_with('/') || used <= width) {
    return cut(text, width);
  }
  std::size_t at = 0;
  for (std::size_t left = used; left > width - 3; --left) {
    do {
      ++at;
    } while (at < text.size() && (static_cast<unsigned char>(text[at]) & 0xC0U) == 0x80U);
  }
  return "..." + cut(text.substr(at), width);
}

}  // namespace

std::string to_text(const std::string& path,
                    const Scene& scene,
                    const Survey& survey,
                    const Assessment& assessment) {
  const Totals& t = survey.totals;
  std::string out = fmt::format("{}\n", cut(path, page_columns));
  out += fmt::format("  {}, {}, {}, {}, {}\n", plural(t.draws, "draw", "draws"),
                     plural(t.triangles, "triangle", "triangles"),
                     plural(t.materials, "material", "materials"),
                     plural(t.images, "image", "images"), to_size(t.bytes));
  out += print_first(assessment.ladder) + "\n";
  out += print_ladder(assessment.ladder) + "\n";
  out += print_frames(assessment);
  out += print_apart(scene, survey, assessment.apart);
  out += print_staying(survey);
  out += print_findings(assessment.findings);
  out += print_extensions(scene);
  return out + print_budgets(assessment.budgets, assessment.tiers);
}

std::string to_text(const Table& table, std::span<const std::uint32_t> rows, std::size_t most) {
  const std::size_t shown = std::min(most, rows.size());
  std::vector<std::vector<std::string>> lines(shown);
  for (std::size_t r = 0; r < shown; ++r) {
    for (std::size_t c = 0; c < table.columns().size(); ++c) {
      lines[r].push_back(to_cell(table.cell(rows[r], c)));
    }
  }
  std::vector<Width> widths = measure_columns(table, lines);
  const auto count_shown = [&] {
    return std::count_if(widths.begin(), widths.end(), [](const Width& w) { return w.wanted > 0; });
  };
  const auto with_content = count_shown();
  fit_page(widths);
  std::string out;
  const auto add_line = [&](const auto& text_of) {
    std::string line;
    for (std::size_t c = 0; c < widths.size(); ++c) {
      if (widths[c].wanted > 0) {
        const std::string text = cut_cell(text_of(c), widths[c].wanted);
        const std::string gap(widths[c].wanted - count_characters(text), ' ');
        line += (table.columns()[c].numeric ? gap + text : text + gap) + "  ";
      }
    }
    out += line.substr(0, line.find_last_not_of(' ') + 1) + "\n";
  };
  add_line([&](std::size_t c) { return std::string(table.columns()[c].name); });
  for (const auto& line : lines) {
    add_line([&](std::size_t c) { return line[c]; });
  }
  const auto missing = static_cast<std::uint64_t>(with_content - count_shown());
  out += fmt::format("{} of {}", group_digits(shown), plural(rows.size(), "row", "rows"));
  if (shown < rows.size()) {
    out += "; --top N shows more";
  }
  if (missing > 0) {
    out +=
        fmt::format("; {} fit the page, --format csv has all",
                    missing == 1 ? "one column does not" : plural(missing, "", "columns do not"));
  }
  return out + "\n";
}

std::string to_text(const std::vector<SharedScene>& scenes, const Sharing& sharing) {
  std::string out = fmt::format("  {:<4}{:<40}{:>9}{:>14}{:>14}{:>14}\n", "", "scene", "draws",
                                "whole", "shared", "its alone");
  std::vector<std::uint64_t> alone(scenes.size(), 0);
  std::vector<std::uint64_t> shared(scenes.size(), 0);
  for (const SharedPack& pack : sharing.packs) {
    for (const std::uint32_t scene : pack.scenes) {
      (pack.scenes.size() == 1 ? alone : shared)[scene] += pack.bytes;
    }
  }
  for (std::size_t s = 0; s < scenes.size(); ++s) {
    out += fmt::format("  {:<4}{}{:>9}{:>14}{:>14}{:>14}\n", s + 1,
                       pad(cut(scenes[s].path, 38), 40), group_digits(scenes[s].totals.draws),
                       to_size(scenes[s].totals.bytes), to_size(shared[s]), to_size(alone[s]));
  }
  out += fmt::format(
      "\nWhat belongs together: parts that the very same scenes use, to be packed as "
      "one\n  {:<36}{:>9}{:>11}{:>9}{:>14}\n",
      "used by scenes", "meshes", "materials", "images", "bytes");
  constexpr std::size_t most = 30;
  for (std::size_t p = 0; p < std::min(most, sharing.packs.size()); ++p) {
    const SharedPack& pack = sharing.packs[p];
    std::vector<std::size_t> numbers;
    for (const std::uint32_t scene : pack.scenes) {
      numbers.push_back(scene + std::size_t{1});
    }
    out += fmt::format("  {}{:>9}{:>11}{:>9}{:>14}\n",
                       pad(cut(fmt::format("{}", fmt::join(numbers, ", ")), 36), 36),
                       group_digits(pack.counts[0]), group_digits(pack.counts[1]),
                       group_digits(pack.counts[2]), to_size(pack.bytes));
  }
  if (sharing.packs.size() > most) {
    out += fmt::format("  and {} more; --format json lists all\n", sharing.packs.size() - most);
  }
  return out;
}

std::string print_budgets(const std::vector<BudgetResult>& budgets,
                          const std::vector<TierResult>& tiers) {
  std::string out;
  if (!budgets.empty()) {
    out += "\nBudgets\n";
    for (const BudgetResult& result : budgets) {
      out += print_result(result);
    }
  }
  return tiers.empty() ? out : out + print_tiers(tiers);
}

std::string print_part(const std::string& path,
                       const std::vector<std::string>& where,
                       const std::vector<Figure>& figures,
                       const std::vector<TierResult>& tiers) {
  std::string out = fmt::format("{}, where {}\n", path, fmt::join(where, " and "));
  for (const Figure& figure : figures) {
    out += figure.name == "texture_megabytes"
               ? fmt::format("  {:<20}{:>12.2f}\n", figure.name, figure.value)
               : fmt::format("  {:<20}{:>12}\n", figure.name,
                             group_digits(static_cast<std::uint64_t>(figure.value)));
  }
  return out + print_tiers(tiers);
}

}  // namespace wakuzume::cli
