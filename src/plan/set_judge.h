// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#pragma once

#include <string>
#include <vector>

#include "plan/frames.h"

/// Whether the instances of a set, as they will be built, show what their draws showed.
namespace wakuzume {

/// A member of a set that its instance does not stand for.
struct Misfit {
  std::size_t member = 0;  ///< position in Group::members
  std::string what;        ///< a sentence without its subject
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
};

}  // namespace wakuzume
