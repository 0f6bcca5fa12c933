// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#pragma once

#include <cstdint>
#include <memory>
#include <string>

#include "wakuzume/picture_codec.h"
#include "wakuzume/result.h"
#include "wakuzume/run_control.h"
#include "wakuzume/scene.h"
#include "wakuzume/shot.h"
#include "wakuzume/survey.h"

/// Rendering: scenes as an engine draws them, without a window.
///
/// In: a surveyed scene. Out: shots of it. OpenGL 4.5 through EGL, on a GPU or in software.
/// 1. A draw of the survey whose box is in view counts as one draw call, as engines issue them.
///    What no pixel can show is left out, and many are drawn at once: neither changes a pixel.
/// 2. Metal-rough shading with every texture of the core material, alpha modes, sidedness, vertex
///    colours, instances with factors of their own, WAKUZUME_texture_layers and unlit materials.
/// 3. Skins stand in the pose of their joints, morph targets have their default weights.
/// 4. Transforms are taken from the eye in double, so that scenes far from the origin do not shake.
/// 5. Where two surfaces lie in one place, the one shows that comes first by its material and node.
/// 6. What lies on a lightmap page whose picture is there is lit by it, in linear light with all
///    mip levels; formats that encode brightness in alpha are shown without it.
/// Caveats: no shadows and no reflections; the sixteen lights that are strongest at the eye count.
/// Everything stays on the thread that opened the device.
namespace wakuzume {

/// An OpenGL context, and what scenes on it share: pictures that are equal are there once.
class RenderDevice;

/// \error cannot_render  no EGL, no OpenGL 4.5, or a library that was built without rendering
Result<std::shared_ptr<RenderDevice>> open_render_device();
/// What draws: "llvmpipe (LLVM 15.0.6, 256 bits)".
std::string to_string(const RenderDevice& device);

/// Whether it is drawn what no pixel can show: what lies behind something, or between the centres
/// of pixels. It makes no difference to a shot, but to the time that it takes.
enum class Unseen : std::uint8_t { left_out, drawn };

struct RenderSettings {
  std::uint32_t width_px = 1280;  ///< most of a shot \range [16, 8192]
  std::uint32_t height_px = 720;
  /// All textures together with their mip levels; where they take more, all are halved until they
  /// fit. \range [1, 1048576]
  std::uint32_t max_texture_megabytes = 2048;
  /// Vertices and indices of all shapes. \range [1, 1048576]
  std::uint32_t max_geometry_megabytes = 4096;
  Unseen unseen = Unseen::left_out;
};

class Renderer final : public ShotMaker {
 public:
  /// \error bad_setting, cannot_render, too_large (by the settings, or for the device), cancelled
  /// \cost decodes every picture that is shown and every vertex that is drawn, in parallel
  static Result<std::unique_ptr<Renderer>> make(const ShownScene& shown,
                                                std::shared_ptr<RenderDevice> device,
                                                const PictureCodec& codec,
                                                const RenderSettings& settings = {},
                                                const RunControl& run = {});
  ~Renderer() override;

  Result<Shot> make_shot(const Viewpoint& view, const ShotRequest& request) override;
  [[nodiscard]] ShotLosses losses() const override;

 private:
  struct Impl;
  explicit Renderer(std::unique_ptr<Impl> impl);
  std::unique_ptr<Impl> impl_;
};

/// Renderers for a job. The device is opened when the first of them is made, shared by those that
/// live side by side, and closed with the last.
class RenderShots final : public ShotMakers {
 public:
  /// \param codec     borrowed
  /// \param settings  all but the size, which each scene comes with
  explicit RenderShots(const PictureCodec& codec, const RenderSettings& settings = {})
      : codec_(codec), settings_(settings) {}
  Result<std::unique_ptr<ShotMaker>> make(const ShownScene& shown,
                                          const ShotSize& size,
                                          const RunControl& run) override;
  [[nodiscard]] std::string name() const override { return name_; }

 private:
  const PictureCodec& codec_;
  RenderSettings settings_;
  std::weak_ptr<RenderDevice> device_;
  std::string name_;
};

}  // namespace wakuzume
