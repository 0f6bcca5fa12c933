// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include "build/extract.h"

#include <algorithm>
#include <cstring>

#include "rework/geometry_block.h"
#include "rework/stream_maker.h"
#include "scene/elements.h"
#include "scene/index_data.h"

namespace wakuzume {
namespace {

/// A copy of runs of a stream's elements, with the stride they have.
class RunCopy {
 public:
  RunCopy(const Scene& scene, StreamId stream)
      : stream_(scene[stream]), span_(make_element_span(scene, stream_)) {}

  void reserve(std::uint64_t count, GeometryBlock& block) {
    count_ = count;
    offset_ = block.reserve(count * span_.stride);
  }

  void fill(const std::vector<std::pair<std::uint64_t, std::uint64_t>>& runs,
            GeometryBlock& block) const {
    block.close(offset_, count_ * span_.stride);
    const std::size_t size = element_bytes(stream_.component, stream_.element);
    std::byte* to = block.data(offset_);
    for (const auto& [first, count] : runs) {
      for (std::uint64_t e = 0; e < count; ++e, to += span_.stride) {
        std::memset(to, 0, span_.stride);
        std::memcpy(to, span_.data + (first + e) * span_.stride, size);
      }
    }
  }

  StreamId add_to(Scene& out, BlockId block, std::uint32_t target) const {
    Stream stream = stream_;
    stream.count = count_;
    stream.offset = 0;
    return add_stream(out, block, offset_, count_ * span_.stride, target,
                      static_cast<std::uint32_t>(span_.stride), std::move(stream));
  }

 private:
  const Stream& stream_;
  ElementSpan span_;
  std::uint64_t count_ = 0;
  std::uint64_t offset_ = 0;
};

BlockId add_block(Scene& out, const GeometryBlock& block) {
  out.blocks.emplace_back().bytes = block.finish();
  return make_id<BlockId>(out.blocks.size() - 1);
}

/// Smallest and largest of the stored positions.
StreamBounds make_bounds(const Scene& scene, StreamId stream) {
  const std::vector<float> values = make_floats(scene, stream);
  Box3d box;
  for (std::size_t i = 0; i + 2 < values.size(); i += 3) {
    box.include(Vec3d{static_cast<double>(values[i]), static_cast<double>(values[i + 1]),
                      static_cast<double>(values[i + 2])});
  }
  return {{box.min.begin(), box.min.end()}, {box.max.begin(), box.max.end()}};
}

/// List indices as the ranges of the ledger count them.
std::vector<std::uint32_t> list_in_a_row(const Scene& scene,
                                         const Primitive& primitive,
                                         const std::vector<std::uint32_t>* order) {
  std::vector<std::uint32_t> list = make_integers(scene, primitive.indices);
  if (order == nullptr) {
    return list;
  }
  std::vector<std::uint32_t> out(list.size());
  for (std::size_t t = 0; t < order->size(); ++t) {
    std::copy_n(list.begin() + static_cast<std::ptrdiff_t>(3 * t), 3,
                out.begin() + static_cast<std::ptrdiff_t>(3 * std::size_t{(*order)[t]}));
  }
  return out;
}

/// Triangles that are left, in the order that they had among others.
/// \param now  by triangle that there was: its place in a row; no_index: it went
void put_in_order(const std::vector<std::uint32_t>& now,
                  std::vector<std::uint32_t>& order,
                  std::vector<std::uint32_t>& indices) {
  std::transform(order.begin(), order.end(), order.begin(),
                 [&](std::uint32_t triangle) { return now[triangle]; });
  std::erase(order, no_index);
  const std::vector<std::uint32_t> row = indices;
  for (std::size_t t = 0; t < order.size(); ++t) {
    std::copy_n(row.begin() + static_cast<std::ptrdiff_t>(3 * std::size_t{order[t]}), 3,
                indices.begin() + static_cast<std::ptrdiff_t>(3 * t));
  }
}

}  // namespace

bool has_primitive(const Scene& scene, const DrawRef& ref) {
  return to_index(ref.node) < scene.nodes.size() && scene[ref.node].mesh != no_mesh &&
         ref.primitive < scene[scene[ref.node].mesh].primitives.size();
}

bool holds_range(const Scene& built, const LedgerRow& row) {
  if (!has_primitive(built, {row.node, row.primitive})) {
    return false;
  }
  const Node& node = built[row.node];
  const Primitive& primitive = built[node.mesh].primitives[row.primitive];
  const auto within = [](std::uint64_t first, std::uint64_t count, std::uint64_t all) {
    return first <= all && count <= all - first;
  };
  // A set of one instance is an ordinary node.
  const std::uint64_t instances = !node.instancing ? 1
                                  : node.instancing->attributes.empty()
                                      ? 0
                                      : built[node.instancing->attributes[0].stream].count;
  return (row.fate == Fate::instanced || !node.instancing) && row.instance < instances &&
         (row.fate == Fate::instanced || primitive.indices != no_stream) &&
         within(row.first_index, row.index_count, count_list_indices(built, primitive)) &&
         within(row.first_vertex, row.vertex_count, count_vertices(built, primitive));
}

bool holds_order(const Scene& built, const LedgerResult& result) {
  const Primitive& primitive = primitive_of(built, result);
  if (result.order.empty()) {
    return true;
  }
  std::vector<bool> named(result.order.size(), false);
  const bool fits = primitive.indices != no_stream && primitive.mode == PrimitiveMode::triangles &&
                    built[primitive.indices].count == 3 * std::uint64_t{result.order.size()};
  return fits && std::all_of(result.order.begin(), result.order.end(), [&](std::uint32_t triangle) {
           const bool good = triangle < named.size() && !named[triangle];
           if (good) {
             named[triangle] = true;
           }
           return good;
         });
}

MeshId Extractor::add_mesh(Mesh mesh) {
  out_.meshes.push_back(std::move(mesh));
  return make_id<MeshId>(out_.meshes.size() - 1);
}

MeshId Extractor::take_mesh(MeshId id) {
  const auto [slot, added] = meshes_.try_emplace(id, no_mesh);
  if (added) {
    Mesh mesh = built_[id];
    mesh.plain.clear();  // made anew, by the numbers of the new scene
    for (Primitive& primitive : mesh.primitives) {
      take_primitive(primitive);
    }
    slot->second = add_mesh(std::move(mesh));
  }
  return slot->second;
}

void Extractor::take_primitive(Primitive& primitive) {
  primitive.material = take_material(primitive.material);
  primitive.indices = take_stream(primitive.indices);
  for (Attribute& attribute : primitive.attributes) {
    attribute.stream = take_stream(attribute.stream);
  }
  for (std::vector<Attribute>& target : primitive.morph_targets) {
    for (Attribute& attribute : target) {
      attribute.stream = take_stream(attribute.stream);
    }
  }
}

SkinId Extractor::take_skin(SkinId id, const std::vector<NodeId>& joints) {
  if (id == no_skin || to_index(id) < source_.skins.size()) {
    return id;  // those of the source have their numbers in both scenes
  }
  const auto [slot, added] = skins_.try_emplace(id, make_id<SkinId>(out_.skins.size()));
  if (added) {
    Skin skin = built_.skins[to_index(id)];
    skin.joints = joints;
    skin.inverse_bind_matrices = take_stream(skin.inverse_bind_matrices);
    out_.skins.push_back(std::move(skin));
  }
  return slot->second;
}

void Extractor::take_weights(NodeId from, NodeId to) {
  const std::size_t count = std::min(built_.animations.size(), out_.animations.size());
  for (std::size_t a = 0; a < count; ++a) {
    const Animation& animation = built_.animations[a];
    for (AnimationChannel channel : animation.channels) {
      if (channel.node != from || channel.path != "weights") {
        continue;
      }
      AnimationSampler sampler = animation.samplers[channel.sampler];
      sampler.input = take_stream(sampler.input);
      sampler.output = take_stream(sampler.output);
      channel.node = to;
      channel.sampler = static_cast<std::uint32_t>(out_.animations[a].samplers.size());
      out_.animations[a].samplers.push_back(std::move(sampler));
      out_.animations[a].channels.push_back(std::move(channel));
    }
  }
}

MeshId Extractor::show_mesh(MeshId id, const DrawRef& shown) {
  const auto [slot, added] = meshes_.try_emplace(id, no_mesh);
  if (added) {
    const MeshId from = source_[shown.node].mesh;
    const Primitive& primitive = source_[from].primitives[shown.primitive];
    const MaterialId material = take_material(built_[id].primitives[0].material);
    if (source_[from].primitives.size() == 1 && primitive.material == material) {
      slot->second = from;
    } else {
      Mesh mesh;
      mesh.name = built_[id].name;
      mesh.extra = source_[from].extra;
      mesh.primitives.push_back(primitive);
      mesh.primitives.back().material = material;
      slot->second = add_mesh(std::move(mesh));
    }
  }
  return slot->second;
}

MeshId Extractor::cut_mesh(MeshId id, const std::vector<KeptPrimitive>& kept) {
  Mesh mesh = built_[id];
  mesh.plain.clear();
  mesh.primitives.clear();
  for (const KeptPrimitive& part : kept) {
    const Primitive& from = built_[id].primitives[part.primitive];
    mesh.primitives.push_back(part.whole ? from : cut_primitive(from, part));
    if (part.whole) {
      take_primitive(mesh.primitives.back());
    }
  }
  return add_mesh(std::move(mesh));
}

Primitive Extractor::cut_primitive(const Primitive& from, const KeptPrimitive& kept) {
  std::uint64_t vertices = 0;
  std::vector<std::uint32_t> indices;
  std::vector<std::pair<std::uint64_t, std::uint64_t>> runs;
  const std::vector<std::uint32_t> all = list_in_a_row(built_, from, kept.order);
  std::vector<std::uint32_t> triangle_now(kept.order == nullptr ? 0 : kept.order->size(), no_index);
  for (const GeometryRange& range : kept.ranges) {
    for (std::uint64_t i = 0; i < range.index_count; ++i) {
      if (kept.order != nullptr && i % 3 == 0) {
        triangle_now[(range.first_index + i) / 3] = static_cast<std::uint32_t>(indices.size() / 3);
      }
      indices.push_back(
          static_cast<std::uint32_t>(all[range.first_index + i] - range.first_vertex + vertices));
    }
    runs.emplace_back(range.first_vertex, range.vertex_count);
    vertices += range.vertex_count;
  }
  if (kept.order != nullptr) {
    put_in_order(triangle_now, *kept.order, indices);
  }
  GeometryBlock block;
  std::vector<RunCopy> copies;
  for (const Attribute& attribute : from.attributes) {
    copies.emplace_back(built_, attribute.stream).reserve(vertices, block);
  }
  Stream stream;
  stream.count = indices.size();
  stream.component = find_index_type(vertices);
  const std::uint32_t size = component_bytes(stream.component);
  const std::uint64_t index_offset = block.reserve(indices.size() * size);
  block.allocate();
  for (const RunCopy& copy : copies) {
    copy.fill(runs, block);
  }
  block.close(index_offset, indices.size() * size);
  store_indices(indices, stream.component, block.data(index_offset));
  const BlockId id = add_block(out_, block);
  Primitive out = from;
  out.material = take_material(from.material);
  for (std::size_t a = 0; a < copies.size(); ++a) {
    const BlockView& view = built_[built_[from.attributes[a].stream].view];
    out.attributes[a].stream = copies[a].add_to(out_, id, view.target);
    if (out.attributes[a].semantic == "POSITION") {
      out_.streams.back().bounds = make_bounds(out_, out.attributes[a].stream);
    }
  }
  const std::uint32_t target = built_[built_[from.indices].view].target;
  out.indices =
      add_stream(out_, id, index_offset, indices.size() * size, target, size, std::move(stream));
  cut_targets(from, runs, out);
  return out;
}

void Extractor::cut_targets(const Primitive& from, const Runs& runs, Primitive& out) {
  if (from.morph_targets.empty()) {
    return;
  }
  GeometryBlock block;
  const auto id = make_id<BlockId>(out_.blocks.size());
  for (const bool fill : {false, true}) {
    StreamMaker maker(built_, out_, block, fill ? &id : nullptr);
    for (std::size_t t = 0; t < from.morph_targets.size(); ++t) {
      for (std::size_t a = 0; a < from.morph_targets[t].size(); ++a) {
        const Attribute& attribute = from.morph_targets[t][a];
        const std::vector<float> all = make_floats(built_, attribute.stream);
        std::vector<float> values;
        for (const auto& [first, count] : runs) {
          const auto begin = all.begin() + static_cast<std::ptrdiff_t>(3 * first);
          values.insert(values.end(), begin, begin + static_cast<std::ptrdiff_t>(3 * count));
        }
        out.morph_targets[t][a].stream =
            maker.add_sparse(built_[attribute.stream], values, attribute.semantic == "POSITION");
      }
    }
    if (!fill) {
      block.allocate();
    }
  }
  add_block(out_, block);
}

void Extractor::take_instances(Node& node) {
  for (Attribute& attribute : node.instancing.ensure().attributes) {
    attribute.stream = take_stream(attribute.stream);
  }
}

void Extractor::cut_instances(const std::vector<std::uint32_t>& kept, Node& node) {
  std::vector<std::pair<std::uint64_t, std::uint64_t>> runs;
  std::transform(kept.begin(), kept.end(), std::back_inserter(runs), [](std::uint32_t instance) {
    return std::pair<std::uint64_t, std::uint64_t>(instance, 1);
  });
  GeometryBlock block;
  std::vector<RunCopy> copies;
  for (const Attribute& attribute : node.instancing->attributes) {
    copies.emplace_back(built_, attribute.stream).reserve(kept.size(), block);
  }
  block.allocate();
  for (const RunCopy& copy : copies) {
    copy.fill(runs, block);
  }
  const BlockId id = add_block(out_, block);
  for (std::size_t a = 0; a < copies.size(); ++a) {
    node.instancing.ensure().attributes[a].stream = copies[a].add_to(out_, id, 0);
  }
}

MaterialId Extractor::take_material(MaterialId id) {
  // Those of the source have their numbers in both scenes, unless the ledger tells them.
  const MaterialId from =
      to_index(id) < ledger_.material_from.size() ? ledger_.material_from[to_index(id)] : id;
  if (to_index(from) < source_.materials.size()) {
    return from;
  }
  materials_.take(id);
  return id;
}

StreamId Extractor::take_stream(StreamId id) {
  const auto take_view = [&](ViewId& view) {
    if (views_.take(view)) {
      blocks_.take(out_.views.back().block);
    }
  };
  if (streams_.take(id)) {
    Stream& stream = out_.streams.back();
    take_view(stream.view);
    if (stream.sparse) {
      take_view(stream.sparse.ensure().index_view);
      take_view(stream.sparse.ensure().value_view);
    }
  }
  return id;
}

}  // namespace wakuzume
