// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#pragma once

#include <string>
#include <vector>

#include "build/merge.h"
#include "wakuzume/build.h"

/// Merged geometry that an earlier build kept: found by the content it was made of.
namespace wakuzume {

/// One merge against a cache. Every step is independent of other merges.
class CachedMerge {
 public:
  /// All are borrowed. \param group  name of the first group that shows it
  CachedMerge(const Scene& scene, const Survey& survey, BuildCache& cache, std::string group)
      : scene_(scene), survey_(survey), cache_(cache), group_(std::move(group)) {}

  /// Gives the merge what the cache has for it, if that is whole. \pre merge.find_layout()
  Reuse look_up(ClusterMerge& merge);
  /// Keeps what was made. \pre merge.fill()
  void store(const ClusterMerge& merge, GeometryBlock& block) const;

 private:
  /// What an entry depends on, taken apart so that a change can be told.
  struct Parts {
    ContentHash layout;
    std::vector<ContentHash> members;   ///< which nodes
    std::vector<ContentHash> shapes;    ///< their geometry
    std::vector<ContentHash> matrices;  ///< where they stand
  };
  [[nodiscard]] Parts make_parts(const ClusterMerge& merge) const;
  [[nodiscard]] std::string explain(const std::string& key, const Bytes& entry) const;
  [[nodiscard]] std::string record_key() const;

  const Scene& scene_;
  const Survey& survey_;
  BuildCache& cache_;
  std::string group_;
  Parts parts_;
  std::string key_;
};

}  // namespace wakuzume
