// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#pragma once

#include <fmt/format.h>

#include <span>
#include <string>
#include <vector>

#include "findings/scan.h"
#include "wakuzume/findings.h"

/// What the parts of find_findings share.
namespace wakuzume {

/// "1 mesh" or "7 meshes".
std::string count_of(std::uint64_t count, const char* one, const char* many);

class FindingCollector {
 public:
  FindingCollector(const Scene& scene_in,
                   const Survey& survey_in,
                   std::span<const ImageFacts> images_in,
                   const FindingSettings& settings_in,
                   const RunControl& run_in);

  void add(Finding finding) { found.push_back(std::move(finding)); }
  /// One finding for many draws, named after the first; nothing when there are none.
  void add_for_draws(FindingCode code,
                     Severity severity,
                     std::vector<DrawId> draws,
                     std::uint64_t draw_cost,
                     const std::string& what,
                     const std::string& remedy);

  [[nodiscard]] std::string name_of(MaterialId material) const;
  [[nodiscard]] std::string name_of(MeshId mesh) const;
  [[nodiscard]] std::string name_of(ImageId image) const;
  [[nodiscard]] std::string name_of(const Shape& shape) const;
  /// The draws of these shapes, ascending.
  [[nodiscard]] std::vector<DrawId> draws_of(const std::vector<ShapeId>& shapes) const;
  [[nodiscard]] const Primitive& primitive_of(const Shape& shape) const;

  const Scene& scene;
  const Survey& survey;
  std::span<const ImageFacts> images;
  const FindingSettings& settings;
  RunControl run;                ///< without the observer: parts are too short to tell of
  std::vector<Mat4d> world;      ///< by node
  std::vector<ShapeScan> scans;  ///< by shape
  std::vector<std::vector<DrawId>> draws_of_shape;       ///< by shape
  std::vector<std::vector<ShapeId>> shapes_of_material;  ///< by material; the default one is last
  std::vector<Finding> found;
};

void find_geometry_findings(FindingCollector& all);
void find_material_findings(FindingCollector& all);
void find_image_findings(FindingCollector& all);
void find_lightmap_findings(FindingCollector& all);
void find_node_findings(FindingCollector& all);
void find_unused(FindingCollector& all);

}  // namespace wakuzume
