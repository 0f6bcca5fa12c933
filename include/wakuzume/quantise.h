// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#pragma once

#include <cstdint>
#include <span>
#include <string>
#include <string_view>
#include <vector>

#include "wakuzume/ids.h"
#include "wakuzume/result.h"
#include "wakuzume/run_control.h"
#include "wakuzume/scene.h"

/// quantise: vertex data in fewer bits, within errors that are asked.
///
/// In: a scene and the errors. Out: the same nodes, meshes, materials and triangles, in narrower
/// streams (KHR_mesh_quantization).
/// 1. No vertex moves by more than the error in the world, no normal turns by more, no UV or colour
/// differs by more; what can't be stored so stays as it is, and that is told.
/// 2. Meshes that stand unturned in the world share one grid: where they met, they still meet.
/// 3. Weights, animations and attributes of one's own are not touched. Morph targets keep their
/// values; when not packed, those that move few vertices are sparse.
/// 4. The same bytes for any number of threads; what is quantised stays as it is a second time.
/// \source KHR_mesh_quantization and EXT_meshopt_compression, extensions of glTF 2.0
namespace wakuzume {

enum class GeometryForm : std::uint8_t {
  plain,      ///< as it was built
  quantised,  ///< numbers of 8 and 16 bits
  packed,     ///< the same, and streams packed in files: StreamStorage::packed
};
std::string_view to_string(GeometryForm form);

/// Textures have at most so many texels a side where errors of UVs are told in texels.
inline constexpr double widest_texture_px = 8192;

struct GeometrySettings {
  /// How vertex data is stored. \default plain
  GeometryForm form = GeometryForm::plain;
  /// Farthest that a vertex may lie off, metres in the world. \range [1e-6, 1]
  double position_error_m = 0.00025;
  /// Most by which a normal or tangent may turn, degrees. \range [0.001, 10]
  double direction_error_deg = 0.5;
  /// Most by which UVs may be off, texels of a texture of widest_texture_px. \range [0.001, 16]
  double uv_error_texels = 0.25;
  /// Most by which components of colours may differ. \range [1e-5, 0.1]
  double color_error = 0.002;

  bool operator==(const GeometrySettings&) const = default;
};
/// \error bad_setting  names the member and its range
Result<void> validate(const GeometrySettings& settings);

struct Quantised {
  Scene scene;
  std::vector<std::string> left_out;  ///< what stayed in floats, and why; one sentence each
};

/// Positions become whole numbers of a grid whose step is a power of two. Nodes take the step as
/// their scale, instances as theirs. Where nodes can't (they are animated, their mesh is skinned or
/// too large for 16 bits), packed streams have floats on that grid.
/// \param fixed  nodes whose instances stay as they are
/// \pre check_scene(scene), a valid `settings`
/// \error cancelled
/// \cost each vertex is read and written twice; parallel over the streams
Result<Quantised> quantise(Scene scene,
                           const GeometrySettings& settings,
                           std::span<const NodeId> fixed = {},
                           const RunControl& run = {});

}  // namespace wakuzume
