// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#pragma once

#include <cstdint>
#include <memory>
#include <span>
#include <string>
#include <vector>

#include "wakuzume/blend_sorting.h"
#include "wakuzume/bytes.h"
#include "wakuzume/ids.h"
#include "wakuzume/pixels.h"
#include "wakuzume/result.h"
#include "wakuzume/run_control.h"
#include "wakuzume/scene.h"
#include "wakuzume/survey.h"
#include "wakuzume/views.h"

/// Shots: what a scene shows from one view, pixel by pixel, as plain values.
///
/// Whoever can draw a scene makes them: Renderer of wakuzume/render.h, or your own engine behind
/// ShotMaker. What is made of them (proof, pictures, pages) knows no GPU.
namespace wakuzume {

/// What a pixel shows. Of blended surfaces it is the one drawn last, or with Layers::sorted the
/// nearest.
struct Hit {
  DrawId draw = no_draw;       ///< position in Survey::draws; no_draw: nothing
  std::uint32_t instance = 0;  ///< of an instance set
  std::uint32_t element = 0;   ///< triangle, line or point, by its list indices
  float distance_m = 0;        ///< along the view's axis
};

/// A number that is kept of each pixel.
enum class Measure : std::uint8_t {
  none,
  facing,            ///< how straight the surface is seen: 0 edge on, 1 straight
  tile_checks,       ///< 1 or 0 in turn, eight checks along each side of a UV tile; < 0: no texture
  texels_per_metre,  ///< of the base colour's texture; < 0: no texture
  baked_light,       ///< how bright the lightmap is, 0 to 1; as facing where there is none
  surfaces           ///< how many lie behind each other, hidden ones included
};

enum class Shading : std::uint8_t { lit, none };
/// Whether blended surfaces are drawn, in front of which others would not show.
enum class Blends : std::uint8_t { shown, left_out };

/// Blended surfaces as an engine draws them, or told layer by layer as well.
enum class Layers : std::uint8_t { as_drawn, sorted };

struct ShotRequest {
  Shading shading = Shading::lit;
  Measure measure = Measure::none;
  Blends blends = Blends::shown;
  BlendSorting sorting{};
  Layers layers = Layers::as_drawn;
  /// Times as many pixels along each side as the maker is set to. \range [1, 4]
  std::uint32_t fineness = 1;
  /// Is told how much of the shot is there, and may stop it. Borrowed; may be null.
  Observer* observer = nullptr;
};

/// What an engine gives to the driver for the view: each draw in sight is one call.
struct Submitted {
  std::uint64_t draws = 0;
  std::uint64_t instances = 0;
  std::uint64_t triangles = 0;
  std::uint64_t pipeline_switches = 0;  ///< programs, vertex layouts and culling
  std::uint64_t material_switches = 0;
  /// CPU time of the calling thread to issue all draws and switches once, each with its first
  /// element alone: a software renderer works on vertices in the same thread. Of many draws some
  /// are timed, in runs, and stand for all.
  double submit_ms = 0;
};

struct Shot {
  std::uint32_t width_px = 0;
  std::uint32_t height_px = 0;
  Pixels picture;             ///< sRGB; empty with Shading::none
  std::vector<Hit> hits;      ///< one a pixel, rows from the top; empty with Measure::surfaces
  std::vector<float> values;  ///< one a pixel; empty with Measure::none
  /// With Layers::sorted, one a pixel: how many blended layers it shows, and how many pairs of them
  /// are drawn the wrong way round. Empty where no blended draw is in sight, or more layers are
  /// than a device holds.
  std::vector<std::uint16_t> layers;
  std::vector<std::uint16_t> misplaced;
  /// The picture with all layers in their true order; empty where it is no other one.
  Pixels exact;
  Submitted submitted;
};

/// What a maker of shots shows otherwise than it is.
struct ShotLosses {
  std::uint32_t unread_pictures = 0;  ///< can't be read or are too large, and are shown white
  std::uint32_t halvings = 0;         ///< times that all textures were halved to fit
};

class ShotMaker {
 public:
  ShotMaker() = default;
  ShotMaker(const ShotMaker&) = delete;
  ShotMaker& operator=(const ShotMaker&) = delete;
  virtual ~ShotMaker() = default;
  /// As large as the maker is set to, cut to the shape that the view's lens has.
  /// \error cannot_render, too_large, cancelled
  virtual Result<Shot> make_shot(const Viewpoint& view, const ShotRequest& request) = 0;
  [[nodiscard]] virtual ShotLosses losses() const { return {}; }
};

/// Most pixels of a shot.
struct ShotSize {
  std::uint32_t width_px = 1280;  ///< \range [16, 8192]
  std::uint32_t height_px = 720;
};

/// A lightmap page with its picture, encoded.
struct LitPage {
  std::string page;  ///< as MergeKey::lightmap has it
  Bytes picture;
  std::uint32_t width_px = 0;
  std::uint32_t height_px = 0;
  /// Mip levels below the first that it is looked up in; those that its size has not are none.
  std::uint32_t mips = 32;
};

/// What shots are made of. The scene and its survey stay while their maker lives.
struct ShownScene {
  const Scene& scene;
  const Survey& survey;  ///< of the scene
  /// Draws on these pages are lit by them, and not by sky and lamps. Read while a maker is made.
  std::span<const LitPage> lightmaps{};
};

/// Makes a maker of shots for each scene that is to be drawn. RenderShots of wakuzume/render.h, or
/// your own engine.
class ShotMakers {
 public:
  ShotMakers() = default;
  ShotMakers(const ShotMakers&) = delete;
  ShotMakers& operator=(const ShotMakers&) = delete;
  virtual ~ShotMakers() = default;
  /// \error cannot_render  there is nothing to draw with
  /// \error too_large, cancelled
  virtual Result<std::unique_ptr<ShotMaker>> make(const ShownScene& shown,
                                                  const ShotSize& size,
                                                  const RunControl& run) = 0;
  /// What draws, for people. \pre a maker was made
  [[nodiscard]] virtual std::string name() const = 0;
};

}  // namespace wakuzume
