// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include "survey/movers.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <map>

#include "survey/references.h"
#include "survey/rules.h"

namespace wakuzume {
namespace {

/// What a track that holds one value holds; empty when it changes.
std::vector<float> find_held_value(const Scene& scene, const AnimationSampler& sampler) {
  const std::vector<float> values = make_floats(scene, sampler.output);
  const std::size_t width = component_count(scene[sampler.output].element);
  const bool cubic = sampler.interpolation == "CUBICSPLINE";
  // A cubic key is three elements: the tangent in, the value, the tangent out.
  const std::size_t step = cubic ? 3 * width : width;
  const std::size_t first = cubic ? width : 0;
  if (values.size() < step) {
    return {};
  }
  for (std::size_t key = 0; key + step <= values.size(); key += step) {
    for (std::size_t c = 0; c < step; ++c) {
      const bool is_value = c >= first && c < first + width;
      const float wanted = is_value ? values[c] : 0;
      if (values[key + c] != wanted) {
        return {};
      }
    }
  }
  return {values.begin() + static_cast<std::ptrdiff_t>(first),
          values.begin() + static_cast<std::ptrdiff_t>(first + width)};
}

/// Does the node stand where the track would hold it?
bool is_at_rest(const Node& node, const std::string& path, const std::vector<float>& held) {
  const auto equals = [&](const auto& rest) {
    return held.size() == rest.size() &&
           std::equal(held.begin(), held.end(), rest.begin(), [](float a, double b) {
             return std::abs(static_cast<double>(a) - b) <= 1e-6 * std::max(1.0, std::abs(b));
           });
  };
  if (node.matrix) {
    return false;
  }
  return path == "translation" ? equals(node.trs.translation)
         : path == "rotation"  ? equals(node.trs.rotation)
                               : path == "scale" && equals(node.trs.scale);
}

/// Extensions whose member makes a node a body that a simulation moves. Static bodies have it not.
std::string find_physics(const Node& node) {
  if (!node.extra) {
    return {};
  }
  for (const RawMember& extension : node.extra->extensions) {
    if (extension.name == "KHR_physics_rigid_bodies" &&
        !find_member(extension.json, "motion").empty()) {
      return extension.name;
    }
    if (extension.name == "OMI_physics_body") {
      const std::string motion = find_member(extension.json, "motion");
      if (!motion.empty() && find_member(motion, "type") != "static") {
        return extension.name;
      }
    }
  }
  return {};
}

class MoverFinder {
 public:
  MoverFinder(const Scene& scene, ConstantTracks constant_tracks)
      : scene_(scene), constant_tracks_(constant_tracks), tracks_(scene.nodes.size()) {
    out_.of_node.resize(scene.nodes.size());
  }

  Movers find() {
    for (const Animation& animation : scene_.animations) {
      read(animation);
    }
    for (std::size_t i = 0; i < tracks_.size(); ++i) {
      close(make_id<NodeId>(i), tracks_[i]);
    }
    for (const Skin& skin : scene_.skins) {
      for (const NodeId joint : skin.joints) {
        mark(joint, StayRule::skinned, fmt::format("a joint of the skin \"{}\"", skin.name));
      }
    }
    for (std::size_t i = 0; i < scene_.nodes.size(); ++i) {
      const std::string extension = find_physics(scene_.nodes[i]);
      if (!extension.empty()) {
        mark(make_id<NodeId>(i), StayRule::physics, "moved by " + extension);
      }
    }
    return std::move(out_);
  }

 private:
  /// What the animations do to a node, taken together.
  struct Tracks {
    std::string animation;  ///< the first that has it
    bool any = false;
    bool constant = true;
    bool at_rest = true;
  };

  void read(const Animation& animation) {
    for (const AnimationChannel& channel : animation.channels) {
      const bool pointer = channel.path == "pointer";
      const NodeId id = pointer ? find_pointed_node(scene_, channel) : channel.node;
      if (id == no_node || channel.path == "weights") {
        continue;
      }
      Tracks& tracks = tracks_[to_index(id)];
      if (!tracks.any) {
        tracks.animation = animation.name;
      }
      tracks.any = true;
      const std::vector<float>& value = held_by(animation.samplers[channel.sampler]);
      const bool constant = !pointer && !value.empty();
      tracks.constant = tracks.constant && constant;
      tracks.at_rest = tracks.at_rest && constant && is_at_rest(scene_[id], channel.path, value);
    }
  }

  /// Kept by stream: samplers may share one.
  const std::vector<float>& held_by(const AnimationSampler& sampler) {
    const std::pair key(sampler.output, sampler.interpolation == "CUBICSPLINE");
    const auto [slot, added] = held_.try_emplace(key);
    if (added) {
      slot->second = find_held_value(scene_, sampler);
    }
    return slot->second;
  }

  void close(NodeId id, const Tracks& tracks) {
    if (!tracks.any) {
      return;
    }
    if (tracks.constant) {
      out_.constant_nodes.push_back(id);
    }
    if (!tracks.at_rest || constant_tracks_ == ConstantTracks::may_move) {
      mark(id, StayRule::animated, fmt::format("moved by the animation \"{}\"", tracks.animation));
    }
  }

  void mark(NodeId id, StayRule rule, std::string why) {
    Mover& mover = out_.of_node[to_index(id)];
    if (mover.rule == StayRule::none) {
      mover = {rule, std::move(why)};
    }
  }

  const Scene& scene_;
  ConstantTracks constant_tracks_;
  std::vector<Tracks> tracks_;
  std::map<std::pair<StreamId, bool>, std::vector<float>> held_;
  Movers out_;
};

}  // namespace

Movers find_movers(const Scene& scene, ConstantTracks constant_tracks) {
  return MoverFinder(scene, constant_tracks).find();
}

}  // namespace wakuzume
