// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#pragma once

#include <algorithm>
#include <cstdint>
#include <numeric>
#include <span>
#include <vector>

/// Which vertices stand in one place, and what hangs together by them.
namespace wakuzume {

/// Number of each vertex's place, in first-seen order: vertices in the same place share one.
/// \param positions  3 a vertex
std::vector<std::uint32_t> weld_places(std::span<const float> positions);

/// What vertices carry: `components` floats each.
struct VertexValues {
  std::span<const float> values;
  std::uint32_t components = 0;
};

/// Vertices of the same number that carry the same, bit for bit, get one new number; in first-seen
/// order.
std::vector<std::uint32_t> weld_alike(std::span<const std::uint32_t> numbers,
                                      std::span<const VertexValues> values);

/// Sets joined by shared members (union-find with path halving; R. E. Tarjan, 1975).
class DisjointSets {
 public:
  explicit DisjointSets(std::size_t size) : parents_(size) {
    std::iota(parents_.begin(), parents_.end(), 0U);
  }
  std::uint32_t find(std::uint32_t member) {
    while (parents_[member] != member) {
      parents_[member] = parents_[parents_[member]];
      member = parents_[member];
    }
    return member;
  }
  void join(std::uint32_t a, std::uint32_t b) {
    const std::uint32_t first = find(a);
    const std::uint32_t second = find(b);
    parents_[std::max(first, second)] = std::min(first, second);
  }

 private:
  std::vector<std::uint32_t> parents_;
};

}  // namespace wakuzume
