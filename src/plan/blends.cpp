// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include "plan/blends.h"

#include <fmt/format.h>

#include <algorithm>
#include <map>
#include <numeric>

#include "order/draw_triangles.h"
#include "plan/check.h"
#include "scene/matrix.h"
#include "scene/running.h"

namespace wakuzume {
namespace {

/// Items that might be one, by key or by repeat.
struct Lot {
  OrderUnit unit = OrderUnit::triangle;
  std::vector<std::uint32_t> items;
};

class BlendFinder {
 public:
  BlendFinder(const ItemInput& input, Items& items)
      : in_(input), items_(items), orders_(input.scene, input.survey, input.world, input.sight) {}

  bool find(const RunControl& run) {
    const std::vector<Lot> lots = list_lots();
    return for_each_index(lots.size(), run, "ordering",
                          [&](std::size_t l) { find(lots[l], run.threads); });
  }

 private:
  [[nodiscard]] const Draw& draw_of(const Item& item) const {
    return in_.survey[items_.parts_of(item).front()];
  }
  [[nodiscard]] DrawRef ref_of(std::uint32_t item) const {
    const Draw& draw = draw_of(items_.items[item]);
    return {draw.node, draw.primitive};
  }

  std::vector<Lot> list_lots() {
    std::map<std::uint32_t, std::vector<std::uint32_t>> by_key;
    std::map<std::uint32_t, std::vector<std::uint32_t>> by_repeat;
    for (std::uint32_t i = 0; i < items_.items.size(); ++i) {
      Item& item = items_.items[i];
      const Draw& draw = draw_of(item);
      if (!draw.blended) {
        continue;
      }
      if (!may_be_ordered(in_.scene, in_.survey, draw)) {
        item.order_part = no_index;
        item.repeat = no_index;
        continue;
      }
      item.order = item.set_order = BlendOrder::every_eye;
      by_key[item.merge].push_back(i);
      if (item.repeat != no_index) {
        by_repeat[item.repeat].push_back(i);
      }
    }
    std::vector<Lot> lots;
    for (auto& [key, items] : by_key) {
      lots.push_back({OrderUnit::triangle, std::move(items)});
    }
    for (auto& [repeat, items] : by_repeat) {
      lots.push_back({OrderUnit::owner, std::move(items)});
    }
    return lots;
  }

  /// Repeats of one lot have one material, but for a tint.
  [[nodiscard]] bool is_free(const Lot& lot) const {
    std::vector<DrawRef> draws;
    std::transform(lot.items.begin(), lot.items.end(), std::back_inserter(draws),
                   [&](std::uint32_t i) { return ref_of(i); });
    return is_one_color(in_.scene, draws);
  }

  /// Of some that stand near each other no two have an order as instances, as closed bodies have
  /// none. \param triangles  of all
  [[nodiscard]] bool is_hopeless(const Lot& lot,
                                 const std::vector<FacingTriangle>& triangles) const {
    constexpr std::uint32_t sample = 48;
    if (lot.items.size() < 2 * sample) {
      return false;
    }
    std::vector<std::uint32_t> near(lot.items.size());
    std::iota(near.begin(), near.end(), 0U);
    const auto middle = [&](std::uint32_t o) { return items_.items[lot.items[o]].box.centre(); };
    const Vec3d from = middle(0);
    const auto distance = [&](std::uint32_t o) {
      return (as_eigen(middle(o)) - as_eigen(from)).squaredNorm();
    };
    std::nth_element(near.begin(), near.begin() + sample, near.end(),
                     [&](std::uint32_t a, std::uint32_t b) {
                       return std::pair(distance(a), a) < std::pair(distance(b), b);
                     });
    near.resize(sample);
    std::sort(near.begin(), near.end());
    std::vector<FacingTriangle> some;
    for (const FacingTriangle& triangle : triangles) {
      const auto at = std::lower_bound(near.begin(), near.end(), triangle.owner);
      if (at != near.end() && *at == triangle.owner) {
        some.push_back(triangle);
        some.back().owner = static_cast<std::uint32_t>(at - near.begin());
      }
    }
    return find_order_parts(some, sample, {lot.unit, orders_.precision_m()}).count == sample;
  }

  void find(const Lot& lot, std::uint32_t threads) {
    const bool merged = lot.unit == OrderUnit::triangle;
    if (is_free(lot)) {
      for (const std::uint32_t i : lot.items) {
        (merged ? items_.items[i].order : items_.items[i].set_order) = BlendOrder::any;
      }
      return;
    }
    std::vector<DrawId> draws;
    std::transform(lot.items.begin(), lot.items.end(), std::back_inserter(draws),
                   [&](std::uint32_t i) { return items_.parts_of(items_.items[i]).front(); });
    const std::vector<FacingTriangle> triangles = orders_.make_facing(draws);
    if (!merged && is_hopeless(lot, triangles)) {
      for (std::uint32_t o = 0; o < lot.items.size(); ++o) {
        items_.items[lot.items[o]].set_part = o;
      }
      return;
    }
    const RunControl run{threads, nullptr};
    const OrderParts parts =
        merged ? orders_.find_parts(draws, triangles, run)
               : find_order_parts(triangles, static_cast<std::uint32_t>(draws.size()),
                                  {OrderUnit::owner, orders_.precision_m()}, run);
    for (std::uint32_t o = 0; o < lot.items.size(); ++o) {
      Item& item = items_.items[lot.items[o]];
      (merged ? item.order_part : item.set_part) = parts.part_of[o];
    }
  }

  const ItemInput& in_;
  Items& items_;
  BlendOrders orders_;
};

}  // namespace

bool find_blend_parts(const ItemInput& input, const RunControl& run, Items& items) {
  return input.settings.blended != Blended::proved || BlendFinder(input, items).find(run);
}

std::uint32_t count_sides(const Scene& scene, const Draw& draw, const ProposeSettings& settings) {
  const bool both =
      draw.blended && settings.blended == Blended::proved && scene[draw.material].double_sided;
  return both ? 2 : 1;
}

std::vector<DrawId> find_draws(const Survey& survey, std::span<const DrawRef> draws) {
  std::vector<DrawId> out;
  std::transform(draws.begin(), draws.end(), std::back_inserter(out),
                 [&](const DrawRef& ref) { return find_draw(survey, ref); });
  return out;
}

bool order_instances(const BlendOrders& orders, const Survey& survey, Group& group) {
  const std::vector<FacingTriangle> triangles =
      orders.make_facing(find_draws(survey, group.members), group.prototype.size());
  const DrawSequence sequence = find_sequence(triangles, {OrderUnit::owner, orders.precision_m()});
  if (!sequence.found) {
    return false;
  }
  const std::size_t parts = group.prototype.size();
  const std::size_t count = group.instance_count();
  std::vector<std::uint32_t> order;
  std::vector<bool> met(count, false);
  const auto add = [&](std::uint32_t instance) {
    if (!met[instance]) {
      met[instance] = true;
      order.push_back(instance);
    }
  };
  for (const std::uint32_t t : sequence.triangles) {
    add(triangles[t].owner);
  }
  for (std::uint32_t i = 0; i < count; ++i) {
    add(i);
  }
  Group sorted = group;
  for (std::size_t i = 0; i < count; ++i) {
    std::copy_n(group.members.begin() + static_cast<std::ptrdiff_t>(order[i] * parts), parts,
                sorted.members.begin() + static_cast<std::ptrdiff_t>(i * parts));
    if (!group.fits.empty()) {
      sorted.fits[i] = group.fits[order[i]];
    }
  }
  group = std::move(sorted);
  return true;
}

std::string settle_order(const BlendOrders& orders,
                         const Survey& survey,
                         std::size_t places,
                         Group& group) {
  if (group.order == BlendOrder::any) {
    return "blended, but all in one colour: no order shows";
  }
  const std::vector<DrawId> draws = find_draws(survey, group.members);
  const std::vector<FacingTriangle> triangles = orders.make_facing(draws);
  const bool cluster = group.kind == GroupKind::cluster;
  if (cluster && orders.has_eyes() && orders.find_sequence(draws).by_eyes) {
    group.order = BlendOrder::given_eyes;
    return fmt::format(
        "blended in one order that is right from {} places that were looked from: {} triangles, "
        "with "
        "cycles that are seen from none of them",
        places, triangles.size());
  }
  if (lie_in_one_plane(triangles, orders.precision_m())) {
    return "blended, in one plane: none hides another";
  }
  return fmt::format("blended in one order that is right from everywhere: {} {}, no cycle",
                     cluster ? triangles.size() : group.instance_count(),
                     cluster ? "triangles" : "instances");
}

std::string find_order_fault(const Scene& scene,
                             const Survey& survey,
                             const BlendOrders& orders,
                             const Group& group) {
  if (group.order == BlendOrder::any) {
    return is_one_color(scene, group.members) ? "" : "its layers differ, so their order shows";
  }
  const std::vector<DrawId> draws = find_draws(survey, group.members);
  if (group.kind == GroupKind::cluster) {
    const DrawSequence sequence = orders.find_sequence(draws);
    if (!sequence.found) {
      return fmt::format("no order of its triangles is right from everywhere{}",
                         orders.has_eyes() ? ", nor from the eyes of the plan" : "");
    }
    return sequence.by_eyes && group.order == BlendOrder::every_eye
               ? "no order of its triangles is right from everywhere; one is from the eyes of the "
                 "plan, with \"order\": \"given_eyes\""
               : "";
  }
  const std::uint32_t wrong =
      find_misplaced(orders.make_facing(draws, std::max<std::size_t>(1, group.prototype.size())),
                     {OrderUnit::owner, orders.precision_m()});
  return wrong == no_index
             ? ""
             : fmt::format("its instance {} may be hidden by one that is drawn before it", wrong);
}

}  // namespace wakuzume
