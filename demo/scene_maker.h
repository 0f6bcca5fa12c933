// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#pragma once

#include <string>
#include <utility>
#include <vector>

#include "drawing.h"
#include "mesh_maker.h"

/// Filling the tables of a scene.
namespace wakuzume::demo {

/// One piece of a mesh: its shape and what it is made of.
using Piece = std::pair<Shape, MaterialId>;

class SceneMaker {
 public:
  SceneMaker();

  TextureId add_texture(const std::string& name, const Canvas& canvas);
  MaterialId add_material(Material material);
  MeshId add_mesh(const std::string& name, const std::vector<Piece>& pieces);
  NodeId add_node(NodeId parent,
                  const std::string& name,
                  const Trs& trs = {},
                  MeshId mesh = no_mesh);
  /// Extras of a node as JSON text.
  void mark(NodeId node, const std::string& extras);
  LightId add_point_light(const std::string& name, double candela, const Vec3d& color);
  /// Looks from `eye` at `target`.
  void add_camera(const std::string& name, const Vec3d& eye, const Vec3d& target, double yfov);
  /// One channel on one node, linear between the keys.
  void animate(const std::string& name,
               NodeId node,
               const char* path,
               const std::vector<float>& times_s,
               const std::vector<float>& values,
               ElementType element);

  LaneWriter& lanes() { return lanes_; }
  Scene& scene() { return scene_; }
  Scene finish();

 private:
  Scene scene_;
  LaneWriter lanes_;
};

/// Rotation by an angle in radians around an axis of unit length.
Vec4d make_turn(const Vec3d& axis, double angle);

}  // namespace wakuzume::demo
