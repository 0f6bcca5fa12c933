// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include "rework/compact.h"

#include <fmt/format.h>

#include <algorithm>
#include <cctype>
#include <map>
#include <set>

#include "rework/use_marks.h"
#include "scene/byte_range.h"
#include "scene/tree.h"
#include "survey/references.h"

namespace wakuzume {
namespace {

/// Calls `visit` for every reference of a primitive to a stream.
template <class AnyPrimitive, class Visit>
void for_each_stream_of(AnyPrimitive& primitive, Visit&& visit) {
  visit(primitive.indices);
  for (auto& attribute : primitive.attributes) {
    visit(attribute.stream);
  }
  for (auto& target : primitive.morph_targets) {
    for (auto& attribute : target) {
      visit(attribute.stream);
    }
  }
}

/// Calls `visit` for every reference to a stream, wherever the tables hold one.
template <class AnyScene, class Visit>
void for_each_stream_ref(AnyScene& scene, Visit&& visit) {
  for (auto& mesh : scene.meshes) {
    for (auto* primitives : {&mesh.primitives, &mesh.plain}) {
      for (auto& primitive : *primitives) {
        for_each_stream_of(primitive, visit);
      }
    }
  }
  for (auto& skin : scene.skins) {
    visit(skin.inverse_bind_matrices);
  }
  for (auto& animation : scene.animations) {
    for (auto& sampler : animation.samplers) {
      visit(sampler.input);
      visit(sampler.output);
    }
  }
  for (auto& node : scene.nodes) {
    if (node.instancing) {
      if constexpr (std::is_const_v<AnyScene>) {
        for (const auto& attribute : node.instancing->attributes) {
          visit(attribute.stream);
        }
      } else {
        for (auto& attribute : node.instancing.ensure().attributes) {
          visit(attribute.stream);
        }
      }
    }
  }
}

template <class AnyScene, class Visit>
void for_each_view_ref(AnyScene& scene, Visit&& visit) {
  for (auto& stream : scene.streams) {
    visit(stream.view);
    if (stream.sparse) {
      if constexpr (std::is_const_v<AnyScene>) {
        visit(stream.sparse->index_view);
        visit(stream.sparse->value_view);
      } else {
        visit(stream.sparse.ensure().index_view);
        visit(stream.sparse.ensure().value_view);
      }
    }
  }
  for (auto& image : scene.images) {
    visit(image.view);
  }
}

// ---- unknown extensions that may point at something ------------------------------------------

/// True when the JSON has a whole number outside strings, or a string that reads like a JSON
/// pointer: either may name an entry of a table.
bool may_hold_reference(const std::string& json) {
  bool in_string = false;
  for (std::size_t i = 0; i < json.size(); ++i) {
    const char c = json[i];
    if (c == '\\' && in_string) {
      ++i;
    } else if (c == '"') {
      in_string = !in_string;
      if (in_string && i + 1 < json.size() && json[i + 1] == '/') {
        return true;
      }
    } else if (!in_string && std::isdigit(static_cast<unsigned char>(c)) != 0) {
      const std::size_t end = json.find_first_not_of("0123456789", i);
      if (end == std::string::npos ||
          std::string_view(".eE").find(json[end]) == std::string::npos) {
        return true;
      }
      i = json.find_first_not_of("0123456789.eE+-", i) - 1;
    }
  }
  return false;
}

// ---- nodes -----------------------------------------------------------------------------------

/// Nodes that something other than the tree refers to.
UseMarks<NodeId> mark_referred_nodes(const Scene& scene) {
  UseMarks<NodeId> marks(scene.nodes.size());
  for (const Skin& skin : scene.skins) {
    marks(skin.skeleton);
    for (const NodeId joint : skin.joints) {
      marks(joint);
    }
  }
  for (const Animation& animation : scene.animations) {
    for (const AnimationChannel& channel : animation.channels) {
      marks(channel.node);
    }
  }
  return marks;
}

/// True when the node itself still shows or carries something.
bool carries_anything(const Node& node) {
  return node.mesh != no_mesh || node.camera != no_camera || node.skin != no_skin ||
         node.light != no_light || node.instancing ||
         (node.extra && !node.extra->extensions.empty());
}

/// Nodes that went: those whose mesh was merged away, and groups that held nothing but them.
std::vector<bool> find_emptied(const Scene& source, const Scene& built) {
  const UseMarks<NodeId> referred = mark_referred_nodes(built);
  const std::vector<NodeId> order = make_tree_order(built);
  std::vector<bool> gone(built.nodes.size(), false);
  for (auto id = order.rbegin(); id != order.rend(); ++id) {
    const std::size_t i = to_index(*id);
    if (i >= source.nodes.size() || carries_anything(built.nodes[i]) || referred.has(i)) {
      continue;
    }
    const auto& children = built.nodes[i].children;
    const bool lost_mesh = source.nodes[i].mesh != no_mesh;
    const bool had_children = !source.nodes[i].children.empty();
    const bool all_gone = std::all_of(children.begin(), children.end(),
                                      [&](NodeId child) { return gone[to_index(child)]; });
    const bool marked = source.nodes[i].extra && !source.nodes[i].extra->extras.empty();
    gone[i] = all_gone && (lost_mesh || (had_children && !marked));
  }
  return gone;
}

void renumber_list(std::vector<NodeId>& list, const NodeMap& number) {
  std::vector<NodeId> kept;
  for (const NodeId id : list) {
    if (number[to_index(id)] != no_node) {
      kept.push_back(number[to_index(id)]);
    }
  }
  list = std::move(kept);
}

NodeMap remove_nodes(Scene& scene, const std::vector<bool>& gone) {
  NodeMap number(scene.nodes.size(), no_node);
  std::size_t kept = 0;
  for (std::size_t i = 0; i < gone.size(); ++i) {
    if (!gone[i]) {
      number[i] = make_id<NodeId>(kept);
      if (kept != i) {
        scene.nodes[kept] = std::move(scene.nodes[i]);
      }
      ++kept;
    }
  }
  scene.nodes.erase(scene.nodes.begin() + static_cast<std::ptrdiff_t>(kept), scene.nodes.end());
  for (Node& node : scene.nodes) {
    renumber_list(node.children, number);
    renumber(node.parent, number);
  }
  for (Level& level : scene.levels) {
    renumber_list(level.roots, number);
  }
  for (Skin& skin : scene.skins) {
    renumber(skin.skeleton, number);
    renumber_list(skin.joints, number);
  }
  for (Animation& animation : scene.animations) {
    for (AnimationChannel& channel : animation.channels) {
      renumber(channel.node, number);
    }
  }
  return number;
}

// ---- byte ranges -----------------------------------------------------------------------------

/// Ranges in order, those that touch or overlap joined.
std::vector<ByteRange> join(std::vector<ByteRange> ranges) {
  std::sort(ranges.begin(), ranges.end(),
            [](const ByteRange& a, const ByteRange& b) { return a.begin < b.begin; });
  std::vector<ByteRange> joined;
  for (const ByteRange& range : ranges) {
    // Indices of 16 bits are padded to four bytes, so small gaps are no reason to part.
    if (!joined.empty() && range.begin <= joined.back().end + 3) {
      joined.back().end = std::max(joined.back().end, range.end);
    } else {
      joined.push_back(range);
    }
  }
  return joined;
}

/// Cuts views down to the bytes their remaining streams read, where some of their streams went.
void trim_views(Scene& scene, const UseMarks<ViewId>& shrunk) {
  std::map<ViewId, std::vector<ByteRange>> wanted;
  UseMarks<ViewId> whole(scene.views.size());
  for (const Image& image : scene.images) {
    whole(image.view);
  }
  for (const Stream& stream : scene.streams) {
    if (stream.sparse) {
      whole(stream.sparse->index_view);
      whole(stream.sparse->value_view);
    }
  }
  for (const Stream& stream : scene.streams) {
    if (stream.view != no_view && shrunk.has(to_index(stream.view)) &&
        !whole.has(to_index(stream.view))) {
      wanted[stream.view].push_back(find_range(scene, stream));
    }
  }
  struct Piece {
    ByteRange range;
    ViewId view;
  };
  std::map<ViewId, std::vector<Piece>> pieces;
  for (auto& [id, ranges] : wanted) {
    const BlockView original = scene[id];
    for (const ByteRange& range : join(std::move(ranges))) {
      BlockView view = original;
      view.offset += range.begin;
      view.length = range.end - range.begin;
      const bool first = pieces[id].empty();
      pieces[id].push_back({range, first ? id : make_id<ViewId>(scene.views.size())});
      if (first) {
        scene.views[to_index(id)] = view;
      } else {
        scene.views.push_back(view);
      }
    }
  }
  for (Stream& stream : scene.streams) {
    const auto cut = stream.view == no_view ? pieces.end() : pieces.find(stream.view);
    if (cut != pieces.end()) {
      const auto piece =
          std::find_if(cut->second.rbegin(), cut->second.rend(),
                       [&](const Piece& p) { return p.range.begin <= stream.offset; });
      stream.view = piece->view;
      stream.offset -= piece->range.begin;
    }
  }
}

/// \param sources  the scenes whose data may go; of equal tables, as far as they reach
void remove_data(std::span<const Scene* const> sources, Scene& built) {
  UseMarks<MeshId> meshes_before(built.meshes.size());
  UseMarks<MeshId> meshes_now(built.meshes.size());
  UseMarks<StreamId> streams_before(built.streams.size());
  UseMarks<ViewId> views_before(built.views.size());
  UseMarks<BlockId> blocks_before(built.blocks.size());
  for (const Scene* source : sources) {
    for (const Node& node : source->nodes) {
      meshes_before(node.mesh);
    }
    for_each_stream_ref(*source, streams_before);
    for_each_view_ref(*source, views_before);
    for (const BlockView& view : source->views) {
      blocks_before(view.block);
    }
  }
  for (const Node& node : built.nodes) {
    meshes_now(node.mesh);
  }
  const auto mesh_number = remove_unused(built.meshes, meshes_before, meshes_now);
  for (Node& node : built.nodes) {
    renumber(node.mesh, mesh_number);
  }

  UseMarks<StreamId> streams_now(built.streams.size());
  for_each_stream_ref(std::as_const(built), streams_now);
  UseMarks<ViewId> shrunk(built.views.size());
  for (std::size_t i = 0; i < built.streams.size(); ++i) {
    if (streams_before.has(i) && !streams_now.has(i)) {
      shrunk(built.streams[i].view);
    }
  }
  const auto stream_number = remove_unused(built.streams, streams_before, streams_now);
  for_each_stream_ref(built, [&](StreamId& id) { renumber(id, stream_number); });
  trim_views(built, shrunk);

  UseMarks<ViewId> views_now(built.views.size());
  for_each_view_ref(std::as_const(built), views_now);
  const auto view_number = remove_unused(built.views, views_before, views_now);
  for_each_view_ref(built, [&](ViewId& id) { renumber(id, view_number); });

  UseMarks<BlockId> blocks_now(built.blocks.size());
  for (const BlockView& view : built.views) {
    blocks_now(view.block);
  }
  const auto block_number = remove_unused(built.blocks, blocks_before, blocks_now);
  for (BlockView& view : built.views) {
    renumber(view.block, block_number);
  }
}

}  // namespace

std::string find_referring_extension(const Scene& scene) {
  std::string found;
  const auto look = [&](const Boxed<Extra>& extra) {
    if (!extra || !found.empty()) {
      return;
    }
    for (const RawMember& extension : extra->extensions) {
      if (!is_harmless_extension(extension.name) && may_hold_reference(extension.json)) {
        found = extension.name;
      }
    }
  };
  look(scene.extra);
  for (const Node& node : scene.nodes) {
    look(node.extra);
  }
  for (const Mesh& mesh : scene.meshes) {
    look(mesh.extra);
    for (const std::vector<Primitive>* primitives : {&mesh.primitives, &mesh.plain}) {
      for (const Primitive& primitive : *primitives) {
        look(primitive.extra);
      }
    }
  }
  for (const Level& level : scene.levels) {
    look(level.extra);
  }
  for (const Animation& animation : scene.animations) {
    look(animation.extra);
    for (const AnimationChannel& channel : animation.channels) {
      look(channel.target_extra);
    }
  }
  for (const Skin& skin : scene.skins) {
    look(skin.extra);
  }
  for (const BlockView& view : scene.views) {
    look(view.extra);
  }
  for (const Material& material : scene.materials) {
    look(material.extra);
  }
  return found;
}

void remove_unused_data(const Scene& before, Scene& now) {
  if (find_referring_extension(now).empty()) {
    const Scene* const sources[] = {&before};
    remove_data(sources, now);
  }
}

NodeMap compact(const Scene& source,
                Scene& built,
                std::vector<std::string>& left_out,
                const Scene* origin) {
  const std::string referring = find_referring_extension(built);
  if (!referring.empty()) {
    left_out.push_back(fmt::format(
        "extension {} may refer to nodes or data by number, so emptied nodes and unused geometry "
        "stay in the file",
        referring));
    NodeMap same(built.nodes.size());
    for (std::size_t i = 0; i < same.size(); ++i) {
      same[i] = make_id<NodeId>(i);
    }
    return same;
  }
  NodeMap number = remove_nodes(built, find_emptied(source, built));
  const Scene* sources[] = {&source, origin == nullptr ? &source : origin};
  remove_data(sources, built);
  return number;
}

}  // namespace wakuzume
