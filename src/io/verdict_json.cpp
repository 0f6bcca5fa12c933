// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include "io/json_out.h"
#include "io/totals_json.h"
#include "wakuzume/io.h"

namespace wakuzume {

std::string to_json(const Verdict& verdict) {
  ReadableJsonOut out;
  out.begin_object();
  out.member("format", "wakuzume-verdict");
  out.member("version", 1U);
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
  out.member("fitted_draws", verdict.fitted_draws);
  if (!verdict.looks.empty()) {
    out.begin_array("looks");
    for (const LookCheck& check : verdict.looks) {
      JsonOut line;
      line.begin_object();
      line.member("material", check.material);
      line.member("psnr_db", check.psnr_db);
      line.member("samples", check.samples);
      line.end_object();
      out.line(line);
    }
    out.end_array();
  }
  out.member("mismatch_count", verdict.mismatch_count);
  out.begin_array("mismatches");
  for (const Mismatch& mismatch : verdict.mismatches) {
    JsonOut line;
    line.begin_object();
    if (mismatch.draw.node != no_node) {
      line.member("node", mismatch.draw.node);
      line.member("primitive", mismatch.draw.primitive);
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
