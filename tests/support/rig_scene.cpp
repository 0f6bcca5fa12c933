// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include "support/rig_scene.h"

#include <gtest/gtest.h>

#include <algorithm>
#include <cmath>
#include <map>
#include <random>

#include "support/scene_builder.h"
#include "wakuzume/shading_order.h"

namespace wakuzume::test {
namespace {

using Matrix = std::array<double, 16>;  // by columns

Matrix multiply(const Matrix& a, const Matrix& b) {
  Matrix out{};
  for (std::size_t c = 0; c < 4; ++c) {
    for (std::size_t r = 0; r < 4; ++r) {
      for (std::size_t k = 0; k < 4; ++k) {
        out[4 * c + r] += a[4 * k + r] * b[4 * c + k];
      }
    }
  }
  return out;
}

/// Of an affine matrix, by cofactors.
Matrix invert(const Matrix& m) {
  const auto at = [&](std::size_t r, std::size_t c) { return m[4 * c + r]; };
  const double det = at(0, 0) * (at(1, 1) * at(2, 2) - at(1, 2) * at(2, 1)) -
                     at(0, 1) * (at(1, 0) * at(2, 2) - at(1, 2) * at(2, 0)) +
                     at(0, 2) * (at(1, 0) * at(2, 1) - at(1, 1) * at(2, 0));
  Matrix out{};
  for (std::size_t r = 0; r < 3; ++r) {
    for (std::size_t c = 0; c < 3; ++c) {
      const std::size_t r1 = (c + 1) % 3;
      const std::size_t r2 = (c + 2) % 3;
      const std::size_t c1 = (r + 1) % 3;
      const std::size_t c2 = (r + 2) % 3;
      out[4 * c + r] = (at(r1, c1) * at(r2, c2) - at(r1, c2) * at(r2, c1)) / det;
    }
  }
  for (std::size_t r = 0; r < 3; ++r) {
    for (std::size_t c = 0; c < 3; ++c) {
      out[12 + r] -= out[4 * c + r] * at(c, 3);
    }
  }
  out[15] = 1;
  return out;
}

Place apply(const Matrix& m, const Place& p) {
  Place out{};
  for (std::size_t r = 0; r < 3; ++r) {
    out[r] = m[r] * p[0] + m[4 + r] * p[1] + m[8 + r] * p[2] + m[12 + r];
  }
  return out;
}

Matrix compose(const Trs& trs) {
  const double x = trs.rotation[0];
  const double y = trs.rotation[1];
  const double z = trs.rotation[2];
  const double w = trs.rotation[3];
  const double turn[3][3] = {{1 - 2 * (y * y + z * z), 2 * (x * y - z * w), 2 * (x * z + y * w)},
                             {2 * (x * y + z * w), 1 - 2 * (x * x + z * z), 2 * (y * z - x * w)},
                             {2 * (x * z - y * w), 2 * (y * z + x * w), 1 - 2 * (x * x + y * y)}};
  Matrix out{};
  for (std::size_t c = 0; c < 3; ++c) {
    for (std::size_t r = 0; r < 3; ++r) {
      out[4 * c + r] = turn[r][c] * trs.scale[c];
    }
    out[12 + c] = trs.translation[c];
  }
  out[15] = 1;
  return out;
}

class Dice {
 public:
  explicit Dice(std::uint32_t seed) : engine_(seed) {}
  double between(double low, double high) {
    return std::uniform_real_distribution<double>(low, high)(engine_);
  }
  std::size_t pick(std::size_t size) {
    return std::uniform_int_distribution<std::size_t>(0, size - 1)(engine_);
  }
  bool one_in(std::size_t n) { return pick(n) == 0; }
  std::array<double, 4> turn(double most) {
    const double angle = between(-most, most);
    std::array<double, 3> axis{between(-1, 1), between(-1, 1), between(-1, 1)};
    const double length = std::sqrt(axis[0] * axis[0] + axis[1] * axis[1] + axis[2] * axis[2]);
    std::array<double, 4> out{0, 0, 0, std::cos(angle / 2)};
    for (std::size_t c = 0; c < 3; ++c) {
      out[c] = std::sin(angle / 2) * axis[c] / (length > 0 ? length : 1);
    }
    return out;
  }

 private:
  std::mt19937 engine_;
};

class RigMaker {
 public:
  RigMaker(std::uint32_t seed, const RigWishes& wishes) : dice_(seed), wishes_(wishes) {}

  Scene make() {
    add_skeleton();
    for (std::size_t m = 0; m < 3; ++m) {
      const MaterialId id = builder_.add_material("kind " + std::to_string(m));
      Material& material = builder_.scene.materials[to_index(id)];
      material.base_color = {m == 0 ? 0.9 : 0.2, m == 1 ? 0.9 : 0.2, m == 2 ? 0.9 : 0.2, 1};
      material.metallic = 0;
    }
    for (std::size_t p = 0; p < wishes_.parts; ++p) {
      add_part(p);
    }
    for (std::size_t r = 0; r < wishes_.rigid; ++r) {
      add_rigid(r);
    }
    add_animations();
    Scene scene = builder_.finish();
    for (std::size_t f = 1; f < wishes_.figures; ++f) {
      add_figure(f, scene);
    }
    if (wishes_.figures > 1) {
      EXPECT_TRUE(link_parents(scene) && check_scene(scene));
    }
    return scene;
  }

 private:
  /// The whole tree once more, with skins of its own on the same meshes; it stands still.
  void add_figure(std::size_t number, Scene& scene) const {
    const std::size_t nodes = builder_.scene.nodes.size();
    const std::size_t skins = builder_.scene.skins.size();
    const auto move = [&](NodeId id) { return make_id<NodeId>(to_index(id) + number * nodes); };
    for (std::size_t s = 0; s < skins; ++s) {
      Skin skin = scene.skins[s];
      std::transform(skin.joints.begin(), skin.joints.end(), skin.joints.begin(), move);
      scene.skins.push_back(std::move(skin));
    }
    for (std::size_t n = 0; n < nodes; ++n) {
      Node node = scene.nodes[n];
      std::transform(node.children.begin(), node.children.end(), node.children.begin(), move);
      if (node.skin != no_skin) {
        node.skin = make_id<SkinId>(to_index(node.skin) + number * skins);
      }
      if (n == to_index(avatar_)) {
        node.trs.translation[0] += 5 * static_cast<double>(number);
      }
      scene.nodes.push_back(std::move(node));
    }
    scene.levels[0].roots.push_back(move(avatar_));
  }

  Trs make_trs(double reach, double turn) {
    Trs out;
    for (double& t : out.translation) {
      t = dice_.between(-reach, reach);
    }
    out.rotation = dice_.turn(turn);
    if (wishes_.nested_scales && dice_.one_in(3)) {
      const double scale = dice_.between(0.7, 1.4);
      out.scale = {scale, scale, scale};
    }
    return out;
  }

  void add_skeleton() {
    avatar_ = builder_.add_node("avatar", no_mesh, make_trs(20, 3));
    const NodeId bones = builder_.add_node("bones", no_mesh, make_trs(1, 1), avatar_);
    world_.resize(builder_.scene.nodes.size());
    world_[0] = compose(builder_.scene.nodes[0].trs);
    world_[1] = multiply(world_[0], compose(builder_.scene.nodes[1].trs));
    for (std::size_t j = 0; j < wishes_.joints; ++j) {
      const NodeId above = j == 0 ? bones : joints_[dice_.pick(std::min<std::size_t>(j, 6))];
      joints_.push_back(
          builder_.add_node("joint " + std::to_string(j), no_mesh, make_trs(0.4, 0.8), above));
      world_.push_back(multiply(world_[to_index(above)], compose(builder_.scene.nodes.back().trs)));
    }
  }

  /// Some joints in any order, bound by a space of the skin's own or by the first's.
  SkinId make_skin() {
    if (!builder_.scene.skins.empty() && dice_.one_in(3)) {
      return make_id<SkinId>(dice_.pick(builder_.scene.skins.size()));
    }
    std::vector<NodeId> joints = joints_;
    for (std::size_t j = joints.size(); j > 1; --j) {
      std::swap(joints[j - 1], joints[dice_.pick(j)]);
    }
    // The first is in all, so that they are one skeleton whichever way it grows.
    joints.resize(1 + dice_.pick(joints.size()));
    Matrix space = world_[0];
    if (wishes_.shifted && dice_.one_in(2)) {
      Trs shift = make_trs(2, 3);
      const double scale = dice_.between(0.5, 2);
      shift.scale = {scale, scale, dice_.one_in(4) ? -scale : scale};
      space = multiply(space, compose(shift));
    }
    Floats binds;
    for (const NodeId joint : joints) {
      const Matrix bind = multiply(invert(world_[to_index(joint)]), space);
      for (const double value : bind) {
        binds.push_back(static_cast<float>(value));
      }
    }
    Skin skin;
    skin.name = "skin " + std::to_string(builder_.scene.skins.size());
    skin.joints = joints;
    skin.inverse_bind_matrices = builder_.add_stream(binds, ElementType::mat4, ComponentType::f32);
    builder_.scene.skins.push_back(std::move(skin));
    return make_id<SkinId>(builder_.scene.skins.size() - 1);
  }

  MeshData make_shape() {
    MeshData data = make_ball(
        wishes_.side > 0 ? wishes_.side : 2 + static_cast<std::uint32_t>(dice_.pick(4)), 0.2);
    for (float& value : data.positions) {
      value *= 0.3F;
    }
    for (std::size_t i = 0; i < data.positions.size(); ++i) {
      data.positions[i] += static_cast<float>(i % 3) * 0.1F;
    }
    if (dice_.one_in(4)) {
      data.uvs.clear();
    }
    return data;
  }

  /// 8 influences at most, of which some are nothing, as floats, bytes or words.
  void add_influences(std::size_t vertices, std::size_t joints, Primitive& primitive) {
    const std::size_t sets = 1 + dice_.pick(wishes_.sets);
    const std::size_t kind = dice_.pick(3);
    const bool wide = joints > 255 || dice_.one_in(2);
    std::vector<std::vector<std::uint16_t>> numbers(sets);
    std::vector<Floats> weights(sets);
    for (std::size_t v = 0; v < vertices; ++v) {
      const std::size_t count = 1 + dice_.pick(4 * sets);
      // Whole steps, so that all kinds of storage sum to one.
      std::size_t left = 255;
      for (std::size_t i = 0; i < 4 * sets; ++i) {
        const bool last = i + 1 == count;
        const std::size_t step = i >= count ? 0 : last ? left : dice_.pick(left + 1);
        left -= step;
        numbers[i / 4].push_back(static_cast<std::uint16_t>(dice_.pick(joints)));
        weights[i / 4].push_back(static_cast<float>(static_cast<double>(step) / 255));
      }
    }
    for (std::size_t s = 0; s < sets; ++s) {
      const std::string ending = std::to_string(s);
      std::vector<std::uint8_t> narrow(numbers[s].begin(), numbers[s].end());
      primitive.attributes.push_back(
          {"JOINTS_" + ending,
           wide ? builder_.add_stream(numbers[s], ElementType::vec4, ComponentType::u16)
                : builder_.add_stream(narrow, ElementType::vec4, ComponentType::u8)});
      primitive.attributes.push_back({"WEIGHTS_" + ending, add_weights(weights[s], kind)});
    }
  }

  StreamId add_weights(const Floats& weights, std::size_t kind) {
    if (kind == 0) {
      return builder_.add_stream(weights, ElementType::vec4, ComponentType::f32);
    }
    std::vector<std::uint8_t> bytes;
    std::vector<std::uint16_t> words;
    for (const float weight : weights) {
      bytes.push_back(static_cast<std::uint8_t>(std::lround(weight * 255)));
      words.push_back(static_cast<std::uint16_t>(257 * std::lround(weight * 255)));
    }
    return kind == 1 ? builder_.add_stream(bytes, ElementType::vec4, ComponentType::u8, true)
                     : builder_.add_stream(words, ElementType::vec4, ComponentType::u16, true);
  }

  /// Some of the pool's targets, in any order; most vertices are not moved.
  std::vector<std::string> add_targets(const MeshData& data, Primitive& primitive) {
    std::vector<std::string> names;
    for (std::size_t t = 0; t < wishes_.targets; ++t) {
      if (dice_.one_in(2)) {
        names.push_back("shape " + std::to_string(t));
      }
    }
    for (std::size_t n = names.size(); n > 1; --n) {
      std::swap(names[n - 1], names[dice_.pick(n)]);
    }
    const bool turned =
        dice_.one_in(2);  // normals of all targets: engines differ where some have none
    for (std::size_t n = 0; n < names.size(); ++n) {
      Floats moves(data.positions.size(), 0);
      Floats turns(data.positions.size(), 0);
      for (std::size_t v = 0; v < moves.size() / 3; ++v) {
        for (std::size_t c = 0; c < 3 && v % 3 == n % 3; ++c) {
          moves[3 * v + c] = static_cast<float>(dice_.between(-0.2, 0.2));
          turns[3 * v + c] = static_cast<float>(dice_.between(-0.2, 0.2));
        }
      }
      std::vector<Attribute> target{
          {"POSITION", builder_.add_stream(moves, ElementType::vec3, ComponentType::f32)}};
      builder_.scene.streams.back().bounds = StreamBounds{{-0.2, -0.2, -0.2}, {0.2, 0.2, 0.2}};
      if (turned) {
        target.push_back(
            {"NORMAL", builder_.add_stream(turns, ElementType::vec3, ComponentType::f32)});
      }
      primitive.morph_targets.push_back(std::move(target));
    }
    return names;
  }

  void add_part(std::size_t number) {
    const std::string name = "part " + std::to_string(number);
    const SkinId skin = make_skin();
    const std::size_t joints = builder_.scene.skins[to_index(skin)].joints.size();
    const MeshData data = make_shape();
    Primitive primitive = builder_.make_primitive(
        data, make_id<MaterialId>(dice_.pick(builder_.scene.materials.size())));
    add_influences(data.positions.size() / 3, joints, primitive);
    std::vector<std::string> names;
    if (dice_.one_in(2)) {
      names = add_targets(data, primitive);
    }
    const MeshId mesh = builder_.add_mesh(name, {primitive});
    Trs trs = make_trs(3, 3);
    if (wishes_.mirrored && dice_.one_in(3)) {
      trs.scale[0] = -trs.scale[0];
    }
    const NodeId above = dice_.one_in(2)   ? avatar_
                         : dice_.one_in(2) ? joints_[dice_.pick(joints_.size())]
                                           : avatar_;
    const NodeId node = builder_.add_node(name, mesh, trs, above);
    builder_.scene.nodes[to_index(node)].skin = skin;
    if (names.empty()) {
      return;
    }
    std::string list;
    for (const std::string& target : names) {
      list += (list.empty() ? "\"" : ",\"") + target + "\"";
    }
    builder_.scene.meshes[to_index(mesh)].extra.ensure().extras =
        "{\"targetNames\":[" + list + "]}";
    std::vector<double> weights;
    for (std::size_t n = 0; n < names.size(); ++n) {
      weights.push_back(dice_.one_in(3) ? 0.5 : 0);
    }
    if (dice_.one_in(2) || !wishes_.weights_of_nodes) {
      builder_.scene.meshes[to_index(mesh)].weights = weights;
    } else {
      builder_.scene.meshes[to_index(mesh)].weights.assign(names.size(), 0);
      builder_.scene.nodes[to_index(node)].weights = weights;
    }
    morphing_.emplace_back(node, names.size());
  }

  void add_rigid(std::size_t number) {
    const MeshData data = make_shape();
    const std::string name = "rigid " + std::to_string(number);
    const MeshId mesh = builder_.add_mesh(
        name, data, make_id<MaterialId>(dice_.pick(builder_.scene.materials.size())));
    const NodeId holder = builder_.add_node(name + " holder", no_mesh, make_trs(0.3, 3),
                                            joints_[dice_.pick(joints_.size())]);
    Trs trs = make_trs(0.3, 3);
    if (wishes_.mirrored && dice_.one_in(3)) {
      trs.scale[1] = -trs.scale[1];
    }
    builder_.add_node(name, mesh, trs, holder);
  }

  // ---- animations ------------------------------------------------------------------------------

  void add_animations() {
    for (std::size_t a = 0; a < 2; ++a) {
      Animation animation;
      animation.name = "move " + std::to_string(a);
      for (const NodeId joint : joints_) {
        if (dice_.one_in(3)) {
          add_joint_channel(joint, animation);
        }
      }
      const bool stepped = dice_.one_in(3);
      for (const auto& [node, targets] : morphing_) {
        if (dice_.one_in(2)) {
          const std::string kind = stepped ? "STEP" : dice_.one_in(2) ? "LINEAR" : "CUBICSPLINE";
          add_channel(node, "weights", kind, targets, 0, 1, animation);
        }
      }
      if (!animation.channels.empty()) {
        builder_.scene.animations.push_back(std::move(animation));
      }
    }
  }

  std::string make_kind() {
    return std::array<const char*, 3>{"STEP", "LINEAR", "CUBICSPLINE"}[dice_.pick(3)];
  }

  void add_joint_channel(NodeId joint, Animation& animation) {
    if (dice_.one_in(2)) {
      add_channel(joint, "translation", make_kind(), 3, -0.5, 0.5, animation);
    } else {
      add_channel(joint, "rotation", make_kind(), 4, -1, 1, animation);
    }
  }

  void add_channel(NodeId node,
                   const std::string& path,
                   const std::string& kind,
                   std::size_t width,
                   double low,
                   double high,
                   Animation& animation) {
    Floats times;
    float time = static_cast<float>(dice_.between(0, 0.5));
    const std::size_t keys = 1 + dice_.pick(5);
    for (std::size_t k = 0; k < keys; ++k) {
      times.push_back(time);
      time += static_cast<float>(dice_.between(0.1, 0.6));
    }
    Floats values;
    for (std::size_t k = 0; k < keys * (kind == "CUBICSPLINE" ? 3 : 1); ++k) {
      const bool value = kind != "CUBICSPLINE" || k % 3 == 1;
      if (path == "rotation" && value) {
        const std::array<double, 4> turn = dice_.turn(3);
        values.insert(values.end(), turn.begin(), turn.end());
        continue;
      }
      for (std::size_t c = 0; c < width; ++c) {
        values.push_back(
            static_cast<float>(value ? dice_.between(low, high) : dice_.between(-0.3, 0.3)));
      }
    }
    AnimationSampler sampler;
    sampler.input = builder_.add_stream(times, ElementType::scalar, ComponentType::f32);
    builder_.scene.streams.back().bounds =
        StreamBounds{{double{times.front()}}, {double{times.back()}}};
    const ElementType element = path == "weights"    ? ElementType::scalar
                                : path == "rotation" ? ElementType::vec4
                                                     : ElementType::vec3;
    sampler.output = builder_.add_stream(values, element, ComponentType::f32);
    sampler.interpolation = kind;
    AnimationChannel channel;
    channel.sampler = static_cast<std::uint32_t>(animation.samplers.size());
    channel.node = node;
    channel.path = path;
    animation.samplers.push_back(std::move(sampler));
    animation.channels.push_back(std::move(channel));
  }

  Dice dice_;
  RigWishes wishes_;
  SceneBuilder builder_;
  NodeId avatar_ = no_node;
  std::vector<NodeId> joints_;
  std::vector<Matrix> world_;
  std::vector<std::pair<NodeId, std::size_t>> morphing_;
};

/// A machine of animated parts, one below the other, with others that move as they do.
class MachineMaker {
 public:
  explicit MachineMaker(std::uint32_t seed) : dice_(seed) {}

  Scene make() {
    const MaterialId iron = builder_.add_material("iron");
    const NodeId base = builder_.add_node("machine", no_mesh, place(5));
    std::vector<NodeId> parts{base};
    const std::size_t count = 3 + dice_.pick(8);
    for (std::size_t p = 0; p < count; ++p) {
      const std::string name = "part " + std::to_string(p);
      const NodeId above = parts[dice_.pick(parts.size())];
      parts.push_back(builder_.add_node(name, no_mesh, place(1), above));
      add_track(parts.back(), p % 3 == 2 ? 0 : p);
      for (std::size_t m = 0; m < 1 + dice_.pick(2); ++m) {
        MeshData data = make_tetrahedron();
        for (float& value : data.positions) {
          value *= 0.3F;
        }
        Trs trs = place(0.5);
        trs.scale[0] *= dice_.one_in(3) ? -1 : 1;
        builder_.add_node(name + " plate " + std::to_string(m), builder_.add_mesh(name, data, iron),
                          trs, parts.back());
      }
    }
    builder_.scene.animations.push_back(std::move(animation_));
    return builder_.finish();
  }

 private:
  Trs place(double reach) {
    Trs out;
    for (double& t : out.translation) {
      t = dice_.between(-reach, reach);
    }
    out.rotation = dice_.turn(3);
    const double scale = dice_.between(0.5, 2);
    out.scale = {scale, scale, scale};
    return out;
  }

  /// \param like  parts with the same number move alike
  void add_track(NodeId node, std::size_t like) {
    Dice dice(static_cast<std::uint32_t>(77 + like));
    Floats times{0, 0.5F, 1.25F};
    Floats values;
    for (std::size_t k = 0; k < times.size(); ++k) {
      const std::array<double, 4> turn = dice.turn(2);
      values.insert(values.end(), turn.begin(), turn.end());
    }
    AnimationSampler sampler;
    sampler.input = builder_.add_stream(times, ElementType::scalar, ComponentType::f32);
    builder_.scene.streams.back().bounds = StreamBounds{{0}, {1.25}};
    sampler.output = builder_.add_stream(values, ElementType::vec4, ComponentType::f32);
    animation_.channels.push_back(
        {static_cast<std::uint32_t>(animation_.samplers.size()), node, "rotation", {}, {}});
    animation_.samplers.push_back(std::move(sampler));
  }

  Dice dice_;
  SceneBuilder builder_;
  Animation animation_;
};

// ---- the second way ----------------------------------------------------------------------------

/// The value of a channel at a time, by appendix C of the standard.
std::vector<double> sample(const Scene& scene,
                           const AnimationSampler& sampler,
                           double time,
                           bool rotation) {
  const std::vector<double> times = make_doubles(scene, sampler.input);
  const std::vector<double> values = make_doubles(scene, sampler.output);
  const bool cubic = sampler.interpolation == "CUBICSPLINE";
  const std::size_t width = values.size() / times.size() / (cubic ? 3 : 1);
  const auto get = [&](std::size_t key, std::size_t part, std::size_t c) {
    return values[(cubic ? 3 * key + part : key) * width + c];
  };
  std::vector<double> out(width);
  std::size_t next = 0;
  while (next < times.size() && times[next] <= time) {
    ++next;
  }
  const std::size_t a = next == 0 ? 0 : next - 1;
  const std::size_t b = std::min(next, times.size() - 1);
  double dot = 0;
  for (std::size_t c = 0; c < width; ++c) {
    dot += get(a, 1, c) * get(b, 1, c);
  }
  for (std::size_t c = 0; c < width; ++c) {
    const double span = times[b] - times[a];
    const bool held = a == b || next == 0 || sampler.interpolation == "STEP";
    const double t = held ? 0 : (time - times[a]) / span;
    if (cubic && !held) {
      out[c] = (2 * t * t * t - 3 * t * t + 1) * get(a, 1, c) +
               span * (t * t * t - 2 * t * t + t) * get(a, 2, c) +
               (-2 * t * t * t + 3 * t * t) * get(b, 1, c) +
               span * (t * t * t - t * t) * get(b, 0, c);
    } else {
      const double sign = rotation && !cubic && dot < 0 ? -1 : 1;
      out[c] = held ? get(a, 1, c) : (1 - t) * get(a, 1, c) + t * sign * get(b, 1, c);
    }
  }
  if (rotation) {
    double length = 0;
    for (const double v : out) {
      length += v * v;
    }
    for (double& v : out) {
      v /= std::sqrt(length);
    }
  }
  return out;
}

class Posed {
 public:
  Posed(const Scene& scene, int animation, double time) : scene_(scene), nodes_(scene.nodes) {
    for (const Node& node : scene.nodes) {
      weights_.push_back(node.weights           ? *node.weights
                         : node.mesh != no_mesh ? scene[node.mesh].weights
                                                : std::vector<double>());
    }
    if (animation >= 0 && static_cast<std::size_t>(animation) < scene.animations.size()) {
      const Animation& playing = scene.animations[static_cast<std::size_t>(animation)];
      for (const AnimationChannel& channel : playing.channels) {
        const std::vector<double> value =
            sample(scene, playing.samplers[channel.sampler], time, channel.path == "rotation");
        Trs& trs = nodes_[to_index(channel.node)].trs;
        if (channel.path == "weights") {
          weights_[to_index(channel.node)] = value;
        } else if (channel.path == "rotation") {
          std::copy(value.begin(), value.end(), trs.rotation.begin());
        } else {
          std::copy(value.begin(), value.end(),
                    (channel.path == "scale" ? trs.scale : trs.translation).begin());
        }
      }
    }
  }

  [[nodiscard]] Matrix world(NodeId node) const {
    const Node& n = nodes_[to_index(node)];
    Matrix own = compose(n.trs);
    if (n.matrix) {
      std::copy(n.matrix->begin(), n.matrix->end(), own.begin());
    }
    return n.parent == no_node ? own : multiply(world(n.parent), own);
  }

  [[nodiscard]] std::vector<Place> find(const DrawRef& draw) const {
    const Node& node = scene_[draw.node];
    const Primitive& primitive = scene_[node.mesh].primitives[draw.primitive];
    std::vector<double> at = make_doubles(scene_, primitive.find("POSITION"));
    const std::vector<double>& weights = weights_[to_index(draw.node)];
    for (std::size_t t = 0; t < primitive.morph_targets.size() && t < weights.size(); ++t) {
      for (const Attribute& attribute : primitive.morph_targets[t]) {
        if (attribute.semantic == "POSITION") {
          const std::vector<double> moves = make_doubles(scene_, attribute.stream);
          for (std::size_t i = 0; i < at.size(); ++i) {
            at[i] += weights[t] * moves[i];
          }
        }
      }
    }
    std::vector<Place> out;
    if (node.skin == no_skin) {
      const Matrix matrix = world(draw.node);
      for (std::size_t v = 0; 3 * v < at.size(); ++v) {
        out.push_back(apply(matrix, {at[3 * v], at[3 * v + 1], at[3 * v + 2]}));
      }
      return out;
    }
    const Skin& skin = scene_.skins[to_index(node.skin)];
    const std::vector<double> binds = make_doubles(scene_, skin.inverse_bind_matrices);
    std::vector<Matrix> joints;
    for (std::size_t j = 0; j < skin.joints.size(); ++j) {
      Matrix bind{};
      std::copy_n(binds.begin() + static_cast<std::ptrdiff_t>(16 * j), 16, bind.begin());
      joints.push_back(multiply(world(skin.joints[j]), bind));
    }
    out.assign(at.size() / 3, Place{});
    for (std::size_t s = 0; s < 8; ++s) {
      const StreamId number = primitive.find("JOINTS_" + std::to_string(s));
      if (number == no_stream) {
        break;
      }
      const std::vector<double> numbers = make_doubles(scene_, number);
      const std::vector<double> shares =
          make_doubles(scene_, primitive.find("WEIGHTS_" + std::to_string(s)));
      for (std::size_t i = 0; i < numbers.size(); ++i) {
        const std::size_t v = i / 4;
        const Place moved = apply(joints[static_cast<std::size_t>(numbers[i])],
                                  {at[3 * v], at[3 * v + 1], at[3 * v + 2]});
        for (std::size_t c = 0; c < 3; ++c) {
          out[v][c] += shares[i] * moved[c];
        }
      }
    }
    return out;
  }

 private:
  const Scene& scene_;
  std::vector<Node> nodes_;
  std::vector<std::vector<double>> weights_;
};

std::vector<Place> find_corners(const Scene& scene, const Posed& posed, const DrawRef& draw) {
  const std::vector<Place> vertices = posed.find(draw);
  std::vector<Place> out;
  for (const std::uint32_t i : make_list_indices(scene, primitive_of(scene, draw))) {
    out.push_back(vertices[i]);
  }
  return out;
}

/// Triangles as three corners each, whichever they begin with.
std::vector<std::array<Place, 3>> sort_triangles(const std::vector<Place>& corners) {
  std::vector<std::array<Place, 3>> out;
  for (std::size_t i = 0; i + 2 < corners.size(); i += 3) {
    out.push_back({corners[i], corners[i + 1], corners[i + 2]});
  }
  return out;
}

}  // namespace

Scene make_random_rig(std::uint32_t seed, const RigWishes& wishes) {
  return RigMaker(seed, wishes).make();
}

Scene make_random_machine(std::uint32_t seed) { return MachineMaker(seed).make(); }

std::vector<Place> pose_corners(const Scene& scene,
                                const DrawRef& draw,
                                int animation,
                                double time) {
  return find_corners(scene, Posed(scene, animation, time), draw);
}

double find_motion_error(
    const Scene& before, const Scene& after, const Ledger& ledger, int animation, double time) {
  const Posed was(before, animation, time);
  const Posed is(after, animation, time);
  double error = 0;
  Place low{1e300, 1e300, 1e300};
  Place high{-1e300, -1e300, -1e300};
  std::map<DrawRef, std::vector<Place>> known;
  std::map<DrawRef, bool> reordered;
  for (const LedgerResult& result : ledger.results) {
    reordered[{result.node, result.primitive}] = result.in_shading_order;
  }
  for (const LedgerRow& row : ledger.rows) {
    std::vector<Place> wanted = find_corners(before, was, row.source);
    const DrawRef there{row.node, row.primitive};
    if (known.count(there) == 0) {
      known[there] = find_corners(after, is, there);
    }
    const std::size_t first = row.fate == Fate::kept ? 0 : row.first_index;
    const std::vector<Place> got(
        known[there].begin() + static_cast<std::ptrdiff_t>(first),
        known[there].begin() + static_cast<std::ptrdiff_t>(first + wanted.size()));
    for (const Place& place : wanted) {
      for (std::size_t c = 0; c < 3; ++c) {
        low[c] = std::min(low[c], place[c]);
        high[c] = std::max(high[c], place[c]);
      }
    }
    // Whatever order the triangles stand in: each has to be found once.
    const auto mine = sort_triangles(wanted);
    auto theirs = sort_triangles(got);
    for (const auto& triangle : mine) {
      double best = 1e300;
      std::size_t at = 0;
      for (std::size_t t = 0; t < theirs.size(); ++t) {
        for (std::size_t turn = 0; turn < 3; ++turn) {
          for (const bool mirrored : {false, true}) {
            double off = 0;
            for (std::size_t c = 0; c < 9; ++c) {
              const std::size_t corner = mirrored ? (3 + turn - c / 3) % 3 : (turn + c / 3) % 3;
              off = std::max(off, std::abs(triangle[c / 3][c % 3] - theirs[t][corner][c % 3]));
            }
            if (off < best) {
              best = off;
              at = t;
            }
          }
        }
      }
      error = std::max(error, best);
      theirs.erase(theirs.begin() + static_cast<std::ptrdiff_t>(at));
    }
  }
  double extent = 0;
  for (std::size_t c = 0; c < 3; ++c) {
    extent = std::max(extent, high[c] - low[c]);
  }
  return error / extent;
}

}  // namespace wakuzume::test
