// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include "plan/forest.h"

#include <algorithm>
#include <array>
#include <limits>

#include "scene/running.h"

namespace wakuzume {
namespace {

constexpr std::size_t bins = 16;

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
            const std::vector<std::uint32_t>& set)
      : boxes_(boxes), weights_(weights) {
    out_.order = set;
    centres_.resize(set.size());
    for (std::size_t i = 0; i < set.size(); ++i) {
      centres_[i] = {boxes[set[i]].empty() ? Vec3d{0, 0, 0} : boxes[set[i]].centre(), set[i]};
    }
  }

  Forest make() {
    out_.nodes.reserve(2 * centres_.size());
    add_node(0, static_cast<std::uint32_t>(centres_.size()));
    // An explicit list instead of recursion: things in one spot make deep trees.
    for (std::size_t n = 0; n < out_.nodes.size(); ++n) {
      if (out_.nodes[n].count > 1) {
        const std::uint32_t first = out_.nodes[n].first;
        const std::uint32_t count = out_.nodes[n].count;
        const std::uint32_t left = split(first, count);
        const std::uint32_t child = add_node(first, left);
        out_.nodes[n].left = child;
        out_.nodes[n].right = add_node(first + left, count - left);
      }
    }
    for (std::size_t i = 0; i < centres_.size(); ++i) {
      out_.order[i] = centres_[i].thing;
    }
    return std::move(out_);
  }

 private:
  struct Centre {
    Vec3d at{};
    std::uint32_t thing = 0;
  };
  /// Bins along an axis.
  struct Axis {
    std::size_t number = 0;
    double low = 0;
    double scale = 0;

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
      node.box.include(boxes_[centres_[i].thing]);
    }
    out_.nodes.push_back(node);
    return static_cast<std::uint32_t>(out_.nodes.size() - 1);
  }

  /// Puts the members of a node into two halves; \return how many are in the first.
  std::uint32_t split(std::uint32_t first, std::uint32_t count) {
    Box3d centres;
    for (std::uint32_t i = first; i < first + count; ++i) {
      centres.include(centres_[i].at);
    }
    Cut best;
    for (std::size_t axis = 0; axis < 3; ++axis) {
      const double low = centres.min[axis];
      const double width = centres.max[axis] - low;
      if (width > 0) {
        const Cut cut = find_cut(first, count, {axis, low, bins / width});
        best = cut.price < best.price ? cut : best;
      }
    }
    if (best.bin > 0) {
      const auto begin = centres_.begin() + first;
      const auto middle = std::stable_partition(begin, begin + count, [&](const Centre& c) {
        return best.axis.find_bin(c.at) < best.bin;
      });
      return static_cast<std::uint32_t>(middle - begin);
    }
    // All in one spot: any halves are as good.
    return count / 2;
  }

  /// The cheapest cut across one axis.
  [[nodiscard]] Cut find_cut(std::uint32_t first, std::uint32_t count, const Axis& axis) const {
    std::array<Bin, bins> filled{};
    for (std::uint32_t i = first; i < first + count; ++i) {
      Bin& bin = filled[axis.find_bin(centres_[i].at)];
      bin.box.include(boxes_[centres_[i].thing]);
      bin.weight += static_cast<double>(weights_[centres_[i].thing]);
      ++bin.count;
    }
    std::array<double, bins> right{};
    Bin sum;
    for (std::size_t b = bins - 1; b > 0; --b) {
      add(sum, filled[b]);
      right[b] = sum.count > 0 ? find_surface(sum.box) * sum.weight
                               : std::numeric_limits<double>::infinity();
    }
    Cut best;
    best.axis = axis;
    sum = Bin{};
    for (std::size_t b = 1; b < bins; ++b) {
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

  std::span<const Box3d> boxes_;
  std::span<const float> weights_;
  std::vector<Centre> centres_;
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
  for (Forest& tree : trees) {
    const auto node_base = static_cast<std::uint32_t>(out.nodes.size());
    const auto order_base = static_cast<std::uint32_t>(out.order.size());
    if (!tree.nodes.empty()) {
      out.roots.push_back(node_base);
    }
    for (TreeNode node : tree.nodes) {
      node.first += order_base;
      if (!node.leaf()) {
        node.left += node_base;
        node.right += node_base;
      }
      out.nodes.push_back(node);
    }
    out.order.insert(out.order.end(), tree.order.begin(), tree.order.end());
  }
  return out;
}

void count_seen(Forest& forest, const SeenGrid& grid, const RunControl& run) {
  for_each_range(forest.nodes.size(), 256, {run.threads, nullptr}, "",
                 [&](std::size_t begin, std::size_t end) {
                   for (std::size_t n = begin; n < end; ++n) {
                     forest.nodes[n].seen = grid.count(forest.nodes[n].box);
                   }
                 });
}

}  // namespace wakuzume
