// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include <fmt/format.h>

#include <algorithm>
#include <charconv>
#include <map>
#include <numeric>
#include <set>

#include "lightmap/pages.h"
#include "lightmap/pictures.h"
#include "lightmap/rects.h"
#include "plan/forest.h"
#include "plan/names.h"
#include "scene/running.h"
#include "survey/lightmaps.h"

namespace wakuzume {
namespace {

constexpr const char* joining_pages = "joining lightmap pages";

/// What is loaded together: by the extras, and by the glTF scenes that show it.
using Lot = std::pair<std::string, std::vector<LevelId>>;

class MoveFinder {
 public:
  MoveFinder(const Scene& scene, const Survey& survey, const LightmapSettings& settings)
      : scene_(scene), survey_(survey) {
    out_.settings = settings;
    out_.page_key = survey.settings.lightmap_key;
    const std::string& key = survey.settings.lightmap_transform_key;
    // Engines of scenes that never use the default know nothing of it.
    const bool used = key != default_lightmap_transform_key || survey.lightmap_places.size() > 1;
    out_.transform_key = used ? key : std::string();
    out_.uv_set = survey.settings.lightmap_uv_set;
  }

  Result<LightmapPlan> find(std::span<const LightmapPicture> pictures, const RunControl& run) {
    LitPages lit = find_lit_pages(scene_, survey_, pictures, out_.settings);
    out_.pages = std::move(lit.pages);
    out_.left_as = std::move(lit.left_as);
    if (out_.pages.size() < 2) {
      out_.left_as.push_back(out_.pages.empty() ? "no draw has a lightmap page that could be joined"
                                                : "all draws are on one page");
      out_.pages.clear();
      return std::move(out_);
    }
    find_rects(lit.draws);
    leave_large();
    if (auto packed = pack_moves(run); !packed) {
      return Failure(packed.error());
    }
    leave_lonely();
    close_up();
    return std::move(out_);
  }

 private:
  /// Moves without a place yet.
  void find_rects(const std::vector<LitDraw>& draws) {
    std::vector<std::vector<std::uint32_t>> of_page(out_.pages.size());
    for (std::uint32_t d = 0; d < draws.size(); ++d) {
      of_page[draws[d].page].push_back(d);
    }
    for (std::uint32_t p = 0; p < of_page.size(); ++p) {
      std::vector<TexelRect> rects;
      for (const std::uint32_t d : of_page[p]) {
        rects.push_back(
            find_touched(out_.pages[p], draws[d].min, draws[d].max, out_.settings.gutter_px));
      }
      const RectParts parts = join_rects(rects);
      const std::size_t first = out_.moves.size();
      for (const TexelRect& part : parts.parts) {
        LightmapMove& move = out_.moves.emplace_back();
        move.from = p;
        move.rect = part;
        boxes_.emplace_back();
        lots_.emplace_back();
      }
      for (std::size_t i = 0; i < of_page[p].size(); ++i) {
        const std::size_t m = first + parts.part_of[i];
        const Draw& draw = survey_[draws[of_page[p][i]].draw];
        out_.moves[m].draws.push_back({draw.node, draw.primitive});
        boxes_[m].include(draw.box);
        const MergeKey& key = survey_[draw.key];
        lots_[m] = {key.level, key.levels};
      }
    }
  }

  void leave_large() {
    const auto fits = [&](const LightmapMove& move) {
      return std::max(move.rect.width, move.rect.height) <= out_.settings.max_page_px;
    };
    std::size_t kept = 0;
    for (std::size_t m = 0; m < out_.moves.size(); ++m) {
      if (fits(out_.moves[m])) {
        std::swap(out_.moves[kept], out_.moves[m]);
        std::swap(boxes_[kept], boxes_[m]);
        std::swap(lots_[kept], lots_[m]);
        ++kept;
      }
    }
    if (kept < out_.moves.size()) {
      tell_left(out_.moves.size() - kept, "too large for lightmaps.max_page_px");
      out_.moves.resize(kept);
      boxes_.resize(kept);
      lots_.resize(kept);
    }
  }

  void tell_left(std::size_t rects, const char* why) {
    out_.left_as.push_back(fmt::format("{} {}: {}", rects,
                                       rects == 1 ? "rectangle stays on its lightmap page"
                                                  : "rectangles stay on their lightmap pages",
                                       why));
  }

  /// Some rectangles by what is loaded together, and there as a tree over their draws has them.
  [[nodiscard]] std::vector<std::uint32_t> find_order(const std::vector<std::uint32_t>& moves,
                                                      const RunControl& run) const {
    std::map<Lot, std::vector<std::uint32_t>> lots;
    for (const std::uint32_t m : moves) {
      lots[lots_[m]].push_back(m);
    }
    std::vector<std::vector<std::uint32_t>> sets;
    sets.reserve(lots.size());
    for (auto& [lot, members] : lots) {
      sets.push_back(std::move(members));
    }
    const std::vector<float> weights(boxes_.size(), 1);
    return make_forest(boxes_, weights, sets, run).order;
  }

  /// What is stored alike goes onto pages of its own.
  Result<void> pack_moves(const RunControl& run) {
    std::map<std::pair<std::string, bool>, std::vector<std::uint32_t>> kinds;
    for (std::uint32_t m = 0; m < out_.moves.size(); ++m) {
      const LightmapPage& page = out_.pages[out_.moves[m].from];
      kinds[{page.format, page.image != no_image}].push_back(m);
    }
    for (const auto& [kind, moves] : kinds) {
      const std::vector<std::uint32_t> order = find_order(moves, run);
      if (!goes_on(run, joining_pages)) {
        return Failure(make_cancelled());
      }
      if (auto packed = pack_in_order(order); !packed) {
        return packed;
      }
    }
    return {};
  }

  Result<void> pack_in_order(const std::vector<std::uint32_t>& order) {
    std::vector<RectSize> sizes;
    std::uint32_t mips = 0;
    for (const std::uint32_t m : order) {
      const TexelRect& rect = out_.moves[m].rect;
      const LightmapPage& page = out_.pages[out_.moves[m].from];
      mips = std::max(mips, page.clean_mips);
      sizes.push_back(
          {static_cast<std::uint32_t>(rect.width), static_cast<std::uint32_t>(rect.height)});
    }
    PackSettings settings;
    settings.max_page_px = out_.settings.max_page_px;
    settings.sides = out_.settings.page_sides;
    settings.grid_px = std::max(4U, 1U << mips);
    settings.turning = Turning::never;
    const auto packed = pack(sizes, settings);
    if (!packed) {
      return Failure(packed.error());
    }
    const auto first = static_cast<std::uint32_t>(out_.joined.size());
    for (std::size_t i = 0; i < order.size(); ++i) {
      LightmapMove& move = out_.moves[order[i]];
      move.to = first + packed->rects[i].page;
      move.x = packed->rects[i].x_px;
      move.y = packed->rects[i].y_px;
    }
    const LightmapPage& page = out_.pages[out_.moves[order.front()].from];
    for (const RectSize& size : packed->pages) {
      out_.joined.push_back({"", size, "", page.format, page.image != no_image});
    }
    return {};
  }

  /// A page that holds nothing but one of the source's joins nothing; beyond the settings' number
  /// nothing is joined.
  void leave_lonely() {
    std::vector<std::set<std::uint32_t>> from(out_.joined.size());
    for (const LightmapMove& move : out_.moves) {
      from[move.to].insert(move.from);
    }
    std::vector<std::uint32_t> number(out_.joined.size(), no_index);
    std::vector<JoinedPage> joined;
    for (std::size_t p = 0; p < from.size(); ++p) {
      const bool room = out_.settings.max_pages == 0 || joined.size() < out_.settings.max_pages;
      if (from[p].size() > 1 && room) {
        number[p] = static_cast<std::uint32_t>(joined.size());
        joined.push_back(std::move(out_.joined[p]));
      }
    }
    const std::size_t before = out_.moves.size();
    std::erase_if(out_.moves,
                  [&](const LightmapMove& move) { return number[move.to] == no_index; });
    for (LightmapMove& move : out_.moves) {
      move.to = number[move.to];
    }
    out_.joined = std::move(joined);
    if (out_.moves.size() < before) {
      tell_left(before - out_.moves.size(), "alone on a page, or beyond lightmaps.max_pages");
    }
  }

  /// Only pages that something leaves are listed; new ones get names.
  void close_up() {
    std::vector<std::uint32_t> number(out_.pages.size(), no_index);
    for (const LightmapMove& move : out_.moves) {
      number[move.from] = 0;
    }
    std::vector<LightmapPage> pages;
    for (std::size_t p = 0; p < number.size(); ++p) {
      if (number[p] == 0) {
        number[p] = static_cast<std::uint32_t>(pages.size());
        pages.push_back(std::move(out_.pages[p]));
      }
    }
    out_.pages = std::move(pages);
    for (LightmapMove& move : out_.moves) {
      move.from = number[move.from];
      std::sort(move.draws.begin(), move.draws.end());
    }
    std::sort(out_.moves.begin(), out_.moves.end(),
              [](const LightmapMove& a, const LightmapMove& b) {
                return std::tie(a.from, a.rect.y, a.rect.x) < std::tie(b.from, b.rect.y, b.rect.x);
              });
    name_pages();
  }

  /// Numbers after all that there are, or words.
  void name_pages() {
    std::set<std::string> taken;
    long long last = -1;
    bool numbers = true;
    for (const MergeKey& key : survey_.keys) {
      if (key.lightmap.empty() || !taken.insert(key.lightmap).second) {
        continue;
      }
      long long number = 0;
      const char* const end = key.lightmap.data() + key.lightmap.size();
      if (std::from_chars(key.lightmap.data(), end, number).ptr == end) {
        last = std::max(last, number);
      } else {
        numbers = false;
      }
    }
    for (JoinedPage& page : out_.joined) {
      do {
        page.name = fmt::format("{}{}", numbers ? "" : "joined_", ++last);
      } while (taken.contains(page.name));
      if (!page.format.empty()) {
        const std::string name = name_lightmap_picture(out_.settings.pictures, page.name);
        page.picture = page.embedded ? name : name + find_ending(page.format);
      }
    }
  }

  const Scene& scene_;
  const Survey& survey_;
  LightmapPlan out_;
  std::vector<Box3d> boxes_;  ///< by move: around its draws
  std::vector<Lot> lots_;     ///< by move
};

}  // namespace

Result<void> validate(const LightmapSettings& settings) {
  const auto refuse = [](const char* what) {
    return Failure(Error{ErrorCode::bad_setting, what, {}});
  };
  if (settings.max_page_px < 64 || settings.max_page_px > 16384) {
    return refuse("lightmaps.max_page_px must be from 64 to 16384");
  }
  if (settings.max_pages > 65536) {
    return refuse("lightmaps.max_pages must be from 0 to 65536");
  }
  if (settings.clean_mips > 8) {
    return refuse("lightmaps.clean_mips must be from 0 to 8");
  }
  if (settings.gutter_px > 256) {
    return refuse("lightmaps.gutter_px must be from 0 to 256");
  }
  if (settings.source_page_px != 0 &&
      (settings.source_page_px < 4 || settings.source_page_px > 16384)) {
    return refuse("lightmaps.source_page_px must be 0 or from 4 to 16384");
  }
  constexpr std::string_view words[] = {"page"};
  if (settings.pictures.find("{page}") == std::string::npos ||
      !is_pattern(settings.pictures, words)) {
    return refuse("lightmaps.pictures must have {page} in it, and no other word in braces");
  }
  return {};
}

const std::string& LightmapPlan::joined_transform_key() const {
  static const std::string own = own_transform_key;
  return transform_key.empty() && joins() ? own : transform_key;
}

LightmapPlace make_place(const LightmapPlan& plan, const LightmapMove& move) {
  const RectSize& from = plan.pages[move.from].size;
  const RectSize& to = plan.joined[move.to].size;
  LightmapPlace out;
  out.scale = {static_cast<double>(from.width_px) / to.width_px,
               static_cast<double>(from.height_px) / to.height_px};
  out.offset = {static_cast<double>(move.x - move.rect.x) / to.width_px,
                static_cast<double>(move.y - move.rect.y) / to.height_px};
  return out;
}

Result<LightmapPlan> propose_lightmaps(const Scene& scene,
                                       const Survey& survey,
                                       std::span<const LightmapPicture> pictures,
                                       const LightmapSettings& settings,
                                       const RunControl& run) {
  if (auto valid = validate(settings); !valid) {
    return Failure(valid.error());
  }
  return MoveFinder(scene, survey, settings).find(pictures, run);
}

}  // namespace wakuzume
