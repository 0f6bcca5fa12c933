// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#pragma once

#include <cstdint>
#include <span>
#include <string>
#include <string_view>
#include <vector>

#include "wakuzume/image_facts.h"
#include "wakuzume/result.h"
#include "wakuzume/run_control.h"
#include "wakuzume/scene.h"
#include "wakuzume/survey.h"

/// Findings: what a survey noticed, what it costs and what to do about it.
namespace wakuzume {

/// Stable across versions, by the name that to_string gives.
enum class FindingCode : std::uint8_t {
  not_finite,              ///< NaN or infinite values
  file_missing,            ///< named by the scene, not there
  part_skipped,            ///< of a file, because it can't be read
  image_unreadable,        ///< can't be decoded
  placed_twice,            ///< the same shape in the same place
  triangles_shared,        ///< two primitives of a mesh draw the same triangles
  triangles_repeated,      ///< a triangle more than once in a primitive
  triangles_degenerate,    ///< without area
  vertices_unused,         ///< stored, in no triangle
  material_used_twice,     ///< two primitives of one mesh have the same material
  material_copied,         ///< materials equal by value
  material_without_image,  ///< a colour and nothing else
  alpha_has_two_values,    ///< blended, though its texels are there or not, and nothing between
  geometry_copied,         ///< equal vertices stored again
  image_copied,            ///< equal pictures stored again
  uv_off_tile,             ///< outside the tile, and a whole-tile shift brings them inside
  uv_repeats,              ///< the texture is repeated across the surface
  image_repeats_always,    ///< every use of the image repeats it
  image_too_fine,          ///< more texels than the surfaces need
  image_one_color,         ///< all pixels are equal
  image_size_uneven,       ///< a side that is no power of two
  lightmap_wrong,          ///< lit by a page, and nothing tells where on it
  lightmap_outside,        ///< UVs leave the page
  lightmap_overlap,        ///< charts of two draws lie over each other
  lightmap_pages_small,    ///< pages keep apart what else agrees
  semantic_unknown,        ///< neither one of the standard's nor an application's own
  uvs_missing,             ///< its texture looks up a set that is not there
  normals_missing,         ///< the material is lit
  tangents_missing,        ///< the material has a normal texture
  transform_mirrored,
  transform_sheared,
  transform_flattened,  ///< an axis without length
  too_large_to_cull,    ///< in sight from nearly everywhere
  merged_too_coarsely,  ///< large, and made of many separate parts
  far_from_origin,      ///< single precision shakes there
  vertex_limit,         ///< more vertices than 16-bit indices or the limit allow
  helper_drawn,         ///< looks like a collider or another helper, and is drawn
  node_empty,           ///< nothing below it
  track_constant,       ///< animated, and never moves
  resource_unused,      ///< in the file, and nothing shows it
};
inline constexpr std::size_t finding_code_count = 40;
std::string_view to_string(FindingCode code);

enum class Severity : std::uint8_t {
  serious,  ///< wrong, or costly whatever else is done
  costly,   ///< stands between the scene and fewer draws or bytes
  minor,    ///< good to know
};
std::string_view to_string(Severity severity);

struct Finding {
  FindingCode code = FindingCode::not_finite;
  Severity severity = Severity::minor;
  std::string subject;          ///< what it is about: "material brick", "mesh crate"
  std::string what;             ///< one sentence with the numbers
  std::string remedy;           ///< one sentence
  std::vector<DrawId> draws;    ///< that it concerns, ascending; may be empty
  std::uint64_t draw_cost = 0;  ///< draws that it adds or keeps apart
  std::uint64_t byte_cost = 0;  ///< bytes in the file, or in memory for pictures
};

/// Where a finding begins.
struct FindingSettings {
  /// Texel density that surfaces need. \range (0, 1e6]
  double texels_per_metre = 512;
  /// An image is too fine when each of its uses has so many times that density. \range [1, 1e6]
  double too_fine_factor = 4;
  /// UV ranges that repeat an image at least so often on each use. \range [1, 1e9]
  double repeats = 4;
  /// Share of the scene's extent that makes a draw too large to cull. \range (0, 1]
  double large_share = 0.5;
  /// Triangles from which on that matters. \range [0, 4294967295]
  std::uint32_t large_triangles = 1000;
  /// Separate parts from which on a large draw counts as merged. \range [2, 4294967295]
  std::uint32_t separate_parts = 16;
  /// Distance from the world's origin. \range (0, 1e12]
  double far_m = 10'000;
  /// Most vertices of a primitive. \range [3, 4294967294]
  std::uint32_t max_vertices = 65'535;
  /// Names of pictures of lightmap pages, which engines find by them: as
  /// LightmapSettings::pictures.
  std::string lightmap_pictures = "lightmap_{page}";
  /// Words in the names of nodes, meshes or materials that mark helpers; any case.
  std::vector<std::string> helper_words{"collider", "collision", "hitbox", "trigger", "occluder"};
};
/// \error bad_setting  names the member and its range
Result<void> validate(const FindingSettings& settings);

/// The serious before the costly and the minor; in each by code, and of a code the costliest first.
/// \pre `survey` is of `scene`; `images` is empty or has one entry an image. Without entries
///      nothing is said of what pictures hold, without decoded ones nothing of their pixels
/// \error bad_setting, cancelled
/// \cost one pass over the geometry in parallel, O(draws log draws) besides
Result<std::vector<Finding>> find_findings(const Scene& scene,
                                           const Survey& survey,
                                           std::span<const ImageFacts> images,
                                           const FindingSettings& settings = {},
                                           const RunControl& run = {});

}  // namespace wakuzume
