// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#pragma once

#include <cstdint>
#include <map>

#include "render/gl_objects.h"
#include "wakuzume/result.h"
#include "wakuzume/shot.h"

/// Shader programs, made when they are first needed.
namespace wakuzume {

/// What drawing is for.
enum class Pass : std::uint8_t {
  find,     ///< which element each pixel shows
  shade,    ///< those elements, each where it shows
  blend,    ///< both at once, over what is there
  collect,  ///< what would be blended, layer by layer
  count     ///< surfaces, hidden ones included
};

/// Texture unit of the elements that pixels show, for Pass::shade.
inline constexpr std::uint32_t shown_unit = 5;
/// Of the lightmap page.
inline constexpr std::uint32_t page_unit = 6;

/// What a program can do. Software renderers run both sides of a branch: what is not needed is left
/// out when the program is made.
struct ProgramKey {
  Pass pass = Pass::find;
  std::uint8_t textures = 0;  ///< a bit a slot
  std::uint8_t uv_sets = 1;   ///< \range [1, 5]
  bool normals = false;
  bool tangents = false;
  bool colors = false;
  bool layers = false;
  bool baked = false;  ///< lit by a lightmap page
  bool lit = false;    ///< makes a picture
  bool unlit = false;
  bool may_discard = false;
  Measure measure = Measure::none;
  auto operator<=>(const ProgramKey&) const = default;
};

struct Program {
  GlProgram program;
  GLint projection = -1;
  GLint axis = -1;
  GLint sides = -1;
  GLint light_count = -1;
  GLint texel_scale = -1;
};

class Programs {
 public:
  /// \error cannot_render  with what the driver says
  Result<const Program*> find(const ProgramKey& key);

 private:
  std::map<ProgramKey, Program> made_;
};

}  // namespace wakuzume
