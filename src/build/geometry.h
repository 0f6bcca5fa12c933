// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#pragma once

#include <map>
#include <set>
#include <string>
#include <vector>

#include "build/instances.h"
#include "build/merge.h"
#include "build/reuse.h"
#include "plan/frames.h"
#include "wakuzume/build.h"

/// All geometry that a plan makes, in one block.
namespace wakuzume {

class PlanGeometry {
 public:
  static constexpr std::size_t none = static_cast<std::size_t>(-1);

  /// Geometry that instances of one or more sets show.
  struct Prototype {
    std::size_t merge = none;  ///< none: the source's own primitive
    MeshId mesh = no_mesh;     ///< once there is one
  };
  /// What one group is made of.
  struct Work {
    Frame frame;
    std::size_t merge = none;   ///< of a cluster
    bool merges = false;        ///< no group before it has the same
    std::size_t prototype = 0;  ///< of a set, and below
    std::size_t set = none;     ///< none: of one instance, which is an ordinary node
  };

  /// All are borrowed. \param out  begins as a copy of the source; materials are added to it
  PlanGeometry(const Scene& source,
               const Plan& plan,
               const Survey& survey,
               const BuildSettings& settings,
               Scene& out);

  /// \param assets  groups whose props are stored at the pivot of the settings
  /// \error too_large, cancelled
  Result<void> make(const std::set<std::size_t>& assets, const RunControl& run);

  /// A group as it is built: in some things otherwise than the plan has it.
  [[nodiscard]] const Group& group(std::size_t g) const;
  [[nodiscard]] const Work& work(std::size_t g) const { return work_[g]; }
  [[nodiscard]] const ClusterMerge& merge(std::size_t m) const { return merges_[m]; }
  [[nodiscard]] const InstanceSet& set(std::size_t s) const { return sets_[s]; }
  [[nodiscard]] Prototype& prototype(std::size_t p) { return prototypes_[p]; }
  [[nodiscard]] bool has_sets() const { return !sets_.empty(); }
  /// The first group of an object.
  [[nodiscard]] std::size_t find_object(const std::string& object) const {
    return objects_.at(object).front();
  }
  /// All members of the groups of an object.
  [[nodiscard]] std::vector<DrawRef> list_members(const std::string& object) const;
  /// The group's material, or the one without its tint that all its instances multiply theirs into.
  MaterialId find_material(const Group& group);
  /// Its members are stored front and back.
  [[nodiscard]] bool has_backs(const Group& group) const;
  [[nodiscard]] bool may_reorder(const Group& group) const;
  /// The block that all is in.
  [[nodiscard]] BlockId block() const { return block_; }
  [[nodiscard]] std::vector<Reuse> take_reuse() { return std::move(reuse_); }

 private:
  void adjust_groups(const std::set<std::size_t>& assets);
  [[nodiscard]] Frame make_object_frame(const std::string& object) const;
  [[nodiscard]] std::string describe_deformed(const Group& group,
                                              const std::vector<MergePart>& parts) const;
  std::size_t find_prototype(const Group& group);
  bool order_prototypes(const RunControl& run);
  [[nodiscard]] bool may_store_anew(const DrawRef& prototype) const;
  [[nodiscard]] std::vector<MergePart> make_cluster_parts(const Group& group,
                                                          const Frame& frame) const;
  [[nodiscard]] MergePart bind_part(const DrawRef& ref, RigId rig) const;
  [[nodiscard]] std::vector<MergePart> make_prototype_parts(const Group& group) const;
  [[nodiscard]] std::vector<Trs> make_instances(const Group& group, const Frame& frame) const;
  std::size_t add_merge(const Group& group,
                        const std::vector<MergePart>& parts,
                        MaterialId material);
  bool prepare_groups(const RunControl& run);
  bool order_merges(const RunControl& run);
  bool count_merges(const RunControl& run);
  Result<void> allocate(GeometryBlock& block);

  const Scene& source_;
  const Plan& plan_;
  const Survey& survey_;
  const BuildSettings& settings_;
  Scene& out_;
  FrameMaker frames_;
  std::map<std::size_t, Group> adjusted_;
  std::map<std::string, std::vector<std::size_t>> objects_;  ///< groups by object
  std::vector<ClusterMerge> merges_;                         ///< of clusters and prototypes
  std::vector<CachedMerge> cached_;                          ///< one a merge, with a cache
  std::vector<InstanceSet> sets_;
  std::vector<Prototype> prototypes_;
  std::map<std::string, std::size_t> prototype_of_;
  std::map<std::string, std::size_t> deformed_;  ///< merges of what skins deform
  std::set<MeshId> kept_meshes_;                 ///< that draws outside of all groups show
  std::map<std::pair<MaterialId, std::string>, MaterialId> untinted_;
  std::map<MaterialId, MaterialId> one_sided_;
  std::vector<Work> work_;  ///< one a group
  std::vector<Reuse> reuse_;
  BlockId block_ = no_block;
};

}  // namespace wakuzume
