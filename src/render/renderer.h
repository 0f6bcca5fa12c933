// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#pragma once

#include <array>
#include <cstdint>
#include <memory>
#include <vector>

#include "render/baked.h"
#include "render/device.h"
#include "render/draw_state.h"
#include "render/eye.h"
#include "render/items.h"
#include "render/layers.h"
#include "render/lights.h"
#include "render/pieces.h"
#include "render/targets.h"
#include "render/unseen.h"
#include "wakuzume/render.h"

namespace wakuzume {

/// How much of a shot is finding what shows.
inline constexpr double finding_share = 0.8;

/// \error cancelled
Result<void> tell_share(const ShotRequest& request, double done);

/// Elements by themselves, a call for all those of a record.
struct ElementCalls {
  std::vector<std::uint32_t> indices;
  std::vector<IndirectCall> calls;

  void begin(std::uint32_t record, const GpuRange& place) {
    calls.push_back({0, 1, static_cast<std::uint32_t>(indices.size()),
                     static_cast<std::int32_t>(place.base_vertex), record});
  }
  /// \param element  of the whole draw
  void add(const GpuGeometry& geometry, const GpuRange& place, std::uint32_t element) {
    const std::uint32_t corners = count_corners(place.mode);
    const auto from =
        geometry.arenas[place.arena].index_list.begin() +
        static_cast<std::ptrdiff_t>(place.first_index + std::uint64_t{corners} * element);
    indices.insert(indices.end(), from, from + corners);
    calls.back().index_count += corners;
  }
};

/// A shot in the order of its steps: what is in sight, its passes (passes.cpp), and how they reach
/// the device (submission.cpp).
struct Renderer::Impl {
  const Scene& scene;
  const Survey& survey;
  std::shared_ptr<RenderDevice> device;
  RenderSettings settings;
  GpuTextures textures{};
  BakedLight baked{};
  GlBuffer numbers{};
  GpuGeometry geometry{};
  DrawItems items{};
  std::vector<PlacedLight> lights{};
  GlBuffer records{};
  GlBuffer materials{};
  GLintptr material_stride = 0;  ///< as the device wants ranges of uniforms aligned
  GlBuffer layers{};
  GlBuffer light_buffer{};
  Targets targets{};
  LayerBuffers layer_buffers{};
  std::vector<Vec3d> origins{};  ///< by draw: of its node

  std::uint32_t threads = 0;
  /// Items in sight, in the order in which they are drawn.
  std::vector<std::uint32_t> seen{};
  std::size_t record_room = 0;
  GlBuffer element_indices{};
  GlBuffer element_calls{};
  GlBuffer shown_elements{};

  Result<void> prepare(std::span<const LitPage> lightmaps,
                       const PictureCodec& codec,
                       const RunControl& run);
  [[nodiscard]] Result<void> check_geometry() const;
  GlBuffer make_material_buffer();
  void find_seen(const Viewpoint& view, const ShotRequest& request);
  [[nodiscard]] Submitted count_submitted(const ShotRequest& request) const;
  void make_room(const Records& list);
  void upload(const Records& list, std::size_t from);
  Result<void> issue(const std::vector<DrawCall>& calls, DrawState& state);
  Result<DepthPyramid> find_elements(std::vector<Piece> pieces,
                                     const Eye& eye,
                                     const Projector& projector,
                                     const ShotRequest& request,
                                     Records& list);
  Result<void> issue(const ElementCalls& list, const Records& of, DrawState& state);
  Result<void> draw_crowded(const std::vector<Piece>& pieces,
                            const std::vector<std::uint32_t>& crowded,
                            const Eye& eye,
                            const Projector& projector,
                            const ShotRequest& request,
                            Records& list);
  [[nodiscard]] std::uint32_t find_lights(const ShownElement& shown,
                                          const Eye& eye,
                                          const Records& list) const;
  Result<void> shade(const std::vector<ShownElement>& shown,
                     const Eye& eye,
                     const ShotRequest& request,
                     Records& list);
  Result<void> draw_all(const std::vector<Piece>& pieces,
                        const Eye& eye,
                        const ShotRequest& request,
                        Pass pass,
                        Records& list);
  Result<double> time_submission(const Eye& eye, const ShotRequest& request);
  Result<Shot> make_shot(const Viewpoint& view, const ShotRequest& request);
  [[nodiscard]] MaterialBuffer material_buffer() const {
    return {materials.id(), material_stride, static_cast<float>(1U << textures.halvings),
            baked.sampler.id(), items.pages};
  }
  Result<void> draw_shot(std::vector<Piece> pieces,
                         const Eye& eye,
                         const Projector& projector,
                         const ShotRequest& request,
                         Records& list,
                         Shot& shot);
  Result<std::vector<LayeredPixel>> collect_layers(const std::vector<Piece>& panes,
                                                   const Eye& eye,
                                                   const ShotRequest& request,
                                                   const Pixels& behind,
                                                   Records& list);
  static void add_layers(const std::vector<LayeredPixel>& layered,
                         std::vector<std::array<std::uint32_t, 2>>& pixels,
                         Shot& shot);
  void make_hits(const std::vector<std::array<std::uint32_t, 2>>& pixels,
                 const Records& list,
                 Measure measure,
                 Shot& shot) const;
};

}  // namespace wakuzume
