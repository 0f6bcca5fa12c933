// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#pragma once

#include <cstdint>
#include <random>
#include <string>
#include <vector>

#include "wakuzume/scene.h"

/// Small scenes for tests, made by the public interface alone.
namespace wakuzume::test {

using Floats = std::vector<float>;

/// Vertices of one primitive as plain lists; lists that are not empty become attributes.
struct MeshData {
  Floats positions;  ///< 3 a vertex
  Floats normals;
  Floats tangents;  ///< 4 a vertex
  Floats uvs;       ///< 2 a vertex
  Floats lightmap_uvs;
  Floats colors;  ///< 4 a vertex
  std::vector<std::uint32_t> indices;
  PrimitiveMode mode = PrimitiveMode::triangles;
};

/// Grows a scene. Every stream gets a view of its own.
class SceneBuilder {
 public:
  SceneBuilder();

  StreamId add_bytes(const void* data, std::size_t size, Stream stream, std::uint32_t stride = 0);
  template <class T>
  StreamId add_stream(const std::vector<T>& values,
                      ElementType element,
                      ComponentType component,
                      bool normalized = false) {
    Stream stream;
    stream.element = element;
    stream.component = component;
    stream.normalized = normalized;
    stream.count = values.size() / component_count(element);
    return add_bytes(values.data(), values.size() * sizeof(T), std::move(stream));
  }
  Primitive make_primitive(const MeshData& data, MaterialId material);
  MeshId add_mesh(const std::string& name, std::vector<Primitive> primitives);
  MeshId add_mesh(const std::string& name, const MeshData& data, MaterialId material = no_material);
  MaterialId add_material(const std::string& name, AlphaMode mode = AlphaMode::opaque);
  TextureId add_texture(ImageId image);
  NodeId add_node(const std::string& name,
                  MeshId mesh = no_mesh,
                  const Trs& trs = {},
                  NodeId parent = no_node);
  void set_extras(NodeId node, const std::string& json);
  /// A rotation of the node by an animation.
  void animate(NodeId node);
  /// Links parents and checks the scene; fails the test when it is not valid.
  Scene finish();

  Scene scene;
};

Trs at(double x, double y = 0, double z = 0);
Trs scaled(double x, double y, double z, const Vec3d& position = {0, 0, 0});

/// A unit square in the xy plane facing +z, corner at the origin: two triangles.
MeshData make_square();
/// A tetrahedron with normals and UVs.
MeshData make_tetrahedron();

/// A ball of radius 1 with bumps: closed, with normals, and UVs that have a seam; 2 side^2
/// triangles.
MeshData make_ball(std::uint32_t side, double bump);

/// A scene of `draws` draws with everything that merging has to cope with: modes, layouts, missing
/// attributes, mirrored and nested parents, several primitives, blended and animated parts.
Scene make_random_scene(std::uint32_t seed, std::size_t draws);

}  // namespace wakuzume::test
