// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#pragma once

#include <cstdint>
#include <string>
#include <vector>

#include "wakuzume/io.h"
#include "wakuzume/scene.h"
#include "wakuzume/stream_codec.h"

/// What a glTF file stores compressed, and how it becomes plain.
namespace wakuzume {

inline constexpr const char* packed_extension = "EXT_meshopt_compression";
inline constexpr const char* draco_extension = "KHR_draco_mesh_compression";
/// Of what becomes plain, in its block. Bytes.
inline constexpr std::uint64_t plain_alignment = 16;

/// EXT_meshopt_compression of a view.
struct PackedView {
  ViewId view = no_view;
  BlockId block = no_block;  ///< that holds the packed bytes
  std::uint64_t offset = 0;
  std::uint64_t length = 0;
  PackLayout layout;
};

/// KHR_draco_mesh_compression of a primitive.
struct DracoPrimitive {
  MeshId mesh = no_mesh;
  std::uint32_t primitive = 0;
  ViewId view = no_view;
  struct Attribute {
    std::string semantic;
    std::uint32_t id = 0;  ///< by which the compressed mesh knows it
  };
  std::vector<Attribute> attributes;
};

struct PackedParts {
  std::vector<PackedView> views;      ///< ascending by view
  std::vector<bool> stands_in;        ///< by block: what views show of it is in packed ones
  std::vector<DracoPrimitive> drawn;  ///< in file order

  [[nodiscard]] bool empty() const { return views.empty() && drawn.empty(); }
};

/// Makes every compressed stream plain, in blocks of its own, and drops the blocks that held
/// nothing else. Views that stand for packed ones keep their numbers. \pre blocks have their bytes,
/// but for those that stand in \error index_out_of_range, out_of_bounds, bad_value, too_large,
/// not_supported; cancelled
Result<void> unpack_parts(const PackedParts& packed,
                          const ReadLimits& limits,
                          const RunControl& run,
                          Scene& scene);

/// The same for meshes, once views are plain.
Result<void> unpack_draco(const std::vector<DracoPrimitive>& drawn,
                          const ReadLimits& limits,
                          const RunControl& run,
                          Scene& scene);

}  // namespace wakuzume
