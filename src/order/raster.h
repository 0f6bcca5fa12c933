// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#pragma once

#include <algorithm>
#include <array>
#include <cmath>
#include <cstdint>

#include "scene/matrix.h"
#include "wakuzume/views.h"

/// Small pictures without a GPU: which pixels' centres a triangle covers, and how near it is there.
namespace wakuzume {

/// Places in pixels from the upper left; nearness grows towards the eye and is linear over a
/// triangle's picture.
struct ScreenPoint {
  double x = 0;
  double y = 0;
  double nearness = 0;
};

/// Pixels, both ends included; empty with an end before its beginning.
struct ScreenRect {
  std::uint32_t left = 1;
  std::uint32_t top = 1;
  std::uint32_t right = 0;
  std::uint32_t bottom = 0;
};

class Raster {
 public:
  Raster(const Viewpoint& view, std::uint32_t width_px, std::uint32_t height_px)
      : width_px_(width_px),
        height_px_(height_px),
        perspective_(view.perspective),
        near_m_(view.perspective ? std::max(1e-6, view.znear_m) : -1e30),
        to_view_(as_eigen(view.world).inverse()) {
    const double tangent = std::tan(view.yfov / 2);
    x_scale_ = 1 / (view.perspective ? tangent * view.aspect : view.xmag);
    y_scale_ = 1 / (view.perspective ? tangent : view.ymag);
  }

  [[nodiscard]] std::uint32_t width_px() const { return width_px_; }
  [[nodiscard]] std::uint32_t height_px() const { return height_px_; }
  [[nodiscard]] const Eigen::Matrix4d& to_view() const { return to_view_; }

  /// Around all that a box of the world can cover.
  [[nodiscard]] ScreenRect find_rect(const Box3d& box) const {
    const ScreenRect all{0, 0, width_px_ - 1, height_px_ - 1};
    double low[2] = {1e30, 1e30};
    double high[2] = {-1e30, -1e30};
    for (unsigned corner = 0; corner < 8; ++corner) {
      Eigen::Vector4d at(0, 0, 0, 1);
      for (unsigned c = 0; c < 3; ++c) {
        at[c] = (corner >> c & 1U) != 0 ? box.max[c] : box.min[c];
      }
      const Eigen::Vector3d seen = (to_view_ * at).head<3>();
      if (!seen.allFinite() || -seen.z() < near_m_) {
        return all;
      }
      const ScreenPoint point = project(seen);
      low[0] = std::min(low[0], point.x);
      low[1] = std::min(low[1], point.y);
      high[0] = std::max(high[0], point.x);
      high[1] = std::max(high[1], point.y);
    }
    if (high[0] < 0 || high[1] < 0 || low[0] >= width_px_ || low[1] >= height_px_) {
      return {};
    }
    const auto pixel = [](double value, std::uint32_t size) {
      return static_cast<std::uint32_t>(std::clamp(value, 0.0, size - 1.0));
    };
    return {pixel(low[0], width_px_), pixel(low[1], height_px_), pixel(high[0], width_px_),
            pixel(high[1], height_px_)};
  }

  enum class Culling : std::uint8_t { none, behind };

  /// Calls `visit(pixel, nearness)` for each pixel's centre in the triangle.
  /// \param corners  in the space of the view, which looks along -z
  template <class Visit>
  void draw(const std::array<Eigen::Vector3d, 3>& corners,
            Culling culling,
            const Visit& visit) const {
    std::array<Eigen::Vector3d, 4> clipped;
    const std::size_t count = clip(corners, clipped);
    std::array<ScreenPoint, 4> points;
    for (std::size_t i = 0; i < count; ++i) {
      points[i] = project(clipped[i]);
    }
    for (std::size_t i = 2; i < count; ++i) {
      fill(points[0], points[i - 1], points[i], culling, visit);
    }
  }

 private:
  /// What lies before the near plane. \return how many corners that has
  std::size_t clip(const std::array<Eigen::Vector3d, 3>& corners,
                   std::array<Eigen::Vector3d, 4>& out) const {
    std::size_t count = 0;
    for (std::size_t i = 0; i < 3; ++i) {
      const Eigen::Vector3d& a = corners[i];
      const Eigen::Vector3d& b = corners[(i + 1) % 3];
      const double da = -a.z() - near_m_;
      const double db = -b.z() - near_m_;
      if (da >= 0) {
        out[count++] = a;
      }
      if ((da >= 0) != (db >= 0)) {
        out[count++] = a + (b - a) * (da / (da - db));
      }
    }
    return count;
  }

  [[nodiscard]] ScreenPoint project(const Eigen::Vector3d& p) const {
    const double nearness = perspective_ ? 1 / -p.z() : p.z();
    const double w = perspective_ ? nearness : 1;
    return {(p.x() * w * x_scale_ + 1) * width_px_ / 2, (1 - p.y() * w * y_scale_) * height_px_ / 2,
            nearness};
  }

  /// Rows that are shorter are gone through as a whole.
  static constexpr int worth_cutting_px = 12;

  /// Pixels of a row that may be in a triangle: at most a few too many.
  struct Span {
    double left;
    double right;

    /// Leaves out what lies beyond an edge. \param area  of the triangle, doubled
    void cut(const ScreenPoint& from, const ScreenPoint& to, double py, double area) {
      const double rise = to.y - from.y;
      if (rise == 0) {
        return;
      }
      const double at = from.x + (to.x - from.x) * ((py - from.y) / rise);
      const double margin = 2 + 1e-6 * std::abs(at);
      // Inside grows with x where the edge runs against the area's sign.
      if ((rise < 0) == (area > 0)) {
        left = std::max(left, std::min(at - margin, right + 1));
      } else {
        right = std::min(right, std::max(at + margin, left - 1));
      }
    }
  };

  template <class Visit>
  void fill(const ScreenPoint& a,
            const ScreenPoint& b,
            const ScreenPoint& c,
            Culling culling,
            const Visit& visit) const {
    const double area = (b.x - a.x) * (c.y - a.y) - (b.y - a.y) * (c.x - a.x);
    // Rows run downwards, so what goes round counter-clockwise has a negative area.
    if (!(area < 0 || (culling == Culling::none && area > 0))) {
      return;
    }
    const auto limit = [](double value, std::uint32_t size) {
      return static_cast<int>(std::clamp(value, -1.0, static_cast<double>(size)));
    };
    const int left = std::max(0, limit(std::ceil(std::min({a.x, b.x, c.x}) - 0.5), width_px_));
    const int right = std::min(static_cast<int>(width_px_) - 1,
                               limit(std::floor(std::max({a.x, b.x, c.x}) - 0.5), width_px_));
    const int top = std::max(0, limit(std::ceil(std::min({a.y, b.y, c.y}) - 0.5), height_px_));
    const int bottom = std::min(static_cast<int>(height_px_) - 1,
                                limit(std::floor(std::max({a.y, b.y, c.y}) - 0.5), height_px_));
    for (int y = top; y <= bottom; ++y) {
      const double py = y + 0.5;
      Span span{static_cast<double>(left), static_cast<double>(right)};
      if (right - left >= worth_cutting_px) {
        span.cut(b, c, py, area);
        span.cut(c, a, py, area);
        span.cut(a, b, py, area);
      }
      for (int x = static_cast<int>(span.left); x <= static_cast<int>(span.right); ++x) {
        const double px = x + 0.5;
        const double u = ((c.x - b.x) * (py - b.y) - (c.y - b.y) * (px - b.x)) / area;
        const double v = ((a.x - c.x) * (py - c.y) - (a.y - c.y) * (px - c.x)) / area;
        const double w = 1 - u - v;
        if (u >= 0 && v >= 0 && w >= 0) {
          visit(static_cast<std::uint32_t>(y) * width_px_ + static_cast<std::uint32_t>(x),
                u * a.nearness + v * b.nearness + w * c.nearness);
        }
      }
    }
  }

  std::uint32_t width_px_;
  std::uint32_t height_px_;
  bool perspective_;
  double near_m_;
  double x_scale_ = 1;
  double y_scale_ = 1;
  Eigen::Matrix4d to_view_;
};

}  // namespace wakuzume
