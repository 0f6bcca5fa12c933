// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include "wakuzume/verify.h"

#include <fmt/format.h>

#include <algorithm>
#include <map>
#include <tuple>

#include "plan/check.h"
#include "scene/running.h"
#include "survey/draws.h"
#include "verify/audit.h"
#include "verify/motion.h"
#include "verify/shaded.h"
#include "wakuzume/spread.h"

namespace wakuzume {
namespace {

constexpr std::size_t max_mismatches = 100;
constexpr std::size_t rows_at_once = 32;

class Verifier {
 public:
  Verifier(const Scene& before,
           const Scene& after,
           const Ledger& ledger,
           const VerifySettings& settings)
      : before_(before), after_(after), ledger_(ledger), settings_(settings) {}

  Result<Verdict> run(const RunControl& run) {
    verdict_.before = count_totals(before_);
    verdict_.after = count_totals(after_);
    // Not an error: the audit below says which draws it concerns.
    if (make_content_hash(after_, run) != ledger_.result_hash) {
      report({}, "the result is not what the build wrote: its content hash differs");
    }
    check_rows();
    if (!audit_rows(run)) {
      return Failure(make_cancelled());
    }
    check_nothing_else();
    verdict_.shaded_per_triangle = {find_shaded_per_triangle(before_, run),
                                    find_shaded_per_triangle(after_, run)};
    verdict_.passed = verdict_.mismatch_count == 0;
    return std::move(verdict_);
  }

 private:
  void report(const DrawRef& draw, std::string what) {
    if (++verdict_.mismatch_count <= max_mismatches) {
      const bool known = to_index(draw.node) < before_.nodes.size();
      verdict_.mismatches.push_back(
          {draw, std::move(what), known ? make_node_path(before_, draw.node) : ""});
    }
  }

  /// Every source draw in exactly one row.
  void check_rows() {
    const std::vector<DrawRef> draws = make_draw_list(before_);
    std::map<DrawRef, std::uint32_t> rows;
    for (const LedgerRow& row : ledger_.rows) {
      ++rows[row.source];
      ++verdict_.fates[static_cast<std::size_t>(row.fate)];
    }
    for (const DrawRef& draw : draws) {
      const auto hit = rows.find(draw);
      if (hit == rows.end()) {
        report(draw, "has no row in the ledger");
      } else if (hit->second > 1) {
        report(draw, fmt::format("has {} rows in the ledger", hit->second));
      }
    }
    if (rows.size() > draws.size()) {
      report({}, fmt::format("{} ledger rows name no draw", rows.size() - draws.size()));
    }
  }

  /// Rows so that those follow each other that show one geometry for another.
  [[nodiscard]] std::vector<std::uint32_t> sort_by_geometry() const {
    const auto mesh_of = [](const Scene& scene, NodeId node) {
      return to_index(node) < scene.nodes.size() ? scene[node].mesh : no_mesh;
    };
    std::vector<
        std::tuple<MeshId, std::uint32_t, std::uint64_t, MeshId, std::uint32_t, std::uint32_t>>
        keys;
    keys.reserve(ledger_.rows.size());
    for (std::uint32_t r = 0; r < ledger_.rows.size(); ++r) {
      const LedgerRow& row = ledger_.rows[r];
      keys.emplace_back(mesh_of(after_, row.node), row.primitive, row.first_index,
                        mesh_of(before_, row.source.node), row.source.primitive, r);
    }
    std::sort(keys.begin(), keys.end());
    std::vector<std::uint32_t> out;
    out.reserve(keys.size());
    for (const auto& key : keys) {
      out.push_back(std::get<5>(key));
    }
    return out;
  }

  bool audit_rows(const RunControl& run) {
    const Auditor auditor(before_, after_, ledger_, settings_);
    std::vector<DrawAudit> audits(ledger_.rows.size());
    const std::vector<std::uint32_t> order = sort_by_geometry();
    if (!for_each_range(order.size(), rows_at_once, run, "auditing",
                        [&](std::size_t begin, std::size_t end) {
                          Auditor::Memory memory;
                          for (std::size_t o = begin; o < end; ++o) {
                            const LedgerRow& row = ledger_.rows[order[o]];
                            if (row.fate != Fate::dropped) {
                              audits[order[o]] = auditor.audit(row, memory);
                            }
                          }
                        })) {
      return false;
    }
    for (std::size_t i = 0; i < audits.size(); ++i) {
      if (!audits[i].mismatch.empty()) {
        report(ledger_.rows[i].source, audits[i].mismatch);
        verdict_.rejected.push_back(
            {ledger_.rows[i].source, no_material, RejectedFor::shape, audits[i].mismatch});
      }
      verdict_.triangles_checked += audits[i].triangles;
      verdict_.elements_checked += audits[i].elements;
      verdict_.fitted_draws += audits[i].fitted ? 1U : 0U;
      verdict_.largest_position_error_m =
          std::max(verdict_.largest_position_error_m, audits[i].position_error_m);
    }
    return audit_all_motion(audits, run);
  }

  bool audit_all_motion(std::vector<DrawAudit>& audits, const RunControl& run) {
    std::vector<std::vector<std::pair<std::uint32_t, std::uint32_t>>> vertices;
    std::transform(audits.begin(), audits.end(), std::back_inserter(vertices),
                   [](DrawAudit& audit) { return std::move(audit.vertices); });
    const auto found = audit_motion(before_, after_, ledger_, vertices, settings_, run);
    if (!found) {
      return false;
    }
    verdict_.poses = found->poses;
    verdict_.places_in_motion = found->places;
    verdict_.largest_motion_error_m = found->largest_error_m;
    for (std::size_t i = 0; i < audits.size(); ++i) {
      const MotionFinding& finding = found->findings[i];
      if (!finding.what.empty()) {
        report(finding.draw, finding.what);
        verdict_.rejected.push_back({finding.draw, no_material, RejectedFor::shape, finding.what});
      }
    }
    return true;
  }

  /// Everything that the result draws belongs to some row, and to one only.
  void check_nothing_else() {
    std::map<DrawRef, std::vector<const LedgerRow*>> owners;
    for (const LedgerRow& row : ledger_.rows) {
      if (row.fate != Fate::dropped) {
        owners[{row.node, row.primitive}].push_back(&row);
      }
    }
    for (const DrawRef& draw : make_draw_list(after_)) {
      const auto hit = owners.find(draw);
      const std::string what =
          hit == owners.end() ? "belongs to no source draw" : check_owners(draw, hit->second);
      if (!what.empty()) {
        report({}, fmt::format("result {} primitive {} {}", make_node_path(after_, draw.node),
                               draw.primitive, what));
      }
    }
  }

  [[nodiscard]] std::string check_owners(const DrawRef& draw,
                                         std::vector<const LedgerRow*> rows) const {
    const Node& node = after_[draw.node];
    const Fate fate = rows.front()->fate;
    if (std::any_of(rows.begin(), rows.end(),
                    [&](const LedgerRow* r) { return r->fate != fate; })) {
      return "has rows of different fates";
    }
    if (fate == Fate::kept) {
      return rows.size() == 1 ? "" : "is claimed by several kept draws";
    }
    // Rows tile the index list; those of a set do so in each instance, from the first to the last.
    std::sort(rows.begin(), rows.end(), [](const LedgerRow* a, const LedgerRow* b) {
      return std::pair(a->instance, a->first_index) < std::pair(b->instance, b->first_index);
    });
    const std::uint64_t indices =
        count_list_indices(after_, after_[node.mesh].primitives[draw.primitive]);
    std::uint64_t next = 0;
    for (const LedgerRow* row : rows) {
      const std::uint64_t begin = row->instance * indices + row->first_index;
      if (begin != next) {
        return fmt::format("has a gap or an overlap at {}", next);
      }
      next += row->index_count;
    }
    const std::uint64_t wanted = indices * count_instances(after_, node);
    return next == wanted ? "" : fmt::format("has {} indices, rows for {}", wanted, next);
  }

  const Scene& before_;
  const Scene& after_;
  const Ledger& ledger_;
  const VerifySettings& settings_;
  Verdict verdict_;
};

}  // namespace

Result<void> validate(const VerifySettings& settings) {
  const std::tuple<const char*, double, double> ranges[] = {
      {"position_tolerance", settings.position_tolerance, 1},
      {"direction_tolerance", settings.direction_tolerance, 2},
      {"look_psnr_db", settings.look_psnr_db, 100},
      {"rebaked_look_psnr_db", settings.rebaked_look_psnr_db, 100},
      {"draw_share", settings.draw_share, 1},
      {"bent_repeat_steps", settings.bent_repeat_steps, 255},
      {"refiltered_draw_share", settings.refiltered_draw_share, 1},
      {"distance_tolerance", settings.distance_tolerance, 1},
      {"mend_rounds", settings.mend_rounds, 16},
      {"moments", settings.moments, 1e4},
      {"picture_poses", settings.picture_poses, 1e4},
      {"poses", settings.poses, 1e4},
      {"motion_tolerance", settings.motion_tolerance, 1},
      {"seconds", settings.seconds, 1e6},
      {"picture_views", settings.picture_views, 65536}};
  for (const auto& [name, value, most] : ranges) {
    if (!(value >= 0 && value <= most)) {
      return Failure(Error{
          ErrorCode::bad_setting, fmt::format("verify.{} must be from 0 to {}", name, most), {}});
    }
  }
  std::vector<PixelTolerance> tolerances(settings.pixels.begin(), settings.pixels.end());
  tolerances.push_back(settings.reduced);
  for (const PixelTolerance& pixels : tolerances) {
    if (!(pixels.steps >= 0 && pixels.steps <= 255 && pixels.share >= 0 && pixels.share <= 1)) {
      return Failure(Error{
          ErrorCode::bad_setting, "pixels: steps must be from 0 to 255, shares from 0 to 1", {}});
    }
  }
  const auto size = [](std::uint32_t px) { return px >= 16 && px <= 8192; };
  if (!size(settings.picture_width_px) || !size(settings.picture_height_px)) {
    return Failure(Error{ErrorCode::bad_setting,
                         "verify.picture_width_px and picture_height_px must be from 16 to 8192",
                         {}});
  }
  return {};
}

Result<Verdict> verify(const Scene& before,
                       const Scene& after,
                       const Ledger& ledger,
                       const VerifySettings& settings,
                       const RunControl& run) {
  if (auto valid = validate(settings); !valid) {
    return Failure(valid.error());
  }
  if (auto same =
          check_hash(ledger.source_hash, make_content_hash(before, run), "the ledger's source");
      !same) {
    return Failure(same.error());
  }
  const Scene gathered = gather_instances(after, ledger);
  return Verifier(before, gathered, ledger, settings).run(run);
}

}  // namespace wakuzume
