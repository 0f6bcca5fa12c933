// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include "render/draw_state.h"

namespace wakuzume {

StateChanges StateTrack::change_to(const ProgramKey& key, const DrawItem& item, bool blended) {
  StateChanges out;
  if (!any_ || key != key_) {
    out.program = true;
    // Another program has uniforms and textures of its own.
    material_ = no_index;
    facing_ = no_index;
  }
  any_ = true;
  key_ = key;
  const std::uint32_t facing =
      2 * static_cast<std::uint32_t>(item.sides) + (item.mirrored ? 1U : 0U);
  out.arena = arena_ != item.place.arena;
  out.facing = facing_ != facing;
  out.blending = blending_ != blended;
  out.material = material_ != item.material;
  out.page = key.baked && page_ != item.page;
  arena_ = item.place.arena;
  facing_ = facing;
  blending_ = blended;
  material_ = item.material;
  page_ = key.baked ? item.page : page_;
  return out;
}

DrawState::~DrawState() {
  glDepthMask(GL_TRUE);
  glDisablei(GL_BLEND, 1);
}

Result<void> DrawState::set(const DrawItem& item, const BoundMaterial& bound, const Arena& arena) {
  const ProgramKey key = make_program_key(bound, arena.layout, item, request_, pass_);
  const StateChanges changes =
      track_.change_to(key, item, pass_ == Pass::blend || pass_ == Pass::collect);
  if (changes.program) {
    auto found = device_.programs.find(key);
    if (!found) {
      return Failure(found.error());
    }
    use(**found);
  }
  if (changes.arena) {
    glBindVertexArray(arena.vertex_array.id());
  }
  if (changes.facing) {
    if (item.sides == Sides::culled) {
      glEnable(GL_CULL_FACE);
      glCullFace(item.mirrored ? GL_FRONT : GL_BACK);
    } else {
      glDisable(GL_CULL_FACE);
    }
    glUniform1i(program_->sides, static_cast<GLint>(item.sides));
  }
  if (changes.blending) {
    glDepthMask(GL_FALSE);
    glEnablei(GL_BLEND, 1);
  }
  if (changes.material && (pass_ != Pass::find || bound.masked)) {
    glBindBufferRange(GL_UNIFORM_BUFFER, 1, materials_.buffer,
                      static_cast<GLintptr>(item.material) * materials_.stride,
                      sizeof(GpuMaterial));
    glBindTextures(0, 5, bound.textures.data());
    glBindSamplers(0, 5, bound.samplers.data());
  }
  if (changes.page) {
    glBindTextureUnit(page_unit, materials_.pages[item.page - 1]);
    glBindSampler(page_unit, materials_.page_sampler);
  }
  return {};
}

void DrawState::use(const Program& program) {
  program_ = &program;
  const Eigen::Matrix4f projection = eye_.projection.cast<float>();
  glUseProgram(program.program.id());
  glUniformMatrix4fv(program.projection, 1, GL_FALSE, projection.data());
  glUniform3f(program.axis, static_cast<float>(eye_.axis.x()), static_cast<float>(eye_.axis.y()),
              static_cast<float>(eye_.axis.z()));
  glUniform1i(program.light_count, static_cast<GLint>(eye_.lights.size()));
  glUniform1f(program.texel_scale, materials_.texel_scale);
}

}  // namespace wakuzume
