// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include "render/renderer.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <cstring>
#include <tuple>

#include "scene/matrix.h"
#include "scene/running.h"

namespace wakuzume {
namespace {

/// Layers of one picture: two gigabytes on the device and as many here.
constexpr std::uint32_t most_layers = 1U << 26U;

void add_exact(const std::vector<LayeredPixel>& layered, Shot& shot) {
  const bool any = std::any_of(layered.begin(), layered.end(),
                               [](const LayeredPixel& pixel) { return pixel.misplaced > 0; });
  if (!any) {
    return;
  }
  shot.exact = shot.picture;
  for (std::size_t p = 0; p < layered.size(); ++p) {
    if (layered[p].misplaced > 0) {
      std::copy(layered[p].exact.begin(), layered[p].exact.end(), &shot.exact.rgba[4 * p]);
    }
  }
}

}  // namespace

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

Result<void> Renderer::Impl::prepare(std::span<const LitPage> lightmaps,
                                     const PictureCodec& codec,
                                     const RunControl& run) {
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
  auto light =
      make_baked_light({scene, survey, lightmaps}, codec, settings.max_texture_megabytes, run);
  if (!light) {
    return Failure(light.error());
  }
  baked = std::move(*light);
  auto shapes = make_geometry(scene, survey, baked, run);
  if (!shapes) {
    return Failure(shapes.error());
  }
  geometry = std::move(*shapes);
  items = make_draw_items(scene, survey, geometry, textures, baked);
  lights = list_lights(scene);
  const std::vector<Mat4d> worlds = make_world_matrices(scene);
  for (const Draw& draw : survey.draws) {
    const Mat4d& world = worlds[to_index(draw.node)];
    origins.push_back({world[12], world[13], world[14]});
  }
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

void Renderer::Impl::find_seen(const Viewpoint& view, const ShotRequest& request) {
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
    const DrawId draw = items.items[i].draw;
    const bool at_centre = request.sorting.at == SortAt::box_centre;
    if (at_centre && survey[draw].box.empty()) {
      return 0.0F;
    }
    const Vec3d point = at_centre ? survey[draw].box.centre() : origins[to_index(draw)];
    return find_sorting_distance(request.sorting, point, view.world);
  };
  std::stable_sort(blended, seen.end(), [&](std::uint32_t a, std::uint32_t b) {
    return find_distance(a) > find_distance(b);
  });
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
  find_seen(view, request);
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
  if (auto goes_on = tell_share(request, finding_share); !goes_on) {
    return goes_on;
  }
  if (auto done = shade(list_shown(pixels, list, {threads, nullptr}), eye, request, list); !done) {
    return done;
  }
  std::erase_if(panes, [&](const Piece& pane) { return pyramid->hides(pane.box); });
  std::vector<LayeredPixel> layered;
  if (!panes.empty()) {
    const bool sorted = request.layers == Layers::sorted && request.shading == Shading::lit;
    const Pixels behind = sorted ? targets.read_picture() : Pixels{};
    targets.blend_elements();
    if (auto done = draw_all(panes, eye, request, Pass::blend, list); !done) {
      return done;
    }
    pixels = targets.read_elements();
    if (sorted) {
      auto collected = collect_layers(panes, eye, request, behind, list);
      if (!collected) {
        return Failure(collected.error());
      }
      layered = std::move(*collected);
      if (!layered.empty()) {
        add_layers(layered, pixels, shot);
      }
    }
  }
  make_hits(pixels, list, request.measure, shot);
  for (std::size_t p = 0; p < layered.size(); ++p) {
    if (layered[p].count > 0) {
      shot.hits[p].distance_m = layered[p].distance_m;
    }
  }
  if (request.shading == Shading::lit) {
    shot.picture = targets.read_picture();
    add_exact(layered, shot);
  }
  auto timed = time_submission(eye, request);
  if (!timed) {
    return Failure(timed.error());
  }
  shot.submitted.submit_ms = *timed;
  return {};
}

/// All that would be blended; nothing where that is too much.
Result<std::vector<LayeredPixel>> Renderer::Impl::collect_layers(const std::vector<Piece>& panes,
                                                                 const Eye& eye,
                                                                 const ShotRequest& request,
                                                                 const Pixels& behind,
                                                                 Records& list) {
  std::uint32_t room = std::max(layer_buffers.room(), targets.width_px() * targets.height_px());
  while (true) {
    layer_buffers.begin(targets.width_px(), targets.height_px(), room);
    targets.collect_layers();
    if (auto done = draw_all(panes, eye, request, Pass::collect, list); !done) {
      return Failure(done.error());
    }
    const std::uint32_t count = layer_buffers.count();
    if (count <= room) {
      break;
    }
    if (count > most_layers) {
      return std::vector<LayeredPixel>{};
    }
    room = count;
  }
  return sort_layers(layer_buffers.read_heads(), layer_buffers.read_layers(), behind,
                     {threads, nullptr});
}

/// What pixels show is the nearest of their layers.
void Renderer::Impl::add_layers(const std::vector<LayeredPixel>& layered,
                                std::vector<std::array<std::uint32_t, 2>>& pixels,
                                Shot& shot) {
  shot.layers.resize(layered.size());
  shot.misplaced.resize(layered.size());
  for (std::size_t p = 0; p < layered.size(); ++p) {
    shot.layers[p] = layered[p].count;
    shot.misplaced[p] = layered[p].misplaced;
    if (layered[p].count > 0) {
      pixels[p] = {layered[p].record, layered[p].element};
    }
  }
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

Result<std::unique_ptr<Renderer>> Renderer::make(const ShownScene& shown,
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
  auto impl = std::make_unique<Impl>(Impl{shown.scene, shown.survey, std::move(device), settings});
  if (auto done = impl->prepare(shown.lightmaps, codec, run); !done) {
    return Failure(done.error());
  }
  return std::unique_ptr<Renderer>(new Renderer(std::move(impl)));
}

Result<Shot> Renderer::make_shot(const Viewpoint& view, const ShotRequest& request) {
  impl_->device->context.make_current();
  return impl_->make_shot(view, request);
}

ShotLosses Renderer::losses() const {
  return {impl_->textures.unread + impl_->baked.unread, impl_->textures.halvings};
}

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
