// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include "io/json_out.h"
#include "io/totals_json.h"
#include "wakuzume/io.h"

namespace wakuzume {

std::string to_json(const Scene& scene, const Survey& survey) {
  ReadableJsonOut out;
  out.begin_object();
  out.member("format", "wakuzume-survey");
  out.member("version", 1U);
  write_totals(out, "totals", survey.totals);
  out.begin_object("bounds");
  if (!survey.bounds.empty()) {
    out.member_line("min", survey.bounds.min);
    out.member_line("max", survey.bounds.max);
  }
  out.end_object();
  out.begin_object("staying");
  for (std::size_t rule = 1; rule < survey.stay_counts.size(); ++rule) {
    if (survey.stay_counts[rule] > 0) {
      out.member(to_string(static_cast<StayRule>(rule)), survey.stay_counts[rule]);
    }
  }
  out.end_object();
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
    line.member_if("tag", key.tag);
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
  out.end_object();
  return out.take() + "\n";
}

}  // namespace wakuzume
