// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include <fmt/format.h>

#include "gltf/packed_parts.h"

// Where the library was built without Draco.
namespace wakuzume {

Result<void> unpack_draco(const std::vector<DracoPrimitive>& drawn,
                          const ReadLimits&,
                          const RunControl&,
                          Scene&) {
  if (drawn.empty()) {
    return {};
  }
  return Failure(
      Error{ErrorCode::not_supported,
            "this build reads no compressed meshes; build with WAKUZUME_DRACO, or export "
            "without compression",
            {"", fmt::format("/meshes/{}/primitives/{}/extensions/{}", to_index(drawn.front().mesh),
                             drawn.front().primitive, draco_extension)}});
}

}  // namespace wakuzume
