// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include "build/targets.h"

#include <fmt/format.h>
#include <simdjson.h>

#include <algorithm>
#include <cstring>
#include <map>
#include <optional>
#include <set>
#include <tuple>

#include "survey/rules.h"

namespace wakuzume {
namespace {

constexpr const char* cubic_spline = "CUBICSPLINE";

/// What one animation does to the weights of one node.
struct Curve {
  std::string interpolation;
  std::vector<float> times;
  std::vector<float> values;
  std::size_t targets = 0;

  [[nodiscard]] bool cubic() const { return interpolation == cubic_spline; }
  [[nodiscard]] bool stepped() const { return interpolation == "STEP"; }
  /// \param part  0: tangent in, 1: value, 2: tangent out
  [[nodiscard]] double at(std::size_t key, std::size_t part, std::size_t target) const {
    const std::size_t element = cubic() ? 3 * key + part : key;
    return double{values[element * targets + target]};
  }
  [[nodiscard]] double slope(std::size_t key, std::size_t target) const {
    return (at(key + 1, 1, target) - at(key, 1, target)) /
           (double{times[key + 1]} - double{times[key]});
  }
};

/// A value with the slopes before and behind it.
struct Knot {
  double in = 0;
  double value = 0;
  double out = 0;
};

/// The curve at any time, exactly: what lies between two keys is the same polynomial, however it is
/// cut.
Knot find_knot(const Curve& curve, std::size_t target, float time) {
  const auto after = std::upper_bound(curve.times.begin(), curve.times.end(), time);
  const auto next = static_cast<std::size_t>(after - curve.times.begin());
  const std::size_t keys = curve.times.size();
  if (next == 0) {
    return {0, curve.at(0, 1, target), 0};
  }
  const std::size_t key = next - 1;
  if (curve.times[key] == time || curve.stepped()) {
    Knot out{0, curve.at(key, 1, target), 0};
    if (!curve.stepped()) {
      out.in = key == 0        ? 0
               : curve.cubic() ? curve.at(key, 0, target)
                               : curve.slope(key - 1, target);
      out.out = next == keys    ? 0
                : curve.cubic() ? curve.at(key, 2, target)
                                : curve.slope(key, target);
    }
    return out;
  }
  if (next == keys) {
    return {0, curve.at(key, 1, target), 0};
  }
  const double span = double{curve.times[next]} - double{curve.times[key]};
  const double t = (double{time} - double{curve.times[key]}) / span;
  const double a = curve.at(key, 1, target);
  const double b = curve.at(next, 1, target);
  if (!curve.cubic()) {
    const double slope = (b - a) / span;
    return {slope, a + t * (b - a), slope};
  }
  const double from = span * curve.at(key, 2, target);
  const double to = span * curve.at(next, 0, target);
  const double t2 = t * t;
  const double t3 = t2 * t;
  const double value =
      (2 * t3 - 3 * t2 + 1) * a + (t3 - 2 * t2 + t) * from + (3 * t2 - 2 * t3) * b + (t3 - t2) * to;
  const double slope = ((6 * t2 - 6 * t) * a + (3 * t2 - 4 * t + 1) * from + (6 * t - 6 * t2) * b +
                        (3 * t2 - 2 * t) * to) /
                       span;
  return {slope, value, slope};
}

class UnionMaker {
 public:
  UnionMaker(const Scene& scene, std::span<const DrawRef> members)
      : scene_(scene), members_(members) {}

  TargetUnion make() {
    const bool any = std::any_of(members_.begin(), members_.end(), [&](const DrawRef& member) {
      return !primitive_of(scene_, member).morph_targets.empty();
    });
    if (!any) {
      return {};
    }
    for (const DrawRef& member : members_) {
      add_member(member);
    }
    // Engines take an attribute that a target lacks, beside others that have it, for the mesh's
    // own.
    std::vector<std::string> all{"POSITION"};
    for (const std::vector<std::string>& semantics : out_.semantics) {
      for (const std::string& semantic : semantics) {
        add_semantic(semantic, all);
      }
    }
    out_.semantics.assign(out_.semantics.size(), all);
    for (std::size_t a = 0; a < scene_.animations.size(); ++a) {
      add_track(a);
    }
    return std::move(out_);
  }

 private:
  struct Owner {
    NodeId node = no_node;
    std::size_t target = 0;
  };

  void add_member(const DrawRef& member) {
    const Node& node = scene_[member.node];
    const Primitive& primitive = primitive_of(scene_, member);
    const std::vector<std::string> names = find_target_names(scene_[node.mesh]);
    const std::vector<double>& weights = node.weights ? *node.weights : scene_[node.mesh].weights;
    out_.named = out_.named || !names.empty();
    std::vector<std::uint32_t>& numbers = out_.numbers.emplace_back();
    std::map<std::string, int> seen;  // a name that a mesh has twice is two
    for (std::size_t t = 0; t < primitive.morph_targets.size(); ++t) {
      const std::string name = t < names.size() ? names[t] : fmt::format("target {}", t);
      const double weight = t < weights.size() ? weights[t] : 0;
      const int nth = seen[name]++;
      const auto [slot, added] =
          known_.try_emplace({name, nth, weight, describe_curves(member.node, t)},
                             static_cast<std::uint32_t>(out_.names.size()));
      if (added) {
        out_.names.push_back(make_name(name, node));
        out_.weights.push_back(weight);
        out_.semantics.emplace_back();
        owners_.push_back({member.node, t});
      }
      numbers.push_back(slot->second);
      for (const Attribute& attribute : primitive.morph_targets[t]) {
        add_semantic(attribute.semantic, out_.semantics[slot->second]);
      }
    }
  }

  static void add_semantic(const std::string& semantic, std::vector<std::string>& list) {
    const auto at = std::lower_bound(list.begin(), list.end(), semantic);
    if (at == list.end() || *at != semantic) {
      list.insert(at, semantic);
    }
  }

  /// Names are told apart by the nodes that they come from, then by numbers.
  std::string make_name(const std::string& name, const Node& node) {
    std::string out = name;
    if (!taken_.insert(out).second) {
      out = fmt::format("{} ({})", name, node.name);
      for (int number = 2; !taken_.insert(out).second; ++number) {
        out = fmt::format("{} ({} {})", name, node.name, number);
      }
    }
    return out;
  }

  const std::optional<Curve>& curve_of(std::size_t animation, NodeId node) {
    const auto [slot, added] = curves_.try_emplace({animation, node});
    if (added) {
      slot->second = read_curve(scene_.animations[animation], node);
    }
    return slot->second;
  }

  [[nodiscard]] std::optional<Curve> read_curve(const Animation& animation, NodeId node) const {
    for (const AnimationChannel& channel : animation.channels) {
      if (channel.node != node || channel.path != "weights") {
        continue;
      }
      const AnimationSampler& sampler = animation.samplers[channel.sampler];
      Curve curve{sampler.interpolation, make_floats(scene_, sampler.input),
                  make_floats(scene_, sampler.output), 0};
      const std::size_t elements = curve.times.size() * (curve.cubic() ? 3 : 1);
      curve.targets = elements == 0 ? 0 : curve.values.size() / elements;
      return curve.targets == 0 ? std::nullopt : std::optional(std::move(curve));
    }
    return std::nullopt;
  }

  /// The weight over time in all animations, as text that is equal where all of it is.
  std::string describe_curves(NodeId node, std::size_t target) {
    std::string out;
    for (std::size_t a = 0; a < scene_.animations.size(); ++a) {
      const std::optional<Curve>& curve = curve_of(a, node);
      if (!curve || target >= curve->targets) {
        continue;
      }
      out += fmt::format("{} {};", a, curve->interpolation);
      const auto append = [&](float value) {
        char bytes[sizeof value];
        std::memcpy(bytes, &value, sizeof value);
        out.append(bytes, sizeof bytes);
      };
      std::for_each(curve->times.begin(), curve->times.end(), append);
      for (std::size_t i = target; i < curve->values.size(); i += curve->targets) {
        append(curve->values[i]);
      }
    }
    return out;
  }

  void add_track(std::size_t animation) {
    std::vector<const Curve*> curves;  // one a target; null: it rests
    std::set<float> times;
    bool cubic = false;
    bool stepped = false;
    for (const Owner& owner : owners_) {
      const std::optional<Curve>& curve = curve_of(animation, owner.node);
      curves.push_back(curve && owner.target < curve->targets ? &*curve : nullptr);
      if (curves.back() != nullptr) {
        times.insert(curve->times.begin(), curve->times.end());
        cubic = cubic || curve->cubic();
        stepped = stepped || curve->stepped();
      }
    }
    if (times.empty()) {
      return;
    }
    WeightTrack& track = out_.tracks.emplace_back();
    track.animation = animation;
    track.interpolation = cubic ? cubic_spline : stepped ? "STEP" : "LINEAR";
    track.times.assign(times.begin(), times.end());
    const std::size_t count = owners_.size();
    for (const float time : track.times) {
      std::vector<Knot> knots;
      for (std::size_t t = 0; t < count; ++t) {
        knots.push_back(curves[t] == nullptr ? Knot{0, out_.weights[t], 0}
                                             : find_knot(*curves[t], owners_[t].target, time));
      }
      const auto put = [&](double Knot::*part) {
        std::transform(knots.begin(), knots.end(), std::back_inserter(track.values),
                       [&](const Knot& knot) { return static_cast<float>(knot.*part); });
      };
      if (cubic) {
        put(&Knot::in);
      }
      put(&Knot::value);
      if (cubic) {
        put(&Knot::out);
      }
    }
  }

  const Scene& scene_;
  std::span<const DrawRef> members_;
  TargetUnion out_;
  std::vector<Owner> owners_;  ///< one a target: the first that has it
  std::map<std::tuple<std::string, int, double, std::string>, std::uint32_t> known_;
  std::set<std::string> taken_;
  std::map<std::pair<std::size_t, NodeId>, std::optional<Curve>> curves_;
};

}  // namespace

std::vector<std::string> find_target_names(const Mesh& mesh) {
  std::vector<std::string> out;
  if (!mesh.extra || mesh.extra->extras.find("targetNames") == std::string::npos) {
    return out;
  }
  thread_local simdjson::dom::parser parser;
  simdjson::dom::array names;
  if (parser.parse(mesh.extra->extras).get_object().at_key("targetNames").get(names) !=
      simdjson::SUCCESS) {
    return out;
  }
  for (const simdjson::dom::element name : names) {
    std::string_view text;
    out.emplace_back(name.get(text) == simdjson::SUCCESS ? text : std::string_view());
  }
  return out;
}

TargetUnion make_target_union(const Scene& scene, std::span<const DrawRef> members) {
  return UnionMaker(scene, members).make();
}

}  // namespace wakuzume
