// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include "render/covering.h"

#include <algorithm>
#include <cmath>

#include "scene/running.h"

namespace wakuzume {
namespace {

constexpr std::size_t pieces_at_once = 64;
/// Fewer are drawn sooner than looked at.
constexpr std::uint32_t least_elements = 32;

/// Where vertices are on the screen, pixels from the left and the top.
struct Places {
  std::vector<double> x;
  std::vector<double> y;
};

class CoveringLister {
 public:
  CoveringLister(const DrawItems& items,
                 const GpuGeometry& geometry,
                 const Eye& eye,
                 const Projector& projector)
      : items_(items), geometry_(geometry), eye_(eye), projector_(projector) {}

  /// \param places  scratch
  std::vector<std::uint32_t> list(const Piece& piece, Places& places) const {
    const GpuRange& place = items_.items[piece.item].place;
    const ElementRun& run = geometry_.runs[place.first_run + piece.run];
    const Arena& arena = geometry_.arenas[place.arena];
    find_places(piece, run,
                &arena.positions[3 * (place.base_vertex + std::size_t{run.first_vertex})], places);
    const std::uint32_t* const corners = &arena.index_list[place.first_index + run.first_index];
    std::vector<std::uint32_t> out;
    for (std::uint32_t e = 0; e < run.index_count / 3; ++e) {
      const std::uint32_t a = corners[3 * e] - run.first_vertex;
      const std::uint32_t b = corners[3 * e + 1] - run.first_vertex;
      const std::uint32_t c = corners[3 * e + 2] - run.first_vertex;
      if (holds_centre(places.x[a], places.x[b], places.x[c]) &&
          holds_centre(places.y[a], places.y[b], places.y[c])) {
        out.push_back(e);
      }
    }
    return out;
  }

 private:
  void find_places(const Piece& piece,
                   const ElementRun& run,
                   const float* positions,
                   Places& places) const {
    const Eigen::Matrix4d m =
        projector_.make_clip_matrix(items_.instance_world[piece.instance], eye_.at);
    places.x.resize(run.vertex_count);
    places.y.resize(run.vertex_count);
    const double half_width = projector_.width_px() / 2;
    const double half_height = projector_.height_px() / 2;
    for (std::uint32_t v = 0; v < run.vertex_count; ++v) {
      const double px = static_cast<double>(positions[3 * std::size_t{v}]);
      const double py = static_cast<double>(positions[3 * std::size_t{v} + 1]);
      const double pz = static_cast<double>(positions[3 * std::size_t{v} + 2]);
      const double w = m(3, 0) * px + m(3, 1) * py + m(3, 2) * pz + m(3, 3);
      places.x[v] =
          half_width + half_width * (m(0, 0) * px + m(0, 1) * py + m(0, 2) * pz + m(0, 3)) / w;
      places.y[v] =
          half_height - half_height * (m(1, 0) * px + m(1, 1) * py + m(1, 2) * pz + m(1, 3)) / w;
    }
  }

  /// Some n + 0.5 lies between the least and the most of three, or nearly.
  static bool holds_centre(double a, double b, double c) {
    const double low = std::min(std::min(a, b), c) - snap_px - 0.5;
    const double high = std::max(std::max(a, b), c) + snap_px - 0.5;
    return !(std::ceil(low) > high);
  }

  const DrawItems& items_;
  const GpuGeometry& geometry_;
  const Eye& eye_;
  const Projector& projector_;
};

}  // namespace

bool is_crowded(const DrawItems& items, const GpuGeometry& geometry, const Piece& piece) {
  const GpuRange& place = items.items[piece.item].place;
  const ElementRun& run = geometry.runs[place.first_run + piece.run];
  const std::int64_t pixels = (std::int64_t{piece.box.right} - piece.box.left + 1) *
                              (std::int64_t{piece.box.bottom} - piece.box.top + 1);
  return place.mode == GL_TRIANGLES && run.index_count / 3 >= least_elements &&
         pixels < run.index_count / 3 && run.vertex_count <= run.index_count;
}

std::vector<CoveringElements> list_covering(const DrawItems& items,
                                            const GpuGeometry& geometry,
                                            const std::vector<Piece>& all,
                                            const std::vector<std::uint32_t>& pieces,
                                            const Eye& eye,
                                            const Projector& projector,
                                            const RunControl& run) {
  const CoveringLister lister(items, geometry, eye, projector);
  std::vector<CoveringElements> out(pieces.size());
  for_each_range(pieces.size(), pieces_at_once, {run.threads, nullptr}, "",
                 [&](std::size_t begin, std::size_t end) {
                   Places places;
                   for (std::size_t i = begin; i < end; ++i) {
                     out[i] = {pieces[i], lister.list(all[pieces[i]], places)};
                   }
                 });
  std::erase_if(out, [](const CoveringElements& one) { return one.elements.empty(); });
  return out;
}

}  // namespace wakuzume
