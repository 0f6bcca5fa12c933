// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include "wakuzume/reduce.h"

#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <memory>
#include <utility>

#include "reduce/given_back.h"
#include "reduce/mesh_surface.h"
#include "reduce/points.h"
#include "reduce/protection.h"
#include "rework/compact.h"
#include "scene/first_error.h"
#include "scene/running.h"
#include "survey/draws.h"

namespace wakuzume {
namespace {

/// A mesh of so many triangles is reduced by all threads, smaller ones side by side.
constexpr std::uint64_t large_triangles = 200'000;

constexpr std::uint64_t samples_per_triangle = 16;
constexpr std::uint64_t least_samples = 1024;
constexpr std::uint32_t most_samples = 50'000;
/// Of a distance that is asked for, what one that is measured at places alone may take.
constexpr double sure_share = 0.9;
/// So often an error is tried; what is too far off then stays as it is.
constexpr int most_rounds = 8;

struct Task {
  MeshTarget target;
  std::unique_ptr<MeshSurface> surface;
  ReducedSurface reduced;
};

/// Small meshes need not be looked at as closely as large ones.
std::uint32_t count_samples(const MeshSurface& mesh, std::uint32_t most) {
  return static_cast<std::uint32_t>(std::min<std::uint64_t>(
      most, std::max<std::uint64_t>(least_samples, samples_per_triangle * mesh.triangles())));
}

/// How far a mesh lies off where it lies farthest. \param share  of the places that are looked at
Result<double> measure_farthest(const Task& task, std::uint32_t share, const RunControl& run) {
  const Surface before = task.surface->show({});
  const auto deviation = measure_deviation(
      {before.positions, before.indices, {}, {}},
      {task.reduced.positions, task.reduced.indices, {}, {}},
      {.samples = 2 * count_samples(*task.surface, most_samples / 2) / share}, run);
  return deviation ? Result<double>(deviation->max_m()) : Failure(deviation.error());
}

Result<void> reduce_mesh(const Scene& scene,
                         const ReducePlan& plan,
                         const Protection& protection,
                         const JointMotion& motion,
                         const RunControl& run,
                         Task& task) {
  task.surface =
      std::make_unique<MeshSurface>(scene, scene[task.target.mesh], motion.list(task.target.mesh));
  const std::vector<float> held = protection.list_held(task.target.mesh, *task.surface);
  SurfaceSettings settings;
  settings.places = task.surface->has_grid() ? VertexPlaces::old : plan.settings.places;
  settings.edge_m = task.target.edge_m;
  SurfaceTarget target{task.target.triangles};
  if (plan.settings.counts()) {
    target.speck_m = task.surface->speck_limit_m();
    if (task.target.error_m > 0) {
      target.speck_m = std::min(target.speck_m, task.target.error_m);
    }
  }
  // A mean is what a reduction can foretell, the farthest is what counts: it is measured, and where
  // it is too far the mean has to be less.
  const double limit_m = task.surface->shape_limit_m();
  double mean_m = task.target.error_m > 0 ? std::min(task.target.error_m, limit_m) : limit_m;
  for (int round = 0;; ++round) {
    target.error_m = mean_m;
    if (round == most_rounds) {
      target.triangles = task.surface->triangles();
    }
    auto reduced = reduce_surface(task.surface->show(held), target, settings, run);
    if (!reduced) {
      return Failure(reduced.error());
    }
    task.reduced = std::move(*reduced);
    if (task.reduced.why == ReducedTo::error && mean_m == limit_m) {
      task.reduced.why = ReducedTo::shape;
    }
    if (task.target.error_m <= 0 || round == most_rounds) {
      return {};
    }
    // Most tries are seen to be too far off at few places.
    auto farthest_m = measure_farthest(task, 8, run);
    if (farthest_m && *farthest_m <= sure_share * task.target.error_m) {
      farthest_m = measure_farthest(task, 1, run);
    }
    if (!farthest_m) {
      return Failure(farthest_m.error());
    }
    task.reduced.error_m = *farthest_m;
    if (*farthest_m <= sure_share * task.target.error_m) {
      return {};
    }
    mean_m *= std::clamp(sure_share * task.target.error_m / *farthest_m, 0.1, 0.7);
  }
}

/// Of a copy: what became of the mesh that it is like.
Result<void> take_over(const Scene& scene,
                       const std::vector<Task>& tasks,
                       const JointMotion& motion,
                       Task& task) {
  const auto first = std::find_if(tasks.begin(), tasks.end(), [&](const Task& of) {
    return of.target.mesh == task.target.like && of.target.like == no_mesh;
  });
  task.surface =
      std::make_unique<MeshSurface>(scene, scene[task.target.mesh], motion.list(task.target.mesh));
  if (first == tasks.end() || !task.surface->is_ordered_like(*first->surface)) {
    return Failure(Error{ErrorCode::plan_mismatch,
                         fmt::format("mesh {} is to be reduced as mesh {}, and is not like it",
                                     to_index(task.target.mesh), to_index(task.target.like)),
                         {}});
  }
  task.reduced = task.surface->take_over(first->reduced, task.target.fit);
  task.reduced.error_m *= find_scale(task.target.fit);
  return {};
}

/// Puts meshes that were reduced in the place of the old ones.
class MeshReplacer {
 public:
  MeshReplacer(const Scene& scene, const Protection& protection, std::vector<Task>& tasks)
      : scene_(scene), protection_(protection), tasks_(tasks) {}

  Result<Reduced> make() {
    Reduced out;
    out.scene = scene_;
    write(out.scene, nullptr);
    if (!block_.allocate()) {
      return Failure(Error{ErrorCode::too_large,
                           fmt::format("no memory for {} bytes of geometry", block_.size()),
                           {}});
    }
    const auto id = make_id<BlockId>(out.scene.blocks.size());
    out.scene.blocks.emplace_back();
    write(out.scene, &id);
    out.scene.blocks.back().bytes = block_.finish();
    // What the old triangles were kept in is not needed any more.
    std::vector<std::string> left_out;
    compact(scene_, out.scene, left_out);
    for (const auto& [task, result] : results_) {
      out.meshes.push_back(tell(*task));
      out.meshes.back().result = result;
    }
    return out;
  }

 private:
  void write(Scene& out, const BlockId* id) {
    StreamMaker maker(scene_, out, block_, id);
    for (const Task& task : tasks_) {
      // What gave nothing shows the very data that it did, with others or alone; so does what has
      // no area at all.
      if (!gave(task)) {
        if (id != nullptr) {
          results_.emplace_back(&task, task.target.mesh);
        }
        continue;
      }
      Mesh mesh = task.surface->write(task.reduced, maker);
      if (id == nullptr) {
        continue;
      }
      if (protection_.has_all_nodes_of(task.target.mesh)) {
        out.meshes[to_index(task.target.mesh)] = std::move(mesh);
        results_.emplace_back(&task, task.target.mesh);
        continue;
      }
      const auto added = make_id<MeshId>(out.meshes.size());
      results_.emplace_back(&task, added);
      out.meshes.push_back(std::move(mesh));
      for (const NodeId node : protection_.nodes_of(task.target.mesh)) {
        out.nodes[to_index(node)].mesh = added;
      }
    }
  }

  [[nodiscard]] static bool gave(const Task& task) {
    const std::size_t left = task.reduced.triangle_from.size();
    return left > 0 && left < task.surface->triangles();
  }

  [[nodiscard]] ReducedMesh tell(const Task& task) const {
    ReducedMesh out;
    out.mesh = task.target.mesh;
    for (const NodeId node : protection_.nodes_of(out.mesh)) {
      out.draws += count_instances(scene_, scene_[node]);
    }
    out.triangles_before = task.surface->triangles();
    out.triangles = gave(task) ? task.reduced.triangle_from.size() : out.triangles_before;
    out.held = task.reduced.held;
    out.specks = task.reduced.specks;
    out.error_m = task.reduced.error_m;
    out.why = task.reduced.why;
    return out;
  }

  const Scene& scene_;
  const Protection& protection_;
  std::vector<Task>& tasks_;
  std::vector<std::pair<const Task*, MeshId>> results_;
  GeometryBlock block_;
};

/// Two surfaces with the traits of both that people see: the first normals, UVs and colours.
struct Seen {
  Surface was;
  Surface is;
  std::array<std::size_t, 3> trait{no_index, no_index, no_index};  ///< of these
};

Seen show_seen(const MeshSurface& was, const MeshSurface& is) {
  Seen out{was.show({}), is.show({})};
  const std::vector<SurfaceTrait> had = std::exchange(out.was.traits, {});
  const std::vector<SurfaceTrait> has = std::exchange(out.is.traits, {});
  constexpr std::array kinds{TraitKind::direction, TraitKind::uv, TraitKind::color};
  for (std::size_t k = 0; k < kinds.size(); ++k) {
    const auto is_such = [&](const SurfaceTrait& trait) { return trait.kind == kinds[k]; };
    const auto before = std::find_if(had.begin(), had.end(), is_such);
    const auto after = std::find_if(has.begin(), has.end(), is_such);
    // What pictures of normals need may have come since.
    if (before != had.end() && after != has.end() && before->components == after->components) {
      out.trait[k] = out.was.traits.size();
      out.was.traits.push_back(*before);
      out.is.traits.push_back(*after);
    }
  }
  return out;
}

Result<std::vector<Task>> list_tasks(const Scene& scene, const ReducePlan& plan) {
  std::vector<Task> tasks;
  for (const MeshTarget& target : plan.meshes) {
    if (to_index(target.mesh) >= scene.meshes.size()) {
      return Failure(Error{ErrorCode::plan_mismatch,
                           fmt::format("mesh {} is to be reduced, there are {}",
                                       to_index(target.mesh), scene.meshes.size()),
                           {}});
    }
    if (const std::string obstacle = find_obstacle_to_reducing(scene, scene[target.mesh]);
        !obstacle.empty()) {
      return Failure(
          Error{ErrorCode::plan_mismatch,
                fmt::format("mesh {} can't be reduced: {}", to_index(target.mesh), obstacle),
                {}});
    }
    tasks.push_back({target, nullptr, {}});
  }
  return tasks;
}

}  // namespace

Result<Reduced> reduce(const Scene& scene, const ReducePlan& plan, const RunControl& run) {
  auto tasks = list_tasks(scene, plan);
  if (!tasks) {
    return Failure(tasks.error());
  }
  const auto protection = Protection::make(scene, plan.settings, plan.detail);
  if (!protection) {
    return Failure(protection.error());
  }
  if (tasks->empty()) {
    return Reduced{scene, {}};
  }
  const JointMotion motion(scene);
  const MeshDraws drawn(scene);
  const auto is_large = [&](const Task& task) {
    return drawn[task.target.mesh].triangles >= large_triangles;
  };
  FirstError failed;
  const auto work = [&](std::size_t t, const RunControl& inner) {
    if ((*tasks)[t].target.like != no_mesh) {
      return;
    }
    if (auto done = reduce_mesh(scene, plan, *protection, motion, inner, (*tasks)[t]); !done) {
      failed.report(t, done.error());
    }
  };
  for (std::size_t t = 0; t < tasks->size(); ++t) {
    if (is_large((*tasks)[t])) {
      work(t, run);
    }
  }
  const bool went_on = for_each_index(tasks->size(), run, "reducing", [&](std::size_t t) {
    if (!is_large((*tasks)[t])) {
      work(t, {.threads = 1});
    }
  });
  if (!went_on) {
    return Failure(make_cancelled());
  }
  if (const auto& error = failed.get()) {
    return Failure(*error);
  }
  const bool went_over = for_each_index(tasks->size(), run, "reducing", [&](std::size_t t) {
    if ((*tasks)[t].target.like != no_mesh) {
      if (auto done = take_over(scene, *tasks, motion, (*tasks)[t]); !done) {
        failed.report(t, done.error());
      }
    }
  });
  if (!went_over) {
    return Failure(make_cancelled());
  }
  if (const auto& error = failed.get()) {
    return Failure(*error);
  }
  auto out = MeshReplacer(scene, *protection, *tasks).make();
  if (out) {
    give_back(scene, plan.untouched, *out);
  }
  return out;
}

Result<std::vector<MeshDeviation>> measure_reduction(const Scene& before,
                                                     const Scene& after,
                                                     std::span<const ReducedMesh> meshes,
                                                     const DeviationSettings& settings,
                                                     const RunControl& run) {
  std::vector<MeshDeviation> out(meshes.size());
  const bool went_on = for_each_index(out.size(), run, "measuring", [&](std::size_t m) {
    const MeshSurface was(before, before[meshes[m].mesh]);
    const MeshSurface is(after, after[meshes[m].result]);
    const Seen seen = show_seen(was, is);
    const DeviationSettings looks{.samples = count_samples(was, settings.samples)};
    auto measured = measure_deviation(seen.was, seen.is, looks, {.threads = 1});
    if (measured) {
      MeshDeviation& to = out[m];
      to.surface = std::move(*measured);
      const std::array<double*, 3> figures{&to.turned_deg, &to.texture, &to.color};
      for (std::size_t k = 0; k < figures.size(); ++k) {
        *figures[k] = seen.trait[k] != no_index ? to.surface.trait(seen.trait[k]) : 0;
      }
    }
  });
  return went_on ? Result<std::vector<MeshDeviation>>(std::move(out)) : Failure(make_cancelled());
}

}  // namespace wakuzume
