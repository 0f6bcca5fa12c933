// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#pragma once

#include <vector>

#include "texture/coverage.h"
#include "texture/texel_writer.h"
#include "wakuzume/picture_codec.h"
#include "wakuzume/routes.h"

/// Textures on a new UV layout: every triangle looks up what it showed before, place by place.
namespace wakuzume {

/// A primitive of triangles that shows a tile of charts. Vertices whose corners differ now are
/// there several times; what else they carry goes along in its own type.
struct BakedPrimitive {
  std::vector<std::uint32_t> vertices;  ///< numbers in the source
  std::vector<std::uint32_t> indices;   ///< list indices into `vertices`, in the source's order
  std::vector<float> uvs;               ///< two a vertex
  std::vector<float> tangents;          ///< four a vertex, or none
};
/// \pre the tile holds charts of the primitive, which is of triangles
/// \error too_large  its charts do not fit into the tile, which is of another scene then
Result<BakedPrimitive> make_baked_primitive(const Scene& scene,
                                            const Primitive& primitive,
                                            const Tile& tile,
                                            const AtlasPage& page);

/// Places of a tile's shape on its page, two numbers a corner, in pixels: those of its charts, or
/// where its UVs of AtlasPage::layout_set are. \error too_large
Result<std::vector<double>> make_page_places(const Scene& scene,
                                             const Primitive& primitive,
                                             const Tile& tile,
                                             const AtlasPage& page);

/// Paints one channel of a tile of charts, as `writer` has its material: its triangles, a margin
/// around them that takes on what is nearest, and the rest up to the ends of the tile likewise.
/// \param halvings  how much smaller the picture is than the page
/// \error bad_image, too_large  of a texture
/// \cost O(texels), and as many look-ups as there are texels of the source below one
/// \source a texel is the mean of what its own triangle shows below it, so nothing beyond a cut
/// comes
///         into it
Result<void> paint_charts(const Scene& scene,
                          const AtlasPage& page,
                          const Tile& tile,
                          const TexelWriter& writer,
                          Channel channel,
                          const PictureCodec& codec,
                          std::uint32_t halvings,
                          const PixelRect& rect,
                          Pixels& out);

}  // namespace wakuzume
