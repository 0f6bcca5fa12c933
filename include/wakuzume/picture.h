// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#pragma once

#include <array>
#include <cstdint>
#include <span>
#include <string>
#include <string_view>
#include <vector>

#include "wakuzume/build.h"
#include "wakuzume/pixels.h"
#include "wakuzume/propose.h"
#include "wakuzume/result.h"
#include "wakuzume/scene.h"
#include "wakuzume/shot.h"
#include "wakuzume/survey.h"

/// Pictures: a scene as its draws, its keys, its density, with a legend and counts.
///
/// In: a surveyed scene and something that draws it. Out: pixels.
/// 1. Same scene, same view, same shots: the same pixels.
/// 2. With Showing::draws, draws that lie next to each other have colours that are easy to tell
///    apart, and a draw has the same colour in every view.
namespace wakuzume {

enum class Showing : std::uint8_t {
  shaded,
  draws,      ///< a colour a draw: what the engine sees
  keys,       ///< a colour a merge key
  families,   ///< a colour a family of equal shapes; what is alone is grey
  clusters,   ///< a colour a group of a plan or ledger; what is in none is grey
  routes,     ///< a colour a route of the materials
  tiling,     ///< UV tiles as checks, by how often they are repeated
  texels,     ///< texels per metre
  triangles,  ///< pixels that a triangle covers
  surfaces,   ///< how many surfaces lie behind each other
  wire,       ///< edges of triangles over the shaded scene
  lightmap,   ///< a colour a lightmap page, as bright as its light; what is on none is grey
  layers,     ///< how many blended layers a pixel shows
  order       ///< where an engine draws those in another order than the true one
};
inline constexpr std::size_t showing_count = 14;
std::string_view to_string(Showing showing);

using Color = std::array<std::uint8_t, 3>;  ///< sRGB

/// Draws sorted into classes, each with a colour and a name.
struct DrawClasses {
  struct Class {
    std::string name;
    Color color{};
    std::uint32_t draws = 0;
  };
  std::vector<Class> classes;          ///< those with most draws first
  std::vector<std::uint32_t> of_draw;  ///< by draw of the survey; no_index: none, shown grey
  bool each_alone = false;             ///< a class is a draw: no list of names
};

/// What classes of a scene can be told by.
struct ClassSource {
  const Plan* plan = nullptr;      ///< for the scene that it plans
  const Ledger* ledger = nullptr;  ///< for the result, or with `of_source` for its source
  bool of_source = false;
};

/// \error bad_setting  clusters or routes without a plan or ledger
Result<DrawClasses> make_classes(const Scene& scene,
                                 const Survey& survey,
                                 Showing showing,
                                 const ClassSource& from = {});

struct PictureSettings {
  Showing showing = Showing::shaded;
  std::uint32_t width_px = 1280;  ///< \range [320, 8192]
  std::uint32_t height_px = 800;  ///< \range [240, 8192]
  std::string title;              ///< of the scene
  BlendSorting sorting{};         ///< of blended draws, as the cost profile has it
};

/// Rows of the legend take room: what a shot has to be made in for a picture of a size.
struct ShotRoom {
  std::uint32_t width_px = 0;
  std::uint32_t height_px = 0;
};
ShotRoom find_room(const PictureSettings& settings);

/// One view with its legend and counts below.
/// \param shots  set to the size of find_room
/// \error as the shot maker
/// \cost a shot of four times the pixels
Result<Pixels> make_picture(const Survey& survey,
                            ShotMaker& shots,
                            const Viewpoint& view,
                            const DrawClasses& classes,
                            const PictureSettings& settings);

/// One of several scenes or views that a sheet holds.
struct SheetEntry {
  const Survey* survey = nullptr;
  ShotMaker* shots = nullptr;
  const DrawClasses* classes = nullptr;
  Viewpoint view;
  std::string label;
};
/// All in one picture, as large as the settings say, each with its label and counts; with a legend
/// below where all can share it.
/// \param shots  of the entries are set to the size of find_room(settings, count)
Result<Pixels> make_sheet(std::span<const SheetEntry> entries, const PictureSettings& settings);
ShotRoom find_room(const PictureSettings& settings, std::size_t entries);

/// Means over areas, or between pixels where it becomes larger; in linear light.
Pixels make_resized(const Pixels& pixels, std::uint32_t width_px, std::uint32_t height_px);

/// A shot in the colours of its classes, without a legend. \pre it was measured with facing
Pixels paint_classes(const Shot& shot, const DrawClasses& classes);

}  // namespace wakuzume
