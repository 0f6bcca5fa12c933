// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include "scene/places.h"

#include <array>
#include <bit>
#include <cstring>

#include "scene/hasher.h"
#include "wakuzume/ids.h"

namespace wakuzume {
namespace {

/// Numbers in first-seen order of what is equal. Slots are probed one after the other.
template <class Hash, class Equal>
std::vector<std::uint32_t> number_equals(std::size_t count, const Hash& hash, const Equal& equal) {
  std::vector<std::uint32_t> slots(std::bit_ceil(2 * count + 1), no_index);
  std::vector<std::uint32_t> numbers(count);
  std::uint32_t known = 0;
  for (std::size_t v = 0; v < count; ++v) {
    std::size_t slot = hash(v) & (slots.size() - 1);
    while (slots[slot] != no_index && !equal(slots[slot], v)) {
      slot = (slot + 1) & (slots.size() - 1);
    }
    if (slots[slot] == no_index) {
      slots[slot] = static_cast<std::uint32_t>(v);
      numbers[v] = known++;
    } else {
      numbers[v] = numbers[slots[slot]];
    }
  }
  return numbers;
}

}  // namespace

std::vector<std::uint32_t> weld_places(std::span<const float> positions) {
  const auto at = [&](std::size_t v) {
    // -0 becomes 0
    return std::array<float, 3>{positions[3 * v] + 0.0F, positions[3 * v + 1] + 0.0F,
                                positions[3 * v + 2] + 0.0F};
  };
  return number_equals(
      positions.size() / 3,
      [&](std::size_t v) {
        const std::array<float, 3> point = at(v);
        return static_cast<std::size_t>(XXH3_64bits(point.data(), sizeof point));
      },
      [&](std::size_t a, std::size_t b) { return at(a) == at(b); });
}

std::vector<std::uint32_t> weld_alike(std::span<const std::uint32_t> numbers,
                                      std::span<const VertexValues> values) {
  return number_equals(
      numbers.size(),
      [&](std::size_t v) {
        XXH64_hash_t hash = numbers[v];
        for (const VertexValues& of : values) {
          hash = XXH3_64bits_withSeed(&of.values[v * of.components], of.components * sizeof(float),
                                      hash);
        }
        return static_cast<std::size_t>(XXH3_64bits(&hash, sizeof hash));
      },
      [&](std::size_t a, std::size_t b) {
        return numbers[a] == numbers[b] &&
               std::all_of(values.begin(), values.end(), [&](const VertexValues& of) {
                 return std::memcmp(&of.values[a * of.components], &of.values[b * of.components],
                                    of.components * sizeof(float)) == 0;
               });
      });
}

}  // namespace wakuzume
