// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#pragma once

#include <string>
#include <vector>

#include "wakuzume/picture_codec.h"
#include "wakuzume/scene.h"

/// Mip levels that are written: pictures of a view don't tell, where what draws them makes its own.
namespace wakuzume {

/// Holds each level of each texture array of a scene against the average of the level before.
/// \return one sentence for each array with a level that shows something else
/// \error cancelled. Arrays that can't be decoded are passed over
/// \cost decodes all levels of all arrays, two levels of one array in memory
Result<std::vector<std::string>> check_mip_levels(const Scene& scene,
                                                  const PictureCodec& codec,
                                                  const RunControl& run);

}  // namespace wakuzume
