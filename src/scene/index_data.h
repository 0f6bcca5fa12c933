// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#pragma once

#include <cstring>
#include <span>

#include "wakuzume/streams.h"

/// Index data on its way into a block.
namespace wakuzume {

/// The smaller type that holds the numbers of so many vertices. 65,535 of them have the numbers 0
/// to 65,534: the largest 16-bit value is glTF's mark of a restart.
inline ComponentType find_index_type(std::uint64_t vertices) {
  return vertices <= 65'535 ? ComponentType::u16 : ComponentType::u32;
}

/// \pre `to` has room for component_bytes(type) each, and the type holds every index
inline void store_indices(std::span<const std::uint32_t> indices,
                          ComponentType type,
                          std::byte* to) {
  const std::uint32_t size = component_bytes(type);
  for (std::size_t i = 0; i < indices.size(); ++i) {
    // The low bytes of a little-endian number, which is what glTF stores, are the narrower number.
    std::memcpy(to + i * size, &indices[i], size);
  }
}

}  // namespace wakuzume
