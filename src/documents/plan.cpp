// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include "documents/plan.h"

#include <fmt/format.h>

#include <map>

#include "documents/document.h"
#include "documents/lightmaps.h"
#include "documents/read_setting.h"
#include "documents/reduction.h"
#include "documents/routes.h"
#include "documents/wishes.h"
#include "json/out.h"
#include "settings/fields.h"
#include "wakuzume/io.h"

namespace wakuzume {
namespace {

void write_draw(JsonOut& out, const Scene& scene, const DrawRef& ref) {
  out.member("node", ref.node);
  out.member("primitive", ref.primitive);
  out.member("path", make_node_path(scene, ref.node));
}

void write_settings(ReadableJsonOut& out, const Plan& plan) {
  Settings settings;
  settings.split = plan.split;
  settings.survey = plan.survey_settings;
  settings.propose = plan.settings;
  std::string open;
  out.begin_object("settings");
  for_each_setting(
      settings, [&](std::string_view table, const char* key, const auto& member, const Meaning&) {
        if (!is_planned(table)) {
          return;
        }
        if (open != table) {
          if (!open.empty()) {
            out.end_object();
          }
          out.begin_object(table);
          open = table;
        }
        write_setting(out, key, member);
      });
  out.end_object();
  out.end_object();
}

/// Draws are most of a plan's text for a large scene, so each is a short row.
void begin_row(JsonOut& line, const Scene& scene, const DrawRef& ref) {
  line.begin_array();
  line.value(ref.node);
  line.value(ref.primitive);
  line.value(make_node_path(scene, ref.node));
}

void write_set(ReadableJsonOut& out, const Scene& scene, const Group& group) {
  if (!group.tint.empty()) {
    out.member("tint", group.tint);
  }
  out.begin_array("prototype");
  for (const DrawRef& ref : group.prototype) {
    JsonOut line;
    begin_row(line, scene, ref);
    line.end_array();
    out.line(line);
  }
  out.end_array();
  if (group.axes != identity_matrix) {
    out.member_line("axes", group.axes);
  }
  out.member("residual", group.residual);
  if (!group.values.empty()) {
    write_rows(out, "values", group.values, [](JsonOut& line, const ValueRange& range) {
      line.member("name", range.name);
      line.member("min", range.min);
      line.member("max", range.max);
      line.member("without", range.without);
    });
  }
}

/// Instances of one shape have one fit, in whatever group they are: it is written once.
void write_members(ReadableJsonOut& out,
                   const Scene& scene,
                   const Group& group,
                   Numbering<Mat4d>& fits) {
  const std::size_t parts = std::max<std::size_t>(1, group.prototype.size());
  out.begin_array("members");
  for (std::size_t m = 0; m < group.members.size(); ++m) {
    JsonOut line;
    begin_row(line, scene, group.members[m]);
    const bool has_fit = m % parts == 0 && m / parts < group.fits.size();
    if (has_fit && group.fits[m / parts] != identity_matrix) {
      line.value(fits.number(group.fits[m / parts]));
    }
    line.end_array();
    out.line(line);
  }
  out.end_array();
}

void write_group(ReadableJsonOut& out,
                 const Scene& scene,
                 const Group& group,
                 Numbering<Mat4d>& fits) {
  out.begin_object();
  out.member("id", group.id);
  out.member("name", group.name);
  if (!group.object.empty()) {
    out.member("object", group.object);
  }
  out.member("kind", to_string(group.kind));
  if (group.collider != ColliderShape::none) {
    out.member("collider", to_string(group.collider));
  }
  if (group.order != BlendOrder::as_members) {
    out.member("order", to_string(group.order));
  }
  if (group.pinned) {
    out.member("pinned", true);
  }
  if (group.material != no_material) {
    out.member("material", group.material);
  }
  out.member("pivot_at", to_string(group.pivot_at));
  if (group.pivot_node != no_node) {
    out.member("pivot_node", group.pivot_node);
  }
  out.member_line("pivot", group.pivot);
  out.member("reason", group.reason);
  out.member("triangles", group.triangles);
  out.member("vertices", group.vertices);
  out.member("bytes", group.bytes);
  out.member("saved_us", group.saved_us);
  if (group.kind == GroupKind::instance_set) {
    write_set(out, scene, group);
  }
  write_members(out, scene, group, fits);
  out.end_object();
}

void write_spread(ReadableJsonOut& out, const char* name, const Spread& spread) {
  JsonOut line;
  line.begin_object();
  line.member("median", spread.median);
  line.member("p95", spread.p95);
  line.member("worst", spread.worst);
  line.end_object();
  out.key(name);
  out.line(line);
}

void write_outcome(ReadableJsonOut& out, const char* name, const Outcome& outcome) {
  out.begin_object(name);
  out.member("draws", outcome.draws);
  out.member("triangles", outcome.triangles);
  out.member("vertices", outcome.vertices);
  out.member("bytes", outcome.bytes);
  write_spread(out, "view_draws", outcome.view_draws);
  write_spread(out, "view_triangles", outcome.view_triangles);
  write_spread(out, "view_bytes", outcome.view_bytes);
  write_spread(out, "frame_draws", outcome.frame_draws);
  write_spread(out, "frame_ms", outcome.frame_ms);
  out.member("mean_ms", outcome.mean_ms);
  out.member("price_ms", outcome.price_ms);
  out.end_object();
}

void write_families(ReadableJsonOut& out, const Scene& scene, const Plan& plan) {
  out.begin_array("families");
  for (const PlannedFamily& family : plan.families) {
    out.begin_object();
    JsonOut prototype;
    prototype.begin_object();
    write_draw(prototype, scene, family.prototype);
    prototype.end_object();
    out.key("prototype");
    out.line(prototype);
    out.member("draws", family.draws);
    out.begin_array("members");
    for (const PlannedFamily::Member& member : family.members) {
      JsonOut line;
      line.begin_object();
      write_draw(line, scene, member.draw);
      line.member("draws", member.draws);
      line.member("likeness", to_string(member.likeness));
      line.member("residual", member.fit.residual);
      line.member("fit", member.fit.matrix);
      line.end_object();
      out.line(line);
    }
    out.end_array();
    out.end_object();
  }
  out.end_array();
}

void write_taken_back(ReadableJsonOut& out, const Scene& scene, const Plan& plan) {
  write_rows(out, "taken_back", plan.taken_back, [&](JsonOut& line, const TakenBack& taken) {
    write_draw(line, scene, taken.draw);
    line.member("from", to_string(taken.from));
    line.member("why", taken.why);
  });
}

void write_sight(ReadableJsonOut& out, const BlendSight& sight) {
  out.begin_object("sight");
  out.member("sorted_by", to_text(sight.sorting.by));
  out.member("sorted_at", to_text(sight.sorting.at));
  write_rows(out, "eyes", sight.eyes, [&](JsonOut& line, const OrderEye& eye) {
    line.member("at", eye.at);
    line.member("axis", eye.axis);
    if (!eye.perspective) {
      line.member("perspective", false);
    }
  });
  out.end_object();
}

/// A row for the draws of a node. Paths stand with the draws in groups and among what is kept.
void write_marks(ReadableJsonOut& out, const Plan& plan) {
  Numbering<std::uint32_t> geometry;
  Numbering<std::uint32_t> looks;
  out.begin_object("marks");
  out.begin_array("draws");
  {
    PackedLines lines(out);
    for (std::size_t begin = 0; begin < plan.marks.size();) {
      const DrawMark& first = plan.marks[begin];
      JsonOut line;
      line.begin_array();
      line.value(first.draw.node);
      line.value(first.place);
      for (; begin < plan.marks.size() && plan.marks[begin].draw.node == first.draw.node; ++begin) {
        const DrawMark& mark = plan.marks[begin];
        line.value(mark.draw.primitive);
        line.value(geometry.number(mark.geometry));
        line.value(looks.number(mark.look));
      }
      line.end_array();
      lines.add(line);
    }
  }
  out.end_array();
  out.member_line("geometry", geometry.list());
  out.member_line("looks", looks.list());
  out.end_object();
}

}  // namespace

std::string to_json(const Scene& scene, const Plan& plan) {
  ReadableJsonOut out;
  begin_document(out, plan_format, plan_version);
  out.begin_object("scene");
  out.member("path", plan.scene_path);
  out.member("content", to_string(plan.scene_hash));
  out.end_object();
  write_settings(out, plan);
  write_answers(out, "answers", plan.survey_settings.answers);
  write_answers(out, "split_answers", plan.split.answers);
  write_wishes(out, plan.wishes);
  if (plan.reduction.reduces()) {
    write_reduction(out, plan.reduction);
  }
  if (plan.lightmaps.joins()) {
    write_lightmaps(out, plan.lightmaps);
  }
  if (!plan.routes.empty()) {
    write_routes(out, plan.routes);
  }
  out.member("profile", plan.profile);
  out.member("view_count", plan.view_count);
  if (!plan.sight.eyes.empty()) {
    write_sight(out, plan.sight);
  }
  out.begin_object("forecast");
  write_outcome(out, "before", plan.forecast.before);
  write_outcome(out, "after", plan.forecast.after);
  out.member("gpu_growth", plan.forecast.gpu_growth);
  out.end_object();
  out.begin_array("groups");
  Numbering<Mat4d> fits;
  for (const Group& group : plan.groups) {
    write_group(out, scene, group, fits);
  }
  out.end_array();
  if (!fits.list().empty()) {
    out.begin_array("fits");
    for (const Mat4d& fit : fits.list()) {
      JsonOut line;
      line.value(fit);
      out.line(line);
    }
    out.end_array();
  }
  out.begin_array("kept");
  for (const KeptDraw& kept : plan.kept) {
    JsonOut line;
    begin_row(line, scene, kept.draw);
    line.value(to_string(kept.reason));
    if (kept.reason == KeepReason::must_stay) {
      line.value(to_string(kept.rule));
    }
    line.end_array();
    out.line(line);
  }
  out.end_array();
  if (!plan.taken_back.empty()) {
    write_taken_back(out, scene, plan);
  }
  write_families(out, scene, plan);
  write_marks(out, plan);
  out.end_object();
  return out.take() + "\n";
}

std::string to_json(std::span<const Alternative> alternatives) {
  ReadableJsonOut out;
  begin_document(out, "wakuzume-alternatives", 1);
  out.begin_array("alternatives");
  for (const Alternative& one : alternatives) {
    out.begin_object();
    out.member("name", one.name);
    out.member("repeats", to_text(one.settings.repeats));
    out.member("cell_size_m", one.settings.cell_size_m);
    write_outcome(out, "outcome", one.outcome);
    out.end_object();
  }
  out.end_array();
  out.end_object();
  return out.take() + "\n";
}

}  // namespace wakuzume
