// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include "wakuzume/report.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <map>

#include "files/uri.h"
#include "json/out.h"
#include "pictures/image_type.h"
#include "report/assets.h"
#include "report/text.h"
#include "wakuzume/version.h"
#include "wakuzume/words.h"

namespace wakuzume {
namespace {

constexpr std::size_t most_trouble = 8;

std::string to_uri(const Bytes& picture) {
  return picture.size() == 0 ? "" : make_data_uri(find_image_type(picture), picture);
}

/// Replaces each @@name@@ of the page; what is put in is not looked at again.
std::string fill(std::string_view page,
                 const std::map<std::string_view, std::string_view>& values) {
  std::string out;
  while (true) {
    const std::size_t begin = page.find("@@");
    const std::size_t end = begin == std::string_view::npos ? begin : page.find("@@", begin + 2);
    if (end == std::string_view::npos) {
      return out.append(page);
    }
    out.append(page.substr(0, begin)).append(values.at(page.substr(begin + 2, end - begin - 2)));
    page.remove_prefix(end + 2);
  }
}

class DataMaker {
 public:
  explicit DataMaker(const ReportInput& input) : in_(input) {
    for (const GroupFault& fault : input.verdict.group_faults) {
      wrong_[fault.group] += fault.pixels;
    }
  }

  std::string make() {
    out_.begin_object();
    out_.member("name", in_.name);
    out_.member("version", WAKUZUME_VERSION);
    add_totals("before", in_.verdict.before);
    add_totals("after", in_.verdict.after);
    add_verdict();
    add_figures();
    add_ladder();
    add_views();
    add_poses();
    add_view_rows();
    add_groups();
    add_kept();
    add_materials();
    add_reductions();
    add_lightmaps();
    add_findings();
    add_budgets();
    out_.begin_array("timings");
    for (const auto& [step, seconds] : in_.timings_s) {
      add_row(step, seconds);
    }
    out_.end_array();
    out_.end_object();
    std::string json = out_.take();
    // Only texts hold this sign, where JSON has another way to write it; markup then can't begin.
    std::string safe;
    safe.reserve(json.size());
    for (const char c : json) {
      safe += c == '<' ? std::string("\\u003c") : std::string(1, c);
    }
    return safe;
  }

 private:
  template <class... Cells>
  void add_row(const Cells&... cells) {
    out_.begin_array();
    (out_.value(cells), ...);
    out_.end_array();
  }

  void add_totals(const char* name, const Totals& totals) {
    out_.begin_object(name);
    out_.member("draws", totals.draws);
    out_.end_object();
  }

  [[nodiscard]] std::vector<std::string> list_trouble() const {
    const Verdict& verdict = in_.verdict;
    std::vector<std::string> out;
    for (const Mismatch& mismatch : verdict.mismatches) {
      const std::string where = mismatch.path.empty() ? "" : mismatch.path + ": ";
      out.push_back(where + mismatch.what);
    }
    for (const GroupFault& fault : verdict.group_faults) {
      out.push_back(fmt::format("{}{}: {} pixels {}, most of them from {}",
                                fault.group.empty() ? "kept " : "group " + fault.group + ", ",
                                fault.node, fault.pixels, explain(fault.fault), fault.view));
    }
    for (const BudgetResult& budget : verdict.budgets) {
      if (!budget.passed()) {
        out.push_back(fmt::format("budget {}: {:g}, at most {:g}", budget.budget.figure,
                                  budget.value, budget.budget.limit));
      }
    }
    return shorten(std::move(out));
  }

  /// What was taken back before the proof passed, or did not.
  [[nodiscard]] std::vector<std::string> list_mends() const {
    std::vector<std::string> out;
    for (const Mend& mend : in_.verdict.mends) {
      out.push_back(fmt::format("{}: {} ({})", mend.what, mend.became, mend.why));
    }
    return shorten(std::move(out));
  }

  static std::vector<std::string> shorten(std::vector<std::string> lines) {
    if (lines.size() > most_trouble) {
      const std::size_t left = lines.size() - most_trouble;
      lines.resize(most_trouble);
      lines.push_back(fmt::format("and {} more; the verdict as JSON has all", left));
    }
    return lines;
  }

  void add_verdict() {
    const Verdict& verdict = in_.verdict;
    const auto same = std::count_if(verdict.views.begin(), verdict.views.end(),
                                    [](const ViewCheck& v) { return v.passed; });
    std::string summary = verdict.mismatch_count == 0
                              ? fmt::format("All {} triangles {}are there exactly once.",
                                            group_digits(verdict.triangles_checked),
                                            verdict.reductions.empty() ? "" : "that were to stay ")
                              : fmt::format("{} things do not match.", verdict.mismatch_count);
    if (!verdict.views.empty()) {
      summary += fmt::format(
          " {} of {} views {}.", same, verdict.views.size(),
          verdict.reductions.empty() ? "look the same" : "show no more than meshes lie off");
    }
    out_.begin_object("verdict");
    out_.member("passed", verdict.passed);
    out_.member("summary", summary);
    out_.member("drawn_by", verdict.drawn_by);
    out_.member("trouble", list_trouble());
    out_.member("mended", list_mends());
    out_.member("not_checked", verdict.not_checked);
    out_.end_object();
  }

  /// Name, before, after, how it is written, and whether less is good.
  void add_figures() {
    const Totals& before = in_.verdict.before;
    const Totals& after = in_.verdict.after;
    const Forecast& forecast = in_.plan.forecast;
    out_.begin_array("figures");
    add_row("usual view, draws", forecast.before.view_draws.median,
            forecast.after.view_draws.median, "number", true);
    add_row("worst view, draws", forecast.before.view_draws.worst, forecast.after.view_draws.worst,
            "number", true);
    add_row("usual frame, ms", forecast.before.frame_ms.median, forecast.after.frame_ms.median,
            "number", true);
    add_row("materials", before.materials, after.materials, "number", true);
    add_row("triangles", before.triangles, after.triangles, "number", true);
    add_row("usual view, triangles", forecast.before.view_triangles.median,
            forecast.after.view_triangles.median, "number", true);
    add_row("images", before.images, after.images, "number", true);
    add_row("nodes", before.nodes, after.nodes, "number", true);
    add_row("file", before.bytes, after.bytes, "bytes", true);
    out_.end_array();
  }

  void add_ladder() {
    out_.begin_array("ladder");
    for (std::size_t r = 0; r < rung_count; ++r) {
      const RungCount& count = in_.assessment.ladder.rungs[r];
      add_row(std::string(to_string(static_cast<Rung>(r))), count.draws, count.median_draws);
    }
    add_row("this result", in_.verdict.after.draws,
            static_cast<std::uint64_t>(in_.plan.forecast.after.view_draws.median));
    out_.end_array();
  }

  void add_views() {
    std::map<std::size_t, const ReportView*> pictures;
    for (const ReportView& view : in_.views) {
      if (view.pose.empty()) {
        pictures[view.number] = &view;
      }
    }
    out_.begin_array("views");
    for (const ViewCheck& check : in_.verdict.views) {
      const auto hit = pictures.find(check.number);
      if (hit == pictures.end()) {
        continue;
      }
      out_.begin_object();
      out_.member("name", check.view);
      out_.member("passed", check.passed);
      out_.member("width", check.width_px);
      out_.member("height", check.height_px);
      out_.member("differing", check.differing);
      out_.member("psnr", check.psnr_db);
      out_.member("likeness", check.likeness);
      out_.member("draws_before", check.before.draws);
      out_.member("draws_after", check.after.draws);
      out_.member("submit_before", check.before.submit_ms);
      out_.member("submit_after", check.after.submit_ms);
      out_.member("frame_before", check.frame_ms_before);
      out_.member("frame_after", check.frame_ms_after);
      out_.member("shaded_before", to_uri(hit->second->shaded_before));
      out_.member("shaded_after", to_uri(hit->second->shaded_after));
      out_.member("draws_before_picture", to_uri(hit->second->draws_before));
      out_.member("draws_after_picture", to_uri(hit->second->draws_after));
      out_.member("heat", to_uri(hit->second->heat));
      out_.member("triangles_before", check.before.triangles);
      out_.member("triangles_after", check.after.triangles);
      if (hit->second->wires_before.size() > 0) {
        out_.member("wires_before_picture", to_uri(hit->second->wires_before));
        out_.member("wires_after_picture", to_uri(hit->second->wires_after));
      }
      out_.end_object();
    }
    out_.end_array();
  }

  /// In the order of their moments.
  void add_poses() {
    std::map<std::size_t, const ReportView*> pictures;
    for (const ReportView& view : in_.views) {
      if (!view.pose.empty()) {
        pictures[view.number] = &view;
      }
    }
    out_.member("poses_compared", in_.verdict.poses);
    out_.member("places_in_motion", in_.verdict.places_in_motion);
    out_.member("motion_error_m", in_.verdict.largest_motion_error_m);
    out_.begin_array("poses");
    for (const auto& [number, view] : pictures) {
      const auto check = std::find_if(
          in_.verdict.posed_views.begin(), in_.verdict.posed_views.end(),
          [wanted = number](const ViewCheck& posed) { return posed.number == wanted; });
      if (check == in_.verdict.posed_views.end()) {
        continue;
      }
      out_.begin_object();
      out_.member("name", view->pose);
      out_.member("passed", check->passed);
      out_.member("differing", check->differing);
      out_.member("psnr", check->psnr_db);
      out_.member("draws_before", check->before.draws);
      out_.member("draws_after", check->after.draws);
      out_.member("before", to_uri(view->shaded_before));
      out_.member("after", to_uri(view->shaded_after));
      out_.end_object();
    }
    out_.end_array();
  }

  void add_view_rows() {
    const std::vector<ViewCheck>& views = in_.verdict.views;
    const std::vector<std::string> passes =
        views.empty() ? std::vector<std::string>() : views.front().passes;
    out_.begin_array("view_columns");
    add_row("view", "text");
    add_row("", "mark");
    add_row("wrong px", "number");
    add_row("dB", "number");
    add_row("mean error", "fine");
    add_row("likeness", "fine");
    for (const std::string& pass : passes) {
      add_row(pass + ", draws", "pair");
    }
    add_row("triangles", "pair");
    out_.end_array();
    out_.begin_array("view_rows");
    for (const ViewCheck& check : views) {
      out_.begin_array();
      out_.value(check.view);
      out_.value(check.passed ? "passes" : "differs");
      out_.value(check.differing);
      out_.value(check.psnr_db);
      out_.value(check.mean_error);
      out_.value(check.likeness);
      for (std::size_t p = 0; p < passes.size(); ++p) {
        add_row(check.pass_draws_before[p], check.pass_draws_after[p]);
      }
      add_row(check.before.triangles, check.after.triangles);
      out_.end_array();
    }
    out_.end_array();
  }

  void add_groups() {
    out_.begin_array("groups");
    for (const Group& group : in_.plan.groups) {
      const auto wrong = wrong_.find(group.name);
      add_row(group.name, std::string(to_string(group.kind)), name_of(in_.scene, group.material),
              static_cast<std::uint64_t>(group.members.size()), group.triangles, group.bytes,
              std::round(group.saved_us), wrong == wrong_.end() ? std::uint64_t{0} : wrong->second,
              group.reason);
    }
    out_.end_array();
  }

  void add_kept() {
    struct Row {
      std::uint64_t draws = 0;
      DrawRef first;
    };
    std::map<std::pair<KeepReason, StayRule>, Row> rows;
    for (const KeptDraw& kept : in_.plan.kept) {
      Row& row = rows[{kept.reason, kept.rule}];
      row.first = row.draws == 0 ? kept.draw : row.first;
      ++row.draws;
    }
    out_.begin_array("kept");
    for (const auto& [key, row] : rows) {
      const auto& [reason, rule] = key;
      add_row(row.draws,
              std::string(reason == KeepReason::must_stay ? explain(rule) : explain(reason)),
              make_node_path(in_.scene, row.first.node));
    }
    out_.end_array();
  }

  void add_materials() {
    const RoutePlan& routes = in_.plan.routes;
    out_.begin_array("materials");
    for (const MaterialRoute& route : routes.routes) {
      const std::string to = route.page != no_index      ? routes.pages[route.page].name
                             : route.stack != no_index   ? routes.stacks[route.stack].name
                             : route.onto != no_material ? name_of(in_.scene, route.onto)
                                                         : "";
      out_.begin_array();
      out_.value(name_of(in_.scene, route.material));
      out_.value(to_string(route.route));
      out_.value(route.draws);
      for (const double density : {route.texels_per_metre, route.texels_per_metre_after}) {
        if (density > 0) {
          out_.value(std::round(density));
        } else {
          out_.writer().Null();
        }
      }
      out_.value(to);
      out_.value(route.reason);
      out_.end_array();
    }
    out_.end_array();
    out_.begin_array("pages");
    for (const ReportSheet& sheet : in_.sheets) {
      out_.begin_object();
      out_.member("name", sheet.name);
      out_.member("about", sheet.about);
      out_.member("picture", to_uri(sheet.picture));
      out_.end_object();
    }
    out_.end_array();
  }

  /// Pages as they were and as they are, and the rectangles that went from there to here.
  void add_reductions() {
    if (in_.verdict.reductions.empty()) {
      return;
    }
    out_.begin_array("reductions");
    for (const ReductionCheck& check : in_.verdict.reductions) {
      out_.begin_array();
      out_.value(check.name);
      out_.value(check.draws);
      out_.value(std::array{check.triangles_before, check.triangles});
      for (const double figure : {check.farthest_m * 1e3, check.farthest_px, check.mean_m * 1e3,
                                  check.turned_deg, check.texture}) {
        out_.value(figure);
      }
      out_.end_array();
    }
    out_.end_array();
  }

  void add_lightmaps() {
    const LightmapPlan& plan = in_.ledger.lightmaps;
    const auto add_pages = [&](const char* key, const auto& pages,
                               const std::vector<Bytes>& shown) {
      out_.begin_array(key);
      for (std::size_t p = 0; p < pages.size(); ++p) {
        add_row(pages[p].name, pages[p].size.width_px, pages[p].size.height_px,
                p < shown.size() && shown[p].size() > 0 ? to_uri(shown[p]) : std::string());
      }
      out_.end_array();
    };
    out_.begin_object("lightmaps");
    add_pages("pages", plan.pages, in_.lightmaps.pages);
    add_pages("joined", plan.joined, in_.lightmaps.joined);
    out_.begin_array("moves");
    for (const LightmapMove& move : plan.moves) {
      const auto px = [](std::int64_t value) { return static_cast<double>(value); };
      add_row(move.from, px(move.rect.x), px(move.rect.y), px(move.rect.width),
              px(move.rect.height), move.to, move.x, move.y,
              static_cast<std::uint64_t>(move.draws.size()));
    }
    out_.end_array();
    out_.begin_array("left");
    for (const std::string& why : plan.left_as) {
      out_.value(why);
    }
    out_.end_array();
    out_.end_object();
  }

  void add_findings() {
    out_.begin_array("findings");
    for (const Finding& finding : in_.assessment.findings) {
      add_row(std::string(to_string(finding.severity)), std::string(to_string(finding.code)),
              finding.subject, finding.what, finding.remedy,
              static_cast<std::uint64_t>(finding.draws.size()), finding.byte_cost);
    }
    out_.end_array();
  }

  void add_budgets() {
    out_.begin_array("budgets");
    const auto add = [&](const std::string& tier, const BudgetResult& result) {
      add_row(tier, result.budget.figure, result.value, result.budget.limit,
              result.passed() ? "passes" : "fails");
    };
    for (const BudgetResult& result : in_.verdict.budgets) {
      add("", result);
    }
    for (const TierResult& tier : in_.verdict.tiers) {
      for (const BudgetResult& result : tier.results) {
        add(tier.name, result);
      }
    }
    out_.end_array();
  }

  const ReportInput& in_;
  JsonOut out_;
  std::map<std::string, std::uint64_t> wrong_;  ///< pixels, by group
};

}  // namespace

std::string make_report(const ReportInput& input) {
  const std::string data = DataMaker(input).make();
  return fill(assets::page_html(), {{"style", assets::page_style()},
                                    {"chart", assets::chart_script()},
                                    {"script", assets::page_script()},
                                    {"data", data}});
}

std::string make_report(const std::string& name,
                        const JobResult& job,
                        std::vector<ReportView> views,
                        const LightmapTools& tools) {
  const Ledger& ledger = job.built.ledger;
  return make_report({.name = name,
                      .scene = job.source.source.scene,
                      .survey = job.source.survey,
                      .assessment = job.assessment,
                      .plan = job.plan,
                      .ledger = ledger,
                      .result = job.after,
                      .verdict = job.verdict,
                      .views = std::move(views),
                      .sheets = make_sheets(job.after, ledger, tools.codec),
                      .lightmaps = make_lightmap_pictures(job, tools),
                      .timings_s = job.timings_s});
}

}  // namespace wakuzume
