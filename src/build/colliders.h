// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#pragma once

#include <string>
#include <vector>

#include "wakuzume/build.h"

/// What stands in for a result where things collide: a child of its node that nobody sees.
namespace wakuzume {

/// What marks a node as collider, and hides it by KHR_node_visibility. \param key  of the extras
Boxed<Extra> make_collider_extra(const std::string& key);

/// Where a collider is to have the triangles that draws had before their meshes were reduced.
struct OriginalDraws {
  const Scene& scene;             ///< borrowed
  std::vector<LedgerRow> rows{};  ///< of the result; of an instance set those of one instance count
};

/// Adds the collider of one primitive of a result's node to the scene: a mesh without material on a
/// child of the node, with its instances. A hull of points in one plane is their box.
/// \param original  null: it is of what the node shows
/// \return the new node, or no_node for points and lines, and originals that are nowhere
/// \cost a hull: O(vertices log vertices)
/// \source hull: Barber, Dobkin and Huhdanpaa, "The Quickhull Algorithm for Convex Hulls", ACM TOMS
///         22 (1996), by the library qhull
NodeId add_collider(Scene& scene,
                    NodeId node,
                    std::uint32_t primitive,
                    ColliderShape shape,
                    const std::string& name,
                    const Boxed<Extra>& extra,
                    const OriginalDraws* original = nullptr);

}  // namespace wakuzume
