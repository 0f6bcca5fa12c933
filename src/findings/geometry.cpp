// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include <algorithm>
#include <map>
#include <set>

#include "findings/collector.h"
#include "scene/elements.h"
#include "scene/semantics.h"
#include "survey/draws.h"

namespace wakuzume {
namespace {

class GeometryFinder {
 public:
  explicit GeometryFinder(FindingCollector& all) : all_(all), survey_(all.survey) {}

  void find() {
    for (std::size_t s = 0; s < survey_.shapes.size(); ++s) {
      find_in_shape(make_id<ShapeId>(s));
    }
    find_in_meshes();
    find_copies();
    find_unused_vertices();
  }

 private:
  /// A finding about one shape and all its draws.
  [[nodiscard]] Finding about(FindingCode code, Severity severity, ShapeId id) const {
    Finding finding;
    finding.code = code;
    finding.severity = severity;
    finding.subject = all_.name_of(survey_[id]);
    finding.draws = all_.draws_of_shape[to_index(id)];
    return finding;
  }

  void find_in_shape(ShapeId id) {
    const Shape& shape = survey_[id];
    const ShapeScan& scan = all_.scans[to_index(id)];
    if (!shape.attributes_finite) {
      Finding finding = about(FindingCode::not_finite, Severity::serious, id);
      finding.what =
          shape.finite ? "a vertex attribute is NaN or infinite" : "positions are NaN or infinite";
      finding.remedy = "export it again; until then it stays as it is";
      finding.draw_cost = finding.draws.size();
      all_.add(std::move(finding));
    }
    find_unknown_semantics(id);
    if (scan.degenerate_triangles > 0) {
      Finding finding = about(FindingCode::triangles_degenerate, Severity::minor, id);
      finding.what = fmt::format("{} of {} have no area", scan.degenerate_triangles,
                                 count_of(shape.triangles, "triangle", "triangles"));
      finding.remedy = "clean the mesh up where it was made";
      finding.byte_cost = scan.degenerate_triangles * 3 * index_bytes(shape);
      all_.add(std::move(finding));
    }
    if (scan.repeated_triangles > 0) {
      Finding finding = about(FindingCode::triangles_repeated, Severity::minor, id);
      finding.what = fmt::format("{} of {} are there already", scan.repeated_triangles,
                                 count_of(shape.triangles, "triangle", "triangles"));
      finding.remedy = "take out the copies; two-sided surfaces need only a two-sided material";
      finding.byte_cost = scan.repeated_triangles * 3 * index_bytes(shape);
      all_.add(std::move(finding));
    }
    if (shape.vertices > all_.settings.max_vertices) {
      Finding finding = about(FindingCode::vertex_limit, Severity::minor, id);
      finding.what =
          fmt::format("{} vertices, the limit is {}", shape.vertices, all_.settings.max_vertices);
      finding.remedy = "split it, or accept 32-bit indices";
      all_.add(std::move(finding));
    }
  }

  void find_unknown_semantics(ShapeId id) {
    std::string names;
    for (const Attribute& attribute : all_.primitive_of(survey_[id]).attributes) {
      if (!is_known_semantic(attribute.semantic)) {
        names += (names.empty() ? "\"" : ", \"") + attribute.semantic + "\"";
      }
    }
    if (names.empty()) {
      return;
    }
    Finding finding = about(FindingCode::semantic_unknown, Severity::minor, id);
    finding.what = fmt::format("has vertex attributes that the standard does not know: {}", names);
    finding.remedy = "sets are numbered, as in TEXCOORD_0; an application's own begin with _";
    all_.add(std::move(finding));
  }

  [[nodiscard]] std::uint64_t index_bytes(const Shape& shape) const {
    const StreamId indices = all_.primitive_of(shape).indices;
    return indices == no_stream ? 0 : component_bytes(all_.scene[indices].component);
  }

  void find_in_meshes() {
    std::map<MeshId, std::vector<ShapeId>> of_mesh;
    for (std::size_t s = 0; s < survey_.shapes.size(); ++s) {
      of_mesh[survey_.shapes[s].mesh].push_back(make_id<ShapeId>(s));
    }
    for (const auto& [mesh, shapes] : of_mesh) {
      if (shapes.size() < 2) {
        continue;
      }
      find_material_twice(mesh, shapes);
      if (const std::uint64_t shared = count_shared_triangles(all_.scene, all_.scene[mesh]);
          shared > 0) {
        Finding finding;
        finding.code = FindingCode::triangles_shared;
        finding.severity = Severity::costly;
        finding.subject = all_.name_of(mesh);
        finding.what = fmt::format("{} in more than one of its primitives",
                                   count_of(shared, "triangle is", "triangles are"));
        finding.remedy = "draw them once, with one material that holds both layers";
        finding.draws = all_.draws_of(shapes);
        finding.draw_cost = finding.draws.size() / shapes.size();
        all_.add(std::move(finding));
      }
    }
  }

  void find_material_twice(MeshId mesh, const std::vector<ShapeId>& shapes) {
    std::map<std::pair<MaterialId, PipelineId>, std::vector<ShapeId>> of_material;
    for (const ShapeId id : shapes) {
      of_material[{survey_[id].material, survey_[id].pipeline}].push_back(id);
    }
    for (const auto& [material, same] : of_material) {
      if (same.size() < 2) {
        continue;
      }
      Finding finding;
      finding.code = FindingCode::material_used_twice;
      finding.severity = Severity::costly;
      finding.subject = all_.name_of(mesh);
      finding.what =
          fmt::format("{} of its primitives have {}", same.size(), all_.name_of(material.first));
      finding.remedy = "join them: merging does it";
      finding.draws = all_.draws_of(same);
      finding.draw_cost = finding.draws.size() - finding.draws.size() / same.size();
      all_.add(std::move(finding));
    }
  }

  /// Families whose members are stored more than once.
  void find_copies() {
    std::vector<std::vector<ShapeId>> of_family(survey_.families.size());
    for (std::size_t s = 0; s < survey_.shapes.size(); ++s) {
      of_family[to_index(survey_.shapes[s].family)].push_back(make_id<ShapeId>(s));
    }
    for (const std::vector<ShapeId>& shapes : of_family) {
      std::set<StreamId> stored;
      std::uint64_t bytes = 0;
      for (const ShapeId id : shapes) {
        if (stored.insert(all_.primitive_of(survey_[id]).find("POSITION")).second) {
          bytes += survey_[id].bytes;
        }
      }
      if (stored.size() < 2) {
        continue;
      }
      Finding finding;
      finding.code = FindingCode::geometry_copied;
      finding.severity = Severity::costly;
      finding.subject = all_.name_of(survey_[shapes.front()]);
      finding.what = fmt::format("the same vertices are stored {} times", stored.size());
      finding.remedy = "let all of them show one mesh; then they can be instances";
      finding.draws = all_.draws_of(shapes);
      finding.draw_cost = finding.draws.size() - 1;
      finding.byte_cost = bytes - survey_[shapes.front()].bytes;
      all_.add(std::move(finding));
    }
  }

  /// By position stream: primitives may share one, and together use it up.
  void find_unused_vertices() {
    std::map<StreamId, std::vector<bool>> used;
    std::map<StreamId, std::vector<ShapeId>> shapes;
    for (std::size_t s = 0; s < survey_.shapes.size(); ++s) {
      const Primitive& primitive = all_.primitive_of(survey_.shapes[s]);
      const StreamId stream = primitive.find("POSITION");
      std::vector<bool>& marks = used[stream];
      marks.resize(survey_.shapes[s].vertices, primitive.indices == no_stream);
      shapes[stream].push_back(make_id<ShapeId>(s));
      for (const std::uint32_t index : make_indices(all_.scene, primitive)) {
        marks[index] = true;
      }
    }
    for (const auto& [stream, marks] : used) {
      const auto unused = static_cast<std::uint64_t>(std::count(marks.begin(), marks.end(), false));
      if (unused == 0) {
        continue;
      }
      const ShapeId first = shapes[stream].front();
      Finding finding = about(FindingCode::vertices_unused, Severity::minor, first);
      finding.what = fmt::format("{} of {} are in no triangle", unused,
                                 count_of(marks.size(), "vertex", "vertices"));
      finding.remedy = "merging takes only what is used; else export it again";
      finding.draws = all_.draws_of(shapes[stream]);
      finding.byte_cost = unused * vertex_bytes(survey_[first]);
      all_.add(std::move(finding));
    }
  }

  [[nodiscard]] std::uint64_t vertex_bytes(const Shape& shape) const {
    std::uint64_t bytes = 0;
    for (const Attribute& attribute : all_.primitive_of(shape).attributes) {
      const Stream& stream = all_.scene[attribute.stream];
      bytes += element_bytes(stream.component, stream.element);
    }
    return bytes;
  }

  FindingCollector& all_;
  const Survey& survey_;
};

}  // namespace

void find_geometry_findings(FindingCollector& all) { GeometryFinder(all).find(); }

}  // namespace wakuzume
