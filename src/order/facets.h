// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#pragma once

#include <cstdint>
#include <vector>

#include "wakuzume/order.h"

/// Triangles that follow each other in one plane, and which of those can hide which.
namespace wakuzume {

struct Facet {
  Vec3d normal{};  ///< of length one, towards those who see it
  Vec3d point{};   ///< of its plane
  Box3d box;
  double tilt = 0;          ///< by which the plane may be off, as a slope
  std::uint32_t first = 0;  ///< of its triangles, which follow each other
  std::uint32_t count = 0;  ///< of them
  std::uint32_t owner = 0;
  std::uint32_t rank = 0;  ///< of the first
  std::uint32_t anchor = no_index;
  bool bound = false;  ///< its owner's facets stay in the order they have
};

/// \param within  of each other, metres
inline bool do_meet(const Box3d& a, const Box3d& b, double within) {
  for (std::size_t c = 0; c < 3; ++c) {
    if (a.min[c] > b.max[c] + within || b.min[c] > a.max[c] + within) {
      return false;
    }
  }
  return true;
}

class Facets {
 public:
  Facets(std::vector<FacingTriangle> triangles, double precision_m);

  [[nodiscard]] const std::vector<Facet>& list() const { return list_; }
  [[nodiscard]] const Facet& operator[](std::uint32_t f) const { return list_[f]; }
  [[nodiscard]] const FacingTriangle& triangle(std::uint32_t t) const { return triangles_[t]; }
  [[nodiscard]] double precision_m() const { return precision_m_; }
  /// Triangles without an area to speak of: nobody sees them.
  [[nodiscard]] const std::vector<std::uint32_t>& unseen() const { return unseen_; }

  /// Whether `b` has to be drawn after `a`, as far as geometry says.
  [[nodiscard]] bool can_hide(const Facet& b, const Facet& a) const {
    return reaches(b, a, 1) && reaches(a, b, -1);
  }
  /// They lie in one plane and cover each other in part: nobody sees which is the nearer, and
  /// everybody which is drawn last.
  [[nodiscard]] bool cover_each_other(const Facet& a, const Facet& b) const;
  /// Whether `b` may not be drawn before `a`: it can hide it, or covers it in its plane.
  [[nodiscard]] bool shows_over(const Facet& b, const Facet& a) const {
    return can_hide(b, a) || cover_each_other(a, b);
  }
  /// The same with rule 2 of order.h.
  [[nodiscard]] bool comes_after(const Facet& b, const Facet& a) const {
    const bool same = a.owner == b.owner;
    if (!same && (a.anchor == no_index || a.anchor != b.anchor)) {
      return shows_over(b, a);
    }
    const bool first = same ? b.rank < a.rank : b.owner < a.owner;
    return !(same && a.bound) && shows_over(b, a) && !(first && shows_over(a, b));
  }
  /// A part of the one lies outside of the other's plane, on whichever side.
  [[nodiscard]] bool leaves(const Facet& what, const Facet& plane) const {
    return reaches(what, plane, 1) || reaches(what, plane, -1);
  }
  void bind(std::uint32_t facet) { list_[facet].bound = true; }

 private:
  void add(std::uint32_t triangle);
  [[nodiscard]] bool are_apart(const FacingTriangle& a,
                               const FacingTriangle& b,
                               const Vec3d& normal) const;
  [[nodiscard]] bool lies_in(const FacingTriangle& triangle, const Facet& plane) const;
  /// A part of `what` lies on this side of the plane: 1 before it, -1 behind.
  [[nodiscard]] bool reaches(const Facet& what, const Facet& plane, double side) const;

  std::vector<FacingTriangle> triangles_;
  double precision_m_;
  std::vector<Facet> list_;
  std::vector<std::uint32_t> unseen_;
};

}  // namespace wakuzume
