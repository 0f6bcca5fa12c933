// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#pragma once

#include <array>
#include <span>
#include <vector>

#include "wakuzume/picture_codec.h"
#include "wakuzume/routes.h"

/// repaint: carry routes out.
///
/// In: a scene and the routes of its materials. Out: a scene to survey and plan in place of the
/// first, in which the draws show the shared materials, and the pictures of those.
/// 1. Nodes keep their numbers; meshes, materials, textures and images of the first scene keep
///    theirs too, what is new follows after them.
/// 2. Geometry is untouched but for UVs and, where a tile is turned, tangents, where colours are
///    carried, vertex colours, and where layers are, `_LAYER`. What is rebaked has the same
///    triangles in the same order, its vertices are split where charts end.
/// 3. Same scene, same routes: the same scene out, without a single pixel read.
namespace wakuzume {

/// Makes masks of the materials that are to be cut out, at half of full alpha.
/// \error plan_mismatch  cutouts of another scene
Result<void> cut_out(std::span<const Cutout> cutouts, Scene& scene);

/// The images of the pages and then of the stacks in their order: of one and channel c, or
/// no_image.
using PageImages = std::vector<std::array<ImageId, channel_count>>;

struct Repainted {
  Scene scene;  ///< the images of its pages have no bytes yet
  PageImages images;
};

/// \pre check_scene(scene); `routes` was proposed for it
/// \error plan_mismatch  routes of another scene
/// \error cancelled
/// \cost O(vertices) of the primitives whose material is shared, in parallel
Result<Repainted> repaint(const Scene& scene, const RoutePlan& routes, const RunControl& run = {});

/// Paints one picture of a page.
/// \error bad_image, too_large  of a texture, with its place
/// \cost decodes each texture of the channel once, side by side; holds the page and a texture a
///       thread
/// \source colours are averaged in linear light and by their alpha, over the area of a texel
Result<Pixels> paint_page(const Scene& scene,
                          const RoutePlan& routes,
                          std::size_t page,
                          Channel channel,
                          const PictureCodec& codec,
                          const RunControl& run = {});

/// Paints the layers of one channel of a stack, each in the size of all.
/// \error bad_image, too_large  of a texture, with its place
/// \cost all layers at once in memory
Result<TextureArray> paint_layers(const Scene& scene,
                                  const RoutePlan& routes,
                                  std::size_t stack,
                                  Channel channel,
                                  const PictureCodec& codec,
                                  const RunControl& run = {});

/// Paints and encodes all pages and stacks, a few at a time.
/// \param images  where they go in `out`: those of a repainted scene, or of what was built of it
/// \error as paint_page, cancelled
Result<void> paint_pages(const Scene& scene,
                         const RoutePlan& routes,
                         const PageImages& images,
                         const PictureCodec& codec,
                         Scene& out,
                         const RunControl& run = {});

/// Takes the bytes of pages out of a scene, so that it is again what repaint or a build of it made.
/// \return the bytes, in the order of `images`
std::vector<Bytes> take_pages(const PageImages& images, Scene& scene);

}  // namespace wakuzume
