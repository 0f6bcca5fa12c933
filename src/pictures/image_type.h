// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#pragma once

#include <string>

#include "wakuzume/bytes.h"

/// Pictures. In: PNG, JPEG, WebP and KTX2 as bytes; out: pixels, and the way back, and facts that
/// are found without decoding. The calls are those of wakuzume/image.h and wakuzume/ktx2.h.
namespace wakuzume {

/// The MIME type by the first bytes: PNG, JPEG, WebP or KTX2; empty for anything else.
std::string find_image_type(const Bytes& encoded);

}  // namespace wakuzume
