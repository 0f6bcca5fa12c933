// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include "render/targets.h"

#include <utility>

#include "render/programs.h"

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
  elements_ = make_target(GL_RG32UI, width_px, height_px);
  // Numbers are not filtered.
  glTextureParameteri(elements_.id(), GL_TEXTURE_MIN_FILTER, GL_NEAREST);
  glTextureParameteri(elements_.id(), GL_TEXTURE_MAG_FILTER, GL_NEAREST);
  picture_ = make_target(GL_SRGB8_ALPHA8, width_px, height_px);
  measures_ = make_target(GL_RG32F, width_px, height_px);
  depth_ = make_target(GL_DEPTH_COMPONENT32F, width_px, height_px);
  surfaces_ = make_target(GL_R32F, width_px, height_px);
  const auto make_framebuffer = [&](bool finds, bool shades) {
    GlFramebuffer out = GlFramebuffer::make();
    if (finds) {
      glNamedFramebufferTexture(out.id(), GL_COLOR_ATTACHMENT0, elements_.id(), 0);
    }
    if (shades) {
      glNamedFramebufferTexture(out.id(), GL_COLOR_ATTACHMENT1, picture_.id(), 0);
      glNamedFramebufferTexture(out.id(), GL_COLOR_ATTACHMENT2, measures_.id(), 0);
    }
    glNamedFramebufferTexture(out.id(), GL_DEPTH_ATTACHMENT, depth_.id(), 0);
    return out;
  };
  finding_ = make_framebuffer(true, false);
  shading_ = make_framebuffer(false, true);
  blending_ = make_framebuffer(true, true);
  collecting_ = make_framebuffer(false, false);
  glNamedFramebufferDrawBuffer(collecting_.id(), GL_NONE);
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
    glClearNamedFramebufferfv(counting_.id(), GL_COLOR, 0, zeros.data());
    return;
  }
  constexpr std::array<GLuint, 4> nothing{0xFFFF'FFFFU, 0, 0, 0};
  glClearNamedFramebufferuiv(finding_.id(), GL_COLOR, 0, nothing.data());
  glClearNamedFramebufferfv(finding_.id(), GL_DEPTH, 0, zeros.data());
  for (const auto& [framebuffer, first] :
       {std::pair(shading_.id(), GLenum{GL_NONE}),
        std::pair(blending_.id(), GLenum{GL_COLOR_ATTACHMENT0})}) {
    const std::array<GLenum, 3> buffers{
        first, request.shading == Shading::lit ? GLenum{GL_COLOR_ATTACHMENT1} : GLenum{GL_NONE},
        GL_COLOR_ATTACHMENT2};
    glNamedFramebufferDrawBuffers(framebuffer, 3, buffers.data());
  }
  if (request.shading == Shading::lit) {
    glClearNamedFramebufferfv(shading_.id(), GL_COLOR, 1, background.data());
  }
  glEnable(GL_DEPTH_TEST);
}

void Targets::find_elements() {
  glBindFramebuffer(GL_FRAMEBUFFER, finding_.id());
  glDepthFunc(GL_GREATER);
}

void Targets::shade_elements() {
  glBindFramebuffer(GL_FRAMEBUFFER, shading_.id());
  glBindTextureUnit(shown_unit, elements_.id());
  glDepthMask(GL_FALSE);
  glDepthFunc(GL_EQUAL);
}

void Targets::blend_elements() {
  glBindFramebuffer(GL_FRAMEBUFFER, blending_.id());
  glBindTextureUnit(shown_unit, 0);
  glDepthFunc(GL_GREATER);
  glBlendFuncSeparate(GL_ONE, GL_ONE_MINUS_SRC_ALPHA, GL_ONE, GL_ONE_MINUS_SRC_ALPHA);
}

void Targets::collect_layers() {
  glBindFramebuffer(GL_FRAMEBUFFER, collecting_.id());
  glBindTextureUnit(shown_unit, 0);
  glDepthFunc(GL_GREATER);
}

void Targets::count_surfaces() {
  glBindFramebuffer(GL_FRAMEBUFFER, counting_.id());
  glDisable(GL_DEPTH_TEST);
  glEnable(GL_BLEND);
  glBlendFunc(GL_ONE, GL_ONE);
}

template <class Pixel>
std::vector<Pixel> Targets::read(const GlFramebuffer& from,
                                 GLenum attachment,
                                 GLenum format,
                                 GLenum type) const {
  std::vector<Pixel> out(std::size_t{width_px_} * height_px_);
  glBindFramebuffer(GL_READ_FRAMEBUFFER, from.id());
  if (attachment != GL_DEPTH_ATTACHMENT) {
    glNamedFramebufferReadBuffer(from.id(), attachment);
  }
  glReadPixels(0, 0, static_cast<GLsizei>(width_px_), static_cast<GLsizei>(height_px_), format,
               type, out.data());
  return out;
}

std::vector<float> Targets::read_depth() const {
  return read<float>(finding_, GL_DEPTH_ATTACHMENT, GL_DEPTH_COMPONENT, GL_FLOAT);
}

std::vector<std::array<std::uint32_t, 2>> Targets::read_elements() const {
  return read<std::array<std::uint32_t, 2>>(finding_, GL_COLOR_ATTACHMENT0, GL_RG_INTEGER,
                                            GL_UNSIGNED_INT);
}

std::vector<std::array<float, 2>> Targets::read_measures() const {
  return read<std::array<float, 2>>(shading_, GL_COLOR_ATTACHMENT2, GL_RG, GL_FLOAT);
}

Pixels Targets::read_picture() const {
  Pixels out{width_px_, height_px_,
             std::vector<std::uint8_t>(std::size_t{4} * width_px_ * height_px_)};
  glBindFramebuffer(GL_READ_FRAMEBUFFER, shading_.id());
  glNamedFramebufferReadBuffer(shading_.id(), GL_COLOR_ATTACHMENT1);
  glReadPixels(0, 0, static_cast<GLsizei>(width_px_), static_cast<GLsizei>(height_px_), GL_RGBA,
               GL_UNSIGNED_BYTE, out.rgba.data());
  return out;
}

std::vector<float> Targets::read_surfaces() const {
  return read<float>(counting_, GL_COLOR_ATTACHMENT0, GL_RED, GL_FLOAT);
}

}  // namespace wakuzume
