// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include "wakuzume/findings.h"

#include <fmt/format.h>

#include <algorithm>

#include "findings/collector.h"
#include "scene/running.h"

namespace wakuzume {
namespace {

Failure bad_setting(const char* name, const char* range) {
  return Failure(
      Error{ErrorCode::bad_setting, fmt::format("findings.{} must be {}", name, range), {}});
}

/// Parts are counted only where it would matter: shapes that some draw shows large.
std::vector<CountParts> choose_parts(const Survey& survey, const FindingSettings& settings) {
  std::vector<CountParts> parts(survey.shapes.size(), CountParts::no);
  const double large = settings.large_share * survey.bounds.largest_extent();
  for (const Draw& draw : survey.draws) {
    if (draw.box.largest_extent() >= large && draw.triangles >= settings.large_triangles) {
      parts[to_index(draw.shape)] = CountParts::yes;
    }
  }
  return parts;
}

void sort_findings(std::vector<Finding>& findings) {
  std::stable_sort(findings.begin(), findings.end(), [](const Finding& a, const Finding& b) {
    if (a.severity != b.severity) {
      return a.severity < b.severity;
    }
    if (a.code != b.code) {
      return a.code < b.code;
    }
    return a.draw_cost != b.draw_cost ? a.draw_cost > b.draw_cost : a.byte_cost > b.byte_cost;
  });
}

}  // namespace

std::string count_of(std::uint64_t count, const char* one, const char* many) {
  return fmt::format("{} {}", count, count == 1 ? one : many);
}

FindingCollector::FindingCollector(const Scene& scene_in,
                                   const Survey& survey_in,
                                   std::span<const ImageFacts> images_in,
                                   const FindingSettings& settings_in,
                                   const RunControl& run_in)
    : scene(scene_in),
      survey(survey_in),
      images(images_in),
      settings(settings_in),
      run{run_in.threads, nullptr},
      world(make_world_matrices(scene_in)),
      draws_of_shape(survey_in.shapes.size()),
      shapes_of_material(scene_in.materials.size() + 1) {
  for (std::size_t d = 0; d < survey.draws.size(); ++d) {
    draws_of_shape[to_index(survey.draws[d].shape)].push_back(make_id<DrawId>(d));
  }
  for (std::size_t s = 0; s < survey.shapes.size(); ++s) {
    const std::size_t material =
        std::min(to_index(survey.shapes[s].material), scene.materials.size());
    shapes_of_material[material].push_back(make_id<ShapeId>(s));
  }
}

void FindingCollector::add_for_draws(FindingCode code,
                                     Severity severity,
                                     std::vector<DrawId> draws,
                                     std::uint64_t draw_cost,
                                     const std::string& what,
                                     const std::string& remedy) {
  if (draws.empty()) {
    return;
  }
  Finding finding;
  finding.code = code;
  finding.severity = severity;
  finding.subject = make_node_path(scene, survey[draws.front()].node);
  if (draws.size() > 1) {
    finding.subject += fmt::format(" and {}", count_of(draws.size() - 1, "other", "others"));
  }
  finding.what = what;
  finding.remedy = remedy;
  finding.draws = std::move(draws);
  finding.draw_cost = draw_cost;
  add(std::move(finding));
}

std::string FindingCollector::name_of(MaterialId id) const {
  if (to_index(id) >= scene.materials.size()) {
    return "the default material";
  }
  const std::string& name = scene[id].name;
  return name.empty() ? fmt::format("material {}", to_index(id)) : "material " + name;
}

std::string FindingCollector::name_of(MeshId id) const {
  const std::string& name = scene[id].name;
  return name.empty() ? fmt::format("mesh {}", to_index(id)) : "mesh " + name;
}

std::string FindingCollector::name_of(ImageId id) const {
  const Image& image = scene.images[to_index(id)];
  const std::string& name = image.name.empty() ? image.uri : image.name;
  return name.empty() ? fmt::format("image {}", to_index(id)) : "image " + name;
}

std::string FindingCollector::name_of(const Shape& shape) const {
  return scene[shape.mesh].primitives.size() == 1
             ? name_of(shape.mesh)
             : fmt::format("{} primitive {}", name_of(shape.mesh), shape.primitive);
}

std::vector<DrawId> FindingCollector::draws_of(const std::vector<ShapeId>& shapes) const {
  std::vector<DrawId> draws;
  for (const ShapeId shape : shapes) {
    const auto& own = draws_of_shape[to_index(shape)];
    draws.insert(draws.end(), own.begin(), own.end());
  }
  if (draws.size() < survey.draws.size() / 16) {
    std::sort(draws.begin(), draws.end());
    return draws;
  }
  // So many are quicker in order by a walk over all.
  std::vector<bool> taken(survey.draws.size(), false);
  for (const DrawId draw : draws) {
    taken[to_index(draw)] = true;
  }
  draws.clear();
  for (std::size_t d = 0; d < taken.size(); ++d) {
    if (taken[d]) {
      draws.push_back(make_id<DrawId>(d));
    }
  }
  return draws;
}

const Primitive& FindingCollector::primitive_of(const Shape& shape) const {
  return wakuzume::primitive_of(scene, shape);
}

std::string_view to_string(FindingCode code) {
  constexpr std::string_view names[finding_code_count] = {
      "not_finite",           "file_missing",         "part_skipped",
      "image_unreadable",     "placed_twice",         "triangles_shared",
      "triangles_repeated",   "triangles_degenerate", "vertices_unused",
      "material_used_twice",  "material_copied",      "material_without_image",
      "alpha_has_two_values", "geometry_copied",      "image_copied",
      "uv_off_tile",          "uv_repeats",           "image_repeats_always",
      "image_too_fine",       "image_one_color",      "image_size_uneven",
      "lightmap_wrong",       "lightmap_outside",     "lightmap_overlap",
      "lightmap_pages_small", "semantic_unknown",     "uvs_missing",
      "normals_missing",      "tangents_missing",     "transform_mirrored",
      "transform_sheared",    "transform_flattened",  "too_large_to_cull",
      "merged_too_coarsely",  "far_from_origin",      "vertex_limit",
      "helper_drawn",         "node_empty",           "track_constant",
      "resource_unused"};
  return names[static_cast<std::size_t>(code)];
}

std::string_view to_string(Severity severity) {
  constexpr std::string_view names[] = {"serious", "costly", "minor"};
  return names[static_cast<std::size_t>(severity)];
}

Result<void> validate(const FindingSettings& settings) {
  if (!(settings.texels_per_metre > 0 && settings.texels_per_metre <= 1e6)) {
    return bad_setting("texels_per_metre", "above 0 and at most 1e6");
  }
  if (!(settings.too_fine_factor >= 1 && settings.too_fine_factor <= 1e6)) {
    return bad_setting("too_fine_factor", "from 1 to 1e6");
  }
  if (!(settings.repeats >= 1 && settings.repeats <= 1e9)) {
    return bad_setting("repeats", "from 1 to 1e9");
  }
  if (!(settings.large_share > 0 && settings.large_share <= 1)) {
    return bad_setting("large_share", "above 0 and at most 1");
  }
  if (settings.separate_parts < 2) {
    return bad_setting("separate_parts", "at least 2");
  }
  if (!(settings.far_m > 0 && settings.far_m <= 1e12)) {
    return bad_setting("far_m", "above 0 and at most 1e12");
  }
  if (settings.max_vertices < 3 || settings.max_vertices == no_index) {
    return bad_setting("max_vertices", "from 3 to 4294967294");
  }
  return {};
}

Result<std::vector<Finding>> find_findings(const Scene& scene,
                                           const Survey& survey,
                                           std::span<const ImageFacts> images,
                                           const FindingSettings& settings,
                                           const RunControl& run) {
  if (auto valid = validate(settings); !valid) {
    return Failure(valid.error());
  }
  FindingCollector all(scene, survey, images, settings, run);
  all.scans.resize(survey.shapes.size());
  const std::vector<CountParts> parts = choose_parts(survey, settings);
  if (!for_each_index(survey.shapes.size(), run, "looking closely", [&](std::size_t i) {
        all.scans[i] = scan_shape(scene, survey.shapes[i], parts[i]);
      })) {
    return Failure(make_cancelled());
  }
  find_geometry_findings(all);
  find_material_findings(all);
  find_image_findings(all);
  find_lightmap_findings(all);
  find_node_findings(all);
  find_unused(all);
  sort_findings(all.found);
  return std::move(all.found);
}

}  // namespace wakuzume
