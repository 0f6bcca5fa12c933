// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include "lightmap/pages.h"

#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <bit>
#include <cmath>
#include <map>
#include <unordered_map>

#include "survey/lightmaps.h"

namespace wakuzume {
namespace {

constexpr std::uint32_t guessed_px = 1024;

/// The side on whose texels most ends of UV ranges lie: makers of lightmaps put charts there.
/// \return 0 where no side stands out
std::uint32_t find_side_px(const std::vector<LitDraw>& draws) {
  constexpr std::uint32_t smallest_px = 16;
  constexpr std::size_t sides = 9;  // up to 4,096
  constexpr double near_texels = 0.01;
  constexpr double stands_out = 0.5;
  constexpr double as_good = 0.9;
  std::array<std::size_t, sides> hits{};
  for (const LitDraw& draw : draws) {
    for (const double uv : {draw.min[0], draw.min[1], draw.max[0], draw.max[1]}) {
      for (std::size_t s = 0; s < sides; ++s) {
        const double halves = uv * 2 * (smallest_px << s);
        hits[s] += std::abs(halves - std::round(halves)) <= 2 * near_texels ? 1U : 0U;
      }
    }
  }
  const auto most = static_cast<double>(hits.back());
  if (draws.empty() || most < stands_out * 4 * static_cast<double>(draws.size())) {
    return 0;
  }
  std::uint32_t side = smallest_px;
  for (std::size_t s = 0; static_cast<double>(hits[s]) < as_good * most; ++s) {
    side *= 2;
  }
  return side;
}

class LitPageFinder {
 public:
  LitPageFinder(const Scene& scene, const Survey& survey) : scene_(scene), survey_(survey) {}

  LitPages find(std::span<const LightmapPicture> pictures, const LightmapSettings& settings) {
    for (std::size_t d = 0; d < survey_.draws.size(); ++d) {
      add(make_id<DrawId>(d));
    }
    set_sizes(settings);
    take_pictures(pictures, settings);
    drop_unreadable();
    drop_outside();
    for (const auto& [reason, draws] : left_) {
      out_.left_as.push_back(fmt::format("{} {} on page {}: {}", draws,
                                         draws == 1 ? "draw stays" : "draws stay", reason.first,
                                         reason.second));
    }
    return std::move(out_);
  }

 private:
  void add(DrawId id) {
    const Draw& draw = survey_[id];
    const std::string& name = survey_[draw.key].lightmap;
    if (name.empty()) {
      return;
    }
    if (draw.stay == StayRule::excluded || draw.stay == StayRule::own_extension ||
        draw.stay == StayRule::collider || draw.stay == StayRule::not_finite) {
      return leave(name, "left alone");
    }
    if (draw.stay == StayRule::instanced) {
      return leave(name, "as instances, which may have places of their own");
    }
    if (shares_uvs_.has(draw.material)) {
      return leave(name, "whose material looks up another texture in the same UV set");
    }
    const Shape& shape = survey_[draw.shape];
    const UvRange* const range = shape.find_uvs(survey_.settings.lightmap_uv_set);
    if (range == nullptr || range->min[0] > range->max[0]) {
      return leave(name, fmt::format("without UV set {}", survey_.settings.lightmap_uv_set));
    }
    LightmapPlace place = survey_.lightmap_places[draw.lightmap_place];
    const bool by_material = is_lit_by_material(
        scene_, scene_[draw.node], primitive_of(scene_, draw), survey_.settings.lightmap_key);
    if (by_material) {
      const auto extension = find_lightmap_extension(scene_, draw.material);
      if (extension->uv_set != survey_.settings.lightmap_uv_set || extension->turned) {
        return leave(name, fmt::format("by {} with another UV set than survey.lightmap_uv_set, or "
                                       "turned",
                                       lightmap_extension));
      }
      place = make_product(extension->place, place);
    }
    const Vec2d a = place.apply(range->min);
    const Vec2d b = place.apply(range->max);
    LitDraw lit{id,
                0,
                {std::min(a[0], b[0]), std::min(a[1], b[1])},
                {std::max(a[0], b[0]), std::max(a[1], b[1])}};
    if (!range->finite || !std::isfinite(lit.min[0] + lit.min[1] + lit.max[0] + lit.max[1])) {
      return leave(name, "with UVs that are no numbers");
    }
    const auto [slot, added] = page_of_.try_emplace(name, out_.pages.size());
    if (added) {
      out_.pages.emplace_back().name = name;
      by_material_.push_back(by_material);
    }
    lit.page = static_cast<std::uint32_t>(slot->second);
    out_.draws.push_back(lit);
  }

  void leave(const std::string& page, const std::string& why) { ++left_[{page, why}]; }

  /// Pages that an engine keeps to itself are all of one size.
  void set_sizes(const LightmapSettings& settings) {
    const std::uint32_t found = settings.source_page_px > 0 ? 0 : find_side_px(out_.draws);
    const std::uint32_t side = settings.source_page_px > 0 ? settings.source_page_px
                               : found > 0                 ? found
                                                           : guessed_px;
    for (LightmapPage& page : out_.pages) {
      page.size = {side, side};
      page.size_from = settings.source_page_px > 0 ? PageSizeFrom::settings
                       : found > 0                 ? PageSizeFrom::uvs
                                                   : PageSizeFrom::guess;
      page.clean_mips = count_clean_mips(page.size, settings);
    }
  }

  void take_pictures(std::span<const LightmapPicture> pictures, const LightmapSettings& settings) {
    for (const LightmapPicture& picture : pictures) {
      const auto known = page_of_.find(picture.page);
      if (known != page_of_.end()) {
        LightmapPage& page = out_.pages[known->second];
        page.size = picture.size;
        page.size_from = PageSizeFrom::picture;
        page.image = picture.image;
        page.file = picture.file;
        page.format = picture.format;
        page.clean_mips = count_clean_mips(page.size, settings);
      }
    }
  }

  /// Where a side is odd, a texel of the next level is made of other texels than two.
  static std::uint32_t count_clean_mips(const RectSize& size, const LightmapSettings& settings) {
    const auto halvings =
        static_cast<std::uint32_t>(std::countr_zero(size.width_px | size.height_px));
    return std::min(settings.clean_mips, halvings);
  }

  /// What a material shows can't be left to whoever has the picture.
  void drop_unreadable() {
    std::erase_if(out_.draws, [&](const LitDraw& lit) {
      const LightmapPage& page = out_.pages[lit.page];
      const bool unreadable = by_material_[lit.page] && page.format.empty();
      if (unreadable) {
        leave(page.name, "whose picture can't be read");
      }
      return unreadable;
    });
  }

  /// Beyond half a texel outside of its page a draw sees what only the engine knows.
  void drop_outside() {
    std::erase_if(out_.draws, [&](const LitDraw& lit) {
      const LightmapPage& page = out_.pages[lit.page];
      const double u = 0.5 / page.size.width_px;
      const double v = 0.5 / page.size.height_px;
      const bool outside =
          lit.min[0] < -u || lit.min[1] < -v || lit.max[0] > 1 + u || lit.max[1] > 1 + v;
      if (outside) {
        leave(page.name, "with UVs outside of it");
      }
      return outside;
    });
  }

  const Scene& scene_;
  const Survey& survey_;
  std::vector<bool> by_material_;  ///< by page
  UvSharing shares_uvs_{scene_, survey_.settings.lightmap_uv_set};
  std::unordered_map<std::string, std::size_t> page_of_;  // looked up only, never walked
  std::map<std::pair<std::string, std::string>, std::size_t> left_;
  LitPages out_;
};

}  // namespace

std::string_view to_string(PageSizeFrom from) {
  constexpr std::string_view names[page_size_from_count] = {"picture", "settings", "uvs", "guess"};
  return names[static_cast<std::size_t>(from)];
}

LitPages find_lit_pages(const Scene& scene,
                        const Survey& survey,
                        std::span<const LightmapPicture> pictures,
                        const LightmapSettings& settings) {
  return LitPageFinder(scene, survey).find(pictures, settings);
}

}  // namespace wakuzume
