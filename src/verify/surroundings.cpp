// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include "verify/surroundings.h"

#include <fmt/format.h>

#include <utility>

#include "survey/lightmaps.h"
#include "survey/movers.h"
#include "survey/rules.h"

namespace wakuzume {

Surroundings::Surroundings(const Scene& scene, std::string lightmap_key)
    : scene_(scene), lightmap_key_(std::move(lightmap_key)), mover_of_node_(scene.nodes.size()) {
  std::vector<std::vector<LevelId>> sets;
  level_of_node_ = make_level_sets(scene, sets);
  for (const std::vector<LevelId>& set : sets) {
    std::string& text = level_texts_.emplace_back();
    for (const LevelId level : set) {
      text += fmt::format("{}{}", text.empty() ? "" : ",", to_index(level));
    }
  }
  const Movers movers = find_movers(scene, ConstantTracks::stand_still);
  for (std::size_t n = 0; n < scene.nodes.size(); ++n) {
    if (movers.of_node[n].rule != StayRule::none) {
      mover_of_node_[n] = "/" + scene.nodes[n].name;
    }
  }
  // Animations keep their numbers, nodes may not.
  for (std::size_t a = 0; a < scene.animations.size(); ++a) {
    const auto& channels = scene.animations[a].channels;
    std::size_t number = 0;  // those of weights come and go with what has them
    for (const AnimationChannel& channel : channels) {
      const std::size_t n = to_index(channel.node);
      if (channel.path == "weights") {
        continue;
      }
      if (n < mover_of_node_.size() && !mover_of_node_[n].empty()) {
        mover_of_node_[n] += fmt::format(" {}.{}", a, number);
      }
      ++number;
    }
  }
}

const std::string& Surroundings::levels(NodeId node) const {
  const std::uint32_t set = level_of_node_[to_index(node)];
  return set == no_index ? none_ : level_texts_[set];
}

std::string Surroundings::movers(NodeId node) const {
  std::string out;
  for (NodeId at = node; at != no_node; at = scene_[at].parent) {
    out += mover_of_node_[to_index(at)];
  }
  return out;
}

std::string Surroundings::lightmap(NodeId node, const Primitive& primitive) const {
  // Which texture that is counts among the looks of materials: images of a result have other
  // numbers.
  return is_lit_by_material(scene_, scene_[node], primitive, lightmap_key_)
             ? "that of its material"
             : find_lightmap(scene_, scene_[node], primitive, lightmap_key_);
}

std::string compare_surroundings(const Surroundings& before,
                                 const DrawnPrimitive& was,
                                 const Surroundings& after,
                                 const DrawnPrimitive& is,
                                 MovedBy moved_by) {
  const auto tell = [](const char* what, const std::string& old_text, const std::string& new_text) {
    return old_text == new_text
               ? std::string()
               : fmt::format("{} {}, not by {}", what, new_text.empty() ? "none" : new_text,
                             old_text.empty() ? "none" : old_text);
  };
  std::string out =
      tell("is shown by the glTF scenes", before.levels(was.node), after.levels(is.node));
  if (out.empty() && moved_by == MovedBy::nodes) {
    out = tell("is moved by", before.movers(was.node), after.movers(is.node));
  }
  if (out.empty()) {
    out = tell("is lit by lightmap page", before.lightmap(was.node, was.primitive),
               after.lightmap(is.node, is.primitive));
  }
  return out;
}

}  // namespace wakuzume
