// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include <fmt/format.h>

#include <algorithm>
#include <map>
#include <set>

#include "scene/members.h"
#include "survey/draw_columns.h"
#include "survey/wish.h"
#include "texture/material_rules.h"
#include "texture/uses.h"
#include "wakuzume/routes.h"

// Which materials are to stay among themselves.
namespace wakuzume {
namespace {

constexpr std::size_t most_named = 10;

class MaterialGrouper {
 public:
  MaterialGrouper(const Scene& scene, const Survey& survey, const MaterialSettings& settings)
      : scene_(scene),
        survey_(survey),
        settings_(settings),
        of_draw_(survey.draws.size(), no_index) {
    const MaterialRules rules(scene);
    for (const Draw& draw : survey.draws) {
      counts_.push_back(draw.material != no_material && !rules.leaves_alone(draw));
    }
  }

  Result<MaterialGroups> run(const RunControl& run) {
    if (auto grouped = group_by_hand(run); !grouped) {
      return Failure(grouped.error());
    }
    if (!settings_.place_key.empty()) {
      group_by_place();
    }
    if (auto allowed = check_ungrouped(); !allowed) {
      return Failure(allowed.error());
    }
    give_materials();
    std::erase_if(out_.groups, [](const MaterialGroup& g) { return g.materials.empty(); });
    return std::move(out_);
  }

 private:
  std::uint32_t find_group(const std::string& name, bool by_hand) {
    const auto [slot, added] = numbers_.try_emplace(std::pair(by_hand, name),
                                                    static_cast<std::uint32_t>(out_.groups.size()));
    if (added) {
      out_.groups.push_back({name, by_hand, {}, no_index, {}});
    }
    return slot->second;
  }

  Result<void> group_by_hand(const RunControl& run) {
    for (const std::string& entry : settings_.together) {
      if (auto added = add(entry, find_group(cut_entry(entry).value, true), run); !added) {
        return added;
      }
    }
    for (const std::string& entry : settings_.layouts) {
      const auto layout = find_layout(cut_entry(entry).value);
      const std::uint32_t group = find_group(layout->name, true);
      out_.groups[group].layout_set = layout->set;
      out_.groups[group].size = layout->size;
      if (auto added = add(entry, group, run); !added) {
        return added;
      }
    }
    return {};
  }

  Result<void> add(const std::string& entry, std::uint32_t group, const RunControl& run) {
    // Terms speak of draws, a name of all draws that show its material.
    const std::string wish = to_material_terms(cut_entry(entry).wish);
    const auto draws = find_draws(scene_, survey_, wish, WishOver::node_paths, run);
    if (!draws) {
      return Failure(draws.error());
    }
    for (const DrawId draw : *draws) {
      const std::size_t d = to_index(draw);
      of_draw_[d] = counts_[d] && of_draw_[d] == no_index ? group : of_draw_[d];
    }
    return {};
  }

  void group_by_place() {
    for (std::size_t d = 0; d < of_draw_.size(); ++d) {
      if (counts_[d] && of_draw_[d] == no_index) {
        const std::string place =
            find_extra_above(scene_, survey_.draws[d].node, settings_.place_key);
        of_draw_[d] = place.empty() ? no_index : find_group(place, false);
      }
    }
  }

  [[nodiscard]] Result<void> check_ungrouped() const {
    if (settings_.ungrouped == Ungrouped::allowed) {
      return {};
    }
    std::map<MaterialId, std::size_t> open;
    for (std::size_t d = 0; d < of_draw_.size(); ++d) {
      if (counts_[d] && of_draw_[d] == no_index) {
        ++open[survey_.draws[d].material];
      }
    }
    if (open.empty()) {
      return {};
    }
    std::vector<std::string> named;
    for (const auto& [material, draws] : open) {
      if (named.size() == most_named) {
        named.push_back(fmt::format("and {} more", open.size() - most_named));
        break;
      }
      named.push_back(fmt::format("{} ({} draws)", column_name(scene_, material), draws));
    }
    return Failure(Error{
        ErrorCode::bad_setting,
        fmt::format("materials.ungrouped is \"refused\", and {} of the materials are in no group: "
                    "{}; name a group for each in materials.together, or allow them",
                    open.size(), fmt::join(named, ", ")),
        {}});
  }

  /// The draws in no group keep a material that they show, else those of its first group do.
  void give_materials() {
    std::map<MaterialId, std::map<std::uint32_t, std::vector<DrawRef>>> shown;
    std::set<MaterialId> kept;
    for (std::size_t d = 0; d < of_draw_.size(); ++d) {
      const Draw& draw = survey_.draws[d];
      if (of_draw_[d] != no_index) {
        shown[draw.material][of_draw_[d]].push_back({draw.node, draw.primitive});
      } else if (counts_[d]) {
        kept.insert(draw.material);
      }
    }
    for (auto& [material, groups] : shown) {
      bool free = !kept.contains(material);
      for (auto& [group, draws] : groups) {
        MaterialId id = material;
        if (!free) {
          id = make_id<MaterialId>(scene_.materials.size() + out_.copies.size());
          out_.copies.push_back({material, id, std::move(draws)});
        }
        free = false;
        out_.groups[group].materials.push_back(id);
      }
    }
    for (MaterialGroup& group : out_.groups) {
      std::sort(group.materials.begin(), group.materials.end());
    }
  }

  const Scene& scene_;
  const Survey& survey_;
  const MaterialSettings& settings_;
  MaterialGroups out_;
  std::map<std::pair<bool, std::string>, std::uint32_t> numbers_;
  std::vector<bool> counts_;            ///< by draw: its material may change
  std::vector<std::uint32_t> of_draw_;  ///< group, or no_index
};

Failure refuse(std::string what, std::size_t copy) {
  return Failure(Error{ErrorCode::plan_mismatch,
                       std::move(what),
                       {"", fmt::format("/materials/grouped/copies/{}", copy)}});
}

bool is_shown(const Scene& scene, const DrawRef& draw) {
  return to_index(draw.node) < scene.nodes.size() && scene[draw.node].mesh != no_mesh &&
         draw.primitive < scene[scene[draw.node].mesh].primitives.size();
}

}  // namespace

Result<MaterialGroups> find_material_groups(const Scene& scene,
                                            const Survey& survey,
                                            const MaterialSettings& settings,
                                            const RunControl& run) {
  return MaterialGrouper(scene, survey, settings).run(run);
}

Result<void> group_materials(const MaterialGroups& groups, Scene& scene) {
  // By node, what its primitives show.
  std::map<NodeId, std::map<std::uint32_t, MaterialId>> changes;
  for (std::size_t c = 0; c < groups.copies.size(); ++c) {
    const MaterialCopy& copy = groups.copies[c];
    if (to_index(copy.from) >= scene.materials.size() ||
        to_index(copy.to) > scene.materials.size()) {
      return refuse(fmt::format("a copy of material {} as {}, and the scene has {}",
                                to_index(copy.from), to_index(copy.to), scene.materials.size()),
                    c);
    }
    if (to_index(copy.to) == scene.materials.size()) {
      scene.materials.push_back(Material(scene[copy.from]));
    }
    for (const DrawRef& draw : copy.draws) {
      if (!is_shown(scene, draw)) {
        return refuse("a draw that the scene does not have", c);
      }
      if (primitive_of(scene, draw).material != copy.to) {
        changes[draw.node][draw.primitive] = copy.to;
      }
    }
  }
  std::map<std::pair<MeshId, std::map<std::uint32_t, MaterialId>>, MeshId> variants;
  for (const auto& [node, shown] : changes) {
    const MeshId from = scene[node].mesh;
    const auto [slot, added] =
        variants.try_emplace({from, shown}, make_id<MeshId>(scene.meshes.size()));
    if (added) {
      Mesh mesh = scene[from];
      for (const auto& [primitive, material] : shown) {
        mesh.primitives[primitive].material = material;
      }
      scene.meshes.push_back(std::move(mesh));
    }
    scene.nodes[to_index(node)].mesh = slot->second;
  }
  for (const MaterialGroup& group : groups.groups) {
    for (const MaterialId id : group.materials) {
      if (to_index(id) >= scene.materials.size()) {
        return Failure(Error{ErrorCode::plan_mismatch,
                             fmt::format("group {} has material {}, and the scene has {}",
                                         group.name, to_index(id), scene.materials.size()),
                             {"", "/materials/grouped/groups"}});
      }
      if (group.by_hand) {
        Extra& extra = scene.materials[to_index(id)].extra.ensure();
        extra.extras = put_member(extra.extras, together_key, to_json_text(group.name));
      }
    }
  }
  return {};
}

}  // namespace wakuzume
