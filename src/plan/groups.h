// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#pragma once

#include <vector>

#include "plan/cut.h"
#include "plan/keys.h"
#include "plan/names.h"
#include "wakuzume/propose.h"

/// From an arrangement of items to the groups of a plan.
namespace wakuzume {

class GroupMaker {
 public:
  /// All are borrowed.
  GroupMaker(const Scene& scene,
             const Survey& survey,
             const PlanKeys& keys,
             const Items& items,
             const Trees& trees,
             const ProposeSettings& settings);

  /// Adds groups, without ids and with names that several may have, in the order of their first
  /// draws; and the draws that are kept. \cost O(items log items), in parallel over the groups
  void make(const Arrangement& arrangement, const RunControl& run, Plan& plan) const;

 private:
  struct Sum {
    Box3d box;
    std::uint64_t triangles = 0;
    std::uint64_t vertices = 0;
    double bytes = 0;
    double alone_us = 0;
    std::size_t draws = 0;
  };
  /// Items at one node of a forest.
  struct Lot {
    Grouping grouping = Grouping::alone;
    std::uint32_t node = no_index;
    std::span<const std::uint32_t> members;
  };

  [[nodiscard]] DrawRef ref_of(DrawId id) const;
  [[nodiscard]] double find_share(const TreeNode& node) const;
  [[nodiscard]] Group make_group(const Lot& lot) const;
  [[nodiscard]] KeepReason explain_alone(const Item& item) const;
  [[nodiscard]] Sum add_up(std::span<const std::uint32_t> members) const;
  [[nodiscard]] const Draw& first_of(std::uint32_t item) const;
  [[nodiscard]] std::string name_material(MaterialId id) const;
  [[nodiscard]] std::string name_group(const std::string& pattern,
                                       const Group& group,
                                       const Draw& first,
                                       std::span<const PatternWord> words) const;
  [[nodiscard]] Group make_cluster(std::span<const std::uint32_t> members,
                                   const TreeNode& node) const;
  [[nodiscard]] Group make_set(std::span<const std::uint32_t> members, const TreeNode& node) const;
  void add_instances(std::span<const std::uint32_t> members, Group& group) const;
  void choose_material(std::span<const std::uint32_t> members, Group& group) const;

  const Scene& scene_;
  const Survey& survey_;
  const PlanKeys& keys_;
  const Items& items_;
  const Trees& trees_;
  const ProposeSettings& settings_;
  std::vector<std::uint32_t> leaves_;  ///< by item: of the keys' forest
  std::vector<double> alone_us_;       ///< by item: what its draws cost of a mean frame today
  std::vector<std::uint32_t> of_key_;  ///< by merge key: how many items it has
};

}  // namespace wakuzume
