// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#pragma once

#include <string>

#include "wakuzume/bytes.h"

namespace wakuzume {

/// The MIME type by the first bytes: PNG, JPEG, WebP or KTX2; empty for anything else.
std::string find_image_type(const Bytes& encoded);

}  // namespace wakuzume
