// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include "survey/poses.h"

#include <algorithm>
#include <array>
#include <cmath>
#include <utility>

#include "scene/elements.h"
#include "scene/matrix.h"

namespace wakuzume {
namespace {

/// A track of a node's translation, rotation or scale.
class Track {
 public:
  Track(const Scene& scene, const AnimationSampler& sampler)
      : times_(make_floats(scene, sampler.input)),
        values_(make_floats(scene, sampler.output)),
        width_(component_count(scene[sampler.output].element)),
        step_(sampler.interpolation == "STEP"),
        cubic_(sampler.interpolation == "CUBICSPLINE") {
    const std::size_t elements = cubic_ ? 3 : 1;
    good_ = !times_.empty() && values_.size() >= times_.size() * elements * width_;
  }

  [[nodiscard]] bool good() const { return good_; }
  [[nodiscard]] double begin() const { return static_cast<double>(times_.front()); }
  [[nodiscard]] double end() const { return static_cast<double>(times_.back()); }

  template <std::size_t N>
  void sample(double time, std::array<double, N>& out) const {
    if (width_ != N) {
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
    for (std::size_t c = 0; c < N; ++c) {
      out[c] = cubic_ ? find_cubic(last, next, c, share, span)
                      : (1 - share) * value(last, 0, c) +
                            share * side(last, next, N) * value(next, 0, c);
    }
    if (N == 4) {
      normalize(out);
    }
  }

 private:
  [[nodiscard]] double value(std::size_t key, std::size_t element, std::size_t c) const {
    return static_cast<double>(values_[(key * (cubic_ ? 3 : 1) + element) * width_ + c]);
  }
  /// A rotation goes the shorter way.
  [[nodiscard]] double side(std::size_t a, std::size_t b, std::size_t width) const {
    double dot = 0;
    for (std::size_t c = 0; c < width && width == 4; ++c) {
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
  template <std::size_t N>
  static void normalize(std::array<double, N>& out) {
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
  bool good_ = false;
};

using Tracks = std::vector<std::pair<const AnimationChannel*, Track>>;

Tracks list_tracks(const Scene& scene, const Animation& animation) {
  Tracks out;
  for (const AnimationChannel& channel : animation.channels) {
    const bool moves =
        channel.path == "translation" || channel.path == "rotation" || channel.path == "scale";
    if (moves && channel.node != no_node) {
      Track track(scene, animation.samplers[channel.sampler]);
      if (track.good()) {
        out.emplace_back(&channel, std::move(track));
      }
    }
  }
  return out;
}

std::vector<Mat4d> find_pose(const Scene& scene, const Tracks& tracks, double time) {
  Scene posed = scene;
  for (const auto& [channel, track] : tracks) {
    Trs& trs = posed.nodes[to_index(channel->node)].trs;
    if (channel->path == "translation") {
      track.sample(time, trs.translation);
    } else if (channel->path == "rotation") {
      track.sample(time, trs.rotation);
    } else {
      track.sample(time, trs.scale);
    }
  }
  return make_world_matrices(posed);
}

}  // namespace

std::vector<std::vector<Mat4d>> list_poses(const Scene& scene,
                                           std::uint32_t moments,
                                           std::size_t most) {
  std::vector<std::vector<Mat4d>> out;
  for (const Animation& animation : scene.animations) {
    const Tracks tracks = list_tracks(scene, animation);
    if (tracks.empty()) {
      continue;
    }
    double begin = tracks.front().second.begin();
    double end = tracks.front().second.end();
    for (const auto& [channel, track] : tracks) {
      begin = std::min(begin, track.begin());
      end = std::max(end, track.end());
    }
    for (std::uint32_t m = 1; m <= moments && out.size() < most; ++m) {
      out.push_back(find_pose(scene, tracks, begin + (end - begin) * m / moments));
    }
  }
  return out;
}

}  // namespace wakuzume
