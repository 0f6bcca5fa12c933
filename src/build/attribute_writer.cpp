// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include "build/attribute_writer.h"

#include <algorithm>
#include <array>
#include <cmath>
#include <cstring>
#include <optional>
#include <string>

#include "build/vectors.h"
#include "scene/elements.h"
#include "scene/matrix.h"
#include "survey/rigs.h"

namespace wakuzume {
namespace {

Eigen::Vector3f make_unit(const Eigen::Vector3d& direction, const Eigen::Vector3f& fallback) {
  const double length = direction.norm();
  // Zero and NaN have no direction; the standard wants unit length, so they get a fixed one.
  return length > 0 && std::isfinite(length) ? Eigen::Vector3f((direction / length).cast<float>())
                                             : fallback;
}

void store(std::byte* to, const float* values, std::size_t count) {
  std::memcpy(to, values, count * sizeof(float));
}

/// Writes one attribute of one member, element by element.
class AttributeWriter {
 public:
  AttributeWriter(const Scene& scene, const MergeMember& member, const VertexPick& pick)
      : scene_(scene),
        member_(member),
        pick_(pick),
        linear_(as_eigen(member.matrix).topLeftCorner<3, 3>()) {
    if (member.binding && !member.binding->to_bind.empty()) {
      find_ways();
    }
  }

  void write(const OutputAttribute& attribute, std::byte* to) {
    const StreamId stream = member_.primitive->find(attribute.semantic);
    if (attribute.as_it_is) {
      write_custom(attribute, stream, to);
      if (attribute.role == AttributeRole::position) {
        find_bounds(stream);
      }
      return;
    }
    switch (attribute.role) {
      case AttributeRole::position:
        write_positions(stream, to);
        break;
      case AttributeRole::normal:
        write_normals(stream, to);
        break;
      case AttributeRole::tangent:
        write_tangents(stream, to);
        break;
      case AttributeRole::texcoord:
        write_texcoords(stream, attribute.lightmap ? member_.lightmap : LightmapPlace{}, to);
        break;
      case AttributeRole::color:
        write_colors(attribute, stream, to);
        break;
      case AttributeRole::joints:
        member_.binding ? write_joints(attribute, to) : write_custom(attribute, stream, to);
        break;
      case AttributeRole::weights:
        member_.binding ? write_weights(attribute, stream, to)
                        : write_custom(attribute, stream, to);
        break;
      case AttributeRole::custom:
        write_custom(attribute, stream, to);
        break;
    }
  }

  [[nodiscard]] const Box3d& bounds() const { return bounds_; }

  /// What a target adds to positions goes by the linear part; to normals and tangents by as much as
  /// those themselves were scaled to be units, so that their sums have the same direction.
  void add_moves(std::size_t target, const std::string& semantic, TargetMoves& moves) const {
    const auto& attributes = member_.primitive->morph_targets[target];
    const auto at = std::find_if(attributes.begin(), attributes.end(),
                                 [&](const Attribute& a) { return a.semantic == semantic; });
    if (at == attributes.end()) {
      return;
    }
    const ElementReader reader(scene_, at->stream);
    const StreamId of = semantic == "POSITION" ? no_stream : member_.primitive->find(semantic);
    std::optional<ElementReader> base;
    if (of != no_stream) {
      base.emplace(scene_, of);
    }
    for (std::size_t v = 0; v < pick_.count; ++v) {
      Eigen::Vector3d move = Eigen::Vector3d::Zero();
      reader.load(vertex_at(v), move.data());
      if (move.isZero(0)) {
        continue;
      }
      const Eigen::Matrix3d linear =
          way_of_.empty() ? linear_ : as_eigen(way(v)).topLeftCorner<3, 3>();
      const bool normal = semantic == "NORMAL";
      const Eigen::Matrix3d turn = normal ? make_normal_matrix(linear) : linear;
      Eigen::Vector3d moved = turn * move;
      if (base) {
        Eigen::Vector4d own = Eigen::Vector4d::Zero();
        base->load(vertex_at(v), own.data());
        const double length = (turn * own.head<3>()).norm();
        moved /= length > 0 ? length : 1;
      }
      moves.vertices.push_back(static_cast<std::uint32_t>(member_.first_vertex + v));
      const Eigen::Vector3f stored = moved.cast<float>();
      moves.values.insert(moves.values.end(), {stored.x(), stored.y(), stored.z()});
    }
  }

 private:
  [[nodiscard]] std::uint32_t vertex_at(std::size_t v) const {
    return pick_.vertices.empty() ? static_cast<std::uint32_t>(v) : pick_.vertices[v];
  }

  /// Calls `use(span)` with the picked vertices' components one after the other: floats where they
  /// are stored, else doubles, which hold every other type exactly.
  template <std::size_t width, class Use>
  void with_values(StreamId stream, const Use& use) const {
    const auto packed = find_packed_floats(scene_, stream);
    if (!packed.empty() && pick_.vertices.empty()) {
      use(packed.first(pick_.count * width));
    } else if (!packed.empty()) {
      std::vector<float> values;
      values.reserve(pick_.count * width);
      for (const std::uint32_t v : pick_.vertices) {
        const auto from = packed.subspan(std::size_t{v} * width, width);
        values.insert(values.end(), from.begin(), from.end());
      }
      use(std::span<const float>(values));
    } else {
      std::vector<double> values(pick_.count * width);
      const ElementReader reader(scene_, stream);
      for (std::size_t v = 0; v < pick_.count; ++v) {
        reader.load(vertex_at(v), &values[v * width]);
      }
      use(std::span<const double>(values));
    }
  }

  /// The block begins its ranges at multiples of four bytes.
  static float* as_floats(std::byte* to) { return reinterpret_cast<float*>(to); }

  // ---- what each vertex takes another matrix for --------------------------------------------

  /// By vertex: the joint that decides, which is its heaviest.
  void find_ways() {
    std::vector<double> heaviest(pick_.count, -1);
    way_of_.assign(pick_.count, 0);
    for (const InfluenceSet& set : list_influences(*member_.primitive)) {
      const ElementReader joints(scene_, set.joints);
      const ElementReader weights(scene_, set.weights);
      for (std::size_t v = 0; v < pick_.count; ++v) {
        std::array<double, 4> j{};
        std::array<double, 4> w{};
        joints.load(vertex_at(v), j.data());
        weights.load(vertex_at(v), w.data());
        for (std::size_t i = 0; i < 4; ++i) {
          if (w[i] > heaviest[v] && w[i] != 0) {
            heaviest[v] = w[i];
            way_of_[v] = static_cast<std::uint32_t>(j[i]);
          }
        }
      }
    }
  }

  [[nodiscard]] const Mat4d& way(std::size_t v) const {
    return member_.binding->to_bind[way_of_[v]];
  }

  /// The vectors of a stream, by the linear parts of their ways, or by what takes normals along.
  void write_turned(StreamId stream, AttributeRole role, std::byte* to) const {
    const ElementReader reader(scene_, stream);
    const std::size_t width = role == AttributeRole::tangent ? 4 : 3;
    for (std::size_t v = 0; v < pick_.count; ++v) {
      std::array<double, 4> value{};
      reader.load(vertex_at(v), value.data());
      const Eigen::Vector3d had(value[0], value[1], value[2]);
      const Eigen::Matrix3d linear = as_eigen(way(v)).topLeftCorner<3, 3>();
      const Eigen::Vector3d turned =
          role == AttributeRole::normal ? make_normal_matrix(linear) * had : linear * had;
      const Eigen::Vector3f unit = make_unit(turned, had.cast<float>());
      const std::array<float, 4> stored{unit.x(), unit.y(), unit.z(), static_cast<float>(value[3])};
      store(to + width * sizeof(float) * v, stored.data(), width);
    }
  }

  void write_positions_by_ways(StreamId stream, std::byte* to) {
    const ElementReader reader(scene_, stream);
    for (std::size_t v = 0; v < pick_.count; ++v) {
      Eigen::Vector4d at(0, 0, 0, 1);
      reader.load(vertex_at(v), at.data());
      const Eigen::Vector3f bound = (as_eigen(way(v)) * at).head<3>().cast<float>();
      store(to + 3 * sizeof(float) * v, bound.data(), 3);
      bounds_.include(Vec3d{double{bound.x()}, double{bound.y()}, double{bound.z()}});
    }
  }

  void write_joints(const OutputAttribute& attribute, std::byte* to) const {
    const std::string& set = attribute.semantic;
    const StreamId joints = member_.primitive->find(set);
    const StreamId weights = member_.primitive->find("WEIGHTS_" + set.substr(set.find('_') + 1));
    std::optional<ElementReader> joint_at;
    std::optional<ElementReader> weight_at;
    const MemberBinding& binding = *member_.binding;
    if (!binding.rigid && joints != no_stream && weights != no_stream) {
      joint_at.emplace(scene_, joints);
      weight_at.emplace(scene_, weights);
    }
    const bool first = set == "JOINTS_0";
    for (std::size_t v = 0; v < pick_.count; ++v) {
      std::array<std::uint32_t, 4> numbers{};
      if (binding.rigid) {
        numbers[0] = first ? binding.number.front() : 0;
      } else if (joint_at) {
        std::array<double, 4> j{};
        std::array<double, 4> w{};
        joint_at->load(vertex_at(v), j.data());
        weight_at->load(vertex_at(v), w.data());
        for (std::size_t i = 0; i < 4; ++i) {
          // Where there is no weight, the standard wants joint 0.
          numbers[i] = w[i] != 0 ? binding.number[static_cast<std::size_t>(j[i])] : 0;
        }
      }
      for (std::size_t i = 0; i < 4; ++i) {
        if (attribute.component == ComponentType::u8) {
          to[i] = static_cast<std::byte>(numbers[i]);
        } else {
          const auto number = static_cast<std::uint16_t>(numbers[i]);
          std::memcpy(to + 2 * i, &number, 2);
        }
      }
      to += attribute.stride;
    }
  }

  void write_weights(const OutputAttribute& attribute, StreamId stream, std::byte* to) {
    if (!member_.binding->rigid && stream != no_stream &&
        scene_[stream].component == attribute.component) {
      return write_custom(attribute, stream, to);
    }
    std::optional<ElementReader> reader;
    if (!member_.binding->rigid && stream != no_stream) {
      reader.emplace(scene_, stream);
    }
    for (std::size_t v = 0; v < pick_.count; ++v, to += attribute.stride) {
      std::array<double, 4> w{};
      if (reader) {
        reader->load(vertex_at(v), w.data());
      } else if (member_.binding->rigid && attribute.semantic == "WEIGHTS_0") {
        w[0] = 1;
      }
      for (std::size_t i = 0; i < 4; ++i) {
        if (attribute.component == ComponentType::f32) {
          const auto value = static_cast<float>(w[i]);
          std::memcpy(to + 4 * i, &value, 4);
        } else if (attribute.component == ComponentType::u8) {
          to[i] = static_cast<std::byte>(std::lround(w[i] * 255));
        } else {
          const auto value = static_cast<std::uint16_t>(std::lround(w[i] * 65535));
          std::memcpy(to + 2 * i, &value, 2);
        }
      }
    }
  }

  void write_positions(StreamId stream, std::byte* to) {
    if (!way_of_.empty()) {
      return write_positions_by_ways(stream, to);
    }
    with_values<3>(stream, [&](const auto& values) {
      const FloatBounds bounds = transform_points(member_.matrix, values, as_floats(to));
      for (std::size_t c = 0; c < 3; ++c) {
        bounds_.min[c] = static_cast<double>(bounds.low[c]);
        bounds_.max[c] = static_cast<double>(bounds.high[c]);
      }
    });
  }

  void find_bounds(StreamId stream) {
    const ElementReader reader(scene_, stream);
    for (std::size_t v = 0; v < pick_.count; ++v) {
      Vec3d at;
      reader.load(vertex_at(v), at.data());
      bounds_.include(at);
    }
  }

  /// From the result's origin, not shifted: differences of positions are the more exact.
  [[nodiscard]] Eigen::Vector3d make_spoke(const ElementReader& reader, std::uint32_t v) const {
    Eigen::Vector3d local;
    reader.load(v, local.data());
    return linear_ * local;
  }

  void write_normals(StreamId stream, std::byte* to) {
    if (stream == no_stream) {
      write_flat_normals(to);
      return;
    }
    if (!way_of_.empty()) {
      return write_turned(stream, AttributeRole::normal, to);
    }
    const Eigen::Matrix3d matrix = make_normal_matrix(linear_);
    std::array<Vec3d, 3> columns;
    Eigen::Map<Eigen::Matrix3d>(columns.front().data()) = matrix;
    with_values<3>(stream,
                   [&](const auto& values) { transform_normals(columns, values, as_floats(to)); });
    if (member_.back) {
      turn_round(as_floats(to), 3 * pick_.count);
    }
  }

  /// glTF 2.0 section 3.7.2.1: a primitive without normals is shaded flat. Its vertices are the
  /// corners of its triangles here.
  void write_flat_normals(std::byte* to) {
    const ElementReader reader(scene_, member_.primitive->find("POSITION"));
    const auto& corners = pick_.vertices;
    const auto& order = pick_.indices;
    for (std::size_t i = 0; i + 2 < order.size(); i += 3) {
      const Eigen::Vector3d a = make_spoke(reader, corners[order[i]]);
      const Eigen::Vector3d b = make_spoke(reader, corners[order[i + 1]]);
      const Eigen::Vector3d c = make_spoke(reader, corners[order[i + 2]]);
      const Eigen::Vector3f normal = make_unit((b - a).cross(c - a), Eigen::Vector3f::UnitZ());
      for (std::size_t corner = 0; corner < 3; ++corner) {
        store(to + 3 * sizeof(float) * order[i + corner], normal.data(), 3);
      }
    }
  }

  void write_tangents(StreamId stream, std::byte* to) {
    if (!way_of_.empty()) {
      return write_turned(stream, AttributeRole::tangent, to);
    }
    // A skin takes normals and tangents along by the same matrices as before, mirroring or not.
    const bool bound = member_.binding && !member_.binding->rigid;
    const bool mirrored = member_.binding ? member_.binding->mirrored : linear_.determinant() < 0;
    const double handedness = mirrored && !bound ? -1 : 1;
    const auto write = [&](const auto& values) {
      for (std::size_t v = 0; v < pick_.count; ++v) {
        const auto* const tangent = &values[4 * v];
        const Eigen::Vector3d moved = linear_ * Eigen::Vector3d(tangent[0], tangent[1], tangent[2]);
        const Eigen::Vector3f direction = make_unit(moved, Eigen::Vector3f::UnitX());
        const Eigen::Vector4f stored(direction.x(), direction.y(), direction.z(),
                                     tangent[3] * handedness < 0 ? -1.0F : 1.0F);
        store(to + 4 * sizeof(float) * v, stored.data(), 4);
      }
    };
    pick_.tangents.empty() ? with_values<4>(stream, write) : write(pick_.tangents);
    // With the hand the other way about, the whole frame is turned, as engines turn it behind.
    if (member_.back) {
      turn_round(as_floats(to), 4 * pick_.count);
    }
  }

  static void turn_round(float* values, std::size_t count) {
    std::transform(values, values + count, values, [](float value) { return -value; });
  }

  void write_texcoords(StreamId stream, const LightmapPlace& place, std::byte* to) {
    if (stream == no_stream) {
      std::memset(to, 0, pick_.count * 2 * sizeof(float));
      return;
    }
    with_values<2>(stream, [&](const auto& values) {
      if (place != LightmapPlace{}) {
        move_uvs(place, std::span(values.data(), values.size()), as_floats(to));
        return;
      }
      std::transform(values.begin(), values.end(), as_floats(to),
                     [](auto value) { return static_cast<float>(value); });
    });
  }

  /// Missing colours are white, a missing alpha is opaque. 8 and 16 bit values pass unchanged:
  /// v / max is exact enough in double that rounding it back gives v.
  void write_colors(const OutputAttribute& attribute, StreamId stream, std::byte* to) {
    double color[4] = {1, 1, 1, 1};
    const auto put = [&] {
      for (std::size_t c = 0; c < 4; ++c) {
        if (attribute.component == ComponentType::u8) {
          const auto value = static_cast<std::uint8_t>(std::lround(color[c] * 255));
          std::memcpy(to + c, &value, 1);
        } else if (attribute.component == ComponentType::u16) {
          const auto value = static_cast<std::uint16_t>(std::lround(color[c] * 65535));
          std::memcpy(to + c * 2, &value, 2);
        } else {
          const auto value = static_cast<float>(color[c]);
          std::memcpy(to + c * 4, &value, 4);
        }
      }
      to += attribute.stride;
    };
    if (stream == no_stream) {
      for (std::size_t v = 0; v < pick_.count; ++v) {
        put();
      }
      return;
    }
    const ElementReader reader(scene_, stream);
    for (std::size_t v = 0; v < pick_.count; ++v) {
      reader.load(vertex_at(v), color);
      put();
    }
  }

  void write_custom(const OutputAttribute& attribute, StreamId stream, std::byte* to) {
    const ElementReader reader(scene_, stream);
    const std::size_t size = element_bytes(attribute.component, attribute.element);
    for (std::size_t v = 0; v < pick_.count; ++v) {
      std::memset(to, 0, attribute.stride);
      if (const std::byte* from = reader.find(vertex_at(v)); from != nullptr) {
        std::memcpy(to, from, size);
      }
      to += attribute.stride;
    }
  }

  const Scene& scene_;
  const MergeMember& member_;
  const VertexPick& pick_;
  Eigen::Matrix3d linear_;
  std::vector<std::uint32_t> way_of_;  ///< by vertex; empty: the member's matrix holds for all
  Box3d bounds_;
};

}  // namespace

void add_target_moves(const Scene& scene,
                      const MergeMember& member,
                      const VertexPick& pick,
                      std::size_t target,
                      const std::string& semantic,
                      TargetMoves& moves) {
  AttributeWriter(scene, member, pick).add_moves(target, semantic, moves);
}

Box3d write_attributes(const Scene& scene,
                       const MergeMember& member,
                       const VertexPick& pick,
                       std::span<const OutputAttribute> layout,
                       std::span<std::byte* const> places) {
  AttributeWriter writer(scene, member, pick);
  for (std::size_t a = 0; a < layout.size(); ++a) {
    writer.write(layout[a], places[a]);
  }
  return writer.bounds();
}

}  // namespace wakuzume
