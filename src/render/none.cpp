// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include "wakuzume/render.h"

/// In place of the renderer, in a library that was built without it.
namespace wakuzume {
namespace {

Failure fail() {
  return Failure(Error{ErrorCode::cannot_render,
                       "this library was built without rendering (WAKUZUME_RENDERING=OFF)",
                       {}});
}

}  // namespace

class RenderDevice {};
struct Renderer::Impl {};

Result<std::shared_ptr<RenderDevice>> open_render_device() { return fail(); }
std::string to_string(const RenderDevice&) { return "nothing"; }

Renderer::Renderer(std::unique_ptr<Impl> impl) : impl_(std::move(impl)) {}
Renderer::~Renderer() = default;
Result<std::unique_ptr<Renderer>> Renderer::make(const ShownScene&,
                                                 std::shared_ptr<RenderDevice>,
                                                 const PictureCodec&,
                                                 const RenderSettings&,
                                                 const RunControl&) {
  return fail();
}
Result<Shot> Renderer::make_shot(const Viewpoint&, const ShotRequest&) { return fail(); }
ShotLosses Renderer::losses() const { return {}; }

}  // namespace wakuzume
