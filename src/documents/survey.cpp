// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include <algorithm>

#include "documents/document.h"
#include "documents/totals.h"
#include "documents/wishes.h"
#include "json/out.h"
#include "wakuzume/extensions.h"
#include "wakuzume/io.h"

namespace wakuzume {
namespace {

void write_bounds(ReadableJsonOut& out, const Box3d& bounds) {
  out.begin_object("bounds");
  if (!bounds.empty()) {
    out.member_line("min", bounds.min);
    out.member_line("max", bounds.max);
  }
  out.end_object();
}

void write_extensions(ReadableJsonOut& out, const Scene& scene) {
  write_rows(out, "extensions", list_extensions(scene), [](JsonOut& line, const ExtensionUse& use) {
    line.member("name", use.name);
    line.member("required", use.required);
    line.member("fate", to_string(use.fate));
    line.member("in_results", use.in_results);
    line.member_if("without", use.without);
  });
}

void write_staying(ReadableJsonOut& out, const Survey& survey) {
  out.begin_object("staying");
  for (std::size_t rule = 1; rule < survey.stay_counts.size(); ++rule) {
    if (survey.stay_counts[rule] > 0) {
      out.member(to_string(static_cast<StayRule>(rule)), survey.stay_counts[rule]);
    }
  }
  out.end_object();
}

void write_keys(ReadableJsonOut& out, const Scene& scene, const Survey& survey) {
  out.begin_array("merge_keys");
  for (const KeyUse& use : survey.key_uses) {
    const MergeKey& key = survey[use.key];
    JsonOut line;
    line.begin_object();
    line.member("key", use.key);
    line.member("text", to_string(scene, key));
    if (key.material != no_material) {
      line.member("material", key.material);
    }
    line.member("topology", to_string(key.topology));
    line.member_if("lightmap", key.lightmap);
    if (!key.tags.empty()) {
      line.begin_object("tags");
      for (const Tag& tag : key.tags) {
        line.member(tag.key, tag.value);
      }
      line.end_object();
    }
    line.member_if("level", key.level);
    line.member_if("layout", key.layout);
    line.member("levels", key.levels);
    if (key.moving_root != no_node) {
      line.member("moving_root", key.moving_root);
    }
    line.member("draws", use.draws);
    line.member("staying", use.staying);
    line.member("triangles", use.triangles);
    line.end_object();
    out.line(line);
  }
  out.end_array();
}

void write_ladder(ReadableJsonOut& out, const Ladder& ladder) {
  out.begin_array("ladder");
  for (std::size_t r = 0; r < rung_count; ++r) {
    JsonOut line;
    line.begin_object();
    line.member("step", to_string(static_cast<Rung>(r)));
    line.member("draws", ladder.rungs[r].draws);
    line.member("saved", r == 0 ? 0 : ladder.rungs[r - 1].draws - ladder.rungs[r].draws);
    line.member("median_draws_per_view", ladder.rungs[r].median_draws);
    line.end_object();
    out.line(line);
  }
  out.end_array();
}

void write_cost(JsonOut& line, const PassCost& cost) {
  line.member("draws", cost.draws);
  line.member("instances", cost.instances);
  line.member("triangles", cost.triangles);
  line.member("vertices", cost.vertices);
  line.member("pipeline_switches", cost.pipeline_switches);
  line.member("material_switches", cost.material_switches);
  line.member("texture_bytes", cost.texture_bytes);
  line.member("cpu_ms", cost.cpu_ms);
  line.member("gpu_ms", cost.gpu_ms);
}

struct FrameFigure {
  const char* name;
  double (*find)(const FrameCost&);
};
constexpr FrameFigure frame_figures[] = {
    {"draws", [](const FrameCost& f) { return static_cast<double>(f.total.draws); }},
    {"instances", [](const FrameCost& f) { return static_cast<double>(f.total.instances); }},
    {"triangles", [](const FrameCost& f) { return static_cast<double>(f.total.triangles); }},
    {"vertices", [](const FrameCost& f) { return static_cast<double>(f.total.vertices); }},
    {"pipeline_switches",
     [](const FrameCost& f) { return static_cast<double>(f.total.pipeline_switches); }},
    {"material_switches",
     [](const FrameCost& f) { return static_cast<double>(f.total.material_switches); }},
    {"texture_bytes",
     [](const FrameCost& f) { return static_cast<double>(f.total.texture_bytes); }},
    {"milliseconds", [](const FrameCost& f) { return f.total.ms(); }},
};

void write_frames(ReadableJsonOut& out, const Assessment& assessment) {
  const Frames& frames = assessment.frames;
  out.begin_object("frames");
  out.member("profile", frames.profile.name);
  out.begin_array("passes");
  for (const PassSpec& pass : frames.profile.passes) {
    out.value(pass.name);
  }
  out.end_array();
  out.begin_object("summary");
  for (const FrameFigure& figure : frame_figures) {
    const Spread spread = frames.find_spread(figure.find);
    JsonOut line;
    line.begin_object();
    line.member("median", spread.median);
    line.member("p95", spread.p95);
    line.member("worst", spread.worst);
    if (spread.worst_view != no_index) {
      line.member("worst_view", assessment.views[spread.worst_view].name);
    }
    line.end_object();
    out.key(figure.name);
    out.line(line);
  }
  out.end_object();
  out.begin_array("views");
  for (std::size_t v = 0; v < frames.views.size(); ++v) {
    JsonOut line;
    line.begin_object();
    line.member("view", assessment.views[v].name);
    line.begin_array("passes");
    for (const PassCost& cost : frames.views[v].passes) {
      line.begin_object();
      write_cost(line, cost);
      line.end_object();
    }
    line.end_array();
    line.begin_object("total");
    write_cost(line, frames.views[v].total);
    line.end_object();
    line.end_object();
    out.line(line);
  }
  out.end_array();
  out.end_object();
}

void write_apart(ReadableJsonOut& out, const Apart& apart) {
  out.begin_object("apart");
  out.begin_array("groups");
  for (const ApartGroup& group : apart.groups) {
    JsonOut line;
    line.begin_object();
    line.member("differing", to_string(group.part));
    line.member("draws", group.draws);
    line.member("keys", group.keys);
    line.end_object();
    out.line(line);
  }
  out.end_array();
  out.begin_array("nearest");
  for (const NearKey& near : apart.nearest) {
    JsonOut line;
    line.begin_object();
    line.member("key", near.key);
    line.member("near", near.near);
    line.begin_array("differing");
    for (const KeyPart part : near.differing) {
      line.value(to_string(part));
    }
    line.end_array();
    line.end_object();
    out.line(line);
  }
  out.end_array();
  out.begin_array("meshes");
  for (const MixedMesh& mesh : apart.meshes) {
    JsonOut line;
    line.begin_object();
    line.member("mesh", mesh.mesh);
    line.member("materials", mesh.materials);
    line.member("draws", mesh.draws);
    line.end_object();
    out.line(line);
  }
  out.end_array();
  out.end_object();
}

void write_findings(ReadableJsonOut& out, const std::vector<Finding>& findings) {
  out.begin_array("findings");
  for (const Finding& finding : findings) {
    JsonOut line;
    line.begin_object();
    line.member("code", to_string(finding.code));
    line.member("severity", to_string(finding.severity));
    line.member("subject", finding.subject);
    line.member("what", finding.what);
    line.member("remedy", finding.remedy);
    line.member("draw_cost", finding.draw_cost);
    line.member("byte_cost", finding.byte_cost);
    line.member("draws", finding.draws);
    line.end_object();
    out.line(line);
  }
  out.end_array();
}

void write_results(ReadableJsonOut& out, const std::vector<BudgetResult>& results) {
  out.begin_array("budgets");
  for (const BudgetResult& result : results) {
    JsonOut line;
    line.begin_object();
    line.member("figure", result.budget.figure);
    line.member("value", result.value);
    line.member("limit", result.budget.limit);
    line.member("passed", result.passed());
    line.member_if("where", result.where);
    line.end_object();
    out.line(line);
  }
  out.end_array();
}

}  // namespace

std::string to_json(const Scene& scene, const Survey& survey, const Assessment& assessment) {
  ReadableJsonOut out;
  begin_document(out, "wakuzume-survey", 3);
  write_totals(out, "totals", survey.totals);
  write_bounds(out, survey.bounds);
  write_extensions(out, scene);
  write_ladder(out, assessment.ladder);
  write_frames(out, assessment);
  out.member("families", survey.families.size());
  write_staying(out, survey);
  write_wishes(out, survey.wishes);
  write_keys(out, scene, survey);
  write_apart(out, assessment.apart);
  write_findings(out, assessment.findings);
  out.begin_object("figures");
  for (const Figure& figure : assessment.figures) {
    out.member(figure.name, figure.value);
  }
  out.end_object();
  write_results(out, assessment.budgets);
  out.begin_array("tiers");
  for (const TierResult& tier : assessment.tiers) {
    out.begin_object();
    out.member("name", tier.name);
    out.member("passed", tier.passed());
    write_results(out, tier.results);
    out.end_object();
  }
  out.end_array();
  out.end_object();
  return out.take() + "\n";
}

std::string to_json(std::span<const std::string> names, const Sharing& sharing) {
  ReadableJsonOut out;
  begin_document(out, "wakuzume-sharing", 1);
  out.begin_array("scenes");
  for (const std::string& name : names) {
    out.value(name);
  }
  out.end_array();
  out.begin_array("packs");
  for (const SharedPack& pack : sharing.packs) {
    JsonOut line;
    line.begin_object();
    line.member("scenes", pack.scenes);
    line.member("meshes", pack.counts[0]);
    line.member("materials", pack.counts[1]);
    line.member("images", pack.counts[2]);
    line.member("bytes", pack.bytes);
    line.end_object();
    out.line(line);
  }
  out.end_array();
  out.begin_array("parts");
  for (const SharedPart& part : sharing.parts) {
    JsonOut line;
    line.begin_object();
    line.member("kind", to_string(part.kind));
    line.member("name", part.name);
    line.member("bytes", part.bytes);
    line.member("scenes", part.scenes);
    line.end_object();
    out.line(line);
  }
  out.end_array();
  out.end_object();
  return out.take() + "\n";
}

}  // namespace wakuzume
