// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#pragma once

#include <span>
#include <vector>

#include "wakuzume/order.h"
#include "wakuzume/survey.h"

/// Blended draws as triangles that are culled from behind.
namespace wakuzume {

/// Whether a draw may be one of several in a fixed order: it is blended, of triangles, and if its
/// material has two sides, they can be two materials of one.
bool may_be_ordered(const Scene& scene, const Survey& survey, const Draw& draw);

/// All layers of these draws look alike, so that their order does not show.
bool is_one_color(const Scene& scene, std::span<const DrawRef> draws);

/// Around the corners of a draw, as a box of its own would be in a merged result.
Box3d find_tight_box(const Scene& scene, const Draw& draw, std::span<const Mat4d> world);

/// Within which corners of a scene's blended draws are where they should be: the rounding of floats
/// at their extent.
double find_order_precision(const Survey& survey);

/// Where draws are sorted, by draw of the survey.
std::vector<Vec3d> find_sorting_points(const Survey& survey,
                                       std::span<const Mat4d> world,
                                       SortAt at);

/// The orders that blended draws of a scene may have. All are borrowed.
class BlendOrders {
 public:
  /// \param sight  what decides cycles of triangles; without eyes nothing does
  BlendOrders(const Scene& scene,
              const Survey& survey,
              std::span<const Mat4d> world,
              const BlendSight& sight);

  [[nodiscard]] double precision_m() const { return precision_m_; }
  /// The triangles of draws. \param parts  draws of an owner, which follow each other
  [[nodiscard]] std::vector<FacingTriangle> make_facing(std::span<const DrawId> draws,
                                                        std::size_t parts = 1) const;
  [[nodiscard]] bool has_eyes() const { return !sight_.eyes.empty(); }
  /// Whether it never shows which of the two is drawn first. Of very large ones that is not asked.
  [[nodiscard]] bool are_free(std::span<const DrawId> a, std::span<const DrawId> b) const;
  /// An order of the triangles of all.
  [[nodiscard]] DrawSequence find_sequence(std::span<const DrawId> draws) const;
  /// Which of them have one together. \param triangles  those of the draws, one owner each
  [[nodiscard]] OrderParts find_parts(std::span<const DrawId> draws,
                                      std::span<const FacingTriangle> triangles,
                                      const RunControl& run) const;

 private:
  [[nodiscard]] std::vector<Vec3d> list_points(std::span<const DrawId> draws) const;
  [[nodiscard]] OrderSettings make_settings(std::span<const DrawId> draws,
                                            std::span<const Vec3d> points) const;

  const Scene& scene_;
  const Survey& survey_;
  std::span<const Mat4d> world_;
  const BlendSight& sight_;
  double precision_m_;
};

/// Adds the triangles of a draw by its list indices, in the world. Those of a two-sided material
/// follow a second time, turned round. \param owner, anchor  by which they go
void add_facing(const Scene& scene,
                const DrawRef& draw,
                const Mat4d& world,
                std::uint32_t owner,
                std::uint32_t anchor,
                std::vector<FacingTriangle>& out);

}  // namespace wakuzume
