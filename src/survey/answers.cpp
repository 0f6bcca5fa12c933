// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include "survey/answers.h"

#include <algorithm>
#include <tuple>

namespace wakuzume {
bool has_open(const SurveyWishes& wishes, const std::vector<WishAnswer>& answers) {
  for (const WishList* list : {&wishes.moving, &wishes.keep, &wishes.collider}) {
    for (std::size_t w = 0; w < list->size(); ++w) {
      if ((*list)[w].has_terms() && find_answer(answers, (*list)[w].text()) == nullptr) {
        return true;
      }
    }
  }
  return false;
}

TermHits make_term_hits(const Scene& scene,
                        const SurveyWishes& wishes,
                        const std::vector<WishAnswer>& answers,
                        const std::vector<DrawRef>& list) {
  TermHits out;
  out.moving.assign(scene.nodes.size(), no_index);
  out.keep.assign(list.size(), no_index);
  out.collider.assign(list.size(), no_index);
  const auto note = [&](const WishList& of, const auto& add) {
    for (std::size_t w = 0; w < of.size(); ++w) {
      if (!of[w].has_terms()) {
        continue;
      }
      for (const DrawRef& draw : find_answer(answers, of[w].text())->draws) {
        const auto at = std::lower_bound(list.begin(), list.end(), draw);
        if (at != list.end() && *at == draw) {
          std::uint32_t& first = add(static_cast<std::size_t>(at - list.begin()));
          first = std::min(first, static_cast<std::uint32_t>(w));
        }
      }
    }
  };
  note(wishes.moving,
       [&](std::size_t d) -> std::uint32_t& { return out.moving[to_index(list[d].node)]; });
  note(wishes.keep, [&](std::size_t d) -> std::uint32_t& { return out.keep[d]; });
  note(wishes.collider, [&](std::size_t d) -> std::uint32_t& { return out.collider[d]; });
  return out;
}

Result<void> count_wishes(const Scene& scene,
                          const SurveyWishes& wishes,
                          Survey& found,
                          const RunControl& run) {
  const std::tuple<const char*, const WishList&, std::vector<std::string>> lists[] = {
      {"survey.moving_nodes", wishes.moving, SurveySettings{}.moving_nodes},
      {"survey.keep_nodes", wishes.keep, SurveySettings{}.keep_nodes},
      {"survey.collider_nodes", wishes.collider, SurveySettings{}.collider_nodes}};
  for (const auto& [setting, list, by_default] : lists) {
    for (std::size_t w = 0; w < list.size(); ++w) {
      const std::string& text = list[w].text();
      if (std::find(by_default.begin(), by_default.end(), text) != by_default.end()) {
        continue;
      }
      if (list[w].has_terms()) {
        found.wishes.push_back(
            {setting, text, "", find_answer(found.settings.answers, text)->draws.size()});
        continue;
      }
      const auto hits =
          find_hits(scene, found, list[w], WishOver::node_paths, WishReach::with_all_below, run);
      if (!hits) {
        return Failure(hits.error());
      }
      found.wishes.push_back(
          {setting, text, "",
           static_cast<std::uint64_t>(std::count(hits->begin(), hits->end(), true))});
    }
  }
  return {};
}

}  // namespace wakuzume
