// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#pragma once

#include <cstdint>
#include <string>
#include <vector>

#include "gltf/pack.h"
#include "json/out.h"
#include "wakuzume/scene.h"

/// The JSON of a scene whose bytes have been given their places.
namespace wakuzume {

struct ViewPlace {
  std::uint32_t buffer = 0;
  std::uint64_t offset = 0;
  const PackedBlock* packed = nullptr;  ///< null: the place holds the view's own bytes
  std::uint64_t stand_in = 0;           ///< where it would be in Placement::stand_in
};

struct BufferOut {
  std::uint64_t length = 0;
  std::string uri;  ///< empty: the binary chunk
  std::string name;
  const Boxed<Extra>* extra = nullptr;
  bool stands_in = false;  ///< has no bytes
};

struct ImageOut {
  std::string uri;  ///< of a file or a data URI; empty while `view` is set
  ViewId view = no_view;
  std::string mime_type;
};

/// Where everything ends up. Views beyond those of the scene hold images that were files.
struct Placement {
  std::vector<BufferOut> buffers;
  std::vector<ViewPlace> views;
  std::vector<std::uint64_t> image_view_lengths;  ///< of the views beyond the scene's
  std::vector<ImageOut> images;
  /// The buffer without bytes that packed views are views of; no_index: there are none.
  std::uint32_t stand_in = no_index;
};

void write_gltf_json(const Scene& scene, const Placement& placement, JsonOut& out);

}  // namespace wakuzume
