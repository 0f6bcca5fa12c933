// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include "wakuzume/render.h"

namespace wakuzume {

Result<std::unique_ptr<ShotMaker>> RenderShots::make(const ShownScene& shown,
                                                     const ShotSize& size,
                                                     const RunControl& run) {
  std::shared_ptr<RenderDevice> device = device_.lock();
  if (device == nullptr) {
    auto opened = open_render_device();
    if (!opened) {
      return Failure(opened.error());
    }
    device = std::move(*opened);
    device_ = device;
    name_ = to_string(*device);
  }
  RenderSettings settings = settings_;
  settings.width_px = size.width_px;
  settings.height_px = size.height_px;
  auto made = Renderer::make(shown, std::move(device), codec_, settings, run);
  return made ? Result<std::unique_ptr<ShotMaker>>(std::move(*made)) : Failure(made.error());
}

}  // namespace wakuzume
