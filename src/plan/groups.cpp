// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include "plan/groups.h"

#include <fmt/format.h>
#include <tbb/parallel_sort.h>

#include <algorithm>
#include <iterator>

#include "plan/blends.h"
#include "plan/names.h"
#include "plan/thinning.h"
#include "scene/running.h"

namespace wakuzume {

GroupMaker::GroupMaker(const Scene& scene,
                       const Survey& survey,
                       const PlanKeys& keys,
                       const Items& items,
                       const Trees& trees,
                       const ProposeSettings& settings)
    : scene_(scene),
      survey_(survey),
      keys_(keys),
      items_(items),
      trees_(trees),
      settings_(settings),
      leaves_(items.items.size()),
      alone_us_(items.items.size()),
      of_key_(keys.merge_count, 0) {
  for (std::size_t n = 0; n < trees.by_key.nodes.size(); ++n) {
    const TreeNode& node = trees.by_key.nodes[n];
    if (node.leaf()) {
      const std::uint32_t i = trees.by_key.order[node.first];
      const Item& item = items.items[i];
      leaves_[i] = static_cast<std::uint32_t>(n);
      alone_us_[i] =
          find_share(node) * (trees.prices.draw * item.part_count +
                              trees.prices.triangle * static_cast<double>(item.triangles));
      ++of_key_[item.merge];
    }
  }
}

DrawRef GroupMaker::ref_of(DrawId id) const { return {survey_[id].node, survey_[id].primitive}; }

double GroupMaker::find_share(const TreeNode& node) const {
  return static_cast<double>(node.seen) / trees_.prices.frames;
}

void GroupMaker::make(const Arrangement& arrangement, const RunControl& run, Plan& plan) const {
  std::vector<std::pair<std::uint64_t, std::uint32_t>> rows;  // grouping and node, item
  std::vector<std::uint32_t> alone;
  for (std::uint32_t i = 0; i < items_.items.size(); ++i) {
    if (arrangement.groupings[i] == Grouping::alone) {
      alone.push_back(i);
    } else {
      const auto grouping = static_cast<std::uint64_t>(arrangement.groupings[i]);
      rows.emplace_back(grouping << 32U | arrangement.nodes[i], i);
    }
  }
  in_arena(run, [&] { tbb::parallel_sort(rows.begin(), rows.end()); });
  std::vector<std::uint32_t> order(rows.size());
  std::transform(rows.begin(), rows.end(), order.begin(),
                 [](const auto& row) { return row.second; });
  std::vector<Lot> lots;
  for (std::size_t begin = 0; begin < rows.size();) {
    std::size_t end = begin + 1;
    while (end < rows.size() && rows[end].first == rows[begin].first) {
      ++end;
    }
    const std::uint32_t first = rows[begin].second;
    lots.push_back({arrangement.groupings[first], arrangement.nodes[first],
                    std::span(order).subspan(begin, end - begin)});
    begin = end;
  }
  for (const std::uint32_t& item : alone) {
    const Item& row = items_.items[item];
    if (row.part_count > 1) {
      lots.push_back({Grouping::cluster, leaves_[item], {&item, 1}});
    } else {
      const DrawId id = items_.parts_of(row).front();
      plan.kept.push_back({ref_of(id), explain_alone(row), survey_[id].stay});
    }
  }
  std::sort(plan.kept.begin(), plan.kept.end(),
            [](const KeptDraw& a, const KeptDraw& b) { return a.draw < b.draw; });

  // In the order of their first draws, whatever tree they came from.
  std::vector<std::pair<DrawRef, std::size_t>> firsts(lots.size());
  std::vector<Group> made(lots.size());
  for_each_index(lots.size(), {run.threads, nullptr}, "", [&](std::size_t l) {
    made[l] = make_group(lots[l]);
    firsts[l] = {*std::min_element(made[l].members.begin(), made[l].members.end()), l};
  });
  std::sort(firsts.begin(), firsts.end());
  for (const auto& [first, lot] : firsts) {
    plan.groups.push_back(std::move(made[lot]));
  }
}

Group GroupMaker::make_group(const Lot& lot) const {
  return lot.grouping == Grouping::cluster
             ? make_cluster(lot.members, trees_.by_key.nodes[lot.node])
             : make_set(lot.members, trees_.by_repeat.nodes[lot.node]);
}

KeepReason GroupMaker::explain_alone(const Item& item) const {
  if (item.vertices > settings_.max_vertices) {
    return KeepReason::above_vertex_limit;
  }
  if (settings_.repeats == Repeats::only) {
    return KeepReason::not_repeated;
  }
  if (item.order_part == no_index) {
    return KeepReason::blended;
  }
  if (of_key_[item.merge] == 1) {
    return KeepReason::only_one_of_its_key;
  }
  if (item.order != BlendOrder::as_members) {
    return KeepReason::blended;
  }
  return settings_.cell_size_m > 0 ? KeepReason::alone_in_its_cell : KeepReason::cheaper_alone;
}

GroupMaker::Sum GroupMaker::add_up(std::span<const std::uint32_t> members) const {
  Sum sum;
  for (const std::uint32_t i : members) {
    const Item& item = items_.items[i];
    sum.box.include(item.box);
    sum.triangles += item.triangles;
    sum.vertices += item.vertices;
    sum.bytes += item.bytes_merged;
    sum.alone_us += alone_us_[i];
    sum.draws += item.part_count;
  }
  return sum;
}

const Draw& GroupMaker::first_of(std::uint32_t item) const {
  return survey_[items_.parts_of(items_.items[item]).front()];
}

std::string GroupMaker::name_material(MaterialId id) const {
  if (id == no_material) {
    return "default";
  }
  const std::string& name = scene_[id].name;
  return name.empty() ? fmt::format("material_{}", to_index(id)) : name;
}

/// The values alone: what they are would make names long.
std::string name_tags(const std::vector<Tag>& tags) {
  std::string out;
  for (const Tag& tag : tags) {
    out += (out.empty() ? "" : "_") + tag.value;
  }
  return out;
}

/// \param words  those that only some groups have
std::string GroupMaker::name_group(const std::string& pattern,
                                   const Group& group,
                                   const Draw& first,
                                   std::span<const PatternWord> words) const {
  const MergeKey& key = survey_[first.key];
  const PatternWord common[] = {
      {"material", name_material(group.material)},
      {"root", key.moving_root == no_node ? "world" : scene_[key.moving_root].name},
      {"level", key.level},
      {"lightmap", key.lightmap},
      {"tag", name_tags(key.tags)},
  };
  return fill_pattern(fill_pattern(pattern, common), words);
}

Group GroupMaker::make_cluster(std::span<const std::uint32_t> members, const TreeNode& node) const {
  const Prices& prices = trees_.prices;
  const Sum sum = add_up(members);
  const Draw& first = first_of(members.front());
  Group group;
  group.kind = GroupKind::cluster;
  group.material = keys_.material[to_index(first.key)];
  group.pivot = sum.box.empty() ? Vec3d{0, 0, 0} : sum.box.centre();
  group.triangles = sum.triangles;
  group.vertices = sum.vertices;
  group.bytes = static_cast<std::uint64_t>(sum.bytes);
  for (const std::uint32_t i : members) {
    for (const DrawId id : items_.parts_of(items_.items[i])) {
      group.members.push_back(ref_of(id));
    }
  }
  std::sort(group.members.begin(), group.members.end());
  const double us =
      find_share(node) * (prices.draw + prices.triangle * static_cast<double>(sum.triangles));
  group.saved_us = sum.alone_us - us;
  const char* where = settings_.cell_size_m > 0 ? " in one cell of the grid" : "";
  group.reason = fmt::format(
      "{} draws of one key ({}){} take {} us of a mean frame merged, {} us one by one", sum.draws,
      to_string(scene_, survey_[first.key]), where, to_short(us), to_short(sum.alone_us));
  group.order = items_.items[members.front()].order;
  group.triangles *= count_sides(scene_, first, settings_);
  group.collider = settings_.colliders;
  const PatternWord words[] = {{"mesh", scene_[first.mesh].name}};
  group.name = name_group(settings_.cluster_names, group, first, words);
  return group;
}

Group GroupMaker::make_set(std::span<const std::uint32_t> members, const TreeNode& node) const {
  const Prices& prices = trees_.prices;
  const Sum sum = add_up(members);
  const Repeat& repeat = items_.repeats[items_.items[members.front()].repeat];
  Group group;
  group.kind = GroupKind::instance_set;
  group.axes = repeat.axes;
  group.pivot = sum.box.empty() ? Vec3d{0, 0, 0} : sum.box.centre();
  group.triangles = sum.triangles;
  std::transform(repeat.prototype.begin(), repeat.prototype.end(),
                 std::back_inserter(group.prototype), [&](DrawId id) { return ref_of(id); });
  for (const DrawId id : repeat.prototype) {
    group.vertices += survey_[id].vertices;
  }
  group.bytes = static_cast<std::uint64_t>(repeat.bytes +
                                           static_cast<double>(instance_bytes * members.size()));
  group.order = items_.items[members.front()].set_order;
  add_instances(members, group);
  choose_material(members, group);
  const double us =
      find_share(node) * (prices.draw + prices.instance * static_cast<double>(members.size()) +
                          prices.triangle * static_cast<double>(sum.triangles));
  group.saved_us = sum.alone_us - us;
  const Mesh& mesh = scene_[survey_[repeat.prototype.front()].mesh];
  std::string base = mesh.name.empty() ? scene_[group.prototype.front().node].name : mesh.name;
  std::string what = fmt::format("show the geometry of mesh '{}'", mesh.name);
  if (repeat.prototype.size() > 1) {
    const NodeId parent = scene_[group.prototype.front().node].parent;
    base = parent == no_node ? base : scene_[parent].name;
    what = fmt::format("repeat an assembly of {} parts", repeat.prototype.size());
  } else if (mesh.primitives.size() > 1) {
    base += fmt::format(".{}", group.prototype.front().primitive);
  }
  group.reason = fmt::format(
      "{} draws {}{}{}: as instances {} us of a mean frame and {} KB, one by one "
      "{} us, merged {} KB",
      sum.draws, what, repeat.mirrored ? ", mirrored" : "",
      group.tint.empty() ? "" : fmt::format(", {} as each has it", group.tint), to_short(us),
      to_short(static_cast<double>(group.bytes) / 1e3), to_short(sum.alone_us),
      to_short(sum.bytes / 1e3));
  group.collider = settings_.colliders;
  const PatternWord words[] = {{"mesh", base + (repeat.mirrored ? " mirrored" : "")}};
  group.name = name_group(settings_.set_names, group, first_of(members.front()), words);
  return group;
}

void GroupMaker::add_instances(std::span<const std::uint32_t> members, Group& group) const {
  std::vector<Vec3d> places;
  bool fits = false;
  for (const std::uint32_t i : members) {
    const Item& item = items_.items[i];
    places.push_back(item.box.empty() ? Vec3d{0, 0, 0} : item.box.centre());
    fits = fits || item.fit != no_index;
  }
  for (const std::uint32_t at : make_thinning(places)) {
    const Item& item = items_.items[members[at]];
    for (const DrawId id : items_.parts_of(item)) {
      group.members.push_back(ref_of(id));
    }
    if (fits) {
      const Fit fit = item.fit == no_index ? Fit{} : items_.fits[item.fit];
      group.fits.push_back(fit.matrix);
      group.residual = std::max(group.residual, fit.residual);
    }
  }
}

/// The common material, or the one that each instance tints.
void GroupMaker::choose_material(std::span<const std::uint32_t> members, Group& group) const {
  const KeyId first = first_of(members.front()).key;
  const bool equal = std::all_of(members.begin(), members.end(), [&](std::uint32_t i) {
    return keys_.merge[to_index(first_of(i).key)] == keys_.merge[to_index(first)];
  });
  if (equal) {
    group.material = keys_.material[to_index(first)];
  } else {
    const std::uint32_t share = keys_.share[to_index(first)];
    group.tint = keys_.tint[share];
    group.material = keys_.shared_material[share];
  }
}

}  // namespace wakuzume
