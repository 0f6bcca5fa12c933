// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include "render/layers.h"

#include <algorithm>
#include <cmath>
#include <tuple>

#include "scene/running.h"
#include "scene/srgb.h"

namespace wakuzume {
namespace {

constexpr std::size_t pixels_at_once = 16'384;
/// Of a distance, by how much it may be off: nearer to each other, in which order is chance.
constexpr float same_distance = 1e-6F;
/// Of more layers in a pixel than these, the nearest are held against each other.
constexpr std::size_t most_held = 64;

/// As the buffer begins: how many there are and may be, and pixels of a row.
constexpr GLsizeiptr count_bytes = 16;

bool is_nearer(const GpuLayer& a, const GpuLayer& b) {
  return b.distance_m - a.distance_m > same_distance * std::abs(b.distance_m);
}

/// Pairs of which the farther is drawn over the nearer, and shows it.
std::size_t count_misplaced(const std::vector<GpuLayer>& drawn) {
  const std::size_t first = drawn.size() > most_held ? drawn.size() - most_held : 0;
  std::size_t out = 0;
  for (std::size_t a = first; a < drawn.size(); ++a) {
    for (std::size_t b = a + 1; b < drawn.size(); ++b) {
      out += is_nearer(drawn[a], drawn[b]) && drawn[a].color != drawn[b].color ? 1U : 0U;
    }
  }
  return out;
}

/// Over what is behind, with the rounding of the picture they are drawn into.
std::array<std::uint8_t, 3> blend(const std::vector<GpuLayer>& layers, const std::uint8_t* behind) {
  std::array<std::uint8_t, 3> out{behind[0], behind[1], behind[2]};
  for (const GpuLayer& layer : layers) {
    for (std::size_t c = 0; c < 3; ++c) {
      out[c] = linear_to_srgb(layer.color[c] + srgb_to_linear()[out[c]] * (1 - layer.color[3]));
    }
  }
  return out;
}

LayeredPixel sort_pixel(std::vector<GpuLayer>& layers, const std::uint8_t* behind) {
  std::sort(layers.begin(), layers.end(), [](const GpuLayer& a, const GpuLayer& b) {
    return std::tie(a.record, a.element) < std::tie(b.record, b.element);
  });
  LayeredPixel out;
  out.count = static_cast<std::uint16_t>(std::min<std::size_t>(layers.size(), 0xFFFF));
  out.misplaced =
      static_cast<std::uint16_t>(std::min<std::size_t>(count_misplaced(layers), 0xFFFF));
  if (out.misplaced > 0) {
    std::stable_sort(layers.begin(), layers.end(), [](const GpuLayer& a, const GpuLayer& b) {
      return a.distance_m > b.distance_m;
    });
    out.exact = blend(layers, behind);
  }
  // Where several lie in one place, the one drawn last.
  const GpuLayer* nearest = &layers.back();
  for (auto layer = layers.rbegin(); layer != layers.rend(); ++layer) {
    nearest = is_nearer(*layer, *nearest) ? &*layer : nearest;
  }
  out.record = nearest->record;
  out.element = nearest->element;
  out.distance_m = nearest->distance_m;
  return out;
}

}  // namespace

void LayerBuffers::begin(std::uint32_t width_px, std::uint32_t height_px, std::uint32_t room) {
  constexpr GLuint nothing = 0;
  const std::size_t pixels = std::size_t{width_px} * height_px;
  if (pixels != pixels_) {
    pixels_ = pixels;
    heads_ = make_buffer(static_cast<GLsizeiptr>(4 * pixels), nullptr);
  }
  if (room > room_) {
    room_ = room;
    layers_ = make_buffer(count_bytes + static_cast<GLsizeiptr>(room * sizeof(GpuLayer)), nullptr);
  }
  const std::array<std::uint32_t, 4> head{0, room_, width_px, 0};
  glNamedBufferSubData(layers_.id(), 0, count_bytes, head.data());
  glClearNamedBufferData(heads_.id(), GL_R32UI, GL_RED_INTEGER, GL_UNSIGNED_INT, &nothing);
  glBindBufferBase(GL_SHADER_STORAGE_BUFFER, 4, layers_.id());
  glBindBufferBase(GL_SHADER_STORAGE_BUFFER, 5, heads_.id());
}

std::uint32_t LayerBuffers::count() const {
  std::uint32_t out = 0;
  glMemoryBarrier(GL_BUFFER_UPDATE_BARRIER_BIT);
  glGetNamedBufferSubData(layers_.id(), 0, 4, &out);
  return out;
}

std::vector<std::uint32_t> LayerBuffers::read_heads() const {
  std::vector<std::uint32_t> out(pixels_);
  glGetNamedBufferSubData(heads_.id(), 0, static_cast<GLsizeiptr>(4 * pixels_), out.data());
  return out;
}

std::vector<GpuLayer> LayerBuffers::read_layers() const {
  std::vector<GpuLayer> out(std::min(count(), room_));
  glGetNamedBufferSubData(layers_.id(), count_bytes,
                          static_cast<GLsizeiptr>(out.size() * sizeof(GpuLayer)), out.data());
  return out;
}

std::vector<LayeredPixel> sort_layers(const std::vector<std::uint32_t>& heads,
                                      const std::vector<GpuLayer>& layers,
                                      const Pixels& behind,
                                      const RunControl& run) {
  std::vector<LayeredPixel> out(heads.size());
  for_each_range(heads.size(), pixels_at_once, {run.threads, nullptr}, "",
                 [&](std::size_t begin, std::size_t end) {
                   std::vector<GpuLayer> here;
                   for (std::size_t p = begin; p < end; ++p) {
                     here.clear();
                     for (std::uint32_t l = heads[p]; l != 0; l = here.back().next) {
                       here.push_back(layers[l - 1]);
                     }
                     if (!here.empty()) {
                       out[p] = sort_pixel(here, &behind.rgba[4 * p]);
                     }
                   }
                 });
  return out;
}

}  // namespace wakuzume
