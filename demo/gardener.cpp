// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include "gardener.h"

#include <algorithm>
#include <cmath>
#include <string>

namespace wakuzume::demo {
namespace {

constexpr double straight_angle = 3.14159265358979323846;

/// A joint where it is bound, in the space of the figure, and where its bone ends.
struct Joint {
  const char* name;
  int parent;
  Vec3f at;
  Vec3f end;
};

enum : std::uint8_t {
  hips,
  spine,
  chest,
  neck,
  head,
  arm_l,
  forearm_l,
  hand_l,
  thumb_l,
  fingers_l,
  arm_r,
  forearm_r,
  hand_r,
  thumb_r,
  fingers_r,
  thigh_l,
  shin_l,
  foot_l,
  thigh_r,
  shin_r,
  foot_r,
  joint_count
};

constexpr std::array<Joint, joint_count> joints{{
    {"hips", -1, {0, 0.95F, 0}, {0, 1.08F, 0}},
    {"spine", hips, {0, 1.08F, 0}, {0, 1.26F, 0}},
    {"chest", spine, {0, 1.26F, 0}, {0, 1.44F, 0}},
    {"neck", chest, {0, 1.44F, 0}, {0, 1.53F, 0}},
    {"head", neck, {0, 1.53F, 0}, {0, 1.78F, 0}},
    {"arm_l", chest, {0.19F, 1.39F, 0}, {0.37F, 1.15F, 0}},
    {"forearm_l", arm_l, {0.37F, 1.15F, 0}, {0.52F, 0.93F, 0}},
    {"hand_l", forearm_l, {0.52F, 0.93F, 0}, {0.57F, 0.86F, 0}},
    {"thumb_l", hand_l, {0.535F, 0.90F, 0.03F}, {0.55F, 0.86F, 0.07F}},
    {"fingers_l", hand_l, {0.57F, 0.86F, 0}, {0.62F, 0.79F, 0}},
    {"arm_r", chest, {-0.19F, 1.39F, 0}, {-0.37F, 1.15F, 0}},
    {"forearm_r", arm_r, {-0.37F, 1.15F, 0}, {-0.52F, 0.93F, 0}},
    {"hand_r", forearm_r, {-0.52F, 0.93F, 0}, {-0.57F, 0.86F, 0}},
    {"thumb_r", hand_r, {-0.535F, 0.90F, 0.03F}, {-0.55F, 0.86F, 0.07F}},
    {"fingers_r", hand_r, {-0.57F, 0.86F, 0}, {-0.62F, 0.79F, 0}},
    {"thigh_l", hips, {0.1F, 0.92F, 0}, {0.11F, 0.5F, 0}},
    {"shin_l", thigh_l, {0.11F, 0.5F, 0}, {0.11F, 0.09F, 0}},
    {"foot_l", shin_l, {0.11F, 0.09F, 0}, {0.12F, 0.04F, 0.18F}},
    {"thigh_r", hips, {-0.1F, 0.92F, 0}, {-0.11F, 0.5F, 0}},
    {"shin_r", thigh_r, {-0.11F, 0.5F, 0}, {-0.11F, 0.09F, 0}},
    {"foot_r", shin_r, {-0.11F, 0.09F, 0}, {-0.12F, 0.04F, 0.18F}},
}};

Vec3f minus(const Vec3f& a, const Vec3f& b) { return {a[0] - b[0], a[1] - b[1], a[2] - b[2]}; }
float dot(const Vec3f& a, const Vec3f& b) { return a[0] * b[0] + a[1] * b[1] + a[2] * b[2]; }

float find_distance(const Vec3f& p, const Joint& joint) {
  const Vec3f along = minus(joint.end, joint.at);
  const Vec3f to = minus(p, joint.at);
  const float t = std::clamp(dot(to, along) / dot(along, along), 0.0F, 1.0F);
  const Vec3f off{to[0] - t * along[0], to[1] - t * along[1], to[2] - t * along[2]};
  return std::sqrt(dot(off, off));
}

/// A round limb from one place to another.
Shape make_limb(const Vec3f& from, const Vec3f& to, float thick, float thin, std::uint32_t sides) {
  const Vec3f along = minus(to, from);
  const float length = std::sqrt(dot(along, along));
  std::vector<Vec2f> profile{{0, -0.5F * thick}, {0.7F * thick, -0.3F * thick}};
  constexpr int rings = 6;
  for (int ring = 0; ring <= rings; ++ring) {
    const float t = static_cast<float>(ring) / rings;
    profile.push_back({thick + t * (thin - thick), t * length});
  }
  profile.push_back({0.7F * thin, length + 0.3F * thin});
  profile.push_back({0, length + 0.5F * thin});
  Shape shape = make_lathe(profile, sides);
  // From upwards to along: a turn around what is square to both.
  const double slope = std::acos(std::clamp(static_cast<double>(along[1] / length), -1.0, 1.0));
  const double square = std::hypot(static_cast<double>(along[0]), static_cast<double>(along[2]));
  const Vec3d axis =
      square > 1e-6 ? Vec3d{along[2] / square, 0, -along[0] / square} : Vec3d{1, 0, 0};
  const Vec3d place{from[0], from[1], from[2]};
  return shape.place({place, make_turn(axis, slope), {1, 1, 1}});
}

Shape make_ball(const Vec3f& centre, float radius, float stretch, std::uint32_t sides) {
  std::vector<Vec2f> profile;
  constexpr int rings = 10;
  for (int ring = 0; ring <= rings; ++ring) {
    const double angle = straight_angle * (static_cast<double>(ring) / rings - 0.5);
    profile.push_back({radius * static_cast<float>(std::cos(angle)),
                       radius * stretch * static_cast<float>(std::sin(angle))});
  }
  profile.front()[0] = profile.back()[0] = 0;
  Shape shape = make_lathe(profile, sides);
  return shape.place({{centre[0], centre[1], centre[2]}, {0, 0, 0, 1}, {1, 1, 1}});
}

/// Where a part was modelled: in metres around the figure's feet, or as its kit has it.
struct Space {
  float unit_m = 1;
  Vec3f shift{0, 0, 0};
};

class GardenerMaker {
 public:
  GardenerMaker(SceneMaker& maker, const Materials& materials)
      : maker_(maker), materials_(materials) {}

  void add(NodeId parent, const Trs& trs) {
    root_ = maker_.add_node(parent, "gardener", trs);
    for (const Joint& joint : joints) {
      const NodeId above =
          joint.parent < 0 ? root_ : nodes_[static_cast<std::size_t>(joint.parent)];
      const Vec3f from =
          joint.parent < 0 ? Vec3f{} : joints[static_cast<std::size_t>(joint.parent)].at;
      const Vec3f at = minus(joint.at, from);
      nodes_.push_back(
          maker_.add_node(above, joint.name, {{at[0], at[1], at[2]}, {0, 0, 0, 1}, {1, 1, 1}}));
    }
    add_head();
    add_clothes();
    add_limb_parts();
    add_carried();
    animate();
  }

 private:
  using Targets = std::vector<std::pair<std::string, std::vector<Vec3f>>>;

  /// \param bones  that may move it: each vertex goes with the nearest
  NodeId add_part(const std::string& name,
                  Shape shape,
                  MaterialId material,
                  const std::vector<std::uint8_t>& bones,
                  const Space& space = {},
                  const Targets& targets = {}) {
    std::vector<std::array<std::uint8_t, 4>> numbers;
    std::vector<std::array<float, 4>> weights;
    for (const Vec3f& p : shape.positions) {
      bind(p, bones, numbers.emplace_back(), weights.emplace_back());
    }
    shape.uvs.clear();
    for (Vec3f& p : shape.positions) {
      for (std::size_t c = 0; c < 3; ++c) {
        p[c] = (p[c] - space.shift[c]) / space.unit_m;
      }
    }
    const MeshId id = maker_.add_mesh(name, {{std::move(shape), material}});
    Mesh& mesh = maker_.scene().meshes[to_index(id)];
    maker_.lanes().add_influences(maker_.scene(), numbers, weights, mesh.primitives[0]);
    std::string names;
    for (const auto& [target, moves] : targets) {
      mesh.primitives[0].morph_targets.push_back(
          {{"POSITION", maker_.lanes().add_positions(maker_.scene(), moves)}});
      mesh.weights.push_back(0);
      names += (names.empty() ? "\"" : ",\"") + target + "\"";
    }
    if (!names.empty()) {
      mesh.extra.ensure().extras = "{\"targetNames\":[" + names + "]}";
    }
    const NodeId node = maker_.add_node(root_, name, {}, id);
    maker_.scene().nodes[to_index(node)].skin = add_skin(name, space);
    return node;
  }

  static void bind(const Vec3f& p,
                   const std::vector<std::uint8_t>& bones,
                   std::array<std::uint8_t, 4>& numbers,
                   std::array<float, 4>& weights) {
    std::vector<std::pair<float, std::uint8_t>> near;
    for (const std::uint8_t bone : bones) {
      const float far = find_distance(p, joints[bone]) + 0.01F;
      near.emplace_back(1 / (far * far * far * far), bone);
    }
    std::sort(near.rbegin(), near.rend());
    near.resize(std::min<std::size_t>(near.size(), 4));
    float sum = 0;
    for (const auto& [weight, bone] : near) {
      sum += weight;
    }
    numbers = {};
    weights = {};
    for (std::size_t i = 0; i < near.size(); ++i) {
      numbers[i] = near[i].second;
      weights[i] = near[i].first / sum;
    }
  }

  SkinId add_skin(const std::string& name, const Space& space) {
    std::vector<float> binds;
    for (const Joint& joint : joints) {
      const float u = space.unit_m;
      const Vec3f from = minus(space.shift, joint.at);
      binds.insert(binds.end(), {u, 0, 0, 0, 0, u, 0, 0, 0, 0, u, 0, from[0], from[1], from[2], 1});
    }
    Skin skin;
    skin.name = name;
    skin.joints = nodes_;
    skin.inverse_bind_matrices =
        maker_.lanes().add_numbers(maker_.scene(), binds, ElementType::mat4);
    maker_.scene().skins.push_back(std::move(skin));
    return make_id<SkinId>(maker_.scene().skins.size() - 1);
  }

  // ---- parts -----------------------------------------------------------------------------------

  void add_head() {
    Shape face = make_ball({0, 1.64F, 0.01F}, 0.105F, 1.25F, 24);
    face.append(make_ball({0, 1.635F, 0.118F}, 0.018F, 1.3F, 10));
    face.append(make_limb({-0.035F, 1.572F, 0.088F}, {0.035F, 1.572F, 0.088F}, 0.011F, 0.011F, 8));
    Targets moods;
    const auto add_mood = [&](const char* name, const Shape& shape, const auto& move) {
      std::vector<Vec3f>& moves = moods.emplace_back(name, std::vector<Vec3f>()).second;
      std::transform(shape.positions.begin(), shape.positions.end(), std::back_inserter(moves),
                     move);
    };
    const auto near = [](const Vec3f& p, const Vec3f& at, float reach) {
      const Vec3f off = minus(p, at);
      return std::max(0.0F, 1 - dot(off, off) / (reach * reach));
    };
    add_mood("smile", face, [&](const Vec3f& p) {
      const float w = near(p, {0, 1.572F, 0.09F}, 0.07F);
      return Vec3f{0.5F * p[0] * w, 6 * p[0] * p[0] * w, -0.006F * w};
    });
    add_mood("surprise", face, [&](const Vec3f& p) {
      const float w = near(p, {0, 1.56F, 0.08F}, 0.06F);
      return Vec3f{-0.4F * p[0] * w, (p[1] - 1.572F) * 1.5F * w - 0.008F * w, 0.004F * w};
    });
    add_mood("puff", face, [&](const Vec3f& p) {
      const float w = near(p, {p[0] > 0 ? 0.07F : -0.07F, 1.6F, 0.06F}, 0.06F);
      return Vec3f{0.25F * p[0] * w, 0, 0.012F * w};
    });
    add_part("face", std::move(face), materials_.gardener_skin[0], {neck, head}, {}, moods);
    moods.clear();
    Shape eyes = make_ball({0.04F, 1.668F, 0.098F}, 0.014F, 1.3F, 12);
    eyes.append(make_ball({-0.04F, 1.668F, 0.098F}, 0.014F, 1.3F, 12));
    add_mood("blink", eyes, [](const Vec3f& p) { return Vec3f{0, (1.668F - p[1]) * 0.9F, 0}; });
    add_mood("surprise", eyes, [](const Vec3f& p) {
      return Vec3f{0, (p[1] - 1.668F) * 0.5F, 0.002F};
    });
    add_part("eyes", std::move(eyes), materials_.gardener_eyes, {head}, {}, moods);
    Shape hair = make_ball({0, 1.685F, -0.02F}, 0.112F, 0.95F, 20);
    add_part("hair", std::move(hair), materials_.gardener_hair, {head});
    add_part("neck", make_limb({0, 1.42F, 0}, {0, 1.56F, 0.005F}, 0.055F, 0.05F, 14),
             materials_.gardener_skin[1], {chest, neck, head});
  }

  void add_clothes() {
    Shape shirt = make_lathe({{0.09F, 1.0F},
                              {0.16F, 1.0F},
                              {0.165F, 1.1F},
                              {0.17F, 1.2F},
                              {0.18F, 1.3F},
                              {0.17F, 1.38F},
                              {0.11F, 1.44F},
                              {0.055F, 1.465F}},
                             24);
    for (const int side : {0, 5}) {
      const Joint& arm = joints[static_cast<std::size_t>(arm_l + side)];
      shirt.append(make_limb(arm.at, arm.end, 0.075F, 0.062F, 16));
    }
    add_part("shirt", std::move(shirt), materials_.gardener_shirt,
             {hips, spine, chest, arm_l, forearm_l, arm_r, forearm_r});
    Shape trousers = make_lathe(
        {{0, 0.84F}, {0.12F, 0.86F}, {0.17F, 0.92F}, {0.175F, 1.02F}, {0.16F, 1.06F}}, 24);
    for (const int side : {0, 3}) {
      const Joint& thigh = joints[static_cast<std::size_t>(thigh_l + side)];
      const Joint& shin = joints[static_cast<std::size_t>(shin_l + side)];
      trousers.append(make_limb(thigh.at, thigh.end, 0.095F, 0.075F, 18));
      trousers.append(make_limb(shin.at, {shin.end[0], 0.2F, 0}, 0.075F, 0.07F, 18));
    }
    add_part("trousers", std::move(trousers), materials_.gardener_denim,
             {hips, spine, thigh_l, shin_l, thigh_r, shin_r});
    // Of another kit: in centimetres, around its own middle.
    Shape bib = make_box({0.2F, 0.24F, 0.02F}, 1);
    bib.place({{0, 1.17F, 0.186F}, make_turn({1, 0, 0}, -0.06), {1, 1, 1}});
    add_part("bib", std::move(bib), materials_.gardener_denim, {spine, chest},
             {0.01F, {0, 1.2F, 0}});
  }

  void add_limb_parts() {
    for (const bool left : {true, false}) {
      const std::size_t side = left ? 0 : 5;
      const Joint& forearm = joints[forearm_l + side];
      const Joint& hand = joints[hand_l + side];
      const Joint& fingers = joints[fingers_l + side];
      const Joint& thumb = joints[thumb_l + side];
      Shape arm = make_limb(forearm.at, forearm.end, 0.05F, 0.036F, 14);
      arm.append(make_limb(hand.at, hand.end, 0.036F, 0.04F, 12));
      for (int finger = -1; finger <= 2; ++finger) {
        const float z = 0.017F * static_cast<float>(finger) - 0.008F;
        arm.append(make_limb({fingers.at[0], fingers.at[1], z}, {fingers.end[0], fingers.end[1], z},
                             0.011F, 0.009F, 8));
      }
      arm.append(make_limb(thumb.at, thumb.end, 0.013F, 0.01F, 8));
      const auto number = [&](std::uint8_t joint) {
        return static_cast<std::uint8_t>(joint + side);
      };
      add_part(left ? "hand_left" : "hand_right", std::move(arm), materials_.gardener_skin[1],
               {number(forearm_l), number(hand_l), number(thumb_l), number(fingers_l)});
      const std::size_t leg = left ? 0 : 3;
      const Joint& shin = joints[shin_l + leg];
      const Joint& foot = joints[foot_l + leg];
      Shape boot = make_lathe({{0.06F, 0.02F}, {0.07F, 0.1F}, {0.075F, 0.3F}, {0.085F, 0.34F}}, 18);
      boot.place({{shin.end[0], 0, 0}, {0, 0, 0, 1}, {1, 1, 1}});
      boot.append(
          make_limb({foot.at[0], 0.055F, 0.01F}, {foot.end[0], 0.045F, 0.15F}, 0.055F, 0.048F, 14));
      add_part(left ? "boot_left" : "boot_right", std::move(boot), materials_.gardener_boots,
               {static_cast<std::uint8_t>(shin_l + leg), static_cast<std::uint8_t>(foot_l + leg)},
               {0.01F, {0, 0, 0}});
    }
  }

  /// What hangs on joints, each a node and a mesh of its own.
  void add_carried() {
    const auto hang = [&](std::uint8_t joint, const std::string& name, Shape shape,
                          MaterialId material) {
      const Vec3f& at = joints[joint].at;
      maker_.add_node(nodes_[joint], name, {{-at[0], -at[1], -at[2]}, {0, 0, 0, 1}, {1, 1, 1}},
                      maker_.add_mesh(name, {{std::move(shape), material}}));
    };
    Shape hat = make_lathe({{0, 1.745F},
                            {0.2F, 1.735F},
                            {0.21F, 1.725F},
                            {0.2F, 1.745F},
                            {0.115F, 1.76F},
                            {0.105F, 1.83F},
                            {0.06F, 1.865F},
                            {0, 1.87F}},
                           28);
    hang(head, "hat", std::move(hat), materials_.gardener_straw);
    for (const bool left : {true, false}) {
      Shape buckle = make_ball({left ? 0.075F : -0.075F, 1.285F, 0.17F}, 0.014F, 1, 12);
      hang(chest, left ? "buckle_left" : "buckle_right", std::move(buckle), materials_.brass);
    }
    Shape can = make_lathe({{0, -0.36F}, {0.085F, -0.36F}, {0.085F, -0.17F}, {0.07F, -0.15F}}, 20);
    can.append(make_limb({0.07F, -0.32F, 0}, {0.24F, -0.14F, 0}, 0.022F, 0.014F, 10));
    can.append(make_ball({0.25F, -0.13F, 0}, 0.03F, 0.6F, 12));
    for (const float x : {-0.065F, 0.065F}) {
      can.append(make_limb({x, -0.17F, 0}, {0.4F * x, 0, 0}, 0.008F, 0.008F, 8));
    }
    can.append(make_limb({-0.03F, 0, 0}, {0.03F, 0, 0}, 0.011F, 0.011F, 8));
    can.place({{-0.6F, 0.82F, 0}, make_turn({0, 1, 0}, -straight_angle / 2), {1, 1, 1}});
    hang(hand_r, "watering_can", std::move(can), materials_.copper);
    Shape grip = make_limb({0.2F, 1.0F, 0.03F}, {0.2F, 0.9F, 0.03F}, 0.014F, 0.012F, 10);
    hang(hips, "trowel_grip", std::move(grip), materials_.wood);
    Shape blade = make_box({0.006F, 0.14F, 0.06F}, 1);
    hang(hips, "trowel_blade", blade.place({{0.2, 0.82, 0.03}, {0, 0, 0, 1}, {1, 1, 1}}),
         materials_.iron_black);
  }

  // ---- animation -------------------------------------------------------------------------------

  void add_channel(Animation& animation,
                   NodeId node,
                   const char* path,
                   const std::vector<float>& times_s,
                   const std::vector<float>& values,
                   ElementType element) {
    AnimationSampler sampler;
    sampler.input = maker_.lanes().add_numbers(maker_.scene(), times_s, ElementType::scalar);
    sampler.output = maker_.lanes().add_numbers(maker_.scene(), values, element);
    sampler.interpolation = "LINEAR";
    AnimationChannel channel;
    channel.sampler = static_cast<std::uint32_t>(animation.samplers.size());
    channel.node = node;
    channel.path = path;
    animation.samplers.push_back(std::move(sampler));
    animation.channels.push_back(std::move(channel));
  }

  void animate() {
    Animation animation;
    animation.name = "gardener_waters";
    const auto turn = [&](std::uint8_t joint, const Vec3d& axis,
                          const std::vector<double>& angles) {
      std::vector<float> values;
      std::vector<float> times_s;
      for (const double angle : angles) {
        times_s.push_back(static_cast<float>(times_s.size()));
        for (const double q : make_turn(axis, angle)) {
          values.push_back(static_cast<float>(q));
        }
      }
      add_channel(animation, nodes_[joint], "rotation", times_s, values, ElementType::vec4);
    };
    turn(spine, {0, 1, 0}, {0, 0.25, 0.35, 0.1, 0});
    turn(chest, {1, 0, 0}, {0, 0.12, 0.16, 0.05, 0});
    turn(head, {0, 1, 0}, {0, -0.3, 0.1, 0.3, 0});
    turn(arm_r, {1, 0, 0}, {0, -0.8, -0.95, -0.5, 0});
    turn(forearm_r, {1, 0, 0}, {0, -0.5, -0.6, -0.3, 0});
    turn(hand_r, {0, 0, 1}, {0, 0.3, 0.7, 0.3, 0});
    turn(arm_l, {0, 0, 1}, {0, -0.25, -0.2, -0.3, 0});
    turn(forearm_l, {1, 0, 0}, {0, -0.9, -1.1, -0.4, 0});
    turn(fingers_l, {0, 0, 1}, {0, -0.6, -0.9, -0.3, 0});
    for (std::size_t n = 0; n < maker_.scene().nodes.size(); ++n) {
      const Node& node = maker_.scene().nodes[n];
      const auto id = make_id<NodeId>(n);
      if (node.skin != no_skin && node.name == "face") {
        add_channel(animation, id, "weights", {0, 1.5F, 3, 4},
                    {0, 0, 0, 0.9F, 0, 0, 0.2F, 0.8F, 0.5F, 0, 0, 0}, ElementType::scalar);
      } else if (node.skin != no_skin && node.name == "eyes") {
        add_channel(animation, id, "weights", {0, 0.9F, 1, 1.1F, 3, 4},
                    {0, 0, 0, 0, 1, 0, 0, 0, 0, 0.8F, 0, 0}, ElementType::scalar);
      }
    }
    maker_.scene().animations.push_back(std::move(animation));
  }

  SceneMaker& maker_;
  const Materials& materials_;
  NodeId root_ = no_node;
  std::vector<NodeId> nodes_;  ///< by joint
};

}  // namespace

void add_gardener(SceneMaker& maker, const Materials& materials, NodeId parent, const Trs& trs) {
  GardenerMaker(maker, materials).add(parent, trs);
}

void add_crank(SceneMaker& maker, const Materials& materials, NodeId parent, const Trs& trs) {
  const NodeId crank = maker.add_node(parent, "crank", trs);
  const auto add = [&](NodeId below, const std::string& name, const Trs& at, Shape shape,
                       MaterialId material) {
    maker.add_node(below, name, at, maker.add_mesh(name, {{std::move(shape), material}}));
  };
  const auto lie = [](Shape shape) {
    return shape.place({{0, 0, 0}, make_turn({1, 0, 0}, straight_angle / 2), {1, 1, 1}});
  };
  add(crank, "crank_plate", {}, make_box({0.3F, 0.5F, 0.04F}, 0.5F), materials.iron_black);
  const auto add_turning = [&](const std::string& name, NodeId below, const Vec3d& at, int way) {
    const NodeId node = maker.add_node(below, name, {at, {0, 0, 0, 1}, {1, 1, 1}});
    std::vector<float> turns;
    for (int quarter = 0; quarter <= 4; ++quarter) {
      for (const double q : make_turn({0, 0, 1}, way * quarter * straight_angle / 2)) {
        turns.push_back(static_cast<float>(q));
      }
    }
    maker.animate(name + "_turns", node, "rotation", {0, 1, 2, 3, 4}, turns, ElementType::vec4);
    return node;
  };
  const NodeId wheel = add_turning("crank_wheel", crank, {0, 0.08, 0.1}, 1);
  add(wheel, "crank_rim", {},
      lie(make_lathe(
          {{0.17F, -0.015F}, {0.2F, -0.015F}, {0.2F, 0.015F}, {0.17F, 0.015F}, {0.17F, -0.015F}},
          28)),
      materials.brass);
  for (int spoke = 0; spoke < 3; ++spoke) {
    add(wheel, "crank_spoke_" + std::to_string(spoke),
        {{0, 0, 0}, make_turn({0, 0, 1}, spoke * straight_angle / 3), {1, 1, 1}},
        make_box({0.36F, 0.025F, 0.015F}, 0.5F), materials.brass);
  }
  const NodeId grip = add_turning("crank_grip", wheel, {0.17, 0, 0.02}, -1);
  add(grip, "crank_handle", {{0, 0, 0.06}, {0, 0, 0, 1}, {1, 1, 1}},
      lie(make_lathe({{0, -0.06F}, {0.02F, -0.05F}, {0.024F, 0}, {0.02F, 0.05F}, {0, 0.06F}}, 14)),
      materials.wood);
  const NodeId gear = add_turning("crank_gear", crank, {0, -0.16, 0.05}, 1);
  add(gear, "crank_disc", {},
      lie(make_lathe({{0, -0.012F}, {0.07F, -0.012F}, {0.07F, 0.012F}, {0, 0.012F}}, 20)),
      materials.brass);
  for (int tooth = 0; tooth < 8; ++tooth) {
    const double angle = tooth * straight_angle / 4;
    add(gear, "crank_tooth_" + std::to_string(tooth),
        {{0.078 * std::cos(angle), 0.078 * std::sin(angle), 0},
         make_turn({0, 0, 1}, angle),
         {1, 1, 1}},
        make_box({0.03F, 0.022F, 0.022F}, 0.5F), materials.brass);
  }
}

}  // namespace wakuzume::demo
