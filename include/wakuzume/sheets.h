// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#pragma once

#include <cstddef>
#include <string>

#include "wakuzume/bytes.h"
#include "wakuzume/picture_codec.h"
#include "wakuzume/result.h"
#include "wakuzume/routes.h"
#include "wakuzume/run_control.h"
#include "wakuzume/scene.h"

/// Sheets: pages of tiles and stacks of layers to look at, as SVG of 1280 x 800 that holds all it
/// shows.
namespace wakuzume {

/// A page with the outlines, gutters and names of its tiles over its picture, and a list of them.
/// \param scene     the one that the routes are for
/// \param picture   encoded; empty: the outlines alone
/// \param subtitle  below the name; empty: size, how full it is, and its pictures
std::string to_svg(const Scene& scene,
                   const AtlasPage& page,
                   const Bytes& picture,
                   const std::string& subtitle = {});

/// The same with its base colour, or its first picture, painted for it.
/// \error as paint_page
Result<std::string> paint_page_sheet(const Scene& scene,
                                     const RoutePlan& routes,
                                     std::size_t page,
                                     const PictureCodec& codec,
                                     const RunControl& run = {});

/// The layers of the first channel that has any, side by side. \pre the stack has one
/// \error as paint_layers
Result<std::string> paint_stack_sheet(const Scene& scene,
                                      const RoutePlan& routes,
                                      std::size_t stack,
                                      const PictureCodec& codec,
                                      const RunControl& run = {});

}  // namespace wakuzume
