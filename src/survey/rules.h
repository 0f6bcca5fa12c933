// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#pragma once

#include <string>
#include <unordered_map>
#include <vector>

#include "scene/members.h"
#include "survey/wish.h"
#include "wakuzume/survey.h"

/// What the rules of the settings say about each node.
namespace wakuzume {

/// Texts by number, in first-seen order; 0 is the empty text.
class TextLexicon {
 public:
  std::uint32_t add(const std::string& text) {
    if (text.empty()) {
      return 0;
    }
    const auto [slot, added] = known_.try_emplace(text, static_cast<std::uint32_t>(texts_.size()));
    if (added) {
      texts_.push_back(text);
    }
    return slot->second;
  }
  const std::string& operator[](std::uint32_t id) const { return texts_[id]; }

 private:
  std::vector<std::string> texts_{""};
  std::unordered_map<std::string, std::uint32_t> known_;  // looked up only, never walked
};

struct NodeFacts {
  StayRule stay = StayRule::none;
  std::uint32_t cause = no_index;  ///< position in SceneFacts::causes
  NodeId moving_root = no_node;
  std::uint32_t level_set = no_index;  ///< position in SceneFacts::level_sets; no_index: not shown
  std::uint32_t lightmap = 0;          ///< texts of SceneFacts; as the node's own extras have it
  std::uint32_t lightmap_place = 0;    ///< the same
  std::uint32_t tags = 0;              ///< position in SceneFacts::tag_sets
  std::uint32_t level = 0;
  bool animated = false;  ///< by itself
};

struct SceneFacts {
  std::vector<NodeFacts> nodes;
  std::vector<std::vector<LevelId>> level_sets;
  std::vector<Cause> causes;
  std::vector<NodeId> constant_nodes;
  TextLexicon texts;
  std::vector<std::vector<Tag>> tag_sets;  ///< the first is empty
};

/// The wishes of the settings, read.
struct SurveyWishes {
  WishList moving;
  WishList keep;
  WishList collider;
  static Result<SurveyWishes> parse(const SurveySettings& settings);
  [[nodiscard]] bool has_terms() const {
    return moving.has_terms() || keep.has_terms() || collider.has_terms();
  }
};

/// Of the terms of each list the first that speaks of something, by its position; no_index: none
/// does. Empty: there are no terms.
struct TermHits {
  std::vector<std::uint32_t> moving;    ///< by node
  std::vector<std::uint32_t> keep;      ///< by draw
  std::vector<std::uint32_t> collider;  ///< by draw
};

/// \cost O(nodes x globs), in parallel, and the key frames of the animations
Result<SceneFacts> make_scene_facts(const Scene& scene,
                                    const SurveySettings& settings,
                                    const SurveyWishes& wishes,
                                    const TermHits& hits,
                                    const RunControl& run);

/// `matches "*_collider"`
std::string tell_match(const Wish& wish);

/// In the extras of a glTF scene that holds the source of the others.
inline constexpr const char* hidden_source_key = "wakuzume_source";
bool is_hidden_source(const Level& level);
/// Not shown, with all below it: KHR_node_visibility says so.
bool is_invisible(const Node& node);

/// Which level set each node belongs to; no_index for nodes that nothing shows: those in no glTF
/// scene, those of a hidden source, and invisible ones.
std::vector<std::uint32_t> make_level_sets(const Scene& scene,
                                           std::vector<std::vector<LevelId>>& sets);

/// Extras of a material that tell it from others: not what was read from a material library and has
/// no place in glTF, which only another renderer would understand.
std::string find_own_extras(const Material& material);
/// The member in the extras of something; empty when it has none.
std::string find_extra(const Boxed<Extra>& extra, const std::string& key);

}  // namespace wakuzume
