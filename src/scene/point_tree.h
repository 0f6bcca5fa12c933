// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#pragma once

#include <algorithm>
#include <cstdint>
#include <nanoflann.hpp>
#include <span>
#include <utility>
#include <vector>

#include "scene/matrix.h"

namespace wakuzume {

/// Points to find what is near a place. Borrows them.
class PointTree {
 public:
  /// \cost O(n log n)
  explicit PointTree(const std::vector<Eigen::Vector3d>& points)
      : cloud_{points}, tree_(3, cloud_, nanoflann::KDTreeSingleIndexAdaptorParams(12)) {}
  PointTree(const PointTree&) = delete;
  PointTree& operator=(const PointTree&) = delete;

  /// Numbers of the points within `reach`, nearest first, equal distances by number.
  void find(const Eigen::Vector3d& place,
            double reach,
            std::vector<std::pair<std::uint32_t, double>>& near) const {
    near.clear();
    // Squares are compared: a hair more, so that what is exactly at the limit counts.
    nanoflann::RadiusResultSet<double, std::uint32_t> found(reach * reach * (1 + 1e-9) + 1e-300,
                                                            near);
    tree_.findNeighbors(found, place.data(), nanoflann::SearchParams());
    std::sort(near.begin(), near.end(), [](const auto& a, const auto& b) {
      return std::pair(a.second, a.first) < std::pair(b.second, b.first);
    });
  }

 private:
  struct Cloud {
    const std::vector<Eigen::Vector3d>& points;
    // NOLINTBEGIN(readability-identifier-naming): the names that nanoflann asks for
    [[nodiscard]] std::size_t kdtree_get_point_count() const { return points.size(); }
    [[nodiscard]] double kdtree_get_pt(std::size_t i, std::size_t axis) const {
      return points[i][static_cast<Eigen::Index>(axis)];
    }
    template <class Box>
    bool kdtree_get_bbox(Box& /*box*/) const {
      return false;
    }
    // NOLINTEND(readability-identifier-naming)
  };

  Cloud cloud_;
  nanoflann::
      KDTreeSingleIndexAdaptor<nanoflann::L2_Simple_Adaptor<double, Cloud>, Cloud, 3, std::uint32_t>
          tree_;
};

}  // namespace wakuzume
