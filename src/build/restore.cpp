// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include "wakuzume/restore.h"

#include <fmt/format.h>

#include <algorithm>
#include <map>
#include <set>
#include <tuple>

#include "build/carry.h"
#include "build/colliders.h"
#include "build/extract.h"
#include "build/lightmap_uvs.h"
#include "build/looks.h"
#include "build/motion.h"
#include "plan/check.h"
#include "plan/instance_values.h"
#include "rework/compact.h"
#include "rework/detach.h"
#include "scene/elements.h"
#include "scene/members.h"
#include "survey/wish.h"
#include "texture/plain_look.h"
#include "wakuzume/spread.h"

namespace wakuzume {
namespace {

using RowList = std::vector<std::uint32_t>;  ///< positions in Ledger::rows

bool is_moved(const LedgerRow& row) {
  return row.fate == Fate::merged || row.fate == Fate::instanced;
}

/// Draws of a source that a wish speaks of; all below a node comes with it.
Result<std::set<DrawRef>> list_wished(const Scene& source,
                                      const std::string& text,
                                      const RunControl& run) {
  const auto wish = Wish::parse(text);
  if (!wish) {
    return Failure(wish.error());
  }
  std::set<DrawRef> out;
  if (!wish->has_terms()) {
    const GlobSet wanted({text, text + "/*"});
    for (const DrawRef& draw : make_draw_list(source)) {
      if (wanted.find(make_node_path(source, draw.node)) != no_index) {
        out.insert(draw);
      }
    }
    return out;
  }
  const auto found = survey(source, {}, run);
  if (!found) {
    return Failure(found.error());
  }
  const auto draws = find_draws(source, *found, text, WishOver::node_paths, run);
  if (!draws) {
    return Failure(draws.error());
  }
  for (const DrawId draw : *draws) {
    out.insert({(*found)[draw].node, (*found)[draw].primitive});
  }
  return out;
}

/// What comes back.
struct Chosen {
  std::vector<bool> rows;    ///< by row of the ledger
  std::set<DrawRef> wished;  ///< of the source, those of chosen nodes, whatever became of them
};

/// Which rows come back.
class Chooser {
 public:
  Chooser(const Scene& built, const Ledger& ledger, const Scene& source)
      : built_(built), ledger_(ledger), source_(source), chosen_(ledger.rows.size(), false) {}

  Result<Chosen> choose(const RestoreChoice& choice, const RunControl& run) {
    std::set<DrawRef> wished;
    std::map<std::pair<NodeId, std::uint32_t>, const LedgerResult*> results;
    for (const LedgerResult& result : ledger_.results) {
      results[{result.node, result.primitive}] = &result;
    }
    for (std::size_t r = 0; r < chosen_.size(); ++r) {
      chosen_[r] = choice.everything && is_moved(ledger_.rows[r]);
    }
    for (const std::string& glob : choice.groups) {
      const GlobSet wanted({glob});
      const bool any = take([&](const LedgerRow& row) {
        return wanted.find(results.at({row.node, row.primitive})->group) != no_index ||
               wanted.find(built_[row.node].name) != no_index;
      });
      if (!any) {
        return refuse(glob, "group");
      }
    }
    for (const std::string& wish : choice.nodes) {
      auto draws = list_wished(source_, wish, run);
      if (!draws) {
        return Failure(draws.error());
      }
      const bool any = take([&](const LedgerRow& row) { return draws->contains(row.source); });
      if (!any) {
        return refuse(wish, "node");
      }
      wished.merge(*draws);
    }
    complete_instances();
    return Chosen{std::move(chosen_), std::move(wished)};
  }

 private:
  template <class IsWanted>
  bool take(const IsWanted& is_wanted) {
    bool any = false;
    for (std::size_t r = 0; r < chosen_.size(); ++r) {
      const LedgerRow& row = ledger_.rows[r];
      if (is_moved(row) && is_wanted(row)) {
        chosen_[r] = true;
        any = true;
      }
    }
    return any;
  }

  static Failure refuse(const std::string& glob, const char* what) {
    return Failure(
        Error{ErrorCode::bad_setting,
              fmt::format("no {} that was merged or instanced matches '{}'; the ledger lists them",
                          what, glob),
              {}});
  }

  /// An instance is there or not, whatever number of draws it stands for.
  void complete_instances() {
    std::set<std::pair<NodeId, std::uint32_t>> touched;
    for (std::size_t r = 0; r < chosen_.size(); ++r) {
      const LedgerRow& row = ledger_.rows[r];
      if (chosen_[r] && row.fate == Fate::instanced) {
        touched.insert({row.node, row.instance});
      }
    }
    for (std::size_t r = 0; r < chosen_.size(); ++r) {
      const LedgerRow& row = ledger_.rows[r];
      if (row.fate == Fate::instanced && touched.contains({row.node, row.instance})) {
        chosen_[r] = true;
      }
    }
  }

  const Scene& built_;
  const Ledger& ledger_;
  const Scene& source_;
  std::vector<bool> chosen_;
};

/// The source, with those results that are left put in.
class Restorer {
 public:
  Restorer(const Scene& built, const Ledger& ledger, const Scene& source, const RestoreLook& look)
      : built_(built),
        source_(look.source == nullptr ? source : *look.source),
        origin_(look.origin),
        unreduced_(look.unreduced),
        anew_(look.source != nullptr),
        extract_(built, ledger, source_, out_.scene) {
    out_.scene = source_;
    out_.ledger = ledger;
    out_.ledger.results.clear();
    out_.ledger.page_images = look.page_images;
    out_.ledger.material_from.clear();
  }

  Result<Built> run(const Ledger& before, const std::vector<bool>& chosen, const RunControl& run) {
    std::map<Place, Kept> kept;
    std::vector<bool> moved(chosen.size(), false);
    for (std::size_t r = 0; r < chosen.size(); ++r) {
      LedgerRow& row = out_.ledger.rows[r];
      if (is_moved(row)) {
        Kept& here = kept[{row.node, row.primitive}];
        ++here.members;
        if (!chosen[r]) {
          here.rows.push_back(static_cast<std::uint32_t>(r));
        }
      }
      if (is_moved(row) && !chosen[r]) {
        moved[r] = true;
      } else {
        back_.insert(row.source);
        row = {row.source, Fate::kept, row.source.node, row.source.primitive};
      }
    }
    add_results(before, kept);
    detach_draws(source_, moved, out_.scene, out_.ledger.rows);
    drop_idle_motion(out_.scene,
                     before.source_copy.first_node != no_node && !out_.ledger.results.empty()
                         ? IdleTracks::kept
                         : IdleTracks::dropped);
    if (before.lightmap_transform_key == own_transform_key) {
      give_lightmap_uvs(before.lightmap_uv_set, out_.scene);
    }
    if (auto finished = finish(before); !finished) {
      return Failure(finished.error());
    }
    out_.ledger.result_hash = make_content_hash(out_.scene, run);
    return std::move(out_);
  }

 private:
  using Place = std::pair<NodeId, std::uint32_t>;  ///< node and primitive of the built scene
  struct Kept {
    RowList rows;             ///< those that stay
    std::size_t members = 0;  ///< all that there were
    [[nodiscard]] bool whole() const { return rows.size() == members; }
  };

  /// Results of one node together, with what is left of each; nodes without anything left go.
  void add_results(const Ledger& before, std::map<Place, Kept>& kept) {
    for (std::size_t begin = 0; begin < before.results.size();) {
      std::vector<std::pair<const LedgerResult*, Kept*>> left;
      const NodeId node = before.results[begin].node;
      bool all = true;
      std::size_t end = begin;
      for (; end < before.results.size() && before.results[end].node == node; ++end) {
        Kept& here = kept[{node, before.results[end].primitive}];
        if (here.rows.empty()) {
          all = false;
        } else {
          left.emplace_back(&before.results[end], &here);
        }
      }
      if (!left.empty()) {
        add_node(left, all);
      }
      begin = end;
    }
  }

  void add_node(const std::vector<std::pair<const LedgerResult*, Kept*>>& left, bool all) {
    const LedgerResult& first = *left.front().first;
    Kept& kept = *left.front().second;
    Node node = built_[first.node];
    const NodeId id = make_id<NodeId>(out_.scene.nodes.size());
    const bool shows = shows_source(first);
    std::vector<std::vector<std::uint32_t>> orders;
    std::transform(left.begin(), left.end(), std::back_inserter(orders),
                   [](const auto& part) { return part.first->order; });
    if (out_.ledger.rows[kept.rows.front()].fate == Fate::instanced) {
      node.mesh =
          shows ? extract_.show_mesh(node.mesh, first.shown) : extract_.take_mesh(node.mesh);
      keep_instances(kept, node);
    } else {
      keep_primitives(left, all, orders, node);
    }
    node.children.clear();
    node.parent = first.below;
    node.skin = extract_.take_skin(node.skin, first.joints);
    out_.scene.nodes.push_back(std::move(node));
    extract_.take_weights(first.node, id);
    for (std::size_t p = 0; p < left.size(); ++p) {
      const auto primitive = static_cast<std::uint32_t>(p);
      for (const std::uint32_t r : left[p].second->rows) {
        out_.ledger.rows[r].node = id;
        out_.ledger.rows[r].primitive = primitive;
      }
      LedgerResult result = *left[p].first;
      result.first_instance = no_node;  // it is a set again, for now
      result.instances = 0;
      result.shown = shows ? result.shown : DrawRef{no_node, 0};
      result.node = id;
      result.primitive = primitive;
      result.order = std::move(orders[p]);
      std::erase_if(result.targets,
                    [&](const CarriedTargets& carried) { return back_.contains(carried.draw); });
      add_collider_of(*left[p].first, left[p].second->rows, result);
      out_.ledger.results.push_back(std::move(result));
    }
    hang(first, id);
  }

  /// A draw that comes back has its own material again, and UVs that shared pages know nothing of.
  [[nodiscard]] bool shows_source(const LedgerResult& result) const {
    // Places of instances go by what was made of its mesh where that was quantised.
    if (out_.ledger.geometry.form != GeometryForm::plain) {
      return false;
    }
    return result.shown.node != no_node && !(anew_ && back_.contains(result.shown));
  }

  /// A collider is made anew for what is left: nobody collides with what stands elsewhere again.
  void add_collider_of(const LedgerResult& before, const RowList& rows, LedgerResult& result) {
    if (before.collider == no_node) {
      return;
    }
    const Node& old = built_[before.collider];
    const bool original =
        unreduced_ != nullptr &&
        out_.ledger.reduction.settings.collider_triangles == ColliderTriangles::original;
    OriginalDraws had{original ? *unreduced_ : source_};
    for (const std::uint32_t r : rows) {
      had.rows.push_back(out_.ledger.rows[r]);
    }
    result.collider = add_collider(out_.scene, result.node, result.primitive, before.collider_shape,
                                   old.name, old.extra, original ? &had : nullptr);
  }

  void hang(const LedgerResult& before, NodeId id) {
    if (before.below != no_node) {
      out_.scene.nodes[to_index(before.below)].children.push_back(id);
      return;
    }
    for (std::size_t l = 0; l < std::min(built_.levels.size(), out_.scene.levels.size()); ++l) {
      const auto& roots = built_.levels[l].roots;
      if (std::find(roots.begin(), roots.end(), before.node) != roots.end()) {
        out_.scene.levels[l].roots.push_back(id);
      }
    }
  }

  Result<void> finish(const Ledger& before) {
    Ledger& ledger = out_.ledger;
    if (auto added = add_plain_looks(before.routes, ledger.page_images, out_.scene); !added) {
      return added;
    }
    ledger.source_copy = {};
    if (before.source_copy.first_node != no_node && !ledger.results.empty()) {
      ledger.source_copy = carry_source(source_, out_.scene);
    }
    std::vector<std::string> notes;
    const bool drops = origin_ != nullptr && ledger.source_copy.first_node == no_node;
    const NodeMap number = compact(source_, out_.scene, notes, drops ? origin_ : nullptr);
    for (const std::string& note : notes) {
      add_once(ledger.left_out, note);
    }
    renumber_nodes(number, ledger);
    if (ledger.source_copy.first_node == no_node) {
      drop_unshown({origin_, unreduced_, before}, out_);
    }
    if (ledger.results.empty()) {
      ledger.left_out.clear();
    }
    return {};
  }

  /// Instances that stay close up in their order.
  void keep_instances(const Kept& left, Node& node) {
    if (!node.instancing) {
      return;  // a set of one
    }
    require_instancing(out_.scene);
    if (left.whole()) {
      extract_.take_instances(node);
      return;
    }
    std::vector<std::uint32_t> kept;
    std::transform(left.rows.begin(), left.rows.end(), std::back_inserter(kept),
                   [&](std::uint32_t r) { return out_.ledger.rows[r].instance; });
    std::sort(kept.begin(), kept.end());
    kept.erase(std::unique(kept.begin(), kept.end()), kept.end());
    for (const std::uint32_t r : left.rows) {
      std::uint32_t& instance = out_.ledger.rows[r].instance;
      instance = static_cast<std::uint32_t>(std::lower_bound(kept.begin(), kept.end(), instance) -
                                            kept.begin());
    }
    extract_.cut_instances(kept, node);
  }

  void keep_primitives(const std::vector<std::pair<const LedgerResult*, Kept*>>& left,
                       bool all,
                       std::vector<std::vector<std::uint32_t>>& orders,
                       Node& node) {
    std::vector<KeptPrimitive> kept;
    for (std::size_t p = 0; p < left.size(); ++p) {
      const auto& [result, rows] = left[p];
      KeptPrimitive& part = kept.emplace_back(KeptPrimitive{result->primitive, rows->whole()});
      if (!rows->whole()) {
        all = false;
        part.ranges = close_ranges(rows->rows);
        part.order = orders[p].empty() ? nullptr : &orders[p];
      }
    }
    node.mesh = all ? extract_.take_mesh(node.mesh) : extract_.cut_mesh(node.mesh, kept);
  }

  /// Ranges of a merged primitive that stay close up in their order.
  /// \return where they were
  std::vector<GeometryRange> close_ranges(RowList& rows) {
    std::sort(rows.begin(), rows.end(), [&](std::uint32_t a, std::uint32_t b) {
      return out_.ledger.rows[a].first_index < out_.ledger.rows[b].first_index;
    });
    std::vector<GeometryRange> ranges;
    std::uint64_t index = 0;
    std::uint64_t vertex = 0;
    for (const std::uint32_t r : rows) {
      LedgerRow& row = out_.ledger.rows[r];
      ranges.push_back({row.first_index, row.index_count, row.first_vertex, row.vertex_count});
      row.first_index = index;
      row.first_vertex = vertex;
      index += row.index_count;
      vertex += row.vertex_count;
    }
    return ranges;
  }

  const Scene& built_;
  const Scene& source_;  ///< as its draws come back
  const Scene* origin_;
  const Scene* unreduced_;
  bool anew_;  ///< what comes back is not what the results were made of
  Built out_;
  std::set<DrawRef> back_;  ///< draws that are as they were in the source
  Extractor extract_;
};

/// A ledger comes from a file: what it says of the scenes is held against them.
Result<void> check_rows(const Scene& built, const Ledger& ledger, const Scene& source) {
  const auto wrong = [](std::size_t row, const char* what) {
    return Failure(Error{ErrorCode::out_of_bounds,
                         fmt::format("the ledger's row {} {}", row, what),
                         {"", fmt::format("/rows/{}", row)}});
  };
  std::set<std::pair<NodeId, std::uint32_t>> results;
  for (std::size_t i = 0; i < ledger.results.size(); ++i) {
    const LedgerResult& result = ledger.results[i];
    const bool good =
        to_index(result.node) < built.nodes.size() &&
        (result.below == no_node || to_index(result.below) < source.nodes.size()) &&
        (result.shown.node == no_node || has_primitive(source, result.shown)) &&
        std::all_of(result.joints.begin(), result.joints.end(),
                    [&](NodeId joint) { return to_index(joint) < source.nodes.size(); }) &&
        (result.collider == no_node || to_index(result.collider) < built.nodes.size()) &&
        has_primitive(built, {result.node, result.primitive}) && holds_order(built, result);
    const bool ordered = i == 0 || ledger.results[i - 1].node <= result.node;
    if (!good || !ordered || !results.insert({result.node, result.primitive}).second) {
      return Failure(Error{ErrorCode::out_of_bounds,
                           "a result of the ledger is not in the scenes",
                           {"", fmt::format("/results/{}", i)}});
    }
  }
  for (std::size_t r = 0; r < ledger.rows.size(); ++r) {
    const LedgerRow& row = ledger.rows[r];
    if (!has_primitive(source, row.source)) {
      return wrong(r, "is of no draw of the source");
    }
    if (r > 0 && !(ledger.rows[r - 1].source < row.source)) {
      return wrong(r, "is out of order");
    }
    if (is_moved(row) && !results.contains({row.node, row.primitive})) {
      return wrong(r, "is of a node that is no result");
    }
    if (is_moved(row) && !holds_range(built, row)) {
      return wrong(r, "has a range beyond its primitive");
    }
  }
  return {};
}

}  // namespace

namespace {

Result<Chosen> choose_rows(const Scene& built,
                           const Ledger& ledger,
                           const Scene& source,
                           const RestoreChoice& choice,
                           const RunControl& run) {
  if (auto same =
          check_hash(ledger.source_hash, make_content_hash(source, run), "the ledger's source");
      !same) {
    return Failure(same.error());
  }
  if (auto same =
          check_hash(ledger.result_hash, make_content_hash(built, run), "the ledger's result");
      !same) {
    return Failure(same.error());
  }
  if (auto good = check_rows(built, ledger, source); !good) {
    return Failure(good.error());
  }
  return Chooser(built, ledger, source).choose(choice, run);
}

}  // namespace

Result<Built> restore(const Scene& built,
                      const Ledger& ledger,
                      const Scene& source,
                      const RestoreChoice& choice,
                      const RunControl& run,
                      const RestoreLook& look) {
  const Scene gathered = gather_instances(built, ledger);
  const auto chosen = choose_rows(gathered, ledger, source, choice, run);
  if (!chosen) {
    return Failure(chosen.error());
  }
  Result<Built> out = Restorer(gathered, ledger, source, look).run(ledger, chosen->rows, run);
  if (out && look.source != nullptr) {
    out->ledger.source_hash = make_content_hash(*look.source, run);
  }
  return out;
}

Result<std::vector<DrawRef>> list_restored(const Scene& built,
                                           const Ledger& ledger,
                                           const Scene& source,
                                           const RestoreChoice& choice,
                                           const RunControl& run) {
  const auto chosen = choose_rows(gather_instances(built, ledger), ledger, source, choice, run);
  if (!chosen) {
    return Failure(chosen.error());
  }
  std::vector<DrawRef> draws;
  for (std::size_t r = 0; r < chosen->rows.size(); ++r) {
    const DrawRef& draw = ledger.rows[r].source;
    if (chosen->rows[r] || chosen->wished.contains(draw)) {
      draws.push_back(draw);
    }
  }
  return draws;
}

Built make_untouched(const Scene& scene, const RunControl& run) {
  Built out;
  out.scene = scene;
  out.ledger.source_hash = out.ledger.result_hash = make_content_hash(scene, run);
  for (const DrawRef& draw : make_draw_list(scene)) {
    out.ledger.rows.push_back({draw, Fate::kept, draw.node, draw.primitive});
  }
  return out;
}

// ---- looking up -------------------------------------------------------------------------------

LedgerIndex::LedgerIndex(const Ledger& ledger) : ledger_(ledger) {
  for (const LedgerResult& result : ledger.results) {
    if (result.first_instance != no_node) {
      sets_[result.first_instance] = &result;
    }
    if (!result.order.empty()) {
      orders_[{result.node, result.primitive}] = &result.order;
    }
  }
  by_place_.resize(ledger.rows.size());
  for (std::uint32_t r = 0; r < by_place_.size(); ++r) {
    by_place_[r] = r;
  }
  const auto place = [&](std::uint32_t r) {
    const LedgerRow& row = ledger.rows[r];
    return std::tuple(row.node, row.primitive, row.instance, row.first_index);
  };
  std::sort(by_place_.begin(), by_place_.end(),
            [&](std::uint32_t a, std::uint32_t b) { return place(a) < place(b); });
}

const LedgerRow* LedgerIndex::find(NodeId node,
                                   std::uint32_t primitive,
                                   std::uint32_t instance,
                                   std::uint64_t list_index) const {
  // A node that is an instance stands for it.
  if (const auto set = sets_.upper_bound(node); set != sets_.begin()) {
    const auto& [first, result] = *std::prev(set);
    if (to_index(node) - to_index(first) < result->instances) {
      instance = static_cast<std::uint32_t>(to_index(node) - to_index(first));
      node = result->node;
    }
  }
  if (const auto order = orders_.find({node, primitive}); order != orders_.end()) {
    const std::vector<std::uint32_t>& triangles = *order->second;
    if (list_index / 3 >= triangles.size()) {
      return nullptr;
    }
    list_index = 3 * std::uint64_t{triangles[list_index / 3]} + list_index % 3;
  }
  const auto wanted = std::tuple(node, primitive, instance, list_index);
  const auto next = std::upper_bound(
      by_place_.begin(), by_place_.end(), wanted, [&](const auto& value, std::uint32_t r) {
        const LedgerRow& row = ledger_.rows[r];
        return value < std::tuple(row.node, row.primitive, row.instance, row.first_index);
      });
  if (next == by_place_.begin()) {
    return nullptr;
  }
  const LedgerRow& row = ledger_.rows[*(next - 1)];
  if (row.node != node || row.primitive != primitive) {
    return nullptr;
  }
  if (row.fate == Fate::kept) {
    return &row;  // all of its instances and triangles are its own
  }
  const bool inside = row.instance == instance && list_index - row.first_index < row.index_count;
  return inside && row.fate != Fate::dropped ? &row : nullptr;
}

std::vector<double> LedgerIndex::find_value(const Scene& built,
                                            const LedgerRow& row,
                                            const std::string& name) const {
  if (row.fate != Fate::instanced || to_index(row.node) >= built.nodes.size()) {
    return {};
  }
  for (const auto& [first, result] : sets_) {
    const std::size_t node = to_index(first) + row.instance;
    if (result->node == row.node && node < built.nodes.size()) {
      const std::string_view key = find_value_key(name);
      const Boxed<Extra>& extra = built.nodes[node].extra;
      return extra ? read_json_numbers(
                         find_member_json(extra->extras, key.empty() ? name : std::string(key)))
                   : std::vector<double>{};
    }
  }
  const Node& set = built[row.node];
  const std::string semantic = find_value_semantic(name);
  for (const Attribute& attribute :
       set.instancing ? set.instancing->attributes : std::vector<Attribute>{}) {
    const Stream& stream = built[attribute.stream];
    if (attribute.semantic == semantic && !semantic.empty() && row.instance < stream.count) {
      const ElementReader reader(built, attribute.stream);
      std::vector<double> value(reader.width());
      reader.load(row.instance, value.data());
      return value;
    }
  }
  return {};
}

std::span<const LedgerRow> LedgerIndex::find_source(NodeId node) const {
  const auto [first, last] = std::equal_range(
      ledger_.rows.begin(), ledger_.rows.end(), LedgerRow{DrawRef{node, 0}},
      [](const LedgerRow& a, const LedgerRow& b) { return a.source.node < b.source.node; });
  return {first, last};
}

}  // namespace wakuzume
