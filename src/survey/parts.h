// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#pragma once

#include <array>
#include <span>
#include <vector>

#include "scene/hasher.h"
#include "wakuzume/apart.h"

/// Merge keys by their parts, each part as a hash.
namespace wakuzume {

using PartHashes = std::array<std::uint64_t, key_part_count>;

/// The content of each image: of its pixels where they are known, else of its encoded bytes.
std::vector<ContentHash> make_image_contents(const Scene& scene,
                                             std::span<const ImageFacts> images);

/// The parts a material gives; those of the draw are zero. no_material: the standard's default.
class MaterialParts {
 public:
  MaterialParts(const Scene& scene, std::span<const ImageFacts> images);

  [[nodiscard]] PartHashes find(MaterialId material) const;
  /// The same of a material that need not be in the scene; its name part is zero.
  [[nodiscard]] PartHashes find(const Material& material) const;
  [[nodiscard]] std::span<const ContentHash> image_contents() const { return contents_; }

 private:
  const Scene& scene_;
  std::vector<ContentHash> contents_;
};

/// One entry a key of the survey.
std::vector<PartHashes> make_key_parts(const Scene& scene,
                                       const Survey& survey,
                                       std::span<const ImageFacts> images);

/// Hash of all parts but those left out.
template <class LeftOut>
ContentHash hash_without(const PartHashes& parts, const LeftOut& is_left_out) {
  PartHashes kept = parts;
  for (std::size_t p = 0; p < kept.size(); ++p) {
    if (is_left_out(static_cast<KeyPart>(p))) {
      kept[p] = 0;
    }
  }
  return hash_bytes(std::as_bytes(std::span(kept)));
}

/// Kept apart from the rest by its rule, but merges with what moves alike.
inline bool moves_with_others(StayRule rule) {
  return rule == StayRule::animated || rule == StayRule::physics ||
         rule == StayRule::marked_moving || rule == StayRule::skinned || rule == StayRule::morphing;
}

}  // namespace wakuzume
