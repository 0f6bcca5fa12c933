// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include "build/merge.h"

#include <algorithm>
#include <array>
#include <bit>
#include <cmath>
#include <cstring>
#include <limits>
#include <span>

#include "scene/elements.h"
#include "scene/matrix.h"

namespace wakuzume {
namespace {

/// The vertices of one member in the order they are written, and its indices into that order.
struct VertexPick {
  std::vector<std::uint32_t> vertices;  ///< numbers in the source primitive; empty: all of them
  std::vector<std::uint32_t> indices;   ///< list indices into `vertices`
  std::size_t count = 0;                ///< of vertices
  std::span<const float> tangents{};    ///< made ones, 4 a vertex, in the member's own space
};

/// How many vertices the indices use.
std::uint64_t count_used(const std::vector<std::uint32_t>& indices, std::uint64_t vertices) {
  // One bit a vertex stays in the cache; a few corners of a large shared buffer are sorted instead.
  if (indices.size() < vertices / 64) {
    std::vector<std::uint32_t> used = indices;
    std::sort(used.begin(), used.end());
    return static_cast<std::uint64_t>(std::unique(used.begin(), used.end()) - used.begin());
  }
  std::vector<std::uint64_t> bits((vertices + 63) / 64, 0);
  for (const std::uint32_t i : indices) {
    bits[i / 64] |= std::uint64_t{1} << (i % 64);
  }
  std::uint64_t count = 0;
  for (const std::uint64_t word : bits) {
    count += static_cast<std::uint64_t>(std::popcount(word));
  }
  return count;
}

/// All vertices, in their order.
VertexPick pick_whole(std::vector<std::uint32_t> indices, std::uint64_t vertices) {
  return {{}, std::move(indices), vertices};
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
template <class Index>
void write_indices(const std::vector<std::uint32_t>& indices, std::uint32_t first, std::byte* to) {
  auto* const out = reinterpret_cast<Index*>(to);
  for (std::size_t i = 0; i < indices.size(); ++i) {
    out[i] = static_cast<Index>(indices[i] + first);
  }
}

/// Writes one attribute of one member, element by element.
class AttributeWriter {
 public:
  AttributeWriter(const Scene& scene, const MergeMember& member, const VertexPick& pick)
      : scene_(scene),
        member_(member),
        pick_(pick),
        linear_(as_eigen(member.matrix).topLeftCorner<3, 3>()),
        offset_(as_eigen(member.matrix).topRightCorner<3, 1>()) {}

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
  /// Calls `put(values)` for each picked vertex in order, `width` components as doubles.
  template <std::size_t width, class Put>
  void for_each_vertex(StreamId stream, const Put& put) const {
    std::array<double, width> value{};
    if (const auto packed = find_packed_floats(scene_, stream); !packed.empty()) {
      const auto load = [&](const float* from) {
        for (std::size_t c = 0; c < width; ++c) {
          value[c] = static_cast<double>(from[c]);
        }
        put(value);
      };
      if (pick_.vertices.empty()) {
        for (std::size_t v = 0; v < pick_.count; ++v) {
          load(packed.data() + v * width);
        }
      } else {
        for (const std::uint32_t v : pick_.vertices) {
          load(packed.data() + std::size_t{v} * width);
        }
      }
      return;
    }
    const ElementReader reader(scene_, stream);
    for (std::size_t v = 0; v < pick_.count; ++v) {
      reader.load(vertex_at(v), value.data());
      put(value);
    }
  }
  [[nodiscard]] std::uint32_t vertex_at(std::size_t v) const {
    return pick_.vertices.empty() ? static_cast<std::uint32_t>(v) : pick_.vertices[v];
  }

  void write_positions(StreamId stream, std::byte* to) {
    // The columns in locals: the compiler keeps them in registers.
    const Eigen::Vector3d x = linear_.col(0);
    const Eigen::Vector3d y = linear_.col(1);
    const Eigen::Vector3d z = linear_.col(2);
    const Eigen::Vector3d origin = offset_;
    std::array<float, 3> low;
    std::array<float, 3> high;
    low.fill(std::numeric_limits<float>::infinity());
    high.fill(-std::numeric_limits<float>::infinity());
    for_each_vertex<3>(stream, [&](const std::array<double, 3>& local) {
      std::array<float, 3> stored;
      for (int c = 0; c < 3; ++c) {
        const auto at = static_cast<std::size_t>(c);
        stored[at] =
            static_cast<float>(x[c] * local[0] + y[c] * local[1] + z[c] * local[2] + origin[c]);
        low[at] = stored[at] < low[at] ? stored[at] : low[at];
        high[at] = stored[at] > high[at] ? stored[at] : high[at];
      }
      store(to, stored.data(), 3);
      to += 3 * sizeof(float);
    });
    for (std::size_t c = 0; c < 3; ++c) {
      bounds_.min[c] = static_cast<double>(low[c]);
      bounds_.max[c] = static_cast<double>(high[c]);
    }
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
    for_each_vertex<3>(stream, [&](const std::array<double, 3>& normal) {
      const Eigen::Vector3d moved = matrix * Eigen::Vector3d(normal[0], normal[1], normal[2]);
      store(to, make_unit(moved, Eigen::Vector3f::UnitZ()).data(), 3);
      to += 3 * sizeof(float);
    });
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
    const auto put = [&](const std::array<double, 4>& tangent) {
      const Eigen::Vector3d moved = linear_ * Eigen::Vector3d(tangent[0], tangent[1], tangent[2]);
      const Eigen::Vector3f direction = make_unit(moved, Eigen::Vector3f::UnitX());
      const Eigen::Vector4f stored(direction.x(), direction.y(), direction.z(),
                                   tangent[3] * handedness < 0 ? -1.0F : 1.0F);
      store(to, stored.data(), 4);
      to += 4 * sizeof(float);
    };
    if (pick_.tangents.empty()) {
      for_each_vertex<4>(stream, put);
      return;
    }
    for (std::size_t v = 0; v < pick_.count; ++v) {
      std::array<double, 4> made{};
      std::copy_n(&pick_.tangents[4 * v], 4, made.begin());
      put(made);
    }
  }

  void write_texcoords(StreamId stream, std::byte* to) {
    constexpr std::size_t size = 2 * sizeof(float);
    if (stream == no_stream) {
      std::memset(to, 0, pick_.count * size);
      return;
    }
    const auto packed = find_packed_floats(scene_, stream);
    if (!packed.empty() && pick_.vertices.empty()) {
      std::memcpy(to, packed.data(), pick_.count * size);
      return;
    }
    for_each_vertex<2>(stream, [&](const std::array<double, 2>& uv) {
      const float stored[2] = {static_cast<float>(uv[0]), static_cast<float>(uv[1])};
      store(to, stored, 2);
      to += size;
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
  Eigen::Vector3d offset_;
  Box3d bounds_;
};

}  // namespace

ClusterMerge::ClusterMerge(const Scene& source,
                           const std::vector<MergePart>& parts,
                           MaterialId material)
    : source_(source), material_(material) {
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

void ClusterMerge::find_layout() { layout_ = make_output_layout(source_, members_); }

void ClusterMerge::choose_index_type() {
  // 65,535 vertices have the numbers 0 to 65,534: the largest 16-bit value is glTF's restart mark.
  index_type_ = vertex_count_ <= 65'535 ? ComponentType::u16 : ComponentType::u32;
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
  choose_index_type();
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
    known->second = count_used(make_list_indices(source_, *member.primitive), all);
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

void ClusterMerge::fill_member(const MergeMember& member, GeometryBlock& block) {
  const auto made = made_.find(member.primitive);
  std::vector<std::uint32_t> list =
      made != made_.end() ? made->second.indices : make_list_indices(source_, *member.primitive);
  if (linear_determinant(member.matrix) < 0 && topology_ == Topology::triangles) {
    flip_winding(list);
  }
  const VertexPick pick = made != made_.end() ? pick_made(made->second, std::move(list))
                          : unwelds(member)   ? pick_corners(std::move(list))
                          : member.whole      ? pick_whole(std::move(list), member.vertex_count)
                                              : pick_used(std::move(list));
  AttributeWriter writer(source_, member, pick);
  for (std::size_t a = 0; a < layout_.size(); ++a) {
    const std::uint64_t at = offsets_[a] + member.first_vertex * layout_[a].stride;
    writer.write(layout_[a], block.data(at));
  }
  bounds_.include(writer.bounds());
  const std::uint32_t size = component_bytes(index_type_);
  std::byte* to = block.data(index_offset_ + member.first_index * size);
  const auto first = static_cast<std::uint32_t>(member.first_vertex);
  if (index_type_ == ComponentType::u16) {
    write_indices<std::uint16_t>(pick.indices, first, to);
  } else {
    write_indices<std::uint32_t>(pick.indices, first, to);
  }
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
  choose_index_type();
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
