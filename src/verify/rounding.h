// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#pragma once

#include <limits>

namespace wakuzume {

/// Between 1 and the next float: what stored values are rounded by, of their size.
inline constexpr double float_ulp = std::numeric_limits<float>::epsilon();

}  // namespace wakuzume
