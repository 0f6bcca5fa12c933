// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include "survey/rules.h"

#include <fmt/format.h>
#include <simdjson.h>

#include <algorithm>
#include <map>
#include <tuple>

#include "scene/running.h"
#include "scene/tree.h"
#include "survey/movers.h"

namespace wakuzume {
namespace {

/// The rules that concern one node alone, after those that come down from its ancestors.
Mover find_own_rule(const Node& node) {
  if (node.light != no_light) {
    return {StayRule::carries_light, "its node has a light"};
  }
  if (node.camera != no_camera) {
    return {StayRule::carries_camera, "its node has a camera"};
  }
  if (node.instancing) {
    return {StayRule::instanced, "already an instance set"};
  }
  if (node.extra && !node.extra->extensions.empty()) {
    return {StayRule::own_extension, "its node has " + node.extra->extensions.front().name};
  }
  return {};
}

/// The first glob of each list that matches a node's path; no_index where none does.
struct PathHits {
  std::uint32_t moving = no_index;
  std::uint32_t keep = no_index;
  std::uint32_t collider = no_index;
};

/// What a node passes down to its children.
struct Inherited {
  std::uint32_t moves = no_index;  ///< cause of the nearest that moves
  std::uint32_t held = no_index;   ///< cause of the first that is kept, collider or not
  NodeId moving_root = no_node;
  std::uint32_t tags = 0;
  std::uint32_t level = 0;
};

/// Sets of tags by number: most nodes add none to those of their parents.
class TagSets {
 public:
  explicit TagSets(const std::vector<std::string>& keys) {
    for (const std::string& key : keys) {
      const std::size_t sign = key.find('=');
      const std::string name = key.substr(0, sign);
      keys_.push_back({name, sign == std::string::npos ? name : key.substr(sign + 1), {}});
    }
  }

  /// What a node has below one that has the set `above`.
  std::uint32_t find(const Node& node, std::uint32_t above) {
    std::vector<Tag> own;
    for (const Tag& key : keys_) {
      if (std::string value = find_extra(node.extra, key.key); !value.empty()) {
        own.push_back({key.key, key.word, std::move(value)});
      }
    }
    return own.empty() ? above : add(unite(sets_[above], own));
  }

  std::vector<std::vector<Tag>> take() { return std::move(sets_); }

 private:
  [[nodiscard]] std::vector<Tag> unite(const std::vector<Tag>& above,
                                       const std::vector<Tag>& own) const {
    std::vector<Tag> out;
    for (const Tag& key : keys_) {
      for (const std::vector<Tag>* from : {&own, &above}) {
        const auto hit = std::find_if(from->begin(), from->end(),
                                      [&](const Tag& tag) { return tag.key == key.key; });
        if (hit != from->end()) {
          out.push_back(*hit);
          break;
        }
      }
    }
    return out;
  }

  std::uint32_t add(std::vector<Tag> set) {
    const auto [slot, added] = known_.try_emplace(set, static_cast<std::uint32_t>(sets_.size()));
    if (added) {
      sets_.push_back(std::move(set));
    }
    return slot->second;
  }

  std::vector<Tag> keys_;  ///< without values
  std::vector<std::vector<Tag>> sets_{{}};
  std::map<std::vector<Tag>, std::uint32_t> known_{{{}, 0}};
};

class FactMaker {
 public:
  FactMaker(const Scene& scene,
            const SurveySettings& settings,
            const SurveyWishes& wishes,
            const TermHits& terms)
      : scene_(scene),
        settings_(settings),
        wishes_(wishes),
        terms_(terms),
        hits_(scene.nodes.size()),
        tags_(settings.tag_keys) {}

  Result<SceneFacts> make(const RunControl& run) {
    if (!match_paths(run)) {
      return Failure(make_cancelled());
    }
    Movers movers = find_movers(scene_, settings_.constant_tracks);
    movers_ = std::move(movers.of_node);
    out_.constant_nodes = std::move(movers.constant_nodes);
    out_.nodes.resize(scene_.nodes.size());
    const std::vector<std::uint32_t> sets = make_level_sets(scene_, out_.level_sets);
    std::vector<Inherited> passed_down(scene_.nodes.size());
    for (const NodeId id : make_tree_order(scene_)) {
      const NodeId parent = scene_[id].parent;
      const Inherited above = parent == no_node ? Inherited{} : passed_down[to_index(parent)];
      passed_down[to_index(id)] = visit(id, above);
      out_.nodes[to_index(id)].level_set = sets[to_index(id)];
    }
    out_.tag_sets = tags_.take();
    return std::move(out_);
  }

 private:
  /// Paths cost more than all else here: side by side, and only where some glob needs them.
  bool match_paths(const RunControl& run) {
    if (!wishes_.moving.has_globs() && !wishes_.keep.has_globs() && !wishes_.collider.has_globs()) {
      return true;
    }
    return for_each_range(
        scene_.nodes.size(), 4096, run, "reading names", [&](std::size_t begin, std::size_t end) {
          for (std::size_t i = begin; i < end; ++i) {
            const std::string path = make_node_path(scene_, make_id<NodeId>(i));
            hits_[i] = {wishes_.moving.find_glob(path), wishes_.keep.find_glob(path),
                        wishes_.collider.find_glob(path)};
          }
        });
  }

  Inherited visit(NodeId id, const Inherited& above) {
    const Node& node = scene_[id];
    NodeFacts& facts = out_.nodes[to_index(id)];
    Inherited here = above;
    here.tags = tags_.find(node, above.tags);
    inherit(node, settings_.level_key, here.level);
    if (Mover moves = find_mover(id); moves.rule != StayRule::none) {
      here.moves = add_cause(moves.rule, id, std::move(moves.why));
      here.moving_root = id;
    }
    if (above.held == no_index) {
      if (Mover held = find_held(id); held.rule != StayRule::none) {
        here.held = add_cause(held.rule, id, std::move(held.why));
      }
    }
    facts.moving_root = here.moving_root;
    // What moves may still merge with what moves alike: any other rule says more.
    facts.cause = here.held;
    if (facts.cause == no_index) {
      Mover own = find_own_rule(node);
      // A body's extension stays on its node; what the node shows may go below it.
      const bool body =
          own.rule == StayRule::own_extension && movers_[to_index(id)].rule == StayRule::physics;
      if (own.rule != StayRule::none && !body) {
        facts.cause = add_cause(own.rule, id, std::move(own.why));
      }
    }
    if (facts.cause == no_index && node.skin != no_skin) {
      facts.cause = add_cause(StayRule::skinned, id, "deformed by a skin");
    }
    if (facts.cause == no_index) {
      facts.cause = here.moves;
    }
    facts.animated = movers_[to_index(id)].rule == StayRule::animated;
    facts.stay = facts.cause == no_index ? StayRule::none : out_.causes[facts.cause].rule;
    facts.lightmap = out_.texts.add(find_extra(node.extra, settings_.lightmap_key));
    facts.lightmap_place = out_.texts.add(find_extra(node.extra, settings_.lightmap_transform_key));
    facts.tags = here.tags;
    facts.level = here.level;
    return here;
  }

  void inherit(const Node& node, const std::string& key, std::uint32_t& value) {
    if (const std::string own = find_extra(node.extra, key); !own.empty()) {
      value = out_.texts.add(own);
    }
  }

  [[nodiscard]] Mover find_mover(NodeId id) const {
    if (movers_[to_index(id)].rule != StayRule::none) {
      return movers_[to_index(id)];
    }
    if (find_extra(scene_[id].extra, settings_.static_key) == "false") {
      return {StayRule::marked_moving,
              fmt::format("its extras say \"{}\": false", settings_.static_key)};
    }
    const std::uint32_t glob = hits_[to_index(id)].moving;
    return find_match(
        StayRule::marked_moving, wishes_.moving,
        glob != no_index || terms_.moving.empty() ? glob : terms_.moving[to_index(id)]);
  }

  [[nodiscard]] Mover find_held(NodeId id) const {
    const PathHits& hits = hits_[to_index(id)];
    if (hits.keep != no_index) {
      return find_match(StayRule::excluded, wishes_.keep, hits.keep);
    }
    if (find_extra(scene_[id].extra, settings_.collider_key) == "true") {
      return {StayRule::collider,
              fmt::format("its extras say \"{}\": true", settings_.collider_key)};
    }
    return find_match(StayRule::collider, wishes_.collider, hits.collider);
  }

  static Mover find_match(StayRule rule, const WishList& wishes, std::uint32_t hit) {
    return hit == no_index ? Mover{} : Mover{rule, tell_match(wishes[hit])};
  }

  std::uint32_t add_cause(StayRule rule, NodeId at, std::string why) {
    out_.causes.push_back({rule, at, std::move(why)});
    return static_cast<std::uint32_t>(out_.causes.size() - 1);
  }

  const Scene& scene_;
  const SurveySettings& settings_;
  const SurveyWishes& wishes_;
  const TermHits& terms_;
  std::vector<PathHits> hits_;
  TagSets tags_;
  std::vector<Mover> movers_;
  SceneFacts out_;
};

}  // namespace

std::string find_own_extras(const Material& material) {
  const std::string& extras = material.extra ? material.extra->extras : std::string();
  for (const char* const key : {"mtl", "collada"}) {
    if (extras.find(key) == std::string::npos) {
      continue;
    }
    thread_local simdjson::dom::parser parser;
    simdjson::dom::object object;
    if (parser.parse(extras).get(object) == simdjson::SUCCESS && object.size() == 1 &&
        object.at_key(key).error() == simdjson::SUCCESS) {
      return {};
    }
  }
  return extras;
}

std::string find_extra(const Boxed<Extra>& extra, const std::string& key) {
  // A search for the bare word first: most extras don't have the member, and parsing costs more.
  if (!extra || key.empty() || extra->extras.find(key) == std::string::npos) {
    return {};
  }
  return find_member(extra->extras, key);
}

bool is_hidden_source(const Level& level) {
  return find_extra(level.extra, hidden_source_key) == "true";
}

bool is_invisible(const Node& node) {
  return node.extra && std::any_of(node.extra->extensions.begin(), node.extra->extensions.end(),
                                   [](const RawMember& extension) {
                                     return extension.name == "KHR_node_visibility" &&
                                            find_member(extension.json, "visible") == "false";
                                   });
}

std::vector<std::uint32_t> make_level_sets(const Scene& scene,
                                           std::vector<std::vector<LevelId>>& sets) {
  std::unordered_map<std::size_t, std::vector<LevelId>> of_root;  // looked up only, never walked
  for (std::size_t level = 0; level < scene.levels.size(); ++level) {
    if (is_hidden_source(scene.levels[level])) {
      continue;
    }
    for (const NodeId root : scene.levels[level].roots) {
      of_root[to_index(root)].push_back(make_id<LevelId>(level));
    }
  }
  std::map<std::vector<LevelId>, std::uint32_t> known;
  std::vector<std::uint32_t> set_of(scene.nodes.size(), no_index);
  for (const NodeId id : make_tree_order(scene)) {
    const std::size_t i = to_index(id);
    const NodeId parent = scene.nodes[i].parent;
    if (is_invisible(scene.nodes[i])) {
      continue;  // nor is anything below it shown
    }
    if (parent != no_node) {
      set_of[i] = set_of[to_index(parent)];
    } else if (of_root.count(i) > 0 || scene.levels.empty()) {
      const auto [slot, added] =
          known.try_emplace(of_root[i], static_cast<std::uint32_t>(sets.size()));
      if (added) {
        sets.push_back(of_root[i]);
      }
      set_of[i] = slot->second;
    }
  }
  return set_of;
}

std::string tell_match(const Wish& wish) { return fmt::format("matches \"{}\"", wish.text()); }

Result<SurveyWishes> SurveyWishes::parse(const SurveySettings& settings) {
  SurveyWishes out;
  const std::tuple<const char*, const std::vector<std::string>&, WishList&> lists[] = {
      {"moving_nodes", settings.moving_nodes, out.moving},
      {"keep_nodes", settings.keep_nodes, out.keep},
      {"collider_nodes", settings.collider_nodes, out.collider}};
  for (const auto& [name, texts, list] : lists) {
    auto parsed = WishList::parse(texts);
    if (!parsed) {
      return Failure(Error{ErrorCode::bad_setting,
                           fmt::format("survey.{} has {}", name, parsed.error().message),
                           {}});
    }
    list = std::move(*parsed);
  }
  return out;
}

Result<SceneFacts> make_scene_facts(const Scene& scene,
                                    const SurveySettings& settings,
                                    const SurveyWishes& wishes,
                                    const TermHits& hits,
                                    const RunControl& run) {
  return FactMaker(scene, settings, wishes, hits).make(run);
}

}  // namespace wakuzume
