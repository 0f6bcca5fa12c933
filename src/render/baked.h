// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#pragma once

#include <cstdint>
#include <vector>

#include "render/gl_objects.h"
#include "wakuzume/picture_codec.h"
#include "wakuzume/run_control.h"
#include "wakuzume/shot.h"

/// Light that was baked: lightmap pages on the device, and where draws look there.
namespace wakuzume {

/// Of a draw.
struct BakedUse {
  std::uint32_t page = 0;           ///< position in BakedLight::pages and one; 0: it is not lit so
  std::uint32_t uv_set = no_index;  ///< no_index with page 0
  LightmapPlace place{};            ///< as the extras say, where its instances say nothing
  LightmapPlace beyond{};           ///< from there to the page: as its material says
  float intensity = 1;              ///< times the light of the page
};

struct BakedLight {
  std::vector<GlTextureArray> pages;
  std::vector<BakedUse> uses;  ///< by draw; empty: nothing is lit so
  GlSampler sampler;
  std::uint32_t unread = 0;

  [[nodiscard]] BakedUse of(DrawId draw) const {
    return uses.empty() ? BakedUse{} : uses[to_index(draw)];
  }
};

/// \error too_large  the pages take more than that with their mip levels
/// \error cancelled
Result<BakedLight> make_baked_light(const ShownScene& shown,
                                    const PictureCodec& codec,
                                    std::uint32_t max_megabytes,
                                    const RunControl& run);

}  // namespace wakuzume
