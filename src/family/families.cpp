// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include "wakuzume/families.h"

#include <fmt/format.h>

#include <algorithm>
#include <map>
#include <unordered_map>

#include "family/candidates.h"
#include "family/fit.h"
#include "scene/running.h"

namespace wakuzume {
namespace {

/// Distinct contents that have the same counts: only among these can there be families.
using Bucket = std::vector<std::uint32_t>;  ///< ascending FamilyId of the survey

class FamilyFinder {
 public:
  FamilyFinder(const Scene& scene, const Survey& survey, const FamilySettings& settings)
      : scene_(scene), survey_(survey), settings_(settings) {}

  Result<Families> find(const RunControl& run) {
    list_contents();
    const std::vector<Bucket> buckets = make_buckets();
    const bool finished = measure_all(buckets, run) &&
                          for_each_index(buckets.size(), run, "finding families",
                                         [&](std::size_t b) { sort_bucket(buckets[b]); });
    return finished ? Result<Families>(number_families()) : Failure(make_cancelled());
  }

 private:
  /// Contents as the survey numbers them, each with its first shape.
  void list_contents() {
    first_shape_.assign(survey_.families.size(), no_index);
    for (std::size_t s = 0; s < survey_.shapes.size(); ++s) {
      std::uint32_t& first = first_shape_[to_index(survey_.shapes[s].family)];
      first = first == no_index ? static_cast<std::uint32_t>(s) : first;
    }
    leader_.resize(first_shape_.size());
    likeness_.assign(first_shape_.size(), Likeness::prototype);
    fits_.resize(first_shape_.size());
    invariants_.resize(first_shape_.size());
    for (std::size_t c = 0; c < leader_.size(); ++c) {
      leader_[c] = static_cast<std::uint32_t>(c);
    }
  }

  [[nodiscard]] const Primitive& primitive_of_content(std::uint32_t content) const {
    return primitive_of(scene_, survey_.shapes[first_shape_[content]]);
  }

  [[nodiscard]] std::vector<Bucket> make_buckets() const {
    std::map<std::string, Bucket> found;
    for (std::size_t c = 0; c < first_shape_.size(); ++c) {
      const Shape& shape = survey_.shapes[first_shape_[c]];
      const Primitive& primitive = primitive_of(scene_, shape);
      if (shape.finite && shape.attributes_finite && primitive.morph_targets.empty()) {
        found[make_signature(scene_, primitive, settings_)].push_back(
            static_cast<std::uint32_t>(c));
      }
    }
    std::vector<Bucket> out;
    for (auto& [signature, bucket] : found) {
      if (bucket.size() > 1) {
        out.push_back(std::move(bucket));
      }
    }
    return out;
  }

  bool measure_all(const std::vector<Bucket>& buckets, const RunControl& run) {
    std::vector<std::uint32_t> all;
    for (const Bucket& bucket : buckets) {
      all.insert(all.end(), bucket.begin(), bucket.end());
    }
    return for_each_index(all.size(), run, "measuring shapes", [&](std::size_t i) {
      const Points points = points_of(all[i]);
      invariants_[all[i]] = {make_descriptor(points, settings_), list_fixed_values(points)};
    });
  }

  [[nodiscard]] Points points_of(std::uint32_t content) const {
    return make_points(scene_, primitive_of_content(content), settings_);
  }

  /// Each content joins the first prototype it fits, or becomes one.
  void sort_bucket(const Bucket& bucket) {
    PrototypeIndex prototypes(invariants_, bucket, find_values_tolerance(settings_));
    // Of most prototypes nothing comes near.
    std::unordered_map<std::uint32_t, Points> known;
    const auto points_once = [&](std::uint32_t prototype) -> const Points& {
      const auto hit = known.find(prototype);
      return hit != known.end() ? hit->second
                                : known.emplace(prototype, points_of(prototype)).first->second;
    };
    for (const std::uint32_t content : bucket) {
      const std::vector<std::uint32_t> near = prototypes.list(content);
      const Points points = near.empty() ? Points{} : points_of(content);
      const bool joined = std::any_of(near.begin(), near.end(), [&](std::uint32_t prototype) {
        return join(content, points, prototype, points_once(prototype));
      });
      if (!joined) {
        prototypes.add(content);
      }
    }
  }

  bool join(std::uint32_t content,
            const Points& points,
            std::uint32_t prototype,
            const Points& prototype_points) {
    const auto fit = find_fit(prototype_points, points, settings_);
    if (!fit) {
      return false;
    }
    leader_[content] = prototype;
    fits_[content] = *fit;
    likeness_[content] = fit->matrix == identity_matrix ? Likeness::vertices : Likeness::shape;
    return true;
  }

  [[nodiscard]] Families number_families() const {
    Families out;
    std::vector<std::uint32_t> family(leader_.size(), no_index);
    out.members.resize(survey_.shapes.size());
    for (std::size_t s = 0; s < survey_.shapes.size(); ++s) {
      const std::size_t content = to_index(survey_.shapes[s].family);
      // A leader has the lower number and so the earlier first shape: it is numbered by now.
      const std::uint32_t leader = leader_[content];
      if (family[leader] == no_index) {
        family[leader] = static_cast<std::uint32_t>(out.prototypes.size());
        out.prototypes.push_back(make_id<ShapeId>(first_shape_[leader]));
      }
      FamilyMember& member = out.members[s];
      member.family = family[leader];
      member.fit = fits_[content];
      const bool is_prototype = to_index(out.prototypes[member.family]) == s;
      member.likeness = is_prototype                                ? Likeness::prototype
                        : likeness_[content] == Likeness::prototype ? Likeness::content
                                                                    : likeness_[content];
    }
    return out;
  }

  const Scene& scene_;
  const Survey& survey_;
  const FamilySettings& settings_;
  std::vector<std::uint32_t> first_shape_;  ///< by content
  std::vector<std::uint32_t> leader_;       ///< by content: the prototype's content
  std::vector<Likeness> likeness_;
  std::vector<Fit> fits_;
  std::vector<Invariants> invariants_;
};

}  // namespace

std::string_view to_string(Likeness likeness) {
  constexpr std::string_view names[likeness_count] = {"prototype", "content", "vertices", "shape"};
  return names[static_cast<std::size_t>(likeness)];
}

Result<void> validate(const FamilySettings& settings) {
  const auto check = [](double value, double most, const char* name) -> Result<void> {
    if (value >= 0 && value <= most) {
      return {};
    }
    return Failure(Error{
        ErrorCode::bad_setting, fmt::format("families.{} must be from 0 to {}", name, most), {}});
  };
  for (const Result<void>& valid :
       {check(settings.tolerance, 0.01, "tolerance"),
        check(settings.attribute_tolerance, 0.01, "attribute_tolerance"),
        check(settings.direction_tolerance, 0.1, "direction_tolerance")}) {
    if (!valid) {
      return valid;
    }
  }
  return {};
}

Result<Families> find_families(const Scene& scene,
                               const Survey& survey,
                               const FamilySettings& settings,
                               const RunControl& run) {
  if (auto valid = validate(settings); !valid) {
    return Failure(valid.error());
  }
  return FamilyFinder(scene, survey, settings).find(run);
}

std::optional<Fit> find_fit(const Scene& scene,
                            const Primitive& from,
                            const Primitive& to,
                            const FamilySettings& settings) {
  if (make_signature(scene, from, settings) != make_signature(scene, to, settings) ||
      !from.morph_targets.empty() || !to.morph_targets.empty()) {
    return std::nullopt;
  }
  return find_fit(make_points(scene, from, settings), make_points(scene, to, settings), settings);
}

std::optional<Fit> check_fit(const Scene& scene,
                             const Primitive& from,
                             const Primitive& to,
                             const Mat4d& matrix,
                             const FamilySettings& settings) {
  if (make_signature(scene, from, settings) != make_signature(scene, to, settings)) {
    return std::nullopt;
  }
  return check_fit(make_points(scene, from, settings), make_points(scene, to, settings), matrix,
                   settings);
}

}  // namespace wakuzume
