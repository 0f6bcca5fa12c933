// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include <benchmark/benchmark.h>

#include <algorithm>
#include <cmath>
#include <random>

#include "wakuzume/shading_order.h"

namespace wakuzume {
namespace {

struct Mesh {
  std::vector<float> positions;
  std::vector<std::uint32_t> indices;
  std::uint32_t vertices = 0;
};

/// A square of squares, in the order of its rows or in none.
Mesh make_regular(std::size_t triangles, bool shuffled) {
  const auto side = static_cast<std::uint32_t>(std::sqrt(static_cast<double>(triangles) / 2));
  std::vector<std::uint32_t> order(std::size_t{2} * side * side);
  for (std::uint32_t t = 0; t < order.size(); ++t) {
    order[t] = t;
  }
  if (shuffled) {
    std::shuffle(order.begin(), order.end(), std::mt19937(7));
  }
  Mesh mesh;
  mesh.vertices = (side + 1) * (side + 1);
  for (std::uint32_t v = 0; v < mesh.vertices; ++v) {
    // Folds, so that some of it hides some of it.
    const float x = static_cast<float>(v % (side + 1)) / static_cast<float>(side);
    const float y = static_cast<float>(v / (side + 1)) / static_cast<float>(side);
    mesh.positions.insert(mesh.positions.end(), {x, y, 0.2F * std::sin(30 * x) * std::cos(20 * y)});
  }
  for (const std::uint32_t t : order) {
    const std::uint32_t a = t / 2 / side * (side + 1) + t / 2 % side;
    const std::uint32_t b = a + side + 1;
    const std::uint32_t corners[2][3] = {{a, a + 1, b + 1}, {a, b + 1, b}};
    mesh.indices.insert(mesh.indices.end(), std::begin(corners[t % 2]), std::end(corners[t % 2]));
  }
  return mesh;
}

void BM_OrderForShading(benchmark::State& state) {
  const Mesh mesh = make_regular(static_cast<std::size_t>(state.range(0)), state.range(1) != 0);
  std::vector<std::uint32_t> order;
  for (auto _ : state) {
    order = order_for_shading(mesh.indices, mesh.vertices,
                              state.range(2) != 0 ? mesh.positions : std::vector<float>());
    benchmark::DoNotOptimize(order.data());
  }
  std::vector<std::uint32_t> after;
  for (const std::uint32_t t : order) {
    after.insert(after.end(), &mesh.indices[3 * std::size_t{t}],
                 &mesh.indices[3 * std::size_t{t}] + 3);
  }
  state.counters["shaded_per_triangle"] =
      static_cast<double>(count_shaded(after, mesh.vertices)) / static_cast<double>(order.size());
  state.SetItemsProcessed(state.iterations() * static_cast<std::int64_t>(order.size()));
}
BENCHMARK(BM_OrderForShading)
    ->ArgNames({"triangles", "shuffled", "outward"})
    ->Args({100'000, 0, 0})
    ->Args({1'000'000, 0, 0})
    ->Args({1'000'000, 0, 1})
    ->Args({1'000'000, 1, 1})
    ->Unit(benchmark::kMillisecond);

/// The list once through, as every order has to.
void BM_OrderForShading_floor(benchmark::State& state) {
  const Mesh mesh = make_regular(static_cast<std::size_t>(state.range(0)), false);
  for (auto _ : state) {
    benchmark::DoNotOptimize(count_shaded(mesh.indices, mesh.vertices));
  }
  state.SetItemsProcessed(state.iterations() * static_cast<std::int64_t>(mesh.indices.size() / 3));
}
BENCHMARK(BM_OrderForShading_floor)
    ->ArgName("triangles")
    ->Arg(1'000'000)
    ->Unit(benchmark::kMillisecond);

}  // namespace
}  // namespace wakuzume
