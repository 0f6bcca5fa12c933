// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include "survey/poses.h"

#include <algorithm>
#include <array>
#include <cmath>
#include <memory>
#include <span>
#include <string>
#include <utility>

#include "scene/elements.h"
#include "scene/matrix.h"

namespace wakuzume {

/// A track of a node's translation, rotation, scale or weights.
class PoseTrack {
 public:
  PoseTrack(const Scene& scene, const AnimationSampler& sampler, const std::string& path)
      : times_(make_floats(scene, sampler.input)),
        values_(make_floats(scene, sampler.output)),
        width_(component_count(scene[sampler.output].element)),
        step_(sampler.interpolation == "STEP"),
        cubic_(sampler.interpolation == "CUBICSPLINE") {
    const std::size_t elements = times_.size() * (cubic_ ? 3 : 1);
    turns_ = path == "rotation";
    if (path == "weights") {
      width_ = elements == 0 ? 0 : values_.size() / elements;
    }
    good_ = width_ > 0 && !times_.empty() && values_.size() >= elements * width_;
  }

  [[nodiscard]] bool good() const { return good_; }
  [[nodiscard]] double begin() const { return static_cast<double>(times_.front()); }
  [[nodiscard]] double end() const { return static_cast<double>(times_.back()); }

  /// \param out  as many values as the track has, or nothing happens
  void sample(double time, std::span<double> out) const {
    if (width_ != out.size()) {
      return;
    }
    const auto after = std::upper_bound(
        times_.begin(), times_.end(), time,
        [](double wanted, float key) { return wanted < static_cast<double>(key); });
    const std::size_t next =
        std::min<std::size_t>(static_cast<std::size_t>(after - times_.begin()), times_.size() - 1);
    const std::size_t last =
        after == times_.begin() ? 0 : static_cast<std::size_t>(after - times_.begin()) - 1;
    const double span = static_cast<double>(times_[next]) - static_cast<double>(times_[last]);
    const double share =
        step_ || !(span > 0)
            ? 0
            : std::clamp((time - static_cast<double>(times_[last])) / span, 0.0, 1.0);
    for (std::size_t c = 0; c < out.size(); ++c) {
      out[c] = cubic_ ? find_cubic(last, next, c, share, span)
                      : (1 - share) * value(last, 0, c) +
                            share * (turns_ ? side(last, next) : 1.0) * value(next, 0, c);
    }
  }
  void turn(double time, std::array<double, 4>& out) const {
    sample(time, out);
    normalize(out);
  }

 private:
  [[nodiscard]] double value(std::size_t key, std::size_t element, std::size_t c) const {
    return static_cast<double>(values_[(key * (cubic_ ? 3 : 1) + element) * width_ + c]);
  }
  /// A rotation goes the shorter way.
  [[nodiscard]] double side(std::size_t a, std::size_t b) const {
    double dot = 0;
    for (std::size_t c = 0; c < width_; ++c) {
      dot += value(a, 0, c) * value(b, 0, c);
    }
    return dot < 0 ? -1 : 1;
  }
  [[nodiscard]] double find_cubic(
      std::size_t a, std::size_t b, std::size_t c, double t, double span) const {
    const double t2 = t * t;
    const double t3 = t2 * t;
    return (2 * t3 - 3 * t2 + 1) * value(a, 1, c) + span * (t3 - 2 * t2 + t) * value(a, 2, c) +
           (3 * t2 - 2 * t3) * value(b, 1, c) + span * (t3 - t2) * value(b, 0, c);
  }
  static void normalize(std::array<double, 4>& out) {
    double length = 0;
    for (const double part : out) {
      length += part * part;
    }
    for (double& part : out) {
      part = length > 0 ? part / std::sqrt(length) : 0;
    }
  }

  std::vector<float> times_;
  std::vector<float> values_;
  std::size_t width_;
  bool step_;
  bool cubic_;
  bool turns_ = false;
  bool good_ = false;
};

namespace {

std::size_t count_targets(const Scene& scene, const Node& node) {
  std::size_t targets = 0;
  if (node.mesh != no_mesh) {
    for (const Primitive& primitive : scene[node.mesh].primitives) {
      targets = std::max(targets, primitive.morph_targets.size());
    }
  }
  return targets;
}

std::vector<std::vector<double>> list_weights(const Scene& scene, const std::vector<Node>& nodes) {
  std::vector<std::vector<double>> out;
  for (const Node& node : nodes) {
    std::vector<double> weights;
    if (const std::size_t targets = count_targets(scene, node); targets > 0) {
      weights = node.weights ? *node.weights : scene[node.mesh].weights;
      weights.resize(targets, 0);
    }
    out.push_back(std::move(weights));
  }
  return out;
}

}  // namespace

struct AnimationPlayer::Tracks {
  std::vector<std::pair<const AnimationChannel*, PoseTrack>> list;
  double begin = 0;
  double end = 0;
};

AnimationPlayer::AnimationPlayer(const Scene& scene, const Animation& animation)
    : scene_(scene), tracks_(std::make_unique<Tracks>()) {
  for (const AnimationChannel& channel : animation.channels) {
    const bool known = channel.path == "translation" || channel.path == "rotation" ||
                       channel.path == "scale" || channel.path == "weights";
    if (!known || channel.node == no_node) {
      continue;
    }
    PoseTrack track(scene, animation.samplers[channel.sampler], channel.path);
    if (track.good()) {
      const bool first = tracks_->list.empty();
      tracks_->begin = first ? track.begin() : std::min(tracks_->begin, track.begin());
      tracks_->end = first ? track.end() : std::max(tracks_->end, track.end());
      tracks_->list.emplace_back(&channel, std::move(track));
    }
  }
}

AnimationPlayer::~AnimationPlayer() = default;
bool AnimationPlayer::plays() const { return !tracks_->list.empty(); }
double AnimationPlayer::begin() const { return tracks_->begin; }
double AnimationPlayer::end() const { return tracks_->end; }

void AnimationPlayer::apply(double time, std::vector<Node>& nodes) const {
  for (const auto& [channel, track] : tracks_->list) {
    Node& node = nodes[to_index(channel->node)];
    if (channel->path == "translation") {
      track.sample(time, node.trs.translation);
    } else if (channel->path == "rotation") {
      track.turn(time, node.trs.rotation);
    } else if (channel->path == "scale") {
      track.sample(time, node.trs.scale);
    } else {
      std::vector<double> weights(count_targets(scene_, node), 0);
      track.sample(time, weights);
      node.weights = std::move(weights);
    }
  }
}

Pose AnimationPlayer::find(double time) const {
  Scene posed;
  posed.nodes = scene_.nodes;
  apply(time, posed.nodes);
  return {make_world_matrices(posed), list_weights(scene_, posed.nodes)};
}

Pose make_rest_pose(const Scene& scene) {
  return {make_world_matrices(scene), list_weights(scene, scene.nodes)};
}

std::vector<Moment> list_moments(const Scene& scene, std::uint32_t of_each, std::size_t most) {
  std::vector<Moment> all;
  for (std::uint32_t a = 0; a < scene.animations.size(); ++a) {
    const AnimationPlayer player(scene, scene.animations[a]);
    for (std::uint32_t m = 1; player.plays() && m <= of_each; ++m) {
      all.push_back({a, player.begin() + (player.end() - player.begin()) * m / of_each});
    }
  }
  std::vector<Moment> out;
  const std::size_t count = std::min(most, all.size());
  for (std::size_t i = 0; i < count; ++i) {
    out.push_back(all[i * all.size() / count]);
  }
  return out;
}

Scene make_posed(const Scene& scene, const Moment& moment) {
  Scene out = scene;
  AnimationPlayer(scene, scene.animations[moment.animation]).apply(moment.time_s, out.nodes);
  return out;
}

std::vector<std::vector<Mat4d>> list_poses(const Scene& scene,
                                           std::uint32_t moments,
                                           std::size_t most) {
  std::vector<std::vector<Mat4d>> out;
  for (const Moment& moment : list_moments(scene, moments, most)) {
    Scene posed;
    posed.nodes = scene.nodes;
    AnimationPlayer(scene, scene.animations[moment.animation]).apply(moment.time_s, posed.nodes);
    out.push_back(make_world_matrices(posed));
  }
  return out;
}

}  // namespace wakuzume
