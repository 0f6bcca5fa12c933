// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include "build/motion.h"

#include <algorithm>
#include <cstring>
#include <limits>

#include "rework/geometry_block.h"
#include "survey/rules.h"

namespace wakuzume {
namespace {

std::string write_names(const std::vector<std::string>& names) {
  std::string out;
  for (const std::string& name : names) {
    out += (out.empty() ? "[" : ",") + to_json_text(name);
  }
  return out + "]";
}

}  // namespace

StreamId MotionWriter::add(std::vector<float> values, ElementType element, bool bounded) {
  Stream stream;
  stream.element = element;
  stream.count = values.size() / component_count(element);
  if (bounded) {
    const auto [low, high] = std::minmax_element(values.begin(), values.end());
    stream.bounds = StreamBounds{{double{*low}}, {double{*high}}};
  }
  out_.streams.push_back(std::move(stream));
  const auto id = make_id<StreamId>(out_.streams.size() - 1);
  asked_.push_back({id, std::move(values)});
  return id;
}

SkinId MotionWriter::add_skin(const Rig& rig, RigId id) {
  if (rig.skin != no_skin) {
    return rig.skin;
  }
  const auto [slot, added] = skins_.try_emplace(id, make_id<SkinId>(out_.skins.size()));
  if (added) {
    std::vector<float> binds;
    for (const Mat4d& matrix : rig.inverse_binds) {
      std::transform(matrix.begin(), matrix.end(), std::back_inserter(binds),
                     [](double value) { return static_cast<float>(value); });
    }
    Skin skin;
    skin.name = rig.name;
    skin.joints = rig.joints;
    skin.inverse_bind_matrices = add(std::move(binds), ElementType::mat4, false);
    out_.skins.push_back(std::move(skin));
  }
  return slot->second;
}

void MotionWriter::add_weights(const TargetUnion& targets, NodeId node) {
  Mesh& mesh = out_.meshes[to_index(out_.nodes[to_index(node)].mesh)];
  mesh.weights = targets.weights;
  if (targets.named) {
    const std::string had = mesh.extra ? mesh.extra->extras : std::string();
    mesh.extra.ensure().extras = put_member(had, "targetNames", write_names(targets.names));
  }
  for (const WeightTrack& track : targets.tracks) {
    Animation& animation = out_.animations[track.animation];
    AnimationSampler sampler;
    sampler.input = add(track.times, ElementType::scalar, true);
    sampler.output = add(track.values, ElementType::scalar, false);
    sampler.interpolation = track.interpolation;
    AnimationChannel channel;
    channel.sampler = static_cast<std::uint32_t>(animation.samplers.size());
    channel.node = node;
    channel.path = "weights";
    animation.samplers.push_back(std::move(sampler));
    animation.channels.push_back(std::move(channel));
  }
}

Result<void> MotionWriter::finish() {
  if (asked_.empty()) {
    return {};
  }
  GeometryBlock block;
  std::vector<std::uint64_t> places;
  for (const Asked& asked : asked_) {
    places.push_back(block.reserve(asked.values.size() * sizeof(float)));
  }
  if (!block.allocate()) {
    return Failure(Error{ErrorCode::too_large, "there is no memory for the tracks of weights", {}});
  }
  const auto id = make_id<BlockId>(out_.blocks.size());
  for (std::size_t i = 0; i < asked_.size(); ++i) {
    const std::vector<float>& values = asked_[i].values;
    std::memcpy(block.data(places[i]), values.data(), values.size() * sizeof(float));
    BlockView view;
    view.block = id;
    view.offset = places[i];
    view.length = values.size() * sizeof(float);
    out_.views.push_back(view);
    out_.streams[to_index(asked_[i].stream)].view = make_id<ViewId>(out_.views.size() - 1);
  }
  out_.blocks.emplace_back().bytes = block.finish();
  asked_.clear();
  return {};
}

bool has_targets(const Scene& scene, const Node& node) {
  return node.mesh != no_mesh &&
         std::any_of(scene[node.mesh].primitives.begin(), scene[node.mesh].primitives.end(),
                     [](const Primitive& p) { return !p.morph_targets.empty(); });
}

void drop_idle_motion(Scene& scene, IdleTracks tracks) {
  for (Node& node : scene.nodes) {
    if (node.mesh == no_mesh) {
      node.skin = no_skin;
    }
    if (node.weights && !has_targets(scene, node)) {
      node.weights = {};
    }
  }
  for (Animation& animation : scene.animations) {
    if (tracks == IdleTracks::kept) {
      break;
    }
    std::erase_if(animation.channels, [&](const AnimationChannel& channel) {
      return channel.path == "weights" && channel.node != no_node &&
             !has_targets(scene, scene[channel.node]);
    });
    // Samplers that no channel uses any more go.
    std::vector<std::uint32_t> number(animation.samplers.size(), no_index);
    for (const AnimationChannel& channel : animation.channels) {
      number[channel.sampler] = 0;
    }
    std::vector<AnimationSampler> kept;
    for (std::size_t s = 0; s < number.size(); ++s) {
      if (number[s] != no_index) {
        number[s] = static_cast<std::uint32_t>(kept.size());
        kept.push_back(std::move(animation.samplers[s]));
      }
    }
    animation.samplers = std::move(kept);
    for (AnimationChannel& channel : animation.channels) {
      channel.sampler = number[channel.sampler];
    }
  }
}

}  // namespace wakuzume
