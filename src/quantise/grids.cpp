// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include "quantise/grids.h"

#include <Eigen/SVD>
#include <algorithm>
#include <cmath>
#include <cstring>
#include <numeric>
#include <set>

#include "scene/elements.h"
#include "scene/matrix.h"

namespace wakuzume {
namespace {

constexpr double most_steps = 65'535;         ///< of 16 bits
constexpr double most_signed_steps = 32'767;  ///< either way
constexpr double most_float_steps = 1 << 23;  ///< that a float holds as whole numbers
constexpr std::uint64_t saved_a_vertex = 4;   ///< bytes: three of 16 bits, padded, for three floats
constexpr std::uint64_t scale_bytes = 12;     ///< of an instance that had none

double find_largest_scale(const Eigen::Matrix4d& matrix) {
  return Eigen::JacobiSVD<Eigen::Matrix3d>(matrix.topLeftCorner<3, 3>()).singularValues()[0];
}

StreamId find_lane(const Instancing& set, std::string_view semantic) {
  const auto at = std::find_if(set.attributes.begin(), set.attributes.end(),
                               [&](const Attribute& a) { return a.semantic == semantic; });
  return at == set.attributes.end() ? no_stream : at->stream;
}

/// Meshes that must be on one grid, as they share positions.
struct Family {
  std::vector<MeshId> meshes;
  std::set<StreamId> streams;
  Box3d box;
  double scale = 0;  ///< the largest that a node or instance shows it by
  bool bound = false;
  bool shown = false;
  std::uint64_t vertices = 0;
  std::uint64_t unscaled_instances = 0;
  const Mat4d* only_place = nullptr;  ///< where all of it stands, if that is one place
  std::size_t places = 0;
};

class GridFinder {
 public:
  GridFinder(const Scene& scene,
             const std::vector<StreamRole>& roles,
             const GeometrySettings& settings,
             std::span<const NodeId> fixed)
      : scene_(scene),
        roles_(roles),
        settings_(settings),
        fixed_(fixed.begin(), fixed.end()),
        world_(make_world_matrices(scene)),
        bound_(find_bound_nodes(scene)) {}

  Grids find() {
    std::vector<Family> families = find_families();
    for (std::size_t n = 0; n < scene_.nodes.size(); ++n) {
      if (scene_.nodes[n].mesh != no_mesh) {
        show(make_id<NodeId>(n), families[family_of_[to_index(scene_.nodes[n].mesh)]]);
      }
    }
    for (const Family& family : families) {
      choose(family);
    }
    return std::move(out_);
  }

 private:
  template <class Visit>
  void for_each_primitive(const Mesh& mesh, const Visit& visit) const {
    for (const std::vector<Primitive>* list : {&mesh.primitives, &mesh.plain}) {
      for (const Primitive& primitive : *list) {
        visit(primitive);
      }
    }
  }

  std::vector<Family> find_families() {
    // A mesh belongs to the first that has one of its streams.
    std::vector<std::uint32_t> root(scene_.meshes.size());
    std::iota(root.begin(), root.end(), 0U);
    const auto find_root = [&](std::uint32_t m) {
      while (root[m] != m) {
        m = root[m] = root[root[m]];
      }
      return m;
    };
    std::map<StreamId, std::uint32_t> owner;
    for (std::uint32_t m = 0; m < root.size(); ++m) {
      for_each_primitive(scene_.meshes[m], [&](const Primitive& primitive) {
        const StreamId id = primitive.find("POSITION");
        if (id != no_stream) {
          const std::uint32_t other = find_root(owner.try_emplace(id, m).first->second);
          const std::uint32_t own = find_root(m);
          root[std::max(own, other)] = std::min(own, other);
        }
      });
    }
    std::vector<Family> families(scene_.meshes.size());
    family_of_.resize(scene_.meshes.size());
    for (std::uint32_t m = 0; m < root.size(); ++m) {
      family_of_[m] = find_root(m);
      Family& family = families[family_of_[m]];
      family.meshes.push_back(make_id<MeshId>(m));
      for_each_primitive(scene_.meshes[m],
                         [&](const Primitive& primitive) { add(primitive, family); });
    }
    return families;
  }

  void add(const Primitive& primitive, Family& family) const {
    const StreamId id = primitive.find("POSITION");
    if (id == no_stream) {
      return;
    }
    // Differences would have to be on the grid as well.
    family.bound = family.bound || !primitive.morph_targets.empty() ||
                   roles_[to_index(id)] != StreamRole::position;
    if (!family.streams.insert(id).second) {
      return;
    }
    const ElementReader reader(scene_, id);
    family.vertices += scene_[id].count;
    for (std::uint32_t v = 0; v < scene_[id].count; ++v) {
      Vec3d point{};
      reader.load(v, point.data());
      family.box.include(point);
    }
  }

  void show(NodeId id, Family& family) const {
    const Node& node = scene_[id];
    family.shown = true;
    family.places += 1;
    family.only_place = &world_[to_index(id)];
    double scale = find_largest_scale(as_eigen(world_[to_index(id)]));
    family.bound = family.bound || bound_[to_index(id)] ||
                   (node.instancing && fixed_.contains(id)) ||
                   std::any_of(node.children.begin(), node.children.end(),
                               [&](NodeId child) { return bound_[to_index(child)]; });
    if (node.skin != no_skin) {
      // In the pose it is stored in as well: not every reader looks at joints.
      scale = std::max(scale, find_skinned_scale(scene_.skins[to_index(node.skin)]));
    }
    if (node.instancing) {
      family.places += 1;  // a grid in the world is none in their own spaces
      scale *= find_instance_scale(*node.instancing, family);
    }
    family.scale = std::max(family.scale, scale);
  }

  [[nodiscard]] double find_skinned_scale(const Skin& skin) const {
    double scale = 0;
    std::vector<double> binds;
    if (skin.inverse_bind_matrices != no_stream) {
      binds = make_doubles(scene_, skin.inverse_bind_matrices);
    }
    for (std::size_t j = 0; j < skin.joints.size(); ++j) {
      Eigen::Matrix4d matrix = as_eigen(world_[to_index(skin.joints[j])]);
      if (binds.size() >= 16 * (j + 1)) {
        matrix *= Eigen::Map<const Eigen::Matrix4d>(binds.data() + 16 * j);
      }
      scale = std::max(scale, find_largest_scale(matrix));
    }
    return scale;
  }

  [[nodiscard]] double find_instance_scale(const Instancing& set, Family& family) const {
    const StreamId scales = find_lane(set, "SCALE");
    if (scales == no_stream) {
      const StreamId places = find_lane(set, "TRANSLATION");
      family.unscaled_instances += places == no_stream ? 0 : scene_[places].count;
      return 1;
    }
    double largest = 0;
    for (const double scale : make_doubles(scene_, scales)) {
      largest = std::max(largest, std::abs(scale));
    }
    return largest;
  }

  void choose(const Family& family) {
    const bool floats = std::all_of(family.streams.begin(), family.streams.end(), [&](StreamId id) {
      return scene_[id].component == ComponentType::f32 &&
             roles_[to_index(id)] == StreamRole::position;
    });
    if (!family.shown || family.streams.empty() || !floats || !(family.scale > 0) ||
        !std::isfinite(family.scale) || !std::isfinite(family.box.largest_extent())) {
      return;
    }
    // A place is rounded along each of three axes, by half a step each.
    const double widest = 2 * settings_.position_error_m / std::sqrt(3.0) / family.scale;
    Grid grid;
    grid.step = std::exp2(std::floor(std::log2(widest)));
    const bool fits = family.box.largest_extent() / grid.step <= most_steps - 1;
    const bool worth = scale_bytes * family.unscaled_instances <= saved_a_vertex * family.vertices;
    if (!family.bound && fits && worth) {
      grid.whole = true;
      place_grid(family, grid);
      for (const MeshId mesh : family.meshes) {
        out_.of_mesh.emplace(mesh, grid);
      }
    } else {
      std::size_t& reason = family.bound ? out_.bound : !fits ? out_.large : out_.repeated;
      reason += family.meshes.size();
      double farthest = 0;
      for (std::size_t c = 0; c < 3; ++c) {
        farthest = std::max({farthest, std::abs(family.box.min[c]), std::abs(family.box.max[c])});
      }
      if (settings_.form != GeometryForm::packed || farthest / grid.step >= most_float_steps) {
        return;
      }
    }
    for (const StreamId id : family.streams) {
      out_.of_stream.emplace(id, grid);
    }
  }

  /// Where its numbers are 0. What stands unturned in one place is on a grid of the world. A node
  /// keeps its place, to a step, unless numbers with a sign do not reach from there.
  static void place_grid(const Family& family, Grid& grid) {
    Vec3d place{0, 0, 0};
    if (family.places == 1 &&
        as_eigen(*family.only_place).topLeftCorner<3, 3>() == Eigen::Matrix3d::Identity()) {
      std::copy_n(family.only_place->begin() + 12, 3, place.begin());
    }
    grid.from_pivot = true;
    for (std::size_t c = 0; c < 3; ++c) {
      grid.offset[c] = std::round(place[c] / grid.step) * grid.step - place[c];
      const double farthest = std::max(std::abs(family.box.min[c] - grid.offset[c]),
                                       std::abs(family.box.max[c] - grid.offset[c]));
      grid.from_pivot = grid.from_pivot && farthest / grid.step <= most_signed_steps;
    }
    for (std::size_t c = 0; c < 3 && !grid.from_pivot; ++c) {
      grid.offset[c] =
          std::floor((family.box.min[c] + place[c]) / grid.step) * grid.step - place[c];
    }
  }

  const Scene& scene_;
  const std::vector<StreamRole>& roles_;
  const GeometrySettings& settings_;
  std::set<NodeId> fixed_;
  std::vector<Mat4d> world_;
  std::vector<bool> bound_;
  std::vector<std::uint32_t> family_of_;
  Grids out_;
};

/// The local transform followed by that from the grid; and what undoes the one of the parent.
void move_onto(const Grid& grid, Node& node) {
  if (node.matrix) {
    Mat4d grid_matrix = identity_matrix;
    for (std::size_t c = 0; c < 3; ++c) {
      grid_matrix[5 * c] = grid.step;
      grid_matrix[12 + c] = grid.offset[c];
    }
    node.matrix = make_product(*node.matrix, grid_matrix);
    return;
  }
  const Eigen::Vector3d moved =
      as_eigen(make_matrix(node.trs)).topLeftCorner<3, 3>() * as_eigen(grid.offset);
  for (std::size_t c = 0; c < 3; ++c) {
    node.trs.translation[c] += moved[static_cast<Eigen::Index>(c)];
    node.trs.scale[c] *= grid.step;
  }
}

void undo_parent(const Grid& grid, Node& node) {
  if (node.matrix) {
    Mat4d inverse = identity_matrix;
    for (std::size_t c = 0; c < 3; ++c) {
      inverse[5 * c] = 1 / grid.step;
      inverse[12 + c] = -grid.offset[c] / grid.step;
    }
    node.matrix = make_product(inverse, *node.matrix);
    return;
  }
  for (std::size_t c = 0; c < 3; ++c) {
    node.trs.translation[c] = (node.trs.translation[c] - grid.offset[c]) / grid.step;
    node.trs.scale[c] /= grid.step;
  }
}

/// Gives a set's instances the scale and offset of their mesh's grid.
class InstanceMover {
 public:
  explicit InstanceMover(Scene& scene) : scene_(scene) {}

  void move(const Grid& grid, Instancing& set) {
    const std::array<StreamId, 3> had{find_lane(set, "TRANSLATION"), find_lane(set, "ROTATION"),
                                      find_lane(set, "SCALE")};
    const auto first =
        std::find_if(had.begin(), had.end(), [](StreamId id) { return id != no_stream; });
    if (first == had.end()) {
      return;
    }
    const std::uint64_t count = scene_[*first].count;
    std::array<std::vector<double>, 3> lanes;
    for (std::size_t l = 0; l < 3; ++l) {
      if (had[l] != no_stream) {
        lanes[l] = make_doubles(scene_, had[l]);
      }
    }
    std::vector<float> places(3 * count);
    std::vector<float> scales(3 * count);
    for (std::uint64_t i = 0; i < count; ++i) {
      Node node;
      const auto take = [&](const std::vector<double>& lane, auto& to) {
        if (!lane.empty()) {
          std::copy_n(lane.begin() + static_cast<std::ptrdiff_t>(i * to.size()), to.size(),
                      to.begin());
        }
      };
      take(lanes[0], node.trs.translation);
      take(lanes[1], node.trs.rotation);
      take(lanes[2], node.trs.scale);
      move_onto(grid, node);
      for (std::size_t c = 0; c < 3; ++c) {
        places[3 * i + c] = static_cast<float>(node.trs.translation[c]);
        scales[3 * i + c] = static_cast<float>(node.trs.scale[c]);
      }
    }
    put(set, "TRANSLATION", places);
    put(set, "SCALE", scales);
  }

 private:
  void put(Instancing& set, const char* semantic, const std::vector<float>& values) {
    Stream stream;
    stream.element = ElementType::vec3;
    stream.count = values.size() / 3;
    stream.view = make_id<ViewId>(scene_.views.size());
    BlockView view;
    view.block = make_id<BlockId>(scene_.blocks.size());
    view.length = values.size() * sizeof(float);
    scene_.blocks.emplace_back().bytes = make_bytes(values);
    scene_.views.push_back(view);
    scene_.streams.push_back(stream);
    const auto id = make_id<StreamId>(scene_.streams.size() - 1);
    const auto at = std::find_if(set.attributes.begin(), set.attributes.end(),
                                 [&](const Attribute& a) { return a.semantic == semantic; });
    if (at != set.attributes.end()) {
      at->stream = id;
    } else {
      set.attributes.push_back({semantic, id});
    }
  }

  Scene& scene_;
};

}  // namespace

Grids find_grids(const Scene& scene,
                 const std::vector<StreamRole>& roles,
                 const GeometrySettings& settings,
                 std::span<const NodeId> fixed) {
  return GridFinder(scene, roles, settings, fixed).find();
}

NewStream make_positions(const Scene& scene, StreamId id, const Grid& grid) {
  const std::vector<double> values = make_doubles(scene, id);
  NewStream out;
  out.stream = scene[id];
  out.stream.offset = 0;
  out.stream.sparse.reset();
  StreamBounds bounds{{HUGE_VAL, HUGE_VAL, HUGE_VAL}, {-HUGE_VAL, -HUGE_VAL, -HUGE_VAL}};
  const auto bound = [&](std::size_t c, double value) {
    bounds.min[c] = std::min(bounds.min[c], value);
    bounds.max[c] = std::max(bounds.max[c], value);
  };
  if (grid.whole) {
    out.stream.component = grid.from_pivot ? ComponentType::i16 : ComponentType::u16;
    out.stride = 8;
    std::vector<std::uint16_t> numbers(values.size() / 3 * 4);
    for (std::size_t i = 0; i < values.size(); ++i) {
      const double number = std::round((values[i] - grid.offset[i % 3]) / grid.step);
      // The bits of a number with a sign are those of one without.
      numbers[i / 3 * 4 + i % 3] = static_cast<std::uint16_t>(static_cast<std::int32_t>(number));
      bound(i % 3, number);
    }
    const auto bytes = std::as_bytes(std::span(numbers));
    out.bytes.assign(bytes.begin(), bytes.end());
  } else {
    std::vector<float> floats(values.size());
    out.stride = 3 * sizeof(float);
    for (std::size_t i = 0; i < values.size(); ++i) {
      // Without a negative zero, whose sign no packing keeps.
      floats[i] = static_cast<float>(std::round(values[i] / grid.step) * grid.step) + 0.0F;
      bound(i % 3, floats[i]);
    }
    const auto bytes = std::as_bytes(std::span(floats));
    out.bytes.assign(bytes.begin(), bytes.end());
  }
  out.stream.bounds = std::move(bounds);
  return out;
}

void place_nodes(const std::map<MeshId, Grid>& grids, Scene& scene) {
  InstanceMover mover(scene);
  for (Node& node : scene.nodes) {
    const auto grid = node.mesh == no_mesh ? grids.end() : grids.find(node.mesh);
    if (grid == grids.end()) {
      continue;
    }
    if (node.instancing) {
      // Its children stand below the node, not below its instances.
      mover.move(grid->second, node.instancing.ensure());
      continue;
    }
    move_onto(grid->second, node);
    for (const NodeId child : node.children) {
      undo_parent(grid->second, scene.nodes[to_index(child)]);
    }
  }
}

}  // namespace wakuzume
