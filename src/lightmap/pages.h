// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#pragma once

#include <string>
#include <vector>

#include "wakuzume/lightmaps.h"

/// The pages of a source, and who looks where on them.
namespace wakuzume {

/// A draw whose lightmap can be moved.
struct LitDraw {
  DrawId draw{};
  std::uint32_t page = 0;  ///< position in LitPages::pages
  Vec2d min{};             ///< of its UVs on the page
  Vec2d max{};
};

struct LitPages {
  std::vector<LightmapPage> pages;   ///< in first-seen order
  std::vector<LitDraw> draws;        ///< in draw order
  std::vector<std::string> left_as;  ///< draws that stay, and why; a sentence a page and reason
};

/// Pages with their sizes, and the draws that look at them.
LitPages find_lit_pages(const Scene& scene,
                        const Survey& survey,
                        std::span<const LightmapPicture> pictures,
                        const LightmapSettings& settings);

}  // namespace wakuzume
