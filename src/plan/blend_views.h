// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#pragma once

#include <cstdint>
#include <map>
#include <set>
#include <span>
#include <tuple>
#include <utility>
#include <vector>

#include "order/draw_triangles.h"
#include "plan/blend_cells.h"
#include "plan/blend_looks.h"
#include "plan/cut.h"
#include "scene/hasher.h"
#include "scene/matrix.h"
#include "wakuzume/propose.h"

/// Groups of blended draws among each other and beside what stays: engines sort them as wholes.
namespace wakuzume {

/// Whether groups may become larger than the trees have them: cells of a grid may not.
enum class MayJoin : std::uint8_t { anywhere, never };

class BlendViews {
 public:
  /// All are borrowed. \param looks  by views of the outlook
  /// \param decided  groups that stay as they are
  BlendViews(const Scene& scene,
             const Survey& survey,
             const Items& items,
             const Trees& trees,
             const Outlook& outlook,
             const BlendSight& sight,
             const std::vector<Mat4d>& world,
             const CutLimits& limits,
             MayJoin may_join,
             const BlendLooks& looks,
             std::span<const Group> decided);

  /// Halves groups until no view sees two layers in a wrong order that the source has right, or
  /// without views, where an engine sorts by distance, until they are cells; then with views
  /// joins clusters and single draws of a key again where that holds for both together and they
  /// have one order, and where it is cheaper.
  /// \cost O(overlaps) for each time that groups are halved; and for each draw, that of a sequence
  ///       of what it might join. An arrangement that has the same of what is blended costs nothing
  ///       again.
  void settle(std::uint32_t min_instances, const RunControl& run, Arrangement& arrangement);

 private:
  struct Part {
    Grouping grouping = Grouping::alone;
    std::uint32_t node = no_index;
    std::vector<std::uint32_t> items{};
    Box3d box{};
    Vec3d point{};       ///< by which it is sorted
    bool fixed = false;  ///< it was decided before, and has no items
  };
  struct Parts {
    std::vector<Part> list;
    std::vector<std::uint32_t> of_draw;  ///< no_index: the draw stands for itself
  };

  /// What is blended is one draw an item.
  [[nodiscard]] DrawId draw_of(std::uint32_t item) const {
    return items_.parts_of(items_.items[item]).front();
  }
  void add_fixed(const Group& group);
  [[nodiscard]] Parts list_parts(const Arrangement& arrangement) const;
  void place(Parts& parts, std::uint32_t part) const;
  [[nodiscard]] bool is_kept(const Overlap& overlap,
                             const BlendLook& look,
                             const Vec3d& behind,
                             const Vec3d& before) const;
  [[nodiscard]] bool stands_still(std::uint32_t draw, const BlendLook& look) const;
  [[nodiscard]] std::uint32_t find_larger(const Parts& parts,
                                          const BlendLook& look,
                                          const Overlap& overlap) const;
  [[nodiscard]] std::vector<bool> find_wrong(const Parts& parts) const;
  [[nodiscard]] bool has_cells() const;
  struct Thing {
    SortedThing sorted;
    std::uint32_t part = no_index;  ///< that may be halved
    std::vector<DrawId> draws{};
    [[nodiscard]] double extent() const {
      return part == no_index ? -1 : find_diagonal(sorted.box);
    }
  };
  [[nodiscard]] std::vector<Thing> list_things(const Parts& parts, std::size_t& groups) const;
  [[nodiscard]] std::vector<bool> find_outside_cells(const Parts& parts) const;
  void halve(std::uint32_t part, std::uint32_t min_instances, Parts& parts) const;
  void add_singles(const Arrangement& arrangement, Parts& parts) const;
  using Near = std::tuple<double, std::uint32_t, std::uint32_t>;  ///< metres, two parts
  [[nodiscard]] std::map<std::uint32_t, std::vector<std::uint32_t>> list_joinable(
      Parts& parts) const;
  [[nodiscard]] std::vector<Near> list_near(const Parts& parts,
                                            std::vector<std::uint32_t> list) const;
  /// Two parts that might be one.
  struct Union {
    std::uint32_t a = 0;
    std::uint32_t b = 0;
    std::vector<DrawId> draws{};  ///< of both
    bool has_order = false;
  };
  /// Unions of one key, as they are tried.
  struct Joining {
    std::size_t left = 0;                         ///< triangles whose orders may be looked for
    std::map<std::uint32_t, std::uint32_t> into;  ///< parts that went into others
    std::map<std::uint32_t, int> misses;          ///< by part
    std::vector<Near> waiting;
    std::vector<Union> unions;
    std::set<std::uint32_t> busy;  ///< parts of these
    [[nodiscard]] std::uint32_t find(std::uint32_t part) const {
      for (auto at = into.find(part); at != into.end(); at = into.find(part)) {
        part = at->second;
      }
      return part;
    }
  };
  void offer(const Near& pair, const Parts& parts, Joining& joining) const;
  void try_unions(const RunControl& run, Joining& joining, Parts& parts);
  [[nodiscard]] bool is_kept_joined(const Parts& parts,
                                    const Union& both,
                                    const Vec3d& point,
                                    const BlendLook& look,
                                    const Overlap& overlap) const;
  [[nodiscard]] std::vector<DrawId> list_draws(const Part& a, const Part& b) const;
  void find_orders(std::vector<Union>& unions, const RunControl& run);
  void join_key(const std::vector<std::uint32_t>& list, const RunControl& run, Parts& parts);
  [[nodiscard]] Parts find_settled(std::uint32_t min_instances,
                                   const RunControl& run,
                                   const Arrangement& arrangement);
  [[nodiscard]] bool is_cheaper(const Part& a, const Part& b) const;
  [[nodiscard]] bool stays_right(const Parts& parts, std::uint32_t a, std::uint32_t b) const;
  [[nodiscard]] double find_cost(const Box3d& box, double triangles) const;
  static bool is_alone(const Parts& parts, std::uint32_t part);
  void merge(Parts& parts, std::uint32_t a, std::uint32_t b) const;

  const Scene& scene_;
  const Survey& survey_;
  const Items& items_;
  const Trees& trees_;
  const Outlook& outlook_;
  const BlendLooks& looks_;
  const std::vector<Mat4d>& world_;
  /// By draw: the looks and positions of its overlaps.
  std::vector<std::vector<std::pair<std::uint32_t, std::uint32_t>>> overlaps_of_;
  std::vector<Frustum> frusta_;  ///< by view
  CutLimits limits_;
  MayJoin may_join_;
  BlendOrders orders_;
  std::vector<std::uint32_t> blended_;  ///< items that have an order
  /// What became of them, by what an arrangement had for them.
  std::map<std::vector<std::pair<Grouping, std::uint32_t>>,
           std::vector<std::pair<Grouping, std::uint32_t>>>
      settled_;
  std::map<ContentHash, bool, LessHash> known_orders_;       ///< by the draws of a union
  std::vector<std::pair<Part, std::vector<DrawId>>> fixed_;  ///< blended groups that stay
  std::vector<std::uint32_t> leaves_;  ///< by item: a node of the keys' forest that is its own
  std::vector<Box3d> tight_;   ///< by item: around its corners, as that of a merged result is
  std::vector<Vec3d> points_;  ///< by draw: by which it is sorted today
  std::vector<std::uint32_t> key_place_;     ///< by item: in the order of the keys' forest
  std::vector<std::uint32_t> repeat_place_;  ///< and of the repeats'
};

}  // namespace wakuzume
