// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include "wakuzume/stream_codec.h"

#include <array>
#include <limits>

#include "codec/codecs.h"

namespace wakuzume {

std::string_view to_string(PackMode mode) {
  constexpr std::array<std::string_view, pack_mode_count> names{"ATTRIBUTES", "TRIANGLES",
                                                                "INDICES"};
  return names[static_cast<std::size_t>(mode)];
}

std::string_view to_string(PackFilter filter) {
  constexpr std::array<std::string_view, pack_filter_count> names{"NONE", "OCTAHEDRAL",
                                                                  "QUATERNION", "EXPONENTIAL"};
  return names[static_cast<std::size_t>(filter)];
}

Result<void> check_layout(const PackLayout& layout) {
  const std::uint32_t stride = layout.stride;
  if (layout.mode == PackMode::attributes) {
    if (stride == 0 || stride > 256 || stride % 4 != 0) {
      return packed_wrong(fmt::format(
          "the stride {} of packed attributes must be a multiple of 4 up to 256", stride));
    }
  } else if (stride != 2 && stride != 4) {
    return packed_wrong(fmt::format("the stride {} of packed indices must be 2 or 4", stride));
  }
  const bool fits = layout.filter == PackFilter::octahedral   ? stride == 4 || stride == 8
                    : layout.filter == PackFilter::quaternion ? stride == 8
                                                              : true;
  if (layout.filter != PackFilter::none && (layout.mode != PackMode::attributes || !fits)) {
    return packed_wrong(fmt::format("the filter {} does not go with {} of stride {}",
                                    to_string(layout.filter), to_string(layout.mode), stride));
  }
  if (layout.mode == PackMode::triangles && layout.count % 3 != 0) {
    return packed_wrong(fmt::format("{} indices are no whole number of triangles", layout.count));
  }
  if (layout.count > std::numeric_limits<std::uint64_t>::max() / 512) {
    return Failure(Error{
        ErrorCode::too_large, fmt::format("{} elements of {} bytes", layout.count, stride), {}});
  }
  return {};
}

std::uint64_t find_least_packed(const PackLayout& layout) {
  if (layout.mode == PackMode::triangles) {
    return 1 + layout.count / 3 + 16;
  }
  if (layout.mode == PackMode::indices) {
    return 1 + layout.count + 4;
  }
  // Two bits say of a group of 16 bytes that all are as the 16 before.
  const std::uint64_t block = find_block_size(layout.stride);
  const auto header = [&](std::uint64_t elements) {
    return ((elements + 15) / 16 + 3) / 4 * layout.stride;
  };
  const std::uint64_t rest = layout.count % block;
  return 1 + layout.count / block * header(block) + (rest > 0 ? header(rest) : 0) +
         std::max<std::uint64_t>(layout.stride, 32);
}

std::vector<std::byte> pack_stream(std::span<const std::byte> plain, const PackLayout& layout) {
  switch (layout.mode) {
    case PackMode::triangles:
      return pack_triangles(plain, layout);
    case PackMode::indices:
      return pack_indices(plain, layout);
    default:
      return pack_attributes(plain, layout);
  }
}

Result<void> unpack_stream(PackedBytes packed, const PackLayout& layout, std::span<std::byte> out) {
  if (layout.mode == PackMode::triangles) {
    return unpack_triangles(packed, layout, out);
  }
  if (layout.mode == PackMode::indices) {
    return unpack_indices(packed, layout, out);
  }
  auto done = unpack_attributes(packed, layout, out);
  if (done) {
    apply_filter(layout, out);
  }
  return done;
}

}  // namespace wakuzume
