// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include "build/colliders.h"

#include <fmt/format.h>
#include <libqhull_r/qhull_ra.h>

#include <Eigen/Core>
#include <Eigen/Geometry>
#include <Eigen/LU>
#include <algorithm>
#include <cstdio>
#include <iterator>
#include <map>
#include <memory>

#include "rework/detach.h"
#include "rework/geometry_block.h"
#include "scene/index_data.h"
#include "scene/matrix.h"
#include "scene/tree.h"
#include "survey/draws.h"

namespace wakuzume {
namespace {

/// Triangles that face outwards.
struct Body {
  std::vector<float> positions;
  std::vector<std::uint32_t> indices;
};

Body make_box(const std::vector<float>& positions) {
  Eigen::AlignedBox3f box;
  for (std::size_t i = 0; i + 2 < positions.size(); i += 3) {
    box.extend(Eigen::Map<const Eigen::Vector3f>(&positions[i]));
  }
  Body out;
  for (unsigned corner = 0; corner < 8; ++corner) {
    for (unsigned axis = 0; axis < 3; ++axis) {
      const auto at = static_cast<Eigen::Index>(axis);
      out.positions.push_back((corner >> axis & 1U) != 0 ? box.max()[at] : box.min()[at]);
    }
  }
  out.indices = {0, 4, 6, 0, 6, 2, 1, 3, 7, 1, 7, 5, 0, 1, 5, 0, 5, 4,
                 2, 6, 7, 2, 7, 3, 0, 2, 3, 0, 3, 1, 4, 5, 7, 4, 7, 6};
  return out;
}

/// One run of the library, which keeps all of its state in one object and frees it in two steps.
class HullRun {
 public:
  explicit HullRun(std::vector<double>& points) {
    QHULL_LIB_CHECK
    qh_zero(&state_, sink_.get());
    char options[] = "qhull Qt";
    good_ = qh_new_qhull(&state_, 3, static_cast<int>(points.size() / 3), points.data(), False,
                         options, nullptr, sink_.get()) == 0;
  }
  ~HullRun() {
    int chunks = 0;
    int bytes = 0;
    qh_freeqhull(&state_, !qh_ALL);
    qh_memfreeshort(&state_, &chunks, &bytes);
  }
  HullRun(const HullRun&) = delete;
  HullRun& operator=(const HullRun&) = delete;

  [[nodiscard]] bool good() const { return good_; }

  /// Calls `visit(corner numbers, outward normal)` for each triangle.
  template <class Visit>
  void for_each_triangle(const Visit& visit) {
    for (const facetT* facet = state_.facet_list; facet != nullptr && facet->next != nullptr;
         facet = facet->next) {
      std::vector<std::uint32_t> corners;
      for (int i = 0; i < qh_setsize(&state_, facet->vertices); ++i) {
        const auto* const vertex = static_cast<vertexT*>(SETelem_(facet->vertices, i));
        corners.push_back(static_cast<std::uint32_t>(qh_pointid(&state_, vertex->point)));
      }
      if (corners.size() == 3) {
        visit(corners, Eigen::Vector3d(facet->normal[0], facet->normal[1], facet->normal[2]));
      }
    }
  }

 private:
  struct Close {
    void operator()(std::FILE* file) const { std::fclose(file); }
  };
  // The library tells its troubles to a file; ours is a piece of memory that nobody reads.
  std::unique_ptr<std::FILE, Close> sink_{fmemopen(nullptr, 1U << 16U, "w")};
  qhT state_{};
  bool good_ = false;
};

Body make_hull(const std::vector<float>& positions) {
  std::vector<double> points(positions.begin(), positions.end());
  HullRun run(points);
  if (!run.good()) {
    return make_box(positions);
  }
  const auto place = [&](std::uint32_t v) {
    return Eigen::Vector3d(points[3 * std::size_t{v}], points[3 * std::size_t{v} + 1],
                           points[3 * std::size_t{v} + 2]);
  };
  std::vector<std::array<std::uint32_t, 3>> triangles;
  run.for_each_triangle([&](std::vector<std::uint32_t>& corners, const Eigen::Vector3d& outward) {
    const Eigen::Vector3d across =
        (place(corners[1]) - place(corners[0])).cross(place(corners[2]) - place(corners[0]));
    if (across.dot(outward) < 0) {
      std::swap(corners[1], corners[2]);
    }
    std::rotate(corners.begin(), std::min_element(corners.begin(), corners.end()), corners.end());
    triangles.push_back({corners[0], corners[1], corners[2]});
  });
  std::sort(triangles.begin(), triangles.end());
  Body out;
  std::map<std::uint32_t, std::uint32_t> number;
  for (const auto& triangle : triangles) {
    for (const std::uint32_t v : triangle) {
      const auto [slot, added] =
          number.try_emplace(v, static_cast<std::uint32_t>(out.positions.size() / 3));
      if (added) {
        const auto from = positions.begin() + static_cast<std::ptrdiff_t>(3 * std::size_t{v});
        out.positions.insert(out.positions.end(), from, from + 3);
      }
      out.indices.push_back(slot->second);
    }
  }
  return out;
}

/// The body as a primitive with data of its own.
Primitive add_body(Scene& scene, const Body& body) {
  GeometryBlock block;
  const std::uint64_t vertices = body.positions.size() / 3;
  const std::uint64_t position_bytes = body.positions.size() * sizeof(float);
  const std::uint64_t at = block.reserve(position_bytes);
  Stream indices;
  indices.count = body.indices.size();
  indices.component = find_index_type(vertices);
  const std::uint32_t size = component_bytes(indices.component);
  const std::uint64_t index_at = block.reserve(body.indices.size() * size);
  block.allocate();
  std::memcpy(block.data(at), body.positions.data(), position_bytes);
  block.close(index_at, body.indices.size() * size);
  store_indices(body.indices, indices.component, block.data(index_at));
  const BlockId id = make_id<BlockId>(scene.blocks.size());
  scene.blocks.emplace_back().bytes = block.finish();
  Stream stream;
  stream.count = vertices;
  stream.element = ElementType::vec3;
  Box3d box;
  for (std::size_t i = 0; i + 2 < body.positions.size(); i += 3) {
    box.include(Vec3d{body.positions[i], body.positions[i + 1], body.positions[i + 2]});
  }
  stream.bounds = StreamBounds{{box.min.begin(), box.min.end()}, {box.max.begin(), box.max.end()}};
  Primitive out;
  out.attributes.push_back(
      {"POSITION", add_stream(scene, id, at, position_bytes, 34962, 12, std::move(stream))});
  out.indices =
      add_stream(scene, id, index_at, body.indices.size() * size, 34963, size, std::move(indices));
  return out;
}

/// What draws had, in the space of a node of the scene, or of its first instance that is left.
Body make_original_body(const Scene& scene, NodeId node, const OriginalDraws& original) {
  std::vector<LedgerRow> rows = original.rows;
  Mat4d world = make_world_matrix(scene, node);
  if (scene[node].instancing && !rows.empty()) {
    const auto first = std::min_element(
        rows.begin(), rows.end(),
        [](const LedgerRow& a, const LedgerRow& b) { return a.instance < b.instance; });
    const std::uint32_t instance = first->instance;
    world =
        make_product(world, make_matrix(make_instance_transforms(scene, scene[node])[instance]));
    std::erase_if(rows, [&](const LedgerRow& row) { return row.instance != instance; });
  }
  const Eigen::Matrix4d back = as_eigen(world).inverse();
  Body out;
  for (const LedgerRow& row : rows) {
    const Primitive& primitive = primitive_of(original.scene, row.source);
    const Eigen::Matrix4d matrix =
        back * as_eigen(make_world_matrix(original.scene, row.source.node));
    if (!matrix.allFinite()) {
      continue;  // it is nowhere
    }
    const auto first = static_cast<std::uint32_t>(out.positions.size() / 3);
    const std::vector<float> positions = make_floats(original.scene, primitive.find("POSITION"));
    for (std::size_t i = 0; i + 2 < positions.size(); i += 3) {
      const Eigen::Vector3d at = Eigen::Map<const Eigen::Vector3f>(&positions[i]).cast<double>();
      const Eigen::Vector3f moved =
          (matrix.topLeftCorner<3, 3>() * at + matrix.topRightCorner<3, 1>()).cast<float>();
      out.positions.insert(out.positions.end(), moved.begin(), moved.end());
    }
    const bool turned = matrix.topLeftCorner<3, 3>().determinant() < 0;
    std::vector<std::uint32_t> list = make_list_indices(original.scene, primitive);
    for (std::size_t i = 0; i + 2 < list.size(); i += 3) {
      if (turned) {
        std::swap(list[i + 1], list[i + 2]);
      }
    }
    std::transform(list.begin(), list.end(), std::back_inserter(out.indices),
                   [&](std::uint32_t index) { return first + index; });
  }
  return out;
}

/// Places of the vertices that something shows, in ascending order.
std::vector<float> list_used(const std::vector<float>& all, std::vector<std::uint32_t> indices) {
  std::sort(indices.begin(), indices.end());
  indices.erase(std::unique(indices.begin(), indices.end()), indices.end());
  std::vector<float> positions;
  for (const std::uint32_t v : indices) {
    const auto from = all.begin() + static_cast<std::ptrdiff_t>(3 * std::size_t{v});
    positions.insert(positions.end(), from, from + 3);
  }
  return positions;
}

Body make_shape(const std::vector<float>& positions, ColliderShape shape) {
  return shape == ColliderShape::box ? make_box(positions) : make_hull(positions);
}

Primitive make_primitive(Scene& scene, const Primitive& shown, ColliderShape shape) {
  if (shape == ColliderShape::triangles) {
    Primitive out;
    out.mode = shown.mode;
    out.indices = shown.indices;
    out.attributes.push_back({"POSITION", shown.find("POSITION")});
    return out;
  }
  // Only what is drawn: a primitive may share its vertices with others.
  const std::vector<float> positions =
      list_used(make_floats(scene, shown.find("POSITION")), make_list_indices(scene, shown));
  return add_body(scene, make_shape(positions, shape));
}

/// Without vertices where the draws have none that stand anywhere.
Body make_original(const Scene& scene,
                   NodeId node,
                   const OriginalDraws& original,
                   ColliderShape shape) {
  Body body = make_original_body(scene, node, original);
  return shape == ColliderShape::triangles || body.indices.empty()
             ? body
             : make_shape(list_used(body.positions, body.indices), shape);
}

}  // namespace

Boxed<Extra> make_collider_extra(const std::string& key) {
  Extra out;
  out.extras = fmt::format("{{\"{}\":true}}", key.empty() ? "collider" : key);
  out.extensions.push_back({"KHR_node_visibility", R"({"visible":false})"});
  return out;
}

NodeId add_collider(Scene& scene,
                    NodeId node,
                    std::uint32_t primitive,
                    ColliderShape shape,
                    const std::string& name,
                    const Boxed<Extra>& extra,
                    const OriginalDraws* original) {
  const Primitive shown = scene[scene[node].mesh].primitives[primitive];
  if (find_topology(shown.mode) != Topology::triangles) {
    return no_node;
  }
  Mesh mesh;
  mesh.name = name;
  if (original != nullptr) {
    const Body body = make_original(scene, node, *original, shape);
    if (body.indices.empty()) {
      return no_node;
    }
    mesh.primitives.push_back(add_body(scene, body));
  } else {
    mesh.primitives.push_back(make_primitive(scene, shown, shape));
  }
  Node out;
  out.name = name;
  out.parent = node;
  out.mesh = make_id<MeshId>(scene.meshes.size());
  scene.meshes.push_back(std::move(mesh));
  out.extra = extra;
  if (scene[node].instancing) {
    for (const Attribute& attribute : scene[node].instancing->attributes) {
      if (!attribute.semantic.starts_with('_')) {
        out.instancing.ensure().attributes.push_back(attribute);
      }
    }
  }
  const NodeId id = make_id<NodeId>(scene.nodes.size());
  scene.nodes.push_back(std::move(out));
  scene.nodes[to_index(node)].children.push_back(id);
  add_once(scene.extensions_used, "KHR_node_visibility");
  return id;
}

}  // namespace wakuzume
