// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include "render/egl_context.h"

#include <dlfcn.h>
#include <epoxy/gl.h>
#include <fmt/format.h>

#include <utility>

namespace wakuzume {
namespace {

Failure fail(const std::string& why) {
  return Failure(Error{
      ErrorCode::cannot_render,
      why + "; pictures need EGL with OpenGL 4.5 (Debian: libegl1, libopengl0, libgl1-mesa-dri)",
      {}});
}

/// libepoxy ends the program where these are not there.
bool has_library(const char* name) {
  void* const handle = dlopen(name, RTLD_LAZY | RTLD_GLOBAL);
  return handle != nullptr;  // stays open: it is wanted from now on
}

EGLDisplay open_display() {
  for (const EGLenum platform :
       {EGLenum{EGL_PLATFORM_SURFACELESS_MESA}, EGLenum{EGL_PLATFORM_DEVICE_EXT}}) {
    const EGLDisplay display =
        eglGetPlatformDisplayEXT(platform, reinterpret_cast<void*>(EGL_DEFAULT_DISPLAY), nullptr);
    if (display != EGL_NO_DISPLAY && eglInitialize(display, nullptr, nullptr) == EGL_TRUE) {
      return display;
    }
  }
  return EGL_NO_DISPLAY;
}

}  // namespace

Result<EglContext> EglContext::make() {
  if (!has_library("libEGL.so.1") ||
      !(has_library("libOpenGL.so.0") || has_library("libGL.so.1"))) {
    return fail("there is no EGL or no OpenGL library");
  }
  if (!epoxy_has_egl_extension(EGL_NO_DISPLAY, "EGL_EXT_platform_base")) {
    return fail("EGL can't open a display without a window system");
  }
  const EGLDisplay display = open_display();
  if (display == EGL_NO_DISPLAY) {
    return fail("EGL finds no device to draw with");
  }
  constexpr EGLint attributes[] = {EGL_CONTEXT_MAJOR_VERSION,
                                   4,
                                   EGL_CONTEXT_MINOR_VERSION,
                                   5,
                                   EGL_CONTEXT_OPENGL_PROFILE_MASK,
                                   EGL_CONTEXT_OPENGL_CORE_PROFILE_BIT,
                                   EGL_NONE};
  EGLContext context = EGL_NO_CONTEXT;
  if (eglBindAPI(EGL_OPENGL_API) == EGL_TRUE &&
      epoxy_has_egl_extension(display, "EGL_KHR_no_config_context") &&
      epoxy_has_egl_extension(display, "EGL_KHR_surfaceless_context")) {
    context = eglCreateContext(display, EGL_NO_CONFIG_KHR, EGL_NO_CONTEXT, attributes);
  }
  if (context == EGL_NO_CONTEXT ||
      eglMakeCurrent(display, EGL_NO_SURFACE, EGL_NO_SURFACE, context) != EGL_TRUE) {
    const EGLint problem = eglGetError();
    if (context != EGL_NO_CONTEXT) {
      eglDestroyContext(display, context);
    }
    eglTerminate(display);
    return fail(fmt::format("EGL gives no OpenGL 4.5 context without a window (error {:#x})",
                            static_cast<unsigned>(problem)));
  }
  return EglContext(display, context);
}

EglContext::EglContext(EglContext&& other) noexcept
    : display_(std::exchange(other.display_, EGL_NO_DISPLAY)),
      context_(std::exchange(other.context_, EGL_NO_CONTEXT)) {}

void EglContext::make_current() const {
  if (eglGetCurrentContext() != context_) {
    eglMakeCurrent(display_, EGL_NO_SURFACE, EGL_NO_SURFACE, context_);
  }
}

EglContext::~EglContext() {
  if (context_ == EGL_NO_CONTEXT) {
    return;
  }
  if (eglGetCurrentContext() == context_) {
    eglMakeCurrent(display_, EGL_NO_SURFACE, EGL_NO_SURFACE, EGL_NO_CONTEXT);
  }
  // The display is shared by all contexts of the process, and stays open.
  eglDestroyContext(display_, context_);
}

}  // namespace wakuzume
