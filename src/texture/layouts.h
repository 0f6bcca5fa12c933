// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#pragma once

#include <string>
#include <vector>

#include "wakuzume/routes.h"

/// What may be wrong with a UV layout that was there.
namespace wakuzume {

/// Of the first node that shows a shape.
std::string find_shape_path(const Scene& scene, const PrimitiveRef& shape);

/// Shapes that show the same texels of a page, and such that leave its tile.
/// \param number  of the page \error cancelled
/// \cost O(texels that triangles cover)
Result<std::vector<LayoutFault>> find_layout_faults(const Scene& scene,
                                                    const AtlasPage& page,
                                                    std::uint32_t number,
                                                    const RunControl& run);

}  // namespace wakuzume
