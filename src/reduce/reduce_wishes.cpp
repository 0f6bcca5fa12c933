// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include "reduce/reduce_wishes.h"

#include <algorithm>

#include "survey/wish.h"
#include "wakuzume/wishes.h"

namespace wakuzume {
namespace {

/// Draws whose path, mesh or material a glob matches.
std::uint64_t count_protected(const Scene& scene, const Survey& survey, const Wish& glob) {
  return static_cast<std::uint64_t>(
      std::count_if(survey.draws.begin(), survey.draws.end(), [&](const Draw& draw) {
        const MeshId mesh = scene[draw.node].mesh;
        const MaterialId material = scene[mesh].primitives[draw.primitive].material;
        return glob.matches(scene[mesh].name) ||
               (material != no_material && glob.matches(scene[material].name)) ||
               glob.matches(make_node_path(scene, draw.node));
      }));
}

}  // namespace

std::array<std::pair<const char*, const std::vector<std::string>&>, 2> list_wishes(
    const ReduceSettings& settings) {
  return {{{"reduce.nodes", settings.nodes}, {"reduce.protect", settings.protect}}};
}

Result<void> answer_terms(const Scene& scene,
                          const Survey& survey,
                          ReduceSettings& settings,
                          const RunControl& run) {
  for (const auto& [name, wishes] : list_wishes(settings)) {
    if (auto done = add_answers(scene, survey, wishes, settings.answers, run); !done) {
      return done;
    }
  }
  return {};
}

Result<std::vector<WishUse>> count_wishes(const Scene& scene,
                                          const Survey& survey,
                                          const ReduceSettings& settings,
                                          const RunControl& run) {
  std::vector<WishUse> out;
  for (const auto& [name, wishes] : list_wishes(settings)) {
    for (const std::string& text : wishes) {
      const auto wish = Wish::parse(text);
      if (!wish) {
        return Failure(wish.error());
      }
      if (&wishes == &settings.protect && !wish->has_terms()) {
        out.push_back({name, text, "", count_protected(scene, survey, *wish)});
        continue;
      }
      const auto draws = find_draws(scene, survey, text, WishOver::node_paths, run);
      if (!draws) {
        return Failure(draws.error());
      }
      out.push_back({name, text, "", draws->size()});
    }
  }
  return out;
}

}  // namespace wakuzume
