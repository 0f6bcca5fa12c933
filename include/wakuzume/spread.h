// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#pragma once

#include "wakuzume/build.h"
#include "wakuzume/scene.h"

/// spread: instance sets as ordinary nodes, for loaders that know no EXT_mesh_gpu_instancing and
/// for engines that instance equal meshes by themselves.
///
/// In: a result and its ledger. Out: the same, each instance a node on the one mesh.
/// 1. Nodes, rows and results keep their numbers; new nodes stand behind all others.
/// 2. Each new node has the extras of its set, its own place on its lightmap page and its own "id"
/// and "random" in its extras.
/// 3. What nodes can't say keeps a set as it is, and the ledger tells.
namespace wakuzume {

/// Does what Ledger::instances says, once; the ledger gets the hash of what came of it, gathered.
/// \pre `built` is of `ledger`, as build made it
void spread_instances(Scene& built, Ledger& ledger);

/// A result whose sets are nodes as one whose sets are sets: what audits, counts and restores go
/// by. Others come back as they are. What a file says of the nodes is what the sets say: one that
/// is gone, or shows another mesh, is an instance that stands nowhere.
Scene gather_instances(Scene built, const Ledger& ledger);

}  // namespace wakuzume
