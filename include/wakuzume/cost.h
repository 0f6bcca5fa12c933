// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#pragma once

#include <cstdint>
#include <span>
#include <string>
#include <string_view>
#include <vector>

#include "wakuzume/blend_sorting.h"
#include "wakuzume/culling.h"
#include "wakuzume/image_facts.h"
#include "wakuzume/result.h"
#include "wakuzume/run_control.h"
#include "wakuzume/scene.h"
#include "wakuzume/survey.h"
#include "wakuzume/views.h"

/// What a frame costs: draws and state switches per view and pass, by a profile that says what it
/// assumes of the engine and the hardware.
///
/// 1. A draw counts in a pass when its box passes the frustum of that pass.
/// 2. Nothing is assumed that is not in the profile: passes, batching, prices.
namespace wakuzume {

/// Which draws a pass takes and from where it looks.
enum class PassKind : std::uint8_t {
  main,          ///< all that the view sees
  depth,         ///< the view's opaque and masked draws, depth alone
  sun_shadow,    ///< what can throw a shadow of the sun into a slice of the view
  light_shadows  ///< six faces a point light, one a spot light, of the nearest that are in view
};
std::string_view to_string(PassKind kind);

struct PassSpec {
  std::string name;
  PassKind kind = PassKind::main;
  double from_m = 0;         ///< sun_shadow: the slice's distance from the eye
  double to_m = 50;          ///< sun_shadow: and its end
  double casters_m = 100;    ///< sun_shadow: how far towards the sun casters are looked for
  std::uint32_t lights = 2;  ///< light_shadows: at most so many
};

/// Prices and habits of a class of hardware and its engine.
struct CostProfile {
  std::string name;
  std::string about;  ///< one sentence
  // Habits of the engine.
  bool sorts_by_state = true;      ///< opaque draws by pipeline and material; else in node order
  bool instances_repeats = false;  ///< equal primitives with equal materials become one draw
  /// Draws of one state with at most so many vertices are batched on the CPU. \default 0: never
  std::uint32_t batches_up_to_vertices = 0;
  BlendSorting sorts_blended{};
  Vec3d sun_direction{-0.4, -1, -0.3};  ///< where the scene has no directional light
  /// Reach of point and spot lights that state none; 0: without end, as glTF has it.
  double light_reach_m = 0;
  // CPU: microseconds.
  double draw_us = 2;
  double instance_us = 0.02;
  double pipeline_switch_us = 2;
  double material_switch_us = 1;
  // GPU.
  double triangle_ns = 0.3;
  double vertex_ns = 0.3;
  double skinned_vertex_ns = 0.6;      ///< on top, of a vertex that a skin deforms
  double texture_megabyte_us = 5;      ///< a million bytes of texture that a frame touches
  double texture_bytes_per_texel = 1;  ///< as the hardware holds them, without mip levels
  /// CPU and GPU work side by side, and a frame takes as long as the slower of them. Of the faster
  /// one's time this share is charged as well, by what plans are chosen: power and other work are
  /// paid from it. \range [0, 1]
  double faster_share = 0.25;
  /// A million bytes of geometry, in memory and in the file, charged to every frame: what propose
  /// weighs against draws and triangles.
  double geometry_megabyte_us = 1;
  /// Times today's GPU time that any view may take in a plan, for hardware that has none to spare;
  /// 0: any. \range 0, [1, 1e6]
  double gpu_growth = 0;
  /// That limit is not looked at in views whose GPU time stays below this. \range [0, 1e6]
  double few_gpu_ms = 1;
  std::vector<PassSpec> passes;
};
/// \error bad_setting  names the member and its range
Result<void> validate(const CostProfile& profile);

/// What one pass of one view issues.
struct PassCost {
  std::uint64_t draws = 0;
  std::uint64_t instances = 0;  ///< objects drawn; one a draw unless it is a set
  std::uint64_t triangles = 0;
  std::uint64_t vertices = 0;
  std::uint64_t pipeline_switches = 0;
  std::uint64_t material_switches = 0;
  std::uint64_t texture_bytes = 0;  ///< of distinct images with their mip levels
  double cpu_ms = 0;
  double gpu_ms = 0;
  [[nodiscard]] double ms() const { return cpu_ms > gpu_ms ? cpu_ms : gpu_ms; }  ///< they overlap
};

struct FrameCost {
  std::vector<PassCost> passes;  ///< in the order of the profile
  PassCost total;                ///< an image counts once however many passes touch it
};

/// Over the views: the median (lower of two middles), the 95th percentile and the largest.
struct Spread {
  double median = 0;
  double p95 = 0;
  double worst = 0;
  std::uint32_t worst_view = no_index;  ///< the first that has it
};
/// \cost O(n log n)
Spread make_spread(const std::vector<double>& values);

struct Frames {
  CostProfile profile;
  std::vector<FrameCost> views;  ///< one a view
  /// A figure of each frame over the views.
  [[nodiscard]] Spread find_spread(double (*figure)(const FrameCost&)) const;
};

/// \pre `visibility` is of `survey` and `views`; `images` is empty or has one entry an image
/// \error bad_setting, cancelled
/// \cost O(draws seen) a view and pass; in parallel over the views
Result<Frames> measure_frames(const Scene& scene,
                              const Survey& survey,
                              std::span<const Viewpoint> views,
                              const Visibility& visibility,
                              std::span<const ImageFacts> images,
                              const CostProfile& profile,
                              const RunControl& run = {});

}  // namespace wakuzume
