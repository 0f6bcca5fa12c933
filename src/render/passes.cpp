// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include <algorithm>
#include <numeric>

#include "render/covering.h"
#include "render/renderer.h"
#include "scene/running.h"

namespace wakuzume {
namespace {

/// Indices after whose drawing it is seen what they hide; half as many more each time.
constexpr std::uint64_t first_batch_indices = 3U << 18U;
constexpr std::uint64_t largest_batch_indices = 3U << 20U;
/// What of crowded pieces is drawn, roughly.
constexpr std::uint32_t crowded_share = 8;
constexpr std::size_t elements_at_once = 4096;

}  // namespace

Result<void> tell_share(const ShotRequest& request, double done) {
  if (!goes_on({0, request.observer}, "drawing", done)) {
    return Failure(make_cancelled());
  }
  return {};
}

/// Which element is the nearest in every pixel: from near to far, without what is behind it
/// already. \return what hides behind all of them
Result<DepthPyramid> Renderer::Impl::find_elements(std::vector<Piece> pieces,
                                                   const Eye& eye,
                                                   const Projector& projector,
                                                   const ShotRequest& request,
                                                   Records& list) {
  std::vector<std::uint32_t> order(pieces.size());
  std::iota(order.begin(), order.end(), 0U);
  std::stable_sort(order.begin(), order.end(), [&](std::uint32_t a, std::uint32_t b) {
    return pieces[a].box.nearest > pieces[b].box.nearest;
  });
  targets.find_elements();
  const bool leaves_out = settings.unseen == Unseen::left_out;
  DepthPyramid pyramid;
  std::uint64_t room = first_batch_indices;
  for (std::size_t o = 0; o < order.size();
       room = std::min(largest_batch_indices, room + room / 2)) {
    if (auto goes_on = tell_share(
            request, finding_share * static_cast<double>(o) / static_cast<double>(order.size()));
        !goes_on) {
      return Failure(goes_on.error());
    }
    std::vector<std::uint32_t> batch;
    std::vector<std::uint32_t> crowded;
    for (std::uint64_t indices = 0; o < order.size() && indices < room; ++o) {
      const Piece& piece = pieces[order[o]];
      if (leaves_out && pyramid.hides(piece.box)) {
        continue;
      }
      const GpuRange& place = items.items[piece.item].place;
      const std::uint32_t count = geometry.runs[place.first_run + piece.run].index_count;
      const bool many = leaves_out && is_crowded(items, geometry, piece);
      (many ? crowded : batch).push_back(order[o]);
      indices += many ? count / crowded_share : count;
    }
    // In the order of the states: where two lie in one place, the first one shows.
    std::sort(batch.begin(), batch.end());
    std::sort(crowded.begin(), crowded.end());
    std::vector<Piece> drawn;
    drawn.reserve(batch.size());
    for (const std::uint32_t b : batch) {
      drawn.push_back(pieces[b]);
    }
    if (auto done = draw_all(drawn, eye, request, Pass::find, list); !done) {
      return Failure(done.error());
    }
    if (auto done = draw_crowded(pieces, crowded, eye, projector, request, list); !done) {
      return Failure(done.error());
    }
    if (leaves_out) {
      pyramid.build(targets.read_depth(), targets.width_px(), targets.height_px());
    }
  }
  return pyramid;
}

Result<void> Renderer::Impl::draw_all(const std::vector<Piece>& pieces,
                                      const Eye& eye,
                                      const ShotRequest& request,
                                      Pass pass,
                                      Records& list) {
  const std::size_t there = list.values.size();
  const std::vector<DrawCall> calls = make_calls(items, geometry, pieces, eye, list);
  upload(list, there);
  DrawState state(*device, eye, request, material_buffer(), pass);
  return issue(calls, state);
}

/// Of pieces with more elements than pixels those that some pixel can show.
Result<void> Renderer::Impl::draw_crowded(const std::vector<Piece>& pieces,
                                          const std::vector<std::uint32_t>& crowded,
                                          const Eye& eye,
                                          const Projector& projector,
                                          const ShotRequest& request,
                                          Records& list) {
  const std::size_t there = list.values.size();
  ElementCalls out;
  for (const CoveringElements& one :
       list_covering(items, geometry, pieces, crowded, eye, projector, {threads, nullptr})) {
    const Piece& piece = pieces[one.piece];
    const GpuRange& place = items.items[piece.item].place;
    const std::uint32_t record = list.add(items, geometry, piece, eye);
    list.of[record].first_listed = static_cast<std::uint32_t>(list.listed.size());
    list.listed.insert(list.listed.end(), one.elements.begin(), one.elements.end());
    out.begin(record, place);
    for (std::uint32_t n = 0; n < one.elements.size(); ++n) {
      out.add(geometry, place, list.find_element(record, n));
    }
  }
  upload(list, there);
  DrawState state(*device, eye, request, material_buffer(), Pass::find);
  return issue(out, list, state);
}

/// A bit for each light of the view that reaches an element.
std::uint32_t Renderer::Impl::find_lights(const ShownElement& shown,
                                          const Eye& eye,
                                          const Records& list) const {
  const GpuRange& place = items.items[list.of[shown.record].item].place;
  const Arena& arena = geometry.arenas[place.arena];
  const auto& rows = list.values[shown.record].rows;
  const std::uint32_t corners = count_corners(place.mode);
  const std::uint32_t* const first =
      &arena.index_list[place.first_index +
                        std::uint64_t{corners} * list.find_element(shown.record, shown.element)];
  std::array<float, 3> low{};
  std::array<float, 3> high{};
  for (std::uint32_t i = 0; i < corners; ++i) {
    const float* const p = &arena.positions[3 * (place.base_vertex + std::size_t{first[i]})];
    for (std::size_t c = 0; c < 3; ++c) {
      const float at = rows[c][0] * p[0] + rows[c][1] * p[1] + rows[c][2] * p[2] + rows[c][3];
      low[c] = i == 0 ? at : std::min(low[c], at);
      high[c] = i == 0 ? at : std::max(high[c], at);
    }
  }
  return find_reaching(eye.lights, low, high);
}

/// What pixels show and nothing else, so that the work is that of the pixels, however much there
/// is.
Result<void> Renderer::Impl::shade(const std::vector<ShownElement>& shown,
                                   const Eye& eye,
                                   const ShotRequest& request,
                                   Records& list) {
  if (shown.empty()) {
    return {};
  }
  ElementCalls out;
  std::vector<std::array<std::uint32_t, 2>> elements(shown.size());
  for (std::size_t e = 0; e < shown.size(); ++e) {
    const GpuRange& place = items.items[list.of[shown[e].record].item].place;
    if (e == 0 || shown[e].record != shown[e - 1].record) {
      out.begin(shown[e].record, place);
      list.values[shown[e].record].first_shown = static_cast<std::uint32_t>(e);
    }
    out.add(geometry, place, list.find_element(shown[e].record, shown[e].element));
  }
  // Most scenes have no lamp that ends, and then there is nothing to find.
  const bool all_reach = !any_ends(eye.lights);
  const std::uint32_t all = (1U << eye.lights.size()) - 1;
  for_each_range(
      shown.size(), elements_at_once, {threads, nullptr}, "",
      [&](std::size_t begin, std::size_t end) {
        for (std::size_t e = begin; e < end; ++e) {
          elements[e] = {shown[e].element, all_reach ? all : find_lights(shown[e], eye, list)};
        }
      });
  upload(list, 0);
  shown_elements = make_buffer(static_cast<GLsizeiptr>(8 * elements.size()), elements.data());
  glBindBufferBase(GL_SHADER_STORAGE_BUFFER, 3, shown_elements.id());
  targets.shade_elements();
  DrawState state(*device, eye, request, material_buffer(), Pass::shade);
  return issue(out, list, state);
}

}  // namespace wakuzume
