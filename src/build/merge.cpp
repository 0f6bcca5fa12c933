// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include "build/merge.h"

#include <algorithm>
#include <array>
#include <cmath>
#include <cstring>
#include <limits>
#include <numeric>
#include <span>

#include "build/vectors.h"
#include "scene/elements.h"
#include "scene/index_data.h"
#include "scene/matrix.h"

namespace wakuzume {

/// The vertices of one member in the order they are written, and its indices into that order.
struct VertexPick {
  std::vector<std::uint32_t> vertices;  ///< numbers in the source primitive; empty: all of them
  std::vector<std::uint32_t> indices;   ///< list indices into `vertices`
  std::size_t count = 0;                ///< of vertices
  std::span<const float> tangents{};    ///< made ones, 4 a vertex, in the member's own space
};

namespace {

/// How many vertices the indices use.
template <class Index>
std::uint64_t count_used(std::span<const Index> indices, std::uint64_t vertices) {
  // A byte a vertex; a few corners of a large shared buffer are sorted instead.
  if (indices.size() < vertices / 64) {
    std::vector<Index> used(indices.begin(), indices.end());
    std::sort(used.begin(), used.end());
    return static_cast<std::uint64_t>(std::unique(used.begin(), used.end()) - used.begin());
  }
  std::vector<std::uint8_t> used(vertices, 0);
  for (const Index i : indices) {
    used[i] = 1;
  }
  return std::accumulate(used.begin(), used.end(), std::uint64_t{0});
}

/// The primitive's indices are a plain list that can be read where it lies.
bool has_plain_list(const Primitive& primitive) {
  return primitive.indices != no_stream &&
         (primitive.mode == PrimitiveMode::triangles || primitive.mode == PrimitiveMode::lines ||
          primitive.mode == PrimitiveMode::points);
}

/// Keeps only vertices that some index uses, in their source order. A part of a large shared buffer
/// costs no more than its own range or n log n of its indices, whichever suits.
VertexPick pick_used(std::vector<std::uint32_t> indices) {
  VertexPick pick;
  const auto [low, high] = std::minmax_element(indices.begin(), indices.end());
  const std::size_t first = *low;
  const std::size_t range = *high - first + std::size_t{1};
  if (range <= 8 * indices.size() + 64) {
    std::vector<std::uint32_t> number(range, 0);
    for (const std::uint32_t i : indices) {
      number[i - first] = 1;
    }
    for (std::size_t v = 0; v < range; ++v) {
      if (number[v] != 0) {
        number[v] = static_cast<std::uint32_t>(pick.vertices.size());
        pick.vertices.push_back(static_cast<std::uint32_t>(first + v));
      }
    }
    for (std::uint32_t& i : indices) {
      i = number[i - first];
    }
  } else {
    pick.vertices = indices;
    std::sort(pick.vertices.begin(), pick.vertices.end());
    pick.vertices.erase(std::unique(pick.vertices.begin(), pick.vertices.end()),
                        pick.vertices.end());
    for (std::uint32_t& i : indices) {
      i = static_cast<std::uint32_t>(
          std::lower_bound(pick.vertices.begin(), pick.vertices.end(), i) - pick.vertices.begin());
    }
  }
  pick.indices = std::move(indices);
  pick.count = pick.vertices.size();
  return pick;
}

/// Every corner becomes a vertex of its own, as flat normals need it.
VertexPick pick_corners(std::vector<std::uint32_t> indices) {
  VertexPick pick;
  pick.indices.resize(indices.size());
  for (std::size_t i = 0; i < indices.size(); ++i) {
    pick.indices[i] = static_cast<std::uint32_t>(i);
  }
  pick.vertices = std::move(indices);
  pick.count = pick.vertices.size();
  return pick;
}

/// As the making of tangents took the vertices apart.
VertexPick pick_made(const TangentVertices& made, std::vector<std::uint32_t> indices) {
  return {made.vertices, std::move(indices), made.vertices.size(), made.tangents};
}

/// A mirrored triangle is wound the other way; its first corner stays first.
void flip_winding(std::vector<std::uint32_t>& indices) {
  for (std::size_t i = 0; i + 2 < indices.size(); i += 3) {
    std::swap(indices[i + 1], indices[i + 2]);
  }
}

Eigen::Vector3f make_unit(const Eigen::Vector3d& direction, const Eigen::Vector3f& fallback) {
  const double length = direction.norm();
  // Zero and NaN have no direction; the standard wants unit length, so they get a fixed one.
  return length > 0 && std::isfinite(length) ? Eigen::Vector3f((direction / length).cast<float>())
                                             : fallback;
}

void store(std::byte* to, const float* values, std::size_t count) {
  std::memcpy(to, values, count * sizeof(float));
}

/// The block begins its ranges at multiples of four bytes, and an index's place is one of its size.
template <class To, class From>
void write_indices(std::span<const From> indices, std::uint32_t first, std::byte* to) {
  auto* const out = reinterpret_cast<To*>(to);
  for (std::size_t i = 0; i < indices.size(); ++i) {
    out[i] = static_cast<To>(static_cast<std::uint32_t>(indices[i]) + first);
  }
}

/// The same with the winding turned, as flip_winding does.
template <class To, class From>
void write_flipped(std::span<const From> indices, std::uint32_t first, std::byte* to) {
  write_indices<To>(indices, first, to);
  auto* const out = reinterpret_cast<To*>(to);
  for (std::size_t i = 0; i + 2 < indices.size(); i += 3) {
    std::swap(out[i + 1], out[i + 2]);
  }
}

/// Writes one attribute of one member, element by element.
class AttributeWriter {
 public:
  AttributeWriter(const Scene& scene, const MergeMember& member, const VertexPick& pick)
      : scene_(scene),
        member_(member),
        pick_(pick),
        linear_(as_eigen(member.matrix).topLeftCorner<3, 3>()) {}

  void write(const OutputAttribute& attribute, std::byte* to) {
    const StreamId stream = member_.primitive->find(attribute.semantic);
    switch (attribute.role) {
      case AttributeRole::position:
        write_positions(stream, to);
        break;
      case AttributeRole::normal:
        write_normals(stream, to);
        break;
      case AttributeRole::tangent:
        write_tangents(stream, to);
        break;
      case AttributeRole::texcoord:
        write_texcoords(stream, to);
        break;
      case AttributeRole::color:
        write_colors(attribute, stream, to);
        break;
      case AttributeRole::custom:
        write_custom(attribute, stream, to);
        break;
    }
  }

  [[nodiscard]] const Box3d& bounds() const { return bounds_; }

 private:
  [[nodiscard]] std::uint32_t vertex_at(std::size_t v) const {
    return pick_.vertices.empty() ? static_cast<std::uint32_t>(v) : pick_.vertices[v];
  }

  /// Calls `use(span)` with the picked vertices' components one after the other: floats where they
  /// are stored, else doubles, which hold every other type exactly.
  template <std::size_t width, class Use>
  void with_values(StreamId stream, const Use& use) const {
    const auto packed = find_packed_floats(scene_, stream);
    if (!packed.empty() && pick_.vertices.empty()) {
      use(packed.first(pick_.count * width));
    } else if (!packed.empty()) {
      std::vector<float> values;
      values.reserve(pick_.count * width);
      for (const std::uint32_t v : pick_.vertices) {
        const auto from = packed.subspan(std::size_t{v} * width, width);
        values.insert(values.end(), from.begin(), from.end());
      }
      use(std::span<const float>(values));
    } else {
      std::vector<double> values(pick_.count * width);
      const ElementReader reader(scene_, stream);
      for (std::size_t v = 0; v < pick_.count; ++v) {
        reader.load(vertex_at(v), &values[v * width]);
      }
      use(std::span<const double>(values));
    }
  }

  /// The block begins its ranges at multiples of four bytes.
  static float* as_floats(std::byte* to) { return reinterpret_cast<float*>(to); }

  void write_positions(StreamId stream, std::byte* to) {
    with_values<3>(stream, [&](const auto& values) {
      const FloatBounds bounds = transform_points(member_.matrix, values, as_floats(to));
      for (std::size_t c = 0; c < 3; ++c) {
        bounds_.min[c] = static_cast<double>(bounds.low[c]);
        bounds_.max[c] = static_cast<double>(bounds.high[c]);
      }
    });
  }

  /// From the result's origin, not shifted: differences of positions are the more exact.
  [[nodiscard]] Eigen::Vector3d make_spoke(const ElementReader& reader, std::uint32_t v) const {
    Eigen::Vector3d local;
    reader.load(v, local.data());
    return linear_ * local;
  }

  void write_normals(StreamId stream, std::byte* to) {
    if (stream == no_stream) {
      write_flat_normals(to);
      return;
    }
    const Eigen::Matrix3d matrix = make_normal_matrix(linear_);
    std::array<Vec3d, 3> columns;
    Eigen::Map<Eigen::Matrix3d>(columns.front().data()) = matrix;
    with_values<3>(stream,
                   [&](const auto& values) { transform_normals(columns, values, as_floats(to)); });
  }

  /// glTF 2.0 section 3.7.2.1: a primitive without normals is shaded flat. Its vertices are the
  /// corners of its triangles here.
  void write_flat_normals(std::byte* to) {
    const ElementReader reader(scene_, member_.primitive->find("POSITION"));
    const auto& corners = pick_.vertices;
    const auto& order = pick_.indices;
    for (std::size_t i = 0; i + 2 < corners.size(); i += 3) {
      const Eigen::Vector3d a = make_spoke(reader, corners[order[i]]);
      const Eigen::Vector3d b = make_spoke(reader, corners[order[i + 1]]);
      const Eigen::Vector3d c = make_spoke(reader, corners[order[i + 2]]);
      const Eigen::Vector3f normal = make_unit((b - a).cross(c - a), Eigen::Vector3f::UnitZ());
      for (int corner = 0; corner < 3; ++corner) {
        store(to, normal.data(), 3);
        to += 3 * sizeof(float);
      }
    }
  }

  void write_tangents(StreamId stream, std::byte* to) {
    const double handedness = linear_.determinant() < 0 ? -1 : 1;
    const auto write = [&](const auto& values) {
      for (std::size_t v = 0; v < pick_.count; ++v) {
        const auto* const tangent = &values[4 * v];
        const Eigen::Vector3d moved = linear_ * Eigen::Vector3d(tangent[0], tangent[1], tangent[2]);
        const Eigen::Vector3f direction = make_unit(moved, Eigen::Vector3f::UnitX());
        const Eigen::Vector4f stored(direction.x(), direction.y(), direction.z(),
                                     tangent[3] * handedness < 0 ? -1.0F : 1.0F);
        store(to + 4 * sizeof(float) * v, stored.data(), 4);
      }
    };
    pick_.tangents.empty() ? with_values<4>(stream, write) : write(pick_.tangents);
  }

  void write_texcoords(StreamId stream, std::byte* to) {
    if (stream == no_stream) {
      std::memset(to, 0, pick_.count * 2 * sizeof(float));
      return;
    }
    with_values<2>(stream, [&](const auto& values) {
      std::transform(values.begin(), values.end(), as_floats(to),
                     [](auto value) { return static_cast<float>(value); });
    });
  }

  /// Missing colours are white, a missing alpha is opaque. 8 and 16 bit values pass unchanged:
  /// v / max is exact enough in double that rounding it back gives v.
  void write_colors(const OutputAttribute& attribute, StreamId stream, std::byte* to) {
    double color[4] = {1, 1, 1, 1};
    const auto put = [&] {
      for (std::size_t c = 0; c < 4; ++c) {
        if (attribute.component == ComponentType::u8) {
          const auto value = static_cast<std::uint8_t>(std::lround(color[c] * 255));
          std::memcpy(to + c, &value, 1);
        } else if (attribute.component == ComponentType::u16) {
          const auto value = static_cast<std::uint16_t>(std::lround(color[c] * 65535));
          std::memcpy(to + c * 2, &value, 2);
        } else {
          const auto value = static_cast<float>(color[c]);
          std::memcpy(to + c * 4, &value, 4);
        }
      }
      to += attribute.stride;
    };
    if (stream == no_stream) {
      for (std::size_t v = 0; v < pick_.count; ++v) {
        put();
      }
      return;
    }
    const ElementReader reader(scene_, stream);
    for (std::size_t v = 0; v < pick_.count; ++v) {
      reader.load(vertex_at(v), color);
      put();
    }
  }

  void write_custom(const OutputAttribute& attribute, StreamId stream, std::byte* to) {
    const ElementReader reader(scene_, stream);
    const std::size_t size = element_bytes(attribute.component, attribute.element);
    for (std::size_t v = 0; v < pick_.count; ++v) {
      std::memset(to, 0, attribute.stride);
      if (const std::byte* from = reader.find(vertex_at(v)); from != nullptr) {
        std::memcpy(to, from, size);
      }
      to += attribute.stride;
    }
  }

  const Scene& scene_;
  const MergeMember& member_;
  const VertexPick& pick_;
  Eigen::Matrix3d linear_;
  Box3d bounds_;
};

}  // namespace

ClusterMerge::ClusterMerge(const Scene& source,
                           const std::vector<MergePart>& parts,
                           MaterialId material,
                           MissingTangents tangents)
    : source_(source), material_(material), missing_tangents_(tangents) {
  for (const MergePart& part : parts) {
    MergeMember member;
    member.ref = part.draw;
    member.primitive = &source[source[part.draw.node].mesh].primitives[part.draw.primitive];
    member.matrix = part.matrix;
    members_.push_back(member);
  }
  topology_ = find_topology(members_.front().primitive->mode);
}

bool ClusterMerge::has(AttributeRole role) const {
  return std::any_of(layout_.begin(), layout_.end(),
                     [&](const OutputAttribute& a) { return a.role == role; });
}

bool ClusterMerge::unwelds(const MergeMember& member) const {
  return has(AttributeRole::normal) && topology_ == Topology::triangles &&
         member.primitive->find("NORMAL") == no_stream;
}

bool ClusterMerge::makes_tangents(const MergeMember& member) const {
  return has(AttributeRole::tangent) && !has_tangents(*member.primitive);
}

/// Without tangents an engine makes them from what it is given. Those of a part that was moved are
/// not its own ones moved: averages over triangles turn with stretching, and where a texture is
/// next to nothing, rounding decides.
bool ClusterMerge::needs_tangents() const {
  const MaterialId material = members_.front().primitive->material;
  const bool bumpy =
      material != no_material && source_[material].normal_texture.texture != no_texture;
  return missing_tangents_ == MissingTangents::made && bumpy && topology_ == Topology::triangles &&
         has(AttributeRole::normal) && !has(AttributeRole::tangent) &&
         std::all_of(members_.begin(), members_.end(), [&](const MergeMember& m) {
           return can_make_tangents(source_, *m.primitive);
         });
}

void ClusterMerge::find_layout() {
  layout_ = make_output_layout(source_, members_);
  if (needs_tangents()) {
    const auto after = std::find_if(layout_.begin(), layout_.end(), [](const OutputAttribute& a) {
      return a.role > AttributeRole::tangent;
    });
    OutputAttribute tangents;
    tangents.semantic = "TANGENT";
    tangents.role = AttributeRole::tangent;
    tangents.element = ElementType::vec4;
    tangents.stride = 16;
    layout_.insert(after, tangents);
  }
}

void ClusterMerge::count() {
  if (adopted()) {
    return;
  }
  for (MergeMember& member : members_) {
    member.first_index = index_count_;
    member.first_vertex = vertex_count_;
    member.index_count = count_list_indices(source_, *member.primitive);
    count_vertices_of(member);
    index_count_ += member.index_count;
    vertex_count_ += member.vertex_count;
  }
  index_type_ = find_index_type(vertex_count_);
}

std::uint64_t ClusterMerge::count_used_of(const Primitive& primitive,
                                          std::uint64_t vertices) const {
  std::uint64_t used = 0;
  const bool plain =
      has_plain_list(primitive) &&
      visit_packed_integers(source_, primitive.indices, [&](const auto& indices) {
        used = count_used(indices.first(count_list_indices(source_, primitive)), vertices);
      });
  if (!plain) {
    const std::vector<std::uint32_t> list = make_list_indices(source_, primitive);
    used = count_used(std::span<const std::uint32_t>(list), vertices);
  }
  return used;
}

void ClusterMerge::count_vertices_of(MergeMember& member) {
  if (makes_tangents(member)) {
    const auto [made, added] = made_.try_emplace(member.primitive);
    if (added) {
      made->second = make_tangent_vertices(source_, *member.primitive);
    }
    member.vertex_count = made->second.vertices.size();
    return;
  }
  if (unwelds(member)) {
    member.vertex_count = member.index_count;
    return;
  }
  // Members are often the same primitive in many places.
  const auto [known, added] = used_.try_emplace(member.primitive, 0);
  const std::uint64_t all = count_vertices(source_, *member.primitive);
  if (added) {
    known->second = count_used_of(*member.primitive, all);
  }
  member.vertex_count = known->second;
  member.whole = member.vertex_count == all;
}

void ClusterMerge::reserve(GeometryBlock& block) {
  for (const OutputAttribute& attribute : layout_) {
    offsets_.push_back(block.reserve(vertex_count_ * attribute.stride));
  }
  index_offset_ = block.reserve(index_count_ * component_bytes(index_type_));
}

VertexPick ClusterMerge::pick_vertices(const MergeMember& member) const {
  const auto made = made_.find(member.primitive);
  std::vector<std::uint32_t> list =
      made != made_.end() ? made->second.indices : make_list_indices(source_, *member.primitive);
  if (turns(member)) {
    flip_winding(list);
  }
  if (made != made_.end()) {
    return pick_made(made->second, std::move(list));
  }
  return unwelds(member) ? pick_corners(std::move(list)) : pick_used(std::move(list));
}

bool ClusterMerge::turns(const MergeMember& member) const {
  return linear_determinant(member.matrix) < 0 && topology_ == Topology::triangles;
}

template <class From>
void ClusterMerge::write_list(std::span<const From> list,
                              bool turned,
                              const MergeMember& member,
                              GeometryBlock& block) const {
  const std::uint32_t size = component_bytes(index_type_);
  std::byte* const to = block.data(index_offset_ + member.first_index * size);
  const auto first = static_cast<std::uint32_t>(member.first_vertex);
  if (index_type_ == ComponentType::u16) {
    turned ? write_flipped<std::uint16_t>(list, first, to)
           : write_indices<std::uint16_t>(list, first, to);
  } else {
    turned ? write_flipped<std::uint32_t>(list, first, to)
           : write_indices<std::uint32_t>(list, first, to);
  }
}

/// Members that use all their vertices go through as they lie in memory.
void ClusterMerge::write_whole_list(const MergeMember& member, GeometryBlock& block) const {
  const Primitive& primitive = *member.primitive;
  const bool plain = has_plain_list(primitive) &&
                     visit_packed_integers(source_, primitive.indices, [&](const auto& indices) {
                       write_list(indices.first(member.index_count), turns(member), member, block);
                     });
  if (!plain) {
    const std::vector<std::uint32_t> list = make_list_indices(source_, primitive);
    write_list(std::span<const std::uint32_t>(list), turns(member), member, block);
  }
}

void ClusterMerge::fill_member(const MergeMember& member, GeometryBlock& block) {
  VertexPick pick;
  if (member.whole) {
    pick.count = member.vertex_count;
    write_whole_list(member, block);
  } else {
    pick = pick_vertices(member);
    write_list(std::span<const std::uint32_t>(pick.indices), false, member, block);
  }
  AttributeWriter writer(source_, member, pick);
  for (std::size_t a = 0; a < layout_.size(); ++a) {
    const std::uint64_t at = offsets_[a] + member.first_vertex * layout_[a].stride;
    writer.write(layout_[a], block.data(at));
  }
  bounds_.include(writer.bounds());
}

template <class Visit>
void ClusterMerge::for_each_range_of_bytes(const Visit& visit) const {
  for (std::size_t a = 0; a < layout_.size(); ++a) {
    visit(offsets_[a], vertex_count_ * layout_[a].stride);
  }
  visit(index_offset_, index_count_ * component_bytes(index_type_));
}

bool ClusterMerge::adopt(const Bytes& content) {
  constexpr std::size_t row = 2;
  const std::size_t head = members_.size() * row * sizeof(std::uint64_t) + sizeof(Box3d);
  if (content.size() < head) {
    return false;
  }
  std::vector<std::uint64_t> counts(members_.size() * row);
  std::memcpy(counts.data(), content.data().data(), counts.size() * sizeof(std::uint64_t));
  for (std::size_t m = 0; m < members_.size(); ++m) {
    MergeMember& member = members_[m];
    member.first_index = index_count_;
    member.first_vertex = vertex_count_;
    member.index_count = counts[row * m];
    member.vertex_count = counts[row * m + 1];
    index_count_ += member.index_count;
    vertex_count_ += member.vertex_count;
  }
  index_type_ = find_index_type(vertex_count_);
  std::uint64_t size = index_count_ * component_bytes(index_type_);
  for (const OutputAttribute& attribute : layout_) {
    size += vertex_count_ * attribute.stride;
  }
  if (content.size() != head + size || size == 0) {
    index_count_ = vertex_count_ = 0;
    return false;
  }
  std::memcpy(&bounds_, content.data().data() + head - sizeof(Box3d), sizeof(Box3d));
  adopted_ = content.part(head, size);
  return true;
}

void ClusterMerge::pack(GeometryBlock& block, std::vector<std::byte>& out) const {
  const auto append = [&](const void* data, std::size_t size) {
    const auto* const from = static_cast<const std::byte*>(data);
    out.insert(out.end(), from, from + size);
  };
  for (const MergeMember& member : members_) {
    append(&member.index_count, sizeof(std::uint64_t));
    append(&member.vertex_count, sizeof(std::uint64_t));
  }
  append(&bounds_, sizeof(Box3d));
  for_each_range_of_bytes(
      [&](std::uint64_t offset, std::uint64_t size) { append(block.data(offset), size); });
}

void ClusterMerge::fill(GeometryBlock& block) {
  block.close(index_offset_, index_count_ * component_bytes(index_type_));
  if (adopted()) {
    const std::byte* from = adopted_.data().data();
    for_each_range_of_bytes([&](std::uint64_t offset, std::uint64_t size) {
      std::memcpy(block.data(offset), from, size);
      from += size;
    });
    return;
  }
  for (const MergeMember& member : members_) {
    fill_member(member, block);
  }
}

Primitive ClusterMerge::add_to(Scene& out, BlockId block) const {
  constexpr std::uint32_t vertex_target = 34962;
  constexpr std::uint32_t index_target = 34963;
  Primitive primitive;
  primitive.material = material_;
  primitive.mode = topology_ == Topology::triangles ? PrimitiveMode::triangles
                   : topology_ == Topology::lines   ? PrimitiveMode::lines
                                                    : PrimitiveMode::points;
  for (std::size_t a = 0; a < layout_.size(); ++a) {
    Stream stream;
    stream.count = vertex_count_;
    stream.component = layout_[a].component;
    stream.element = layout_[a].element;
    stream.normalized = layout_[a].normalized;
    if (layout_[a].role == AttributeRole::position) {
      stream.bounds = StreamBounds{{bounds_.min.begin(), bounds_.min.end()},
                                   {bounds_.max.begin(), bounds_.max.end()}};
    }
    primitive.attributes.push_back(
        {layout_[a].semantic, add_stream(out, block, offsets_[a], vertex_count_ * layout_[a].stride,
                                         vertex_target, layout_[a].stride, std::move(stream))});
  }
  Stream indices;
  indices.count = index_count_;
  indices.component = index_type_;
  primitive.indices =
      add_stream(out, block, index_offset_, index_count_ * component_bytes(index_type_),
                 index_target, component_bytes(index_type_), std::move(indices));
  return primitive;
}

}  // namespace wakuzume
