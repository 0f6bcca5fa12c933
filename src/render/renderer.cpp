// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include <fmt/format.h>

#include <algorithm>
#include <bit>
#include <cmath>
#include <cstring>
#include <ctime>
#include <numeric>
#include <tuple>

#include "render/covering.h"
#include "render/device.h"
#include "render/draw_state.h"
#include "render/eye.h"
#include "render/items.h"
#include "render/lights.h"
#include "render/pieces.h"
#include "render/targets.h"
#include "render/unseen.h"
#include "scene/matrix.h"
#include "scene/running.h"
#include "wakuzume/render.h"

namespace wakuzume {
namespace {

double read_thread_ms() {
  timespec now{};
  clock_gettime(CLOCK_THREAD_CPUTIME_ID, &now);
  return static_cast<double>(now.tv_sec) * 1e3 + static_cast<double>(now.tv_nsec) / 1e6;
}

double find_aspect(const Viewpoint& view) {
  return view.perspective ? view.aspect : view.xmag / view.ymag;
}

GlBuffer make_buffer(GLsizeiptr bytes, const void* data) {
  GlBuffer buffer = GlBuffer::make();
  glNamedBufferStorage(buffer.id(), bytes, data, GL_DYNAMIC_STORAGE_BIT);
  return buffer;
}

/// Draws that are timed, in runs that keep the order in which states follow each other.
constexpr std::size_t timed_runs = 16;
constexpr std::size_t timed_run = 64;
/// Indices after whose drawing it is seen what they hide; half as many more each time.
constexpr std::uint64_t first_batch_indices = 3U << 18U;
constexpr std::uint64_t largest_batch_indices = 3U << 20U;
/// How much of a shot is finding what shows.
constexpr double finding_share = 0.8;
constexpr std::size_t elements_at_once = 4096;
/// What of crowded pieces is drawn, roughly.
constexpr std::uint32_t crowded_share = 8;

Result<void> tell(const ShotRequest& request, double share) {
  if (!goes_on({0, request.observer}, "drawing", share)) {
    return Failure(make_cancelled());
  }
  return {};
}

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

}  // namespace

struct Renderer::Impl {
  const Scene& scene;
  const Survey& survey;
  std::shared_ptr<RenderDevice> device;
  RenderSettings settings;
  GpuTextures textures{};
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

  std::uint32_t threads = 0;
  /// Items in sight, in the order in which they are drawn.
  std::vector<std::uint32_t> seen{};
  std::size_t record_room = 0;
  GlBuffer element_indices{};
  GlBuffer element_calls{};
  GlBuffer shown_elements{};

  Result<void> prepare(const PictureCodec& codec, const RunControl& run);
  [[nodiscard]] Result<void> check_geometry() const;
  GlBuffer make_material_buffer();
  void find_seen(const Viewpoint& view, const Eye& eye, const ShotRequest& request);
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
    return {materials.id(), material_stride, static_cast<float>(1U << textures.halvings)};
  }
  Result<void> draw_shot(std::vector<Piece> pieces,
                         const Eye& eye,
                         const Projector& projector,
                         const ShotRequest& request,
                         Records& list,
                         Shot& shot);
  void make_hits(const std::vector<std::array<std::uint32_t, 2>>& pixels,
                 const Records& list,
                 Measure measure,
                 Shot& shot) const;
};

/// By the counts of the survey: before anything is decoded.
Result<void> Renderer::Impl::check_geometry() const {
  constexpr double vertex_bytes = 60;
  double bytes = 0;
  for (const Shape& shape : survey.shapes) {
    bytes += vertex_bytes * static_cast<double>(shape.vertices) +
             12 * static_cast<double>(shape.triangles);
  }
  const double megabytes = bytes / 1e6;
  if (megabytes > settings.max_geometry_megabytes) {
    return Failure(Error{ErrorCode::too_large,
                         fmt::format("to draw it takes some {:.0f} MB for geometry, {} are allowed",
                                     megabytes, settings.max_geometry_megabytes),
                         {}});
  }
  return {};
}

Result<void> Renderer::Impl::prepare(const PictureCodec& codec, const RunControl& run) {
  std::vector<bool> used(scene.materials.size());
  for (const Draw& draw : survey.draws) {
    if (draw.material != no_material) {
      used[to_index(draw.material)] = true;
    }
  }
  if (auto fits = check_geometry(); !fits) {
    return fits;
  }
  std::vector<MaterialId> shown;
  for (std::size_t m = 0; m < used.size(); ++m) {
    if (used[m]) {
      shown.push_back(make_id<MaterialId>(m));
    }
  }
  auto made =
      make_textures(scene, shown, codec, settings.max_texture_megabytes, device->pictures, run);
  if (!made) {
    return Failure(made.error());
  }
  textures = std::move(*made);
  auto shapes = make_geometry(scene, survey, run);
  if (!shapes) {
    return Failure(shapes.error());
  }
  geometry = std::move(*shapes);
  items = make_draw_items(scene, survey, geometry, textures);
  lights = list_lights(scene);
  threads = run.threads;
  make_room({});
  materials = make_material_buffer();
  layers = make_buffer(static_cast<GLsizeiptr>(items.layers.size() * 4), items.layers.data());
  light_buffer = make_buffer(static_cast<GLsizeiptr>(max_gpu_lights * sizeof(GpuLight)), nullptr);
  if (glGetError() == GL_OUT_OF_MEMORY) {
    return Failure(
        Error{ErrorCode::too_large, "the scene does not fit into the memory of the device", {}});
  }
  return {};
}

GlBuffer Renderer::Impl::make_material_buffer() {
  GLint alignment = 256;
  glGetIntegerv(GL_UNIFORM_BUFFER_OFFSET_ALIGNMENT, &alignment);
  const auto size = static_cast<GLintptr>(sizeof(GpuMaterial));
  material_stride = (size + alignment - 1) / alignment * alignment;
  std::vector<std::byte> bytes(items.gpu_materials.size() *
                               static_cast<std::size_t>(material_stride));
  for (std::size_t m = 0; m < items.gpu_materials.size(); ++m) {
    std::memcpy(bytes.data() + m * static_cast<std::size_t>(material_stride),
                &items.gpu_materials[m], sizeof(GpuMaterial));
  }
  return make_buffer(static_cast<GLsizeiptr>(bytes.size()), bytes.data());
}

void Renderer::Impl::find_seen(const Viewpoint& view, const Eye& eye, const ShotRequest& request) {
  const Frustum frustum = make_frustum(view);
  seen.clear();
  const std::size_t end =
      request.blends == Blends::left_out ? items.first_blended : items.items.size();
  for (std::size_t i = 0; i < end; ++i) {
    if (sees_box(frustum, survey[items.items[i].draw].box)) {
      seen.push_back(static_cast<std::uint32_t>(i));
    }
  }
  // The farthest of what is blended comes first.
  const auto blended = std::lower_bound(seen.begin(), seen.end(), items.first_blended);
  const auto find_distance = [&](std::uint32_t i) {
    const Box3d& box = survey[items.items[i].draw].box;
    if (box.empty()) {
      return 0.0;
    }
    const Vec3d centre = box.centre();
    return (as_eigen(centre) - as_eigen(eye.at)).dot(eye.axis);
  };
  std::stable_sort(blended, seen.end(), [&](std::uint32_t a, std::uint32_t b) {
    return find_distance(a) > find_distance(b);
  });
}

/// What an engine gives to the driver: all draws in sight, one call each, with what has to be
/// switched between them.
Submitted Renderer::Impl::count_submitted(const ShotRequest& request) const {
  Submitted out;
  StateTrack track;
  for (const std::uint32_t i : seen) {
    const DrawItem& item = items.items[i];
    const BoundMaterial& bound = items.materials[item.material];
    const VertexLayout& layout = geometry.arenas[item.place.arena].layout;
    const StateChanges changes =
        track.change_to(make_program_key(bound, layout, item.sides, request,
                                         bound.blended ? Pass::blend : Pass::shade),
                        item, bound.blended);
    const bool switched = changes.program || changes.arena || changes.facing || changes.blending;
    out.pipeline_switches += switched ? 1U : 0U;
    out.material_switches += changes.material ? 1U : 0U;
    ++out.draws;
    out.instances += item.instance_count;
    out.triangles += item.place.mode == GL_TRIANGLES
                         ? std::uint64_t{item.place.index_count} / 3 * item.instance_count
                         : 0;
  }
  return out;
}

/// Records of a view, and the numbers from nought on by which vertices find theirs.
void Renderer::Impl::make_room(const Records& list) {
  if (record_room > 0 && list.values.size() <= record_room) {
    return;
  }
  record_room = std::max({std::size_t{1}, list.values.size(), record_room * 2});
  std::vector<std::uint32_t> counting(record_room);
  std::iota(counting.begin(), counting.end(), 0U);
  numbers = make_buffer(static_cast<GLsizeiptr>(record_room * 4), counting.data());
  records = make_buffer(static_cast<GLsizeiptr>(record_room * sizeof(GpuRecord)), nullptr);
  for (const Arena& arena : geometry.arenas) {
    glVertexArrayVertexBuffer(arena.vertex_array.id(), 1, numbers.id(), 0, 4);
  }
}

/// \param from  records before it are there already
void Renderer::Impl::upload(const Records& list, std::size_t from) {
  if (list.values.size() > record_room) {
    from = 0;
  }
  make_room(list);
  glBindBufferBase(GL_SHADER_STORAGE_BUFFER, 0, records.id());
  if (from < list.values.size()) {
    glNamedBufferSubData(records.id(), static_cast<GLintptr>(from * sizeof(GpuRecord)),
                         static_cast<GLsizeiptr>((list.values.size() - from) * sizeof(GpuRecord)),
                         &list.values[from]);
  }
}

Result<void> Renderer::Impl::issue(const std::vector<DrawCall>& calls, DrawState& state) {
  for (const DrawCall& call : calls) {
    const DrawItem& item = items.items[call.item];
    if (auto set =
            state.set(item, items.materials[item.material], geometry.arenas[item.place.arena]);
        !set) {
      return set;
    }
    const ElementRun& first = geometry.runs[item.place.first_run + call.first_run];
    const ElementRun& last = geometry.runs[item.place.first_run + call.last_run];
    glDrawElementsInstancedBaseVertexBaseInstance(
        item.place.mode,
        static_cast<GLsizei>(last.first_index + last.index_count - first.first_index),
        GL_UNSIGNED_INT,
        reinterpret_cast<const void*>((item.place.first_index + first.first_index) * 4),
        static_cast<GLsizei>(call.instances), static_cast<GLint>(item.place.base_vertex),
        call.first_record);
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
    if (auto goes_on = tell(
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

/// Calls of one group follow each other.
Result<void> Renderer::Impl::issue(const ElementCalls& list, const Records& of, DrawState& state) {
  if (list.calls.empty()) {
    return {};
  }
  element_indices =
      make_buffer(static_cast<GLsizeiptr>(4 * list.indices.size()), list.indices.data());
  element_calls = make_buffer(static_cast<GLsizeiptr>(list.calls.size() * sizeof(IndirectCall)),
                              list.calls.data());
  for (const Arena& arena : geometry.arenas) {
    glVertexArrayElementBuffer(arena.vertex_array.id(), element_indices.id());
  }
  glBindBuffer(GL_DRAW_INDIRECT_BUFFER, element_calls.id());
  const auto item_of = [&](std::size_t call) -> const DrawItem& {
    return items.items[of.of[list.calls[call].first_record].item];
  };
  for (std::size_t begin = 0; begin < list.calls.size();) {
    const DrawItem& item = item_of(begin);
    std::size_t end = begin + 1;
    while (end < list.calls.size() && item_of(end).group == item.group) {
      ++end;
    }
    if (auto set =
            state.set(item, items.materials[item.material], geometry.arenas[item.place.arena]);
        !set) {
      return set;
    }
    glMultiDrawElementsIndirect(item.place.mode, GL_UNSIGNED_INT,
                                reinterpret_cast<const void*>(begin * sizeof(IndirectCall)),
                                static_cast<GLsizei>(end - begin), 0);
    begin = end;
  }
  for (const Arena& arena : geometry.arenas) {
    glVertexArrayElementBuffer(arena.vertex_array.id(), arena.indices.id());
  }
  return {};
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
  for_each_range(shown.size(), elements_at_once, {threads, nullptr}, "",
                 [&](std::size_t begin, std::size_t end) {
                   for (std::size_t e = begin; e < end; ++e) {
                     elements[e] = {shown[e].element,
                                    all_reach ? all : find_lights(shown[e], eye, list)};
                   }
                 });
  upload(list, 0);
  shown_elements = make_buffer(static_cast<GLsizeiptr>(8 * elements.size()), elements.data());
  glBindBufferBase(GL_SHADER_STORAGE_BUFFER, 3, shown_elements.id());
  targets.shade_elements();
  DrawState state(*device, eye, request, material_buffer(), Pass::shade);
  return issue(out, list, state);
}

/// Some of the draws in sight, one call each with its first element alone, as if they were all.
Result<double> Renderer::Impl::time_submission(const Eye& eye, const ShotRequest& request) {
  if (seen.empty()) {
    return 0.0;
  }
  std::vector<std::uint32_t> timed;
  const std::size_t runs = std::max<std::size_t>(1, std::min(timed_runs, seen.size() / timed_run));
  for (std::size_t r = 0; r < runs; ++r) {
    const std::size_t begin = r * seen.size() / runs;
    const std::size_t end = runs == 1 ? seen.size() : begin + timed_run;
    for (std::size_t s = begin; s < std::min(end, seen.size()); ++s) {
      timed.push_back(seen[s]);
    }
  }
  glViewport(0, 0, 1, 1);
  double ms = 0;
  // The first time programs are made.
  for (int time = 0; time < 2; ++time) {
    DrawState state(*device, eye, request, material_buffer(), Pass::shade);
    glFinish();
    const double before = read_thread_ms();
    for (const std::uint32_t i : timed) {
      const DrawItem& item = items.items[i];
      if (auto set =
              state.set(item, items.materials[item.material], geometry.arenas[item.place.arena]);
          !set) {
        return Failure(set.error());
      }
      const std::uint32_t corners = count_corners(item.place.mode);
      glDrawElementsInstancedBaseVertexBaseInstance(
          item.place.mode, static_cast<GLsizei>(std::min(corners, item.place.index_count)),
          GL_UNSIGNED_INT, reinterpret_cast<const void*>(item.place.first_index * 4), 1,
          static_cast<GLint>(item.place.base_vertex), 0);
    }
    ms = read_thread_ms() - before;
    glFinish();
  }
  return ms * static_cast<double>(seen.size()) / static_cast<double>(timed.size());
}

Result<Shot> Renderer::Impl::make_shot(const Viewpoint& view, const ShotRequest& request) {
  const std::uint32_t fineness = std::clamp(request.fineness, 1U, 4U);
  const double aspect = std::max(1e-3, find_aspect(view));
  const double width = std::min<double>(settings.width_px, settings.height_px * aspect);
  Shot shot;
  shot.width_px = fineness * static_cast<std::uint32_t>(std::max(1.0, std::round(width)));
  shot.height_px = fineness * static_cast<std::uint32_t>(std::max(1.0, std::round(width / aspect)));
  if (shot.width_px > 16384 || shot.height_px > 16384) {
    return Failure(Error{ErrorCode::too_large,
                         fmt::format("a picture of {} x {} pixels; at most 16384 a side",
                                     shot.width_px, shot.height_px),
                         {}});
  }
  const Eye eye = make_eye(view, lights);
  const bool surfaces = request.measure == Measure::surfaces;
  find_seen(view, eye, request);
  shot.submitted = count_submitted(request);
  if (!eye.lights.empty()) {
    glNamedBufferSubData(light_buffer.id(), 0,
                         static_cast<GLsizeiptr>(eye.lights.size() * sizeof(GpuLight)),
                         eye.lights.data());
  }
  targets.begin(shot.width_px, shot.height_px, request);
  glBindBufferBase(GL_SHADER_STORAGE_BUFFER, 2, layers.id());
  glBindBufferBase(GL_UNIFORM_BUFFER, 0, light_buffer.id());

  const Projector projector(eye.projection, shot.width_px, shot.height_px);
  std::vector<Piece> pieces =
      list_pieces(items, geometry, seen, eye, projector, settings.unseen, {threads, nullptr});
  Records list;
  if (surfaces) {
    targets.count_surfaces();
    if (auto done = draw_all(pieces, eye, request, Pass::count, list); !done) {
      return Failure(done.error());
    }
    shot.values = targets.read_surfaces();
  } else if (auto done = draw_shot(std::move(pieces), eye, projector, request, list, shot); !done) {
    return Failure(done.error());
  }
  if (const GLenum problem = glGetError(); problem != GL_NO_ERROR) {
    return Failure(Error{ErrorCode::cannot_render,
                         fmt::format("OpenGL reports error {:#x} while drawing", problem),
                         {}});
  }
  return shot;
}

/// First what each pixel shows, then that, then what blends over it.
Result<void> Renderer::Impl::draw_shot(std::vector<Piece> pieces,
                                       const Eye& eye,
                                       const Projector& projector,
                                       const ShotRequest& request,
                                       Records& list,
                                       Shot& shot) {
  const auto first_pane = std::find_if(pieces.begin(), pieces.end(), [&](const Piece& piece) {
    return piece.item >= items.first_blended;
  });
  std::vector<Piece> panes(first_pane, pieces.end());
  pieces.erase(first_pane, pieces.end());
  const auto pyramid = find_elements(std::move(pieces), eye, projector, request, list);
  if (!pyramid) {
    return Failure(pyramid.error());
  }
  auto pixels = targets.read_elements();
  if (auto goes_on = tell(request, finding_share); !goes_on) {
    return goes_on;
  }
  if (auto done = shade(list_shown(pixels, list, {threads, nullptr}), eye, request, list); !done) {
    return done;
  }
  std::erase_if(panes, [&](const Piece& pane) { return pyramid->hides(pane.box); });
  if (!panes.empty()) {
    targets.blend_elements();
    if (auto done = draw_all(panes, eye, request, Pass::blend, list); !done) {
      return done;
    }
    pixels = targets.read_elements();
  }
  make_hits(pixels, list, request.measure, shot);
  if (request.shading == Shading::lit) {
    shot.picture = targets.read_picture();
  }
  auto timed = time_submission(eye, request);
  if (!timed) {
    return Failure(timed.error());
  }
  shot.submitted.submit_ms = *timed;
  return {};
}

void Renderer::Impl::make_hits(const std::vector<std::array<std::uint32_t, 2>>& pixels,
                               const Records& list,
                               Measure measure,
                               Shot& shot) const {
  const std::vector<std::array<float, 2>> measures = targets.read_measures();
  shot.hits.resize(pixels.size());
  shot.values.resize(measure == Measure::none ? 0 : pixels.size());
  for_each_range(pixels.size(), 65536, {threads, nullptr}, "",
                 [&](std::size_t begin, std::size_t end) {
                   for (std::size_t p = begin; p < end; ++p) {
                     const auto& [number, element] = pixels[p];
                     const bool hit = number < list.of.size();
                     if (hit) {
                       const RecordOf& record = list.of[number];
                       const DrawItem& item = items.items[record.item];
                       shot.hits[p] = {item.draw, record.instance - item.first_instance,
                                       list.find_element(number, element), measures[p][0]};
                     }
                     if (measure != Measure::none) {
                       shot.values[p] = hit ? measures[p][1] : -1.0F;
                     }
                   }
                 });
}

Renderer::Renderer(std::unique_ptr<Impl> impl) : impl_(std::move(impl)) {}
Renderer::~Renderer() {
  impl_->device->context.make_current();  // what goes now is there
}

Result<std::unique_ptr<Renderer>> Renderer::make(const Scene& scene,
                                                 const Survey& survey,
                                                 std::shared_ptr<RenderDevice> device,
                                                 const PictureCodec& codec,
                                                 const RenderSettings& settings,
                                                 const RunControl& run) {
  const std::tuple<const char*, std::uint32_t, std::uint32_t, std::uint32_t> ranges[] = {
      {"width_px", settings.width_px, 16, 8192},
      {"height_px", settings.height_px, 16, 8192},
      {"max_texture_megabytes", settings.max_texture_megabytes, 1, 1U << 20U},
      {"max_geometry_megabytes", settings.max_geometry_megabytes, 1, 1U << 20U}};
  for (const auto& [name, value, least, most] : ranges) {
    if (value < least || value > most) {
      return Failure(
          Error{ErrorCode::bad_setting,
                fmt::format("render.{} is {}, it must be from {} to {}", name, value, least, most),
                {}});
    }
  }
  device->context.make_current();
  auto impl = std::make_unique<Impl>(Impl{scene, survey, std::move(device), settings});
  if (auto done = impl->prepare(codec, run); !done) {
    return Failure(done.error());
  }
  return std::unique_ptr<Renderer>(new Renderer(std::move(impl)));
}

Result<Shot> Renderer::make_shot(const Viewpoint& view, const ShotRequest& request) {
  impl_->device->context.make_current();
  return impl_->make_shot(view, request);
}

ShotLosses Renderer::losses() const { return {impl_->textures.unread, impl_->textures.halvings}; }

Result<std::shared_ptr<RenderDevice>> open_render_device() {
  auto context = EglContext::make();
  if (!context) {
    return Failure(context.error());
  }
  auto device = std::make_shared<RenderDevice>(std::move(*context));
  device->name = reinterpret_cast<const char*>(glGetString(GL_RENDERER));
  return device;
}

std::string to_string(const RenderDevice& device) { return device.name; }

}  // namespace wakuzume
