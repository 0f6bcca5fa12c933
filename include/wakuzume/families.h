// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#pragma once

#include <cstdint>
#include <optional>
#include <string>
#include <string_view>
#include <vector>

#include "wakuzume/geometry.h"
#include "wakuzume/ids.h"
#include "wakuzume/result.h"
#include "wakuzume/run_control.h"
#include "wakuzume/scene.h"
#include "wakuzume/survey.h"

/// Families: which shapes are the same geometry up to a transform.
///
/// In: a surveyed scene. Out: for each shape its family, and the transform that takes the family's
/// prototype to it.
/// 1. The prototype is the family's first shape, in the order in which draws show them.
/// 2. The transform takes every vertex of the prototype to one of the member, and every triangle to
///    one that is wound so that it faces the same way. All attributes agree within tolerance.
/// 3. Shapes with morph targets are only ever equal byte by byte.
/// 4. Same scene, same settings: the same families, for any number of threads.
namespace wakuzume {

struct FamilySettings {
  /// Farthest that a vertex may be from its place, as a share of the diagonal of its part's box.
  /// \range [0, 0.01]
  double tolerance = 1e-4;
  /// Most by which UVs, colours and custom attributes may differ. \range [0, 0.01]
  double attribute_tolerance = 1e-4;
  /// Most by which a component of a unit normal or tangent may differ. \range [0, 0.1]
  double direction_tolerance = 5e-3;
  /// Semantics that may differ within a family, such as "TEXCOORD_1"; members then show those of
  /// the prototype. \default none
  std::vector<std::string> ignored_attributes{};

  bool operator==(const FamilySettings&) const = default;
};
/// \error bad_setting  names the member and its range
Result<void> validate(const FamilySettings& settings);

/// How deep one had to look to see that a shape belongs to its family.
enum class Likeness : std::uint8_t {
  prototype,
  content,   ///< decodes to the same values in the same order
  vertices,  ///< the same vertices and triangles, in whatever order they are stored
  shape      ///< the same once a transform is taken out of its points
};
inline constexpr std::size_t likeness_count = 4;
std::string_view to_string(Likeness likeness);

/// A transform between two shapes, and how well it fits.
struct Fit {
  Mat4d matrix = identity_matrix;
  double residual = 0;  ///< farthest vertex from its place, as a share of the part's diagonal
};

struct FamilyMember {
  std::uint32_t family = 0;  ///< position in Families::prototypes
  Likeness likeness = Likeness::prototype;
  Fit fit;  ///< from the prototype's own space to the member's
};

struct Families {
  std::vector<ShapeId> prototypes;    ///< in first-seen order
  std::vector<FamilyMember> members;  ///< one a shape of the survey
};

/// \pre `survey` is of `scene`
/// \error bad_setting, cancelled
/// \cost shapes whose counts nothing else has are not looked at; the others are decoded twice, and
///       compared with the prototypes whose moments agree. Parallel over sets of equal counts
/// \source moments after whitening by the covariance are invariant under affine maps up to a
///         rotation; that rotation is searched by matching two vertices, the map is then refined by
///         least squares
Result<Families> find_families(const Scene& scene,
                               const Survey& survey,
                               const FamilySettings& settings = {},
                               const RunControl& run = {});

/// The transform from one primitive's geometry to another's; nothing where they are no family.
std::optional<Fit> find_fit(const Scene& scene,
                            const Primitive& from,
                            const Primitive& to,
                            const FamilySettings& settings = {});
/// How well a known transform fits; nothing where it does not within the tolerance.
std::optional<Fit> check_fit(const Scene& scene,
                             const Primitive& from,
                             const Primitive& to,
                             const Mat4d& matrix,
                             const FamilySettings& settings = {});

}  // namespace wakuzume
