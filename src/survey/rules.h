// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#pragma once

#include <string>
#include <vector>

#include "wakuzume/survey.h"

/// What the rules of the settings say about each node.
namespace wakuzume {

struct NodeFacts {
  StayRule stay = StayRule::none;
  NodeId moving_root = no_node;
  std::uint32_t level_set = no_index;  ///< position in SceneFacts::level_sets; no_index: not shown
  std::string lightmap;                ///< as the node's own extras have it
  std::string tag;
};

struct SceneFacts {
  std::vector<NodeFacts> nodes;
  std::vector<std::vector<LevelId>> level_sets;
};

SceneFacts make_scene_facts(const Scene& scene, const SurveySettings& settings);

/// Which level set each node belongs to; no_index for nodes that nothing shows.
std::vector<std::uint32_t> make_level_sets(const Scene& scene,
                                           std::vector<std::vector<LevelId>>& sets);

/// The value of a member of a JSON object as text: strings without quotes, the rest as written.
/// Empty when the text is no object, lacks the member, or the member is null.
std::string find_member(const std::string& object_json, const std::string& key);
/// The members that all of these JSON objects have with the same value, as an object; empty when
/// there are none. An empty text stands for no object.
std::string make_common_members(const std::vector<std::string>& objects);
/// The member in the extras of something; empty when it has none.
std::string find_extra(const Boxed<Extra>& extra, const std::string& key);

}  // namespace wakuzume
