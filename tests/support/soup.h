// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#pragma once

#include <string>
#include <vector>

#include "wakuzume/scene.h"

/// A second way to the geometry of a scene, slow and simple: everything that is drawn, in world
/// space, one element at a time, without the ledger and without the audit.
namespace wakuzume::test {

struct SoupCorner {
  Vec3d position{};
  Vec2d uv{};
  Vec4d color{1, 1, 1, 1};
};

/// One triangle, line or point with what it is drawn with.
struct SoupElement {
  std::string material;
  std::vector<SoupCorner> corners;
};

/// Instance sets are expanded; a mirroring transform turns triangles round, so that the order of
/// the corners says which side faces out.
std::vector<SoupElement> make_soup(const Scene& scene);

/// How many elements of `a` have no partner of their own in `b`. Corners must agree within
/// `tolerance`, their UVs and colours within `of_values`, in the same cyclic order. Quadratic.
std::size_t count_unmatched(const std::vector<SoupElement>& a,
                            const std::vector<SoupElement>& b,
                            double tolerance,
                            double of_values = 1e-5);

}  // namespace wakuzume::test
