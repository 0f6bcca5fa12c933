// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include "documents/document.h"
#include "documents/totals.h"
#include "json/out.h"
#include "wakuzume/io.h"

namespace wakuzume {
namespace {

void write_view(ReadableJsonOut& out, const ViewCheck& check) {
  JsonOut line;
  line.begin_object();
  line.member("view", check.view);
  line.member("passed", check.passed);
  line.member("width_px", check.width_px);
  line.member("height_px", check.height_px);
  line.member("differing", check.differing);
  line.begin_object("faults");
  for (std::size_t f = 0; f < pixel_fault_count; ++f) {
    line.member(to_string(static_cast<PixelFault>(f)), check.faults[f]);
  }
  line.end_object();
  line.member("edge_pixels", check.edge_pixels);
  line.member("tied_pixels", check.tied_pixels);
  line.member("righted_pixels", check.righted_pixels);
  line.member("disordered_pixels", check.disordered_pixels);
  line.member("shifted_pixels", check.shifted_pixels);
  line.member("mean_error", check.mean_error);
  line.member("psnr_db", check.psnr_db);
  line.member("likeness", check.likeness);
  for (const auto& [name, submitted] :
       {std::pair("before", &check.before), std::pair("after", &check.after)}) {
    line.begin_object(name);
    line.member("draws", submitted->draws);
    line.member("instances", submitted->instances);
    line.member("triangles", submitted->triangles);
    line.member("pipeline_switches", submitted->pipeline_switches);
    line.member("material_switches", submitted->material_switches);
    line.member("submit_ms", submitted->submit_ms);
    line.end_object();
  }
  line.begin_array("passes");
  for (std::size_t p = 0; p < check.passes.size(); ++p) {
    line.begin_object();
    line.member("name", check.passes[p]);
    line.member("draws_before", check.pass_draws_before[p]);
    line.member("draws_after", check.pass_draws_after[p]);
    line.end_object();
  }
  line.end_array();
  line.member("frame_ms_before", check.frame_ms_before);
  line.member("frame_ms_after", check.frame_ms_after);
  line.end_object();
  out.line(line);
}

void write_group_fault(ReadableJsonOut& out, const GroupFault& fault) {
  JsonOut line;
  line.begin_object();
  if (!fault.group.empty()) {
    line.member("group", fault.group);
  }
  line.member("pixels", fault.pixels);
  line.member("draws", fault.draws);
  line.member("fault", to_string(fault.fault));
  line.member("node", fault.worst.node);
  line.member("primitive", fault.worst.primitive);
  line.member("path", fault.node);
  line.member("view", fault.view);
  line.end_object();
  out.line(line);
}

void write_mends(ReadableJsonOut& out, const std::vector<Mend>& mends) {
  write_rows(out, "mended", mends, [&](JsonOut& line, const Mend& mend) {
    line.member("round", mend.round);
    line.member("what", mend.what);
    line.member("became", mend.became);
    line.member("why", mend.why);
  });
}

void write_budget(ReadableJsonOut& out, const std::string& tier, const BudgetResult& result) {
  JsonOut line;
  line.begin_object();
  if (!tier.empty()) {
    line.member("tier", tier);
  }
  line.member("figure", result.budget.figure);
  line.member("limit", result.budget.limit);
  line.member("value", result.value);
  line.member("passed", result.passed());
  line.end_object();
  out.line(line);
}

void write_reductions(ReadableJsonOut& out, const std::vector<ReductionCheck>& checks) {
  write_rows(out, "reductions", checks, [](JsonOut& line, const ReductionCheck& check) {
    line.member("mesh", check.mesh);
    line.member("name", check.name);
    line.member("draws", check.draws);
    line.member("triangles_before", check.triangles_before);
    line.member("triangles", check.triangles);
    line.member("farthest_m", check.farthest_m);
    line.member("farthest_px", check.farthest_px);
    line.member("mean_m", check.mean_m);
    if (check.asked_m > 0) {
      line.member("asked_m", check.asked_m);
    }
    line.member("turned_deg", check.turned_deg);
    line.member("texture", check.texture);
    line.member("color", check.color);
    line.member("passed", check.passed());
  });
}

/// What drawing showed, and what could not be checked.
void write_drawn(ReadableJsonOut& out, const Verdict& verdict) {
  if (!verdict.drawn_by.empty()) {
    out.member("drawn_by", verdict.drawn_by);
    out.begin_array("views");
    for (const ViewCheck& check : verdict.views) {
      write_view(out, check);
    }
    out.end_array();
    if (!verdict.posed_views.empty()) {
      out.begin_array("posed_views");
      for (const ViewCheck& check : verdict.posed_views) {
        write_view(out, check);
      }
      out.end_array();
    }
    out.begin_array("group_faults");
    for (const GroupFault& fault : verdict.group_faults) {
      write_group_fault(out, fault);
    }
    out.end_array();
  }
  if (!verdict.budgets.empty() || !verdict.tiers.empty()) {
    out.begin_array("budgets");
    for (const BudgetResult& result : verdict.budgets) {
      write_budget(out, "", result);
    }
    for (const TierResult& tier : verdict.tiers) {
      for (const BudgetResult& result : tier.results) {
        write_budget(out, tier.name, result);
      }
    }
    out.end_array();
  }
  if (!verdict.not_checked.empty()) {
    out.begin_array("not_checked");
    for (const std::string& what : verdict.not_checked) {
      JsonOut line;
      line.value(what);
      out.line(line);
    }
    out.end_array();
  }
}

}  // namespace

std::string to_json(const Verdict& verdict) {
  ReadableJsonOut out;
  begin_document(out, "wakuzume-verdict", 1);
  out.member("passed", verdict.passed);
  write_totals(out, "before", verdict.before);
  write_totals(out, "after", verdict.after);
  out.begin_object("fates");
  for (std::size_t fate = 0; fate < verdict.fates.size(); ++fate) {
    out.member(to_string(static_cast<Fate>(fate)), verdict.fates[fate]);
  }
  out.end_object();
  out.member("triangles_checked", verdict.triangles_checked);
  out.member("elements_checked", verdict.elements_checked);
  out.member("largest_position_error_m", verdict.largest_position_error_m);
  if (verdict.poses > 0) {
    out.begin_object("motion");
    out.member("poses", verdict.poses);
    out.member("places", verdict.places_in_motion);
    out.member("largest_error_m", verdict.largest_motion_error_m);
    out.end_object();
  }
  out.member("fitted_draws", verdict.fitted_draws);
  if (verdict.lightmap_lookups > 0) {
    out.member("lightmap_lookups", verdict.lightmap_lookups);
  }
  if (verdict.lit_pages != std::array<std::size_t, 2>{}) {
    out.begin_object("lit_pages");
    out.member("before", verdict.lit_pages[0]);
    out.member("after", verdict.lit_pages[1]);
    out.end_object();
  }
  out.begin_object("shaded_per_triangle");
  out.member("before", verdict.shaded_per_triangle[0]);
  out.member("after", verdict.shaded_per_triangle[1]);
  out.end_object();
  if (!verdict.looks.empty()) {
    out.begin_array("looks");
    for (const LookCheck& check : verdict.looks) {
      JsonOut line;
      line.begin_object();
      line.member("material", check.material);
      line.member("psnr_db", check.psnr_db);
      line.member("samples", check.samples);
      if (check.shift_texels != Vec2d{0, 0}) {
        line.member("shift_texels", check.shift_texels);
      }
      line.end_object();
      out.line(line);
    }
    out.end_array();
  }
  if (!verdict.gpu_pictures.empty()) {
    write_rows(out, "gpu_pictures", verdict.gpu_pictures,
               [](JsonOut& line, const GpuPictureCheck& check) {
                 line.member("file", check.file);
                 line.member("psnr_db", check.psnr_db);
               });
  }
  if (!verdict.reductions.empty()) {
    write_reductions(out, verdict.reductions);
  }
  if (!verdict.mends.empty()) {
    write_mends(out, verdict.mends);
  }
  write_drawn(out, verdict);
  out.member("mismatch_count", verdict.mismatch_count);
  out.begin_array("mismatches");
  for (const Mismatch& mismatch : verdict.mismatches) {
    JsonOut line;
    line.begin_object();
    if (mismatch.draw.node != no_node) {
      line.member("node", mismatch.draw.node);
      line.member("primitive", mismatch.draw.primitive);
      line.member("path", mismatch.path);
    }
    line.member("what", mismatch.what);
    line.end_object();
    out.line(line);
  }
  out.end_array();
  out.end_object();
  return out.take() + "\n";
}

}  // namespace wakuzume
