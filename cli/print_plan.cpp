// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include "print_plan.h"

#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <cmath>

#include "print.h"
#include "print_survey.h"
#include "text.h"

namespace wakuzume::cli {
namespace {

constexpr std::size_t top_groups = 12;

std::uint64_t round_to_count(double value) {
  return static_cast<std::uint64_t>(std::llround(std::max(0.0, value)));
}

/// "survey.keep_nodes: triangles>500"
std::string describe_wish(const WishUse& use) {
  return fmt::format("{}: {}{}", use.setting, use.wish, use.value.empty() ? "" : " = " + use.value);
}

std::string print_wishes(const Plan& plan) {
  if (plan.wishes.empty()) {
    return "";
  }
  std::string out = fmt::format("\n{}{:>9}\n", pad("Wishes", 81), "draws");
  for (const WishUse& use : plan.wishes) {
    out +=
        fmt::format("  {}{:>9}\n", pad(cut(describe_wish(use), 78), 79), group_digits(use.draws));
  }
  return out;
}

std::string print_kept(const Plan& plan) {
  std::array<std::uint64_t, keep_reason_count> reasons{};
  std::array<std::uint64_t, stay_rule_count> rules{};
  for (const KeptDraw& kept : plan.kept) {
    ++reasons[static_cast<std::size_t>(kept.reason)];
    if (kept.reason == KeepReason::must_stay) {
      ++rules[static_cast<std::size_t>(kept.rule)];
    }
  }
  std::string out;
  const auto line = [&](std::uint64_t count, const char* why) {
    if (count > 0) {
      out += fmt::format("  {:>9} -> {:<7}  kept: {}\n", group_digits(count), group_digits(count),
                         why);
    }
  };
  for (std::size_t rule = 1; rule < rules.size(); ++rule) {
    line(rules[rule], explain(static_cast<StayRule>(rule)));
  }
  for (std::size_t reason = 1; reason < reasons.size(); ++reason) {
    line(reasons[reason], explain(static_cast<KeepReason>(reason)));
  }
  const auto repeats =
      std::count_if(plan.taken_back.begin(), plan.taken_back.end(),
                    [](const TakenBack& taken) { return taken.from == TakenFrom::repeats; });
  if (repeats > 0) {
    out += fmt::format(
        "  {} taken back from repeats: another's geometry would not show the same; "
        "--why tells\n",
        plural(static_cast<std::uint64_t>(repeats), "draw was", "draws were"));
  }
  return out;
}

/// The groups that save most time in a mean frame.
/// "wear: 0.1 to 0.9", "paint: 0.1 0.2 0.3 to 0.8 0.8 0.3, 2 without"
std::string describe_range(const ValueRange& range) {
  const auto list = [](const std::vector<double>& numbers) {
    std::string out;
    for (const double number : numbers) {
      out += fmt::format("{}{:.4g}", out.empty() ? "" : " ", number);
    }
    return out;
  };
  return fmt::format(
      "{}: {} to {}{}", range.name, list(range.min), list(range.max),
      range.without == 0 ? "" : fmt::format(", {} without", group_digits(range.without)));
}

std::string print_groups(const Scene& scene, const Plan& plan) {
  std::vector<const Group*> order;
  for (const Group& group : plan.groups) {
    order.push_back(&group);
  }
  std::stable_sort(order.begin(), order.end(),
                   [](const Group* a, const Group* b) { return a->saved_us > b->saved_us; });
  if (order.empty()) {
    return "";
  }
  std::string out =
      fmt::format("\n{:<42}{:>10}{:>8}{:>12}{:>11}  {}\n", "Groups, the biggest gains first",
                  "saves us", "draws", "triangles", "stored", "how");
  for (std::size_t g = 0; g < std::min(top_groups, order.size()); ++g) {
    const Group& group = *order[g];
    const bool cluster = group.kind == GroupKind::cluster;
    const std::string how =
        fmt::format("{}{}", cluster ? "merged" : "instances", group.pinned ? ", pinned" : "");
    out += fmt::format("  {}{:>10}{:>8}{:>12}{:>11}  {}\n", pad(cut(group.name, 39), 40),
                       group_digits(round_to_count(group.saved_us)),
                       group_digits(group.members.size()), group_digits(group.triangles),
                       to_size(group.bytes), how);
    for (const ValueRange& range : group.values) {
      out += fmt::format("      {}\n", describe_range(range));
    }
  }
  if (order.size() > top_groups) {
    out += fmt::format("  and {} more; the plan file has all, with their reasons\n",
                       group_digits(order.size() - top_groups));
  }
  const Group& first = *order.front();
  out += fmt::format("  the first begins with {}\n",
                     cut(make_node_path(scene, first.members.front().node), 74));
  return out;
}

std::string print_forecast(const Plan& plan) {
  const Outcome& before = plan.forecast.before;
  const Outcome& after = plan.forecast.after;
  std::string out =
      fmt::format("\n{:<34}{:>14}{:>14}\n",
                  fmt::format("Forecast, {} on \"{}\"", plural(plan.view_count, "view", "views"),
                              cut(plan.profile, 12)),
                  "today", "planned");
  const auto count = [&](const char* name, double a, double b) {
    out += fmt::format("  {:<32}{:>14}{:>14}   {}\n", name, group_digits(round_to_count(a)),
                       group_digits(round_to_count(b)),
                       to_factor(round_to_count(a), round_to_count(b)));
  };
  const auto measure = [&](const char* name, double a, double b) {
    out += fmt::format("  {:<32}{:>14.2f}{:>14.2f}   {}\n", name, a, b,
                       to_factor(round_to_count(1000 * a), round_to_count(1000 * b)));
  };
  if (plan.view_count > 0) {
    measure("milliseconds of a usual frame", before.frame_ms.median, after.frame_ms.median);
    count("draws in a usual view", before.view_draws.median, after.view_draws.median);
    count("triangles in a usual view", before.view_triangles.median, after.view_triangles.median);
    measure("megabytes read in a usual view", before.view_bytes.median / 1e6,
            after.view_bytes.median / 1e6);
    measure("milliseconds of the worst frame", before.frame_ms.worst, after.frame_ms.worst);
    count("draws in the worst view", before.view_draws.worst, after.view_draws.worst);
    count("triangles in the worst view", before.view_triangles.worst, after.view_triangles.worst);
    count("draws, all passes, usual frame", before.frame_draws.median, after.frame_draws.median);
  }
  count("vertices stored", static_cast<double>(before.vertices),
        static_cast<double>(after.vertices));
  out += fmt::format("  {:<32}{:>14}{:>14}   {}\n", "geometry stored", to_size(before.bytes),
                     to_size(after.bytes), to_factor(before.bytes, after.bytes));
  return out;
}

}  // namespace

std::string to_text(const Scene& scene, const Plan& plan) {
  std::array<std::uint64_t, 2> groups{};
  std::array<std::uint64_t, 2> members{};
  for (const Group& group : plan.groups) {
    ++groups[static_cast<std::size_t>(group.kind)];
    members[static_cast<std::size_t>(group.kind)] += group.members.size();
  }
  const std::uint64_t before = plan.forecast.before.draws;
  const std::uint64_t after = plan.forecast.after.draws;
  std::string out = fmt::format("Plan: {} become {} ({})\n", plural(before, "draw", "draws"),
                                group_digits(after), to_factor(before, after));
  const double cell = plan.settings.cell_size_m;
  out +=
      fmt::format("  {:>9} -> {:<7}  merged{}\n", group_digits(members[0]), group_digits(groups[0]),
                  cell > 0 ? fmt::format(", in cells of {:.4g} m", cell) : "");
  out += fmt::format("  {:>9} -> {:<7}  drawn as instances\n", group_digits(members[1]),
                     group_digits(groups[1]));
  return out + print_kept(plan) + print_wishes(plan) + print_groups(scene, plan) +
         print_forecast(plan);
}

std::string to_text(std::span<const Alternative> list, const std::string& profile) {
  std::string out = fmt::format("{}{:>9}{:>9}{:>13}{:>10}{:>11}{:>12}{:>10}\n",
                                pad(cut(fmt::format("On \"{}\"", profile), 25), 26), "usual ms",
                                "draws", "triangles", "MB read", "all draws", "stored", "price ms");
  const auto cheapest =
      std::min_element(list.begin(), list.end(), [](const Alternative& a, const Alternative& b) {
        return a.outcome.price_ms < b.outcome.price_ms;
      });
  for (auto one = list.begin(); one != list.end(); ++one) {
    const Outcome& o = one->outcome;
    out +=
        fmt::format("{}{}{:>9.2f}{:>9}{:>13}{:>10.2f}{:>11}{:>12}{:>10.2f}\n",
                    one == cheapest ? "> " : "  ", pad(cut(one->name, 23), 24), o.frame_ms.median,
                    group_digits(round_to_count(o.view_draws.median)),
                    group_digits(round_to_count(o.view_triangles.median)),
                    o.view_bytes.median / 1e6, group_digits(o.draws), to_size(o.bytes), o.price_ms);
  }
  const double cell = list.empty() ? 0 : list.back().settings.cell_size_m;
  const std::string grid = cell > 0 ? fmt::format(", --cells {:g}", cell) : "";
  return out +
         fmt::format(
             "  draws, triangles and geometry read are of a usual view; price: the mean frame, a\n"
             "  share of the faster of CPU and GPU, and geometry stored, as the profile has it\n"
             "  to have one of the others: --repeats only, --repeats merge{}\n",
             grid);
}

std::string tell_next(const Plan& plan, const Ladder& ladder) {
  // A plan never gets quite down to a rung: clusters stay small enough to be culled.
  constexpr double worth_a_word = 0.9;
  std::string out;
  auto draws = static_cast<double>(plan.forecast.after.draws);
  const auto add = [&](Rung rung, const char* option, const char* what) {
    const RungCount& could = ladder[rung];
    if (static_cast<double>(could.draws) < worth_a_word * draws) {
      out += fmt::format("  {:<28}{:>9} draws at best, {} in a usual view; {}\n",
                         (out.empty() ? "" : "and ") + std::string(option),
                         group_digits(could.draws), group_digits(could.median_draws), what);
      draws = static_cast<double>(could.draws);
    }
  };
  if (!plan.routes.shares()) {
    add(plan.settings.blended == Blended::keep     ? Rung::sharing
        : plan.settings.blended == Blended::proved ? Rung::ordering
                                                   : Rung::blending,
        "--materials fewest_draws", "shares pages and layers");
  }
  if (plan.settings.blended == Blended::keep) {
    add(Rung::ordering, "--blended proved", "merges blends where no order shows");
  }
  if (!plan.lightmaps.joins()) {
    add(Rung::joining, "--lightmaps join", "moves their texels, changes none");
  }
  if (plan.settings.blended != Blended::merge) {
    add(Rung::blending, "--blended merge", "gives up the order of blends");
  }
  return out.empty()
             ? out
             : fmt::format("\nNext, from {} draws and {} in a usual view\n",
                           group_digits(plan.forecast.after.draws),
                           group_digits(round_to_count(plan.forecast.after.view_draws.median))) +
                   out;
}

std::string compare_with_ladder(const Plan& plan, const Ladder& ladder) {
  std::string out = fmt::format("{:<61}{:>10}{:>20}\n", "How far down the ladder that is", "draws",
                                "in a usual view");
  const auto line = [&](const char* mark, const char* name, std::uint64_t draws,
                        std::uint64_t median) {
    out += fmt::format("{:<2}{:<59}{:>10}{:>20}\n", mark, name, group_digits(draws),
                       group_digits(median));
  };
  const Outcome& after = plan.forecast.after;
  bool told = false;
  for (std::size_t r = 0; r < rung_count; ++r) {
    const RungCount& rung = ladder.rungs[r];
    if (!told && rung.draws < after.draws) {
      told = true;
      line(">", "this plan", after.draws, round_to_count(after.view_draws.median));
    }
    if (r == 0 || rung.draws != ladder.rungs[r - 1].draws) {
      line("", explain(static_cast<Rung>(r)), rung.draws, rung.median_draws);
    }
  }
  if (!told) {
    line(">", "this plan", after.draws, round_to_count(after.view_draws.median));
  }
  return out;
}

std::string to_text(const Scene& scene, const Reason& reason) {
  const auto wrap = [](const std::string& text, const std::string& first, const std::string& rest) {
    std::string out;
    std::string line = first;
    std::size_t at = 0;
    bool open = false;
    while (at < text.size()) {
      const std::size_t end = std::min(text.find(' ', at), text.size());
      const std::string word = text.substr(at, end - at);
      if (open && count_characters(line) + 1 + count_characters(word) > page_columns) {
        out += line + "\n";
        line = rest + word;
      } else {
        line += (open ? " " : "") + word;
      }
      open = true;
      at = end + 1;
    }
    return out + line + "\n";
  };
  std::string out = fmt::format(
      "{} primitive {}\n", cut(make_node_path(scene, reason.draw.node), 80), reason.draw.primitive);
  out += wrap(reason.where, "  ", "  ");
  for (const WishUse& use : reason.wishes) {
    out += wrap(fmt::format("wished for by {}", describe_wish(use)), "  - ", "    ");
  }
  for (const std::string& number : reason.numbers) {
    out += wrap(number, "  - ", "    ");
  }
  if (!reason.remedies.empty()) {
    out += "  to have it otherwise:\n";
  }
  for (const std::string& remedy : reason.remedies) {
    out += wrap(remedy, "  * ", "    ");
  }
  return out;
}

}  // namespace wakuzume::cli
