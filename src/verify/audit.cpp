// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include "verify/audit.h"

#include <fmt/format.h>

#include <algorithm>
#include <memory>
#include <optional>

#include "family/judge.h"
#include "scene/elements.h"
#include "scene/matrix.h"
#include "survey/draws.h"
#include "survey/rules.h"
#include "verify/audit_parts.h"
#include "verify/look.h"
#include "verify/motion.h"

namespace wakuzume {
namespace {

/// Two streams of either scene hold the same elements, bit for bit.
bool same_stream(const Scene& a, StreamId ia, const Scene& b, StreamId ib) {
  if (ia == no_stream || ib == no_stream) {
    return ia == ib;
  }
  const Stream& x = a[ia];
  const Stream& y = b[ib];
  return x.count == y.count && x.component == y.component && x.element == y.element &&
         x.normalized == y.normalized && make_packed(a, ia) == make_packed(b, ib);
}

bool same_attributes(const Scene& a,
                     const std::vector<Attribute>& x,
                     const Scene& b,
                     const std::vector<Attribute>& y) {
  return x.size() == y.size() && std::all_of(x.begin(), x.end(), [&](const Attribute& attribute) {
           const StreamId other = find_stream(y, attribute.semantic);
           return other != no_stream && same_stream(a, attribute.stream, b, other);
         });
}

/// Extras as a result has them, where the user has no key for places on lightmap pages.
Boxed<Extra> without_own_place(const Boxed<Extra>& extra) {
  Boxed<Extra> out = extra;
  if (!find_extra(extra, own_transform_key).empty()) {
    out.ensure().extras = put_member(extra->extras, own_transform_key, "");
  }
  return out;
}

}  // namespace

Auditor::Memory::Memory() = default;
Auditor::Memory::~Memory() = default;

Auditor::Auditor(const Scene& before,
                 const Scene& after,
                 const Ledger& ledger,
                 const VerifySettings& settings)
    : before_(before),
      after_(after),
      ledger_(ledger),
      settings_(settings),
      allowance_(find_allowance(ledger.geometry)),
      before_world_(make_world_matrices(before)),
      after_world_(make_world_matrices(after)),
      lightmap_uvs_(fmt::format("TEXCOORD_{}", ledger.lightmap_uv_set)),
      surroundings_before_(before, ledger.lightmap_key),
      surroundings_after_(after, ledger.lightmap_key) {
  for (const LedgerResult& result : ledger.results) {
    if (!result.joints.empty() || !result.targets.empty()) {
      deformed_[{result.node, result.primitive}] = &result;
    }
    if (!result.has_backs && !result.in_shading_order && result.order.empty()) {
      continue;
    }
    ResultOrder& order = orders_[{result.node, result.primitive}];
    order.has_backs = result.has_backs;
    order.in_shading_order = result.in_shading_order;
    order.place_of.assign(result.order.size(), no_index);
    for (std::uint32_t t = 0; t < result.order.size(); ++t) {
      if (result.order[t] < order.place_of.size()) {
        order.place_of[result.order[t]] = t;
      }
    }
  }
}

const Auditor::ResultOrder* Auditor::find_order(const LedgerRow& row) const {
  const auto order = orders_.find({row.node, row.primitive});
  return order != orders_.end() ? &order->second : nullptr;
}

bool Auditor::has_backs(const LedgerRow& row) const {
  const ResultOrder* const order = find_order(row);
  return order != nullptr && order->has_backs && row.fate == Fate::merged;
}

bool Auditor::in_shading_order(const LedgerRow& row) const {
  const ResultOrder* const order = find_order(row);
  return order != nullptr && order->in_shading_order && row.fate != Fate::kept;
}

/// What must agree whatever the geometry: the material, and for kept draws all that moves them.
std::string Auditor::compare_identity(const LedgerRow& row) const {
  const Primitive* before = find_primitive(before_, row.source.node, row.source.primitive);
  const Primitive* after = find_primitive(after_, row.node, row.primitive);
  if (before == nullptr) {
    return "the source has no such draw";
  }
  if (after == nullptr) {
    return fmt::format("the result has no node {} with primitive {}", to_index(row.node),
                       row.primitive);
  }
  if (std::string different = compare_material(row); !different.empty()) {
    return different;
  }
  if (row.fate != Fate::kept) {
    return {};
  }
  const Node& old_node = before_[row.source.node];
  const Node& new_node = after_[row.node];
  if (old_node.name != new_node.name ||
      !same_extra(without_own_place(old_node.extra), new_node.extra)) {
    return "the kept node's name, extras or extensions changed";
  }
  if (old_node.camera != new_node.camera || old_node.light != new_node.light ||
      old_node.skin != new_node.skin) {
    return "the kept node's camera, light or skin changed";
  }
  if (static_cast<bool>(old_node.instancing) != static_cast<bool>(new_node.instancing) ||
      (old_node.instancing && !same_attributes(before_, old_node.instancing->attributes, after_,
                                               new_node.instancing->attributes))) {
    return "the kept node's instances changed";
  }
  if (before->morph_targets.size() != after->morph_targets.size()) {
    return "morph targets were lost";
  }
  for (std::size_t t = 0; t < before->morph_targets.size(); ++t) {
    if (!same_attributes(before_, before->morph_targets[t], after_, after->morph_targets[t])) {
      return fmt::format("morph target {} changed", t);
    }
  }
  return {};
}

/// The same material, or one that is equal by value; of an instance, times what it carries.
std::string Auditor::compare_material(const LedgerRow& row) const {
  const MaterialId before =
      find_primitive(before_, row.source.node, row.source.primitive)->material;
  const MaterialId after = find_primitive(after_, row.node, row.primitive)->material;
  // Where materials went, those that stay have other numbers, which the ledger tells.
  const auto& from = ledger_.material_from;
  const MaterialId was = to_index(after) < from.size() ? from[to_index(after)] : after;
  if (row.fate == Fate::kept && before != was) {
    return fmt::format("material {} became material {}", to_index(before), to_index(after));
  }
  if (before == no_material || after == no_material) {
    return before == after ? "" : "a material came or went";
  }
  const Boxed<Instancing>& set = after_[row.node].instancing;
  const bool tinted = row.fate == Fate::instanced && set;
  Material shown = tinted ? make_tinted(after_, after_[after], *set, row.instance, before_[before])
                          : after_[after];
  if (has_backs(row)) {
    // Both sides are there, and each is culled from where the other is seen.
    if (shown.double_sided) {
      return fmt::format("material {} shows its front and its back twice", to_index(after));
    }
    shown.double_sided = true;
  }
  return same_material(before_, before_[before], after_, shown)
             ? ""
             : fmt::format("material {} became material {}, which looks different",
                           to_index(before), to_index(after));
}

DrawAudit Auditor::audit(const LedgerRow& row, Memory& memory) const {
  DrawAudit out;
  out.mismatch = compare_identity(row);
  if (out.mismatch.empty()) {
    out.mismatch = compare_surroundings(
        surroundings_before_,
        {row.source.node, *find_primitive(before_, row.source.node, row.source.primitive)},
        surroundings_after_, {row.node, *find_primitive(after_, row.node, row.primitive)},
        is_skinned_anew(row) ? MovedBy::joints : MovedBy::nodes);
  }
  if (!out.mismatch.empty()) {
    return out;
  }
  const std::optional<Mat4d> world = find_result_matrix(row);
  if (!world) {
    out.mismatch = fmt::format("the result has no instance {}", row.instance);
    return out;
  }
  // A triangle faces the same way when its corners go round the same way in world space, which a
  // mirroring matrix reverses.
  const Mat4d& before_world = before_world_[to_index(row.source.node)];
  const bool turned = (linear_determinant(before_world) < 0) != (linear_determinant(*world) < 0);
  const Memory::Key key{find_primitive(before_, row.source.node, row.source.primitive),
                        find_primitive(after_, row.node, row.primitive), row.first_index,
                        row.index_count, turned};
  const bool again = row.fate == Fate::instanced && memory.shared_ && memory.key_ == key;
  if (!again) {
    memory.shared_ = std::make_unique<Shared>(make_shared(row, turned, *world));
    memory.key_ = key;
  }
  Shared& shared = *memory.shared_;
  if (!shared.mismatch.empty()) {
    out.mismatch = shared.mismatch;
    return out;
  }
  shared.pairing.before_world = before_world;
  shared.pairing.after_world = *world;
  find_places(row, shared.pairing);
  const Rounding rounding = find_rounding(shared, row);
  const double allowed = settings_.position_tolerance * rounding.extent_m + rounding.rounding_m +
                         allowance_.position_m;
  if (is_in_motion(before_, after_, row)) {
    compare_deformed(row, shared.pairing, allowed, out);
  } else if (row.fate == Fate::instanced) {
    compare_shared(shared, allowed, out);
  } else {
    compare_all(shared.pairing, allowed, out);
  }
  return out.mismatch.empty() || row.fate != Fate::instanced
             ? out
             : audit_repeat(shared.pairing, rounding.rounding_m + allowance_.position_m,
                            std::move(out));
}

/// Another's geometry may stand for this draw, in another order.
/// \param otherwise  what is wrong where it does not
DrawAudit Auditor::audit_repeat(const Pairing& pairing,
                                double rounding_m,
                                DrawAudit otherwise) const {
  const FamilySettings& families = ledger_.families;
  const Points part = make_points(before_, *pairing.before, families);
  const Points shown = make_points(after_, *pairing.after, pairing.after_corners, families);
  const RepeatJudge judge(part, pairing.before_world);
  RepeatLimits limits = make_repeat_limits(families, judge.size_m(), rounding_m);
  limits.attribute += std::max(allowance_.uv, allowance_.color);
  limits.direction += allowance_.direction;
  const auto judged = judge.judge(shown, pairing.after_world, limits);
  if (!judged) {
    return otherwise;
  }
  Pairing repeat = pairing;
  repeat.direction_tolerance = families.direction_tolerance + allowance_.direction;
  repeat.attribute_tolerance = families.attribute_tolerance;
  repeat.ignored = families.ignored_attributes;
  const std::vector<std::uint32_t> list = make_list_indices(before_, *pairing.before);
  for (std::size_t i = 0; i < repeat.before_corners.size(); ++i) {
    repeat.before_places[i] = judged->corners[i];
    repeat.before_corners[i] = list[judged->corners[i]];
  }
  pair_vertices(repeat);
  DrawAudit again;
  compare_all(repeat, limits.position_m, again);
  again.fitted = true;
  return again;
}

}  // namespace wakuzume
