// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#pragma once

#include <array>
#include <memory>
#include <string>

#include "wakuzume/lightmaps.h"
#include "wakuzume/render.h"
#include "wakuzume/verify_views.h"

/// Scenes that are drawn, and what a verdict says of them.
namespace wakuzume::test {

/// One device for all tests of a process; the test fails where there is none.
std::shared_ptr<RenderDevice> find_device();

/// A scene with what draws it.
struct Drawn {
  explicit Drawn(Scene shown, const RenderSettings& settings = {});
  /// Lit by lightmaps: images of the scene and files beside it, which may be null.
  Drawn(Scene shown,
        const SurveySettings& rules,
        const LightmapFiles* files,
        const RenderSettings& settings = {});
  [[nodiscard]] DrawnScene get() { return {scene, survey, *renderer}; }
  Shot shoot(const Viewpoint& view, const ShotRequest& request = {});

  Scene scene;
  Survey survey;
  std::unique_ptr<Renderer> renderer;
};

/// A ledger as it comes back from its document.
Ledger write_and_read(const Ledger& ledger);

/// What verify_views alone says, from so many views of the source.
Verdict compare(const Scene& before,
                const Scene& after,
                const Ledger& ledger,
                std::size_t views = 6,
                const VerifySettings& settings = {});

/// A view without perspective down the z axis, so many metres to each side of the eye.
Viewpoint make_flat_view(double half_width_m, const Vec3d& eye = {0, 0, 5});

/// R, G and B of a pixel.
std::array<int, 3> find_pixel(const Shot& shot, std::size_t x, std::size_t y);

}  // namespace wakuzume::test
