// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#pragma once

#include <cstdint>
#include <string>
#include <string_view>
#include <vector>

#include "wakuzume/ids.h"
#include "wakuzume/propose.h"
#include "wakuzume/result.h"
#include "wakuzume/run_control.h"
#include "wakuzume/scene.h"

/// build: carry a plan out.
///
/// In: a scene and a plan for it. Out: a new scene that shares all unchanged data with the old one,
/// and the ledger of what became of every source draw.
/// 1. World positions move by no more than 1e-6 of a cluster's extent plus half a float ulp.
/// 2. A result has the very material its sources had, by identity.
/// 3. Kept nodes keep name, extras and place; emptied leaf nodes go, unless something points at
/// them.
/// 4. A result carries the extras that all its members agree on, such as their lightmap page.
/// 5. The same bytes for any number of threads.
namespace wakuzume {

enum class Fate : std::uint8_t { merged, instanced, kept, dropped };
inline constexpr std::size_t fate_count = 4;
std::string_view to_string(Fate fate);

/// What became of one source draw. Ranges count in list indices of the output primitive.
struct LedgerRow {
  DrawRef source;
  Fate fate = Fate::kept;
  NodeId node = no_node;  ///< in the output scene; no_node when dropped
  std::uint32_t primitive = 0;
  std::uint32_t instance = 0;  ///< with instanced
  std::uint64_t first_index = 0;
  std::uint64_t index_count = 0;
  std::uint64_t first_vertex = 0;
  std::uint64_t vertex_count = 0;
};

/// A node of the output scene that a group became.
struct LedgerResult {
  NodeId node = no_node;
  NodeId below = no_node;  ///< node of the source that it stands under; no_node: at the roots
  /// Primitive of the source whose data an instance set shows as it is; no_node: data of its own.
  DrawRef shown{no_node, 0};
};

struct Ledger {
  std::string source_path;  ///< relative to the ledger's folder; the core does not use it
  ContentHash source_hash;
  ContentHash result_hash;
  std::vector<LedgerRow> rows;        ///< one a source draw, in draw order
  std::vector<LedgerResult> results;  ///< by node
  std::vector<std::string> left_out;  ///< what a result could not carry, one sentence each
};

struct Built {
  Scene scene;
  Ledger ledger;
};

/// \pre check_scene(scene)
/// \error plan_mismatch, plan_invalid  as check_plan
/// \error too_large  a merge of more than 4,294,967,294 vertices
/// \error cancelled
/// \cost each merged vertex and index is read and written once; parallel over the groups
Result<Built> build(const Scene& scene, const Plan& plan, const RunControl& run = {});

}  // namespace wakuzume
