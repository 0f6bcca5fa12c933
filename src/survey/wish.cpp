// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include "survey/wish.h"

#include <fmt/format.h>

#include <algorithm>

#include "scene/running.h"
#include "scene/tree.h"

namespace wakuzume {
namespace {

constexpr const char* finding = "finding what wishes speak of";
constexpr std::size_t grain = 4096;

/// By node, whether a glob matches its path, or with `with_all_below` that of an ancestor.
Result<std::vector<std::uint8_t>> match_paths(const Scene& scene,
                                              const Wish& wish,
                                              WishReach reach,
                                              const RunControl& run) {
  std::vector<std::uint8_t> hits(scene.nodes.size(), 0);
  const bool went =
      for_each_range(hits.size(), grain, run, finding, [&](std::size_t begin, std::size_t end) {
        for (std::size_t i = begin; i < end; ++i) {
          hits[i] = wish.matches(make_node_path(scene, make_id<NodeId>(i))) ? 1 : 0;
        }
      });
  if (!went) {
    return Failure(make_cancelled());
  }
  if (reach == WishReach::with_all_below) {
    for (const NodeId id : make_tree_order(scene)) {
      const NodeId parent = scene[id].parent;
      if (parent != no_node && hits[to_index(parent)] != 0) {
        hits[to_index(id)] = 1;
      }
    }
  }
  return hits;
}

Result<std::vector<std::uint8_t>> match_terms(const Scene& scene,
                                              const Survey& found,
                                              const Wish& wish,
                                              const RunControl& run) {
  std::vector<std::uint8_t> hits(found.draws.size(), 0);
  if (const WishAnswer* known = find_answer(found.settings.answers, wish.text())) {
    for (std::size_t d = 0; d < hits.size(); ++d) {
      const DrawRef ref{found.draws[d].node, found.draws[d].primitive};
      hits[d] = std::binary_search(known->draws.begin(), known->draws.end(), ref) ? 1 : 0;
    }
    return hits;
  }
  const bool went =
      for_each_range(hits.size(), grain, run, finding, [&](std::size_t begin, std::size_t end) {
        for (std::size_t d = begin; d < end; ++d) {
          hits[d] = wish.holds({scene, found, d}) ? 1 : 0;
        }
      });
  return went ? Result<std::vector<std::uint8_t>>(std::move(hits)) : Failure(make_cancelled());
}

}  // namespace

Result<Wish> Wish::parse(const std::string& text) {
  Wish wish(text);
  if (is_terms(text)) {
    auto terms = Terms::parse(text, list_wish_columns(), ExtraTerms::allowed);
    if (!terms) {
      return Failure(terms.error());
    }
    wish.terms_ = std::move(*terms);
  }
  return wish;
}

bool Wish::holds(const DrawRow& row) const {
  return terms_->hold([&](const TermTest& test) -> Cell {
    return test.extra.empty()
               ? make_draw_cell(row, test.column)
               : Cell(find_extra_above(row.scene, row.survey.draws[row.index].node, test.extra));
  });
}

Result<WishList> WishList::parse(const std::vector<std::string>& texts) {
  WishList out;
  for (const std::string& text : texts) {
    auto wish = Wish::parse(text);
    if (!wish) {
      return Failure(wish.error());
    }
    out.wishes_.push_back(std::move(*wish));
  }
  return out;
}

bool WishList::has_terms() const {
  return std::any_of(wishes_.begin(), wishes_.end(), [](const Wish& w) { return w.has_terms(); });
}

bool WishList::has_globs() const {
  return std::any_of(wishes_.begin(), wishes_.end(), [](const Wish& w) { return !w.has_terms(); });
}

std::uint32_t WishList::find_glob(const std::string& name) const {
  const auto hit = std::find_if(wishes_.begin(), wishes_.end(), [&](const Wish& wish) {
    return !wish.has_terms() && wish.matches(name);
  });
  return hit == wishes_.end() ? no_index : static_cast<std::uint32_t>(hit - wishes_.begin());
}

Result<std::vector<bool>> find_hits(const Scene& scene,
                                    const Survey& found,
                                    const Wish& wish,
                                    WishOver over,
                                    WishReach reach,
                                    const RunControl& run) {
  std::vector<bool> out(found.draws.size(), false);
  if (!wish.has_terms() && over == WishOver::materials) {
    const auto terms = Wish::parse(to_material_terms(wish.text()));
    return terms ? find_hits(scene, found, *terms, over, reach, run) : Failure(terms.error());
  }
  if (!wish.has_terms()) {
    const auto nodes = match_paths(scene, wish, reach, run);
    if (!nodes) {
      return Failure(nodes.error());
    }
    for (std::size_t d = 0; d < out.size(); ++d) {
      out[d] = (*nodes)[to_index(found.draws[d].node)] != 0;
    }
    return out;
  }
  const auto draws = match_terms(scene, found, wish, run);
  if (!draws) {
    return Failure(draws.error());
  }
  std::vector<bool> materials(scene.materials.size(), false);
  for (std::size_t d = 0; d < out.size(); ++d) {
    out[d] = (*draws)[d] != 0;
    const MaterialId material = found.draws[d].material;
    if (out[d] && material != no_material) {
      materials[to_index(material)] = true;
    }
  }
  for (std::size_t d = 0; d < out.size() && over == WishOver::materials; ++d) {
    const MaterialId material = found.draws[d].material;
    out[d] = material != no_material && materials[to_index(material)];
  }
  return out;
}

std::string to_material_terms(const std::string& wish) {
  const char quote = wish.find('\'') == std::string::npos ? '\'' : '"';
  return is_terms(wish) ? wish : fmt::format("material={}{}{}", quote, wish, quote);
}

const WishAnswer* find_answer(const std::vector<WishAnswer>& answers, const std::string& wish) {
  const auto hit = std::find_if(answers.begin(), answers.end(),
                                [&](const WishAnswer& answer) { return answer.wish == wish; });
  return hit == answers.end() ? nullptr : &*hit;
}

Result<void> answer_wishes(const Scene& scene,
                           std::span<const std::string> wishes,
                           Survey& found,
                           const RunControl& run) {
  return add_answers(scene, found, wishes, found.settings.answers, run);
}

Result<void> add_answers(const Scene& scene,
                         const Survey& found,
                         std::span<const std::string> wishes,
                         std::vector<WishAnswer>& answers,
                         const RunControl& run) {
  for (const std::string& text : wishes) {
    const auto wish = Wish::parse(text);
    if (!wish) {
      return Failure(wish.error());
    }
    if (!wish->has_terms() || find_answer(answers, text) != nullptr) {
      continue;
    }
    const auto hits = match_terms(scene, found, *wish, run);
    if (!hits) {
      return Failure(hits.error());
    }
    WishAnswer made{text, {}};
    for (std::size_t d = 0; d < hits->size(); ++d) {
      if ((*hits)[d] != 0) {
        made.draws.push_back({found.draws[d].node, found.draws[d].primitive});
      }
    }
    answers.push_back(std::move(made));
  }
  return {};
}

std::vector<std::string> list_idle(std::span<const WishUse> uses) {
  std::vector<std::string> out;
  for (const WishUse& use : uses) {
    if (use.draws == 0) {
      out.push_back(fmt::format("{}: nothing that is drawn matches \"{}\"", use.setting, use.wish));
    }
  }
  return out;
}

Result<void> validate_wish(const std::string& wish) {
  const auto parsed = Wish::parse(wish);
  return parsed ? Result<void>() : Failure(parsed.error());
}

Result<std::vector<DrawId>> find_draws(const Scene& scene,
                                       const Survey& found,
                                       const std::string& wish,
                                       WishOver over,
                                       const RunControl& run) {
  const auto parsed = Wish::parse(wish);
  if (!parsed) {
    return Failure(parsed.error());
  }
  const auto hits = find_hits(scene, found, *parsed, over, WishReach::own, run);
  if (!hits) {
    return Failure(hits.error());
  }
  std::vector<DrawId> out;
  for (std::size_t d = 0; d < hits->size(); ++d) {
    if ((*hits)[d]) {
      out.push_back(make_id<DrawId>(d));
    }
  }
  return out;
}

}  // namespace wakuzume
