// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include "plan/keys.h"

#include <algorithm>
#include <map>
#include <tuple>

#include "survey/parts.h"

namespace wakuzume {
namespace {

ContentHash hash_value(const PartHashes& parts) {
  return hash_without(parts, [](KeyPart part) { return part == KeyPart::material_name; });
}

/// Classes of materials, each named by its first member.
class MaterialClasses {
 public:
  MaterialClasses(const Scene& scene, const ProposeSettings& settings)
      : scene_(scene), parts_(scene, {}) {
    const std::size_t count = scene.materials.size() + 1;
    equal_.resize(count);
    shared_.resize(count);
    tint_.resize(count);
    for (std::size_t m = 0; m < count; ++m) {
      equal_[m] = m;
    }
    if (settings.equal_materials == EqualMaterials::fold) {
      fold();
    }
    shared_ = equal_;
    for (const std::string& tint : settings.tints) {
      bridge(tint);
    }
  }

  [[nodiscard]] MaterialId equal(MaterialId id) const { return id_of(equal_[index_of(id)]); }
  [[nodiscard]] MaterialId shared(MaterialId id) const { return id_of(shared_[index_of(id)]); }
  [[nodiscard]] const std::string& tint(MaterialId id) const { return tint_[index_of(id)]; }

 private:
  [[nodiscard]] std::size_t index_of(MaterialId id) const {
    return id == no_material ? scene_.materials.size() : to_index(id);
  }
  [[nodiscard]] MaterialId id_of(std::size_t index) const {
    return index == scene_.materials.size() ? no_material : make_id<MaterialId>(index);
  }

  void fold() {
    std::map<ContentHash, std::size_t, LessHash> known;
    // The default material stays by itself: a file that names none means none.
    for (std::size_t m = 0; m < scene_.materials.size(); ++m) {
      equal_[m] = known.try_emplace(hash_value(parts_.find(id_of(m))), m).first->second;
    }
  }

  /// Joins what differs in this factor alone and is not joined by another yet.
  void bridge(const std::string& tint) {
    std::map<ContentHash, std::vector<std::size_t>, LessHash> classes;
    for (std::size_t m = 0; m < scene_.materials.size(); ++m) {
      if (equal_[m] == m && tint_[m].empty()) {
        classes[hash_value(parts_.find(make_untinted(scene_.materials[m], tint)))].push_back(m);
      }
    }
    std::vector<std::size_t> first(equal_.size(), equal_.size());
    for (const auto& [hash, members] : classes) {
      for (const std::size_t m : members) {
        first[m] = members.size() > 1 ? members.front() : equal_.size();
      }
    }
    for (std::size_t m = 0; m < equal_.size(); ++m) {
      if (first[equal_[m]] < equal_.size()) {
        shared_[m] = first[equal_[m]];
        tint_[m] = tint;
      }
    }
  }

  const Scene& scene_;
  MaterialParts parts_;
  std::vector<std::size_t> equal_;
  std::vector<std::size_t> shared_;
  std::vector<std::string> tint_;
};

/// By key: what a rig's skin deforms, or may.
std::vector<bool> list_bending(const Survey& survey,
                               const ProposeSettings& settings,
                               const CostProfile* profile) {
  std::vector<std::uint64_t> vertices(survey.keys.size(), 0);
  for (const Draw& draw : survey.draws) {
    vertices[to_index(draw.key)] += draw.vertices;
  }
  std::vector<bool> out;
  for (std::size_t k = 0; k < survey.keys.size(); ++k) {
    const MergeKey& key = survey.keys[k];
    if (key.rig == no_rig || key.deformed) {
      out.push_back(key.deformed);
    } else if (survey[key.rig].kind == RigKind::chain) {
      out.push_back(settings.rigid_chains == RigidChains::skin);
    } else {
      // Together they would be one draw of their own.
      const double skinning_us =
          profile == nullptr ? 0
                             : static_cast<double>(vertices[k]) * profile->skinned_vertex_ns / 1e3;
      out.push_back(settings.rigid_parts == RigidParts::skin ||
                    (settings.rigid_parts == RigidParts::by_cost &&
                     (profile == nullptr || skinning_us < profile->draw_us)));
    }
  }
  return out;
}

}  // namespace

bool is_tint(const std::string& name) {
  return name == "base_color" || name == "metallic" || name == "roughness" || name == "emissive";
}

Vec3d find_tint(const Material& material, const std::string& name) {
  if (name == "base_color") {
    return {material.base_color[0], material.base_color[1], material.base_color[2]};
  }
  if (name == "emissive") {
    return material.emissive;
  }
  return {name == "metallic" ? material.metallic : material.roughness, 0, 0};
}

Material make_untinted(const Material& material, const std::string& name) {
  Material out = material;
  if (name == "base_color") {
    out.base_color = {1, 1, 1, material.base_color[3]};
  } else if (name == "emissive") {
    out.emissive = {1, 1, 1};
  } else if (name == "metallic") {
    out.metallic = 1;
  } else {
    out.roughness = 1;
  }
  return out;
}

PlanKeys make_plan_keys(const Scene& scene,
                        const Survey& survey,
                        const ProposeSettings& settings,
                        const CostProfile* profile) {
  const MaterialClasses classes(scene, settings);
  const std::vector<bool> bends = list_bending(survey, settings, profile);
  using Rest = std::tuple<NodeId, RigId, Topology, std::string, std::vector<Tag>, std::string,
                          std::vector<LevelId>, std::string>;
  std::map<std::pair<MaterialId, Rest>, std::uint32_t> merge;
  std::map<std::pair<MaterialId, Rest>, std::uint32_t> share;
  PlanKeys out;
  for (std::size_t k = 0; k < survey.keys.size(); ++k) {
    const MergeKey& key = survey.keys[k];
    const Rest rest(bends[k] ? survey[key.rig].home : key.moving_root, bends[k] ? key.rig : no_rig,
                    key.topology, key.lightmap, key.tags, key.level, key.levels, key.layout);
    out.material.push_back(classes.equal(key.material));
    out.merge.push_back(
        merge.try_emplace({out.material.back(), rest}, static_cast<std::uint32_t>(merge.size()))
            .first->second);
    const auto [slot, added] = share.try_emplace({classes.shared(key.material), rest},
                                                 static_cast<std::uint32_t>(share.size()));
    out.share.push_back(slot->second);
    if (added) {
      out.tint.push_back(classes.tint(key.material));
      out.shared_material.push_back(classes.shared(key.material));
    }
  }
  out.merge_count = merge.size();
  return out;
}

bool may_be_planned(const Draw& draw, const ProposeSettings& settings) {
  if (draw.blended && settings.blended == Blended::keep) {
    return false;
  }
  return draw.stay == StayRule::none ||
         (settings.moving_parts == MovingParts::merge && moves_with_others(draw.stay));
}

}  // namespace wakuzume
