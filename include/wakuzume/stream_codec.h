// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#pragma once

#include <cstddef>
#include <cstdint>
#include <optional>
#include <span>
#include <string_view>
#include <vector>

#include "wakuzume/result.h"

/// Streams as EXT_meshopt_compression stores them, both ways.
///
/// In: the elements of a stream, or their packed bytes. Out: the other.
/// 1. Packed bytes are untrusted: whatever they hold, unpacking ends with the right number of
/// elements or an error, and writes nowhere else.
/// 2. What is packed without a filter is unpacked bit for bit; of triangles, but for which corner
/// of each comes first.
/// 3. The same bytes for the same elements, on any machine.
/// \source EXT_meshopt_compression, the vendor extension of glTF 2.0 published by Khronos:
///         attribute streams of version 0, triangle streams of version 1, index streams of version
///         1
namespace wakuzume {

enum class PackMode : std::uint8_t { attributes, triangles, indices };
inline constexpr std::size_t pack_mode_count = 3;
std::string_view to_string(PackMode mode);  ///< "ATTRIBUTES", "TRIANGLES", "INDICES"

/// What the unpacked elements are turned into.
enum class PackFilter : std::uint8_t { none, octahedral, quaternion, exponential };
inline constexpr std::size_t pack_filter_count = 4;
std::string_view to_string(PackFilter filter);  ///< "NONE", "OCTAHEDRAL" ... as in glTF

struct PackLayout {
  PackMode mode = PackMode::attributes;
  PackFilter filter = PackFilter::none;  ///< other than none: of attributes only
  /// Bytes of an element. \range attributes: multiples of 4 up to 256, octahedral 4 or 8,
  /// quaternion 8; others: 2 or 4
  std::uint32_t stride = 4;
  std::uint64_t count = 0;  ///< elements; of triangles a multiple of 3
};

/// \error bad_value  a layout that the extension does not allow; too_large  count x stride
Result<void> check_layout(const PackLayout& layout);

/// Fewer bytes can't hold so many elements, so more need not be made room for.
std::uint64_t find_least_packed(const PackLayout& layout);

/// \param plain  count x stride bytes, as they are before the filter
/// \pre check_layout(layout); of indices, all below 2^30
/// \cost attributes: a few passes over the bytes, no memory but the result
std::vector<std::byte> pack_stream(std::span<const std::byte> plain, const PackLayout& layout);

/// \param out  count x stride bytes; unspecified after an error
/// \error bad_value  bytes of another version, cut short, too many, or that no packing makes
/// \pre check_layout(layout)
Result<void> unpack_stream(std::span<const std::byte> packed,
                           const PackLayout& layout,
                           std::span<std::byte> out);

/// Elements that the exponential filter turns into exactly these floats; nothing where 24 bits of a
/// number and one exponent a component can't hold them.
/// \param stride  bytes of an element, each four of them a float
std::optional<std::vector<std::byte>> make_exponential(std::span<const std::byte> floats,
                                                       std::uint32_t stride);

}  // namespace wakuzume
