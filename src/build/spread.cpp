// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include "wakuzume/spread.h"

#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <cmath>
#include <limits>
#include <map>

#include "build/instances.h"
#include "plan/instance_values.h"
#include "scene/elements.h"
#include "survey/lightmaps.h"
#include "survey/rules.h"

namespace wakuzume {
namespace {

constexpr const char* instancing_extension = "EXT_mesh_gpu_instancing";

/// Values that each instance has beside its place, as members of a node's extras.
struct ExtraLane {
  std::string key;
  std::vector<double> values;
  std::uint32_t width = 1;
  bool is_place = false;  ///< on a lightmap page
};

class Spreader {
 public:
  Spreader(Scene& built, Ledger& ledger) : built_(built), ledger_(ledger) { note_hands(); }

  void spread() {
    for (LedgerResult& result : ledger_.results) {
      if (result.first_instance == no_node && built_[result.node].instancing) {
        spread(result);
      }
    }
    if (left_ > 0) {
      ledger_.left_out.push_back(fmt::format(
          "{} sets stay sets, as their instances carry what ordinary nodes can't: tints, values of "
          "four bytes, or places on lightmap pages where extras have no key for them",
          left_));
    }
    const bool needed = std::any_of(built_.nodes.begin(), built_.nodes.end(),
                                    [](const Node& node) { return bool(node.instancing); });
    if (!needed) {
      std::erase(built_.extensions_used, instancing_extension);
      std::erase(built_.extensions_required, instancing_extension);
    }
    ledger_.result_hash = make_content_hash(gather_instances(built_, ledger_));
  }

 private:
  void spread(LedgerResult& result) {
    const Instancing set = *built_[result.node].instancing;
    std::vector<ExtraLane> lanes;
    if (!find_lanes(result.node, set, lanes)) {
      ++left_;
      return;
    }
    const std::uint64_t count = count_of(set);
    const auto first = make_id<NodeId>(built_.nodes.size());
    const Node shown = built_[result.node];
    std::array<std::vector<double>, 3> places;
    for (const Attribute& attribute : set.attributes) {
      const std::size_t lane = find_place_lane(attribute.semantic);
      if (lane < places.size()) {
        places[lane] = make_doubles(built_, attribute.stream);
      }
    }
    for (std::uint64_t i = 0; i < count; ++i) {
      Node& node = built_.nodes.emplace_back();
      node.name = fmt::format("{}_{}", shown.name, i + 1);
      node.parent = result.node;
      node.mesh = shown.mesh;
      take(places[0], i, node.trs.translation);
      take(places[1], i, node.trs.rotation);
      take(places[2], i, node.trs.scale);
      give_extras(shown, lanes, i, node);
    }
    if (mirrored_[to_index(result.node)]) {
      const MeshId own = find_mirrored(shown.mesh);
      std::for_each(built_.nodes.begin() + static_cast<std::ptrdiff_t>(to_index(first)),
                    built_.nodes.end(), [&](Node& node) { node.mesh = own; });
    }
    Node& parent = built_.nodes[to_index(result.node)];
    parent.mesh = no_mesh;
    parent.instancing.reset();
    for (std::uint64_t i = 0; i < count; ++i) {
      parent.children.push_back(make_id<NodeId>(to_index(first) + i));
    }
    result.first_instance = first;
    result.instances = static_cast<std::uint32_t>(count);
  }

  /// Which nodes draw their mesh the other way round, and which meshes are drawn as they are. Of a
  /// set its first instance tells: all have the same hand.
  void note_hands() {
    const std::vector<Mat4d> worlds = make_world_matrices(built_);
    mirrored_.assign(built_.nodes.size(), false);
    upright_.assign(built_.meshes.size(), false);
    for (std::size_t n = 0; n < built_.nodes.size(); ++n) {
      const Node& node = built_.nodes[n];
      if (node.mesh != no_mesh) {
        mirrored_[n] = linear_determinant(worlds[n]) * find_set_hand(node) < 0;
        upright_[to_index(node.mesh)] = upright_[to_index(node.mesh)] || !mirrored_[n];
      }
    }
  }

  /// Below nought: the instances of a node are mirrored.
  [[nodiscard]] double find_set_hand(const Node& node) const {
    double hand = 1;
    if (node.instancing) {
      for (const Attribute& attribute : node.instancing->attributes) {
        if (attribute.semantic == "SCALE" && built_[attribute.stream].count > 0) {
          const std::vector<double> scales = make_doubles(built_, attribute.stream);
          hand *= scales[0] * scales[1] * scales[2];
        }
      }
    }
    return hand;
  }

  /// Engines that instance equal meshes by themselves draw one hand at a time, and take those for
  /// equal that are one mesh of the file. So what is mirrored has a mesh of its own, with the same
  /// streams, where others show it upright.
  MeshId find_mirrored(MeshId mesh) {
    if (!upright_[to_index(mesh)]) {
      return mesh;
    }
    const auto [slot, added] =
        mirror_meshes_.try_emplace(mesh, make_id<MeshId>(built_.meshes.size()));
    if (added) {
      built_.meshes.push_back(Mesh(built_[mesh]));
    }
    return slot->second;
  }

  static std::size_t find_place_lane(std::string_view semantic) {
    return semantic == "TRANSLATION" ? 0 : semantic == "ROTATION" ? 1 : semantic == "SCALE" ? 2 : 3;
  }

  std::uint64_t count_of(const Instancing& set) const {
    return set.attributes.empty() ? 0 : built_[set.attributes.front().stream].count;
  }

  template <class To>
  static void take(const std::vector<double>& lane, std::uint64_t i, To& to) {
    if (!lane.empty()) {
      std::copy_n(lane.begin() + static_cast<std::ptrdiff_t>(i * to.size()), to.size(), to.begin());
    }
  }

  /// \return false where some value has no place in a node
  bool find_lanes(NodeId id, const Instancing& set, std::vector<ExtraLane>& lanes) const {
    const Boxed<Extra>& extra = built_[id].extra;
    const bool open = !extra || extra->extras.empty() || extra->extras.front() == '{';
    for (const Attribute& attribute : set.attributes) {
      if (find_place_lane(attribute.semantic) < 3) {
        continue;
      }
      ExtraLane lane;
      const Stream& stream = built_[attribute.stream];
      lane.width = component_count(stream.element);
      const std::string& places = ledger_.lightmap_transform_key;
      if (attribute.semantic == lightmap_semantic && !places.empty() &&
          places != own_transform_key) {
        lane.key = places;
        lane.is_place = true;
      } else {
        lane.key = find_value_name(attribute.semantic);
      }
      if (lane.key.empty() || !open || stream.component != ComponentType::f32) {
        return false;
      }
      lane.values = make_doubles(built_, attribute.stream);
      lanes.push_back(std::move(lane));
    }
    return true;
  }

  /// The key of a value in a node's extras; empty: the ledger knows of none.
  [[nodiscard]] std::string find_value_name(const std::string& semantic) const {
    for (const std::string& name : ledger_.instance_values) {
      if (find_value_semantic(name) == semantic) {
        const std::string_view key = find_value_key(name);
        return key.empty() ? name : std::string(key);
      }
    }
    return {};
  }

  static void give_extras(const Node& set,
                          const std::vector<ExtraLane>& lanes,
                          std::uint64_t i,
                          Node& node) {
    if (set.extra && !set.extra->extras.empty()) {
      node.extra.ensure().extras = set.extra->extras;
    }
    for (const ExtraLane& lane : lanes) {
      const double* const value = &lane.values[i * lane.width];
      const std::vector<float> numbers(value, value + lane.width);
      const std::string json =
          lane.is_place     ? to_json(LightmapPlace{{value[0], value[1]}, {value[2], value[3]}})
          : lane.width == 1 ? fmt::format("{}", numbers.front())
                            : fmt::format("[{}]", fmt::join(numbers, ","));
      std::string& extras = node.extra.ensure().extras;
      extras = put_member(extras, lane.key, json);
    }
  }

  Scene& built_;
  Ledger& ledger_;
  std::vector<bool> mirrored_;              ///< by node, before anything was spread
  std::vector<bool> upright_;               ///< by mesh: something shows it so
  std::map<MeshId, MeshId> mirror_meshes_;  ///< by the mesh that is upright
  std::size_t left_ = 0;
};

/// Where a node stands below its parent, if three of its own can say it.
Trs find_place(const Node& node) {
  Trs trs = node.trs;
  if (node.matrix && decompose(*node.matrix, trs) != Decomposed::exact) {
    trs.translation.fill(std::numeric_limits<double>::quiet_NaN());
  }
  return trs;
}

void gather(const LedgerResult& result, const std::string& place_key, Scene& scene) {
  Node& set = scene.nodes[to_index(result.node)];
  const std::size_t first = to_index(result.first_instance);
  if (set.mesh != no_mesh || first + result.instances > scene.nodes.size()) {
    return;
  }
  std::vector<Trs> places;
  InstanceLane lightmap;
  lightmap.semantic = lightmap_semantic;
  lightmap.element = ElementType::vec4;
  bool moves = false;
  const MeshId mesh = result.instances == 0 ? no_mesh : scene.nodes[first].mesh;
  for (std::size_t i = 0; i < result.instances; ++i) {
    Node& node = scene.nodes[first + i];
    Trs place = find_place(node);
    if (node.parent != result.node || node.mesh != mesh || mesh == no_mesh || node.instancing) {
      place.translation.fill(std::numeric_limits<double>::quiet_NaN());
    } else {
      const LightmapPlace lit =
          find_lightmap_place(scene, node, scene[mesh].primitives.front(), place_key);
      moves = moves || !(lit == LightmapPlace{});
      lightmap.values.insert(lightmap.values.end(),
                             {lit.scale[0], lit.scale[1], lit.offset[0], lit.offset[1]});
      node.mesh = no_mesh;
      node.parent = no_node;
    }
    places.push_back(place);
  }
  std::erase_if(set.children, [&](NodeId child) {
    return to_index(child) >= first && to_index(child) < first + result.instances;
  });
  InstanceSet made(places, moves ? std::vector{lightmap} : std::vector<InstanceLane>{});
  set.mesh = mesh;
  set.instancing = made.add_to(scene);
}

}  // namespace

void spread_instances(Scene& built, Ledger& ledger) {
  if (ledger.instances == InstanceForm::nodes) {
    Spreader(built, ledger).spread();
  }
}

Scene gather_instances(Scene built, const Ledger& ledger) {
  const std::string& key = ledger.lightmap_transform_key;
  const bool own = key == own_transform_key;
  for (const LedgerResult& result : ledger.results) {
    if (result.first_instance != no_node && to_index(result.node) < built.nodes.size()) {
      gather(result, own ? std::string() : key, built);
    }
  }
  return built;
}

}  // namespace wakuzume
