// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include "order/draw_triangles.h"

#include <algorithm>
#include <array>
#include <string_view>
#include <utility>

#include "scene/elements.h"
#include "scene/matrix.h"
#include "survey/draws.h"

namespace wakuzume {
namespace {

constexpr double float_precision = 1.2e-7;
/// Of more triangles it is not asked whether they never hide each other.
constexpr std::uint64_t most_asked = 2'000;

/// Unlit, without a texture or colours: what is seen is its factor.
bool is_plain_color(const Scene& scene, const Primitive& primitive) {
  if (primitive.material == no_material || primitive.find("COLOR_0") != no_stream) {
    return false;
  }
  const Material& material = scene[primitive.material];
  return material.unlit() && material.base_color_texture.texture == no_texture;
}

/// Whether a two-sided material shows the same as two of one side each, of which the second is
/// turned round.
bool has_plain_sides(const Material& material) {
  // Of these the standard's lighting knows nothing but the normal.
  constexpr std::array<std::string_view, 7> plain{
      "KHR_materials_unlit",      "KHR_materials_emissive_strength", "KHR_materials_ior",
      "KHR_materials_specular",   "KHR_materials_clearcoat",         "KHR_materials_sheen",
      "KHR_materials_iridescence"};
  return !material.extra ||
         std::all_of(material.extra->extensions.begin(), material.extra->extensions.end(),
                     [&](const RawMember& extension) {
                       return std::find(plain.begin(), plain.end(), extension.name) != plain.end();
                     });
}

/// By draw of a list: the place of the first that an engine sorts at the same point, by whichever
/// point it sorts.
std::vector<std::uint32_t> find_anchors(const Survey& survey,
                                        std::span<const Mat4d> world,
                                        std::span<const DrawId> draws,
                                        double precision_m) {
  using Point = std::array<double, 6>;  // the middle of its box, and its node's origin
  std::vector<std::pair<Point, std::uint32_t>> points;
  for (std::uint32_t d = 0; d < draws.size(); ++d) {
    const Draw& draw = survey[draws[d]];
    const Vec3d centre = draw.box.empty() ? Vec3d{0, 0, 0} : draw.box.centre();
    const Mat4d& matrix = world[to_index(draw.node)];
    points.push_back({{centre[0], centre[1], centre[2], matrix[12], matrix[13], matrix[14]}, d});
  }
  std::sort(points.begin(), points.end());
  std::vector<std::uint32_t> out(draws.size());
  for (std::size_t i = 0; i < points.size(); ++i) {
    out[points[i].second] = points[i].second;
    // Of those before it that may be as near, along the first axis.
    for (std::size_t j = i; j-- > 0 && points[i].first[0] - points[j].first[0] <= precision_m;) {
      const bool same =
          std::equal(points[i].first.begin(), points[i].first.end(), points[j].first.begin(),
                     [&](double a, double b) { return std::abs(a - b) <= precision_m; });
      if (same) {
        out[points[i].second] = out[points[j].second];
        break;
      }
    }
  }
  return out;
}

Vec3d find_sorting_point(const Draw& draw, std::span<const Mat4d> world, SortAt at) {
  if (at == SortAt::origin) {
    const Mat4d& matrix = world[to_index(draw.node)];
    return {matrix[12], matrix[13], matrix[14]};
  }
  return draw.box.empty() ? Vec3d{0, 0, 0} : draw.box.centre();
}

}  // namespace

bool may_be_ordered(const Scene& scene, const Survey& survey, const Draw& draw) {
  if (!draw.blended || draw.deformed || survey[draw.shape].topology != Topology::triangles) {
    return false;
  }
  const Material& material = scene[draw.material];
  return !material.double_sided || has_plain_sides(material);
}

bool is_one_color(const Scene& scene, std::span<const DrawRef> draws) {
  const auto color_of = [&](const DrawRef& draw) {
    return scene[primitive_of(scene, draw).material].base_color;
  };
  return std::all_of(draws.begin(), draws.end(), [&](const DrawRef& draw) {
    return is_plain_color(scene, primitive_of(scene, draw)) &&
           color_of(draw) == color_of(draws.front());
  });
}

void add_facing(const Scene& scene,
                const DrawRef& draw,
                const Mat4d& world,
                std::uint32_t owner,
                std::uint32_t anchor,
                std::vector<FacingTriangle>& out) {
  const Primitive& primitive = primitive_of(scene, draw);
  const StreamId positions = primitive.find("POSITION");
  if (positions == no_stream) {
    return;
  }
  const ElementReader reader(scene, positions);
  const std::vector<std::uint32_t> corners = make_list_indices(scene, primitive);
  const bool mirrored = linear_determinant(world) < 0;
  const std::size_t begin = out.size();
  for (std::size_t t = 0; 3 * t + 2 < corners.size(); ++t) {
    FacingTriangle& triangle = out.emplace_back();
    triangle.owner = owner;
    triangle.anchor = anchor;
    triangle.rank = static_cast<std::uint32_t>(t);
    for (std::size_t c = 0; c < 3; ++c) {
      Eigen::Vector3d local;
      reader.load(corners[3 * t + c], local.data());
      Eigen::Map<Eigen::Vector3d>(triangle.corners[c].data()) =
          (as_eigen(world) * local.homogeneous()).head<3>();
    }
    if (mirrored) {
      std::swap(triangle.corners[1], triangle.corners[2]);
    }
  }
  if (primitive.material != no_material && scene[primitive.material].double_sided) {
    const std::size_t end = out.size();
    for (std::size_t t = begin; t < end; ++t) {
      FacingTriangle back = out[t];
      std::swap(back.corners[1], back.corners[2]);
      out.push_back(back);
    }
  }
}

Box3d find_tight_box(const Scene& scene, const Draw& draw, std::span<const Mat4d> world) {
  std::vector<FacingTriangle> triangles;
  add_facing(scene, {draw.node, draw.primitive}, world[to_index(draw.node)], 0, 0, triangles);
  Box3d box;
  for (const FacingTriangle& triangle : triangles) {
    for (const Vec3d& corner : triangle.corners) {
      box.include(corner);
    }
  }
  return box;
}

double find_order_precision(const Survey& survey) {
  Box3d box;
  for (const Draw& draw : survey.draws) {
    if (draw.blended) {
      box.include(draw.box);
    }
  }
  return std::max(1e-9, float_precision * box.largest_extent());
}

std::vector<Vec3d> find_sorting_points(const Survey& survey,
                                       std::span<const Mat4d> world,
                                       SortAt at) {
  std::vector<Vec3d> out;
  out.reserve(survey.draws.size());
  for (const Draw& draw : survey.draws) {
    out.push_back(find_sorting_point(draw, world, at));
  }
  return out;
}

BlendOrders::BlendOrders(const Scene& scene,
                         const Survey& survey,
                         std::span<const Mat4d> world,
                         const BlendSight& sight)
    : scene_(scene),
      survey_(survey),
      world_(world),
      sight_(sight),
      precision_m_(find_order_precision(survey)) {}

std::vector<FacingTriangle> BlendOrders::make_facing(std::span<const DrawId> draws,
                                                     std::size_t parts) const {
  const std::vector<std::uint32_t> anchors = find_anchors(survey_, world_, draws, precision_m_);
  std::vector<FacingTriangle> out;
  for (std::size_t d = 0; d < draws.size(); ++d) {
    const Draw& draw = survey_[draws[d]];
    add_facing(scene_, {draw.node, draw.primitive}, world_[to_index(draw.node)],
               static_cast<std::uint32_t>(d / parts), parts == 1 ? anchors[d] : no_index, out);
  }
  return out;
}

bool BlendOrders::are_free(std::span<const DrawId> a, std::span<const DrawId> b) const {
  std::vector<DrawRef> refs;
  std::uint64_t count = 0;
  for (const auto& list : {a, b}) {
    for (const DrawId id : list) {
      refs.push_back({survey_[id].node, survey_[id].primitive});
      count += survey_[id].triangles;
    }
  }
  if (count > most_asked) {
    return false;
  }
  const auto is_right = [&](std::span<const DrawId> first, std::span<const DrawId> second) {
    std::vector<FacingTriangle> triangles;
    for (const auto& [list, owner] : {std::pair(first, 0U), std::pair(second, 1U)}) {
      for (const DrawId id : list) {
        const Draw& draw = survey_[id];
        add_facing(scene_, {draw.node, draw.primitive}, world_[to_index(draw.node)], owner,
                   no_index, triangles);
      }
    }
    return find_misplaced(triangles, {OrderUnit::owner, precision_m_}) == no_index;
  };
  return is_one_color(scene_, refs) || (is_right(a, b) && is_right(b, a));
}

std::vector<Vec3d> BlendOrders::list_points(std::span<const DrawId> draws) const {
  std::vector<Vec3d> out;
  for (const DrawId id : draws) {
    out.push_back(find_sorting_point(survey_[id], world_, sight_.sorting.at));
  }
  return out;
}

/// What moves is not where it is at rest, so that no eye decides it.
OrderSettings BlendOrders::make_settings(std::span<const DrawId> draws,
                                         std::span<const Vec3d> points) const {
  const bool moves = std::any_of(draws.begin(), draws.end(), [&](DrawId id) {
    return survey_[survey_[id].key].moving_root != no_node;
  });
  const std::span<const OrderEye> eyes = sight_.eyes;
  return {OrderUnit::triangle, precision_m_, moves ? eyes.first(0) : eyes, sight_.sorting, points};
}

DrawSequence BlendOrders::find_sequence(std::span<const DrawId> draws) const {
  const std::vector<Vec3d> points = list_points(draws);
  return wakuzume::find_sequence(make_facing(draws), make_settings(draws, points));
}

OrderParts BlendOrders::find_parts(std::span<const DrawId> draws,
                                   std::span<const FacingTriangle> triangles,
                                   const RunControl& run) const {
  const std::vector<Vec3d> points = list_points(draws);
  return find_order_parts(triangles, static_cast<std::uint32_t>(draws.size()),
                          make_settings(draws, points), run);
}

}  // namespace wakuzume
