// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#pragma once

#include <span>
#include <string>
#include <vector>

#include "wakuzume/build.h"
#include "wakuzume/shot.h"
#include "wakuzume/verify.h"
#include "wakuzume/views.h"

/// verify_views: hold the pictures of a result against those of its source.
///
/// In: both scenes with their surveys, something that draws each, the ledger between them, views.
/// Out: what differs, pixel by pixel, and whose it is.
/// 1. A pixel is compared by what it shows: the source draw behind it on both sides (found through
///    the ledger), how far away that is, and its colour.
/// 2. Pixels through whose centre an edge runs are not held against the result, nor are those where
///    two surfaces of the source lie in one place; both are counted.
///    An edge of a mesh that was reduced may have gone as far as the verdict says that it lies off.
/// 3. A view fails when more of its pixels differ than their routes allow, or when a draw has too
///    large a share of wrong ones, however small it is.
namespace wakuzume {

struct DrawnScene {
  const Scene& scene;
  const Survey& survey;
  ShotMaker& shots;
};

/// Is shown what was compared.
class ViewAudience {
 public:
  virtual ~ViewAudience() = default;
  /// Before all views. Both scenes stay while views are shown.
  virtual void begin(const DrawnScene& before, const DrawnScene& after) = 0;
  /// One view after the other, from any thread, while the next is drawn.
  /// \param before, after  lit, and measured with Measure::facing
  /// \param heat  where pixels differ and by how much; grey where they don't
  virtual void show(std::size_t number,
                    const Viewpoint& view,
                    const Shot& before,
                    const Shot& after,
                    const Pixels& heat) = 0;
  /// What is deformed, in one pose after the other. \param number  as in Verdict::posed_views
  virtual void show_pose(std::size_t /*number*/,
                         const std::string& /*name*/,
                         const Shot& /*before*/,
                         const Shot& /*after*/) {}
};

/// \pre `before` is the scene that the ledger is of, or what that was repainted or reduced from;
///      then the verdict has the reductions
/// \param audience  may be null; is not shown what is known
/// \param known  checks of views that show what they did when these were made, by their numbers:
///               taken as they are
/// \error as the shot makers, which are told of the observer, cancelled
/// \cost two shots a view; O(pixels log rows) to compare them, in parallel
Result<void> verify_views(const DrawnScene& before,
                          const DrawnScene& after,
                          const Ledger& ledger,
                          std::span<const Viewpoint> views,
                          const VerifySettings& settings,
                          Verdict& verdict,
                          ViewAudience* audience = nullptr,
                          const RunControl& run = {},
                          std::span<const ViewCheck> known = {});

/// The views that `count` pictures are best made of: cameras, then overviews, then samples that are
/// spread over the rest; in the order in which they stood.
std::vector<Viewpoint> choose_views(std::span<const Viewpoint> views, std::size_t count);
/// The same without samples in whose frustum there is no draw of the survey: whoever samples around
/// a thing alone looks past it more often than not.
/// \cost O(draws) for each of these, less for all others
std::vector<Viewpoint> choose_views(std::span<const Viewpoint> views,
                                    std::size_t count,
                                    const Survey& survey);

/// How alike two pictures of one size are: 1 the same, 0 nothing in common.
/// \source Z. Wang et al., "Image quality assessment: from error visibility to structural
///         similarity", 2004; of brightness, mean over windows of 8 x 8 pixels, 4 apart
double find_likeness(const Pixels& a, const Pixels& b, const RunControl& run = {});

}  // namespace wakuzume
