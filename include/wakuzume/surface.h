// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#pragma once

#include <cstdint>
#include <limits>
#include <span>
#include <string_view>
#include <vector>

#include "wakuzume/ids.h"
#include "wakuzume/result.h"
#include "wakuzume/run_control.h"

/// Surfaces: triangles with what their vertices carry, and fewer of them where they are missed
/// least.
///
/// In: the triangles of a surface with whatever its vertices carry, and how few of them are wanted
/// or how far they may lie off. Out: a surface of fewer triangles.
/// 1. UV seams, hard edges, borders of materials and open borders keep their corners, and go along
///    old vertices only; no hole opens, and sides that touch still touch.
/// 2. No triangle turns over or loses its area.
/// 3. What is held stays bit for bit, and so does every vertex that did not move.
/// 4. Mirrored input gives mirrored output. Same input: same output, for any number of threads.
namespace wakuzume {

/// What a trait of vertices says, and so what its error counts.
enum class TraitKind : std::uint8_t {
  direction,  ///< a unit vector, such as a normal
  uv,         ///< error counts as far as the texture moves along the surface
  color,
  shape,    ///< a place in another pose or of another morph target, metres
  carried,  ///< counts for nothing; between two vertices it is in between
  label     ///< counts for nothing, and has nothing in between: that of the nearer vertex
};
inline constexpr std::size_t trait_kind_count = 6;

/// Something that vertices have beside their places.
struct SurfaceTrait {
  TraitKind kind = TraitKind::carried;
  std::uint32_t components = 0;   ///< \range 1 to 16
  std::span<const float> values;  ///< vertices x components; borrowed
  double weight = 1;              ///< of its error. \range [0, 1e3]
};

struct Surface {
  std::span<const float> positions;        ///< 3 a vertex, metres; borrowed
  std::span<const std::uint32_t> indices;  ///< 3 a triangle; borrowed
  std::vector<SurfaceTrait> traits;
  /// By vertex: 0 free, 1 held; in between its triangles go later. Empty: all are free.
  std::span<const float> held;
};

enum class VertexPlaces : std::uint8_t {
  best,  ///< where the error is least
  old    ///< vertices of the input only, so that all they carry stays exact
};

struct SurfaceTarget {
  /// As many triangles as may stay.
  std::uint64_t triangles = 0;
  /// How far the surface may lie off, metres, by the mean over what a vertex stands for.
  /// \range [0, inf]
  double error_m = std::numeric_limits<double>::infinity();
  /// Separate parts whose diagonal is no longer may go as a whole, the smallest first, when nothing
  /// else is left to do; metres. \default 0: none may
  double speck_m = 0;
};

struct SurfaceSettings {
  VertexPlaces places = VertexPlaces::best;
  /// Length of edges that the result will have, metres: the longer, the more turns and colours
  /// count beside distances. \default 0: as the target says
  double edge_m = 0;
};

/// How much it took to come so far.
struct SurfaceStep {
  std::uint64_t triangles = 0;  ///< that were left
  double cost = 0;              ///< of the dearest move, square metres times area
};

/// Why no more triangles went.
enum class ReducedTo : std::uint8_t {
  count,  ///< as few as were wanted
  error,  ///< more would lie farther off
  held,   ///< what is left is held
  shape   ///< what is left are seams, borders, hard edges and the least that parts consist of
};
inline constexpr std::size_t reduced_to_count = 4;
std::string_view to_string(ReducedTo why);

struct ReducedSurface {
  std::vector<float> positions;            ///< 3 a vertex
  std::vector<std::uint32_t> indices;      ///< 3 a triangle, in the order of the input
  std::vector<std::vector<float>> traits;  ///< as those of the input
  /// By vertex: the one of the input that it is, bit for bit; no_index where it moved.
  std::vector<std::uint32_t> vertex_from;
  std::vector<std::uint32_t> triangle_from;  ///< by triangle: its number in the input
  std::uint64_t held = 0;                    ///< triangles whose corners are all held
  std::uint64_t specks = 0;                  ///< separate parts that went as a whole
  std::vector<SurfaceStep> steps;            ///< now and then, from many triangles to few
  double error_m = 0;  ///< largest that SurfaceTarget::error_m is held against
  ReducedTo why = ReducedTo::count;
};

/// \pre indices are below the count of vertices; spans are as long as they say
/// \error cancelled
/// \cost O(triangles), some 150 bytes a triangle and 10 more for each component that counts; its
///       first half on the threads of `run`
/// \source M. Garland and P. Heckbert, "Surface Simplification Using Quadric Error Metrics", 1997;
///         H. Hoppe, "New Quadric Metric for Simplifying Meshes with Appearance Attributes", 1999
Result<ReducedSurface> reduce_surface(const Surface& surface,
                                      const SurfaceTarget& target,
                                      const SurfaceSettings& settings = {},
                                      const RunControl& run = {});

}  // namespace wakuzume
