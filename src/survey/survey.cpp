// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <map>
#include <optional>
#include <set>
#include <tuple>
#include <unordered_map>

#include "scene/hasher.h"
#include "scene/matrix.h"
#include "survey/answers.h"
#include "survey/draws.h"
#include "survey/lightmaps.h"
#include "survey/parts.h"
#include "survey/reach.h"
#include "survey/references.h"
#include "survey/rigs.h"
#include "survey/rules.h"
#include "survey/shapes.h"

namespace wakuzume {
namespace {

/// What is stored anew is stored as floats, which reach a little further.
constexpr double farthest_m = 1e37;

bool fits_floats(const Mat4d& matrix) {
  return std::all_of(matrix.begin(), matrix.end(),
                     [](double v) { return std::abs(v) <= farthest_m; });
}

bool fits_floats(const Box3d& box) {
  return box.empty() ||
         std::max({std::abs(box.min[0]), std::abs(box.min[1]), std::abs(box.min[2]),
                   std::abs(box.max[0]), std::abs(box.max[1]), std::abs(box.max[2])}) <= farthest_m;
}

/// What a shape gives to the keys of its draws, by number.
struct ShapeKey {
  std::uint32_t layout = 0;
  std::uint32_t bending_layout = 0;  ///< of what is deformed, or may become so
  /// Of the mesh, else the primitive, else the material: its page and its place there.
  std::uint32_t lightmap = 0;
  std::uint32_t lightmap_place = 0;
};

/// A merge key by numbers: cheap to make and to compare for every draw.
using KeyNumbers = std::array<std::uint32_t, 10>;

struct HashNumbers {
  std::size_t operator()(const KeyNumbers& numbers) const {
    return static_cast<std::size_t>(XXH3_64bits(numbers.data(), sizeof numbers));
  }
};

/// Animations that move the weights of some nodes by steps and those of others smoothly.
class SteppedWeights {
 public:
  explicit SteppedWeights(const Scene& scene) {
    for (std::size_t a = 0; a < scene.animations.size(); ++a) {
      const Animation& animation = scene.animations[a];
      std::set<NodeId> steps;
      bool smooth = false;
      for (const AnimationChannel& channel : animation.channels) {
        if (channel.path == "weights") {
          const bool step = animation.samplers[channel.sampler].interpolation == "STEP";
          smooth = smooth || !step;
          if (step) {
            steps.insert(channel.node);
          }
        }
      }
      for (const NodeId node : steps) {
        if (smooth) {
          of_node_[node] += fmt::format("{}weights in steps by animation {}",
                                        of_node_[node].empty() ? "" : " ", a);
        }
      }
    }
  }
  [[nodiscard]] std::string find(NodeId node) const {
    const auto at = of_node_.find(node);
    return at == of_node_.end() ? std::string() : at->second;
  }

 private:
  std::map<NodeId, std::string> of_node_;
};

class Surveyor {
 public:
  /// \param shapes  those of the draws, where they are known
  Surveyor(const Scene& scene,
           const SurveySettings& settings,
           const SurveyWishes& wishes,
           TermHits hits,
           Shapes shapes)
      : scene_(scene),
        wishes_(wishes),
        hits_(std::move(hits)),
        shapes_(std::move(shapes)),
        shares_uvs_(scene, settings.lightmap_uv_set) {
    out_.settings = settings;
    out_.stay_counts.assign(stay_rule_count, 0);
  }

  /// \param list  draws of the scene
  Result<Survey> run(const std::vector<DrawRef>& list, const RunControl& run) {
    auto facts = make_scene_facts(scene_, out_.settings, wishes_, hits_, run);
    if (!facts) {
      return Failure(facts.error());
    }
    facts_ = std::move(*facts);
    if (shapes_.first_slot.empty()) {
      auto shapes = make_shapes(scene_, list, run);
      if (!shapes) {
        return Failure(shapes.error());
      }
      shapes_ = std::move(*shapes);
    }
    find_all_rigs();
    describe_shapes();
    const std::vector<Mat4d> world = make_world_matrices(scene_);
    out_.draws.reserve(list.size());
    for (const DrawRef& ref : list) {
      add_draw(ref, world[to_index(ref.node)]);
    }
    count_keys();
    out_.totals = count_totals(scene_);
    out_.shapes = std::move(shapes_.shapes);
    out_.families = std::move(shapes_.families);
    out_.causes = std::move(facts_.causes);
    out_.constant_nodes = std::move(facts_.constant_nodes);
    return std::move(out_);
  }

  /// The shapes, once the survey has been made. \param made  what they went into
  Shapes give_shapes(Survey made) {
    shapes_.shapes = std::move(made.shapes);
    shapes_.families = std::move(made.families);
    return std::move(shapes_);
  }

 private:
  void find_all_rigs() {
    std::vector<bool> moves;
    std::transform(facts_.nodes.begin(), facts_.nodes.end(), std::back_inserter(moves),
                   [](const NodeFacts& node) { return node.animated; });
    out_.rigs = find_rigs(scene_, moves);
    joints_.emplace(scene_, out_.rigs);
  }

  /// Pipelines, layouts and lightmaps, once for all draws that show a shape.
  void describe_shapes() {
    std::map<std::tuple<std::string, AlphaMode, bool, Topology, std::string>, PipelineId> known;
    for (Shape& shape : shapes_.shapes) {
      const Primitive& primitive = primitive_of(scene_, shape);
      PipelineKey pipeline = make_pipeline_key(scene_, primitive);
      const auto [slot, added] =
          known.try_emplace({pipeline.shading, pipeline.alpha_mode, pipeline.double_sided,
                             pipeline.topology, pipeline.layout},
                            make_id<PipelineId>(out_.pipelines.size()));
      if (added) {
        out_.pipelines.push_back(std::move(pipeline));
      }
      shape.pipeline = slot->second;
      ShapeKey key;
      key.layout = facts_.texts.add(make_layout(scene_, primitive));
      key.bending_layout = facts_.texts.add(make_bending_layout(scene_, primitive));
      const auto add = [&](const std::string& extra) {
        return facts_.texts.add(find_shape_lightmap(scene_, shape.mesh, primitive, extra));
      };
      key.lightmap = add(out_.settings.lightmap_key);
      const ImageId own =
          key.lightmap == 0 ? find_lightmap_image(scene_, shape.material) : no_image;
      if (own != no_image) {
        key.lightmap = facts_.texts.add(name_lightmap_page(own));
      }
      key.lightmap_place = add(out_.settings.lightmap_transform_key);
      shape_keys_.push_back(key);
    }
  }

  /// What the extras say of a place, among the texts.
  [[nodiscard]] std::uint32_t find_place_text(const Draw& draw) const {
    const std::uint32_t own = facts_.nodes[to_index(draw.node)].lightmap_place;
    return own != 0 ? own : shape_keys_[to_index(draw.shape)].lightmap_place;
  }

  /// Position in the places, by what the extras say. UVs that another texture is looked up in can't
  /// follow: of those the place stays where it is, and keeps draws apart.
  std::uint32_t find_place(const Draw& draw) {
    const std::uint32_t text = find_place_text(draw);
    if (text == 0 || shares_uvs_.has(draw.material)) {
      return 0;
    }
    const auto [slot, added] = place_of_.try_emplace(text, 0);
    const auto place = added ? read_lightmap_place(facts_.texts[text]) : std::nullopt;
    if (place && *place != LightmapPlace{}) {
      slot->second = static_cast<std::uint32_t>(out_.lightmap_places.size());
      out_.lightmap_places.push_back(*place);
    }
    return slot->second;
  }

  void add_draw(const DrawRef& ref, const Mat4d& world) {
    const Node& node = scene_[ref.node];
    Draw draw;
    draw.shape = shapes_.find(node.mesh, ref.primitive);
    const Shape& shape = shapes_.shapes[to_index(draw.shape)];
    draw.node = ref.node;
    draw.mesh = node.mesh;
    draw.primitive = ref.primitive;
    draw.material = shape.material;
    draw.deformed = node.skin != no_skin || !primitive_of(scene_, shape).morph_targets.empty();
    draw.lightmap_place = find_place(draw);
    draw.blended =
        shape.material != no_material && scene_[shape.material].alpha_mode == AlphaMode::blend;
    draw.mirrored = linear_determinant(world) < 0;
    draw.instances = count_instances(scene_, node);
    draw.vertices = shape.vertices;
    draw.triangles = shape.triangles * draw.instances;
    const bool placed = shape.finite && fits_floats(world);
    const Box3d box = !placed         ? Box3d{}
                      : draw.deformed ? find_reach(ref)
                                      : make_world_box(world, node, shape.box);
    find_stay(draw, placed && fits_floats(box));
    draw.key = find_key(draw, shape);
    if (draw.stay != StayRule::not_finite) {
      draw.box = box;
      out_.bounds.include(box);
    }
    ++out_.stay_counts[static_cast<std::size_t>(draw.stay)];
    out_.draws.push_back(draw);
  }

  /// Around all instances of a set, each a transform before the node's own.
  [[nodiscard]] Box3d make_world_box(const Mat4d& world, const Node& node, const Box3d& box) const {
    if (!node.instancing || node.instancing->attributes.empty()) {
      return make_transformed_box(world, box);
    }
    Box3d around;
    for (const Trs& trs : make_instance_transforms(scene_, node)) {
      around.include(make_transformed_box(make_matrix(trs), box));
    }
    return around.empty() ? Box3d{} : make_transformed_box(world, around);
  }

  Box3d find_reach(const DrawRef& ref) {
    if (!reach_) {
      reach_.emplace(scene_);
    }
    return reach_->find(ref.node, ref.primitive);
  }

  /// How a shape under a skin is bound: the first rig of its skeleton that it can be bound to.
  struct Bound {
    RigId rig = no_rig;
    std::string fault;
  };

  /// \pre its node has a skin
  const Bound& find_bound(const Draw& draw) {
    const SkinId skin = scene_[draw.node].skin;
    const auto [slot, added] = bound_.try_emplace({draw.shape, skin});
    Bound& bound = slot->second;
    if (!added) {
      return bound;
    }
    const RigId first = joints_->rig(scene_.skins[to_index(skin)].joints.front());
    const std::uint32_t skeleton = out_[first].skeleton;
    for (std::size_t r = skeleton; r < out_.rigs.size(); ++r) {
      if (out_.rigs[r].skeleton != skeleton) {
        break;
      }
      bound.fault = make_binding(scene_, out_.rigs[r], skin, primitive_of(scene_, draw)).fault;
      if (bound.fault.empty()) {
        bound.rig = make_id<RigId>(r);
        break;
      }
    }
    return bound;
  }

  /// Why what is deformed can't be part of another mesh; empty: it can.
  std::string find_deformed_fault(const Draw& draw) {
    const bool skinned = scene_[draw.node].skin != no_skin;
    if (skinned && find_bound(draw).rig == no_rig) {
      return find_bound(draw).fault;
    }
    const NodeId home = skinned ? out_[find_bound(draw).rig].home : scene_[draw.node].parent;
    if (!naming_) {
      naming_.emplace(scene_);
    }
    const std::string named = naming_->find(draw.node, home);
    return named.empty() ? named : named + " speaks of it";
  }

  void find_stay(Draw& draw, bool finite) {
    const NodeFacts& facts = facts_.nodes[to_index(draw.node)];
    draw.stay = facts.stay;
    draw.cause = facts.cause;
    const auto stays = [&](StayRule rule, std::string why) {
      draw.stay = rule;
      draw.cause = static_cast<std::uint32_t>(facts_.causes.size());
      facts_.causes.push_back({rule, draw.node, std::move(why)});
    };
    const std::size_t number = out_.draws.size();
    if (!hits_.keep.empty() && draw.stay != StayRule::excluded && draw.stay != StayRule::collider) {
      if (hits_.keep[number] != no_index) {
        return stays(StayRule::excluded, tell_match(wishes_.keep[hits_.keep[number]]));
      }
      if (hits_.collider[number] != no_index) {
        return stays(StayRule::collider, tell_match(wishes_.collider[hits_.collider[number]]));
      }
    }
    if (draw.stay != StayRule::none && !moves_with_others(draw.stay)) {
      return;
    }
    const Mesh& mesh = scene_[draw.mesh];
    const Primitive& primitive = mesh.primitives[draw.primitive];
    for (const Boxed<Extra>* extra : {&primitive.extra, &mesh.extra}) {
      if (*extra && !(*extra)->extensions.empty()) {
        return stays(StayRule::own_extension, "its mesh has " + (*extra)->extensions.front().name);
      }
    }
    if (!finite) {
      return stays(StayRule::not_finite,
                   "has positions or a transform that are not finite, or too large for floats");
    }
    if (!draw.deformed) {
      return;
    }
    if (std::string fault = find_deformed_fault(draw); !fault.empty()) {
      const bool apart = scene_[draw.node].skin != no_skin && find_bound(draw).rig == no_rig;
      stays(apart ? StayRule::bound_apart : StayRule::own_extension, std::move(fault));
    } else if (scene_[draw.node].skin == no_skin) {
      stays(StayRule::morphing, "its primitive has morph targets");
    }
  }

  KeyId find_key(const Draw& draw, const Shape& shape) {
    const NodeFacts& node = facts_.nodes[to_index(draw.node)];
    const ShapeKey& own = shape_keys_[to_index(draw.shape)];
    const std::uint32_t lightmap = node.lightmap != 0 ? node.lightmap : own.lightmap;
    const bool skinned = draw.stay == StayRule::skinned && scene_[draw.node].skin != no_skin;
    const bool morphs = draw.stay == StayRule::morphing;
    const RigId rig = skinned ? find_bound(draw).rig : find_carrier(draw, node.moving_root);
    const NodeId root = skinned                                 ? out_[rig].home
                        : morphs && node.moving_root == no_node ? draw.node
                                                                : node.moving_root;
    std::uint32_t layout = skinned || morphs || rig != no_rig ? own.bending_layout : own.layout;
    if (draw.deformed) {
      layout = add_steps(draw, layout);
    }
    if (const std::uint32_t place = find_place_text(draw);
        place != 0 && shares_uvs_.has(draw.material)) {
      layout = facts_.texts.add(fmt::format("{}{}UVs of its textures for a lightmap at {}",
                                            facts_.texts[layout], layout == 0 ? "" : " ",
                                            facts_.texts[place]));
    }
    const KeyNumbers numbers{static_cast<std::uint32_t>(draw.material),
                             static_cast<std::uint32_t>(root),
                             static_cast<std::uint32_t>(rig),
                             skinned ? 1U : 0U,
                             static_cast<std::uint32_t>(shape.topology),
                             lightmap,
                             node.tags,
                             node.level,
                             node.level_set,
                             layout};
    const auto [slot, added] = key_of_.try_emplace(numbers, make_id<KeyId>(out_.keys.size()));
    if (added) {
      MergeKey key;
      key.material = draw.material;
      key.moving_root = root;
      key.rig = rig;
      key.deformed = skinned;
      key.topology = shape.topology;
      key.lightmap = facts_.texts[lightmap];
      key.tags = facts_.tag_sets[node.tags];
      key.level = facts_.texts[node.level];
      key.levels = facts_.level_sets[node.level_set];
      key.layout = facts_.texts[layout];
      out_.keys.push_back(std::move(key));
    }
    return slot->second;
  }

  /// Of the rig that a moving root is a joint of, where what hangs on it can be bound.
  [[nodiscard]] RigId find_carrier(const Draw& draw, NodeId root) const {
    const RigId rig = joints_->rig(root);
    const std::vector<Attribute>& attributes = primitive_of(scene_, draw).attributes;
    const bool has_influences =
        std::any_of(attributes.begin(), attributes.end(),
                    [](const Attribute& a) { return is_influence(a.semantic); });
    return rig != no_rig && !draw.deformed && !has_influences &&
                   is_invertible(out_[rig].inverse_binds[joints_->number(root)])
               ? rig
               : no_rig;
  }

  /// Weights that go by steps, in an animation that moves others smoothly, need tracks of their
  /// own.
  std::uint32_t add_steps(const Draw& draw, std::uint32_t layout) {
    if (!steps_) {
      steps_.emplace(scene_);
    }
    const std::string own = steps_->find(draw.node);
    return own.empty() ? layout
                       : facts_.texts.add(fmt::format("{}{}{}", facts_.texts[layout],
                                                      layout == 0 ? "" : " ", own));
  }

  void count_keys() {
    out_.key_uses.resize(out_.keys.size());
    for (std::size_t k = 0; k < out_.keys.size(); ++k) {
      out_.key_uses[k].key = make_id<KeyId>(k);
    }
    for (const Draw& draw : out_.draws) {
      KeyUse& use = out_.key_uses[to_index(draw.key)];
      ++use.draws;
      use.staying += draw.stay == StayRule::none ? 0 : 1;
      use.triangles += draw.triangles;
    }
    std::stable_sort(out_.key_uses.begin(), out_.key_uses.end(),
                     [](const KeyUse& a, const KeyUse& b) { return a.draws > b.draws; });
  }

  const Scene& scene_;
  const SurveyWishes& wishes_;
  TermHits hits_;
  SceneFacts facts_;
  Shapes shapes_;
  std::vector<ShapeKey> shape_keys_;
  std::unordered_map<KeyNumbers, KeyId, HashNumbers> key_of_;  // looked up only, never walked
  std::unordered_map<std::uint32_t, std::uint32_t> place_of_;  // by text; the same
  std::optional<JointIndex> joints_;
  std::optional<Reach> reach_;
  std::optional<Naming> naming_;
  std::optional<SteppedWeights> steps_;
  std::map<std::pair<ShapeId, SkinId>, Bound> bound_;
  Survey out_;
  UvSharing shares_uvs_;
};

}  // namespace

std::string to_string(const std::vector<Tag>& tags) {
  std::string out;
  for (const Tag& tag : tags) {
    out += fmt::format("{}{} {}", out.empty() ? "" : ", ", tag.word, tag.value);
  }
  return out;
}

std::string_view to_string(StayRule rule) {
  constexpr std::string_view names[stay_rule_count] = {
      "none",          "animated",      "skinned",        "morphing",   "physics",
      "marked_moving", "carries_light", "carries_camera", "collider",   "excluded",
      "instanced",     "own_extension", "not_finite",     "bound_apart"};
  return names[static_cast<std::size_t>(rule)];
}

std::string_view to_string(Topology topology) {
  constexpr std::string_view names[] = {"points", "lines", "triangles"};
  return names[static_cast<std::size_t>(topology)];
}

Result<void> validate(const SurveySettings& settings) {
  constexpr std::uint32_t last_set = 15;
  if (settings.lightmap_uv_set > last_set) {
    return Failure(Error{ErrorCode::bad_setting,
                         fmt::format("survey.lightmap_uv_set must be from 0 to {}", last_set),
                         {}});
  }
  for (const std::string& key : settings.tag_keys) {
    if (key.empty() || key.starts_with('=') || key.ends_with('=')) {
      return Failure(Error{
          ErrorCode::bad_setting,
          fmt::format("survey.tag_keys has '{}'; write a key of extras, or key=what it is", key),
          {}});
    }
  }
  const auto wishes = SurveyWishes::parse(settings);
  return wishes ? Result<void>() : Failure(wishes.error());
}

Result<Survey> survey(const Scene& scene, const SurveySettings& settings, const RunControl& run) {
  const auto wishes = SurveyWishes::parse(settings);
  if (!wishes) {
    return Failure(wishes.error());
  }
  const std::vector<DrawRef> list = make_draw_list(scene);
  SurveySettings asked = settings;
  Shapes shapes;
  if (has_open(*wishes, asked.answers)) {
    Surveyor plain(scene, settings, *wishes, {}, {});
    auto found = plain.run(list, run);
    if (!found) {
      return found;
    }
    for (const auto* texts :
         {&settings.moving_nodes, &settings.keep_nodes, &settings.collider_nodes}) {
      if (auto done = answer_wishes(scene, *texts, *found, run); !done) {
        return Failure(done.error());
      }
    }
    asked.answers = found->settings.answers;
    shapes = plain.give_shapes(std::move(*found));
  }
  TermHits hits =
      wishes->has_terms() ? make_term_hits(scene, *wishes, asked.answers, list) : TermHits{};
  auto found = Surveyor(scene, asked, *wishes, std::move(hits), std::move(shapes)).run(list, run);
  if (found) {
    if (auto counted = count_wishes(scene, *wishes, *found, run); !counted) {
      return Failure(counted.error());
    }
  }
  return found;
}

Totals count_totals(const Scene& scene) {
  Totals totals;
  totals.nodes = scene.nodes.size();
  totals.meshes = scene.meshes.size();
  for (const Mesh& mesh : scene.meshes) {
    totals.primitives += mesh.primitives.size();
  }
  totals.textures = scene.textures.size();
  totals.images = scene.images.size();
  for (const BlockView& view : scene.views) {
    totals.bytes += view.length;
  }
  for (const Image& image : scene.images) {
    totals.bytes += image.bytes.size();
  }
  std::vector<bool> used(scene.materials.size(), false);
  const MeshDraws drawn(scene);
  std::vector<bool> seen(scene.meshes.size(), false);
  for_each_shown_node(scene, [&](NodeId id) {
    const Node& node = scene[id];
    if (node.mesh == no_mesh) {
      return;
    }
    const MeshDraws::Sum& sum = drawn[node.mesh];
    const std::uint64_t instances = count_instances(scene, node);
    totals.draws += sum.primitives.size();
    totals.vertices += sum.vertices * instances;
    totals.triangles += sum.triangles * instances;
    if (!seen[to_index(node.mesh)]) {
      seen[to_index(node.mesh)] = true;
      for (const std::uint32_t p : sum.primitives) {
        const MaterialId material = scene[node.mesh].primitives[p].material;
        if (material != no_material) {
          used[to_index(material)] = true;
        }
      }
    }
  });
  totals.materials = static_cast<std::uint64_t>(std::count(used.begin(), used.end(), true));
  return totals;
}

std::string to_string(const Scene& scene, const MergeKey& key) {
  std::string text = "default material";
  if (key.material != no_material) {
    const std::string& name = scene[key.material].name;
    text = name.empty() ? fmt::format("material {}", to_index(key.material)) : name;
    if (scene[key.material].alpha_mode == AlphaMode::blend) {
      text += ", blended";
    }
  }
  if (key.topology != Topology::triangles) {
    text += fmt::format(", {}", to_string(key.topology));
  }
  if (!key.lightmap.empty()) {
    text += fmt::format(", lightmap {}", key.lightmap);
  }
  if (!key.level.empty()) {
    text += fmt::format(", level {}", key.level);
  }
  if (!key.tags.empty()) {
    text += ", " + to_string(key.tags);
  }
  if (!key.layout.empty()) {
    text += fmt::format(", with {}", key.layout);
  }
  if (scene.levels.size() > 1 && !key.levels.empty()) {
    std::vector<std::size_t> levels;
    std::transform(key.levels.begin(), key.levels.end(), std::back_inserter(levels),
                   [](LevelId id) { return to_index(id); });
    text += fmt::format(", scene {}", fmt::join(levels, "+"));
  }
  if (key.deformed) {
    text += ", skinned";
  }
  if (key.moving_root != no_node) {
    text += fmt::format(", under {}", make_node_path(scene, key.moving_root));
  }
  return text;
}

}  // namespace wakuzume
