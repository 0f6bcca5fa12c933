// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include "plan/set_judge.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <numeric>
#include <optional>

#include "family/judge.h"
#include "plan/check.h"
#include "scene/matrix.h"

namespace wakuzume {
namespace {

/// Of what is allowed: floats that store a transform are off by less, and where no more is used up
/// nothing needs to be looked at vertex by vertex.
constexpr double far_below = 0.05;

/// One set, member by member.
class SetComparison {
 public:
  SetComparison(const Scene& scene,
                const Survey& survey,
                const FamilySettings& settings,
                const FrameMaker& frames,
                const Group& group,
                ProvenFits& proven)
      : scene_(scene),
        survey_(survey),
        settings_(settings),
        frames_(frames),
        group_(group),
        proven_(proven),
        frame_(frames.make(group)),
        box_(make_prototype_box(survey, frames.world(), group)),
        prototypes_(group.prototype.size()) {
    for (std::size_t p = 0; p < group.prototype.size(); ++p) {
      part_matrices_.push_back(make_part_matrix(frames.world(), group, p));
    }
  }

  std::vector<Misfit> run() {
    std::vector<std::size_t> order(group_.instance_count());
    std::iota(order.begin(), order.end(), std::size_t{0});
    // Those of one shape one after the other: its vertices are decoded once.
    std::stable_sort(order.begin(), order.end(), [&](std::size_t a, std::size_t b) {
      return draw_of(a, 0).shape < draw_of(b, 0).shape;
    });
    std::vector<Misfit> out;
    for (const std::size_t i : order) {
      add_misfits(i, out);
    }
    std::sort(out.begin(), out.end(),
              [](const Misfit& a, const Misfit& b) { return a.member < b.member; });
    return out;
  }

 private:
  [[nodiscard]] std::size_t parts() const { return group_.prototype.size(); }
  [[nodiscard]] const Draw& draw_of(std::size_t instance, std::size_t part) const {
    return survey_[find_draw(survey_, group_.members[instance * parts() + part])];
  }

  void add_misfits(std::size_t instance, std::vector<Misfit>& out) {
    const std::size_t first = instance * parts();
    const std::optional<Trs> trs = group_.instance_count() == 1
                                       ? frames_.make_single(group_, frame_)
                                       : frames_.make_instance(group_, frame_, box_, instance);
    if (!trs) {
      return out.push_back({first, "has a transform that no instance can hold"});
    }
    if (group_.instance_count() > 1 && trs->scale[0] < 0) {
      return out.push_back({first, "is mirrored otherwise than the first"});
    }
    const Mat4d shown = frames_.make_shown_world(group_, frame_, *trs);
    for (std::size_t p = 0; p < parts(); ++p) {
      std::string what = compare(draw_of(instance, p), p, make_product(shown, part_matrices_[p]));
      if (!what.empty()) {
        out.push_back({first + p, std::move(what)});
      }
    }
  }

  /// \param shown  where the prototype's part would stand
  [[nodiscard]] std::string compare(const Draw& draw, std::size_t part, const Mat4d& shown) {
    const Mat4d& here = frames_.world()[to_index(draw.node)];
    const Draw& prototype = group_part(part);
    if (survey_[draw.shape].family == survey_[prototype.shape].family &&
        is_in_place(draw, here, shown)) {
      return {};
    }
    const std::optional<Eigen::Matrix4d> relative = find_relative(here, shown);
    if (relative && is_proven(draw, prototype, *relative)) {
      return {};
    }
    if (make_signature(scene_, primitive_of(scene_, draw), settings_) !=
            make_signature(scene_, primitive_of(scene_, prototype), settings_) ||
        !primitive_of(scene_, draw).morph_targets.empty()) {
      return "has other attributes or elements than the prototype";
    }
    if (!prototypes_[part]) {
      prototypes_[part] = make_points(scene_, primitive_of(scene_, prototype), settings_);
    }
    if (draw.shape != decoded_shape_ || !decoded_) {
      decoded_ = make_points(scene_, primitive_of(scene_, draw), settings_);
      decoded_shape_ = draw.shape;
    }
    if (relative && prove(draw, part, *relative)) {
      return {};
    }
    const RepeatJudge judge(*decoded_, here);
    const RepeatLimits limits = make_repeat_limits(settings_, judge.size_m());
    return judge.judge(*prototypes_[part], shown, limits)
               ? std::string()
               : fmt::format("does not show what the prototype would show there, within {:.3g} m",
                             limits.position_m);
  }

  /// From the prototype's space to the draw's; nothing where the draw is stretched.
  static std::optional<Eigen::Matrix4d> find_relative(const Mat4d& here, const Mat4d& shown) {
    const Eigen::Matrix4d world = as_eigen(here);
    const Eigen::Matrix3d square =
        world.topLeftCorner<3, 3>().transpose() * world.topLeftCorner<3, 3>();
    const double scale = square.trace() / 3;
    const bool stretched =
        !((square - scale * Eigen::Matrix3d::Identity()).norm() <= 1e-6 * scale && scale > 0);
    return stretched ? std::nullopt
                     : std::optional<Eigen::Matrix4d>(world.inverse() * as_eigen(shown));
  }

  /// What was judged once of a shape holds wherever it is turned to and however large it is, as
  /// long as its fit is as good as the same.
  [[nodiscard]] bool is_proven(const Draw& draw,
                               const Draw& prototype,
                               const Eigen::Matrix4d& relative) const {
    const double size = survey_[draw.shape].box.largest_extent();
    return proven_.any(draw.shape, prototype.shape, [&](const Eigen::Matrix4d& known) {
      return is_near(relative, known, survey_[prototype.shape].box, size,
                     turned_direction_tolerance());
    });
  }

  /// Judges a shape in its own space, by limits that no turn makes too wide: a box is nowhere
  /// smaller than the longest side it has here, and a turn moves a direction's error into one
  /// component. \pre both parts are decoded
  [[nodiscard]] bool prove(const Draw& draw, std::size_t part, const Eigen::Matrix4d& relative) {
    const double size = survey_[draw.shape].box.largest_extent();
    const RepeatLimits limits{(1 - far_below) * settings_.tolerance * size,
                              settings_.attribute_tolerance,
                              (1 - far_below) * turned_direction_tolerance()};
    const RepeatJudge judge(*decoded_, identity_matrix);
    if (!judge.judge(*prototypes_[part], from_eigen(relative), limits)) {
      return false;
    }
    proven_.add(draw.shape, group_part(part).shape, relative);
    return true;
  }

  /// The same transform of what is in a box, as good as. An axis without length has directions that
  /// have to be looked at. \param size  that the tolerance is a share of
  [[nodiscard]] bool is_near(const Eigen::Matrix4d& a,
                             const Eigen::Matrix4d& b,
                             const Box3d& moved,
                             double size,
                             double direction_tolerance) const {
    const Eigen::Matrix4d error = a - b;
    const double thinnest = b.topLeftCorner<3, 3>().colwise().norm().minCoeff();
    return find_largest_move(error, moved) <= far_below * settings_.tolerance * size &&
           error.topLeftCorner<3, 3>().norm() <= far_below * direction_tolerance * thinnest;
  }

  [[nodiscard]] const Draw& group_part(std::size_t part) const {
    return survey_[find_draw(survey_, group_.prototype[part])];
  }

  /// The same vertices, as good as in the same place.
  [[nodiscard]] bool is_in_place(const Draw& draw, const Mat4d& here, const Mat4d& shown) const {
    return is_near(as_eigen(shown), as_eigen(here), survey_[draw.shape].box,
                   find_diagonal(draw.box), settings_.direction_tolerance);
  }

  /// Of a direction that may yet be turned: all of its error may get into one component.
  [[nodiscard]] double turned_direction_tolerance() const {
    return settings_.direction_tolerance / std::sqrt(3.0);
  }

  const Scene& scene_;
  const Survey& survey_;
  const FamilySettings& settings_;
  const FrameMaker& frames_;
  const Group& group_;
  ProvenFits& proven_;
  Frame frame_;
  Box3d box_;
  std::vector<Mat4d> part_matrices_;
  std::vector<std::optional<Points>> prototypes_;  ///< by part, once they are needed
  ShapeId decoded_shape_{};
  std::optional<Points> decoded_;
};

}  // namespace

std::vector<Misfit> SetJudge::find_misfits(const Group& group) const {
  return SetComparison(scene_, survey_, settings_, frames_, group, proven_).run();
}

}  // namespace wakuzume
