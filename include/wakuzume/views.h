// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#pragma once

#include <array>
#include <cstdint>
#include <string>
#include <string_view>
#include <vector>

#include "wakuzume/geometry.h"
#include "wakuzume/result.h"
#include "wakuzume/scene.h"
#include "wakuzume/survey.h"

/// Views: the cameras that costs are measured from.
///
/// In: a surveyed scene. Out: its own cameras, then samples that stand where players could, then
/// overviews from outside.
/// 1. Same scene, same settings: the same views, on every machine.
/// 2. A view is a plain value; make your own where you know better.
namespace wakuzume {

enum class ViewSource : std::uint8_t { camera, sample, overview, listed };
std::string_view to_string(ViewSource source);

/// A camera with a place. As in glTF it looks along its -z axis, +y is up.
struct Viewpoint {
  std::string name;
  ViewSource source = ViewSource::listed;
  Mat4d world = identity_matrix;  ///< camera to world
  bool perspective = true;
  double yfov = 1.0471975511965976;  ///< perspective; radians
  double aspect = 16.0 / 9.0;        ///< perspective; width by height
  double xmag = 1;                   ///< orthographic; half widths in metres
  double ymag = 1;
  double znear_m = 0.1;
  double zfar_m = 0;  ///< 0: infinite (perspective only)
};

/// Width by height of its pictures.
inline double find_aspect(const Viewpoint& view) {
  return view.perspective ? view.aspect : view.xmag / view.ymag;
}

struct ViewSettings {
  /// Samples and overviews beside the cameras of the scene. \range [0, 65536]
  std::uint32_t count = 32;
  /// Another seed stands elsewhere.
  std::uint32_t seed = 1;
  /// Height of the eye above the surface it stands on, metres. \range (0, 1e6]
  double eye_height_m = 1.6;
  /// Vertical opening of sampled views, degrees. \range [1, 170]
  double yfov_deg = 60;
  /// Width by height of sampled views and of cameras without an own. \range [0.1, 10]
  double aspect = 16.0 / 9.0;
};
/// \error bad_setting  names the member and its range
Result<void> validate(const ViewSettings& settings);

/// The cameras of shown nodes in node order, then the samples: places on up-facing triangles, half
/// of them spread by area and half by draws, four headings each; then overviews of the whole.
/// \pre `survey` is of `scene`
/// \error bad_setting
/// \cost O(nodes + draws), and some hundred triangles a sample at most
Result<std::vector<Viewpoint>> make_views(const Scene& scene,
                                          const Survey& survey,
                                          const ViewSettings& settings = {});

/// Places on or above a plane satisfy normal . place + distance >= 0.
struct Plane {
  Vec3d normal{0, 0, 0};
  double distance = 1;  ///< with a zero normal: holds everywhere
};

/// Six planes that face inwards: left, right, bottom, top, near, far.
struct Frustum {
  std::array<Plane, 6> planes;
};

/// \pre the view's matrix can be inverted and its lens is that of a valid glTF camera
Frustum make_frustum(const Viewpoint& view);

/// No plane has the whole box behind it: the test that engines make, which keeps a few boxes
/// beyond the corners. Boxes that are empty or not finite count as seen.
bool sees_box(const Frustum& frustum, const Box3d& box);

/// A view from `eye` towards `target`. \pre they differ
Viewpoint make_viewpoint(std::string name, const Vec3d& eye, const Vec3d& target);

}  // namespace wakuzume
