// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include "plan/forest.h"

#include <algorithm>
#include <array>
#include <limits>

#include "scene/running.h"

namespace wakuzume {
namespace {

constexpr std::size_t most_bins = 16;

double find_surface(const Box3d& box) {
  if (box.empty()) {
    return 0;
  }
  const double x = box.max[0] - box.min[0];
  const double y = box.max[1] - box.min[1];
  const double z = box.max[2] - box.min[2];
  // Edges count a little, so that flat and straight arrangements are told apart too.
  return x * y + y * z + z * x + 1e-3 * (x + y + z);
}

class TreeMaker {
 public:
  TreeMaker(std::span<const Box3d> boxes,
            std::span<const float> weights,
            const std::vector<std::uint32_t>& set) {
    things_.resize(set.size());
    for (std::size_t i = 0; i < set.size(); ++i) {
      const Box3d& box = boxes[set[i]];
      things_[i] = {box, box.empty() ? Vec3d{0, 0, 0} : box.centre(),
                    static_cast<double>(weights[set[i]]), set[i]};
    }
  }

  Forest make() {
    out_.nodes.reserve(2 * things_.size());
    add_node(0, static_cast<std::uint32_t>(things_.size()));
    // An explicit list instead of recursion: things in one spot make deep trees.
    for (std::size_t n = 0; n < out_.nodes.size(); ++n) {
      if (out_.nodes[n].count > 1) {
        const std::uint32_t first = out_.nodes[n].first;
        const std::uint32_t count = out_.nodes[n].count;
        const std::uint32_t left = split(first, count);
        const std::uint32_t child = add_node(first, left);
        out_.nodes[n].left = child;
        add_node(first + left, count - left);
      }
    }
    out_.order.reserve(things_.size());
    for (const Thing& thing : things_) {
      out_.order.push_back(thing.number);
    }
    return std::move(out_);
  }

 private:
  struct Thing {
    Box3d box;
    Vec3d centre{};
    double weight = 0;
    std::uint32_t number = 0;
  };
  /// Bins along an axis.
  struct Axis {
    std::size_t number = 0;
    double low = 0;
    double scale = 0;
    std::size_t bins = most_bins;

    [[nodiscard]] std::size_t find_bin(const Vec3d& at) const {
      return std::min(bins - 1, static_cast<std::size_t>((at[number] - low) * scale));
    }
  };
  struct Cut {
    double price = std::numeric_limits<double>::infinity();
    Axis axis;
    std::size_t bin = 0;  ///< the first of the second half; 0: none
  };
  struct Bin {
    Box3d box;
    double weight = 0;
    std::uint32_t count = 0;
  };

  std::uint32_t add_node(std::uint32_t first, std::uint32_t count) {
    TreeNode node;
    node.first = first;
    node.count = count;
    for (std::uint32_t i = first; i < first + count; ++i) {
      node.box.include(things_[i].box);
    }
    out_.nodes.push_back(node);
    return static_cast<std::uint32_t>(out_.nodes.size() - 1);
  }

  /// Puts the members of a node into two halves; \return how many are in the first.
  std::uint32_t split(std::uint32_t first, std::uint32_t count) {
    if (count == 2) {
      return 1;
    }
    Box3d centres;
    for (std::uint32_t i = first; i < first + count; ++i) {
      centres.include(things_[i].centre);
    }
    // As many bins as there are things tell these apart, unless they crowd.
    const std::size_t bins = std::min<std::size_t>(most_bins, std::size_t{2} * count);
    Cut best;
    for (std::size_t axis = 0; axis < 3; ++axis) {
      const double low = centres.min[axis];
      const double width = centres.max[axis] - low;
      if (width > 0) {
        const Cut cut =
            find_cut(first, count, {axis, low, static_cast<double>(bins) / width, bins});
        best = cut.price < best.price ? cut : best;
      }
    }
    if (best.bin > 0) {
      const auto begin = things_.begin() + first;
      const auto middle = std::partition(begin, begin + count, [&](const Thing& thing) {
        return best.axis.find_bin(thing.centre) < best.bin;
      });
      return static_cast<std::uint32_t>(middle - begin);
    }
    // All in one spot: any halves are as good.
    return count / 2;
  }

  /// The cheapest cut across one axis.
  [[nodiscard]] Cut find_cut(std::uint32_t first, std::uint32_t count, const Axis& axis) const {
    std::array<Bin, most_bins> filled;
    std::fill_n(filled.begin(), axis.bins, Bin{});
    for (std::uint32_t i = first; i < first + count; ++i) {
      Bin& bin = filled[axis.find_bin(things_[i].centre)];
      bin.box.include(things_[i].box);
      bin.weight += things_[i].weight;
      ++bin.count;
    }
    std::array<double, most_bins> right;
    Bin sum;
    for (std::size_t b = axis.bins - 1; b > 0; --b) {
      add(sum, filled[b]);
      right[b] = sum.count > 0 ? find_surface(sum.box) * sum.weight
                               : std::numeric_limits<double>::infinity();
    }
    Cut best;
    best.axis = axis;
    sum = Bin{};
    for (std::size_t b = 1; b < axis.bins; ++b) {
      add(sum, filled[b - 1]);
      const double cost = find_surface(sum.box) * sum.weight + right[b];
      if (sum.count > 0 && cost < best.price) {
        best.price = cost;
        best.bin = b;
      }
    }
    return best;
  }

  static void add(Bin& sum, const Bin& bin) {
    sum.box.include(bin.box);
    sum.weight += bin.weight;
    sum.count += bin.count;
  }

  std::vector<Thing> things_;
  Forest out_;
};

}  // namespace

Forest make_forest(std::span<const Box3d> boxes,
                   std::span<const float> weights,
                   const std::vector<std::vector<std::uint32_t>>& sets,
                   const RunControl& run) {
  std::vector<Forest> trees(sets.size());
  const RunControl quiet{run.threads, nullptr};
  for_each_index(sets.size(), quiet, "", [&](std::size_t s) {
    if (!sets[s].empty()) {
      trees[s] = TreeMaker(boxes, weights, sets[s]).make();
    }
  });
  Forest out;
  std::vector<std::uint32_t> node_bases;
  std::vector<std::uint32_t> order_bases;
  std::size_t nodes = 0;
  std::size_t things = 0;
  for (const Forest& tree : trees) {
    if (!tree.nodes.empty()) {
      out.roots.push_back(static_cast<std::uint32_t>(nodes));
    }
    node_bases.push_back(static_cast<std::uint32_t>(nodes));
    order_bases.push_back(static_cast<std::uint32_t>(things));
    nodes += tree.nodes.size();
    things += tree.order.size();
  }
  out.nodes.resize(nodes);
  out.order.resize(things);
  for_each_index(trees.size(), quiet, "", [&](std::size_t t) {
    Forest& tree = trees[t];
    for (std::size_t n = 0; n < tree.nodes.size(); ++n) {
      TreeNode& node = out.nodes[node_bases[t] + n];
      node = tree.nodes[n];
      node.first += order_bases[t];
      node.left += node.leaf() ? 0 : node_bases[t];
    }
    std::copy(tree.order.begin(), tree.order.end(), out.order.begin() + order_bases[t]);
    tree = {};
  });
  return out;
}

void count_seen(Forest& forest,
                const SeenGrid& grid,
                std::span<const std::uint32_t> known,
                const RunControl& run) {
  for_each_range(forest.nodes.size(), 256, {run.threads, nullptr}, "",
                 [&](std::size_t begin, std::size_t end) {
                   for (std::size_t n = begin; n < end; ++n) {
                     TreeNode& node = forest.nodes[n];
                     const std::uint32_t seen =
                         node.leaf() ? known[forest.order[node.first]] : no_index;
                     node.seen = seen != no_index ? seen : grid.count(node.box);
                   }
                 });
  for (std::size_t n = forest.nodes.size(); n-- > 0;) {
    TreeNode& node = forest.nodes[n];
    if (!node.leaf()) {
      node.seen =
          std::max({node.seen, forest.nodes[node.left].seen, forest.nodes[node.right()].seen});
    }
  }
}

}  // namespace wakuzume
