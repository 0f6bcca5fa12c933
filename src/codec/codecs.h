// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#pragma once

#include <fmt/format.h>

#include <algorithm>
#include <cstddef>
#include <cstdint>
#include <span>
#include <string>
#include <vector>

#include "wakuzume/stream_codec.h"

/// The three codecs and the filters behind stream_codec.h, and what they share.
namespace wakuzume {

using PackedBytes = std::span<const std::byte>;

inline Failure packed_wrong(std::string message) {
  return Failure(Error{ErrorCode::bad_value, std::move(message), {}});
}

/// The way of the smallest numbers: 0, -1, 1, -2 ... as 0, 1, 2, 3 ...
inline std::uint32_t fold_sign(std::uint32_t difference) {
  return (difference << 1U) ^ (0U - (difference >> 31U));
}
inline std::uint32_t unfold_sign(std::uint32_t folded) {
  return (folded >> 1U) ^ (0U - (folded & 1U));
}

/// Seven bits a byte, the lowest first; the top bit tells that more follow.
inline void put_number(std::vector<std::byte>& out, std::uint32_t number) {
  for (; number >= 0x80U; number >>= 7U) {
    out.push_back(static_cast<std::byte>(number | 0x80U));
  }
  out.push_back(static_cast<std::byte>(number));
}
/// \pre `at` has five bytes
inline std::uint32_t take_number(const std::byte*& at) {
  std::uint32_t number = 0;
  for (unsigned shift = 0; shift < 35; shift += 7) {
    const auto byte = static_cast<std::uint32_t>(*at++);
    number |= (byte & 0x7FU) << shift;
    if (byte < 0x80U) {
      break;
    }
  }
  return number;
}

/// One byte says what a stream is and in which version.
inline Result<void> check_head(PackedBytes packed, std::uint8_t head, std::size_t least) {
  if (packed.size() < least) {
    return packed_wrong(
        fmt::format("{} bytes are packed, so many elements take at least {}; the "
                    "stream may be cut short",
                    packed.size(), least));
  }
  if (packed[0] != std::byte{head}) {
    return packed_wrong(fmt::format("begins with the byte {:#04x}, {:#04x} is expected",
                                    static_cast<unsigned>(packed[0]), head));
  }
  return {};
}

/// Elements of a block of attributes, of which each plane of bytes has groups of 16.
inline std::size_t find_block_size(std::uint32_t stride) {
  return std::min<std::size_t>(8192 / stride / 16 * 16, 256);
}

std::vector<std::byte> pack_attributes(std::span<const std::byte> plain, const PackLayout& layout);
Result<void> unpack_attributes(PackedBytes packed,
                               const PackLayout& layout,
                               std::span<std::byte> out);

std::vector<std::byte> pack_triangles(std::span<const std::byte> plain, const PackLayout& layout);
Result<void> unpack_triangles(PackedBytes packed,
                              const PackLayout& layout,
                              std::span<std::byte> out);

std::vector<std::byte> pack_indices(std::span<const std::byte> plain, const PackLayout& layout);
Result<void> unpack_indices(PackedBytes packed, const PackLayout& layout, std::span<std::byte> out);

/// In place. \pre the layout passed check_layout
void apply_filter(const PackLayout& layout, std::span<std::byte> elements);

}  // namespace wakuzume
