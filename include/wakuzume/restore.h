// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#pragma once

#include <map>
#include <optional>
#include <span>
#include <string>
#include <vector>

#include "wakuzume/build.h"

/// restore: put draws back as they were.
///
/// In: a built scene, its ledger, its source, and what to put back. Out: a scene and its ledger, in
/// which the restored draws stand on their own nodes again, with names, extras, parents, meshes and
/// materials, and everything else is as it was built, to the byte. All restored is the source.
namespace wakuzume {

/// What to put back. A draw comes back when any of these names it.
struct RestoreChoice {
  bool everything = false;
  std::vector<std::string> groups{};  ///< globs over names of groups and of objects
  std::vector<std::string>
      nodes{};  ///< wishes over node paths of the source; globs: with all below
};

/// Where a source was repainted: the draws that come back get their own materials again.
struct RestoreLook {
  /// The source with the draws of list_restored untouched; its first meshes and materials are those
  /// of the source. Borrowed, like the next.
  const Scene* source = nullptr;
  const Scene* origin = nullptr;     ///< the scene it was repainted from
  const Scene* unreduced = nullptr;  ///< the scene before its meshes were reduced
  PageImages page_images{};          ///< of `source`
};

/// Draws of an instance come back together, since an instance is there or not.
/// \pre check_scene of both scenes
/// \error plan_mismatch  the ledger was not written for these two scenes
/// \error bad_setting    a glob that names nothing that was merged or instanced
/// \error out_of_bounds  a ledger whose ranges are not those of the built scene
/// \error cancelled
/// \cost copies the remaining ranges of those clusters that lose a part; all other geometry is
/// shared with the scenes that are given
Result<Built> restore(const Scene& built,
                      const Ledger& ledger,
                      const Scene& source,
                      const RestoreChoice& choice,
                      const RunControl& run = {},
                      const RestoreLook& look = {});

/// The draws of the source that come back by a choice, ascending; with those of chosen nodes that
/// stayed on them but may show a shared material.
/// \error as restore
Result<std::vector<DrawRef>> list_restored(const Scene& built,
                                           const Ledger& ledger,
                                           const Scene& source,
                                           const RestoreChoice& choice,
                                           const RunControl& run = {});

/// A scene as a result of itself: every draw is kept.
Built make_untouched(const Scene& scene, const RunControl& run = {});

/// The source that a result carries along; nothing when it has none, or not all of it.
/// \param ledger  of the result
std::optional<Scene> find_carried_source(const Scene& built, const Ledger& ledger);

/// Answers where what is seen came from, and where a source node is now.
class LedgerIndex {
 public:
  /// \param ledger  borrowed \cost O(rows log rows)
  explicit LedgerIndex(const Ledger& ledger);

  /// The row of what is drawn there: for picking.
  /// \param node, primitive  of the result \param instance  0 where the node is no instance set
  /// \param list_index  three a triangle, two a line, one a point
  /// \return null where the ledger knows of nothing \cost O(log rows)
  [[nodiscard]] const LedgerRow* find(NodeId node,
                                      std::uint32_t primitive,
                                      std::uint32_t instance,
                                      std::uint64_t list_index) const;

  /// A value that the instance of a row carries beside its place: "extras.wear", "id". Of a result
  /// whose instances are nodes, by their extras.
  /// \param built  the result that the ledger is of, or gathered from it
  /// \return its numbers; empty where it carries none of that name \cost O(numbers of the set)
  [[nodiscard]] std::vector<double> find_value(const Scene& built,
                                               const LedgerRow& row,
                                               const std::string& name) const;

  /// Rows of a node of the source, one a primitive. \cost O(log rows)
  [[nodiscard]] std::span<const LedgerRow> find_source(NodeId node) const;

 private:
  const Ledger& ledger_;
  std::map<DrawRef, const std::vector<std::uint32_t>*> orders_;  ///< by place in the result
  std::map<NodeId, const LedgerResult*> sets_;  ///< by the first of the nodes that they are
  std::vector<std::uint32_t> by_place_;  ///< positions of rows by node, primitive, instance, index
};

}  // namespace wakuzume
