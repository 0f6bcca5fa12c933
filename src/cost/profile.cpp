// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include <fmt/format.h>

#include <algorithm>

#include "scene/matrix.h"
#include "wakuzume/cost.h"

namespace wakuzume {
namespace {

Failure bad_profile(const CostProfile& profile, const std::string& what) {
  return Failure(Error{
      ErrorCode::bad_setting, fmt::format("cost profile \"{}\": {}", profile.name, what), {}});
}

}  // namespace

std::string_view to_string(PassKind kind) {
  constexpr std::string_view names[] = {"main", "depth", "sun_shadow", "light_shadows"};
  return names[static_cast<std::size_t>(kind)];
}

Result<void> validate(const CostProfile& profile) {
  const std::pair<const char*, double> prices[] = {
      {"draw_us", profile.draw_us},
      {"instance_us", profile.instance_us},
      {"pipeline_switch_us", profile.pipeline_switch_us},
      {"material_switch_us", profile.material_switch_us},
      {"triangle_ns", profile.triangle_ns},
      {"vertex_ns", profile.vertex_ns},
      {"skinned_vertex_ns", profile.skinned_vertex_ns},
      {"texture_megabyte_us", profile.texture_megabyte_us},
      {"texture_bytes_per_texel", profile.texture_bytes_per_texel},
      {"geometry_megabyte_us", profile.geometry_megabyte_us},
      {"light_reach_m", profile.light_reach_m},
      {"few_gpu_ms", profile.few_gpu_ms}};
  for (const auto& [name, value] : prices) {
    if (!(value >= 0 && value <= 1e9)) {
      return bad_profile(profile, fmt::format("{} must be from 0 to 1e9", name));
    }
  }
  if (!(profile.faster_share >= 0 && profile.faster_share <= 1)) {
    return bad_profile(profile, "faster_share must be from 0 to 1");
  }
  if (profile.gpu_growth != 0 && !(profile.gpu_growth >= 1 && profile.gpu_growth <= 1e6)) {
    return bad_profile(profile, "gpu_growth must be 0, or from 1 to 1e6");
  }
  const Eigen::Vector3d sun = as_eigen(profile.sun_direction);
  if (!(sun.norm() > 0) || !sun.allFinite()) {
    return bad_profile(profile, "sun_direction must have a length");
  }
  if (profile.passes.empty()) {
    return bad_profile(profile, "needs at least one [[pass]]");
  }
  for (const PassSpec& pass : profile.passes) {
    const bool slice = pass.from_m >= 0 && pass.to_m > pass.from_m && pass.to_m <= 1e9;
    if (pass.kind == PassKind::sun_shadow && !(slice && pass.casters_m >= 0)) {
      return bad_profile(profile, fmt::format("pass \"{}\" needs 0 <= from_m < to_m <= 1e9 and "
                                              "casters_m >= 0",
                                              pass.name));
    }
  }
  return {};
}

Spread make_spread(const std::vector<double>& values) {
  Spread spread;
  if (values.empty()) {
    return spread;
  }
  std::vector<double> sorted = values;
  std::sort(sorted.begin(), sorted.end());
  const std::size_t n = sorted.size();
  spread.median = sorted[(n - 1) / 2];
  // Nearest rank: the smallest value that 95 % of the values do not exceed.
  spread.p95 = sorted[(95 * n + 99) / 100 - 1];
  spread.worst = sorted.back();
  spread.worst_view = static_cast<std::uint32_t>(
      std::find(values.begin(), values.end(), spread.worst) - values.begin());
  return spread;
}

Spread Frames::find_spread(double (*figure)(const FrameCost&)) const {
  std::vector<double> values(views.size());
  std::transform(views.begin(), views.end(), values.begin(), figure);
  return make_spread(values);
}

}  // namespace wakuzume
