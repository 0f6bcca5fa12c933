// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include "wakuzume/verify_views.h"

#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <chrono>
#include <future>
#include <map>
#include <set>
#include <tuple>

#include "scene/running.h"
#include "verify/pixel_judge.h"

namespace wakuzume {
namespace {

constexpr std::size_t max_group_faults = 100;
constexpr std::array sources_by_worth{ViewSource::camera, ViewSource::listed, ViewSource::overview,
                                      ViewSource::sample};

/// Wrong pixels, group by group, over all views.
class FaultSums {
 public:
  FaultSums(const DrawnScene& before, const Ledger& ledger) : before_(before) {
    std::map<DrawRef, const std::string*> groups;
    for (const LedgerResult& result : ledger.results) {
      groups[{result.node, result.primitive}] = &result.group;
    }
    for (const LedgerRow& row : ledger.rows) {
      const auto hit = groups.find({row.node, row.primitive});
      group_of_[row.source] = hit == groups.end() ? nullptr : hit->second;
    }
  }

  void add(const JudgedView& view) {
    for (const DrawFault& fault : view.draws) {
      if (view.check.passed) {
        continue;
      }
      const Draw& draw = before_.survey.draws[fault.draw];
      const DrawRef ref{draw.node, draw.primitive};
      const auto hit = group_of_.find(ref);
      const bool grouped = hit != group_of_.end() && hit->second != nullptr;
      // A kept draw stands for itself.
      const std::string name = grouped ? *hit->second : "";
      Sum& sum = sums_[{name, grouped ? no_index : fault.draw}];
      sum.draws[fault.draw] += fault.sum();
      sum.views[view.check.view] += fault.sum();
      for (std::size_t f = 0; f < pixel_fault_count; ++f) {
        sum.faults[f] += fault.pixels[f];
      }
    }
  }

  [[nodiscard]] std::vector<GroupFault> make_list() const {
    std::vector<GroupFault> out;
    std::vector<GroupFault> panes;
    for (const auto& [key, sum] : sums_) {
      const auto by_count = [](const auto& a, const auto& b) { return a.second < b.second; };
      const auto worst = std::max_element(sum.draws.begin(), sum.draws.end(), by_count);
      const auto view = std::max_element(sum.views.begin(), sum.views.end(), by_count);
      const auto fault = std::max_element(sum.faults.begin(), sum.faults.end());
      const Draw& draw = before_.survey.draws[worst->first];
      GroupFault made;
      made.group = key.first;
      made.pixels = sum.faults[0] + sum.faults[1] + sum.faults[2];
      made.draws = static_cast<std::uint32_t>(sum.draws.size());
      made.worst = {draw.node, draw.primitive};
      made.node = make_node_path(before_.scene, draw.node);
      made.fault = static_cast<PixelFault>(fault - sum.faults.begin());
      made.view = view->first;
      // Through a pane shows what is behind it, and that is to blame before the pane.
      (draw.blended ? panes : out).push_back(std::move(made));
    }
    const auto by_pixels = [](const GroupFault& a, const GroupFault& b) {
      return a.pixels > b.pixels;
    };
    std::stable_sort(out.begin(), out.end(), by_pixels);
    std::stable_sort(panes.begin(), panes.end(), by_pixels);
    out.insert(out.end(), panes.begin(), panes.end());
    out.resize(std::min(out.size(), max_group_faults));
    return out;
  }

 private:
  struct Sum {
    std::map<std::uint32_t, std::uint64_t> draws;
    std::map<std::string, std::uint64_t> views;
    std::array<std::uint64_t, pixel_fault_count> faults{};
  };
  const DrawnScene& before_;
  std::map<DrawRef, const std::string*> group_of_;
  std::map<std::pair<std::string, std::uint32_t>, Sum> sums_;
};

/// Of a view that fails, draw by draw.
void add_rejections(const Survey& survey,
                    const JudgedView& view,
                    std::vector<Rejection>& rejected) {
  for (const DrawFault& fault : view.draws) {
    if (fault.to_blame) {
      const Draw& draw = survey.draws[fault.draw];
      const auto color = fault.pixels[static_cast<std::size_t>(PixelFault::color)];
      rejected.push_back({{draw.node, draw.primitive},
                          draw.material,
                          2 * color > fault.sum() ? RejectedFor::look : RejectedFor::shape,
                          fmt::format("{} wrong pixels, {} of them in colour alone, from {}",
                                      fault.sum(), color, view.check.view)});
    }
  }
}

/// Progress over all shots, told with the view that is drawn.
class ViewProgress final : public Observer {
 public:
  ViewProgress(Observer* observer, std::span<const Viewpoint> views)
      : observer_(observer), views_(views) {}

  /// \param shots  that are there, two a view
  /// \return false to stop
  bool begin(std::size_t view, std::size_t shots) {
    shots_ = static_cast<double>(shots);
    stage_ = fmt::format("drawing view {} of {}, {}", view + 1, views_.size(), views_[view].name);
    return advance(stage_, 0);
  }
  bool advance(std::string_view, double done) override {
    return observer_ == nullptr ||
           observer_->advance(stage_, (shots_ + done) / (2 * static_cast<double>(views_.size())));
  }

 private:
  Observer* observer_;
  std::span<const Viewpoint> views_;
  double shots_ = 0;
  std::string stage_;
};

void sort_worst_first(std::vector<ViewCheck>& views) {
  std::sort(views.begin(), views.end(), [](const ViewCheck& a, const ViewCheck& b) {
    return std::tuple(a.passed, -a.differing_share(), a.psnr_db, a.number) <
           std::tuple(b.passed, -b.differing_share(), b.psnr_db, b.number);
  });
}

std::vector<std::size_t> list_from(ViewSource source, std::span<const Viewpoint> views) {
  std::vector<std::size_t> out;
  for (std::size_t v = 0; v < views.size(); ++v) {
    if (views[v].source == source) {
      out.push_back(v);
    }
  }
  return out;
}

/// Those that someone chose first, then those that see most.
std::vector<std::size_t> order_by_worth(std::span<const Viewpoint> views) {
  std::vector<std::size_t> out;
  for (const ViewSource source : sources_by_worth) {
    const std::vector<std::size_t> of_source = list_from(source, views);
    out.insert(out.end(), of_source.begin(), of_source.end());
  }
  return out;
}

/// Draws views and compares them: while one is drawn, the one before it is compared and shown.
class ViewComparer {
 public:
  /// All are borrowed.
  ViewComparer(const DrawnScene& before,
               const DrawnScene& after,
               const Ledger& ledger,
               std::span<const Viewpoint> views,
               const VerifySettings& settings,
               Verdict& verdict,
               ViewAudience* audience,
               const RunControl& run)
      : before_(before),
        after_(after),
        views_(views),
        settings_(settings),
        verdict_(verdict),
        audience_(audience),
        run_(run),
        judge_(before, after, ledger, verdict.reductions, settings),
        faults_(before, ledger),
        progress_(run.observer, views) {}

  /// The time is over; never before a first view.
  [[nodiscard]] bool is_late() const {
    const std::chrono::duration<double> taken = std::chrono::steady_clock::now() - began_;
    return settings_.seconds > 0 && shots_ > 0 && taken.count() > settings_.seconds;
  }

  Result<void> compare(std::size_t v) {
    auto a = draw(before_, v);
    if (!a) {
      return Failure(a.error());
    }
    auto b = draw(after_, v);
    if (!b) {
      return Failure(b.error());
    }
    if (auto taken = take(); !taken) {
      return taken;
    }
    comparing_ = std::async(run_.threads == 1 ? std::launch::deferred : std::launch::async,
                            [this, v, a = std::move(*a), b = std::move(*b)] {
                              JudgedView judged = judge_.judge(views_[v], a, b, run_);
                              judged.check.view = views_[v].name;
                              judged.check.number = static_cast<std::uint32_t>(v);
                              if (audience_ != nullptr) {
                                audience_->show(v, views_[v], a, b, judged.heat);
                              }
                              return judged;
                            });
    return {};
  }

  Result<void> finish() {
    if (auto taken = take(); !taken) {
      return taken;
    }
    verdict_.group_faults = faults_.make_list();
    return {};
  }

 private:
  Result<Shot> draw(const DrawnScene& drawn, std::size_t v) {
    if (!progress_.begin(v, shots_++)) {
      return Failure(make_cancelled());
    }
    ShotRequest request;
    request.measure = audience_ != nullptr ? Measure::facing : Measure::none;
    request.sorting = settings_.sorting;
    request.layers = Layers::sorted;
    request.observer = &progress_;
    return drawn.shots.make_shot(views_[v], request);
  }

  /// Once more without what is blended, where wrong pixels are seen through it.
  Result<void> look_behind_panes(JudgedView& judged) {
    const Viewpoint& view = views_[judged.check.number];
    const ShotRequest request{.blends = Blends::left_out, .observer = &progress_};
    const auto a = before_.shots.make_shot(view, request);
    if (!a) {
      return Failure(a.error());
    }
    const auto b = after_.shots.make_shot(view, request);
    if (!b) {
      return Failure(b.error());
    }
    judge_.look_behind_panes(view, *a, *b, run_, judged);
    return {};
  }

  Result<void> take() {
    if (!comparing_.valid()) {
      return {};
    }
    JudgedView judged = comparing_.get();
    if (!judged.panes.empty()) {
      if (auto looked = look_behind_panes(judged); !looked) {
        return looked;
      }
    }
    faults_.add(judged);
    add_rejections(before_.survey, judged, verdict_.rejected);
    verdict_.passed = verdict_.passed && judged.check.passed;
    verdict_.views.push_back(std::move(judged.check));
    return {};
  }

  const DrawnScene& before_;
  const DrawnScene& after_;
  std::span<const Viewpoint> views_;
  const VerifySettings& settings_;
  Verdict& verdict_;
  ViewAudience* audience_;
  const RunControl& run_;
  PixelJudge judge_;
  FaultSums faults_;
  ViewProgress progress_;
  std::chrono::steady_clock::time_point began_ = std::chrono::steady_clock::now();
  std::size_t shots_ = 0;
  std::future<JudgedView> comparing_;  ///< last, so that what it uses is there until it ends
};

}  // namespace

std::string_view to_string(PixelFault fault) {
  constexpr std::array<std::string_view, pixel_fault_count> words{"color", "other_draw", "moved"};
  return words[static_cast<std::size_t>(fault)];
}

Result<void> verify_views(const DrawnScene& before,
                          const DrawnScene& after,
                          const Ledger& ledger,
                          std::span<const Viewpoint> views,
                          const VerifySettings& settings,
                          Verdict& verdict,
                          ViewAudience* audience,
                          const RunControl& run,
                          std::span<const ViewCheck> known) {
  ViewComparer comparer(before, after, ledger, views, settings, verdict, audience, run);
  if (audience != nullptr) {
    audience->begin(before, after);
  }
  std::size_t left = 0;
  for (const std::size_t v : order_by_worth(views)) {
    const auto same = std::find_if(known.begin(), known.end(),
                                   [&](const ViewCheck& check) { return check.number == v; });
    if (same != known.end()) {
      verdict.passed = verdict.passed && same->passed;
      verdict.views.push_back(*same);
    } else if (comparer.is_late()) {
      ++left;
    } else if (auto compared = comparer.compare(v); !compared) {
      return compared;
    }
  }
  if (auto finished = comparer.finish(); !finished) {
    return finished;
  }
  if (left > 0) {
    verdict.not_checked.push_back(fmt::format("{} of {} views: verify.seconds is {:g}", left,
                                              views.size(), settings.seconds));
  }
  sort_worst_first(verdict.views);
  return {};
}

std::vector<Viewpoint> choose_views(std::span<const Viewpoint> views, std::size_t count) {
  std::set<std::size_t> chosen;
  for (const ViewSource source : sources_by_worth) {
    const std::vector<std::size_t> of_source = list_from(source, views);
    const std::size_t room = std::min(count - chosen.size(), of_source.size());
    for (std::size_t i = 0; i < room; ++i) {
      chosen.insert(of_source[i * of_source.size() / room]);
    }
  }
  std::vector<Viewpoint> out;
  for (const std::size_t v : chosen) {
    out.push_back(views[v]);
  }
  return out;
}

std::vector<Viewpoint> choose_views(std::span<const Viewpoint> views,
                                    std::size_t count,
                                    const Survey& survey) {
  std::vector<Viewpoint> seeing;
  std::copy_if(views.begin(), views.end(), std::back_inserter(seeing), [&](const Viewpoint& view) {
    const Frustum frustum = make_frustum(view);
    return view.source != ViewSource::sample ||
           std::any_of(survey.draws.begin(), survey.draws.end(),
                       [&](const Draw& draw) { return sees_box(frustum, draw.box); });
  });
  return choose_views(seeing, count);
}

}  // namespace wakuzume
