// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include "order/facet_tree.h"

#include <algorithm>
#include <array>
#include <numeric>

#include "scene/matrix.h"

namespace wakuzume {
namespace {

constexpr std::uint32_t leaf_size = 4;
/// What a turn by a right angle weighs against the extent of all.
constexpr double turn_weight = 2;

/// The largest of n * w over boxes of both.
double find_reach(const Box3d& normals, const Vec3d& low, const Vec3d& high) {
  double sum = 0;
  for (std::size_t c = 0; c < 3; ++c) {
    sum += std::max({normals.min[c] * low[c], normals.min[c] * high[c], normals.max[c] * low[c],
                     normals.max[c] * high[c]});
  }
  return sum;
}

double dot(const Vec3d& a, const Vec3d& b) { return a[0] * b[0] + a[1] * b[1] + a[2] * b[2]; }

Vec3d turn_round(const Vec3d& v) { return {-v[0], -v[1], -v[2]}; }

}  // namespace

FacetTree::FacetTree(const Facets& facets) : facets_(facets) {
  const std::vector<Facet>& list = facets.list();
  order_.resize(list.size());
  std::iota(order_.begin(), order_.end(), 0U);
  leaf_of_.resize(list.size());
  if (list.empty()) {
    return;
  }
  TreeNode root;
  root.count = static_cast<std::uint32_t>(list.size());
  nodes_.push_back(root);
  nodes_.reserve(list.size());
  for (std::uint32_t n = 0; n < nodes_.size(); ++n) {
    split(n);
  }
  fill();
}

/// By the median along what is widest: places, or directions.
void FacetTree::split(std::uint32_t n) {
  const auto begin = order_.begin() + nodes_[n].first;
  const auto end = begin + nodes_[n].count;
  Box3d places;
  for (auto f = begin; f != end; ++f) {
    nodes_[n].box.include(facets_[*f].box);
    nodes_[n].normals.include(facets_[*f].normal);
    places.include(facets_[*f].point);
  }
  extent_m_ = n == 0 ? std::max(places.largest_extent(), 1e-12) : extent_m_;
  const Box3d& normals = nodes_[n].normals;
  std::array<double, 6> widths{};
  for (std::size_t c = 0; c < 3; ++c) {
    widths[c] = (places.max[c] - places.min[c]) / extent_m_;
    widths[c + 3] = turn_weight * (normals.max[c] - normals.min[c]);
  }
  const auto widest = std::max_element(widths.begin(), widths.end());
  if (nodes_[n].count <= leaf_size || !(*widest > 0)) {
    for (auto f = begin; f != end; ++f) {
      leaf_of_[*f] = n;
    }
    return;
  }
  const auto axis = static_cast<std::size_t>(widest - widths.begin());
  const auto value = [&](std::uint32_t f) {
    return axis < 3 ? facets_[f].point[axis] : facets_[f].normal[axis - 3];
  };
  const auto middle = begin + nodes_[n].count / 2;
  std::nth_element(begin, middle, end, [&](std::uint32_t a, std::uint32_t b) {
    return std::pair(value(a), a) < std::pair(value(b), b);
  });
  TreeNode child;
  child.above = n;
  child.first = nodes_[n].first;
  child.count = nodes_[n].count / 2;
  nodes_[n].left = static_cast<std::uint32_t>(nodes_.size());
  nodes_.push_back(child);
  child.first += child.count;
  child.count = nodes_[n].count - child.count;
  nodes_.push_back(child);
}

void FacetTree::fill() {
  there_.assign(order_.size(), true);
  for (TreeNode& node : nodes_) {
    node.there = node.count;
  }
}

void FacetTree::take_out(std::uint32_t facet) {
  there_[facet] = false;
  for (std::uint32_t n = leaf_of_[facet]; n != no_index; n = nodes_[n].above) {
    --nodes_[n].there;
  }
}

FacetTree::Search FacetTree::begin() const { return nodes_.empty() ? Search{} : Search{0}; }

bool FacetTree::may_hold(const TreeNode& node, const Facet& facet, Looking looking) const {
  if (node.there == 0) {
    return false;
  }
  const double precision = facets_.precision_m();
  // What lies in one plane covers each other only where boxes meet.
  if (do_meet(node.box, facet.box, precision)) {
    return true;
  }
  // Where parts of those in the node lie to the facet's plane.
  const bool after = looking == Looking::after;
  const Vec3d own = after ? facet.normal : turn_round(facet.normal);
  if (find_reach(node.box, own) - dot(own, facet.point) <= precision) {
    return false;
  }
  // And where a part of the facet lies to planes of theirs.
  Vec3d low{};
  Vec3d high{};
  for (std::size_t c = 0; c < 3; ++c) {
    low[c] = facet.box.min[c] - node.box.max[c];
    high[c] = facet.box.max[c] - node.box.min[c];
  }
  return after ? find_reach(node.normals, turn_round(high), turn_round(low)) > precision
               : find_reach(node.normals, low, high) > precision;
}

std::uint32_t FacetTree::find_next(Search& search, std::uint32_t facet, Looking looking) const {
  const Facet& given = facets_[facet];
  while (!search.empty()) {
    const TreeNode& node = nodes_[search.back()];
    if (!may_hold(node, given, looking)) {
      search.pop_back();
    } else if (node.left != no_index) {
      search.back() = node.left + 1;
      search.push_back(node.left);
    } else {
      for (std::uint32_t i = node.first; i < node.first + node.count; ++i) {
        const std::uint32_t other = order_[i];
        const bool holds = there_[other] && other != facet &&
                           (looking == Looking::after ? facets_.comes_after(facets_[other], given)
                                                      : facets_.comes_after(given, facets_[other]));
        if (holds) {
          return other;  // the leaf is looked at again: it has more than one
        }
      }
      search.pop_back();
    }
  }
  return no_index;
}

}  // namespace wakuzume
