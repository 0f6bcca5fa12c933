// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include "reduce/mesh_surface.h"

#include <algorithm>
#include <array>
#include <cmath>

#include "reduce/points.h"
#include "scene/elements.h"
#include "scene/matrix.h"
#include "survey/draws.h"
#include "wakuzume/shading_order.h"

namespace wakuzume {
namespace {

/// Joints count as if each moved by so much of the mesh's diagonal, each in its own direction.
constexpr double joint_step = 0.1;

/// Of the mesh's extent.
constexpr double shape_limit = 0.15;
constexpr double speck_limit = 0.05;

/// Of the mesh's extent: what moves a vertex by less moves it by nothing.
constexpr double least_move = 1e-6;

bool starts_with(const std::string& text, std::string_view start) {
  return text.compare(0, start.size(), start) == 0;
}

TraitKind find_kind(const std::string& semantic, bool of_target, const Stream& stream) {
  if (of_target) {
    return semantic == "POSITION" ? TraitKind::shape : TraitKind::carried;
  }
  if (semantic == "NORMAL") {
    return TraitKind::direction;
  }
  if (starts_with(semantic, "TEXCOORD_")) {
    return TraitKind::uv;
  }
  if (starts_with(semantic, "COLOR_")) {
    return TraitKind::color;
  }
  const bool whole = stream.component != ComponentType::f32 && !stream.normalized;
  // Influences of two vertices have no mean: their joints are others.
  return whole || starts_with(semantic, "JOINTS_") || starts_with(semantic, "WEIGHTS_")
             ? TraitKind::label
             : TraitKind::carried;
}

std::uint64_t mix_bits(std::uint64_t x) {
  x ^= x >> 30U;
  x *= 0xBF58'476D'1CE4'E5B9ULL;
  x ^= x >> 27U;
  x *= 0x94D0'49BB'1331'11EBULL;
  return x ^ x >> 31U;
}

/// A direction of its own for each number, of a length up to 1.
std::array<double, 3> find_direction(std::uint64_t number) {
  std::array<double, 3> out{};
  for (std::uint64_t k = 0; k < 3; ++k) {
    out[k] = static_cast<double>(mix_bits(3 * number + k + 1) >> 11U) / 9007199254740992.0 - 0.5;
  }
  return out;
}

bool all_zero(const std::vector<float>& values) {
  return std::all_of(values.begin(), values.end(), [](float value) { return value == 0; });
}

/// The elements that a list names, ascending; empty: it names all.
std::vector<std::uint32_t> list_used(std::span<const std::uint32_t> indices, std::uint64_t count) {
  std::vector<std::uint32_t> used;
  if (indices.size() < count / 8) {
    used.assign(indices.begin(), indices.end());
    std::sort(used.begin(), used.end());
    used.erase(std::unique(used.begin(), used.end()), used.end());
    return used;
  }
  std::vector<bool> is_used(count, false);
  for (const std::uint32_t index : indices) {
    is_used[index] = true;
  }
  for (std::uint32_t v = 0; v < count; ++v) {
    if (is_used[v]) {
      used.push_back(v);
    }
  }
  return used.size() == count ? std::vector<std::uint32_t>{} : used;
}

bool is_blended(const Scene& scene, const Primitive& primitive) {
  return primitive.material != no_material &&
         scene[primitive.material].alpha_mode == AlphaMode::blend;
}

}  // namespace

std::string find_obstacle_to_reducing(const Scene& scene, const Mesh& mesh) {
  if (!mesh.plain.empty()) {
    return "it shows texture layers";
  }
  if (mesh.extra && !mesh.extra->extensions.empty()) {
    return "it has " + mesh.extra->extensions.front().name;
  }
  for (const Primitive& primitive : mesh.primitives) {
    if (primitive.extra) {
      for (const auto& extension : primitive.extra->extensions) {
        if (extension.name != "KHR_materials_variants") {
          return "it has " + extension.name;
        }
      }
    }
    for (const Attribute& attribute : primitive.attributes) {
      if (component_count(scene[attribute.stream].element) > 4) {
        return "its " + attribute.semantic + " are matrices";
      }
    }
  }
  return "";
}

MeshSurface::MeshSurface(const Scene& scene,
                         const Mesh& mesh,
                         std::span<const JointMotion::Pose> poses)
    : scene_(scene), mesh_(mesh), poses_(poses) {
  for (std::uint32_t p = 0; p < mesh.primitives.size(); ++p) {
    const Primitive& primitive = mesh.primitives[p];
    if (find_topology(primitive.mode) == Topology::triangles &&
        primitive.find("POSITION") != no_stream && count_list_indices(scene, primitive) >= 3) {
      add_part(p);
    }
  }
  Box3d box;
  for (std::size_t i = 0; i < positions_.size(); i += 3) {
    box.include(Vec3d{positions_[i], positions_[i + 1], positions_[i + 2]});
  }
  least_move_ = static_cast<float>(least_move * box.largest_extent());
  shape_limit_m_ = shape_limit * box.largest_extent();
  speck_limit_m_ = speck_limit * box.largest_extent();
  // Where materials meet corners differ, so that the line between them is a seam.
  if (parts_.size() > 1) {
    Trait number{no_index, "", TraitKind::label, 1, {}};
    for (const Part& part : parts_) {
      number.values.insert(number.values.end(), part.vertices, static_cast<float>(part.primitive));
    }
    traits_.push_back(std::move(number));
  }
}

void MeshSurface::add_part(std::uint32_t p) {
  const Primitive& primitive = mesh_.primitives[p];
  const StreamId places = primitive.find("POSITION");
  has_grid_ = has_grid_ || scene_[places].component != ComponentType::f32;
  Part part;
  part.primitive = p;
  part.first_vertex = static_cast<std::uint32_t>(vertices());
  part.first_triangle = static_cast<std::uint32_t>(triangles());
  std::vector<std::uint32_t> indices = make_list_indices(scene_, primitive);
  part.elements = list_used(indices, scene_[places].count);
  if (!part.elements.empty()) {
    for (std::uint32_t& index : indices) {
      const auto place = std::lower_bound(part.elements.begin(), part.elements.end(), index);
      index = static_cast<std::uint32_t>(place - part.elements.begin());
    }
  }
  const std::vector<float> positions = read(part, places);
  positions_.insert(positions_.end(), positions.begin(), positions.end());
  part.vertices = static_cast<std::uint32_t>(positions.size() / 3);
  for (const std::uint32_t index : indices) {
    indices_.push_back(part.first_vertex + index);
  }
  part.triangles = static_cast<std::uint32_t>(triangles()) - part.first_triangle;
  add_attributes(part, primitive.attributes, no_index);
  for (std::uint32_t t = 0; t < primitive.morph_targets.size(); ++t) {
    add_attributes(part, primitive.morph_targets[t], t);
  }
  add_motion(part);
  for (Trait& trait : traits_) {
    // What a target does not move stays where it is.
    const std::size_t known = trait.values.size();
    if (trait.kind == TraitKind::shape && known < positions_.size()) {
      trait.values.insert(trait.values.end(),
                          positions_.begin() + static_cast<std::ptrdiff_t>(known),
                          positions_.end());
    }
    trait.values.resize(vertices() * trait.components);
  }
  parts_.push_back(part);
}

std::vector<float> MeshSurface::read(const Part& part, StreamId stream) const {
  if (part.elements.empty()) {
    return make_floats(scene_, stream);
  }
  const ElementReader reader(scene_, stream);
  std::vector<float> out;
  out.reserve(part.elements.size() * reader.width());
  std::array<double, 16> element{};
  for (const std::uint32_t v : part.elements) {
    reader.load(v, element.data());
    for (std::uint32_t c = 0; c < reader.width(); ++c) {
      out.push_back(static_cast<float>(element[c]));
    }
  }
  return out;
}

MeshSurface::Trait& MeshSurface::ensure_trait(std::uint32_t target,
                                              const std::string& semantic,
                                              const Stream& stream) {
  for (Trait& trait : traits_) {
    if (trait.target == target && trait.semantic == semantic &&
        trait.components == component_count(stream.element)) {
      return trait;
    }
  }
  traits_.push_back({target,
                     semantic,
                     find_kind(semantic, target != no_index, stream),
                     component_count(stream.element),
                     {}});
  return traits_.back();
}

void MeshSurface::add_attributes(const Part& part,
                                 const std::vector<Attribute>& attributes,
                                 std::uint32_t target) {
  for (const Attribute& attribute : attributes) {
    if (target == no_index && attribute.semantic == "POSITION") {
      continue;
    }
    std::vector<float> values = read(part, attribute.stream);
    if (target != no_index && all_zero(values)) {
      continue;  // and so it stays
    }
    Trait& trait = ensure_trait(target, attribute.semantic, scene_[attribute.stream]);
    if (trait.kind == TraitKind::shape && trait.values.empty()) {
      trait.values.assign(positions_.begin(),
                          positions_.begin() + std::ptrdiff_t{3} * part.first_vertex);
    }
    trait.values.resize(std::size_t{part.first_vertex} * trait.components);
    if (trait.kind == TraitKind::shape) {
      for (std::size_t i = 0; i < values.size(); ++i) {
        values[i] += positions_[std::size_t{3} * part.first_vertex + i];
      }
    }
    trait.values.insert(trait.values.end(), values.begin(), values.end());
  }
}

/// A shape that is no target: where the part's vertices are then.
void MeshSurface::add_shape(std::uint32_t number,
                            const Part& part,
                            const std::vector<float>& places) {
  auto known = std::find_if(traits_.begin(), traits_.end(), [&](const Trait& trait) {
    return trait.semantic.empty() && trait.kind == TraitKind::shape && trait.target == number;
  });
  if (known == traits_.end()) {
    const auto end = positions_.begin() + std::ptrdiff_t{3} * part.first_vertex;
    traits_.push_back({number, "", TraitKind::shape, 3, {positions_.begin(), end}});
    known = traits_.end() - 1;
  }
  known->values.insert(known->values.end(), places.begin(), places.end());
}

/// Where vertices are in the poses of the scene's animations, and where they would be if each joint
/// moved its own way: where influences differ that bends.
void MeshSurface::add_motion(const Part& part) {
  const Primitive& primitive = mesh_.primitives[part.primitive];
  std::vector<std::vector<float>> joints;
  std::vector<std::vector<float>> weights;
  for (std::uint32_t set = 0;; ++set) {
    const StreamId joint = primitive.find("JOINTS_" + std::to_string(set));
    const StreamId weight = primitive.find("WEIGHTS_" + std::to_string(set));
    if (joint == no_stream || weight == no_stream) {
      break;
    }
    joints.push_back(read(part, joint));
    weights.push_back(read(part, weight));
  }
  if (joints.empty()) {
    return;
  }
  Box3d box;
  for (std::size_t v = part.first_vertex; v < vertices(); ++v) {
    box.include(load_point(positions_, v));
  }
  const double step = joint_step * box.largest_extent();
  /// \param move  where a joint takes a place, for its share
  const auto add = [&](std::uint32_t number, const auto& move) {
    std::vector<float> places;
    for (std::size_t v = 0; v < part.vertices; ++v) {
      const Vec3d at = load_point(positions_, part.first_vertex + v);
      Vec3d to{};
      double sum = 0;
      for (std::size_t set = 0; set < joints.size(); ++set) {
        for (std::size_t i = 4 * v; i < 4 * v + 4; ++i) {
          const double share = weights[set][i];
          if (share > 0) {
            to = to + share * move(static_cast<std::size_t>(joints[set][i]), at);
            sum += share;
          }
        }
      }
      const Vec3d moved = sum > 0 ? (1 / sum) * to : at;
      for (std::size_t k = 0; k < 3; ++k) {
        places.push_back(static_cast<float>(moved[k]));
      }
    }
    add_shape(number, part, places);
  };
  add(no_index, [&](std::size_t joint, const Vec3d& at) {
    const auto direction = find_direction(joint);
    return at + step * Vec3d{direction[0], direction[1], direction[2]};
  });
  for (std::size_t p = 0; p < poses_.size(); ++p) {
    add(no_index - 1 - static_cast<std::uint32_t>(p), [&](std::size_t joint, const Vec3d& at) {
      if (joint >= poses_[p].size()) {
        return at;
      }
      const Mat4d& m = poses_[p][joint];
      Vec3d to{};
      for (std::size_t k = 0; k < 3; ++k) {
        to[k] = m[k] * at[0] + m[4 + k] * at[1] + m[8 + k] * at[2] + m[12 + k];
      }
      return to;
    });
  }
}

Surface MeshSurface::show(std::span<const float> held) const {
  Surface out{positions_, indices_, {}, held};
  for (const Trait& trait : traits_) {
    out.traits.push_back({trait.kind, trait.components, trait.values});
  }
  return out;
}

bool MeshSurface::is_ordered_like(const MeshSurface& other) const {
  return positions_.size() == other.positions_.size() && indices_ == other.indices_ &&
         std::equal(parts_.begin(), parts_.end(), other.parts_.begin(), other.parts_.end(),
                    [](const Part& a, const Part& b) {
                      return a.primitive == b.primitive && a.vertices == b.vertices &&
                             a.triangles == b.triangles;
                    }) &&
         std::equal(traits_.begin(), traits_.end(), other.traits_.begin(), other.traits_.end(),
                    [](const Trait& a, const Trait& b) {
                      return a.target == b.target && a.semantic == b.semantic && a.kind == b.kind &&
                             a.components == b.components && a.kind != TraitKind::shape;
                    });
}

ReducedSurface MeshSurface::take_over(const ReducedSurface& other, const Mat4d& fit) const {
  const Eigen::Matrix4d matrix = as_eigen(fit);
  const Eigen::Matrix3d linear = matrix.topLeftCorner<3, 3>();
  const Eigen::Matrix3d upright = linear.inverse().transpose();
  ReducedSurface out = other;
  const auto turn = [](const Eigen::Matrix3d& by, float* at) {
    const Eigen::Vector3d to = (by * Eigen::Vector3d(at[0], at[1], at[2])).normalized();
    for (Eigen::Index k = 0; k < 3; ++k) {
      at[k] = static_cast<float>(to[k]);
    }
  };
  for (std::size_t v = 0; v < out.vertex_from.size(); ++v) {
    const std::uint32_t from = out.vertex_from[v];
    float* const place = &out.positions[3 * v];
    if (from != no_index) {
      std::copy_n(&positions_[3 * std::size_t{from}], 3, place);
    } else {
      const Eigen::Vector4d to = matrix * Eigen::Vector4d(place[0], place[1], place[2], 1);
      for (Eigen::Index k = 0; k < 3; ++k) {
        place[k] = static_cast<float>(to[k]);
      }
    }
    for (std::size_t t = 0; t < traits_.size(); ++t) {
      const Trait& trait = traits_[t];
      float* const values = &out.traits[t][trait.components * v];
      if (from != no_index) {
        std::copy_n(&trait.values[trait.components * std::size_t{from}], trait.components, values);
      } else if (trait.semantic == "NORMAL" || trait.semantic == "TANGENT") {
        turn(trait.semantic == "NORMAL" ? upright : linear, values);
      }
    }
  }
  return out;
}

MeshSurface::Left MeshSurface::take(const ReducedSurface& reduced, const Part& part) const {
  const auto first = std::lower_bound(reduced.triangle_from.begin(), reduced.triangle_from.end(),
                                      part.first_triangle) -
                     reduced.triangle_from.begin();
  const auto last = std::lower_bound(reduced.triangle_from.begin(), reduced.triangle_from.end(),
                                     part.first_triangle + part.triangles) -
                    reduced.triangle_from.begin();
  Left left;
  left.indices.assign(reduced.indices.begin() + 3 * first, reduced.indices.begin() + 3 * last);
  std::vector<std::uint32_t> number(reduced.vertex_from.size(), no_index);
  for (std::uint32_t& index : left.indices) {
    if (number[index] == no_index) {
      number[index] = static_cast<std::uint32_t>(left.vertices.size());
      left.vertices.push_back(index);
    }
    index = number[index];
  }
  if (is_blended(scene_, mesh_.primitives[part.primitive])) {
    return left;
  }
  const auto count = static_cast<std::uint32_t>(left.vertices.size());
  const std::vector<std::uint32_t> ordered =
      reorder_triangles(left.indices, order_for_shading(left.indices, count));
  const std::vector<std::uint32_t> place = number_by_use(ordered, count);
  Left out;
  out.vertices.resize(count);
  for (std::uint32_t v = 0; v < count; ++v) {
    out.vertices[place[v]] = left.vertices[v];
  }
  for (const std::uint32_t index : ordered) {
    out.indices.push_back(place[index]);
  }
  return out;
}

/// Of vertices that did not move the very values they had.
std::vector<float> MeshSurface::list_values(const Attribute& attribute,
                                            std::uint32_t target,
                                            const Part& part,
                                            const ReducedSurface& reduced,
                                            const Left& left) const {
  const std::vector<float> old = read(part, attribute.stream);
  const std::size_t n = component_count(scene_[attribute.stream].element);
  const bool places = target == no_index && attribute.semantic == "POSITION";
  const auto trait = std::find_if(traits_.begin(), traits_.end(), [&](const Trait& of) {
    return of.target == target && of.semantic == attribute.semantic && of.components == n;
  });
  if (!places && trait == traits_.end()) {
    return std::vector<float>(n * left.vertices.size(), 0.0F);  // a target that moves nothing
  }
  const std::vector<float>& values =
      places ? reduced.positions
             : reduced.traits[static_cast<std::size_t>(trait - traits_.begin())];
  std::vector<float> out;
  out.reserve(n * left.vertices.size());
  for (const std::size_t v : left.vertices) {
    const std::uint32_t from = reduced.vertex_from[v];
    for (std::size_t k = 0; k < n; ++k) {
      const float base =
          !places && trait->kind == TraitKind::shape ? reduced.positions[3 * v + k] : 0.0F;
      const float value =
          from != no_index ? old[n * (from - part.first_vertex) + k] : values[n * v + k] - base;
      // Two places that are nearly the same differ by what floats can't tell.
      const bool nothing = base != 0 && from == no_index && std::abs(value) < least_move_;
      out.push_back(nothing ? 0.0F : value);
    }
    if (from == no_index && attribute.semantic == "TANGENT" && n == 4) {
      float* tangent = &out[out.size() - 4];
      const float size =
          std::sqrt(tangent[0] * tangent[0] + tangent[1] * tangent[1] + tangent[2] * tangent[2]);
      for (std::size_t k = 0; k < 3 && size > 0; ++k) {
        tangent[k] /= size;
      }
      tangent[3] = tangent[3] < 0 ? -1.0F : 1.0F;
    }
  }
  return out;
}

std::vector<Attribute> MeshSurface::write_attributes(const std::vector<Attribute>& attributes,
                                                     std::uint32_t target,
                                                     const Part& part,
                                                     const ReducedSurface& reduced,
                                                     const Left& left,
                                                     StreamMaker& maker) const {
  std::vector<Attribute> out;
  for (const Attribute& attribute : attributes) {
    const std::vector<float> values = list_values(attribute, target, part, reduced, left);
    const Stream& like = scene_[attribute.stream];
    const bool bounded = attribute.semantic == "POSITION";
    out.push_back({attribute.semantic, target == no_index
                                           ? maker.add_like(like, values, bounded)
                                           : maker.add_sparse(like, values, bounded)});
  }
  return out;
}

Mesh MeshSurface::write(const ReducedSurface& reduced, StreamMaker& maker) const {
  Mesh mesh = mesh_;
  for (const Part& part : parts_) {
    const Left left = take(reduced, part);
    if (left.indices.empty()) {
      continue;  // none of its triangles had an area: it draws nothing as it is
    }
    const Primitive& from = mesh_.primitives[part.primitive];
    Primitive& to = mesh.primitives[part.primitive];
    to.mode = PrimitiveMode::triangles;
    to.indices = maker.add_indices(left.indices, left.vertices.size());
    to.attributes = write_attributes(from.attributes, no_index, part, reduced, left, maker);
    for (std::uint32_t t = 0; t < from.morph_targets.size(); ++t) {
      to.morph_targets[t] = write_attributes(from.morph_targets[t], t, part, reduced, left, maker);
    }
  }
  return mesh;
}

}  // namespace wakuzume
