// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#pragma once

#include <array>
#include <cstdint>
#include <map>
#include <vector>

#include "render/baked.h"
#include "render/gl_objects.h"
#include "wakuzume/run_control.h"
#include "wakuzume/scene.h"
#include "wakuzume/survey.h"

/// Vertices and indices on the device.
namespace wakuzume {

/// What a vertex holds beside its position.
struct VertexLayout {
  std::uint8_t uv_sets = 0;
  bool normals = false;
  bool tangents = false;
  bool colors = false;
  bool layers = false;
  bool baked = false;                          ///< UVs of the lightmap
  [[nodiscard]] std::uint32_t stride() const;  ///< bytes
  auto operator<=>(const VertexLayout&) const = default;
};

/// UV sets that the textures of a material use, ascending.
std::vector<std::uint32_t> list_uv_sets(const Material& material);

/// Everything of one layout, one after the other.
struct Arena {
  VertexLayout layout;
  GlVertexArray vertex_array;
  GlBuffer vertices;
  GlBuffer indices;
  std::vector<float> positions;           ///< 3 a vertex, as on the device
  std::vector<std::uint32_t> index_list;  ///< as on the device
};

/// A box around elements, in the space of their draw. Infinite where a vertex is nowhere.
struct RunBox {
  std::array<float, 3> centre{};
  std::array<float, 3> half{};
};

/// Elements that follow each other: what can be left out of a draw by itself.
struct ElementRun {
  std::uint32_t first_index = 0;  ///< within its range
  std::uint32_t index_count = 0;
  std::uint32_t first_vertex = 0;  ///< from the range's base vertex
  std::uint32_t vertex_count = 0;  ///< from there to the last that it uses
  RunBox box;
};

/// Where the geometry of a draw is.
struct GpuRange {
  std::uint32_t arena = 0;
  std::uint32_t base_vertex = 0;
  std::uint64_t first_index = 0;
  std::uint32_t index_count = 0;
  GLenum mode = GL_TRIANGLES;
  std::uint32_t first_run = 0;
  std::uint32_t run_count = 0;
  RunBox box;  ///< around all of its runs
};

struct GpuGeometry {
  std::vector<Arena> arenas;
  std::vector<GpuRange> places;  ///< one a draw of the survey
  std::vector<ElementRun> runs;
};

/// The attribute that counts instances is set up without its buffer, binding 1.
/// \error too_large, cancelled
Result<GpuGeometry> make_geometry(const Scene& scene,
                                  const Survey& survey,
                                  const BakedLight& baked,
                                  const RunControl& run);

}  // namespace wakuzume
