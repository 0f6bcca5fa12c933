// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#pragma once

#include "quantise/roles.h"
#include "wakuzume/quantise.h"

/// What vertices have beside their positions, and indices, in the narrowest type that is near
/// enough. Without bytes: the stream stays as it is.
namespace wakuzume {

/// \param stretch  as find_stretches has it
NewStream make_directions(const Scene& scene,
                          StreamId stream,
                          const GeometrySettings& settings,
                          double stretch);
NewStream make_uvs(const Scene& scene, StreamId stream, const GeometrySettings& settings);
NewStream make_colors(const Scene& scene, StreamId stream, const GeometrySettings& settings);
NewStream make_joints(const Scene& scene, StreamId stream);
NewStream make_narrow_indices(const Scene& scene, StreamId stream, std::uint64_t vertices);

/// Triangles as they are once they were packed: each may begin at another of its corners.
NewStream make_turned_triangles(const Scene& scene, StreamId stream);

}  // namespace wakuzume
