// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <map>
#include <optional>

#include "cost/shadows.h"
#include "order/draw_triangles.h"
#include "plan/arrange.h"
#include "plan/check.h"
#include "plan/forecast.h"
#include "plan/items.h"
#include "plan/keys.h"
#include "plan/names.h"
#include "survey/parts.h"
#include "survey/wish.h"
#include "wakuzume/apart.h"
#include "wakuzume/revise.h"

namespace wakuzume {
namespace {

constexpr std::size_t max_near = 2;

class Explainer {
 public:
  Explainer(const Scene& scene, const Survey& survey, const Plan& plan, const Outlook& outlook)
      : scene_(scene),
        survey_(survey),
        plan_(plan),
        keys_(make_plan_keys(scene, survey, plan.settings)),
        sizes_(make_shape_sizes(scene, survey)),
        profile_(with_passes(outlook.profile)) {
    views_ = outlook.views.size();
    if (views_ > 0) {
      frusta_ = list_frusta(scene, outlook.views, profile_);
    }
    for (std::size_t g = 0; g < plan.groups.size(); ++g) {
      for (const DrawRef& ref : plan.groups[g].members) {
        group_of_[ref] = g;
      }
    }
    for (const KeptDraw& kept : plan.kept) {
      reason_of_[kept.draw] = kept.reason;
    }
    count_alike();
  }

  Reason explain(const Draw& draw) {
    Reason out;
    out.draw = {draw.node, draw.primitive};
    const auto group = group_of_.find(out.draw);
    if (group != group_of_.end()) {
      explain_member(draw, plan_.groups[group->second], out);
    } else {
      const auto kept = reason_of_.find(out.draw);
      explain_kept(draw, kept == reason_of_.end() ? KeepReason::by_hand : kept->second, out);
    }
    for (const TakenBack& taken : plan_.taken_back) {
      if (taken.draw == out.draw) {
        out.numbers.push_back(
            fmt::format("taken back from {}: {}", to_string(taken.from), taken.why));
      }
    }
    return out;
  }

 private:
  /// Draws that show a shape of the same family, by shape.
  void count_alike() {
    std::transform(sizes_.begin(), sizes_.end(), std::back_inserter(alike_),
                   [](const ShapeSize& size) { return std::uint64_t{size.uses}; });
    for (const PlannedFamily& family : plan_.families) {
      std::vector<DrawRef> shown{family.prototype};
      std::uint64_t draws = family.draws;
      for (const PlannedFamily::Member& member : family.members) {
        shown.push_back(member.draw);
        draws += member.draws;
      }
      for (const DrawRef& ref : shown) {
        const DrawId id = find_draw(survey_, ref);
        if (id != no_draw) {
          alike_[to_index(survey_[id].shape)] = draws;
        }
      }
    }
  }

  /// Microseconds of a mean frame for one draw call of so many triangles in this box.
  double price(const Box3d& box, std::uint64_t triangles, std::uint64_t instances) const {
    double share = views_ == 0 ? 1 : 0;
    for (const WeighedFrustum& through : frusta_) {
      share += sees_box(through.frustum, box)
                   ? static_cast<double>(through.weight) / static_cast<double>(views_)
                   : 0;
    }
    const Prices prices = make_prices(profile_, plan_.settings, views_, 1, 1);
    return share * (prices.draw + prices.instance * static_cast<double>(instances) +
                    prices.triangle * static_cast<double>(triangles));
  }

  [[nodiscard]] Box3d box_of(const Group& group) const {
    Box3d box;
    for (const DrawRef& ref : group.members) {
      box.include(survey_[find_draw(survey_, ref)].box);
    }
    return box;
  }

  void tell_alone(const Draw& draw, Reason& out) const {
    out.numbers.push_back(fmt::format("on its own it takes {} us of a mean frame",
                                      to_short(price(draw.box, draw.triangles, 0))));
  }

  void explain_member(const Draw& draw, const Group& group, Reason& out) {
    const bool cluster = group.kind == GroupKind::cluster;
    out.where =
        fmt::format("{} \"{}\" with {} other draws: {}", cluster ? "merged into" : "an instance in",
                    group.name, group.members.size() - 1, group.reason);
    tell_alone(draw, out);
    out.numbers.push_back(fmt::format(
        "the group takes {} us of a mean frame for all {} draws",
        to_short(price(box_of(group), group.triangles, cluster ? 0 : group.instance_count())),
        group.members.size()));
    tell_family(draw, out);
    if (group.pinned) {
      out.remedies.push_back(
          fmt::format("the group is pinned: --unpin {} lets it be planned "
                      "again",
                      group.name));
    }
    out.remedies.push_back(
        fmt::format("to leave it as it is: --keep '{}'", make_node_path(scene_, draw.node)));
    if (cluster) {
      out.remedies.push_back(
          fmt::format("to draw what repeats in the group as instances: "
                      "--instance {}",
                      group.name));
    } else {
      out.remedies.push_back(fmt::format("to merge the set instead: --merge {}", group.name));
    }
    tell_other_groups(draw, &group, out);
  }

  /// How many draws show the same shape, and what either way of drawing them would take.
  void tell_family(const Draw& draw, Reason& out) const {
    const std::uint64_t alike = alike_[to_index(draw.shape)];
    const double bytes = sizes_[to_index(draw.shape)].bytes;
    out.numbers.push_back(
        alike < 2 ? std::string("no other draw has its shape")
                  : fmt::format("{} draws have its shape: merged each takes {:.3g} KB, as an "
                                "instance 0.04 KB",
                                alike, bytes / 1e3));
  }

  /// Groups it could be moved to: of its key, nearest first.
  void tell_other_groups(const Draw& draw, const Group* own, Reason& out) const {
    std::vector<std::pair<double, const Group*>> near;
    for (const Group& group : plan_.groups) {
      const Draw& first = survey_[find_draw(survey_, group.members.front())];
      if (&group != own && group.kind == GroupKind::cluster &&
          keys_.merge[to_index(first.key)] == keys_.merge[to_index(draw.key)]) {
        near.emplace_back(find_distance(box_of(group), draw.box), &group);
      }
    }
    std::sort(near.begin(), near.end());
    for (std::size_t n = 0; n < std::min(max_near, near.size()); ++n) {
      const Group& group = *near[n].second;
      Box3d both = box_of(group);
      const double apart = price(both, group.triangles, 0) + price(draw.box, draw.triangles, 0);
      both.include(draw.box);
      const double together = price(both, group.triangles + draw.triangles, 0);
      out.remedies.push_back(fmt::format(
          "\"{}\" has its key, {:.3g} m away: together they would take {:.3g} us, apart {:.3g}; "
          "--move '{}'={}",
          group.name, near[n].first, together, apart, make_node_path(scene_, draw.node),
          group.name));
    }
  }

  static double find_distance(const Box3d& a, const Box3d& b) {
    double square = 0;
    for (std::size_t c = 0; c < 3; ++c) {
      const double gap = std::max({0.0, a.min[c] - b.max[c], b.min[c] - a.max[c]});
      square += gap * gap;
    }
    return std::sqrt(square);
  }

  void explain_kept(const Draw& draw, KeepReason reason, Reason& out) {
    tell_alone(draw, out);
    switch (reason) {
      case KeepReason::must_stay:
        return explain_rule(draw, out);
      case KeepReason::blended:
        return explain_blended(draw, out);
      case KeepReason::only_one_of_its_key:
        out.where = fmt::format("kept: nothing else has its merge key ({})",
                                to_string(scene_, survey_[draw.key]));
        tell_family(draw, out);
        return tell_nearest_keys(draw, out);
      case KeepReason::alone_in_its_cell:
        out.where = "kept: its partners are in other cells of the grid";
        out.remedies.emplace_back("larger --cells, or none");
        return tell_other_groups(draw, nullptr, out);
      case KeepReason::above_vertex_limit:
        out.where = fmt::format("kept: it has {} vertices, a cluster may have {}",
                                sizes_[to_index(draw.shape)].vertices, plan_.settings.max_vertices);
        out.remedies.emplace_back("a higher --max-vertices");
        return;
      case KeepReason::not_repeated:
        out.where = "kept: nothing shows the same, and nothing was to be merged";
        out.remedies.emplace_back("--repeats by_cost");
        return tell_family(draw, out);
      case KeepReason::cheaper_alone:
        out.where = "kept: with its nearest partners it would cost more than by itself";
        tell_family(draw, out);
        return tell_other_groups(draw, nullptr, out);
      case KeepReason::taken_back:
        out.where = "kept: merged it was not what it was";
        out.remedies.emplace_back(
            "plan anew, without the earlier plan, after the scene or the tolerances changed");
        return;
      case KeepReason::by_hand:
        out.where = "kept: taken out of the plan by hand";
        out.remedies.push_back(fmt::format("--release '{}'", make_node_path(scene_, draw.node)));
        return;
    }
  }

  /// Engines sort blended draws one by one, and in one draw they need one order.
  void explain_blended(const Draw& draw, Reason& out) const {
    if (plan_.settings.blended == Blended::keep) {
      out.where = "kept: it is blended, and engines sort blended draws one by one";
      out.remedies.emplace_back("--blended proved merges those whose order can't be seen");
      return;
    }
    out.where = "kept: it is blended, and in one draw with others its order would show";
    if (!may_be_ordered(scene_, survey_, draw)) {
      out.numbers.emplace_back(
          "it is of lines or points, or its material has two sides that extensions tell apart");
    } else if (const DrawId rival = find_rival(draw); rival != no_draw) {
      out.numbers.push_back(
          fmt::format("it forms a cycle with {}: of the two and those between "
                      "each can hide the next from some eye",
                      make_node_path(scene_, survey_[rival].node)));
    } else {
      out.numbers.emplace_back(
          "with others of its key views would see it in a wrong order beside what is blended too");
    }
    out.remedies.emplace_back(
        "--blended merge, where it does not matter; or make its material "
        "opaque or masked");
  }

  /// Another of its key without which there would be an order; no_draw: there is one.
  [[nodiscard]] DrawId find_rival(const Draw& wanted) const {
    std::vector<DrawId> draws;
    std::size_t own = 0;
    for (std::size_t d = 0; d < survey_.draws.size(); ++d) {
      const Draw& draw = survey_.draws[d];
      if (keys_.merge[to_index(draw.key)] == keys_.merge[to_index(wanted.key)] &&
          may_be_ordered(scene_, survey_, draw)) {
        own = &draw == &wanted ? draws.size() : own;
        draws.push_back(make_id<DrawId>(d));
      }
    }
    const std::vector<Mat4d> world = make_world_matrices(scene_);
    const BlendOrders orders(scene_, survey_, world, plan_.sight);
    const OrderParts parts = orders.find_parts(draws, orders.make_facing(draws), {});
    return parts.rival[own] == no_index ? no_draw : draws[parts.rival[own]];
  }

  void explain_rule(const Draw& draw, Reason& out) const {
    const Cause cause = draw.cause == no_index ? Cause{} : survey_.causes[draw.cause];
    const std::string at =
        cause.at == no_node || cause.at == draw.node
            ? ""
            : fmt::format(", by its ancestor {}", make_node_path(scene_, cause.at));
    out.where = fmt::format("kept: {}{}: {}", to_string(draw.stay), at, cause.why);
    out.remedies.push_back(moves_with_others(draw.stay)
                               ? "propose.moving_parts = \"merge\" merges it with what moves alike"
                               : "the rules that keep draws are in the settings' [survey] table");
  }

  /// Of the keys near its own, what differs.
  void tell_nearest_keys(const Draw& draw, Reason& out) {
    if (!apart_) {
      apart_ = find_apart(scene_, survey_, {});
    }
    std::size_t told = 0;
    for (const NearKey& near : apart_->nearest) {
      if (near.key == draw.key && told < max_near) {
        std::string parts;
        for (const KeyPart part : near.differing) {
          parts += fmt::format("{}{}", parts.empty() ? "" : ", ", to_string(part));
        }
        out.remedies.push_back(fmt::format("equal {} would let it join \"{}\"", parts,
                                           to_string(scene_, survey_[near.near])));
        ++told;
      }
    }
  }

  const Scene& scene_;
  const Survey& survey_;
  const Plan& plan_;
  PlanKeys keys_;
  std::vector<ShapeSize> sizes_;
  CostProfile profile_;
  std::size_t views_ = 0;
  std::vector<WeighedFrustum> frusta_;
  std::map<DrawRef, std::size_t> group_of_;
  std::map<DrawRef, KeepReason> reason_of_;
  std::vector<std::uint64_t> alike_;
  std::optional<Apart> apart_;
};

/// Which of the plan's wishes speak of each draw.
Result<void> tell_wishes(const Scene& scene,
                         const Survey& survey,
                         const Plan& plan,
                         std::span<const DrawId> draws,
                         std::vector<Reason>& reasons) {
  for (const WishUse& use : plan.wishes) {
    const auto wish = Wish::parse(use.wish);
    if (!wish) {
      return Failure(wish.error());
    }
    const WishOver over =
        use.setting.starts_with("materials.") ? WishOver::materials : WishOver::node_paths;
    const auto hits = find_hits(
        scene, survey, *wish, over,
        use.setting.starts_with("survey.") ? WishReach::with_all_below : WishReach::own, {});
    for (std::size_t d = 0; hits && d < draws.size(); ++d) {
      if ((*hits)[to_index(draws[d])]) {
        reasons[d].wishes.push_back(use);
      }
    }
  }
  return {};
}

}  // namespace

Result<std::vector<Reason>> explain(const Scene& scene,
                                    const Survey& survey,
                                    const Plan& plan,
                                    const std::string& wish,
                                    const Outlook& outlook) {
  const auto draws = find_draws(scene, survey, wish);
  if (!draws) {
    return Failure(draws.error());
  }
  Explainer explainer(scene, survey, plan, outlook);
  std::vector<Reason> out;
  std::transform(draws->begin(), draws->end(), std::back_inserter(out),
                 [&](DrawId draw) { return explainer.explain(survey[draw]); });
  if (auto told = tell_wishes(scene, survey, plan, *draws, out); !told) {
    return Failure(told.error());
  }
  return out;
}

}  // namespace wakuzume
