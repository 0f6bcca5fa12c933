// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#pragma once

#include <cstddef>
#include <cstdint>
#include <string>
#include <vector>

#include "wakuzume/packing.h"

namespace wakuzume {

/// Texels as they are stored, whatever they mean: 8 or 16 bits, shared exponents, halves, floats.
struct TexelGrid {
  RectSize size;
  std::string format;  ///< "image/png rgb 16"; what may lie in one picture has the same
  std::uint32_t texel_bytes = 0;
  std::vector<std::byte> texels;  ///< rows from the top, no padding
};

}  // namespace wakuzume
