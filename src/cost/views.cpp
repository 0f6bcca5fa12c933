// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include "wakuzume/views.h"

#include <fmt/format.h>

#include <cmath>
#include <numbers>
#include <optional>
#include <random>

#include "scene/elements.h"
#include "scene/matrix.h"
#include "scene/tree.h"
#include "survey/draws.h"

namespace wakuzume {
namespace {

constexpr std::uint32_t headings = 4;
constexpr int tries = 256;

/// Axes of a camera at `eye` that looks along `forward`, as level as it can be.
Mat4d make_look(const Eigen::Vector3d& eye, const Eigen::Vector3d& forward) {
  const Eigen::Vector3d back = -forward.normalized();
  Eigen::Vector3d right = Eigen::Vector3d::UnitY().cross(back);
  if (right.norm() < 1e-9) {
    right = Eigen::Vector3d::UnitX();
  }
  right.normalize();
  Eigen::Matrix4d out = Eigen::Matrix4d::Identity();
  out.col(0).head<3>() = right;
  out.col(1).head<3>() = back.cross(right);
  out.col(2).head<3>() = back;
  out.col(3).head<3>() = eye;
  return from_eigen(out);
}

/// Planes in the camera's own space.
std::array<Eigen::Vector4d, 6> make_lens(const Viewpoint& view) {
  const Eigen::Vector4d everywhere(0, 0, 0, 1);
  std::array<Eigen::Vector4d, 6> planes;
  if (view.perspective) {
    const double y = std::tan(view.yfov / 2);
    const double x = y * view.aspect;
    planes = {Eigen::Vector4d(1, 0, -x, 0), Eigen::Vector4d(-1, 0, -x, 0),
              Eigen::Vector4d(0, 1, -y, 0), Eigen::Vector4d(0, -1, -y, 0)};
  } else {
    planes = {Eigen::Vector4d(1, 0, 0, view.xmag), Eigen::Vector4d(-1, 0, 0, view.xmag),
              Eigen::Vector4d(0, 1, 0, view.ymag), Eigen::Vector4d(0, -1, 0, view.ymag)};
  }
  planes[4] = Eigen::Vector4d(0, 0, -1, -view.znear_m);
  planes[5] = view.zfar_m > 0 ? Eigen::Vector4d(0, 0, 1, view.zfar_m) : everywhere;
  return planes;
}

std::optional<Viewpoint> find_camera_view(const Scene& scene,
                                          NodeId id,
                                          const ViewSettings& settings) {
  const Node& node = scene[id];
  if (node.camera == no_camera) {
    return std::nullopt;
  }
  const Mat4d world = make_world_matrix(scene, id);
  const double determinant = linear_determinant(world);
  if (determinant == 0 || !std::isfinite(determinant)) {
    return std::nullopt;
  }
  const Camera& camera = scene.cameras[to_index(node.camera)];
  Viewpoint view;
  const std::string& name = node.name.empty() ? camera.name : node.name;
  view.name = name.empty() ? fmt::format("camera {}", to_index(node.camera)) : "camera " + name;
  view.source = ViewSource::camera;
  view.world = world;
  view.perspective = camera.perspective;
  view.yfov = camera.yfov;
  view.aspect = camera.aspect_ratio > 0 ? camera.aspect_ratio : settings.aspect;
  view.xmag = std::abs(camera.xmag);
  view.ymag = std::abs(camera.ymag);
  view.znear_m = camera.znear;
  view.zfar_m = camera.zfar;
  return view;
}

/// Corners of a triangle of a primitive, by its number in make_list_indices.
std::array<Eigen::Vector3d, 3> find_triangle(const Scene& scene,
                                             const Primitive& primitive,
                                             std::uint32_t number) {
  std::array<std::uint32_t, 3> corners{};
  for (std::uint32_t c = 0; c < 3; ++c) {
    const std::uint32_t at = primitive.mode == PrimitiveMode::triangles ? 3 * number + c
                             : primitive.mode == PrimitiveMode::triangle_fan && c == 0 ? 0
                                                                                       : number + c;
    corners[c] = at;
  }
  if (primitive.mode == PrimitiveMode::triangle_strip && number % 2 == 1) {
    std::swap(corners[1], corners[2]);
  }
  const ElementReader positions(scene, primitive.find("POSITION"));
  std::array<Eigen::Vector3d, 3> out;
  for (std::size_t c = 0; c < 3; ++c) {
    std::array<double, 16> value{};
    const std::uint32_t vertex = primitive.indices == no_stream
                                     ? corners[c]
                                     : ElementReader(scene, primitive.indices).index(corners[c]);
    positions.load(vertex, value.data());
    out[c] = {value[0], value[1], value[2]};
  }
  return out;
}

/// Finds places to stand.
class PlaceFinder {
 public:
  PlaceFinder(const Scene& scene, const Survey& survey, const ViewSettings& settings)
      : scene_(scene), survey_(survey), settings_(settings), random_(settings.seed) {
    double area = 0;
    for (const Draw& draw : survey.draws) {
      const bool floor = survey[draw.shape].topology == Topology::triangles && !draw.box.empty() &&
                         draw.triangles > 0 && draw.instances > 0;
      if (floor) {
        area += (draw.box.max[0] - draw.box.min[0]) * (draw.box.max[2] - draw.box.min[2]);
        floors_.push_back(&draw);
        areas_.push_back(area);
      }
    }
  }

  void add_samples(std::uint32_t count, std::vector<Viewpoint>& views) {
    Eigen::Vector3d eye;
    double turn = 0;
    for (std::uint32_t i = 0; i < count; ++i) {
      if (i % headings == 0) {
        eye = find_eye(i / headings);
        turn = chance();
      }
      const double angle =
          2 * std::numbers::pi * (turn + static_cast<double>(i % headings) / headings);
      Viewpoint view = make_sampled(ViewSource::sample);
      view.name = fmt::format("sample {} heading {}", i / headings + 1, i % headings + 1);
      view.world = make_look(eye, {std::sin(angle), 0, std::cos(angle)});
      views.push_back(std::move(view));
    }
  }

  void add_overviews(std::uint32_t count, std::vector<Viewpoint>& views) {
    const Vec3d middle = survey_.bounds.empty() ? Vec3d{0, 0, 0} : survey_.bounds.centre();
    const Eigen::Vector3d centre = as_eigen(middle);
    const double reach = survey_.bounds.empty() ? 1 : survey_.bounds.largest_extent();
    for (std::uint32_t i = 0; i < count; ++i) {
      const double angle = std::numbers::pi * (0.25 + 2.0 * i / std::max(4U, count));
      const Eigen::Vector3d out(std::sin(angle), 0.7, std::cos(angle));
      Viewpoint view = make_sampled(ViewSource::overview);
      view.name = fmt::format("overview {}", i + 1);
      view.world = make_look(centre + std::max(reach, 0.1) * out, -out);
      views.push_back(std::move(view));
    }
  }

 private:
  double chance() { return static_cast<double>(random_() >> 11U) * 0x1p-53; }

  [[nodiscard]] Viewpoint make_sampled(ViewSource source) const {
    Viewpoint view;
    view.source = source;
    view.yfov = settings_.yfov_deg * std::numbers::pi / 180;
    view.aspect = settings_.aspect;
    return view;
  }

  /// Large floors and crowded corners in turn.
  const Draw& choose_floor(std::uint32_t place) {
    const double at = chance();
    if (place % 2 == 0 && areas_.back() > 0) {
      const auto hit = std::upper_bound(areas_.begin(), areas_.end(), at * areas_.back());
      const auto index = static_cast<std::size_t>(hit - areas_.begin());
      return *floors_[std::min(index, floors_.size() - 1)];
    }
    return *floors_[static_cast<std::size_t>(at * static_cast<double>(floors_.size()))];
  }

  Eigen::Vector3d find_eye(std::uint32_t place) {
    for (int attempt = 0; attempt < tries && !floors_.empty(); ++attempt) {
      const Draw& draw = choose_floor(place);
      const Shape& shape = survey_[draw.shape];
      const auto number =
          static_cast<std::uint32_t>(chance() * static_cast<double>(shape.triangles));
      auto corners = find_triangle(scene_, primitive_of(scene_, draw), number);
      const Mat4d matrix = make_world_matrix(scene_, draw.node);
      for (Eigen::Vector3d& corner : corners) {
        corner = (as_eigen(matrix) * corner.homogeneous()).head<3>();
      }
      const Eigen::Vector3d normal =
          (corners[1] - corners[0]).cross(corners[2] - corners[0]) * (draw.mirrored ? -1 : 1);
      if (!(normal.y() > 0.7 * normal.norm())) {
        continue;
      }
      const double a = std::sqrt(chance());
      const double b = chance();
      return (1 - a) * corners[0] + a * (1 - b) * corners[1] + a * b * corners[2] +
             Eigen::Vector3d(0, settings_.eye_height_m, 0);
    }
    return find_eye_in_bounds();
  }

  /// Nothing faces up: anywhere inside.
  Eigen::Vector3d find_eye_in_bounds() {
    Eigen::Vector3d eye(0, settings_.eye_height_m, 0);
    if (!survey_.bounds.empty()) {
      for (int c = 0; c < 3; ++c) {
        const auto axis = static_cast<std::size_t>(c);
        const double low = survey_.bounds.min[axis];
        eye[c] = low + chance() * (survey_.bounds.max[axis] - low);
      }
    }
    return eye;
  }

  const Scene& scene_;
  const Survey& survey_;
  const ViewSettings& settings_;
  std::mt19937_64 random_;
  std::vector<const Draw*> floors_;
  std::vector<double> areas_;  ///< summed up
};

Failure bad_setting(const char* name, const char* range) {
  return Failure(Error{ErrorCode::bad_setting, fmt::format("{} must be {}", name, range), {}});
}

}  // namespace

std::string_view to_string(ViewSource source) {
  constexpr std::string_view names[] = {"camera", "sample", "overview", "listed"};
  return names[static_cast<std::size_t>(source)];
}

Result<void> validate(const ViewSettings& settings) {
  if (settings.count > 65'536) {
    return bad_setting("views.count", "from 0 to 65536");
  }
  if (!(settings.eye_height_m > 0 && settings.eye_height_m <= 1e6)) {
    return bad_setting("views.eye_height_m", "above 0 and at most 1000000");
  }
  if (!(settings.yfov_deg >= 1 && settings.yfov_deg <= 170)) {
    return bad_setting("views.yfov_deg", "from 1 to 170");
  }
  if (!(settings.aspect >= 0.1 && settings.aspect <= 10)) {
    return bad_setting("views.aspect", "from 0.1 to 10");
  }
  return {};
}

Result<std::vector<Viewpoint>> make_views(const Scene& scene,
                                          const Survey& survey,
                                          const ViewSettings& settings) {
  if (auto valid = validate(settings); !valid) {
    return Failure(valid.error());
  }
  std::vector<Viewpoint> views;
  for_each_shown_node(scene, [&](NodeId id) {
    if (auto view = find_camera_view(scene, id, settings)) {
      views.push_back(std::move(*view));
    }
  });
  const std::uint32_t overviews = (settings.count + 7) / 8;
  PlaceFinder places(scene, survey, settings);
  places.add_samples(settings.count - overviews, views);
  places.add_overviews(overviews, views);
  return views;
}

Frustum make_frustum(const Viewpoint& view) {
  // A plane goes from the camera's space to the world's by the transposed inverse of the matrix.
  const Eigen::Matrix4d to_camera = as_eigen(view.world).inverse();
  const std::array<Eigen::Vector4d, 6> lens = make_lens(view);
  Frustum frustum;
  for (std::size_t p = 0; p < lens.size(); ++p) {
    const Eigen::Vector4d plane = to_camera.transpose() * lens[p];
    const double length = plane.head<3>().norm();
    const double scale = length > 0 ? 1 / length : 1;
    frustum.planes[p] = {{plane[0] * scale, plane[1] * scale, plane[2] * scale}, plane[3] * scale};
  }
  return frustum;
}

Viewpoint make_viewpoint(std::string name, const Vec3d& eye, const Vec3d& target) {
  Viewpoint view;
  view.name = std::move(name);
  view.world = make_look(as_eigen(eye), as_eigen(target) - as_eigen(eye));
  return view;
}

}  // namespace wakuzume
