// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include "build/carry.h"

#include <fmt/format.h>

#include <algorithm>

#include "build/motion.h"
#include "survey/rules.h"
#include "wakuzume/restore.h"

namespace wakuzume {
namespace {

std::uint32_t count(std::size_t size) { return static_cast<std::uint32_t>(size); }

/// The member of the extras that marks a hidden source, before what the level has.
std::string add_mark(const Boxed<Extra>& extra) {
  const std::string own = extra ? extra->extras : std::string();
  return own.size() > 2 && own.front() == '{'
             ? fmt::format("{{\"{}\":true,{}", hidden_source_key, own.substr(1))
             : fmt::format("{{\"{}\":true}}", hidden_source_key);
}

template <class T>
bool cut(std::vector<T>& table, std::uint32_t size) {
  if (table.size() < size) {
    return false;
  }
  table.erase(table.begin() + size, table.end());
  return true;
}

/// Nodes of the result by the numbers that they have in the source.
class NumbersBack {
 public:
  NumbersBack(const SourceCopy& copy, std::size_t nodes)
      : first_(to_index(copy.first_node)), back_(nodes, no_node) {
    for (std::size_t n = 0; n < copy.node_there.size(); ++n) {
      if (copy.node_there[n] != no_node) {
        back_[to_index(copy.node_there[n])] = make_id<NodeId>(n);
      }
    }
  }
  /// Of a copy.
  void shift(NodeId& id) const {
    if (id != no_node) {
      id = make_id<NodeId>(to_index(id) - first_);
    }
  }
  /// Of a node that animations and skins speak of.
  bool find(NodeId& id) const {
    if (id != no_node) {
      if (to_index(id) >= first_) {
        shift(id);
        return true;
      }
      id = back_[to_index(id)];
      return id != no_node;
    }
    return true;
  }

 private:
  std::size_t first_;
  std::vector<NodeId> back_;
};

/// Bytes behind what the views show belong to the result.
void trim_blocks(Scene& scene) {
  std::vector<std::uint64_t> ends(scene.blocks.size(), 0);
  for (const BlockView& view : scene.views) {
    std::uint64_t& end = ends[to_index(view.block)];
    end = std::max(end, view.offset + view.length);
  }
  for (std::size_t b = 0; b < ends.size(); ++b) {
    Bytes& bytes = scene.blocks[b].bytes;
    bytes = ends[b] < bytes.size() ? bytes.part(0, ends[b]) : bytes;
  }
}

/// What a ledger says of the result's tables is possible.
bool is_sound(const SourceCopy& copy, const Scene& built) {
  const std::size_t nodes = copy.node_there.size();
  const bool in_range = to_index(copy.first_node) <= built.nodes.size() &&
                        nodes <= built.nodes.size() - to_index(copy.first_node) &&
                        copy.meshes <= built.meshes.size() &&
                        copy.materials <= built.materials.size() &&
                        copy.streams <= built.streams.size() && copy.views <= built.views.size() &&
                        copy.levels <= built.levels.size();
  return in_range && std::all_of(copy.node_there.begin(), copy.node_there.end(), [&](NodeId id) {
           return id == no_node || to_index(id) < built.nodes.size();
         });
}

}  // namespace

SourceCopy carry_source(const Scene& source, Scene& out) {
  SourceCopy copy;
  copy.first_node = make_id<NodeId>(out.nodes.size());
  copy.meshes = count(source.meshes.size());
  copy.materials = count(source.materials.size());
  copy.streams = count(source.streams.size());
  copy.views = count(source.views.size());
  copy.blocks = count(source.blocks.size());
  copy.levels = count(source.levels.size());
  copy.extensions_used = count(source.extensions_used.size());
  copy.extensions_required = count(source.extensions_required.size());
  const std::size_t shift = to_index(copy.first_node);
  const auto move = [&](NodeId& id) {
    id = id == no_node ? id : make_id<NodeId>(to_index(id) + shift);
  };
  if (source.levels.empty()) {
    // Without glTF scenes all roots are shown; the copies must not be.
    Level& shown = out.levels.emplace_back();
    for (std::size_t n = 0; n < out.nodes.size(); ++n) {
      if (out.nodes[n].parent == no_node) {
        shown.roots.push_back(make_id<NodeId>(n));
      }
    }
    out.default_level = LevelId{0};
  }
  for (std::size_t n = 0; n < source.nodes.size(); ++n) {
    copy.node_there.push_back(make_id<NodeId>(n));
    Node node = source.nodes[n];
    move(node.parent);
    std::for_each(node.children.begin(), node.children.end(), move);
    // A skin has to be in the scene of its joints, and engines list cameras and lights by node; the
    // node that is shown still has them.
    node.skin = no_skin;
    node.camera = no_camera;
    node.light = no_light;
    out.nodes.push_back(std::move(node));
  }
  copy.skins = count(source.skins.size());
  for (std::size_t n = 0; n < source.nodes.size(); ++n) {
    if (source.nodes[n].skin != out.nodes[n].skin) {
      copy.lost_skins.insert(copy.lost_skins.end(),
                             {count(n), count(to_index(source.nodes[n].skin))});
    }
  }
  for (std::size_t a = 0; a < source.animations.size(); ++a) {
    const std::size_t channels = source.animations[a].channels.size();
    copy.tracks.insert(copy.tracks.end(),
                       {count(channels), count(source.animations[a].samplers.size())});
    for (std::size_t c = 0; c < channels; ++c) {
      // The copy has the targets that the node that is shown has no more.
      AnimationChannel& channel = out.animations[a].channels[c];
      if (channel.path == "weights" && channel.node != no_node &&
          !has_targets(out, out[channel.node])) {
        move(channel.node);
      }
    }
  }
  for (Level level : source.levels) {
    level.name = level.name.empty() ? "source" : level.name + " source";
    level.extra.ensure().extras = add_mark(level.extra);
    std::for_each(level.roots.begin(), level.roots.end(), move);
    out.levels.push_back(std::move(level));
  }
  return copy;
}

std::optional<Scene> find_carried_source(const Scene& built, const Ledger& ledger) {
  const SourceCopy& copy = ledger.source_copy;
  if (copy.first_node == no_node || !is_sound(copy, built)) {
    return std::nullopt;
  }
  const NumbersBack back(copy, built.nodes.size());
  Scene out = built;
  const auto first = built.nodes.begin() + static_cast<std::ptrdiff_t>(to_index(copy.first_node));
  out.nodes.assign(first, first + static_cast<std::ptrdiff_t>(copy.node_there.size()));
  bool good = cut(out.meshes, copy.meshes) && cut(out.materials, copy.materials) &&
              cut(out.streams, copy.streams) && cut(out.views, copy.views) &&
              cut(out.extensions_used, copy.extensions_used) &&
              cut(out.extensions_required, copy.extensions_required);
  // Written to a file, the blocks may have become fewer.
  cut(out.blocks, std::min(copy.blocks, count(out.blocks.size())));
  for (std::size_t n = 0; n < out.nodes.size(); ++n) {
    Node& node = out.nodes[n];
    back.shift(node.parent);
    std::for_each(node.children.begin(), node.children.end(), [&](NodeId& id) { back.shift(id); });
    if (copy.node_there[n] != no_node) {
      const Node& shown = built[copy.node_there[n]];
      node.skin = shown.skin;
      node.camera = shown.camera;
      node.light = shown.light;
    }
  }
  good = good && cut(out.skins, copy.skins) && copy.lost_skins.size() % 2 == 0 &&
         copy.tracks.size() == 2 * out.animations.size();
  for (std::size_t i = 0; good && i < copy.lost_skins.size(); i += 2) {
    good = copy.lost_skins[i] < out.nodes.size() && copy.lost_skins[i + 1] < out.skins.size();
    if (good) {
      out.nodes[copy.lost_skins[i]].skin = make_id<SkinId>(copy.lost_skins[i + 1]);
    }
  }
  for (std::size_t a = 0; good && a < out.animations.size(); ++a) {
    good = cut(out.animations[a].channels, copy.tracks[2 * a]) &&
           cut(out.animations[a].samplers, copy.tracks[2 * a + 1]);
  }
  for (Skin& skin : out.skins) {
    good = good && back.find(skin.skeleton);
    for (NodeId& joint : skin.joints) {
      good = good && back.find(joint);
    }
  }
  for (Animation& animation : out.animations) {
    for (AnimationChannel& channel : animation.channels) {
      good = good && back.find(channel.node);
    }
  }
  // The shown levels know names, extras and the default; the hidden ones know the roots.
  for (std::size_t l = 0; l < copy.levels; ++l) {
    const std::size_t hidden = built.levels.size() - copy.levels + l;
    out.levels[l].roots = built.levels[hidden].roots;
    for (NodeId& root : out.levels[l].roots) {
      back.shift(root);
    }
  }
  good = good && cut(out.levels, copy.levels);
  if (copy.levels == 0) {
    out.default_level = no_level;
  }
  if (!good) {
    return std::nullopt;
  }
  trim_blocks(out);
  return out;
}

}  // namespace wakuzume
