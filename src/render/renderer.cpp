// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include <fmt/format.h>

#include <algorithm>
#include <bit>
#include <cmath>
#include <cstring>
#include <ctime>
#include <tuple>

#include "render/device.h"
#include "render/items.h"
#include "render/lights.h"
#include "render/targets.h"
#include "scene/matrix.h"
#include "wakuzume/render.h"

namespace wakuzume {
namespace {

double read_thread_ms() {
  timespec now{};
  clock_gettime(CLOCK_THREAD_CPUTIME_ID, &now);
  return static_cast<double>(now.tv_sec) * 1e3 + static_cast<double>(now.tv_nsec) / 1e6;
}

/// From places seen from the eye along the world's axes to the clip space, depth from 1 near to 0
/// far: floats are as fine far off as they are near.
Eigen::Matrix4d make_projection(const Viewpoint& view) {
  Eigen::Matrix4d lens = Eigen::Matrix4d::Zero();
  const double n = view.znear_m;
  const double f = view.zfar_m;
  if (view.perspective) {
    const double y = 1 / std::tan(view.yfov / 2);
    lens(0, 0) = y / view.aspect;
    lens(1, 1) = y;
    lens(2, 2) = f > 0 ? n / (f - n) : 0;
    lens(2, 3) = f > 0 ? f * n / (f - n) : n;
    lens(3, 2) = -1;
  } else {
    lens(0, 0) = 1 / view.xmag;
    lens(1, 1) = 1 / view.ymag;
    lens(2, 2) = 1 / (f - n);
    lens(2, 3) = f / (f - n);
    lens(3, 3) = 1;
  }
  Eigen::Matrix4d turn = Eigen::Matrix4d::Identity();
  turn.topLeftCorner<3, 3>() = as_eigen(view.world).topLeftCorner<3, 3>().inverse();
  return lens * turn;
}

double find_aspect(const Viewpoint& view) {
  return view.perspective ? view.aspect : view.xmag / view.ymag;
}

struct Eye {
  Vec3d at{0, 0, 0};
  Eigen::Vector3d axis{0, 0, -1};
  std::array<float, 16> projection{};
  std::vector<GpuLight> lights;
};

Eye make_eye(const Viewpoint& view, const std::vector<PlacedLight>& lights) {
  Eye eye;
  eye.at = {view.world[12], view.world[13], view.world[14]};
  eye.axis = -Eigen::Vector3d(view.world[8], view.world[9], view.world[10]).normalized();
  Eigen::Map<Eigen::Matrix4f>(eye.projection.data()) = make_projection(view).cast<float>();
  eye.lights = choose_lights(lights, eye.at, make_frustum(view));
  return eye;
}

GlBuffer make_buffer(GLsizeiptr bytes, const void* data) {
  GlBuffer buffer = GlBuffer::make();
  glNamedBufferStorage(buffer.id(), bytes, data, GL_DYNAMIC_STORAGE_BIT);
  return buffer;
}

std::uint32_t count_corners(GLenum mode) {
  return mode == GL_TRIANGLES ? 3 : mode == GL_LINES ? 2 : 1;
}

/// Values of all materials on the device.
struct MaterialBuffer {
  GLuint buffer = 0;
  GLintptr stride = 0;
  float texel_scale = 1;  ///< texels of the pictures by those that are there
};

/// What the driver was last told: only what changes is told again, and counted.
class DrawState {
 public:
  DrawState(RenderDevice& device,
            const Eye& eye,
            const ShotRequest& request,
            const MaterialBuffer& materials)
      : device_(device), eye_(eye), request_(request), materials_(materials) {}

  Result<void> set(const DrawItem& item,
                   const BoundMaterial& bound,
                   const Arena& arena,
                   Submitted& counts) {
    const ProgramKey key = make_program_key(bound, arena.layout, item.sides, request_);
    bool switched = false;
    if (program_ == nullptr || key != key_) {
      auto found = device_.programs.find(key);
      if (!found) {
        return Failure(found.error());
      }
      key_ = key;
      use(**found);
      switched = true;
    }
    if (arena_ != item.place.arena) {
      glBindVertexArray(arena.vertex_array.id());
      arena_ = item.place.arena;
      switched = true;
    }
    switched = cull(item) || switched;
    switched = blend(bound) || switched;
    if (material_ != item.material) {
      bind(item.material, bound);
      ++counts.material_switches;
    }
    counts.pipeline_switches += switched ? 1U : 0U;
    return {};
  }

 private:
  void use(const Program& program) {
    program_ = &program;
    glUseProgram(program.program.id());
    glUniformMatrix4fv(program.projection, 1, GL_FALSE, eye_.projection.data());
    glUniform3f(program.axis, static_cast<float>(eye_.axis.x()), static_cast<float>(eye_.axis.y()),
                static_cast<float>(eye_.axis.z()));
    glUniform1i(program.light_count, static_cast<GLint>(eye_.lights.size()));
    glUniform1f(program.texel_scale, materials_.texel_scale);
    // Another program has uniforms and textures of its own.
    material_ = no_index;
    facing_ = no_index;
  }

  bool cull(const DrawItem& item) {
    const std::uint32_t facing =
        2 * static_cast<std::uint32_t>(item.sides) + (item.mirrored ? 1 : 0);
    if (facing_ == facing) {
      return false;
    }
    facing_ = facing;
    if (item.sides == Sides::culled) {
      glEnable(GL_CULL_FACE);
      glCullFace(item.mirrored ? GL_FRONT : GL_BACK);
    } else {
      glDisable(GL_CULL_FACE);
    }
    glUniform1i(program_->sides, static_cast<GLint>(item.sides));
    return true;
  }

  bool blend(const BoundMaterial& bound) {
    if (bound.blended == blending_ || request_.measure == Measure::surfaces) {
      return false;
    }
    blending_ = bound.blended;
    glDepthMask(blending_ ? GL_FALSE : GL_TRUE);
    (blending_ ? glEnablei : glDisablei)(GL_BLEND, 1);
    return true;
  }

  void bind(std::uint32_t material, const BoundMaterial& bound) {
    material_ = material;
    glBindBufferRange(GL_UNIFORM_BUFFER, 1, materials_.buffer,
                      static_cast<GLintptr>(material) * materials_.stride, sizeof(GpuMaterial));
    glBindTextures(0, 5, bound.textures.data());
    glBindSamplers(0, 5, bound.samplers.data());
  }

  RenderDevice& device_;
  const Eye& eye_;
  const ShotRequest& request_;
  MaterialBuffer materials_;
  ProgramKey key_;
  const Program* program_ = nullptr;
  std::uint32_t arena_ = no_index;
  std::uint32_t material_ = no_index;
  std::uint32_t facing_ = no_index;  ///< sides and mirroring
  bool blending_ = false;
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

  /// What is in sight, in the order in which it is drawn.
  struct Seen {
    const DrawItem* item = nullptr;
    std::uint32_t first_record = 0;
  };
  /// By record: which draw and which instance of it.
  struct RecordOf {
    DrawId draw = no_draw;
    std::uint32_t instance = 0;
  };
  std::vector<Seen> seen{};
  std::vector<RecordOf> record_of{};

  Result<void> prepare(const PictureCodec& codec, const RunControl& run);
  [[nodiscard]] Result<void> check_geometry() const;
  GlBuffer make_material_buffer();
  void find_seen(const Viewpoint& view, const Eye& eye);
  void write_records(const Eye& eye);
  Result<Submitted> issue(const Eye& eye, const ShotRequest& request, bool first_elements_alone);
  Result<Shot> make_shot(const Viewpoint& view, const ShotRequest& request);
  void read_hits(const std::vector<std::array<std::uint32_t, 4>>& raw,
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
  std::uint64_t instances = 0;
  std::vector<bool> used(scene.materials.size());
  for (const Draw& draw : survey.draws) {
    instances += draw.instances;
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
  std::vector<std::uint32_t> counting(std::max<std::uint64_t>(1, instances));
  for (std::size_t i = 0; i < counting.size(); ++i) {
    counting[i] = static_cast<std::uint32_t>(i);
  }
  numbers = make_buffer(static_cast<GLsizeiptr>(counting.size() * 4), counting.data());
  auto shapes = make_geometry(scene, survey, numbers.id(), run);
  if (!shapes) {
    return Failure(shapes.error());
  }
  geometry = std::move(*shapes);
  items = make_draw_items(scene, survey, geometry, textures);
  lights = list_lights(scene);
  const auto record_bytes = static_cast<GLsizeiptr>(
      std::max<std::size_t>(1, items.instance_world.size()) * sizeof(GpuRecord));
  records = make_buffer(record_bytes, nullptr);
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

void Renderer::Impl::find_seen(const Viewpoint& view, const Eye& eye) {
  const Frustum frustum = make_frustum(view);
  seen.clear();
  for (const DrawItem& item : items.items) {
    if (sees_box(frustum, survey[item.draw].box)) {
      seen.push_back({&item, 0});
    }
  }
  // The farthest of what is blended comes first.
  const auto blended = std::find_if(seen.begin(), seen.end(), [&](const Seen& s) {
    return items.materials[s.item->material].blended;
  });
  const auto find_distance = [&](const Seen& s) {
    const Box3d& box = survey[s.item->draw].box;
    if (box.empty()) {
      return 0.0;
    }
    const Vec3d centre = box.centre();
    return (as_eigen(centre) - as_eigen(eye.at)).dot(eye.axis);
  };
  std::stable_sort(blended, seen.end(), [&](const Seen& a, const Seen& b) {
    return find_distance(a) > find_distance(b);
  });
}

void Renderer::Impl::write_records(const Eye& eye) {
  std::vector<GpuRecord> out;
  record_of.clear();
  for (Seen& s : seen) {
    s.first_record = static_cast<std::uint32_t>(out.size());
    for (std::uint32_t i = 0; i < s.item->instance_count; ++i) {
      const std::size_t at = s.item->first_instance + i;
      const Mat4d& m = items.instance_world[at];
      GpuRecord record = items.instance_factors[at];
      for (std::size_t row = 0; row < 3; ++row) {
        for (std::size_t column = 0; column < 4; ++column) {
          const double value = m[4 * column + row] - (column == 3 ? eye.at[row] : 0.0);
          record.rows[row][column] = static_cast<float>(value);
        }
      }
      out.push_back(record);
      record_of.push_back({s.item->draw, i});
    }
  }
  if (!out.empty()) {
    glNamedBufferSubData(records.id(), 0, static_cast<GLsizeiptr>(out.size() * sizeof(GpuRecord)),
                         out.data());
  }
  if (!eye.lights.empty()) {
    glNamedBufferSubData(light_buffer.id(), 0,
                         static_cast<GLsizeiptr>(eye.lights.size() * sizeof(GpuLight)),
                         eye.lights.data());
  }
}

/// The draws in sight, one call each, with what has to be switched between them.
Result<Submitted> Renderer::Impl::issue(const Eye& eye,
                                        const ShotRequest& request,
                                        bool first_elements_alone) {
  Submitted out;
  DrawState state(*device, eye, request,
                  {materials.id(), material_stride, static_cast<float>(1U << textures.halvings)});
  for (const Seen& s : seen) {
    const DrawItem& item = *s.item;
    const BoundMaterial& bound = items.materials[item.material];
    if (auto set = state.set(item, bound, geometry.arenas[item.place.arena], out); !set) {
      return Failure(set.error());
    }
    const std::uint32_t element = count_corners(item.place.mode);
    const std::uint32_t count =
        first_elements_alone ? std::min(item.place.index_count, element) : item.place.index_count;
    glDrawElementsInstancedBaseVertexBaseInstance(
        item.place.mode, static_cast<GLsizei>(count), GL_UNSIGNED_INT,
        reinterpret_cast<const void*>(item.place.first_index * 4),
        static_cast<GLsizei>(first_elements_alone ? 1 : item.instance_count),
        static_cast<GLint>(item.place.base_vertex), s.first_record);
    ++out.draws;
    out.instances += item.instance_count;
    out.triangles +=
        element == 3 ? std::uint64_t{item.place.index_count} / 3 * item.instance_count : 0;
  }
  glDepthMask(GL_TRUE);
  glDisablei(GL_BLEND, 1);
  return out;
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
  find_seen(view, eye);
  if (request.blends == Blends::left_out) {
    std::erase_if(seen, [&](const Seen& s) { return items.materials[s.item->material].blended; });
  }
  write_records(eye);
  targets.begin(shot.width_px, shot.height_px, request);
  glBindBufferBase(GL_SHADER_STORAGE_BUFFER, 0, records.id());
  glBindBufferBase(GL_SHADER_STORAGE_BUFFER, 2, layers.id());
  glBindBufferBase(GL_UNIFORM_BUFFER, 0, light_buffer.id());
  auto submitted = issue(eye, request, false);
  if (!submitted) {
    return Failure(submitted.error());
  }
  shot.submitted = *submitted;
  if (surfaces) {
    shot.values = targets.read_surfaces();
  } else {
    read_hits(targets.read_hits(), request.measure, shot);
    if (request.shading == Shading::lit) {
      shot.picture = targets.read_picture();
    }
    // Once more for the time alone, when all programs are there.
    glViewport(0, 0, 1, 1);
    glFinish();
    const double before = read_thread_ms();
    if (auto timed = issue(eye, request, true); !timed) {
      return Failure(timed.error());
    }
    shot.submitted.submit_ms = read_thread_ms() - before;
    glFinish();
  }
  if (const GLenum problem = glGetError(); problem != GL_NO_ERROR) {
    return Failure(Error{ErrorCode::cannot_render,
                         fmt::format("OpenGL reports error {:#x} while drawing", problem),
                         {}});
  }
  return shot;
}

void Renderer::Impl::read_hits(const std::vector<std::array<std::uint32_t, 4>>& raw,
                               Measure measure,
                               Shot& shot) const {
  shot.hits.resize(raw.size());
  shot.values.resize(measure == Measure::none ? 0 : raw.size());
  for (std::size_t p = 0; p < raw.size(); ++p) {
    const auto& [record, element, distance, value] = raw[p];
    if (record < record_of.size()) {
      shot.hits[p] = {record_of[record].draw, record_of[record].instance, element,
                      std::bit_cast<float>(distance)};
    }
    if (measure != Measure::none) {
      shot.values[p] = record < record_of.size() ? std::bit_cast<float>(value) : -1.0F;
    }
  }
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

std::uint32_t Renderer::unread_pictures() const { return impl_->textures.unread; }
std::uint32_t Renderer::halvings() const { return impl_->textures.halvings; }

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
