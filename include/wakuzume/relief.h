// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#pragma once

#include <cstdint>
#include <string>
#include <vector>

#include "wakuzume/ids.h"
#include "wakuzume/packing.h"
#include "wakuzume/picture_codec.h"
#include "wakuzume/reduce.h"
#include "wakuzume/result.h"
#include "wakuzume/run_control.h"
#include "wakuzume/scene.h"

/// relief: the normals that reduced meshes had, in pictures on what is left of them.
///
/// In: a scene and a plan of what to reduce, which says how large pictures may be. Out: the reduced
/// scene, where what was reduced shows materials of its own, each with one normal picture for all
/// that show it; and the pictures.
/// 1. Where a material's UVs give each place texels of its own, they are used as they are; else
///    there is another UV set, of charts of one density in the world.
/// 2. Materials that are equal by value become one. Meshes that were reduced alike look at the same
/// texels, so they are instanced as before.
/// 3. A normal picture that the material had goes into the new one. What is shaded as it was,
/// within
///    1.5 degrees by the root of the mean square, shows its old material.
/// 4. Nodes, draws, triangles and everything else of a vertex stay as reduce left them.
/// 5. Same scene, same plan: the same pictures, for any number of threads.
namespace wakuzume {

/// A reduced primitive and where its corners are on the picture.
struct ReliefPart {
  MeshId before = no_mesh;  ///< of the scene before
  MeshId mesh = no_mesh;    ///< of the reduced scene
  std::uint32_t primitive = 0;
  std::vector<double> places;  ///< two a corner, pixels
};

/// What one material shows.
struct ReliefPage {
  MaterialId material = no_material;  ///< that shows the picture
  std::vector<MaterialId> like;       ///< those that it stands for, equal by value; ascending
  ImageId image = no_image;
  RectSize size;
  std::uint32_t uv_set = 0;
  bool own_charts = false;        ///< the UV set was made for it
  std::vector<ReliefPart> parts;  ///< of those alike the first alone
};

struct Relief {
  std::vector<ReliefPage> pages;
  std::vector<std::string> left_as;  ///< what has no picture, and why
};

struct ReducedWithRelief {
  Reduced reduced;
  Relief relief;  ///< its images have no bytes yet
};

/// Reduces, and makes the materials and UVs of normal pictures where the plan's settings ask for
/// them. \error as reduce \cost of reduce; charts of what needs them
Result<ReducedWithRelief> reduce_with_relief(const Scene& scene,
                                             const ReducePlan& plan,
                                             const RunControl& run = {});

/// One picture: at each texel the normal of the nearest place of the scene before, as it was
/// shaded, seen from the tangent frame of what is left.
/// \param page  position in Relief::pages
/// \error bad_image, too_large  of a normal picture that the material had
/// \error cancelled
/// \cost a search of the nearest triangle a texel, in parallel
Result<Pixels> paint_relief_page(const Scene& before,
                                 const Scene& reduced,
                                 const Relief& relief,
                                 std::size_t page,
                                 const PictureCodec& codec,
                                 const RunControl& run = {});

/// All of them as PNG. \error as paint_relief_page
Result<std::vector<Bytes>> paint_relief(const Scene& before,
                                        const Scene& reduced,
                                        const Relief& relief,
                                        const PictureCodec& codec,
                                        const RunControl& run = {});

}  // namespace wakuzume
