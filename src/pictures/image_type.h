// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#pragma once

#include <cstdint>
#include <string>

#include "wakuzume/bytes.h"
#include "wakuzume/result.h"

/// Pictures. In: PNG, JPEG, WebP and KTX2 as bytes; out: pixels, and the way back, and facts that
/// are found without decoding. The calls are those of wakuzume/image.h and wakuzume/ktx2.h.
namespace wakuzume {

/// The MIME type by the first bytes: PNG, JPEG, WebP or KTX2; empty for anything else.
std::string find_image_type(const Bytes& encoded);

struct ImageSize {
  std::uint64_t width = 0;
  std::uint64_t height = 0;
};
/// By the head alone. \error bad_image  none of the four, or damaged
Result<ImageSize> find_image_size(const Bytes& encoded);

}  // namespace wakuzume
