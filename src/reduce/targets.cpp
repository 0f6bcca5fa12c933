// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <limits>
#include <map>
#include <numbers>
#include <set>
#include <utility>

#include "reduce/mesh_surface.h"
#include "reduce/points.h"
#include "reduce/protection.h"
#include "reduce/reduce_wishes.h"
#include "scene/running.h"
#include "survey/draws.h"
#include "wakuzume/families.h"

namespace wakuzume {
namespace {

/// What no view shows counts as if seen from so many times as far as the least of what one shows.
constexpr double unseen_times = 8;

/// Meshes of equal content, which are reduced alike.
struct Group {
  std::vector<MeshId> meshes;
  /// Copies of the first that were turned or scaled as data, and how.
  std::vector<std::pair<MeshId, Mat4d>> copies;
  std::uint64_t triangles = 0;  ///< of one
  std::uint64_t draws = 0;      ///< of all
  double scale = 0;             ///< largest of its nodes
  double px_per_m = 0;          ///< largest of its views; 0: no view shows it
  double weight = 0;            ///< pixels to the fourth of an error's square over its area
  double area = 0;              ///< square metres, in its own space
  std::vector<SurfaceStep> steps;
};

class Proposer {
 public:
  Proposer(const Scene& scene,
           const Survey& survey,
           const ReduceSettings& settings,
           std::span<const Viewpoint> views,
           const Protection& protection)
      : scene_(scene),
        motion_(scene),
        survey_(survey),
        settings_(settings),
        views_(views),
        protection_(protection) {}

  Result<ReducePlan> propose(const RunControl& run) {
    plan_.settings = settings_;
    const auto families = find_families(scene_, survey_, {}, run);
    if (!families) {
      return Failure(families.error());
    }
    gather();
    find_copies(*families);
    weigh();
    set_errors();
    const std::uint64_t wanted = count_wanted();
    if (settings_.counts()) {
      if (!spread(wanted, run)) {
        return Failure(make_cancelled());
      }
    }
    for (std::size_t g = 0; g < groups_.size(); ++g) {
      for (const MeshId mesh : groups_[g].meshes) {
        MeshTarget target = targets_[g];
        target.mesh = mesh;
        if (target.triangles < groups_[g].triangles) {
          plan_.meshes.push_back(target);
        }
      }
      for (const auto& [mesh, fit] : groups_[g].copies) {
        MeshTarget target = targets_[g];
        if (target.triangles < groups_[g].triangles) {
          const double scale = find_scale(fit);
          plan_.meshes.push_back({mesh, target.triangles, scale * target.error_m,
                                  scale * target.edge_m, groups_[g].meshes.front(), fit});
        }
      }
    }
    std::sort(plan_.meshes.begin(), plan_.meshes.end(),
              [](const MeshTarget& a, const MeshTarget& b) { return a.mesh < b.mesh; });
    return std::move(plan_);
  }

 private:
  void gather() {
    // By mesh: what its shapes are, by content.
    std::map<MeshId, std::vector<FamilyId>> content;
    for (const Shape& shape : survey_.shapes) {
      content[shape.mesh].push_back(shape.family);
    }
    const MeshDraws drawn(scene_);
    std::map<std::vector<FamilyId>, std::size_t> known;
    for (const auto& [mesh, families] : content) {
      if (protection_.nodes_of(mesh).empty()) {
        continue;
      }
      if (const std::string obstacle = find_obstacle_to_reducing(scene_, scene_[mesh]);
          !obstacle.empty()) {
        plan_.left_as.push_back(
            fmt::format("mesh {} is not reduced: {}", scene_[mesh].name, obstacle));
        continue;
      }
      if (drawn[mesh].triangles == 0) {
        continue;
      }
      const auto [slot, added] = known.try_emplace(families, groups_.size());
      if (added) {
        groups_.emplace_back().triangles = drawn[mesh].triangles;
        groups_.back().area = sum_area(MeshSurface(scene_, scene_[mesh]));
      }
      groups_[slot->second].meshes.push_back(mesh);
      group_of_[mesh] = slot->second;
    }
    for (Group& group : groups_) {
      for (const MeshId mesh : group.meshes) {
        group.draws += count_draws(mesh);
      }
    }
  }

  [[nodiscard]] std::uint64_t count_draws(MeshId mesh) const {
    std::uint64_t draws = 0;
    for (const NodeId node : protection_.nodes_of(mesh)) {
      draws += count_instances(scene_, scene_[node]);
    }
    return draws;
  }

  /// What shapes of the meshes were found to be a transform of, where it is one for all of them.
  struct Copy {
    MeshId of = no_mesh;
    Mat4d fit = identity_matrix;
  };

  [[nodiscard]] std::map<MeshId, Copy> list_copies(const Families& families) const {
    std::map<MeshId, Copy> out;
    std::set<MeshId> mixed;
    for (std::size_t s = 0; s < survey_.shapes.size(); ++s) {
      const Shape& shape = survey_.shapes[s];
      const FamilyMember& member = families.members[s];
      const Shape& first = survey_.shapes[to_index(families.prototypes[member.family])];
      const auto [slot, added] = out.try_emplace(shape.mesh, Copy{first.mesh, member.fit.matrix});
      double off = 0;
      for (std::size_t k = 0; k < 16; ++k) {
        off = std::max(off, std::abs(slot->second.fit[k] - member.fit.matrix[k]));
      }
      const bool whole = first.primitive == shape.primitive && slot->second.of == first.mesh;
      if (!whole || off > 1e-6 * find_scale(member.fit.matrix) ||
          member.likeness != Likeness::shape) {
        mixed.insert(shape.mesh);
      }
    }
    for (const MeshId mesh : mixed) {
      out.erase(mesh);
    }
    return out;
  }

  /// Groups of copies join that of the first, where nothing protects one of them alone.
  void find_copies(const Families& families) {
    std::vector<bool> joined(groups_.size(), false);
    for (const auto& [mesh, copy] : list_copies(families)) {
      const auto here = group_of_.find(mesh);
      const auto there = group_of_.find(copy.of);
      if (here == group_of_.end() || there == group_of_.end() || here->second == there->second ||
          groups_[there->second].meshes.front() != copy.of || joined[there->second]) {
        continue;
      }
      const MeshSurface first(scene_, scene_[copy.of], motion_.list(copy.of));
      const MeshSurface second(scene_, scene_[mesh], motion_.list(mesh));
      if (!second.is_ordered_like(first) ||
          protection_.list_held(copy.of, first) != protection_.list_held(mesh, second)) {
        continue;
      }
      groups_[there->second].copies.emplace_back(mesh, copy.fit);
      groups_[there->second].draws += count_draws(mesh);
      std::erase(groups_[here->second].meshes, mesh);
      groups_[here->second].draws -= count_draws(mesh);
      joined[here->second] = true;
    }
    std::size_t kept = 0;
    for (std::size_t g = 0; g < groups_.size(); ++g) {
      if (!groups_[g].meshes.empty()) {
        if (kept != g) {
          groups_[kept] = std::move(groups_[g]);
        }
        ++kept;
      }
    }
    groups_.resize(kept);
    group_of_.clear();
  }

  static double sum_area(const MeshSurface& mesh) {
    const Surface surface = mesh.show({});
    double area = 0;
    for (std::size_t t = 0; t < surface.indices.size() / 3; ++t) {
      const double size = find_area(surface.positions, surface.indices, t);
      area += std::isfinite(size) ? size : 0;
    }
    return area;
  }

  /// How large views show what each group's nodes show.
  void weigh() {
    double least = std::numeric_limits<double>::infinity();
    const std::vector<ShownSize> sizes =
        find_shown_sizes(scene_, survey_, views_, settings_.height_px);
    for (Group& group : groups_) {
      const auto add = [&](MeshId mesh, double scale) {
        const ShownSize& size = sizes[to_index(mesh)];
        group.scale = std::max(group.scale, scale * size.scale);
        group.px_per_m = std::max(group.px_per_m, size.px_per_m);
        group.weight += std::pow(scale, 4) * size.weight;
        least = size.px_per_m > 0 ? std::min(least, size.px_per_m) : least;
      };
      for (const MeshId mesh : group.meshes) {
        add(mesh, 1);
      }
      for (const auto& [mesh, fit] : group.copies) {
        add(mesh, find_scale(fit));
      }
    }
    const double unseen = std::isfinite(least) ? least / unseen_times : 1;
    for (Group& group : groups_) {
      if (group.weight <= 0) {
        group.weight = static_cast<double>(group.draws) * std::pow(unseen * group.scale, 4);
      }
    }
  }

  /// Metres in a group's own space; 0: any.
  [[nodiscard]] double find_error(const Group& group) const {
    double error_m = settings_.error_m;
    if (settings_.error_px > 0) {
      const double tangent = std::tan(std::numbers::pi / 6);
      double px_per_m = group.px_per_m;
      if (settings_.distance_m > 0) {
        px_per_m = settings_.height_px / (2 * tangent * settings_.distance_m);
      } else if (px_per_m <= 0) {
        const double size = group.scale * std::sqrt(std::max(group.area, 1e-30));
        px_per_m = settings_.height_px / (2 * size);
      }
      const double by_px = settings_.error_px / px_per_m;
      error_m = error_m > 0 ? std::min(error_m, by_px) : by_px;
    }
    return group.scale > 0 ? error_m / group.scale : error_m;
  }

  void set_errors() {
    for (const Group& group : groups_) {
      targets_.push_back({no_mesh, 0, find_error(group), 0});
      if (targets_.back().error_m <= 0) {
        targets_.back().triangles = group.triangles;
      }
    }
  }

  [[nodiscard]] std::uint64_t count_wanted() const {
    std::uint64_t today = 0;
    for (const Group& group : groups_) {
      today += group.triangles * group.draws;
    }
    const auto by_share =
        static_cast<std::uint64_t>(std::floor(settings_.share * static_cast<double>(today)));
    return settings_.triangles > 0 ? std::min<std::uint64_t>(settings_.triangles, by_share)
                                   : by_share;
  }

  /// How cheaply each group comes down, all the way.
  bool find_steps(const RunControl& run) {
    return for_each_index(groups_.size(), run, "looking for triangles", [&](std::size_t g) {
      Group& group = groups_[g];
      const MeshSurface surface(scene_, scene_[group.meshes.front()],
                                motion_.list(group.meshes.front()));
      const std::vector<float> held = protection_.list_held(group.meshes.front(), surface);
      SurfaceTarget target{0, surface.shape_limit_m()};
      if (targets_[g].error_m > 0) {
        target.error_m = std::min(target.error_m, targets_[g].error_m);
      }
      SurfaceSettings settings;
      settings.places = surface.has_grid() ? VertexPlaces::old : settings_.places;
      settings.edge_m = targets_[g].edge_m;
      if (auto reduced = reduce_surface(surface.show(held), target, settings, {.threads = 1})) {
        group.steps = std::move(reduced->steps);
      }
    });
  }

  /// Triangles of a group when no move dearer than a price was made.
  static std::uint64_t count_at(const Group& group, double price) {
    std::uint64_t left = group.triangles;
    for (const SurfaceStep& step : group.steps) {
      if (step.cost * group.weight > price) {
        break;
      }
      left = std::min(left, step.triangles);
    }
    return left;
  }

  [[nodiscard]] std::uint64_t count_all_at(double price) const {
    std::uint64_t sum = 0;
    for (const Group& group : groups_) {
      sum += count_at(group, price) * group.draws;
    }
    return sum;
  }

  /// The price at which what is left is as many as wanted: where it shows least gives most.
  bool spread(std::uint64_t wanted, const RunControl& run) {
    std::uint64_t today = 0;
    for (const Group& group : groups_) {
      today += group.triangles * group.draws;
    }
    const double share = today > 0 ? static_cast<double>(wanted) / static_cast<double>(today) : 1;
    for (std::size_t g = 0; g < groups_.size(); ++g) {
      const double left = std::max(1.0, share * static_cast<double>(groups_[g].triangles));
      targets_[g].edge_m = find_edge_length(groups_[g].area, left);
    }
    if (groups_.size() == 1) {
      targets_[0].triangles = wanted / std::max<std::uint64_t>(groups_[0].draws, 1);
      return true;
    }
    if (!find_steps(run)) {
      return false;
    }
    std::vector<double> prices{0};
    for (const Group& group : groups_) {
      for (const SurfaceStep& step : group.steps) {
        prices.push_back(step.cost * group.weight);
      }
    }
    std::sort(prices.begin(), prices.end());
    const auto enough = std::partition_point(
        prices.begin(), prices.end(), [&](double price) { return count_all_at(price) > wanted; });
    const double price = enough == prices.end() ? prices.back() : *enough;
    const double before = enough == prices.begin() ? price : *(enough - 1);
    // Between two prices all go the same way.
    const auto most = static_cast<double>(count_all_at(before));
    const auto least = static_cast<double>(count_all_at(price));
    const double back =
        most > least ? std::clamp((static_cast<double>(wanted) - least) / (most - least), 0.0, 1.0)
                     : 0;
    for (std::size_t g = 0; g < groups_.size(); ++g) {
      const std::uint64_t low = count_at(groups_[g], price);
      const std::uint64_t high = count_at(groups_[g], before);
      targets_[g].triangles =
          low + static_cast<std::uint64_t>(back * static_cast<double>(high - low));
    }
    // Where that is too many still, only what goes as a whole is left to ask for.
    if (const std::uint64_t last = count_all_at(price); last > wanted) {
      const double less = static_cast<double>(wanted) / static_cast<double>(last);
      for (MeshTarget& target : targets_) {
        target.triangles = static_cast<std::uint64_t>(less * static_cast<double>(target.triangles));
      }
    }
    return true;
  }

  const Scene& scene_;
  const JointMotion motion_;
  const Survey& survey_;
  const ReduceSettings& settings_;
  std::span<const Viewpoint> views_;
  const Protection& protection_;
  ReducePlan plan_;
  std::vector<Group> groups_;
  std::vector<MeshTarget> targets_;  // by group
  std::map<MeshId, std::size_t> group_of_;
};

Result<void> check(bool fits, std::string_view member, std::string_view range) {
  if (fits) {
    return {};
  }
  return Failure(
      Error{ErrorCode::bad_setting, fmt::format("reduce.{} must be {}", member, range), {}});
}

}  // namespace

Result<void> validate(const ReduceSettings& settings) {
  const auto within = [](double value, double most) { return value >= 0 && value <= most; };
  for (const auto& done :
       {check(within(settings.share, 1), "share", "from 0 to 1"),
        check(within(settings.error_m, 1e9), "error_m", "from 0 to 1e9"),
        check(within(settings.error_px, 1e4), "error_px", "from 0 to 10000"),
        check(settings.height_px >= 1 && settings.height_px <= 65536, "height_px",
              "from 1 to 65536"),
        check(within(settings.distance_m, 1e9), "distance_m", "from 0 to 1e9"),
        check(within(settings.protect_detail, 255), "protect_detail", "from 0 to 255"),
        check(settings.relief_px == 0 || (settings.relief_px >= 16 && settings.relief_px <= 8192),
              "relief_px", "0, or from 16 to 8192")}) {
    if (!done) {
      return done;
    }
  }
  for (const auto& [name, list] : list_wishes(settings)) {
    for (const std::string& wish : list) {
      if (const auto valid = validate_wish(wish); !valid) {
        return Failure(Error{
            ErrorCode::bad_setting, fmt::format("{} has {}", name, valid.error().message), {}});
      }
    }
  }
  return {};
}

Result<ReducePlan> propose_reduction(const Scene& scene,
                                     const Survey& survey,
                                     const ReduceSettings& settings,
                                     std::span<const Viewpoint> views,
                                     const RunControl& run,
                                     std::vector<DetailMask> detail) {
  if (auto valid = validate(settings); !valid) {
    return Failure(valid.error());
  }
  ReduceSettings asked = settings;
  if (auto done = answer_terms(scene, survey, asked, run); !done) {
    return Failure(done.error());
  }
  const auto protection = Protection::make(scene, asked, detail);
  if (!protection) {
    return Failure(protection.error());
  }
  if (!settings.asks()) {
    ReducePlan plan;
    plan.settings = std::move(asked);
    return plan;
  }
  auto plan = Proposer(scene, survey, asked, views, *protection).propose(run);
  if (plan) {
    plan->detail = std::move(detail);
  }
  return plan;
}

}  // namespace wakuzume
