// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#pragma once

#include <cstdint>

#include "wakuzume/scene.h"

namespace wakuzume {

/// Of a view.
struct ByteRange {
  std::uint64_t begin = 0;
  std::uint64_t end = 0;
};

/// The bytes of its view that a stream reads. \pre it has a view and elements
inline ByteRange find_range(const Scene& scene, const Stream& stream) {
  const std::uint64_t size = element_bytes(stream.component, stream.element);
  const std::uint64_t stride = scene[stream.view].stride;
  return {stream.offset, stream.offset + (stride == 0 ? size : stride) * (stream.count - 1) + size};
}

}  // namespace wakuzume
