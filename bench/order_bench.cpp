// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
//
// Orders of blended triangles, beside a floor: sorting them once by their distance from one eye.

#include <benchmark/benchmark.h>

#include <algorithm>
#include <cmath>
#include <cstdint>
#include <numbers>
#include <vector>

#include "wakuzume/order.h"

namespace wakuzume {
namespace {

using Triangles = std::vector<FacingTriangle>;

constexpr std::uint32_t windows_a_house = 64;
constexpr int sides_of_a_top = 18;

/// A pane of so many rows of two triangles, from both sides.
void add_window(
    const Vec3d& at, const Vec3d& along, int rows, std::uint32_t owner, Triangles& out) {
  const std::size_t begin = out.size();
  for (int r = 0; r < rows; ++r) {
    const double low = at[1] + 2.0 * r / rows;
    const double high = at[1] + 2.0 * (r + 1) / rows;
    const Vec3d a{at[0], low, at[2]};
    const Vec3d b{at[0] + along[0], low, at[2] + along[2]};
    const Vec3d c{at[0] + along[0], high, at[2] + along[2]};
    const Vec3d d{at[0], high, at[2]};
    const auto rank = static_cast<std::uint32_t>(2 * r);
    out.push_back({{a, b, c}, owner, rank});
    out.push_back({{a, c, d}, owner, rank + 1});
  }
  const std::size_t end = out.size();
  for (std::size_t t = begin; t < end; ++t) {
    FacingTriangle back = out[t];
    std::swap(back.corners[1], back.corners[2]);
    out.push_back(back);
  }
}

/// The glass top of a table: a closed body.
void add_top(const Vec3d& at, std::uint32_t owner, Triangles& out) {
  std::uint32_t rank = 0;
  const auto rim = [&](int k, double y) {
    const double turn = 2 * std::numbers::pi * k / sides_of_a_top;
    return Vec3d{at[0] + 0.5 * std::cos(turn), at[1] + y, at[2] + 0.5 * std::sin(turn)};
  };
  const Vec3d above{at[0], at[1] + 0.02, at[2]};
  for (int k = 0; k < sides_of_a_top; ++k) {
    out.push_back({{above, rim(k + 1, 0.02), rim(k, 0.02)}, owner, rank++});
    out.push_back({{at, rim(k, 0), rim(k + 1, 0)}, owner, rank++});
    out.push_back({{rim(k, 0), rim(k, 0.02), rim(k + 1, 0.02)}, owner, rank++});
    out.push_back({{rim(k, 0), rim(k + 1, 0.02), rim(k + 1, 0)}, owner, rank++});
  }
}

/// Houses with windows on four sides, and with tables in them where those are asked for.
Triangles make_street(std::uint32_t owners, int rows, bool tables) {
  Triangles out;
  const auto side = static_cast<std::uint32_t>(std::ceil(std::sqrt(owners / 64.0)));
  for (std::uint32_t o = 0; o < owners; ++o) {
    const std::uint32_t house = o / windows_a_house;
    const double x = 30.0 * (house % side);
    const double z = 30.0 * (house / side);
    const double a = 3.0 * (o % 4) + 1;
    const double y = 3.0 * (o / 4 % 4) + 1;
    if (tables && o % 4 == 3) {
      add_top({x + 2 + a, y, z + 2 + 2.0 * (o / 16 % 4)}, o, out);
      continue;
    }
    switch (o / 16 % 4) {
      case 0:
        add_window({x + a, y, z}, {1.5, 0, 0}, rows, o, out);
        break;
      case 1:
        add_window({x + a, y, z + 14}, {1.5, 0, 0}, rows, o, out);
        break;
      case 2:
        add_window({x, y, z + a}, {0, 0, 1.5}, rows, o, out);
        break;
      default:
        add_window({x + 14, y, z + a}, {0, 0, 1.5}, rows, o, out);
    }
  }
  return out;
}

/// Where somebody could stand between and in the houses.
std::vector<OrderEye> make_eyes(std::uint32_t owners, std::int64_t count) {
  std::vector<OrderEye> out;
  const double side = 30 * std::ceil(std::sqrt(owners / 64.0));
  for (std::int64_t e = 0; e < count; ++e) {
    const double x = std::fmod(0.618034 * static_cast<double>(e), 1.0);
    const double z = (static_cast<double>(e) + 0.5) / static_cast<double>(count);
    out.push_back({{side * x, 1.6, side * z}});
  }
  return out;
}

void BM_FindOrderParts(benchmark::State& state) {
  const auto owners = static_cast<std::uint32_t>(state.range(0));
  const Triangles triangles =
      make_street(owners, static_cast<int>(state.range(1)), state.range(2) != 0);
  const RunControl run{.threads = static_cast<unsigned>(state.range(3))};
  const std::vector<OrderEye> eyes = make_eyes(owners, state.range(4));
  std::vector<Vec3d> points(owners);
  for (const FacingTriangle& triangle : triangles) {
    points[triangle.owner] = triangle.corners[0];
  }
  const OrderSettings settings{OrderUnit::triangle, 1e-4, eyes, {}, points};
  std::uint32_t parts = 0;
  for (auto _ : state) {
    parts = find_order_parts(triangles, owners, settings, run).count;
  }
  state.SetItemsProcessed(state.iterations() * static_cast<std::int64_t>(triangles.size()));
  state.counters["triangles"] = static_cast<double>(triangles.size());
  state.counters["parts"] = parts;
}
BENCHMARK(BM_FindOrderParts)
    ->Name("BM_FindOrderParts/street/owners/rows/tables/threads/eyes")
    ->Args({1'750, 1, 0, 1, 0})
    ->Args({1'750, 1, 0, 1, 64})
    ->Args({16'000, 1, 0, 2, 0})
    ->Args({16'000, 7, 1, 1, 0})
    ->Args({16'000, 7, 1, 2, 0})
    ->Args({16'000, 7, 1, 2, 64})
    ->Unit(benchmark::kMillisecond)
    ->UseRealTime();

void BM_SortOnce(benchmark::State& state) {
  const Triangles triangles = make_street(static_cast<std::uint32_t>(state.range(0)),
                                          static_cast<int>(state.range(1)), state.range(2) != 0);
  for (auto _ : state) {
    std::vector<std::pair<double, std::uint32_t>> order;
    order.reserve(triangles.size());
    for (std::uint32_t t = 0; t < triangles.size(); ++t) {
      const Vec3d& corner = triangles[t].corners[0];
      order.emplace_back(std::hypot(corner[0], corner[1], corner[2]), t);
    }
    std::sort(order.begin(), order.end());
    benchmark::DoNotOptimize(order.data());
  }
  state.SetItemsProcessed(state.iterations() * static_cast<std::int64_t>(triangles.size()));
}
BENCHMARK(BM_SortOnce)
    ->Name("BM_SortOnce/street/owners/rows/tables")
    ->Args({1'750, 1, 0})
    ->Args({16'000, 7, 1})
    ->Unit(benchmark::kMillisecond)
    ->UseRealTime();

}  // namespace
}  // namespace wakuzume
