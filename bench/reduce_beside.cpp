// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include <fmt/core.h>

#include <algorithm>
#include <array>
#include <chrono>
#include <cmath>
#include <map>
#include <optional>
#include <string>
#include <vector>

// Their headers as they are.
#include <OpenMesh/Core/Mesh/TriMesh_ArrayKernelT.hh>
#include <OpenMesh/Tools/Decimater/DecimaterT.hh>
#include <OpenMesh/Tools/Decimater/ModNormalFlippingT.hh>
#include <OpenMesh/Tools/Decimater/ModQuadricT.hh>

#include "wakuzume/deviation.h"
#include "wakuzume/io.h"
#include "wakuzume/surface.h"

/// Holds reductions against those of a general library for meshes: for each primitive of some
/// scenes that has enough triangles, at a half, a quarter and a tenth of them, the ratios of
/// distances, normals, textures and times. Its decimater knows places alone, so what vertices carry
/// goes along with those that stay.
///
///     wakuzume_reduce_beside LEAST_TRIANGLES SCENE...
namespace wakuzume {
namespace {

struct Part {
  std::string name;
  std::vector<float> positions;
  std::vector<float> normals;
  std::vector<float> uvs;
  std::vector<std::uint32_t> indices;

  [[nodiscard]] Surface show() const {
    Surface out{positions, indices, {}, {}};
    if (!normals.empty()) {
      out.traits.push_back({TraitKind::direction, 3, normals});
    }
    if (!uvs.empty()) {
      out.traits.push_back({TraitKind::uv, 2, uvs});
    }
    return out;
  }
  [[nodiscard]] std::size_t triangles() const { return indices.size() / 3; }
};

struct Timed {
  Part part;
  double seconds = 0;
};

double now() {
  return std::chrono::duration<double>(std::chrono::steady_clock::now().time_since_epoch()).count();
}

Timed reduce_here(const Part& part, std::size_t triangles) {
  const double begin = now();
  auto reduced = *reduce_surface(part.show(), {.triangles = triangles}, {}, {.threads = 1});
  Timed out{{}, now() - begin};
  out.part.positions = std::move(reduced.positions);
  out.part.indices = std::move(reduced.indices);
  std::size_t next = 0;
  if (!part.normals.empty()) {
    out.part.normals = std::move(reduced.traits[next++]);
  }
  if (!part.uvs.empty()) {
    out.part.uvs = std::move(reduced.traits[next]);
  }
  return out;
}

using Net = OpenMesh::TriMesh_ArrayKernelT<>;

/// A part as theirs: corners in one place are one. Nothing where it can't take all triangles.
std::optional<Net> make_net(const Part& part, std::vector<std::uint32_t>& vertex_of) {
  Net net;
  std::map<std::array<float, 3>, Net::VertexHandle> known;
  std::vector<Net::VertexHandle> handles;
  for (std::uint32_t v = 0; v < part.positions.size() / 3; ++v) {
    const float* at = &part.positions[std::size_t{3} * v];
    const auto [found, fresh] = known.try_emplace({at[0], at[1], at[2]}, Net::VertexHandle());
    if (fresh) {
      found->second = net.add_vertex(Net::Point(at[0], at[1], at[2]));
      vertex_of.push_back(v);
    }
    handles.push_back(found->second);
  }
  for (std::size_t i = 0; i < part.indices.size(); i += 3) {
    const auto a = handles[part.indices[i]];
    const auto b = handles[part.indices[i + 1]];
    const auto c = handles[part.indices[i + 2]];
    if (a != b && b != c && c != a && !net.add_face(a, b, c).is_valid()) {
      return std::nullopt;
    }
  }
  return net;
}

std::optional<Timed> reduce_there(const Part& part, std::size_t triangles) {
  std::vector<std::uint32_t> vertex_of;
  auto net = make_net(part, vertex_of);
  if (!net) {
    return std::nullopt;
  }
  net->request_face_normals();
  net->update_face_normals();
  OpenMesh::VPropHandleT<std::uint32_t> from;
  net->add_property(from);
  for (const auto v : net->vertices()) {
    net->property(from, v) = vertex_of[static_cast<std::size_t>(v.idx())];
  }
  const double begin = now();
  OpenMesh::Decimater::DecimaterT<Net> decimater(*net);
  OpenMesh::Decimater::ModQuadricT<Net>::Handle quadric;
  OpenMesh::Decimater::ModNormalFlippingT<Net>::Handle sides;
  decimater.add(quadric);
  decimater.add(sides);
  decimater.module(quadric).unset_max_err();
  decimater.initialize();
  decimater.decimate_to_faces(0, triangles);
  net->garbage_collection();
  Timed out{{}, now() - begin};
  for (const auto v : net->vertices()) {
    const auto& at = net->point(v);
    const std::size_t old = net->property(from, v);
    out.part.positions.insert(out.part.positions.end(), {at[0], at[1], at[2]});
    const auto take = [&](std::vector<float>& to, const std::vector<float>& values, std::size_t n) {
      if (!values.empty()) {
        to.insert(to.end(), &values[n * old], &values[n * old] + n);
      }
    };
    take(out.part.normals, part.normals, 3);
    take(out.part.uvs, part.uvs, 2);
  }
  for (const auto face : net->faces()) {
    for (auto v = net->cfv_iter(face); v.is_valid(); ++v) {
      out.part.indices.push_back(static_cast<std::uint32_t>(v->idx()));
    }
  }
  return out;
}

/// Ratios of one measure over all that was compared.
struct Ratios {
  std::string name;
  double nothing;  ///< what makes no difference, in the measure's unit
  std::vector<double> values{};

  void add(double here, double there) { values.push_back((here + nothing) / (there + nothing)); }
  void print() const {
    if (values.empty()) {
      return;
    }
    double sum = 0;
    for (const double value : values) {
      sum += std::log(value);
    }
    fmt::print("{:8} mean {:.3f}, worst {:.2f}, over 1.2 in {} of {}\n", name,
               std::exp(sum / static_cast<double>(values.size())),
               *std::max_element(values.begin(), values.end()),
               std::count_if(values.begin(), values.end(), [](double v) { return v > 1.2; }),
               values.size());
  }
};

struct Comparison {
  Ratios farthest{"farthest", 1e-6};
  Ratios distance{"mean", 2e-7};
  Ratios normals{"normals", 0.01};
  Ratios uvs{"uvs", 1e-5};
  Ratios time{"time", 1e-5};
  std::size_t left_out = 0;

  void compare(const Part& part) {
    for (const std::size_t share : {2U, 4U, 10U}) {
      const std::size_t triangles = part.triangles() / share;
      const auto there = reduce_there(part, triangles);
      if (!there || there->part.triangles() == 0) {
        ++left_out;
        continue;
      }
      const Timed here = reduce_here(part, triangles);
      constexpr DeviationSettings looks{.samples = 20'000};
      const Deviation a = *measure_deviation(part.show(), here.part.show(), looks);
      const Deviation b = *measure_deviation(part.show(), there->part.show(), looks);
      fmt::print("{:24.24} {:7} -> {:6} and {:6}  farthest {:.2e} {:.2e}  mean {:.2e} {:.2e}\n",
                 part.name, part.triangles(), here.part.triangles(), there->part.triangles(),
                 a.max_m(), b.max_m(), a.mean_m(), b.mean_m());
      farthest.add(a.max_m(), b.max_m());
      distance.add(a.mean_m(), b.mean_m());
      std::size_t next = 0;
      if (!part.normals.empty()) {
        normals.add(a.trait(next), b.trait(next));
        ++next;
      }
      if (!part.uvs.empty()) {
        uvs.add(a.trait(next), b.trait(next));
      }
      time.add(here.seconds, there->seconds);
    }
  }
};

std::vector<Part> list_parts(const Scene& scene, std::size_t least) {
  std::vector<Part> out;
  std::map<StreamId, bool> known;
  for (const wakuzume::Mesh& mesh : scene.meshes) {
    for (const Primitive& primitive : mesh.primitives) {
      const StreamId places = primitive.find("POSITION");
      if (primitive.mode != PrimitiveMode::triangles || places == no_stream ||
          count_list_indices(scene, primitive) / 3 < least || known[places]) {
        continue;
      }
      known[places] = true;
      Part part{mesh.name, make_floats(scene, places), {}, {}, make_list_indices(scene, primitive)};
      if (const StreamId normals = primitive.find("NORMAL"); normals != no_stream) {
        part.normals = make_floats(scene, normals);
      }
      if (const StreamId uvs = primitive.find("TEXCOORD_0"); uvs != no_stream) {
        part.uvs = make_floats(scene, uvs);
      }
      out.push_back(std::move(part));
    }
  }
  return out;
}

int run(int count, char** arguments) {
  if (count < 3) {
    fmt::print(stderr, "usage: wakuzume_reduce_beside LEAST_TRIANGLES SCENE...\n");
    return 2;
  }
  Comparison comparison;
  for (int i = 2; i < count; ++i) {
    const auto scene = read_scene(arguments[i]);
    if (!scene) {
      fmt::print(stderr, "{}\n", to_string(scene.error()));
      return 3;
    }
    for (const Part& part : list_parts(*scene, std::stoul(arguments[1]))) {
      comparison.compare(part);
    }
  }
  for (const Ratios* ratios : {&comparison.farthest, &comparison.distance, &comparison.normals,
                               &comparison.uvs, &comparison.time}) {
    ratios->print();
  }
  fmt::print("{} left out: the other does not take their triangles\n", comparison.left_out);
  return 0;
}

}  // namespace
}  // namespace wakuzume

int main(int count, char** arguments) { return wakuzume::run(count, arguments); }
