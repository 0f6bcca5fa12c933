// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include "wakuzume/propose.h"

#include <fmt/format.h>

#include <algorithm>
#include <map>
#include <set>
#include <tuple>

#include "plan/check.h"
#include "plan/grid.h"
#include "scene/running.h"
// NOLINTNEXTLINE(readability-identifier-naming): the name that xxHash asks for
#define XXH_INLINE_ALL
#include <xxhash.h>

namespace wakuzume {
namespace {

/// Letters, digits, '-' and '.' stay; every run of others becomes one underscore.
std::string make_plain_name(std::string_view text) {
  std::string out;
  for (const char c : text) {
    const bool plain = (c >= 'a' && c <= 'z') || (c >= 'A' && c <= 'Z') || (c >= '0' && c <= '9') ||
                       c == '-' || c == '.' || static_cast<unsigned char>(c) >= 0x80;
    if (plain) {
      out += c;
    } else if (!out.empty() && out.back() != '_') {
      out += '_';
    }
  }
  while (!out.empty() && out.back() == '_') {
    out.pop_back();
  }
  return out.empty() ? "unnamed" : out;
}

std::string make_group_id(const Group& group) {
  std::string text;
  for (const DrawRef& ref : group.members) {
    text += fmt::format("{}.{} ", to_index(ref.node), ref.primitive);
  }
  const char letter = group.kind == GroupKind::cluster ? 'c' : 'i';
  const XXH64_hash_t hash = XXH3_64bits(text.data(), text.size());
  return fmt::format("{}-{:012x}", letter, hash & 0xFFFF'FFFF'FFFFULL);
}

class Proposer {
 public:
  Proposer(const Scene& scene, const Survey& survey, const ProposeSettings& settings)
      : scene_(scene), survey_(survey), settings_(settings), world_(make_world_matrices(scene)) {
    for (const Node& node : scene.nodes) {
      names_.insert(node.name);
    }
  }

  Result<Plan> run(const RunControl& run) {
    plan_.scene_hash = make_content_hash(scene_, run);
    plan_.survey_settings = survey_.settings;
    plan_.settings = settings_;
    if (run.observer != nullptr && !run.observer->advance("proposing", 0)) {
      return Failure(make_cancelled());
    }
    std::vector<DrawId> rest = keep_what_stays();
    rest = take_repeats(rest);
    cluster(rest);
    std::sort(plan_.kept.begin(), plan_.kept.end(),
              [](const KeptDraw& a, const KeptDraw& b) { return a.draw < b.draw; });
    plan_.forecast.draws_before = survey_.draws.size();
    plan_.forecast.draws_after = plan_.groups.size() + plan_.kept.size();
    count_stored_vertices();
    return std::move(plan_);
  }

 private:
  [[nodiscard]] DrawRef ref_of(DrawId id) const {
    return {survey_[id].node, survey_[id].primitive};
  }

  void keep(DrawId id, KeepReason reason) {
    plan_.kept.push_back({ref_of(id), reason, survey_[id].stay});
  }

  std::vector<DrawId> keep_what_stays() {
    std::vector<DrawId> rest;
    for (std::size_t d = 0; d < survey_.draws.size(); ++d) {
      const DrawId id = make_id<DrawId>(d);
      if (survey_[id].stay != StayRule::none) {
        keep(id, KeepReason::must_stay);
      } else if (survey_[id].blended && settings_.blended == Blended::keep) {
        keep(id, KeepReason::blended);
      } else {
        rest.push_back(id);
      }
    }
    return rest;
  }

  /// Groups repeats of one mesh primitive; gives back what is left.
  std::vector<DrawId> take_repeats(const std::vector<DrawId>& draws) {
    std::map<std::tuple<MeshId, std::uint32_t, KeyId, bool>, std::vector<DrawId>> families;
    std::vector<DrawId> rest;
    for (const DrawId id : draws) {
      const Draw& draw = survey_[id];
      Trs trs;
      if (decompose(world_[to_index(draw.node)], trs) == Decomposed::exact) {
        families[{draw.mesh, draw.primitive, draw.key, draw.mirrored}].push_back(id);
      } else {
        rest.push_back(id);
      }
    }
    for (const auto& [key, members] : families) {
      if (members.size() >= settings_.min_instances) {
        add_instance_set(members);
      } else {
        rest.insert(rest.end(), members.begin(), members.end());
      }
    }
    std::sort(rest.begin(), rest.end());
    return rest;
  }

  void add_instance_set(const std::vector<DrawId>& members) {
    const Draw& first = survey_[members.front()];
    const Mesh& mesh = scene_[first.mesh];
    std::string base = mesh.name.empty() ? scene_[first.node].name : mesh.name;
    if (mesh.primitives.size() > 1) {
      base += fmt::format(".{}", first.primitive);
    }
    Box3d origins;
    for (const DrawId id : members) {
      const Mat4d& world = world_[to_index(survey_[id].node)];
      origins.include(Vec3d{world[12], world[13], world[14]});
    }
    Group group;
    group.kind = GroupKind::instance_set;
    group.pivot = origins.centre();
    group.reason = fmt::format("{} draws show the same primitive of mesh '{}'{}", members.size(),
                               mesh.name, first.mirrored ? ", mirrored" : "");
    add_group(std::move(group), members, "set " + base + (first.mirrored ? " mirrored" : ""));
  }

  void cluster(const std::vector<DrawId>& draws) {
    std::vector<std::uint64_t> sizes(survey_.draws.size());
    std::vector<std::uint32_t> of_key(survey_.keys.size());
    std::vector<DrawId> rest;
    for (const DrawId id : draws) {
      sizes[to_index(id)] = count_cluster_vertices(scene_, survey_[id]);
      if (sizes[to_index(id)] > settings_.max_vertices) {
        keep(id, KeepReason::above_vertex_limit);
      } else {
        ++of_key[to_index(survey_[id].key)];
        rest.push_back(id);
      }
    }
    const Grid grid = make_grid(rest);
    plan_.cell_size_m = grid.cell_size_m;
    for (CellDraws& cell : make_cells(survey_, rest, grid)) {
      for (const auto& part :
           split_to_limit(survey_, std::move(cell.draws), sizes, settings_.max_vertices)) {
        if (part.size() > 1) {
          add_cluster(part, grid);
        } else {
          keep(part.front(), of_key[to_index(cell.key)] == 1 ? KeepReason::only_one_of_its_key
                                                             : KeepReason::alone_in_its_cell);
        }
      }
    }
  }

  [[nodiscard]] Grid make_grid(const std::vector<DrawId>& draws) const {
    if (settings_.cell_size_m > 0) {
      return {{0, 0, 0}, settings_.cell_size_m};
    }
    const auto aim = static_cast<std::uint64_t>(static_cast<double>(survey_.draws.size()) /
                                                settings_.fewer_draws);
    const std::uint64_t spent = plan_.kept.size() + plan_.groups.size();
    return choose_grid(survey_, draws, aim > spent ? aim - spent : 0);
  }

  void add_cluster(const std::vector<DrawId>& members, const Grid& grid) {
    const MergeKey& key = survey_[survey_[members.front()].key];
    Box3d box;
    for (const DrawId id : members) {
      box.include(survey_[id].box);
    }
    Group group;
    group.kind = GroupKind::cluster;
    group.pivot = box.centre();
    group.reason = fmt::format("{} draws of one key ({}) within one cell of {:.6g} m",
                               members.size(), to_string(scene_, key), grid.cell_size_m);
    std::string name = key.material == no_material ? "default" : scene_[key.material].name;
    add_group(std::move(group), members, "merged " + name);
  }

  void add_group(Group group, const std::vector<DrawId>& members, const std::string& name) {
    group.material = survey_[members.front()].material;
    for (const DrawId id : members) {
      group.members.push_back(ref_of(id));
      group.triangles += survey_[id].triangles;
      group.vertices += survey_[id].vertices;
    }
    if (group.kind == GroupKind::instance_set) {
      group.vertices = survey_[members.front()].vertices;
    }
    group.id = make_group_id(group);
    group.name = make_unique_name(make_plain_name(name));
    plan_.groups.push_back(std::move(group));
  }

  std::string make_unique_name(const std::string& base) {
    std::uint32_t& number = next_number_[base];
    std::string name;
    do {
      name = fmt::format("{}_{:03}", base, ++number);
    } while (!names_.insert(name).second);
    return name;
  }

  void count_stored_vertices() {
    std::set<std::pair<MeshId, std::uint32_t>> seen;
    const auto stored_once = [&](const Draw& draw) {
      return seen.emplace(draw.mesh, draw.primitive).second ? draw.vertices : 0;
    };
    for (const Draw& draw : survey_.draws) {
      plan_.forecast.vertices_stored_before += stored_once(draw);
    }
    seen.clear();
    for (const KeptDraw& kept : plan_.kept) {
      plan_.forecast.vertices_stored_after += stored_once(survey_[find_draw(survey_, kept.draw)]);
    }
    for (const Group& group : plan_.groups) {
      plan_.forecast.vertices_stored_after += group.vertices;
    }
  }

  const Scene& scene_;
  const Survey& survey_;
  const ProposeSettings& settings_;
  std::vector<Mat4d> world_;
  Plan plan_;
  std::set<std::string> names_;
  std::map<std::string, std::uint32_t> next_number_;
};

Failure bad_setting(const char* name, const char* range) {
  return Failure(Error{ErrorCode::bad_setting, fmt::format("{} must be {}", name, range), {}});
}

}  // namespace

std::string_view to_string(GroupKind kind) {
  return kind == GroupKind::cluster ? "cluster" : "instance_set";
}

std::string_view to_string(KeepReason reason) {
  constexpr std::string_view names[keep_reason_count] = {
      "must_stay", "blended", "only_one_of_its_key", "alone_in_its_cell", "above_vertex_limit"};
  return names[static_cast<std::size_t>(reason)];
}

Result<void> validate(const ProposeSettings& settings) {
  if (settings.min_instances < 2 || settings.min_instances > 1'000'000'000) {
    return bad_setting("propose.min_instances", "from 2 to 1000000000");
  }
  if (settings.max_vertices < 3 || settings.max_vertices == no_index) {
    return bad_setting("propose.max_vertices", "from 3 to 4294967294");
  }
  if (!(settings.cell_size_m >= 0 && settings.cell_size_m <= 1e9)) {
    return bad_setting("propose.cell_size_m", "from 0 to 1e9");
  }
  if (!(settings.fewer_draws >= 1 && settings.fewer_draws <= 1e6)) {
    return bad_setting("propose.fewer_draws", "from 1 to 1e6");
  }
  return {};
}

Result<Plan> propose(const Scene& scene,
                     const Survey& survey,
                     const ProposeSettings& settings,
                     const RunControl& run) {
  if (auto valid = validate(settings); !valid) {
    return Failure(valid.error());
  }
  return Proposer(scene, survey, settings).run(run);
}

}  // namespace wakuzume
