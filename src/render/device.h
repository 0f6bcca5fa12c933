// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#pragma once

#include <string>

#include "render/egl_context.h"
#include "render/pictures.h"
#include "render/programs.h"
#include "wakuzume/render.h"

namespace wakuzume {

class RenderDevice {
 public:
  explicit RenderDevice(EglContext opened) : context(std::move(opened)) {}
  RenderDevice(const RenderDevice&) = delete;
  RenderDevice& operator=(const RenderDevice&) = delete;
  ~RenderDevice() { context.make_current(); }  // its programs go before it

  EglContext context;  ///< first: all else needs it until it is gone
  std::string name;
  PictureStore pictures;
  Programs programs;
};

}  // namespace wakuzume
