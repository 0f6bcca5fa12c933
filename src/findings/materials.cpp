// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include <algorithm>

#include "findings/collector.h"
#include "findings/uv_use.h"
#include "survey/draws.h"
#include "survey/textures.h"
#include "wakuzume/apart.h"

namespace wakuzume {
namespace {

/// Texels along the edges of a cut-out, as a share of all.
constexpr double most_between = 0.02;

class MaterialFinder {
 public:
  explicit MaterialFinder(FindingCollector& all) : all_(all), scene_(all.scene) {}

  void find() {
    find_equal();
    find_plain();
    for (std::size_t m = 0; m <= scene_.materials.size(); ++m) {
      find_missing_attributes(m);
      find_uvs(m);
      find_cutouts(m);
    }
  }

 private:
  [[nodiscard]] bool is_used(MaterialId id) const {
    return !all_.shapes_of_material[to_index(id)].empty();
  }

  void find_equal() {
    for (std::vector<MaterialId>& set : find_equal_materials(scene_, all_.images)) {
      std::erase_if(set, [&](MaterialId id) { return !is_used(id); });
      if (set.size() < 2) {
        continue;
      }
      Finding finding;
      finding.code = FindingCode::material_copied;
      finding.severity = Severity::costly;
      finding.subject = all_.name_of(set.front());
      finding.what = fmt::format("{} other {} it by value, {} among them", set.size() - 1,
                                 set.size() == 2 ? "material equals" : "materials equal",
                                 all_.name_of(set[1]));
      finding.remedy = "fold them into one";
      std::vector<ShapeId> shapes;
      for (const MaterialId id : set) {
        const auto& own = all_.shapes_of_material[to_index(id)];
        shapes.insert(shapes.end(), own.begin(), own.end());
      }
      finding.draws = all_.draws_of(shapes);
      finding.draw_cost = set.size() - 1;
      all_.add(std::move(finding));
    }
  }

  /// Materials that are a colour and nothing else, where there is more than one to join.
  void find_plain() {
    std::vector<MaterialId> plain;
    std::vector<ShapeId> shapes;
    for (std::size_t m = 0; m < scene_.materials.size(); ++m) {
      const auto id = make_id<MaterialId>(m);
      if (is_used(id) && list_textures(scene_, scene_[id]).empty()) {
        plain.push_back(id);
        const auto& own = all_.shapes_of_material[m];
        shapes.insert(shapes.end(), own.begin(), own.end());
      }
    }
    if (plain.size() < 2) {
      return;
    }
    Finding finding;
    finding.code = FindingCode::material_without_image;
    finding.severity = Severity::costly;
    finding.subject = count_of(plain.size(), "material", "materials");
    finding.what = fmt::format(
        "have a colour and no image: {} and {}", all_.name_of(plain[0]),
        plain.size() == 2 ? all_.name_of(plain[1]) : fmt::format("{} others", plain.size() - 1));
    finding.remedy = "tint one material, or give each a tile of an atlas";
    finding.draws = all_.draws_of(shapes);
    finding.draw_cost = plain.size() - 1;
    all_.add(std::move(finding));
  }

  static bool has_all_uvs(const Material& material, const Shape& shape) {
    const auto slots = list_slots(material);
    return std::all_of(slots.begin(), slots.end(), [&](const TextureSlot* slot) {
      return slot->texture == no_texture || shape.find_uvs(find_uv_set(*slot)) != nullptr;
    });
  }

  void find_missing_attributes(std::size_t m) {
    const bool is_default = m == scene_.materials.size();
    const Material material = is_default ? Material{} : scene_.materials[m];
    std::vector<ShapeId> no_uvs;
    std::vector<ShapeId> no_normals;
    std::vector<ShapeId> no_tangents;
    for (const ShapeId id : all_.shapes_of_material[m]) {
      const Shape& shape = all_.survey[id];
      const Primitive& primitive = all_.primitive_of(shape);
      if (!has_all_uvs(material, shape)) {
        no_uvs.push_back(id);
      }
      if (shape.topology != Topology::triangles || material.unlit()) {
        continue;
      }
      if (primitive.find("NORMAL") == no_stream) {
        no_normals.push_back(id);
      } else if (material.normal_texture.texture != no_texture &&
                 primitive.find("TANGENT") == no_stream) {
        no_tangents.push_back(id);
      }
    }
    const auto under_it = [](const std::vector<ShapeId>& shapes, const char* lack) {
      return fmt::format("under it {} {}", shapes.size() == 1 ? "has" : "have", lack);
    };
    add(FindingCode::uvs_missing, Severity::serious, m, no_uvs,
        under_it(no_uvs, "no UVs for all of its textures, so that one texel, at 0, 0, covers it"),
        "export the UV set that the material asks for, or take the texture away");
    add(FindingCode::normals_missing, Severity::minor, m, no_normals,
        under_it(no_normals, "no normals, so that it looks faceted"),
        "export normals, unless flat faces are what you want");
    add(FindingCode::tangents_missing, Severity::minor, m, no_tangents,
        under_it(no_tangents,
                 "no tangents for its normal texture, so that each engine makes its own"),
        "export tangents, or merge only with others that have none");
  }

  void find_uvs(std::size_t m) {
    if (m == scene_.materials.size()) {
      return;
    }
    std::vector<ShapeId> shifted;
    std::vector<ShapeId> repeating;
    double most = 1;
    for (const ShapeId id : all_.shapes_of_material[m]) {
      bool off_tile = false;
      double repeats = 0;
      for (const UvUse& use : list_uv_uses(scene_, all_.survey[id])) {
        if (use.repeats && !use.range.inside_tile()) {
          off_tile = off_tile || use.range.shift_fixes();
          repeats = use.range.shift_fixes() ? repeats : std::max(repeats, use.range.count_tiles());
        }
      }
      if (repeats > 0) {
        repeating.push_back(id);
        most = std::max(most, repeats);
      } else if (off_tile) {
        shifted.push_back(id);
      }
    }
    add(FindingCode::uv_off_tile, Severity::minor, m, shifted,
        "with UVs outside the tile that a shift by whole tiles brings inside",
        "shift them: an atlas then takes them without loss");
    add(FindingCode::uv_repeats, Severity::costly, m, repeating,
        most > 1 ? fmt::format("with UVs that repeat its texture, up to {:.3g} times", most)
                 : "with UVs across the edge of the tile",
        "layered textures take it; an atlas only for a few repeats");
  }

  /// What is blended is sorted and drawn one by one; what is cut out is not.
  void find_cutouts(std::size_t m) {
    if (m == scene_.materials.size()) {
      return;
    }
    const Material& material = scene_.materials[m];
    const TextureId texture = material.base_color_texture.texture;
    const ImageId image =
        texture == no_texture ? no_image : scene_.textures[to_index(texture)].image;
    if (material.alpha_mode != AlphaMode::blend || material.base_color[3] < 1 ||
        image == no_image || to_index(image) >= all_.images.size()) {
      return;
    }
    const ImageFacts& facts = all_.images[to_index(image)];
    const std::vector<ShapeId>& shapes = all_.shapes_of_material[m];
    const bool fades = std::any_of(shapes.begin(), shapes.end(), [&](ShapeId id) {
      return has_corner_alpha(scene_, all_.primitive_of(all_.survey[id]));
    });
    if (facts.decoded && !fades && facts.alpha_between <= most_between) {
      add(FindingCode::alpha_has_two_values, Severity::costly, m, shapes,
          fmt::format("are blended, and {:.2g} % of the texels have an alpha between 0 and 1",
                      100 * facts.alpha_between),
          facts.alpha_low > 0
              ? "cut it out instead (--route NAME=cutout): what is masked needs no order"
              : "make it opaque (--route NAME=cutout): nothing shows through it");
    }
  }

  /// A finding about primitives under one material, "7 primitives" and what is said of them;
  /// nothing when there are none.
  void add(FindingCode code,
           Severity severity,
           std::size_t m,
           const std::vector<ShapeId>& shapes,
           const std::string& what,
           const char* remedy) {
    if (shapes.empty()) {
      return;
    }
    Finding finding;
    finding.code = code;
    finding.severity = severity;
    finding.subject = all_.name_of(make_id<MaterialId>(m));
    finding.what = fmt::format("{} {}", count_of(shapes.size(), "primitive", "primitives"), what);
    finding.remedy = remedy;
    finding.draws = all_.draws_of(shapes);
    all_.add(std::move(finding));
  }

  FindingCollector& all_;
  const Scene& scene_;
};

}  // namespace

void find_material_findings(FindingCollector& all) { MaterialFinder(all).find(); }

}  // namespace wakuzume
