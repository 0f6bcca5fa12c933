// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include "build/merge.h"

#include <algorithm>
#include <cstring>
#include <span>

#include "build/attribute_writer.h"
#include "build/vertex_pick.h"
#include "rework/draw_order.h"
#include "scene/elements.h"
#include "scene/index_data.h"
#include "scene/matrix.h"
#include "scene/semantics.h"
#include "wakuzume/shading_order.h"

namespace wakuzume {
namespace {

/// The primitive's indices are a plain list that can be read where it lies.
bool has_plain_list(const Primitive& primitive) {
  return primitive.indices != no_stream &&
         (primitive.mode == PrimitiveMode::triangles || primitive.mode == PrimitiveMode::lines ||
          primitive.mode == PrimitiveMode::points);
}

/// A mirrored triangle is wound the other way; its first corner stays first.
void flip_winding(std::vector<std::uint32_t>& indices) {
  for (std::size_t i = 0; i + 2 < indices.size(); i += 3) {
    std::swap(indices[i + 1], indices[i + 2]);
  }
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

}  // namespace

ClusterMerge::ClusterMerge(const Scene& source,
                           const std::vector<MergePart>& parts,
                           MaterialId material,
                           std::uint32_t lightmap_uv_set,
                           MissingTangents tangents)
    : source_(source),
      material_(material),
      lightmap_uv_set_(lightmap_uv_set),
      missing_tangents_(tangents) {
  for (const MergePart& part : parts) {
    MergeMember member;
    member.ref = part.draw;
    member.primitive = &source[source[part.draw.node].mesh].primitives[part.draw.primitive];
    member.matrix = part.matrix;
    member.back = part.back;
    member.lightmap = part.lightmap;
    member.binding = part.binding;
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
  if (keeps_bytes_) {
    layout_ = make_own_layout(source_, *members_.front().primitive);
    return;
  }
  layout_ = make_output_layout(source_, members_);
  for (OutputAttribute& attribute : layout_) {
    attribute.lightmap = find_uv_number(attribute.semantic) == lightmap_uv_set_;
  }
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
    if (in_shading_order_) {
      const auto [slot, added] = shading_orders_.try_emplace(member.primitive);
      if (added) {
        slot->second = find_draw_order(source_, *member.primitive);
      }
    }
    index_count_ += member.index_count;
    vertex_count_ += member.vertex_count;
  }
  index_type_ = find_index_type(vertex_count_);
  make_targets();
}

void ClusterMerge::make_targets() {
  target_streams_.resize(targets_.names.size());
  for (std::size_t t = 0; t < target_streams_.size(); ++t) {
    for (const std::string& semantic : targets_.semantics[t]) {
      // What the result does not have can't be moved.
      if (std::any_of(layout_.begin(), layout_.end(),
                      [&](const OutputAttribute& a) { return a.semantic == semantic; })) {
        target_streams_[t].push_back({semantic, {}});
      }
    }
  }
  for (std::size_t m = 0; m < members_.size() && !targets_.empty(); ++m) {
    const std::vector<std::uint32_t>& numbers = targets_.numbers[m];
    if (numbers.empty()) {
      continue;
    }
    VertexPick pick;
    if (members_[m].whole) {
      pick.count = members_[m].vertex_count;
    } else {
      pick = pick_vertices(members_[m]);
    }
    for (std::size_t own = 0; own < numbers.size(); ++own) {
      for (TargetStream& stream : target_streams_[numbers[own]]) {
        add_target_moves(source_, members_[m], pick, own, stream.semantic, stream.moves);
      }
    }
  }
  for (std::vector<TargetStream>& streams : target_streams_) {
    for (TargetStream& stream : streams) {
      // An index takes up to a third of what it stands for.
      stream.sparse = 4 * stream.moves.vertices.size() < 3 * vertex_count_;
    }
  }
}

void ClusterMerge::reserve_targets(GeometryBlock& block) {
  for (std::vector<TargetStream>& streams : target_streams_) {
    for (TargetStream& stream : streams) {
      const std::uint64_t moved = stream.moves.vertices.size();
      if (moved == 0) {
        continue;
      }
      if (stream.sparse) {
        stream.index_offset = block.reserve(moved * component_bytes(index_type_));
      }
      stream.value_offset =
          block.reserve((stream.sparse ? moved : vertex_count_) * 3 * sizeof(float));
    }
  }
}

void ClusterMerge::fill_targets(GeometryBlock& block) const {
  constexpr std::size_t width = 3 * sizeof(float);
  for (const std::vector<TargetStream>& streams : target_streams_) {
    for (const TargetStream& stream : streams) {
      const auto& [vertices, values] = stream.moves;
      if (vertices.empty()) {
        continue;
      }
      if (stream.sparse) {
        block.close(stream.index_offset, vertices.size() * component_bytes(index_type_));
        store_indices(vertices, index_type_, block.data(stream.index_offset));
        std::memcpy(block.data(stream.value_offset), values.data(), values.size() * sizeof(float));
        continue;
      }
      std::byte* const to = block.data(stream.value_offset);
      std::memset(to, 0, vertex_count_ * width);
      for (std::size_t i = 0; i < vertices.size(); ++i) {
        std::memcpy(to + vertices[i] * width, &values[3 * i], width);
      }
    }
  }
}

StreamId ClusterMerge::add_target(const TargetStream& target, Scene& out, BlockId block) const {
  const auto& [vertices, values] = target.moves;
  Stream stream;
  stream.count = vertex_count_;
  stream.element = ElementType::vec3;
  if (target.semantic == "POSITION") {
    // What is not moved is moved by nothing.
    StreamBounds bounds{{0, 0, 0}, {0, 0, 0}};
    for (std::size_t c = 0; c < 3 && vertices.size() == vertex_count_; ++c) {
      bounds.min[c] = bounds.max[c] = double{values[c]};
    }
    for (std::size_t i = 0; i < values.size(); ++i) {
      bounds.min[i % 3] = std::min(bounds.min[i % 3], double{values[i]});
      bounds.max[i % 3] = std::max(bounds.max[i % 3], double{values[i]});
    }
    stream.bounds = bounds;
  }
  const auto add_view = [&](std::uint64_t offset, std::uint64_t length) {
    BlockView view;
    view.block = block;
    view.offset = offset;
    view.length = length;
    out.views.push_back(view);
    return make_id<ViewId>(out.views.size() - 1);
  };
  if (!vertices.empty() && target.sparse) {
    SparseSubstitution sparse;
    sparse.count = vertices.size();
    sparse.index_type = index_type_;
    sparse.index_view =
        add_view(target.index_offset, vertices.size() * component_bytes(index_type_));
    sparse.value_view = add_view(target.value_offset, values.size() * sizeof(float));
    stream.sparse = std::move(sparse);
  } else if (!vertices.empty()) {
    constexpr std::uint32_t vertex_target = 34962;
    constexpr std::uint32_t width = 3 * sizeof(float);
    return add_stream(out, block, target.value_offset, vertex_count_ * width, vertex_target, width,
                      std::move(stream));
  }
  out.streams.push_back(std::move(stream));
  return make_id<StreamId>(out.streams.size() - 1);
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
  member.whole = member.vertex_count == all && !in_shading_order_;
}

void ClusterMerge::reserve(GeometryBlock& block) {
  for (const OutputAttribute& attribute : layout_) {
    offsets_.push_back(block.reserve(vertex_count_ * attribute.stride));
  }
  index_offset_ = block.reserve(index_count_ * component_bytes(index_type_));
  reserve_targets(block);
}

VertexPick ClusterMerge::pick_vertices(const MergeMember& member) const {
  const auto made = made_.find(member.primitive);
  std::vector<std::uint32_t> list =
      made != made_.end() ? made->second.indices : make_list_indices(source_, *member.primitive);
  list = put_in_shading_order(member, std::move(list));
  if (turns(member)) {
    flip_winding(list);
  }
  VertexPick pick = made != made_.end() ? pick_made(made->second, std::move(list))
                    : unwelds(member)   ? pick_corners(std::move(list))
                                        : pick_used(std::move(list));
  if (in_shading_order_) {
    put_in_order_of_use(pick);
  }
  return pick;
}

std::vector<std::uint32_t> ClusterMerge::put_in_shading_order(
    const MergeMember& member, std::vector<std::uint32_t> list) const {
  const auto order = shading_orders_.find(member.primitive);
  return order == shading_orders_.end() ? list : reorder_triangles(list, order->second);
}

bool ClusterMerge::turns(const MergeMember& member) const {
  const bool mirrored =
      member.binding ? member.binding->mirrored : linear_determinant(member.matrix) < 0;
  return mirrored != member.back && topology_ == Topology::triangles;
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
  std::vector<std::byte*> places;
  for (std::size_t a = 0; a < layout_.size(); ++a) {
    places.push_back(block.data(offsets_[a] + member.first_vertex * layout_[a].stride));
  }
  bounds_.include(write_attributes(source_, member, pick, layout_, places));
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
  if (!order_.empty()) {
    put_in_order(block);
  }
  fill_targets(block);
}

void ClusterMerge::put_in_order(GeometryBlock& block) const {
  const std::size_t size = 3 * std::size_t{component_bytes(index_type_)};
  std::byte* const to = block.data(index_offset_);
  const std::vector<std::byte> from(to, to + order_.size() * size);
  for (std::size_t t = 0; t < order_.size(); ++t) {
    std::memcpy(to + t * size, from.data() + order_[t] * size, size);
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
  for (const std::vector<TargetStream>& streams : target_streams_) {
    std::vector<Attribute>& target = primitive.morph_targets.emplace_back();
    for (const TargetStream& stream : streams) {
      target.push_back({stream.semantic, add_target(stream, out, block)});
    }
  }
  return primitive;
}

}  // namespace wakuzume
