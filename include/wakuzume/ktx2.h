// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#pragma once

#include <cstddef>
#include <cstdint>
#include <vector>

#include "wakuzume/bytes.h"
#include "wakuzume/result.h"
#include "wakuzume/run_control.h"
#include "wakuzume/texture_array.h"

/// Texture arrays as KTX 2.0 files.
namespace wakuzume {

/// Each mip level halves the one before, rounded down, to a last one of one pixel. The file holds
/// its levels from the smallest to the largest, in each its layers in their order.
/// \error bad_image    no layer, an empty one, or layers of different sizes
/// \error bad_setting  of the settings
/// \error cancelled
/// \cost some three times the layers in memory; parallel over the layers, each freed when done
/// \source KTX File Format Specification 2.0, Khronos Data Format Specification 1.3
Result<std::vector<std::byte>> encode_ktx2(TextureArray array,
                                           const ArraySettings& settings = {},
                                           const RunControl& run = {});

struct ArrayLimits {
  std::uint32_t max_layers = 2048;         ///< \range [1, 65536]
  std::uint64_t max_pixels = 1ULL << 28U;  ///< of all layers together \range [1, 2^32]
};

/// A level of a file of encode_ktx2, in any of its formats; 0 is the largest. Normals come back as
/// values.
/// \error bad_image  another kind of file, or damaged, or without such a level
/// \error too_large  above the limits
/// \cost all layers at once in memory
Result<TextureArray> decode_ktx2(const Bytes& encoded,
                                 const ArrayLimits& limits = {},
                                 std::uint32_t level_number = 0);

}  // namespace wakuzume
