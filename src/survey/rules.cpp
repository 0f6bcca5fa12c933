// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include "survey/rules.h"

#include <fmt/format.h>
#include <fnmatch.h>
#include <simdjson.h>

#include <algorithm>
#include <map>

#include "scene/tree.h"

namespace wakuzume {
namespace {

bool matches_any(const std::vector<std::string>& globs, const std::string& path) {
  return std::any_of(globs.begin(), globs.end(), [&](const std::string& glob) {
    return fnmatch(glob.c_str(), path.c_str(), 0) == 0;
  });
}

/// The node that "/nodes/12/translation" of KHR_animation_pointer names, or no_node.
NodeId find_pointed_node(const Scene& scene, const AnimationChannel& channel) {
  if (!channel.target_extra) {
    return no_node;
  }
  for (const RawMember& extension : channel.target_extra->extensions) {
    const std::string pointer = find_member(extension.json, "pointer");
    constexpr std::string_view prefix = "/nodes/";
    if (pointer.starts_with(prefix)) {
      const std::size_t index = std::strtoull(pointer.c_str() + prefix.size(), nullptr, 10);
      return index < scene.nodes.size() ? make_id<NodeId>(index) : no_node;
    }
  }
  return no_node;
}

/// Marks what moves by itself: what it is that moves is inherited by all below.
void mark_movers(const Scene& scene, std::vector<StayRule>& moving) {
  const auto mark = [&](NodeId id, StayRule rule) {
    if (id != no_node && moving[to_index(id)] == StayRule::none) {
      moving[to_index(id)] = rule;
    }
  };
  for (const Animation& animation : scene.animations) {
    for (const AnimationChannel& channel : animation.channels) {
      if (channel.path == "pointer") {
        mark(find_pointed_node(scene, channel), StayRule::animated);
      } else if (channel.path != "weights") {
        mark(channel.node, StayRule::animated);
      }
    }
  }
  for (const Skin& skin : scene.skins) {
    for (const NodeId joint : skin.joints) {
      mark(joint, StayRule::skinned);
    }
  }
}

/// The rules that concern one node alone, after those that come down from its ancestors.
StayRule find_own_rule(const Node& node) {
  if (node.skin != no_skin) {
    return StayRule::skinned;
  }
  if (node.light != no_light) {
    return StayRule::carries_light;
  }
  if (node.camera != no_camera) {
    return StayRule::carries_camera;
  }
  if (node.instancing) {
    return StayRule::instanced;
  }
  if (node.extra && !node.extra->extensions.empty()) {
    return StayRule::own_extension;
  }
  return StayRule::none;
}

/// A string as JSON writes it.
std::string quote(std::string_view text) {
  std::string out = "\"";
  for (const char c : text) {
    if (c == '"' || c == '\\') {
      out += '\\';
      out += c;
    } else if (static_cast<unsigned char>(c) < 0x20) {
      out += fmt::format("\\u{:04x}", static_cast<unsigned>(c));
    } else {
      out += c;
    }
  }
  return out + '"';
}

/// What a node passes down to its children.
struct Inherited {
  StayRule rule = StayRule::none;
  NodeId moving_root = no_node;
  std::string path;
};

class FactMaker {
 public:
  FactMaker(const Scene& scene, const SurveySettings& settings)
      : scene_(scene), settings_(settings), moving_(scene.nodes.size(), StayRule::none) {
    // Paths cost more than all else here, so they are made only if some glob needs them.
    needs_paths_ = !settings.moving_nodes.empty() || !settings.keep_nodes.empty() ||
                   !settings.collider_nodes.empty();
    mark_movers(scene, moving_);
  }

  Inherited visit(NodeId id, const Inherited& above, NodeFacts& facts) const {
    const Node& node = scene_[id];
    Inherited here = above;
    if (needs_paths_) {
      here.path += '/';
      here.path += make_path_step(scene_, id);
    }
    const StayRule moves = find_mover(id, node, here.path);
    if (moves != StayRule::none) {
      here.rule = moves;
      here.moving_root = id;
    } else if (above.rule == StayRule::none) {
      if (matches_any(settings_.keep_nodes, here.path)) {
        here.rule = StayRule::excluded;
      } else if (matches_any(settings_.collider_nodes, here.path)) {
        here.rule = StayRule::collider;
      }
    }
    facts.moving_root = here.moving_root;
    facts.stay = here.rule == StayRule::none ? find_own_rule(node) : here.rule;
    facts.lightmap = find_extra(node.extra, settings_.lightmap_key);
    facts.tag = find_extra(node.extra, settings_.tag_key);
    return here;
  }

 private:
  [[nodiscard]] StayRule find_mover(NodeId id, const Node& node, const std::string& path) const {
    if (moving_[to_index(id)] != StayRule::none) {
      return moving_[to_index(id)];
    }
    if (find_extra(node.extra, settings_.static_key) == "false" ||
        matches_any(settings_.moving_nodes, path)) {
      return StayRule::marked_moving;
    }
    return StayRule::none;
  }

  const Scene& scene_;
  const SurveySettings& settings_;
  std::vector<StayRule> moving_;
  bool needs_paths_ = false;
};

}  // namespace

std::string find_member(const std::string& object_json, const std::string& key) {
  thread_local simdjson::dom::parser parser;
  simdjson::dom::element value;
  if (parser.parse(object_json).get_object().at_key(key).get(value) != simdjson::SUCCESS ||
      value.is_null()) {
    return {};
  }
  std::string_view text;
  return value.get(text) == simdjson::SUCCESS ? std::string(text) : simdjson::minify(value);
}

std::string make_common_members(const std::vector<std::string>& objects) {
  if (objects.empty() || objects.front().empty() ||
      std::all_of(objects.begin(), objects.end(),
                  [&](const std::string& other) { return other == objects.front(); })) {
    return objects.empty() ? std::string() : objects.front();
  }
  // Names keep their quotes: they are written back as they stand, escapes included.
  std::vector<std::pair<std::string, std::string>> common;
  simdjson::dom::parser parser;
  for (std::size_t i = 0; i < objects.size(); ++i) {
    std::map<std::string, std::string> here;
    simdjson::dom::object object;
    if (parser.parse(objects[i]).get_object().get(object) == simdjson::SUCCESS) {
      for (const auto field : object) {
        const std::string name = quote(field.key);
        here.emplace(name, simdjson::minify(field.value));
        if (i == 0) {
          common.emplace_back(name, here[name]);
        }
      }
    }
    std::erase_if(common, [&](const auto& member) {
      const auto hit = here.find(member.first);
      return hit == here.end() || hit->second != member.second;
    });
  }
  std::string out;
  for (const auto& [name, value] : common) {
    out += fmt::format("{}{}:{}", out.empty() ? "{" : ",", name, value);
  }
  return out.empty() ? out : out + "}";
}

std::string find_extra(const Boxed<Extra>& extra, const std::string& key) {
  // A search for the bare word first: most extras don't have the member, and parsing costs more.
  if (!extra || key.empty() || extra->extras.find(key) == std::string::npos) {
    return {};
  }
  return find_member(extra->extras, key);
}

std::vector<std::uint32_t> make_level_sets(const Scene& scene,
                                           std::vector<std::vector<LevelId>>& sets) {
  std::vector<std::vector<LevelId>> of_root(scene.nodes.size());
  for (std::size_t level = 0; level < scene.levels.size(); ++level) {
    for (const NodeId root : scene.levels[level].roots) {
      of_root[to_index(root)].push_back(make_id<LevelId>(level));
    }
  }
  std::map<std::vector<LevelId>, std::uint32_t> known;
  std::vector<std::uint32_t> set_of(scene.nodes.size(), no_index);
  std::vector<NodeId> open;
  for (std::size_t i = 0; i < scene.nodes.size(); ++i) {
    const bool root = scene.nodes[i].parent == no_node;
    if (!root || (of_root[i].empty() && !scene.levels.empty())) {
      continue;
    }
    const auto [slot, added] =
        known.try_emplace(of_root[i], static_cast<std::uint32_t>(sets.size()));
    if (added) {
      sets.push_back(of_root[i]);
    }
    open.assign(1, make_id<NodeId>(i));
    while (!open.empty()) {
      const NodeId id = open.back();
      open.pop_back();
      set_of[to_index(id)] = slot->second;
      open.insert(open.end(), scene[id].children.begin(), scene[id].children.end());
    }
  }
  return set_of;
}

SceneFacts make_scene_facts(const Scene& scene, const SurveySettings& settings) {
  SceneFacts facts;
  facts.nodes.resize(scene.nodes.size());
  const std::vector<std::uint32_t> sets = make_level_sets(scene, facts.level_sets);
  const FactMaker maker(scene, settings);
  std::vector<std::pair<NodeId, Inherited>> open;
  for (std::size_t i = 0; i < scene.nodes.size(); ++i) {
    facts.nodes[i].level_set = sets[i];
    if (scene.nodes[i].parent == no_node) {
      open.emplace_back(make_id<NodeId>(i), Inherited{});
    }
  }
  while (!open.empty()) {
    const auto [id, above] = std::move(open.back());
    open.pop_back();
    const Inherited here = maker.visit(id, above, facts.nodes[to_index(id)]);
    for (const NodeId child : scene[id].children) {
      open.emplace_back(child, here);
    }
  }
  return facts;
}

}  // namespace wakuzume
