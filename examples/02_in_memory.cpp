// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
//
// EXAMPLE: 02_in_memory
// SHOWS: geometry that never was in a file, merged by the core library alone.
// READ FIRST: 01_read_plan_build.cpp

#include <cstdio>
#include <string>
#include <vector>

#include "example.h"
#include "wakuzume/build.h"
#include "wakuzume/propose.h"
#include "wakuzume/scene.h"
#include "wakuzume/survey.h"

namespace {

/// Adds a vector as a block with one view and one stream on it.
template <class T>
wakuzume::StreamId add_stream(wakuzume::Scene& scene,
                              std::vector<T> values,
                              wakuzume::ElementType element,
                              wakuzume::ComponentType component) {
  wakuzume::Stream stream;
  stream.element = element;
  stream.component = component;
  stream.count = values.size() / component_count(element);
  stream.view = wakuzume::make_id<wakuzume::ViewId>(scene.views.size());
  wakuzume::BlockView view;
  view.block = wakuzume::make_id<wakuzume::BlockId>(scene.blocks.size());
  view.length = values.size() * sizeof(T);
  scene.blocks.emplace_back().bytes = wakuzume::make_bytes(std::move(values));
  scene.views.push_back(view);
  scene.streams.push_back(std::move(stream));
  return wakuzume::make_id<wakuzume::StreamId>(scene.streams.size() - 1);
}

/// A fence post: one triangle is enough to show how it goes.
wakuzume::MeshId add_post(wakuzume::Scene& scene, float height) {
  using wakuzume::ComponentType;
  using wakuzume::ElementType;
  wakuzume::Primitive primitive;
  primitive.material = wakuzume::MaterialId{0};
  primitive.attributes = {
      {"POSITION", add_stream(scene, std::vector<float>{0, 0, 0, 0.2F, 0, 0, 0, height, 0},
                              ElementType::vec3, ComponentType::f32)}};
  wakuzume::Mesh mesh;
  mesh.name = "post";
  mesh.primitives = {primitive};
  scene.meshes.push_back(mesh);
  return wakuzume::make_id<wakuzume::MeshId>(scene.meshes.size() - 1);
}

}  // namespace

int main() {
  wakuzume::Scene scene;
  scene.materials.emplace_back().name = "weathered oak";
  scene.levels.emplace_back();
  for (int i = 0; i < 20; ++i) {
    wakuzume::Node node;
    node.name = "post " + std::to_string(i);
    node.trs.translation = {i * 2.0, 0, 0};
    node.mesh = add_post(scene, 1.0F + 0.05F * static_cast<float>(i));
    scene.levels[0].roots.push_back(wakuzume::make_id<wakuzume::NodeId>(scene.nodes.size()));
    scene.nodes.push_back(node);
  }
  // Scenes made by hand are checked once; the stages rely on it.
  if (!link_parents(scene) || !check_scene(scene)) {
    return 1;
  }
  const auto survey = wakuzume::survey(scene);
  const auto plan = wakuzume::propose(scene, *survey, {.cell_size_m = 10});
  const auto built = wakuzume::build(scene, *plan);
  if (!built) {
    return fail(built.error());
  }
  for (const wakuzume::Group& group : plan->groups) {
    std::printf("%s: %zu draws\n", group.name.c_str(), group.members.size());
  }
  // The ledger answers where a source node is now.
  const wakuzume::LedgerRow& row = built->ledger.rows[7];
  std::printf("%s is in %s, vertices %llu to %llu\n", scene[row.source.node].name.c_str(),
              built->scene[row.node].name.c_str(),
              static_cast<unsigned long long>(row.first_vertex),
              static_cast<unsigned long long>(row.first_vertex + row.vertex_count - 1));
  return 0;
}
