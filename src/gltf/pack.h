// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#pragma once

#include <vector>

#include "wakuzume/scene.h"
#include "wakuzume/stream_codec.h"

/// Which views of a scene are written packed, and as what.
namespace wakuzume {

struct PackedBlock {
  PackLayout layout;
  Bytes bytes;  ///< packed; empty: the view is written as it is
};

/// One a view. Those that it would not make smaller, and those whose elements it can't hold bit for
/// bit, are left as they are.
/// \error cancelled
/// \cost each view is packed, unpacked and compared; in parallel over the views
Result<std::vector<PackedBlock>> pack_views(const Scene& scene, const RunControl& run);

}  // namespace wakuzume
