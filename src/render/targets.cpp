// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include "render/targets.h"

namespace wakuzume {
namespace {

/// Linear; what is seen where nothing is.
constexpr std::array<float, 4> background{0.36F, 0.40F, 0.45F, 1.0F};

GlTexture make_target(GLenum format, std::uint32_t width_px, std::uint32_t height_px) {
  GlTexture out = GlTexture::make();
  glTextureStorage2D(out.id(), 1, format, static_cast<GLsizei>(width_px),
                     static_cast<GLsizei>(height_px));
  return out;
}

}  // namespace

void Targets::make(std::uint32_t width_px, std::uint32_t height_px) {
  width_px_ = width_px;
  height_px_ = height_px;
  hits_ = make_target(GL_RGBA32UI, width_px, height_px);
  picture_ = make_target(GL_SRGB8_ALPHA8, width_px, height_px);
  depth_ = make_target(GL_DEPTH_COMPONENT32F, width_px, height_px);
  surfaces_ = make_target(GL_R32F, width_px, height_px);
  framebuffer_ = GlFramebuffer::make();
  glNamedFramebufferTexture(framebuffer_.id(), GL_COLOR_ATTACHMENT0, hits_.id(), 0);
  glNamedFramebufferTexture(framebuffer_.id(), GL_COLOR_ATTACHMENT1, picture_.id(), 0);
  glNamedFramebufferTexture(framebuffer_.id(), GL_DEPTH_ATTACHMENT, depth_.id(), 0);
  counting_ = GlFramebuffer::make();
  glNamedFramebufferTexture(counting_.id(), GL_COLOR_ATTACHMENT0, surfaces_.id(), 0);
}

void Targets::begin(std::uint32_t width_px, std::uint32_t height_px, const ShotRequest& request) {
  if (width_px != width_px_ || height_px != height_px_) {
    make(width_px, height_px);
  }
  glEnable(GL_FRAMEBUFFER_SRGB);  // before all else: a clear obeys it too
  glViewport(0, 0, static_cast<GLsizei>(width_px), static_cast<GLsizei>(height_px));
  glClipControl(GL_UPPER_LEFT, GL_ZERO_TO_ONE);
  // What points upwards in the picture turns round with the origin, and so would the winding.
  glFrontFace(GL_CCW);
  glEnable(GL_PROGRAM_POINT_SIZE);
  glDisable(GL_BLEND);
  glDepthMask(GL_TRUE);
  constexpr std::array<float, 4> zeros{};
  if (request.measure == Measure::surfaces) {
    glBindFramebuffer(GL_FRAMEBUFFER, counting_.id());
    glClearNamedFramebufferfv(counting_.id(), GL_COLOR, 0, zeros.data());
    glDisable(GL_DEPTH_TEST);
    glEnable(GL_BLEND);
    glBlendFunc(GL_ONE, GL_ONE);
    return;
  }
  const bool lit = request.shading == Shading::lit;
  constexpr std::array<GLenum, 2> buffers{GL_COLOR_ATTACHMENT0, GL_COLOR_ATTACHMENT1};
  glNamedFramebufferDrawBuffers(framebuffer_.id(), lit ? 2 : 1, buffers.data());
  glBindFramebuffer(GL_FRAMEBUFFER, framebuffer_.id());
  constexpr std::array<GLuint, 4> nothing{0xFFFF'FFFFU, 0, 0, 0};
  glClearNamedFramebufferuiv(framebuffer_.id(), GL_COLOR, 0, nothing.data());
  if (lit) {
    glClearNamedFramebufferfv(framebuffer_.id(), GL_COLOR, 1, background.data());
  }
  glClearNamedFramebufferfv(framebuffer_.id(), GL_DEPTH, 0, zeros.data());
  glEnable(GL_DEPTH_TEST);
  glDepthFunc(GL_GREATER);
  glBlendFuncSeparate(GL_ONE, GL_ONE_MINUS_SRC_ALPHA, GL_ONE, GL_ONE_MINUS_SRC_ALPHA);
}

std::vector<std::array<std::uint32_t, 4>> Targets::read_hits() const {
  std::vector<std::array<std::uint32_t, 4>> out(std::size_t{width_px_} * height_px_);
  glNamedFramebufferReadBuffer(framebuffer_.id(), GL_COLOR_ATTACHMENT0);
  glReadPixels(0, 0, static_cast<GLsizei>(width_px_), static_cast<GLsizei>(height_px_),
               GL_RGBA_INTEGER, GL_UNSIGNED_INT, out.data());
  return out;
}

Pixels Targets::read_picture() const {
  Pixels out{width_px_, height_px_,
             std::vector<std::uint8_t>(std::size_t{4} * width_px_ * height_px_)};
  glNamedFramebufferReadBuffer(framebuffer_.id(), GL_COLOR_ATTACHMENT1);
  glReadPixels(0, 0, static_cast<GLsizei>(width_px_), static_cast<GLsizei>(height_px_), GL_RGBA,
               GL_UNSIGNED_BYTE, out.rgba.data());
  return out;
}

std::vector<float> Targets::read_surfaces() const {
  std::vector<float> out(std::size_t{width_px_} * height_px_);
  glNamedFramebufferReadBuffer(counting_.id(), GL_COLOR_ATTACHMENT0);
  glReadPixels(0, 0, static_cast<GLsizei>(width_px_), static_cast<GLsizei>(height_px_), GL_RED,
               GL_FLOAT, out.data());
  return out;
}

}  // namespace wakuzume
