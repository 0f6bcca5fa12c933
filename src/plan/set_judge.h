// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#pragma once

#include <Eigen/Core>
#include <algorithm>
#include <map>
#include <mutex>
#include <string>
#include <utility>
#include <vector>

#include "plan/frames.h"

/// Whether the instances of a set, as they will be built, show what their draws showed.
namespace wakuzume {

/// A member of a set that its instance does not stand for.
struct Misfit {
  std::size_t member = 0;  ///< position in Group::members
  std::string what;        ///< a sentence without its subject
};

/// Fits that were found to hold between two shapes, wherever they stand. Threads may share it.
class ProvenFits {
 public:
  /// \return whether `is_near(known)` of any
  template <class IsNear>
  bool any(ShapeId shown, ShapeId prototype, const IsNear& is_near) {
    const std::scoped_lock lock(mutex_);
    const auto& known = fits_[{shown, prototype}];
    return std::any_of(known.begin(), known.end(), is_near);
  }
  void add(ShapeId shown, ShapeId prototype, const Eigen::Matrix4d& fit) {
    const std::scoped_lock lock(mutex_);
    fits_[{shown, prototype}].push_back(fit);
  }

 private:
  std::mutex mutex_;
  std::map<std::pair<ShapeId, ShapeId>, std::vector<Eigen::Matrix4d>> fits_;
};

class SetJudge {
 public:
  /// All are borrowed.
  SetJudge(const Scene& scene,
           const Survey& survey,
           const FamilySettings& settings,
           const FrameMaker& frames)
      : scene_(scene), survey_(survey), settings_(settings), frames_(frames) {}

  /// Ascending. \pre the group is a set whose draws exist
  /// \cost O(1) for an instance that shows its draw's own geometry; a judgement for each other
  [[nodiscard]] std::vector<Misfit> find_misfits(const Group& group) const;

 private:
  const Scene& scene_;
  const Survey& survey_;
  const FamilySettings& settings_;
  const FrameMaker& frames_;
  mutable ProvenFits proven_;
};

}  // namespace wakuzume
