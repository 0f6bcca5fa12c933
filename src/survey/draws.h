// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#pragma once

#include <string>
#include <vector>

#include "survey/rules.h"
#include "wakuzume/survey.h"

/// The draws of a scene and the keys they fall into.
namespace wakuzume {

Topology find_topology(PrimitiveMode mode);

/// What of a primitive's vertex layout a merge can't bridge; see MergeKey::layout.
std::string make_layout(const Scene& scene, const Primitive& primitive);

/// Semantics that a merge understands and can fill in where they are missing.
bool is_fillable(const std::string& semantic);

/// Times a node's mesh is drawn: 1, or the instances of EXT_mesh_gpu_instancing.
std::uint64_t count_instances(const Scene& scene, const Node& node);

}  // namespace wakuzume
