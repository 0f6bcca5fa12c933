// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include "render/programs.h"

#include <fmt/format.h>

#include <array>
#include <string>

#include "render/shader_texts.h"

namespace wakuzume {
namespace {

std::string make_head(const ProgramKey& key) {
  std::string out = "#version 450 core\n";
  out += fmt::format("#define TEXTURES {}\n#define UV_SETS {}\n", key.textures, key.uv_sets);
  const std::pair<bool, const char*> words[] = {
      {key.normals, "HAS_NORMALS"},
      {key.tangents, "HAS_TANGENTS"},
      {key.colors, "HAS_COLORS"},
      {key.layers, "HAS_LAYERS"},
      {key.baked, "HAS_PAGE"},
      {key.lit, "LIT"},
      {key.unlit, "UNLIT"},
      {key.pass == Pass::find || key.pass == Pass::blend, "FINDS"},
      {key.pass == Pass::shade, "SHADES"},
      {key.pass == Pass::shade || key.pass == Pass::blend, "MEASURES"},
      {key.pass == Pass::blend || key.pass == Pass::collect, "BLENDED"},
      {key.pass == Pass::collect, "COLLECTS"},
      {key.may_discard, "MAY_DISCARD"},
      {key.measure == Measure::facing, "MEASURES_FACING"},
      {key.measure == Measure::tile_checks, "MEASURES_TILES"},
      {key.measure == Measure::texels_per_metre, "MEASURES_TEXELS"},
      {key.measure == Measure::baked_light, "MEASURES_LIGHT"},
      {key.pass == Pass::count, "COUNTS_SURFACES"},
  };
  for (const auto& [on, word] : words) {
    out += on ? fmt::format("#define {}\n", word) : "";
  }
  return out;
}

Failure refuse_shader(const std::string& log) {
  return Failure(Error{ErrorCode::cannot_render, "the driver does not take a shader: " + log, {}});
}

Result<void> attach(GLuint program, GLenum stage, const std::string& head, const char* text) {
  const GLuint shader = glCreateShader(stage);
  const std::array<const char*, 2> parts{head.c_str(), text};
  glShaderSource(shader, 2, parts.data(), nullptr);
  glCompileShader(shader);
  GLint good = GL_FALSE;
  glGetShaderiv(shader, GL_COMPILE_STATUS, &good);
  if (good != GL_TRUE) {
    std::array<char, 2048> log{};
    glGetShaderInfoLog(shader, static_cast<GLsizei>(log.size()), nullptr, log.data());
    glDeleteShader(shader);
    return refuse_shader(log.data());
  }
  glAttachShader(program, shader);
  glDeleteShader(shader);  // goes with the program
  return {};
}

}  // namespace

Result<const Program*> Programs::find(const ProgramKey& key) {
  const auto known = made_.find(key);
  if (known != made_.end()) {
    return &known->second;
  }
  const std::string head = make_head(key);
  Program made;
  made.program = GlProgram::make();
  const GLuint id = made.program.id();
  for (const auto& [stage, text] : {std::pair{GLenum{GL_VERTEX_SHADER}, vertex_shader_text},
                                    std::pair{GLenum{GL_FRAGMENT_SHADER}, fragment_shader_text}}) {
    if (auto done = attach(id, stage, head, text); !done) {
      return Failure(done.error());
    }
  }
  glLinkProgram(id);
  GLint good = GL_FALSE;
  glGetProgramiv(id, GL_LINK_STATUS, &good);
  if (good != GL_TRUE) {
    std::array<char, 2048> log{};
    glGetProgramInfoLog(id, static_cast<GLsizei>(log.size()), nullptr, log.data());
    return refuse_shader(log.data());
  }
  made.projection = glGetUniformLocation(id, "projection");
  made.axis = glGetUniformLocation(id, "axis");
  made.sides = glGetUniformLocation(id, "sides");
  made.light_count = glGetUniformLocation(id, "light_count");
  made.texel_scale = glGetUniformLocation(id, "texel_scale");
  const GLint pictures = glGetUniformLocation(id, "pictures");
  if (pictures >= 0) {
    constexpr std::array<GLint, 5> units{0, 1, 2, 3, 4};
    glProgramUniform1iv(id, pictures, 5, units.data());
  }
  if (const GLint shown = glGetUniformLocation(id, "shown"); shown >= 0) {
    glProgramUniform1i(id, shown, shown_unit);
  }
  if (const GLint page = glGetUniformLocation(id, "page"); page >= 0) {
    glProgramUniform1i(id, page, page_unit);
  }
  return &made_.emplace(key, std::move(made)).first->second;
}

}  // namespace wakuzume
