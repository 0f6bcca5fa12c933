// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include "textures.h"

#include <algorithm>
#include <cmath>
#include <numbers>

namespace wakuzume::demo {
namespace {

/// Distance to the nearest joint of a two by two pattern, in parts of the texture.
double find_joint_distance(double u, double v) {
  const double x = std::abs(std::fmod(u * 2, 1.0) - 0.5);
  const double y = std::abs(std::fmod(v * 2, 1.0) - 0.5);
  return (0.5 - std::max(x, y)) / 2;
}

double smooth(double low, double high, double value) {
  const double t = std::clamp((value - low) / (high - low), 0.0, 1.0);
  return t * t * (3 - 2 * t);
}

}  // namespace

Canvas draw_stone_slabs() {
  Canvas canvas(512, 512);
  canvas.shade([](double u, double v) {
    const bool light = (static_cast<int>(u * 2) + static_cast<int>(v * 2)) % 2 == 0;
    const Color stone = light ? Color{0.74, 0.70, 0.62, 1} : Color{0.58, 0.55, 0.50, 1};
    const double grain = tiling_fractal(u * 16, v * 16, 16, 3) - 0.5;
    const Color worn = mix(stone, {0.30, 0.29, 0.26, 1}, std::clamp(grain * 0.5 + 0.1, 0.0, 1.0));
    return mix({0.28, 0.27, 0.24, 1}, worn, smooth(0.004, 0.012, find_joint_distance(u, v)));
  });
  return canvas;
}

Canvas draw_stone_normals() {
  Canvas canvas(512, 512);
  const auto height = [](double u, double v) {
    return smooth(0.002, 0.018, find_joint_distance(u - std::floor(u), v - std::floor(v))) * 0.012 +
           tiling_fractal((u + 1) * 16, (v + 1) * 16, 16, 3) * 0.003;
  };
  canvas.shade([&](double u, double v) {
    constexpr double step = 1.0 / 512;
    const double dx = (height(u + step, v) - height(u - step, v)) / (2 * step);
    const double dy = (height(u, v + step) - height(u, v - step)) / (2 * step);
    const double length = std::sqrt(dx * dx + dy * dy + 1);
    // glTF's green axis points up the picture, rows run down it.
    return Color{0.5 - dx / length / 2, 0.5 + dy / length / 2, 0.5 + 0.5 / length, 1};
  });
  return canvas;
}

Canvas draw_bricks() {
  Canvas canvas(512, 512);
  canvas.shade([](double u, double v) {
    constexpr double rows = 8;
    const double row = std::floor(v * rows);
    const double along = u * 4 + (std::fmod(row, 2.0) == 0 ? 0.0 : 0.5);
    const double x = along - std::floor(along);
    const double y = v * rows - row;
    const double edge = std::min({x * 2, (1 - x) * 2, y, 1 - y});
    const double tone = hash_noise(static_cast<std::uint32_t>(std::floor(along)) % 4,
                                   static_cast<std::uint32_t>(row), 11);
    const Color brick = mix({0.52, 0.24, 0.17, 1}, {0.66, 0.36, 0.25, 1}, tone);
    const double grain = tiling_fractal(u * 32, v * 32, 32, 5);
    return mix({0.68, 0.65, 0.60, 1}, mix(brick, {0.25, 0.13, 0.10, 1}, grain * 0.35),
               smooth(0.03, 0.09, edge));
  });
  return canvas;
}

Canvas draw_wood() {
  Canvas canvas(256, 256);
  canvas.shade([](double u, double v) {
    const double bend = tiling_noise(u * 4, v * 2, 4, 21) * 0.08;
    const double rings = std::sin((v + bend) * 40 * std::numbers::pi) * 0.5 + 0.5;
    const double fibre = tiling_noise(u * 8, v * 64, 64, 22);
    return mix({0.46, 0.31, 0.18, 1}, {0.64, 0.47, 0.30, 1}, rings * 0.5 + fibre * 0.5);
  });
  return canvas;
}

Canvas draw_terracotta() {
  Canvas canvas(256, 256);
  canvas.shade([](double u, double v) {
    const double stain = tiling_fractal(u * 8, v * 8, 8, 31);
    return mix({0.76, 0.42, 0.27, 1}, {0.86, 0.66, 0.54, 1}, smooth(0.45, 0.85, stain));
  });
  return canvas;
}

Canvas draw_paint(const Color& color, std::uint32_t seed) {
  Canvas canvas(64, 64);
  canvas.shade([&](double u, double v) {
    const double brush = tiling_noise(u * 32, v * 4, 32, seed);
    return mix(color, {0.1, 0.1, 0.1, 1}, brush * 0.18);
  });
  return canvas;
}

Canvas draw_grass() {
  Canvas canvas(1024, 1024);
  canvas.shade([](double u, double v) {
    const double patch = tiling_noise(u * 8, v * 8, 8, 41);
    const double blade = tiling_noise(u * 128, v * 64, 128, 42);
    // Few tones keep the file small, and grass needs no more.
    const double tone = std::floor((patch * 0.6 + blade * 0.4) * 12) / 12;
    return mix({0.22, 0.34, 0.12, 1}, {0.45, 0.55, 0.24, 1}, tone);
  });
  return canvas;
}

Canvas draw_fronds() {
  Canvas canvas(256, 256, {0.2, 0.4, 0.15, 0});
  canvas.shade([](double u, double v) {
    const double side = std::abs(u - 0.5) * 2;
    const double reach = std::sin(std::min(1.0, v * 1.02) * std::numbers::pi) * 0.95;
    const double tooth = std::fmod((1 - v) * 14 + side * 1.2, 1.0);
    const bool leaf = side < 0.05 || (side < reach && tooth < 0.68);
    const Color green = mix({0.16, 0.36, 0.12, 1}, {0.40, 0.60, 0.22, 1}, 1 - side);
    return Color{green[0], green[1], green[2], leaf ? 1.0 : 0.0};
  });
  return canvas;
}

Canvas draw_broad_leaf() {
  Canvas canvas(256, 256, {0.2, 0.4, 0.2, 0});
  canvas.shade([](double u, double v) {
    const double side = std::abs(u - 0.5) * 2;
    const double reach = std::pow(std::sin(v * std::numbers::pi), 0.6) * 0.85;
    const double vein = std::abs(std::fmod((1 - v) * 9 + side * 2, 1.0) - 0.5);
    const Color green = mix({0.52, 0.66, 0.30, 1}, {0.10, 0.38, 0.20, 1}, smooth(0.0, 0.12, vein));
    const Color blade = mix({0.60, 0.70, 0.36, 1}, green, smooth(0.01, 0.05, side));
    return Color{blade[0], blade[1], blade[2], side < reach ? 1.0 : 0.0};
  });
  return canvas;
}

Canvas draw_dial() {
  Canvas canvas(128, 128);
  canvas.shade([](double u, double v) {
    const double x = u * 2 - 1;
    const double y = 1 - v * 2;
    const double radius = std::hypot(x, y);
    const double turn = std::atan2(x, y) / std::numbers::pi;  // 0 at the top, -1 to 1
    const double tick = std::abs(std::fmod(std::abs(turn) * 8 + 0.5, 1.0) - 0.5);
    Color color{0.95, 0.93, 0.86, 1};
    if (radius > 0.72 && radius < 0.9 && tick < 0.08 && std::abs(turn) < 0.8) {
      color = {0.1, 0.1, 0.1, 1};
    }
    if (radius > 0.62 && radius < 0.7 && turn > 0.4 && turn < 0.78) {
      color = {0.8, 0.15, 0.1, 1};
    }
    const bool needle = radius < 0.75 && std::abs(x - 0.5 * y) < 0.05 && y > -0.1;
    return needle || radius < 0.1 ? Color{0.75, 0.1, 0.08, 1} : color;
  });
  return canvas;
}

Canvas draw_worn_metal() {
  Canvas canvas(128, 128);
  canvas.shade([](double u, double v) {
    return Color{0, 0.35 + 0.4 * tiling_fractal(u * 8, v * 8, 8, 51), 1, 1};
  });
  return canvas;
}

Canvas draw_sign() {
  Canvas canvas(1024, 128, {0.09, 0.22, 0.16, 1});
  const Color gold{0.87, 0.72, 0.35, 1};
  canvas.fill_box(12, 12, 1012, 18, gold);
  canvas.fill_box(12, 110, 1012, 116, gold);
  canvas.write("GLASSHOUSE", 160, 29, 10, {0.03, 0.08, 0.06, 1});
  canvas.write("GLASSHOUSE", 156, 26, 10, gold);
  return canvas;
}

Canvas draw_lightmap(std::uint32_t page) {
  Canvas canvas(128, 128);
  canvas.shade([&](double u, double v) {
    const double along = (page % 4 + u) / 4;
    const double lamp =
        std::cos(along * 6 * 2 * std::numbers::pi) * std::cos(v * 4 * std::numbers::pi);
    const double light =
        0.76 + 0.18 * lamp + 0.05 * tiling_noise(along * 8, v * 8, 8, 71 + page / 4);
    return Color{light, light * 0.97, light * 0.88, 1};
  });
  return canvas;
}

}  // namespace wakuzume::demo
