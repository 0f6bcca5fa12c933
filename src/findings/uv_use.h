// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#pragma once

#include <vector>

#include "survey/textures.h"
#include "wakuzume/survey.h"

namespace wakuzume {

/// One texture of a shape's material and the range of its image that the shape touches.
struct UvUse {
  ImageId image = no_image;
  UvRange range;          ///< after KHR_texture_transform
  double area_scale = 1;  ///< of that transform
  std::size_t uv = 0;     ///< position in Shape::uvs
  bool repeats = true;    ///< the sampler repeats in some direction
};

/// The uses of the five core slots; a slot whose UV set the shape lacks is left out.
std::vector<UvUse> list_uv_uses(const Scene& scene, const Shape& shape);

}  // namespace wakuzume
