// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#pragma once

#include <string>
#include <vector>

#include "wakuzume/image.h"

/// What the readers and writers of stored texels share.
namespace wakuzume {

inline constexpr const char* radiance_format = "image/vnd.radiance rgbe";

/// Sizes the texels, or refuses: checked before anything is allocated.
/// \param depth  with ImageDepth::sizes no texels
Result<TexelGrid> make_grid(std::uint64_t width,
                            std::uint64_t height,
                            std::string format,
                            std::uint32_t texel_bytes,
                            ImageDepth depth,
                            const ImageLimits& limits);

/// Radiance HDR (RGBE): four bytes a texel, as they are in the file.
/// \source G. Ward, Real pixels, Graphics Gems II, 1991; the run lengths of Radiance's own writer
Result<TexelGrid> unpack_radiance(const Bytes& encoded,
                                  ImageDepth depth,
                                  const ImageLimits& limits);
std::vector<std::byte> pack_radiance(const TexelGrid& grid);

LightPixels make_radiance_light(const TexelGrid& grid);

/// OpenEXR with one part of scan lines: all channels of a texel one after the other, by name.
Result<TexelGrid> unpack_openexr(const Bytes& encoded, ImageDepth depth, const ImageLimits& limits);
Result<std::vector<std::byte>> pack_openexr(const TexelGrid& grid);
/// \error bad_image  neither R, G and B nor Y
Result<LightPixels> make_openexr_light(const TexelGrid& grid);

}  // namespace wakuzume
