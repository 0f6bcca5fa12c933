// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include "plan/view_limit.h"

#include <algorithm>
#include <iterator>
#include <queue>

#include "cost/shadows.h"
#include "scene/running.h"

namespace wakuzume {
namespace {

/// What is halved may be arranged otherwise than in its halves; so a little more is.
constexpr double margin = 1.05;

std::vector<Box3d> list_boxes(const Items& items) {
  std::vector<Box3d> boxes;
  std::transform(items.items.begin(), items.items.end(), std::back_inserter(boxes),
                 [](const Item& item) { return item.box; });
  return boxes;
}

/// One view's way through the groups.
class Halver {
 public:
  Halver(const Items& items,
         const Trees& trees,
         const Arrangement& arrangement,
         std::vector<WeighedFrustum> frusta,
         const CullingBoxes& boxes)
      : items_(items),
        trees_(trees),
        arrangement_(arrangement),
        frusta_(std::move(frusta)),
        seen_(items.items.size(), 0) {
    std::vector<std::uint64_t> words(boxes.word_count());
    for (const WeighedFrustum& frustum : frusta_) {
      boxes.find_seen(frustum.frustum, words);
      for_each_seen(words,
                    [&](std::size_t place) { seen_[boxes.index_at(place)] += frustum.weight; });
    }
  }

  Barred halve(double over_us) {
    add_groups(Grouping::cluster, trees_.by_key);
    add_groups(Grouping::set, trees_.by_repeat);
    double left = margin * over_us / trees_.prices.triangle;
    Barred barred;
    while (left > 0 && !open_.empty()) {
      const Part part = open_.top();
      open_.pop();
      const Forest& forest = forest_of(part.grouping);
      const TreeNode& node = forest.nodes[part.node];
      (part.grouping == Grouping::cluster ? barred.clusters : barred.sets).push_back(part.node);
      left -= part.vain;
      for (const std::uint32_t child : {node.left, node.right()}) {
        left += add_part(part.grouping, child, part.group);
      }
    }
    return barred;
  }

 private:
  struct Part {
    double vain = 0;  ///< triangles that are drawn and not seen
    Grouping grouping = Grouping::cluster;
    std::uint32_t node = 0;
    std::uint32_t group = 0;  ///< the node of the arrangement it is a part of

    bool operator<(const Part& other) const {
      return vain != other.vain ? vain < other.vain : node > other.node;
    }
  };

  [[nodiscard]] const Forest& forest_of(Grouping grouping) const {
    return grouping == Grouping::cluster ? trees_.by_key : trees_.by_repeat;
  }

  void add_groups(Grouping grouping, const Forest& forest) {
    std::vector<std::uint32_t> groups;
    for (const std::uint32_t i : forest.order) {
      if (arrangement_.groupings[i] == grouping) {
        groups.push_back(arrangement_.nodes[i]);
      }
    }
    std::sort(groups.begin(), groups.end());
    groups.erase(std::unique(groups.begin(), groups.end()), groups.end());
    for (const std::uint32_t group : groups) {
      add_part(grouping, group, group);
    }
  }

  /// \return what is drawn in vain
  double add_part(Grouping grouping, std::uint32_t n, std::uint32_t group) {
    const Forest& forest = forest_of(grouping);
    const TreeNode& node = forest.nodes[n];
    Box3d box;
    double triangles = 0;
    double seen = 0;
    std::uint32_t count = 0;
    for (const std::uint32_t i : forest.members(node)) {
      if (arrangement_.groupings[i] == grouping && arrangement_.nodes[i] == group) {
        const auto own = static_cast<double>(items_.items[i].triangles);
        box.include(items_.items[i].box);
        triangles += own;
        seen += own * seen_[i];
        ++count;
      }
    }
    if (count < 2) {
      return 0;
    }
    std::uint32_t times = 0;
    for (const WeighedFrustum& frustum : frusta_) {
      times += sees_box(frustum.frustum, box) ? frustum.weight : 0;
    }
    const double vain = triangles * times - seen;
    if (vain > 0) {
      open_.push({vain, grouping, n, group});
    }
    return std::max(0.0, vain);
  }

  const Items& items_;
  const Trees& trees_;
  const Arrangement& arrangement_;
  std::vector<WeighedFrustum> frusta_;
  std::vector<std::uint32_t> seen_;  ///< by item: frusta, by weight
  std::priority_queue<Part> open_;
};

}  // namespace

ViewLimit::ViewLimit(const Scene& scene,
                     const Items& items,
                     const Trees& trees,
                     const Outlook& outlook,
                     const RunControl& run)
    : scene_(scene),
      items_(items),
      trees_(trees),
      outlook_(outlook),
      boxes_(list_boxes(items), {run.threads, nullptr}) {}

Barred ViewLimit::find_barred(const Arrangement& arrangement,
                              std::span<const double> over_us,
                              const RunControl& run) const {
  std::vector<Barred> of_view(over_us.size());
  for_each_index(over_us.size(), {run.threads, nullptr}, "", [&](std::size_t v) {
    if (over_us[v] > 0) {
      const std::span<const Viewpoint> view(&outlook_.views[v], 1);
      Halver halver(items_, trees_, arrangement, list_frusta(scene_, view, outlook_.profile),
                    boxes_);
      of_view[v] = halver.halve(over_us[v]);
    }
  });
  Barred out;
  for (const Barred& one : of_view) {
    out.clusters.insert(out.clusters.end(), one.clusters.begin(), one.clusters.end());
    out.sets.insert(out.sets.end(), one.sets.begin(), one.sets.end());
  }
  return out;
}

}  // namespace wakuzume
