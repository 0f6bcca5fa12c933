// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include "wakuzume/apart.h"

#include <algorithm>
#include <map>
#include <set>

#include "survey/parts.h"

namespace wakuzume {
namespace {

constexpr std::size_t near_keys = 3;
constexpr std::size_t compared_keys = 2000;
constexpr std::size_t comparing_keys = 20'000;  // else a million lonely keys would take minutes

class ApartFinder {
 public:
  ApartFinder(const Scene& scene, const Survey& survey, std::span<const ImageFacts> images)
      : scene_(scene), survey_(survey), parts_(make_key_parts(scene, survey, images)) {}

  Apart find() {
    choose_keys();
    std::vector<std::vector<std::size_t>> groups_of(survey_.keys.size());
    for (std::size_t p = 0; p < key_part_count; ++p) {
      add_groups(static_cast<KeyPart>(p), groups_of);
    }
    for (const KeyId key : by_id_) {
      add_nearest(key, groups_of[to_index(key)]);
    }
    std::stable_sort(out_.groups.begin(), out_.groups.end(),
                     [](const ApartGroup& a, const ApartGroup& b) {
                       const bool other_a = a.part > KeyPart::extras;
                       const bool other_b = b.part > KeyPart::extras;
                       return other_a != other_b ? other_b : a.keys.size() > b.keys.size();
                     });
    add_meshes();
    return std::move(out_);
  }

 private:
  /// Keys with a draw that could merge; `by_draws_` has those with the most first.
  void choose_keys() {
    draws_.assign(survey_.keys.size(), 0);
    for (const Draw& draw : survey_.draws) {
      if (draw.stay == StayRule::none || moves_with_others(draw.stay)) {
        ++draws_[to_index(draw.key)];
      }
    }
    for (std::size_t k = 0; k < draws_.size(); ++k) {
      if (draws_[k] > 0) {
        by_id_.push_back(make_id<KeyId>(k));
      }
    }
    by_draws_ = by_id_;
    std::stable_sort(by_draws_.begin(), by_draws_.end(),
                     [&](KeyId a, KeyId b) { return draws_[to_index(a)] > draws_[to_index(b)]; });
    compares_.assign(survey_.keys.size(), false);
    for (std::size_t i = 0; i < std::min(comparing_keys, by_draws_.size()); ++i) {
      compares_[to_index(by_draws_[i])] = true;
    }
  }

  /// Keys that agree in all but one part. A material's name is no difference beside a real one.
  void add_groups(KeyPart part, std::vector<std::vector<std::size_t>>& groups_of) {
    const bool of_material = part <= KeyPart::extras;
    std::map<ContentHash, std::vector<KeyId>, LessHash> groups;
    for (const KeyId key : by_draws_) {
      const PartHashes& parts = parts_[to_index(key)];
      groups[hash_without(parts, [&](KeyPart p) {
        return p == part || (of_material && p == KeyPart::material_name);
      })].push_back(key);
    }
    for (auto& [hash, keys] : groups) {
      if (of_material && part != KeyPart::material_name) {
        keep_one_a_value(part, keys);
      }
      if (keys.size() < 2) {
        continue;
      }
      ApartGroup group;
      group.part = part;
      group.keys = std::move(keys);
      for (const KeyId key : group.keys) {
        group.draws += draws_[to_index(key)];
        groups_of[to_index(key)].push_back(out_.groups.size());
      }
      out_.groups.push_back(std::move(group));
    }
  }

  /// Of materials with the same value of the part, the first stands for all: that they are equal
  /// is told by the group that differs by name.
  void keep_one_a_value(KeyPart part, std::vector<KeyId>& keys) const {
    std::set<std::uint64_t> values;
    std::erase_if(keys, [&](KeyId key) {
      return !values.insert(parts_[to_index(key)][static_cast<std::size_t>(part)]).second;
    });
  }

  void add_nearest(KeyId key, const std::vector<std::size_t>& groups) {
    std::size_t added = 0;
    for (const std::size_t g : groups) {
      const ApartGroup& group = out_.groups[g];
      const KeyId near = group.keys[0] == key ? group.keys[1] : group.keys[0];
      if (added < near_keys) {
        out_.nearest.push_back({key, near, {group.part}});
        ++added;
      }
    }
    if (added == 0 && by_draws_.size() > 1 && compares_[to_index(key)]) {
      add_by_comparison(key);
    }
  }

  void add_by_comparison(KeyId key) {
    NearKey best;
    best.key = key;
    const std::size_t compared = std::min(compared_keys, by_draws_.size());
    for (std::size_t i = 0; i < compared; ++i) {
      const KeyId other = by_draws_[i];
      if (other == key) {
        continue;
      }
      std::vector<KeyPart> differing = find_differing(key, other);
      if (best.differing.empty() || differing.size() < best.differing.size()) {
        best.near = other;
        best.differing = std::move(differing);
      }
    }
    out_.nearest.push_back(std::move(best));
  }

  [[nodiscard]] std::vector<KeyPart> find_differing(KeyId a, KeyId b) const {
    std::vector<KeyPart> differing;
    bool material_differs = false;
    for (std::size_t p = 1; p < key_part_count; ++p) {
      if (parts_[to_index(a)][p] != parts_[to_index(b)][p]) {
        differing.push_back(static_cast<KeyPart>(p));
        material_differs = material_differs || static_cast<KeyPart>(p) <= KeyPart::extras;
      }
    }
    if (!material_differs && parts_[to_index(a)][0] != parts_[to_index(b)][0]) {
      differing.insert(differing.begin(), KeyPart::material_name);
    }
    return differing;
  }

  void add_meshes() {
    std::vector<std::set<MaterialId>> materials(scene_.meshes.size());
    std::vector<std::uint64_t> draws(scene_.meshes.size(), 0);
    for (const Shape& shape : survey_.shapes) {
      materials[to_index(shape.mesh)].insert(shape.material);
    }
    for (const Draw& draw : survey_.draws) {
      ++draws[to_index(draw.mesh)];
    }
    for (std::size_t m = 0; m < materials.size(); ++m) {
      if (materials[m].size() > 1) {
        out_.meshes.push_back(
            {make_id<MeshId>(m), static_cast<std::uint32_t>(materials[m].size()), draws[m]});
      }
    }
    std::stable_sort(out_.meshes.begin(), out_.meshes.end(),
                     [](const MixedMesh& a, const MixedMesh& b) { return a.draws > b.draws; });
  }

  const Scene& scene_;
  const Survey& survey_;
  std::vector<PartHashes> parts_;
  std::vector<std::uint64_t> draws_;  ///< by key
  std::vector<KeyId> by_id_;
  std::vector<KeyId> by_draws_;
  std::vector<bool> compares_;  ///< by key: may be compared with others one by one
  Apart out_;
};

}  // namespace

std::string_view to_string(KeyPart part) {
  constexpr std::string_view names[key_part_count] = {
      "material_name", "base_color", "factors", "color_texture", "other_textures",
      "alpha",         "sidedness",  "shading", "extras",        "layout",
      "topology",      "lightmap",   "tag",     "level",         "moving_root"};
  return names[static_cast<std::size_t>(part)];
}

Apart find_apart(const Scene& scene, const Survey& survey, std::span<const ImageFacts> images) {
  return ApartFinder(scene, survey, images).find();
}

std::vector<std::vector<MaterialId>> find_equal_materials(const Scene& scene,
                                                          std::span<const ImageFacts> images) {
  const MaterialParts parts(scene, images);
  std::map<ContentHash, std::size_t, LessHash> known;
  std::vector<std::vector<MaterialId>> sets;
  for (std::size_t m = 0; m < scene.materials.size(); ++m) {
    const auto id = make_id<MaterialId>(m);
    const ContentHash hash =
        hash_without(parts.find(id), [](KeyPart p) { return p == KeyPart::material_name; });
    const auto [slot, added] = known.try_emplace(hash, sets.size());
    if (added) {
      sets.emplace_back();
    }
    sets[slot->second].push_back(id);
  }
  std::erase_if(sets, [](const auto& set) { return set.size() < 2; });
  return sets;
}

}  // namespace wakuzume
