// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#pragma once

#include <epoxy/egl.h>

#include "wakuzume/result.h"

namespace wakuzume {

/// An OpenGL 4.5 core context without a surface, current on the thread that made it.
class EglContext {
 public:
  /// \error cannot_render
  static Result<EglContext> make();
  EglContext(EglContext&& other) noexcept;
  EglContext& operator=(EglContext&&) = delete;
  ~EglContext();

  /// Makes it the one that OpenGL calls of this thread go to: there may be several.
  void make_current() const;

 private:
  EglContext(EGLDisplay display, EGLContext context) : display_(display), context_(context) {}
  EGLDisplay display_ = EGL_NO_DISPLAY;
  EGLContext context_ = EGL_NO_CONTEXT;
};

}  // namespace wakuzume
