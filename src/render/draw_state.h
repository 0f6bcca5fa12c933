// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#pragma once

#include <span>

#include "render/device.h"
#include "render/eye.h"
#include "render/items.h"
#include "wakuzume/shot.h"

/// What the driver is told before a draw: only what changes.
namespace wakuzume {

/// What of the driver's state a draw needs changed.
struct StateChanges {
  bool program = false;
  bool arena = false;
  bool facing = false;
  bool blending = false;
  bool material = false;
  bool page = false;
};

/// Follows the state from draw to draw, without a driver.
class StateTrack {
 public:
  /// \param key  what the draw's program has to do
  StateChanges change_to(const ProgramKey& key, const DrawItem& item, bool blended);

 private:
  ProgramKey key_;
  bool any_ = false;
  std::uint32_t arena_ = no_index;
  std::uint32_t material_ = no_index;
  std::uint32_t page_ = 0;
  std::uint32_t facing_ = no_index;  ///< sides and mirroring
  bool blending_ = false;
};

/// Values of all materials on the device, and textures that are none of theirs.
struct MaterialBuffer {
  GLuint buffer = 0;
  GLintptr stride = 0;
  float texel_scale = 1;    ///< texels of the pictures by those that are there
  GLuint page_sampler = 0;  ///< of lightmap pages
  std::span<const GLuint> pages{};
};

class DrawState {
 public:
  /// All are borrowed.
  DrawState(RenderDevice& device,
            const Eye& eye,
            const ShotRequest& request,
            const MaterialBuffer& materials,
            Pass pass)
      : device_(device), eye_(eye), request_(request), materials_(materials), pass_(pass) {}
  DrawState(const DrawState&) = delete;
  DrawState& operator=(const DrawState&) = delete;
  ~DrawState();

  /// \error cannot_render
  Result<void> set(const DrawItem& item, const BoundMaterial& bound, const Arena& arena);

 private:
  void use(const Program& program);

  RenderDevice& device_;
  const Eye& eye_;
  const ShotRequest& request_;
  MaterialBuffer materials_;
  Pass pass_;
  StateTrack track_;
  const Program* program_ = nullptr;
};

}  // namespace wakuzume
