// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#pragma once

#include <map>
#include <vector>

#include "quantise/roles.h"
#include "wakuzume/quantise.h"

/// On which grids positions go, and what of nodes and instances goes along.
namespace wakuzume {

/// Positions are `offset` + whole numbers times `step`, in the space of the mesh.
struct Grid {
  double step = 0;  ///< a power of two
  Vec3d offset{0, 0, 0};
  /// Whole numbers of 16 bits, by a place of the nodes; otherwise floats, and offset is 0.
  bool whole = false;
  bool from_pivot = false;  ///< whole ones with a sign: offset is less than a step
};

struct Grids {
  std::map<StreamId, Grid> of_stream;  ///< those of positions that are quantised
  std::map<MeshId, Grid> of_mesh;      ///< those whose nodes stand for it: whole ones
  std::size_t bound = 0;               ///< meshes that keep floats as their nodes are bound
  std::size_t large = 0;               ///< as they are too large
  std::size_t repeated = 0;            ///< as their instances would take more than is saved
};

Grids find_grids(const Scene& scene,
                 const std::vector<StreamRole>& roles,
                 const GeometrySettings& settings,
                 std::span<const NodeId> fixed);

/// The positions on their grid. \pre floats, or numbers that stand for them
NewStream make_positions(const Scene& scene, StreamId stream, const Grid& grid);

/// Gives nodes what their meshes lost, and their children what those had.
void place_nodes(const std::map<MeshId, Grid>& grids, Scene& scene);

}  // namespace wakuzume
