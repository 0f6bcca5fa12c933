// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include "render/geometry.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <cstring>
#include <limits>
#include <map>
#include <numeric>
#include <set>

#include "render/posed.h"
#include "rework/tangents.h"
#include "scene/running.h"
#include "survey/draws.h"
#include "survey/textures.h"

namespace wakuzume {
namespace {

constexpr std::size_t shapes_at_once = 512;
/// Elements of a run: few enough that their box says where they are, enough to be worth a call.
constexpr std::size_t run_elements = 512;

/// One primitive as the device takes it.
struct Packed {
  VertexLayout layout;
  GLenum mode = GL_TRIANGLES;
  std::vector<std::byte> vertices;
  std::vector<std::uint32_t> indices;
  std::vector<ElementRun> runs;
  RunBox box;
};

/// Vertices by their numbers: values are gathered from lists that may be empty.
struct Lists {
  ShownVertices shown;
  std::vector<float> colors;
  std::size_t color_width = 4;
  std::vector<std::vector<float>> uvs;
  std::vector<float> layers;
  std::vector<float> baked;  ///< UVs
  /// Of each packed vertex: its number in the primitive; its own normal and tangent, if any.
  std::vector<std::uint32_t> numbers;
  std::vector<float> own_normals;
  std::vector<float> own_tangents;
};

template <class T>
void put(std::vector<std::byte>& out, std::size_t& at, const T* values, std::size_t count) {
  std::memcpy(out.data() + at, values, count * sizeof(T));
  at += count * sizeof(T);
}

std::array<std::uint16_t, 4> pack_color(const float* from, std::size_t width) {
  std::array<std::uint16_t, 4> out{0, 0, 0, 65535};
  for (std::size_t c = 0; c < width; ++c) {
    const float value = std::isfinite(from[c]) ? std::clamp(from[c], 0.0F, 1.0F) : 0.0F;
    out[c] = static_cast<std::uint16_t>(std::lround(value * 65535.0F));
  }
  return out;
}

/// A value of a list, or zeros where it is too short.
const float* find(const std::vector<float>& list, std::size_t number, std::size_t width) {
  static constexpr std::array<float, 4> zeros{};
  return (number + 1) * width <= list.size() ? list.data() + number * width : zeros.data();
}

void pack_vertices(const Lists& lists, const VertexLayout& layout, std::vector<std::byte>& out) {
  out.resize(lists.numbers.size() * layout.stride());
  std::size_t at = 0;
  for (std::size_t v = 0; v < lists.numbers.size(); ++v) {
    const std::size_t n = lists.numbers[v];
    put(out, at, find(lists.shown.positions, n, 3), 3);
    if (layout.normals) {
      put(out, at,
          lists.own_normals.empty() ? find(lists.shown.normals, n, 3)
                                    : find(lists.own_normals, v, 3),
          3);
    }
    if (layout.tangents) {
      put(out, at,
          lists.own_tangents.empty() ? find(lists.shown.tangents, n, 4)
                                     : find(lists.own_tangents, v, 4),
          4);
    }
    if (layout.colors) {
      const auto color = pack_color(find(lists.colors, n, lists.color_width), lists.color_width);
      put(out, at, color.data(), 4);
    }
    for (const std::vector<float>& uvs : lists.uvs) {
      put(out, at, find(uvs, n, 2), 2);
    }
    if (layout.layers) {
      put(out, at, find(lists.layers, n, 1), 1);
    }
    if (layout.baked) {
      put(out, at, find(lists.baked, n, 2), 2);
    }
  }
}

/// Corners of a box as they grow.
struct Bounds {
  std::array<float, 3> low{};
  std::array<float, 3> high{};
  bool finite = true;
  bool empty = true;

  void include(const float* p) {
    for (std::size_t i = 0; i < 3; ++i) {
      finite = finite && std::isfinite(p[i]);
      low[i] = empty ? p[i] : std::min(low[i], p[i]);
      high[i] = empty ? p[i] : std::max(high[i], p[i]);
    }
    empty = false;
  }
  void include(const Bounds& other) {
    include(other.low.data());
    include(other.high.data());
    finite = finite && other.finite;
  }
  [[nodiscard]] RunBox make_box() const {
    RunBox out;
    for (std::size_t i = 0; i < 3; ++i) {
      // Half of each first: the sum of two large numbers may be none.
      out.centre[i] = finite ? low[i] / 2 + high[i] / 2 : 0;
      const float half = std::max(high[i] - out.centre[i], out.centre[i] - low[i]);
      out.half[i] = finite ? std::nextafter(half, std::numeric_limits<float>::infinity())
                           : std::numeric_limits<float>::infinity();
    }
    return out;
  }
};

/// Runs of a list of elements with their boxes. \return the box around all
RunBox find_runs(const std::vector<std::byte>& vertices,
                 std::size_t stride,
                 const std::vector<std::uint32_t>& indices,
                 std::size_t corners,
                 std::vector<ElementRun>& out) {
  Bounds all;
  for (std::size_t begin = 0; begin < indices.size(); begin += run_elements * corners) {
    const std::size_t end = std::min(indices.size(), begin + run_elements * corners);
    Bounds bounds;
    std::uint32_t first = indices[begin];
    std::uint32_t last = indices[begin];
    for (std::size_t i = begin; i < end; ++i) {
      first = std::min(first, indices[i]);
      last = std::max(last, indices[i]);
      std::array<float, 3> position{};
      std::memcpy(position.data(), &vertices[indices[i] * stride], sizeof(position));
      bounds.include(position.data());
    }
    all.include(bounds);
    out.push_back({static_cast<std::uint32_t>(begin), static_cast<std::uint32_t>(end - begin),
                   first, last - first + 1, bounds.make_box()});
  }
  return all.make_box();
}

std::vector<float> find_flat_normals(const std::vector<float>& positions,
                                     const std::vector<std::uint32_t>& indices) {
  std::vector<float> out;
  out.reserve(3 * indices.size());
  for (std::size_t t = 0; t + 2 < indices.size(); t += 3) {
    std::array<std::array<double, 3>, 3> p{};
    for (std::size_t c = 0; c < 3; ++c) {
      const float* from = find(positions, indices[t + c], 3);
      p[c] = {from[0], from[1], from[2]};
    }
    std::array<double, 3> a{};
    std::array<double, 3> b{};
    for (std::size_t i = 0; i < 3; ++i) {
      a[i] = p[1][i] - p[0][i];
      b[i] = p[2][i] - p[0][i];
    }
    const std::array<double, 3> n{a[1] * b[2] - a[2] * b[1], a[2] * b[0] - a[0] * b[2],
                                  a[0] * b[1] - a[1] * b[0]};
    const double length = std::sqrt(n[0] * n[0] + n[1] * n[1] + n[2] * n[2]);
    for (int corner = 0; corner < 3; ++corner) {
      for (std::size_t i = 0; i < 3; ++i) {
        out.push_back(length > 0 ? static_cast<float>(n[i] / length) : (i == 2 ? 1.0F : 0.0F));
      }
    }
  }
  return out;
}

class Packer {
 public:
  Packer(const Scene& scene, const std::vector<Mat4d>& world) : scene_(scene), world_(world) {}

  /// \param light_set  UV set of its lightmap; no_index: it has none
  [[nodiscard]] Packed pack(const Draw& draw, std::uint32_t light_set) const {
    const Primitive& primitive = primitive_of(scene_, draw);
    static const Material standard;
    const Material& material =
        primitive.material == no_material ? standard : scene_[primitive.material];
    const bool triangles = primitive.mode >= PrimitiveMode::triangles;
    Packed out;
    out.mode =
        triangles ? GL_TRIANGLES : (primitive.mode == PrimitiveMode::points ? GL_POINTS : GL_LINES);
    out.indices = make_list_indices(scene_, primitive);
    Lists lists = decode(draw.node, primitive, material);
    if (light_set != no_index) {
      lists.baked = make_floats(scene_, primitive.find(fmt::format("TEXCOORD_{}", light_set)));
    }
    const bool bumpy = triangles && material.normal_texture.texture != no_texture;
    find_frames(primitive, triangles, bumpy, lists, out.indices);
    out.layout = {static_cast<std::uint8_t>(lists.uvs.size()),
                  !lists.own_normals.empty() || !lists.shown.normals.empty(),
                  bumpy && (!lists.own_tangents.empty() || !lists.shown.tangents.empty()),
                  !lists.colors.empty(),
                  !lists.layers.empty(),
                  light_set != no_index};
    pack_vertices(lists, out.layout, out.vertices);
    out.box = find_runs(out.vertices, out.layout.stride(), out.indices,
                        triangles ? 3 : (out.mode == GL_LINES ? 2 : 1), out.runs);
    return out;
  }

 private:
  [[nodiscard]] Lists decode(NodeId node,
                             const Primitive& primitive,
                             const Material& material) const {
    Lists lists;
    lists.shown = make_shown_vertices(scene_, node, primitive, world_);
    if (const StreamId colors = primitive.find("COLOR_0"); colors != no_stream) {
      lists.colors = make_floats(scene_, colors);
      lists.color_width = component_count(scene_[colors].element);
    }
    for (const std::uint32_t set : list_uv_sets(material)) {
      const StreamId uvs = primitive.find("TEXCOORD_" + std::to_string(set));
      lists.uvs.push_back(uvs == no_stream ? std::vector<float>(2) : make_floats(scene_, uvs));
    }
    const auto slots = list_slots(material);
    const bool layered = std::any_of(slots.begin(), slots.end(), [&](const TextureSlot* slot) {
      return slot->texture != no_texture && scene_.textures[to_index(slot->texture)].layers;
    });
    if (const StreamId layers = primitive.find(layer_semantic); layered && layers != no_stream) {
      lists.layers = make_floats(scene_, layers);
    }
    return lists;
  }

  /// Normals and tangents where the primitive has none; vertices may become more by it.
  void find_frames(const Primitive& primitive,
                   bool triangles,
                   bool bumpy,
                   Lists& lists,
                   std::vector<std::uint32_t>& indices) const {
    const bool flat = triangles && lists.shown.normals.empty();
    const bool tangents =
        bumpy && !(has_tangents(primitive) && !flat) && can_make_tangents(scene_, primitive);
    if (flat) {
      lists.own_normals = find_flat_normals(lists.shown.positions, indices);
      if (tangents) {
        lists.own_tangents = make_corner_tangents(make_corner_data(scene_, primitive));
      }
      lists.numbers = indices;
      std::iota(indices.begin(), indices.end(), 0U);
      return;
    }
    if (tangents) {
      TangentVertices made = make_tangent_vertices(scene_, primitive);
      lists.numbers = std::move(made.vertices);
      lists.own_tangents = std::move(made.tangents);
      indices = std::move(made.indices);
      return;
    }
    lists.numbers.resize(lists.shown.positions.size() / 3);
    std::iota(lists.numbers.begin(), lists.numbers.end(), 0U);
  }

  const Scene& scene_;
  const std::vector<Mat4d>& world_;
};

/// Arenas as they grow, before they go to the device.
struct Growing {
  VertexLayout layout;
  std::vector<std::byte> vertices;
  std::vector<std::uint32_t> indices;
  std::vector<float> positions;
};

void set_up(GLuint array, const VertexLayout& layout) {
  GLuint offset = 0;
  const auto add = [&](GLuint location, GLint count, GLenum type, GLuint bytes) {
    glEnableVertexArrayAttrib(array, location);
    glVertexArrayAttribFormat(array, location, count, type,
                              type == GL_UNSIGNED_SHORT ? GL_TRUE : GL_FALSE, offset);
    glVertexArrayAttribBinding(array, location, 0);
    offset += bytes;
  };
  add(0, 3, GL_FLOAT, 12);
  if (layout.normals) {
    add(1, 3, GL_FLOAT, 12);
  }
  if (layout.tangents) {
    add(2, 4, GL_FLOAT, 16);
  }
  if (layout.colors) {
    add(3, 4, GL_UNSIGNED_SHORT, 8);
  }
  for (GLuint set = 0; set < layout.uv_sets; ++set) {
    add(4 + set, 2, GL_FLOAT, 8);
  }
  if (layout.layers) {
    add(9, 1, GL_FLOAT, 4);
  }
  if (layout.baked) {
    add(11, 2, GL_FLOAT, 8);
  }
  glEnableVertexArrayAttrib(array, 10);
  glVertexArrayAttribIFormat(array, 10, 1, GL_UNSIGNED_INT, 0);
  glVertexArrayAttribBinding(array, 10, 1);
  glVertexArrayBindingDivisor(array, 1, 1);
}

Arena upload(Growing& growing) {
  Arena out;
  out.layout = growing.layout;
  out.vertex_array = GlVertexArray::make();
  out.vertices = GlBuffer::make();
  out.indices = GlBuffer::make();
  const GLuint array = out.vertex_array.id();
  glNamedBufferStorage(out.vertices.id(), static_cast<GLsizeiptr>(growing.vertices.size()),
                       growing.vertices.data(), 0);
  glNamedBufferStorage(out.indices.id(), static_cast<GLsizeiptr>(growing.indices.size() * 4),
                       growing.indices.data(), 0);
  set_up(array, growing.layout);
  glVertexArrayVertexBuffer(array, 0, out.vertices.id(), 0,
                            static_cast<GLsizei>(growing.layout.stride()));
  glVertexArrayElementBuffer(array, out.indices.id());
  out.positions = std::move(growing.positions);
  out.index_list = std::move(growing.indices);
  growing = {};
  return out;
}

/// What several draws show is packed once.
struct Work {
  DrawId draw = no_draw;  ///< the first that shows it
  std::vector<DrawId> others;
};

std::vector<Work> list_work(const Scene& scene, const Survey& survey, const BakedLight& baked) {
  std::vector<Work> out;
  std::map<std::pair<ShapeId, std::uint32_t>, std::size_t> of_shape;
  for (std::size_t d = 0; d < survey.draws.size(); ++d) {
    const Draw& draw = survey.draws[d];
    const Primitive& primitive = primitive_of(scene, draw);
    const auto id = make_id<DrawId>(d);
    if (is_posed(scene, scene[draw.node], primitive)) {
      out.push_back({id, {}});
      continue;
    }
    const auto [known, added] = of_shape.try_emplace({draw.shape, baked.of(id).uv_set}, out.size());
    if (added) {
      out.push_back({id, {}});
    } else {
      out[known->second].others.push_back(id);
    }
  }
  return out;
}

}  // namespace

std::uint32_t VertexLayout::stride() const {
  return 12U + (normals ? 12U : 0U) + (tangents ? 16U : 0U) + (colors ? 8U : 0U) + 8U * uv_sets +
         (layers ? 4U : 0U) + (baked ? 8U : 0U);
}

std::vector<std::uint32_t> list_uv_sets(const Material& material) {
  std::set<std::uint32_t> sets;
  for (const TextureSlot* slot : list_slots(material)) {
    if (slot->texture != no_texture) {
      sets.insert(find_uv_set(*slot));
    }
  }
  return {sets.begin(), sets.end()};
}

Result<GpuGeometry> make_geometry(const Scene& scene,
                                  const Survey& survey,
                                  const BakedLight& baked,
                                  const RunControl& run) {
  const std::vector<Mat4d> world = make_world_matrices(scene);
  const Packer packer(scene, world);
  const std::vector<Work> work = list_work(scene, survey, baked);
  GpuGeometry out;
  out.places.resize(survey.draws.size());
  std::vector<Growing> growing;
  std::map<VertexLayout, std::uint32_t> arena_of;
  for (std::size_t begin = 0; begin < work.size(); begin += shapes_at_once) {
    std::vector<Packed> packed(std::min(shapes_at_once, work.size() - begin));
    if (!for_each_index(packed.size(), run, "reading geometry", [&](std::size_t i) {
          const DrawId draw = work[begin + i].draw;
          packed[i] = packer.pack(survey[draw], baked.of(draw).uv_set);
        })) {
      return Failure(make_cancelled());
    }
    for (std::size_t i = 0; i < packed.size(); ++i) {
      const Packed& one = packed[i];
      const auto [slot, added] =
          arena_of.try_emplace(one.layout, static_cast<std::uint32_t>(growing.size()));
      if (added) {
        growing.push_back({one.layout, {}, {}, {}});
      }
      Growing& arena = growing[slot->second];
      const std::size_t base = arena.vertices.size() / one.layout.stride();
      if (base > std::numeric_limits<std::int32_t>::max()) {
        return Failure(
            Error{ErrorCode::too_large, "more than 2^31 vertices of one kind to draw", {}});
      }
      const GpuRange place{slot->second,
                           static_cast<std::uint32_t>(base),
                           arena.indices.size(),
                           static_cast<std::uint32_t>(one.indices.size()),
                           one.mode,
                           static_cast<std::uint32_t>(out.runs.size()),
                           static_cast<std::uint32_t>(one.runs.size()),
                           one.box};
      out.runs.insert(out.runs.end(), one.runs.begin(), one.runs.end());
      arena.vertices.insert(arena.vertices.end(), one.vertices.begin(), one.vertices.end());
      for (std::size_t v = 0; v < one.vertices.size(); v += one.layout.stride()) {
        std::array<float, 3> position{};
        std::memcpy(position.data(), &one.vertices[v], sizeof(position));
        arena.positions.insert(arena.positions.end(), position.begin(), position.end());
      }
      arena.indices.insert(arena.indices.end(), one.indices.begin(), one.indices.end());
      out.places[to_index(work[begin + i].draw)] = place;
      for (const DrawId other : work[begin + i].others) {
        out.places[to_index(other)] = place;
      }
    }
  }
  for (Growing& arena : growing) {
    out.arenas.push_back(upload(arena));
  }
  return out;
}

}  // namespace wakuzume
