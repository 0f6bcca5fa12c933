// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include "scene_maker.h"

#include <cmath>

namespace wakuzume::demo {

Vec4d make_turn(const Vec3d& axis, double angle) {
  const double s = std::sin(angle / 2);
  return {axis[0] * s, axis[1] * s, axis[2] * s, std::cos(angle / 2)};
}

SceneMaker::SceneMaker() {
  scene_.asset.generator = "Wakuzume demo";
  scene_.asset.copyright = "2026 The Wakuzume authors, MIT";
  scene_.extensions_used = {"KHR_lights_punctual"};
  scene_.samplers.push_back({"repeating", 9729, 9987, 10497, 10497, 0, {}});
  scene_.levels.emplace_back().name = "glasshouse";
  scene_.default_level = LevelId{0};
}

TextureId SceneMaker::add_texture(const std::string& name, const Canvas& canvas) {
  Image image;
  image.name = name;
  image.mime_type = "image/png";
  // The canvas always has a size, so encoding can't fail.
  image.bytes = make_bytes(*encode_png(canvas.pixels()));
  scene_.images.push_back(std::move(image));
  Texture texture;
  texture.name = name;
  texture.image = make_id<ImageId>(scene_.images.size() - 1);
  texture.sampler = SamplerId{0};
  scene_.textures.push_back(std::move(texture));
  return make_id<TextureId>(scene_.textures.size() - 1);
}

MaterialId SceneMaker::add_material(Material material) {
  scene_.materials.push_back(std::move(material));
  return make_id<MaterialId>(scene_.materials.size() - 1);
}

MeshId SceneMaker::add_mesh(const std::string& name, const std::vector<Piece>& pieces) {
  Mesh mesh;
  mesh.name = name;
  for (const auto& [shape, material] : pieces) {
    mesh.primitives.push_back(lanes_.add(scene_, shape, material));
  }
  scene_.meshes.push_back(std::move(mesh));
  return make_id<MeshId>(scene_.meshes.size() - 1);
}

NodeId SceneMaker::add_node(NodeId parent, const std::string& name, const Trs& trs, MeshId mesh) {
  Node node;
  node.name = name;
  node.trs = trs;
  node.mesh = mesh;
  const NodeId id = make_id<NodeId>(scene_.nodes.size());
  scene_.nodes.push_back(std::move(node));
  if (parent == no_node) {
    scene_.levels[0].roots.push_back(id);
  } else {
    scene_.nodes[to_index(parent)].children.push_back(id);
  }
  return id;
}

void SceneMaker::mark(NodeId node, const std::string& extras) {
  scene_.nodes[to_index(node)].extra.ensure().extras = extras;
}

LightId SceneMaker::add_point_light(const std::string& name, double candela, const Vec3d& color) {
  Light light;
  light.name = name;
  light.type = "point";
  light.color = color;
  light.intensity = candela;
  light.range = 9;
  scene_.lights.push_back(std::move(light));
  return make_id<LightId>(scene_.lights.size() - 1);
}

void SceneMaker::add_camera(const std::string& name,
                            const Vec3d& eye,
                            const Vec3d& target,
                            double yfov) {
  Camera camera;
  camera.name = name;
  camera.yfov = yfov;
  camera.aspect_ratio = 1.6;
  camera.znear = 0.1;
  camera.zfar = 200;
  scene_.cameras.push_back(std::move(camera));
  // Cameras look along -z: first up or down, then around.
  const double x = target[0] - eye[0];
  const double y = target[1] - eye[1];
  const double z = target[2] - eye[2];
  const Vec4d around = make_turn({0, 1, 0}, std::atan2(-x, -z));
  const Vec4d up = make_turn({1, 0, 0}, std::atan2(y, std::hypot(x, z)));
  const Vec4d both{around[3] * up[0], around[1] * up[3], -around[1] * up[0], around[3] * up[3]};
  const NodeId node = add_node(no_node, name, {eye, both, {1, 1, 1}});
  scene_.nodes[to_index(node)].camera = make_id<CameraId>(scene_.cameras.size() - 1);
}

void SceneMaker::animate(const std::string& name,
                         NodeId node,
                         const char* path,
                         const std::vector<float>& times_s,
                         const std::vector<float>& values,
                         ElementType element) {
  Animation animation;
  animation.name = name;
  AnimationSampler sampler;
  sampler.input = lanes_.add_numbers(scene_, times_s, ElementType::scalar);
  sampler.output = lanes_.add_numbers(scene_, values, element);
  sampler.interpolation = "LINEAR";
  animation.samplers.push_back(std::move(sampler));
  AnimationChannel channel;
  channel.node = node;
  channel.path = path;
  animation.channels.push_back(std::move(channel));
  scene_.animations.push_back(std::move(animation));
}

Scene SceneMaker::finish() {
  lanes_.finish(scene_);
  // The tree was grown from parents to children, so it can't hold a cycle.
  static_cast<void>(link_parents(scene_));
  return std::move(scene_);
}

}  // namespace wakuzume::demo
