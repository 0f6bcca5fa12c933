// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <map>
#include <tuple>
#include <unordered_map>

#include "scene/elements.h"
#include "scene/running.h"
#include "survey/draws.h"
#include "survey/rules.h"

namespace wakuzume {
namespace {

/// Box of a position stream in its own space; not finite when any value is NaN or infinite.
struct LocalBox {
  Box3d box;
  bool finite = true;
};

LocalBox make_local_box(const Scene& scene, StreamId id) {
  LocalBox out;
  const std::vector<float> values = make_floats(scene, id);
  for (std::size_t i = 0; i + 2 < values.size(); i += 3) {
    const Vec3d point{static_cast<double>(values[i]), static_cast<double>(values[i + 1]),
                      static_cast<double>(values[i + 2])};
    out.finite =
        out.finite && std::isfinite(point[0]) && std::isfinite(point[1]) && std::isfinite(point[2]);
    out.box.include(point);
  }
  return out;
}

bool is_finite(const Mat4d& matrix) {
  return std::all_of(matrix.begin(), matrix.end(), [](double v) { return std::isfinite(v); });
}

/// Keys in first-seen order.
class KeyLexicon {
 public:
  explicit KeyLexicon(std::vector<MergeKey>& keys) : keys_(keys) {}

  KeyId add(const MergeKey& key) {
    const auto [slot, added] =
        known_.try_emplace(std::tuple(key.material, key.moving_root, key.topology, key.lightmap,
                                      key.tag, key.levels, key.layout),
                           make_id<KeyId>(keys_.size()));
    if (added) {
      keys_.push_back(key);
    }
    return slot->second;
  }

 private:
  std::vector<MergeKey>& keys_;
  std::map<std::tuple<MaterialId,
                      NodeId,
                      Topology,
                      std::string,
                      std::string,
                      std::vector<LevelId>,
                      std::string>,
           KeyId>
      known_;
};

class Surveyor {
 public:
  Surveyor(const Scene& scene, const SurveySettings& settings)
      : scene_(scene), facts_(make_scene_facts(scene, settings)), keys_(out_.keys) {
    out_.settings = settings;
    out_.stay_counts.assign(stay_rule_count, 0);
  }

  Result<Survey> run(const RunControl& run) {
    const std::vector<DrawRef> list = make_draw_list(scene_);
    if (!measure_boxes(list, run)) {
      return Failure(make_cancelled());
    }
    world_ = make_world_matrices(scene_);
    out_.draws.reserve(list.size());
    for (const DrawRef& ref : list) {
      add_draw(ref);
    }
    count_keys();
    out_.totals = count_totals(scene_);
    return std::move(out_);
  }

 private:
  bool measure_boxes(const std::vector<DrawRef>& list, const RunControl& run) {
    for (const DrawRef& ref : list) {
      const StreamId id = primitive_of(ref).find("POSITION");
      if (box_of_.try_emplace(id, boxes_.size()).second) {
        boxes_.emplace_back();
        box_streams_.push_back(id);
      }
    }
    return for_each_index(boxes_.size(), run, "measuring", [&](std::size_t i) {
      boxes_[i] = make_local_box(scene_, box_streams_[i]);
    });
  }

  [[nodiscard]] const Primitive& primitive_of(const DrawRef& ref) const {
    return scene_[scene_[ref.node].mesh].primitives[ref.primitive];
  }

  void add_draw(const DrawRef& ref) {
    const Node& node = scene_[ref.node];
    const Primitive& primitive = primitive_of(ref);
    const LocalBox& local = boxes_[box_of_.at(primitive.find("POSITION"))];
    const Mat4d& world = world_[to_index(ref.node)];
    Draw draw;
    draw.node = ref.node;
    draw.mesh = node.mesh;
    draw.primitive = ref.primitive;
    draw.material = primitive.material;
    draw.key = keys_.add(make_key(ref, primitive));
    draw.blended = primitive.material != no_material &&
                   scene_[primitive.material].alpha_mode == AlphaMode::blend;
    draw.mirrored = linear_determinant(world) < 0;
    draw.instances = count_instances(scene_, node);
    draw.vertices = count_vertices(scene_, primitive);
    if (find_topology(primitive.mode) == Topology::triangles) {
      draw.triangles = count_list_indices(scene_, primitive) / 3 * draw.instances;
    }
    draw.stay = find_stay(ref, primitive, local.finite && is_finite(world));
    if (draw.stay != StayRule::not_finite) {
      draw.box = make_transformed_box(world, local.box);
      out_.bounds.include(draw.box);
    }
    ++out_.stay_counts[static_cast<std::size_t>(draw.stay)];
    out_.draws.push_back(draw);
  }

  [[nodiscard]] StayRule find_stay(const DrawRef& ref,
                                   const Primitive& primitive,
                                   bool finite) const {
    const StayRule by_node = facts_.nodes[to_index(ref.node)].stay;
    if (by_node != StayRule::none) {
      return by_node;
    }
    if (!primitive.morph_targets.empty()) {
      return StayRule::morphing;
    }
    const Mesh& mesh = scene_[scene_[ref.node].mesh];
    if ((primitive.extra && !primitive.extra->extensions.empty()) ||
        (mesh.extra && !mesh.extra->extensions.empty())) {
      return StayRule::own_extension;
    }
    return finite ? StayRule::none : StayRule::not_finite;
  }

  [[nodiscard]] MergeKey make_key(const DrawRef& ref, const Primitive& primitive) const {
    const NodeFacts& facts = facts_.nodes[to_index(ref.node)];
    MergeKey key;
    key.material = primitive.material;
    key.moving_root = facts.moving_root;
    key.topology = find_topology(primitive.mode);
    key.tag = facts.tag;
    key.levels = facts_.level_sets[facts.level_set];
    key.layout = make_layout(scene_, primitive);
    key.lightmap = facts.lightmap;
    const std::string& name = out_.settings.lightmap_key;
    for (const Boxed<Extra>* extra : {&scene_[scene_[ref.node].mesh].extra, &primitive.extra}) {
      if (key.lightmap.empty()) {
        key.lightmap = find_extra(*extra, name);
      }
    }
    if (key.lightmap.empty() && primitive.material != no_material) {
      key.lightmap = find_extra(scene_[primitive.material].extra, name);
    }
    return key;
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
  SceneFacts facts_;
  Survey out_;
  KeyLexicon keys_;
  std::vector<Mat4d> world_;
  std::unordered_map<StreamId, std::size_t> box_of_;  // looked up only, never walked
  std::vector<StreamId> box_streams_;
  std::vector<LocalBox> boxes_;
};

}  // namespace

std::string_view to_string(StayRule rule) {
  constexpr std::string_view names[stay_rule_count] = {
      "none",           "animated", "skinned",  "morphing",  "marked_moving", "carries_light",
      "carries_camera", "collider", "excluded", "instanced", "own_extension", "not_finite"};
  return names[static_cast<std::size_t>(rule)];
}

std::string_view to_string(Topology topology) {
  constexpr std::string_view names[] = {"points", "lines", "triangles"};
  return names[static_cast<std::size_t>(topology)];
}

Result<Survey> survey(const Scene& scene, const SurveySettings& settings, const RunControl& run) {
  return Surveyor(scene, settings).run(run);
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
  for (const DrawRef& ref : make_draw_list(scene)) {
    const Node& node = scene[ref.node];
    const Primitive& primitive = scene[node.mesh].primitives[ref.primitive];
    const std::uint64_t instances = count_instances(scene, node);
    ++totals.draws;
    totals.vertices += count_vertices(scene, primitive) * instances;
    if (find_topology(primitive.mode) == Topology::triangles) {
      totals.triangles += count_list_indices(scene, primitive) / 3 * instances;
    }
    if (primitive.material != no_material) {
      used[to_index(primitive.material)] = true;
    }
  }
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
  if (!key.tag.empty()) {
    text += fmt::format(", tag {}", key.tag);
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
  if (key.moving_root != no_node) {
    text += fmt::format(", under {}", make_node_path(scene, key.moving_root));
  }
  return text;
}

}  // namespace wakuzume
