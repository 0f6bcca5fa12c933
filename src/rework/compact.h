// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#pragma once

#include <string>
#include <vector>

#include "wakuzume/scene.h"

/// Leaving out what a build made superfluous.
namespace wakuzume {

/// The new handle of every old node; no_node for those that went.
using NodeMap = std::vector<NodeId>;

/// Removes from `built` the nodes emptied by the build, and the meshes, streams, views and byte
/// ranges that something in `source` referred to and nothing in `built` does. What was unused in
/// the source already stays. Materials, textures and images keep their numbers.
/// An unknown extension that may hold a number of a table keeps everything in place; then a
/// sentence is added to `left_out`.
/// \pre the first nodes, meshes, streams and views of `built` are those of `source`
/// \param origin  a scene with the first meshes, streams and views of `source`, whose data may go
///                too; null: there is none
NodeMap compact(const Scene& source,
                Scene& built,
                std::vector<std::string>& left_out,
                const Scene* origin = nullptr);

/// Removes the meshes, streams, views and bytes that something in `before` referred to and nothing
/// in `now` does; nothing where an unknown extension may hold a number of a table.
/// \pre the first meshes, streams and views of `now` are those of `before`
void remove_unused_data(const Scene& before, Scene& now);

/// The name of an extension that may refer to a node, mesh, accessor or view; empty if there is
/// none.
std::string find_referring_extension(const Scene& scene);

}  // namespace wakuzume
