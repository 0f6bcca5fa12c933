// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include "survey/lightmaps.h"

#include <algorithm>
#include <array>
#include <cmath>
#include <map>
#include <set>
#include <tuple>

#include "findings/collector.h"
#include "scene/running.h"
#include "survey/parts.h"

namespace wakuzume {
namespace {

using Uv = std::array<double, 2>;

double edge(const Uv& a, const Uv& b, const Uv& p) {
  return (b[0] - a[0]) * (p[1] - a[1]) - (b[1] - a[1]) * (p[0] - a[0]);
}

/// A page in cells: which draw covers the middle of each.
class PageCells {
 public:
  /// \return whether another draw covers some middle too
  bool cover(std::array<Uv, 3> corners, std::uint32_t draw) {
    for (Uv& corner : corners) {
      corner = {corner[0] * side, corner[1] * side};
    }
    const double area = edge(corners[0], corners[1], corners[2]);
    if (!(std::abs(area) > 0)) {
      return false;
    }
    const auto range = [&](std::size_t c) {
      const auto [low, high] = std::minmax({corners[0][c], corners[1][c], corners[2][c]});
      return std::pair(
          std::max(0, static_cast<int>(std::floor(std::max(low, -1.0)))),
          std::min(side - 1, static_cast<int>(std::floor(std::min(high, 1.0 * side)))));
    };
    const auto [left, right] = range(0);
    const auto [top, bottom] = range(1);
    bool shared = false;
    for (int y = top; y <= bottom; ++y) {
      for (int x = left; x <= right; ++x) {
        const Uv middle{x + 0.5, y + 0.5};
        const bool inside = edge(corners[0], corners[1], middle) * area > 0 &&
                            edge(corners[1], corners[2], middle) * area > 0 &&
                            edge(corners[2], corners[0], middle) * area > 0;
        if (inside) {
          std::uint32_t& owner =
              cells_[static_cast<std::size_t>(y) * side + static_cast<std::size_t>(x)];
          shared = shared || (owner != no_index && owner != draw);
          owner = draw;
        }
      }
    }
    return shared;
  }

 private:
  /// Charts that overlap by less than a cell are not told from neighbours.
  static constexpr int side = 512;
  std::vector<std::uint32_t> cells_ =
      std::vector<std::uint32_t>(static_cast<std::size_t>(side) * side, no_index);
};

class LightmapFinder {
 public:
  explicit LightmapFinder(FindingCollector& all)
      : all_(all), scene_(all.scene), survey_(all.survey) {}

  void find() {
    for (std::size_t d = 0; d < survey_.draws.size(); ++d) {
      look_at(make_id<DrawId>(d));
    }
    all_.add_for_draws(
        FindingCode::lightmap_wrong, Severity::serious, std::move(wrong_), 0,
        fmt::format("lit by a page, and UV set {} or the place on the page can't be read",
                    survey_.settings.lightmap_uv_set),
        "give them UVs of their own for the lightmap, and four numbers for their place");
    all_.add_for_draws(
        FindingCode::lightmap_outside, Severity::costly, std::move(outside_), 0,
        "UVs lie outside of the lightmap page",
        "light them anew, or name no page for what has none; they can't leave their page");
    find_overlaps();
    find_small();
  }

 private:
  [[nodiscard]] LightmapUse find_use(const Draw& draw) const {
    const SurveySettings& settings = survey_.settings;
    return find_lightmap_use(scene_, scene_[draw.node], all_.primitive_of(survey_[draw.shape]),
                             settings.lightmap_key, settings.lightmap_transform_key,
                             settings.lightmap_uv_set);
  }

  /// Sorts lit draws into those with a fault and those on pages.
  void look_at(DrawId id) {
    constexpr double slack = 1e-3;
    const Draw& draw = survey_[id];
    const std::string& page = survey_[draw.key].lightmap;
    if (page.empty()) {
      return;
    }
    const Shape& shape = survey_[draw.shape];
    const LightmapUse use = find_use(draw);
    const UvRange* const range = shape.find_uvs(use.uv_set);
    const std::string place = find_lightmap(scene_, scene_[draw.node], all_.primitive_of(shape),
                                            survey_.settings.lightmap_transform_key);
    const bool told = place.empty() || read_lightmap_place(place).has_value();
    if (!told || range == nullptr || !range->finite || range->min[0] > range->max[0]) {
      wrong_.push_back(id);
      return;
    }
    if (use.turned) {
      return;  // ranges of UVs tell nothing of where it looks
    }
    const LightmapPlace moved = use.whole();
    const Vec2d a = moved.apply(range->min);
    const Vec2d b = moved.apply(range->max);
    const auto inside = [&](double value) { return value >= -slack && value <= 1 + slack; };
    if (inside(a[0]) && inside(a[1]) && inside(b[0]) && inside(b[1])) {
      of_page_[page].push_back(id);
    } else {
      outside_.push_back(id);
    }
  }

  void find_overlaps() {
    std::vector<const std::vector<DrawId>*> pages;
    for (const auto& [page, draws] : of_page_) {
      pages.push_back(&draws);
    }
    std::vector<std::vector<DrawId>> overlapping(pages.size());
    for_each_index(pages.size(), all_.run, "", [&](std::size_t p) {
      PageCells cells;
      for (const DrawId id : *pages[p]) {
        if (covers_others(id, cells)) {
          overlapping[p].push_back(id);
        }
      }
    });
    std::vector<DrawId> all;
    for (const auto& draws : overlapping) {
      all.insert(all.end(), draws.begin(), draws.end());
    }
    std::sort(all.begin(), all.end());
    all_.add_for_draws(
        FindingCode::lightmap_overlap, Severity::minor, std::move(all), 0,
        "their charts lie over those of other draws on the lightmap page",
        "right where copies are lit alike; else pack the charts and light them anew");
  }

  [[nodiscard]] bool covers_others(DrawId id, PageCells& cells) const {
    const Draw& draw = survey_[id];
    const Primitive& primitive = all_.primitive_of(survey_[draw.shape]);
    if (survey_[draw.shape].topology != Topology::triangles) {
      return false;
    }
    const LightmapUse use = find_use(draw);
    const std::vector<double> uvs =
        make_doubles(scene_, primitive.find(fmt::format("TEXCOORD_{}", use.uv_set)));
    const LightmapPlace place = use.whole();
    const std::vector<std::uint32_t> list = make_list_indices(scene_, primitive);
    bool shared = false;
    for (std::size_t i = 0; i + 2 < list.size(); i += 3) {
      std::array<Uv, 3> corners{};
      for (std::size_t c = 0; c < 3; ++c) {
        const std::size_t v = std::size_t{2} * list[i + c];
        corners[c] = place.apply({uvs[v], uvs[v + 1]});
      }
      shared = cells.cover(corners, static_cast<std::uint32_t>(to_index(id))) || shared;
    }
    return shared;
  }

  /// Keys that are equal but for their page: each is a draw more.
  void find_small() {
    using Rest = std::tuple<PartHashes, NodeId, Topology, std::vector<Tag>, std::string,
                            std::vector<LevelId>, std::string>;
    if (std::all_of(survey_.keys.begin(), survey_.keys.end(),
                    [](const MergeKey& key) { return key.lightmap.empty(); })) {
      return;  // before images are looked at
    }
    const MaterialParts parts(scene_, all_.images);
    std::map<Rest, std::set<std::string>> pages_of;
    std::set<std::string> pages;
    for (const MergeKey& key : survey_.keys) {
      if (!key.lightmap.empty()) {
        pages_of[{find_parts(parts, key.material), key.moving_root, key.topology, key.tags,
                  key.level, key.levels, key.layout}]
            .insert(key.lightmap);
        pages.insert(key.lightmap);
      }
    }
    std::uint64_t apart = 0;
    for (const auto& [rest, own] : pages_of) {
      apart += own.size() - 1;
    }
    std::vector<DrawId> draws;
    for (const auto& [page, own] : of_page_) {
      draws.insert(draws.end(), own.begin(), own.end());
    }
    std::sort(draws.begin(), draws.end());
    if (apart > 0) {
      all_.add_for_draws(FindingCode::lightmap_pages_small, Severity::costly, std::move(draws),
                         apart, "they keep apart what else agrees",
                         "--lightmaps join puts them onto large ones, texel by texel as they are");
      all_.found.back().subject = count_of(pages.size(), "lightmap page", "lightmap pages");
    }
  }

  /// What a material gives to a key, but for the lightmap that it names itself.
  [[nodiscard]] PartHashes find_parts(const MaterialParts& parts, MaterialId material) const {
    return find_lightmap_extension(scene_, material)
               ? parts.find(make_relit(scene_, material, TextureId{0}))
               : parts.find(material);
  }

  FindingCollector& all_;
  const Scene& scene_;
  const Survey& survey_;
  std::vector<DrawId> wrong_;
  std::vector<DrawId> outside_;
  std::map<std::string, std::vector<DrawId>> of_page_;  ///< draws that lie within it
};

}  // namespace

void find_lightmap_findings(FindingCollector& all) { LightmapFinder(all).find(); }

}  // namespace wakuzume
