// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include "plan/check.h"

#include <fmt/format.h>

#include <algorithm>

#include "survey/draws.h"

namespace wakuzume {
namespace {

constexpr std::size_t max_listed = 10;

/// Collects everything that is wrong with the groups of a plan.
class PlanChecker {
 public:
  PlanChecker(const Scene& scene, const Survey& survey, const Plan& plan)
      : scene_(scene),
        survey_(survey),
        plan_(plan),
        world_(make_world_matrices(scene)),
        taken_(survey.draws.size(), 0) {}

  Result<Coverage> run() {
    for (std::size_t g = 0; g < plan_.groups.size(); ++g) {
      check_group(plan_.groups[g], fmt::format("/groups/{}", g));
    }
    for (std::size_t k = 0; k < plan_.kept.size(); ++k) {
      take(plan_.kept[k].draw, fmt::format("/kept/{}", k));
      ++coverage_.kept;
    }
    for (std::size_t d = 0; d < taken_.size(); ++d) {
      if (taken_[d] == 0) {
        violate("", fmt::format("{} is in no group and not kept", name_of(survey_.draws[d])));
      }
    }
    coverage_.draws = survey_.draws.size();
    if (count_ == 0) {
      return coverage_;
    }
    if (count_ > max_listed) {
      text_ += fmt::format("; and {} more", count_ - max_listed);
    }
    return Failure(Error{ErrorCode::plan_invalid, text_, {"", first_place_}});
  }

 private:
  void violate(const std::string& place, const std::string& what) {
    if (++count_ > max_listed) {
      return;
    }
    if (count_ == 1) {
      first_place_ = place;
      text_ = what;
    } else {
      text_ += fmt::format("; {}{}{}", place, place.empty() ? "" : ": ", what);
    }
  }

  [[nodiscard]] std::string name_of(const Draw& draw) const {
    return fmt::format("{} primitive {}", make_node_path(scene_, draw.node), draw.primitive);
  }

  DrawId take(const DrawRef& ref, const std::string& place) {
    const DrawId id = find_draw(survey_, ref);
    if (id == no_draw) {
      violate(place, fmt::format("node {} primitive {} is no draw of the scene", to_index(ref.node),
                                 ref.primitive));
    } else if (++taken_[to_index(id)] == 2) {
      violate(place, fmt::format("{} is in the plan twice", name_of(survey_[id])));
    }
    return id;
  }

  void check_group(const Group& group, const std::string& place) {
    const bool cluster = group.kind == GroupKind::cluster;
    (cluster ? coverage_.clustered : coverage_.instanced) += group.members.size();
    if (group.members.empty()) {
      violate(place, "the group has no members");
    }
    std::uint64_t vertices = 0;
    DrawId first = no_draw;
    for (std::size_t m = 0; m < group.members.size(); ++m) {
      const std::string member_place = fmt::format("{}/members/{}", place, m);
      const DrawId id = take(group.members[m], member_place);
      if (id == no_draw) {
        continue;
      }
      const Draw& draw = survey_[id];
      first = first == no_draw ? id : first;
      vertices += count_cluster_vertices(scene_, draw);
      check_member(draw, survey_[first], cluster, member_place);
    }
    if (cluster && vertices > plan_.settings.max_vertices) {
      violate(place, fmt::format("the cluster may get {} vertices, the limit is {}", vertices,
                                 plan_.settings.max_vertices));
    }
    if (first != no_draw && survey_[first].material != group.material) {
      violate(place, "the group names another material than its members have");
    }
  }

  void check_member(const Draw& draw, const Draw& first, bool cluster, const std::string& place) {
    if (draw.stay != StayRule::none) {
      violate(place, fmt::format("{} must stay: {}", name_of(draw), to_string(draw.stay)));
    }
    if (draw.blended && plan_.settings.blended == Blended::keep) {
      violate(place, fmt::format("{} is blended and the plan keeps those", name_of(draw)));
    }
    if (draw.key != first.key) {
      violate(place, fmt::format("{} ({}) can't be drawn with {} ({})", name_of(draw),
                                 to_string(scene_, survey_[draw.key]), name_of(first),
                                 to_string(scene_, survey_[first.key])));
    }
    if (cluster) {
      return;
    }
    Trs trs;
    if (draw.mesh != first.mesh || draw.primitive != first.primitive) {
      violate(place, fmt::format("{} shows another mesh primitive", name_of(draw)));
    } else if (draw.mirrored != first.mirrored) {
      violate(place, fmt::format("{} is mirrored otherwise than the first", name_of(draw)));
    } else if (decompose(world_[to_index(draw.node)], trs) != Decomposed::exact) {
      violate(place, fmt::format("{} has a transform that no instance can hold", name_of(draw)));
    }
  }

  const Scene& scene_;
  const Survey& survey_;
  const Plan& plan_;
  std::vector<Mat4d> world_;
  std::vector<std::uint8_t> taken_;
  Coverage coverage_;
  std::size_t count_ = 0;
  std::string first_place_;
  std::string text_;
};

}  // namespace

std::uint64_t count_cluster_vertices(const Scene& scene, const Draw& draw) {
  const Primitive& primitive = scene[draw.mesh].primitives[draw.primitive];
  const std::uint64_t corners = count_list_indices(scene, primitive);
  const bool may_unweld =
      find_topology(primitive.mode) == Topology::triangles && primitive.find("NORMAL") == no_stream;
  return may_unweld ? corners : std::min(corners, draw.vertices);
}

DrawId find_draw(const Survey& survey, const DrawRef& ref) {
  const auto hit = std::lower_bound(survey.draws.begin(), survey.draws.end(), ref,
                                    [](const Draw& draw, const DrawRef& wanted) {
                                      return DrawRef{draw.node, draw.primitive} < wanted;
                                    });
  const bool found =
      hit != survey.draws.end() && hit->node == ref.node && hit->primitive == ref.primitive;
  return found ? make_id<DrawId>(static_cast<std::size_t>(hit - survey.draws.begin())) : no_draw;
}

Result<Coverage> check_groups(const Scene& scene, const Survey& survey, const Plan& plan) {
  return PlanChecker(scene, survey, plan).run();
}

Result<void> check_hash(const ContentHash& wanted, const ContentHash& found, const char* what) {
  if (wanted == found) {
    return {};
  }
  return Failure(Error{ErrorCode::plan_mismatch,
                       fmt::format("{} was made for content {}, this is {}; make it again for "
                                   "this scene",
                                   what, to_string(wanted), to_string(found)),
                       {}});
}

Result<Coverage> check_plan(const Scene& scene, const Plan& plan, const RunControl& run) {
  if (auto same = check_hash(plan.scene_hash, make_content_hash(scene, run), "the plan"); !same) {
    return Failure(same.error());
  }
  const Result<Survey> found = survey(scene, plan.survey_settings, run);
  return found ? check_groups(scene, *found, plan) : Failure(found.error());
}

}  // namespace wakuzume
