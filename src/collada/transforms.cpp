// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include "collada/transforms.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <numbers>

namespace wakuzume::collada {
namespace {

Mat4d make_rotation(const Vec3d& axis, double radians) {
  const double length = std::hypot(axis[0], axis[1], axis[2]);
  Trs trs;
  if (length > 0) {
    const double sine = std::sin(radians / 2) / length;
    trs.rotation = {axis[0] * sine, axis[1] * sine, axis[2] * sine, std::cos(radians / 2)};
  }
  return make_matrix(trs);
}

Vec3d subtract(const Vec3d& a, const Vec3d& b) { return {a[0] - b[0], a[1] - b[1], a[2] - b[2]}; }
Vec3d cross(const Vec3d& a, const Vec3d& b) {
  return {a[1] * b[2] - a[2] * b[1], a[2] * b[0] - a[0] * b[2], a[0] * b[1] - a[1] * b[0]};
}
Vec3d normalise(const Vec3d& v) {
  const double length = std::hypot(v[0], v[1], v[2]);
  return length > 0 ? Vec3d{v[0] / length, v[1] / length, v[2] / length} : Vec3d{0, 0, 1};
}

/// Eye, what it looks at, and what is up.
Mat4d make_look_at(const std::vector<double>& n) {
  const Vec3d eye{n[0], n[1], n[2]};
  const Vec3d back = normalise(subtract(eye, {n[3], n[4], n[5]}));
  const Vec3d right = normalise(cross({n[6], n[7], n[8]}, back));
  const Vec3d up = cross(back, right);
  return {right[0], right[1], right[2], 0, up[0],  up[1],  up[2],  0,
          back[0],  back[1],  back[2],  0, eye[0], eye[1], eye[2], 1};
}

}  // namespace

Mat4d make_of_rows(const std::vector<double>& numbers) {
  Mat4d out{};
  for (std::size_t i = 0; i < out.size(); ++i) {
    out[4 * (i % 4) + i / 4] = numbers[i];
  }
  return out;
}

Mat4d read_transform(Document& document, const pugi::xml_node& element) {
  static constexpr std::pair<std::string_view, std::size_t> kinds[] = {
      {"matrix", 16}, {"translate", 3}, {"rotate", 4}, {"scale", 3}, {"lookat", 9}};
  const std::string_view kind = element.name();
  const auto* hit = std::find_if(std::begin(kinds), std::end(kinds),
                                 [&](const auto& known) { return known.first == kind; });
  if (hit == std::end(kinds)) {
    if (kind == "skew") {
      document.skip(element, "transforms that are not read", "left out", "<skew>");
    }
    return identity_matrix;
  }
  const std::vector<double> n = document.read_numbers(element);
  if (n.size() != hit->second ||
      !std::all_of(n.begin(), n.end(), [](double value) { return std::isfinite(value); })) {
    document.skip(
        element, "transforms that can't be read", "left out",
        fmt::format("a <{}> of {} numbers; {} finite ones make one", kind, n.size(), hit->second));
    return identity_matrix;
  }
  Trs trs;
  if (kind == "matrix") {
    return make_of_rows(n);
  }
  if (kind == "translate") {
    trs.translation = {n[0], n[1], n[2]};
  } else if (kind == "scale") {
    trs.scale = {n[0], n[1], n[2]};
  } else {
    return kind == "lookat" ? make_look_at(n)
                            : make_rotation({n[0], n[1], n[2]}, n[3] * std::numbers::pi / 180);
  }
  return make_matrix(trs);
}

}  // namespace wakuzume::collada
