// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include "plan/assemblies.h"

#include <algorithm>
#include <map>
#include <unordered_map>

#include "plan/items.h"
#include "scene/hasher.h"
#include "scene/matrix.h"
#include "scene/tree.h"

namespace wakuzume {
namespace {

/// A class of subtrees: the same parts in the same places.
struct SubtreeClass {
  std::vector<NodeId> roots;
  std::size_t part_count = 0;
  Eigen::Matrix4d to_first = Eigen::Matrix4d::Identity();  ///< undoes the first part's placement
};

class AssemblyFinder {
 public:
  explicit AssemblyFinder(const ItemInput& input)
      : in_(input),
        first_draw_(input.scene.nodes.size() + 1, 0),
        part_count_(input.scene.nodes.size(), 0),
        class_of_(input.scene.nodes.size(), no_index) {}

  std::vector<Assembly> find() {
    index_draws();
    count_families();
    sort_into_classes();
    weigh();
    return choose();
  }

 private:
  void index_draws() {
    std::size_t d = 0;
    for (std::size_t n = 0; n < in_.scene.nodes.size(); ++n) {
      first_draw_[n] = d;
      while (d < in_.draws.size() && to_index(in_.survey[in_.draws[d]].node) == n) {
        ++d;
      }
    }
    first_draw_.back() = d;
  }

  [[nodiscard]] std::span<const DrawId> own_draws(NodeId node) const {
    const std::size_t n = to_index(node);
    return std::span(in_.draws).subspan(first_draw_[n], first_draw_[n + 1] - first_draw_[n]);
  }

  [[nodiscard]] std::uint32_t family_of(DrawId draw) const {
    return in_.families.members[to_index(in_.survey[draw].shape)].family;
  }
  [[nodiscard]] double bytes_of(DrawId draw) const {
    return in_.sizes[to_index(in_.survey[draw].shape)].bytes;
  }
  [[nodiscard]] std::uint32_t share_of(DrawId draw) const {
    return in_.keys.share[to_index(in_.survey[draw].key)];
  }
  [[nodiscard]] std::uint64_t repeat_of(DrawId draw) const {
    return std::uint64_t{family_of(draw)} << 32U | share_of(draw);
  }

  void count_families() {
    for (const DrawId draw : in_.draws) {
      ++family_uses_[repeat_of(draw)];
    }
  }

  /// Parts of a subtree, the node's own first, then child by child.
  void list_parts(NodeId node, std::vector<DrawId>& out) const {
    const auto own = own_draws(node);
    out.insert(out.end(), own.begin(), own.end());
    for (const NodeId child : in_.scene[node].children) {
      if (part_count_[to_index(child)] > 0) {
        list_parts(child, out);
      }
    }
  }

  void sort_into_classes() {
    const std::vector<NodeId> order = make_tree_order(in_.scene);
    std::vector<ContentHash> hashes(in_.scene.nodes.size());
    std::map<ContentHash, std::vector<NodeId>, LessHash> alike;
    for (auto node = order.rbegin(); node != order.rend(); ++node) {
      hashes[to_index(*node)] = hash_subtree(*node, hashes);
    }
    for (std::size_t n = 0; n < hashes.size(); ++n) {
      if (part_count_[n] > 1) {
        alike[hashes[n]].push_back(make_id<NodeId>(n));
      }
    }
    for (const auto& [hash, nodes] : alike) {
      if (nodes.size() > 1) {
        split_by_places(nodes);
      }
    }
  }

  ContentHash hash_subtree(NodeId node, const std::vector<ContentHash>& hashes) {
    ValueHasher hasher;
    const auto own = own_draws(node);
    hasher.add(own.size());
    for (const DrawId draw : own) {
      hasher.add(repeat_of(draw));
    }
    std::size_t count = own.size();
    for (const NodeId child : in_.scene[node].children) {
      if (part_count_[to_index(child)] > 0) {
        count += part_count_[to_index(child)];
        hasher.add(hashes[to_index(child)]);
      }
    }
    part_count_[to_index(node)] = count;
    return hasher.finish();
  }

  /// Subtrees with the same parts, told apart by where these stand.
  void split_by_places(const std::vector<NodeId>& nodes) {
    std::vector<std::uint32_t> found;
    std::vector<std::vector<DrawId>> prototypes;
    for (const NodeId node : nodes) {
      std::vector<DrawId> parts;
      list_parts(node, parts);
      std::size_t c = 0;
      while (c < found.size() && !same_places(prototypes[c], classes_[found[c]], parts)) {
        ++c;
      }
      if (c == found.size()) {
        found.push_back(static_cast<std::uint32_t>(classes_.size()));
        SubtreeClass made;
        made.part_count = parts.size();
        made.to_first = as_eigen(make_placement(in_, parts.front())).inverse();
        classes_.push_back(std::move(made));
        prototypes.push_back(std::move(parts));
      }
      classes_[found[c]].roots.push_back(node);
      class_of_[to_index(node)] = found[c];
    }
  }

  /// The transform between the first parts takes every other part to its place.
  [[nodiscard]] bool same_places(const std::vector<DrawId>& prototype,
                                 const SubtreeClass& known,
                                 const std::vector<DrawId>& parts) const {
    if (!known.to_first.allFinite()) {
      return false;
    }
    const Eigen::Matrix4d move = as_eigen(make_placement(in_, parts.front())) * known.to_first;
    for (std::size_t p = 1; p < parts.size(); ++p) {
      const Mat4d there = make_placement(in_, prototype[p]);
      const Mat4d here = make_placement(in_, parts[p]);
      const Eigen::Matrix4d error = move * as_eigen(there) - as_eigen(here);
      const Shape& shape = in_.survey[in_.families.prototypes[family_of(parts[p])]];
      const double size = find_diagonal(in_.survey[parts[p]].box);
      if (!(find_largest_move(error, shape.box) <= in_.settings.families.tolerance * size)) {
        return false;
      }
    }
    return true;
  }

  /// What each subtree costs as one assembly and in its parts, bottom up. A repeat's draw and its
  /// bytes are shared by all that show it.
  void weigh() {
    const double draw = in_.profile.draw_us;
    const double byte = in_.profile.geometry_megabyte_us / 1e6;
    const std::vector<NodeId> order = make_tree_order(in_.scene);
    best_.assign(in_.scene.nodes.size(), 0);
    whole_.assign(in_.scene.nodes.size(), false);
    for (auto node = order.rbegin(); node != order.rend(); ++node) {
      const std::size_t n = to_index(*node);
      double parts = 0;
      for (const DrawId id : own_draws(*node)) {
        const std::uint32_t uses = family_uses_.at(repeat_of(id));
        // An instance has its transform; alone it shares what data it has today.
        const double set = draw / uses + byte * static_cast<double>(instance_bytes);
        parts += byte * bytes_of(id) / uses + (uses > 1 ? std::min(set, draw) : draw);
      }
      for (const NodeId child : in_.scene[*node].children) {
        parts += best_[to_index(child)];
      }
      best_[n] = parts;
      const std::uint32_t c = class_of_[n];
      if (c != no_index && classes_[c].roots.size() >= in_.settings.min_instances) {
        const double whole = weigh_whole(*node, classes_[c].roots.size());
        whole_[n] = whole <= parts;
        best_[n] = std::min(parts, whole);
      }
    }
  }

  [[nodiscard]] double weigh_whole(NodeId node, std::size_t occurrences) const {
    std::vector<DrawId> parts;
    list_parts(node, parts);
    std::vector<std::uint32_t> keys;
    double bytes = 0;
    for (const DrawId id : parts) {
      keys.push_back(share_of(id));
      bytes += bytes_of(id);
    }
    std::sort(keys.begin(), keys.end());
    keys.erase(std::unique(keys.begin(), keys.end()), keys.end());
    const double byte = in_.profile.geometry_megabyte_us / 1e6;
    const auto sets = static_cast<double>(keys.size());
    return (sets * in_.profile.draw_us + byte * bytes) / static_cast<double>(occurrences) +
           sets * byte * static_cast<double>(instance_bytes);
  }

  /// From the roots down, the first that pays as a whole.
  std::vector<Assembly> choose() {
    std::vector<std::vector<NodeId>> chosen(classes_.size());
    std::vector<bool> inside(in_.scene.nodes.size(), false);
    for (const NodeId node : make_tree_order(in_.scene)) {
      const std::size_t n = to_index(node);
      const NodeId parent = in_.scene[node].parent;
      inside[n] = parent != no_node && inside[to_index(parent)];
      if (!inside[n] && whole_[n]) {
        inside[n] = true;
        chosen[class_of_[n]].push_back(node);
      }
    }
    std::vector<Assembly> out;
    for (std::size_t c = 0; c < chosen.size(); ++c) {
      if (chosen[c].size() < in_.settings.min_instances) {
        continue;
      }
      Assembly assembly;
      std::sort(chosen[c].begin(), chosen[c].end());
      assembly.roots = std::move(chosen[c]);
      assembly.part_count = classes_[c].part_count;
      for (const NodeId root : assembly.roots) {
        list_parts(root, assembly.parts);
      }
      out.push_back(std::move(assembly));
    }
    return out;
  }

  const ItemInput& in_;
  std::vector<std::size_t> first_draw_;  ///< by node; positions in the list of draws
  std::vector<std::size_t> part_count_;  ///< by node; of its subtree
  std::vector<std::uint32_t> class_of_;  ///< by node
  std::vector<SubtreeClass> classes_;
  std::unordered_map<std::uint64_t, std::uint32_t> family_uses_;  // looked up only, never walked
  std::vector<double> best_;
  std::vector<bool> whole_;
};

}  // namespace

std::vector<Assembly> find_assemblies(const ItemInput& input) {
  return AssemblyFinder(input).find();
}

}  // namespace wakuzume
