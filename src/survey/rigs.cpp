// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include "survey/rigs.h"

#include <fmt/format.h>

#include <algorithm>
#include <map>
#include <numeric>
#include <optional>
#include <set>

#include "scene/elements.h"
#include "scene/hasher.h"
#include "scene/matrix.h"

namespace wakuzume {
namespace {

/// Sets that join.
class Unions {
 public:
  explicit Unions(std::size_t count) : parent_(count) {
    std::iota(parent_.begin(), parent_.end(), std::size_t{0});
  }
  std::size_t find(std::size_t i) {
    while (parent_[i] != i) {
      i = parent_[i] = parent_[parent_[i]];
    }
    return i;
  }
  void join(std::size_t a, std::size_t b) {
    const auto [low, high] = std::minmax({find(a), find(b)});
    parent_[high] = low;
  }

 private:
  std::vector<std::size_t> parent_;
};

/// The lowest node that has all of the others below it or is it; no_node: they have no common root.
class CommonAncestor {
 public:
  explicit CommonAncestor(const Scene& scene) : scene_(scene) {}

  void include(NodeId node) {
    std::vector<NodeId> path;
    for (NodeId at = node; at != no_node; at = scene_[at].parent) {
      path.push_back(at);
    }
    std::reverse(path.begin(), path.end());
    if (first_) {
      first_ = false;
      path_ = std::move(path);
      return;
    }
    const auto [mine, other] = std::mismatch(path_.begin(), path_.end(), path.begin(), path.end());
    path_.erase(mine, path_.end());
  }

  /// The lowest that has a size. \param world  as everything stands
  [[nodiscard]] NodeId find(const std::vector<Mat4d>& world) const {
    for (auto at = path_.rbegin(); at != path_.rend(); ++at) {
      if (is_invertible(world[to_index(*at)])) {
        return *at;
      }
    }
    return no_node;
  }

 private:
  const Scene& scene_;
  bool first_ = true;
  std::vector<NodeId> path_;
};

class RigFinder {
 public:
  RigFinder(const Scene& scene, const std::vector<bool>& moves)
      : scene_(scene),
        moves_(moves),
        world_(make_world_matrices(scene)),
        joint_(scene.nodes.size(), false),
        unions_(scene.nodes.size()) {}

  std::vector<Rig> find() {
    find_skeletons();
    find_chains();
    return std::move(out_);
  }

 private:
  void find_skeletons() {
    std::vector<NodeId> bound;
    for (std::size_t n = 0; n < scene_.nodes.size(); ++n) {
      const Node& node = scene_.nodes[n];
      if (node.skin == no_skin || node.mesh == no_mesh) {
        continue;
      }
      bound.push_back(make_id<NodeId>(n));
      const std::vector<NodeId>& joints = skin_of(bound.back()).joints;
      for (const NodeId joint : joints) {
        joint_[to_index(joint)] = true;
        unions_.join(to_index(joint), to_index(joints.front()));
      }
    }
    join_below(joint_);
    std::map<std::size_t, std::vector<NodeId>> nodes_of;
    std::vector<std::size_t> order;
    for (const NodeId node : bound) {
      const std::size_t root = unions_.find(to_index(skin_of(node).joints.front()));
      std::vector<NodeId>& nodes = nodes_of[root];
      if (nodes.empty()) {
        order.push_back(root);
      }
      nodes.push_back(node);
    }
    for (const std::size_t root : order) {
      add_skeleton(nodes_of[root]);
    }
  }

  [[nodiscard]] const Skin& skin_of(NodeId node) const {
    return scene_.skins[to_index(scene_[node].skin)];
  }

  /// What stands below a node of the same kind belongs to it.
  void join_below(const std::vector<bool>& of_kind) {
    for (std::size_t n = 0; n < of_kind.size(); ++n) {
      if (!of_kind[n]) {
        continue;
      }
      for (NodeId at = scene_.nodes[n].parent; at != no_node; at = scene_[at].parent) {
        if (of_kind[to_index(at)]) {
          unions_.join(n, to_index(at));
          break;
        }
      }
    }
  }

  /// The first rig takes in every skin that is bound in its pose, whichever space that is in.
  void add_skeleton(const std::vector<NodeId>& nodes) {
    const auto begin = out_.size();
    CommonAncestor home(scene_);
    std::vector<SkinId> seen;
    for (const NodeId node : nodes) {
      // A node that shows something is no home: there may be more than one.
      const NodeId parent = scene_[node].parent;
      home.include(parent == no_node ? node : parent);
      const SkinId id = scene_[node].skin;
      if (std::find(seen.begin(), seen.end(), id) == seen.end()) {
        seen.push_back(id);
        take_in(scene_.skins[to_index(id)], begin);
      }
    }
    const bool at_root = std::any_of(nodes.begin(), nodes.end(),
                                     [&](NodeId node) { return scene_[node].parent == no_node; });
    for (std::size_t r = begin; r < out_.size(); ++r) {
      Rig& rig = out_[r];
      rig.skeleton = static_cast<std::uint32_t>(begin);
      rig.home = at_root ? no_node : home.find(world_);
      for (const SkinId id : seen) {
        const Skin& skin = scene_.skins[to_index(id)];
        if (rig.skin == no_skin && skin.joints == rig.joints &&
            make_inverse_binds(scene_, skin) == rig.inverse_binds) {
          rig.skin = id;
        }
      }
    }
  }

  /// \param first  of the skeleton's rigs
  void take_in(const Skin& skin, std::size_t first) {
    const std::vector<Mat4d> binds = make_inverse_binds(scene_, skin);
    for (std::size_t r = first; r < out_.size(); ++r) {
      if (const auto space = find_space(out_[r], skin, binds)) {
        extend(out_[r], skin, binds, *space);
        return;
      }
    }
    Rig& rig = out_.emplace_back();
    rig.name = skin.name;
    extend(rig, skin, binds, identity_matrix);
  }

  /// The one matrix from the skin's space to the rig's, by the joints that both have; nothing where
  /// they are posed otherwise to each other.
  [[nodiscard]] static std::optional<Mat4d> find_space(const Rig& rig,
                                                       const Skin& skin,
                                                       const std::vector<Mat4d>& binds) {
    std::optional<Mat4d> space;
    bool same = true;
    std::vector<std::pair<std::size_t, std::size_t>> shared;  // joints of the rig and of the skin
    for (std::size_t j = 0; j < skin.joints.size(); ++j) {
      const auto at = std::find(rig.joints.begin(), rig.joints.end(), skin.joints[j]);
      if (at != rig.joints.end()) {
        shared.emplace_back(at - rig.joints.begin(), j);
        const Mat4d& bind = rig.inverse_binds[shared.back().first];
        same = same && bind == binds[j];
        if (!space && is_invertible(bind)) {
          space = from_eigen(as_eigen(bind).inverse() * as_eigen(binds[j]));
        }
      }
    }
    if (same || !space) {
      return same ? std::optional(identity_matrix) : std::nullopt;
    }
    const bool agree = std::all_of(shared.begin(), shared.end(), [&](const auto& pair) {
      const auto wanted = as_eigen(binds[pair.second]);
      const auto got = as_eigen(rig.inverse_binds[pair.first]) * as_eigen(*space);
      return (got - wanted).norm() <= 2 * bind_tolerance * wanted.norm();
    });
    return agree && is_invertible(*space) ? space : std::nullopt;
  }

  static void extend(Rig& rig,
                     const Skin& skin,
                     const std::vector<Mat4d>& binds,
                     const Mat4d& space) {
    const std::set<NodeId> known(rig.joints.begin(), rig.joints.end());
    for (std::size_t j = 0; j < skin.joints.size(); ++j) {
      if (!known.contains(skin.joints[j])) {
        rig.joints.push_back(skin.joints[j]);
        rig.inverse_binds.push_back(
            space == identity_matrix ? binds[j]
                                     : from_eigen(as_eigen(binds[j]) * as_eigen(space).inverse()));
      }
    }
  }

  // ---- chains ----------------------------------------------------------------------------------

  void find_chains() {
    std::vector<bool> free(moves_.size());
    for (std::size_t n = 0; n < moves_.size(); ++n) {
      free[n] = moves_[n] && !joint_[n] && !hangs_on_joint(n) && is_invertible(world_[n]);
    }
    join_below(free);
    join_alike(free);
    std::map<std::size_t, std::vector<NodeId>> chains;
    std::vector<std::size_t> order;
    for (std::size_t n = 0; n < free.size(); ++n) {
      if (free[n]) {
        std::vector<NodeId>& nodes = chains[unions_.find(n)];
        if (nodes.empty()) {
          order.push_back(unions_.find(n));
        }
        nodes.push_back(make_id<NodeId>(n));
      }
    }
    for (const std::size_t root : order) {
      if (chains[root].size() > 1) {
        out_.push_back(make_chain(chains[root]));
        out_.back().skeleton = static_cast<std::uint32_t>(out_.size() - 1);
      }
    }
  }

  [[nodiscard]] bool hangs_on_joint(std::size_t n) const {
    for (NodeId at = scene_.nodes[n].parent; at != no_node; at = scene_[at].parent) {
      if (joint_[to_index(at)]) {
        return true;
      }
    }
    return false;
  }

  /// Of one parent, by equal tracks in the same animations.
  void join_alike(const std::vector<bool>& free) {
    std::map<std::pair<NodeId, std::string>, std::size_t> known;
    std::vector<std::string> tracks(scene_.nodes.size());
    for (std::size_t a = 0; a < scene_.animations.size(); ++a) {
      const Animation& animation = scene_.animations[a];
      for (const AnimationChannel& channel : animation.channels) {
        if (channel.node == no_node || !free[to_index(channel.node)] || channel.path == "weights") {
          continue;
        }
        const AnimationSampler& sampler = animation.samplers[channel.sampler];
        tracks[to_index(channel.node)] +=
            fmt::format("{} {} {} {} {};", a, channel.path, sampler.interpolation,
                        hash(sampler.input), hash(sampler.output));
      }
    }
    for (std::size_t n = 0; n < free.size(); ++n) {
      if (free[n] && !tracks[n].empty()) {
        const auto [slot, added] = known.try_emplace({scene_.nodes[n].parent, tracks[n]}, n);
        unions_.join(slot->second, n);
      }
    }
  }

  std::string hash(StreamId stream) {
    const auto [slot, added] = hashes_.try_emplace(stream);
    if (added) {
      slot->second = to_string(hash_bytes(make_packed(scene_, stream)));
    }
    return slot->second;
  }

  [[nodiscard]] Rig make_chain(const std::vector<NodeId>& nodes) const {
    Rig rig;
    rig.kind = RigKind::chain;
    rig.name = scene_[nodes.front()].name;
    rig.joints = nodes;
    CommonAncestor home(scene_);
    bool at_root = false;
    for (const NodeId node : nodes) {
      const NodeId parent = scene_[node].parent;
      at_root = at_root || parent == no_node;
      home.include(parent == no_node ? node : parent);
    }
    rig.home = at_root ? no_node : home.find(world_);
    // Bound as it stands, in the space of its home: far from the origin nothing is lost.
    const Mat4d space =
        rig.home == no_node ? world_[to_index(nodes.front())] : world_[to_index(rig.home)];
    for (const NodeId node : nodes) {
      rig.inverse_binds.push_back(
          from_eigen(as_eigen(world_[to_index(node)]).inverse() * as_eigen(space)));
    }
    return rig;
  }

  const Scene& scene_;
  const std::vector<bool>& moves_;
  std::vector<Mat4d> world_;
  std::vector<bool> joint_;
  Unions unions_;
  std::map<StreamId, std::string> hashes_;
  std::vector<Rig> out_;
};

}  // namespace

std::string_view to_string(RigKind kind) {
  return kind == RigKind::skeleton ? "skeleton" : "chain";
}

JointIndex::JointIndex(const Scene& scene, const std::vector<Rig>& rigs)
    : rig_of_(scene.nodes.size(), no_rig), number_of_(scene.nodes.size(), 0) {
  for (std::size_t r = 0; r < rigs.size(); ++r) {
    for (std::uint32_t j = 0; j < rigs[r].joints.size(); ++j) {
      if (rig_of_[to_index(rigs[r].joints[j])] != no_rig) {
        continue;
      }
      rig_of_[to_index(rigs[r].joints[j])] = make_id<RigId>(r);
      number_of_[to_index(rigs[r].joints[j])] = j;
    }
  }
}

std::vector<Rig> find_rigs(const Scene& scene, const std::vector<bool>& moves) {
  const bool any =
      std::any_of(moves.begin(), moves.end(), [](bool m) { return m; }) || !scene.skins.empty();
  return any ? RigFinder(scene, moves).find() : std::vector<Rig>();
}

}  // namespace wakuzume
