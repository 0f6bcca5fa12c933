// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include "reduce/protection.h"

#include <fmt/format.h>

#include <algorithm>
#include <array>

#include "reduce/detail_mask.h"
#include "scene/matrix.h"
#include "survey/draws.h"
#include "survey/textures.h"

namespace wakuzume {
namespace {

Failure fail(std::string_view setting, std::string_view nothing, std::string_view glob) {
  return Failure(Error{ErrorCode::bad_setting,
                       fmt::format("reduce.{}: no {} matches \"{}\"", setting, nothing, glob),
                       {}});
}

/// Calls `visit(draw)` for what terms spoke of when they were asked.
template <class Visit>
Result<void> for_each_answered(const ReduceSettings& settings,
                               const WishList& wishes,
                               const Visit& visit) {
  for (std::size_t w = 0; w < wishes.size(); ++w) {
    if (!wishes[w].has_terms()) {
      continue;
    }
    const WishAnswer* const answer = find_answer(settings.answers, wishes[w].text());
    if (answer == nullptr) {
      return Failure(Error{
          ErrorCode::plan_mismatch,
          fmt::format("the reduction has no answer to \"{}\"; propose it anew", wishes[w].text()),
          {}});
    }
    std::for_each(answer->draws.begin(), answer->draws.end(), visit);
  }
  return {};
}

void hold(std::vector<float>& held, const MeshSurface::Part& part, std::size_t v, float weight) {
  float& of = held[part.first_vertex + v];
  of = std::max(of, std::clamp(weight, 0.0F, 1.0F));
}

}  // namespace

Result<Protection> Protection::make(const Scene& scene,
                                    const ReduceSettings& settings,
                                    std::span<const DetailMask> detail) {
  Protection out(scene, settings, detail);
  for (const auto step : {&Protection::choose_nodes, &Protection::find_protected,
                          &Protection::find_joints, &Protection::find_attribute}) {
    if (auto done = (out.*step)(); !done) {
      return Failure(done.error());
    }
  }
  if (!settings.protect_boxes.empty()) {
    out.world_ = make_world_matrices(scene);
  }
  return out;
}

Result<void> Protection::choose_nodes() {
  nodes_of_.resize(scene_.meshes.size());
  shown_by_.resize(scene_.meshes.size());
  const auto chosen = find_chosen();
  if (!chosen) {
    return Failure(chosen.error());
  }
  for_each_shown_node(scene_, [&](NodeId id) {
    const MeshId mesh = scene_[id].mesh;
    if (mesh == no_mesh) {
      return;
    }
    ++shown_by_[to_index(mesh)];
    if ((*chosen)[to_index(id)]) {
      nodes_of_[to_index(mesh)].push_back(id);
    }
  });
  return {};
}

/// By node: whether its mesh is reduced.
Result<std::vector<bool>> Protection::find_chosen() const {
  std::vector<bool> out(scene_.nodes.size(), settings_.nodes.empty());
  const auto wishes = WishList::parse(settings_.nodes);
  if (!wishes) {
    return Failure(wishes.error());
  }
  const auto choose = [&](const DrawRef& draw) {
    if (to_index(draw.node) < out.size()) {
      out[to_index(draw.node)] = true;
    }
  };
  if (auto done = for_each_answered(settings_, *wishes, choose); !done) {
    return Failure(done.error());
  }
  for (std::size_t n = 0; wishes->has_globs() && n < out.size(); ++n) {
    const NodeId id = make_id<NodeId>(n);
    if (scene_[id].mesh != no_mesh && wishes->find_glob(make_node_path(scene_, id)) != no_index) {
      out[n] = true;
    }
  }
  return out;
}

Result<void> Protection::find_protected() {
  mesh_held_.resize(scene_.meshes.size());
  material_held_.resize(scene_.materials.size());
  const auto wishes = WishList::parse(settings_.protect);
  if (!wishes) {
    return Failure(wishes.error());
  }
  for (std::size_t w = 0; w < wishes->size(); ++w) {
    if (!(*wishes)[w].has_terms()) {
      hold_matches((*wishes)[w]);
    }
  }
  return for_each_answered(settings_, *wishes, [&](const DrawRef& draw) {
    if (to_index(draw.node) < scene_.nodes.size() && scene_[draw.node].mesh != no_mesh) {
      primitive_held_.emplace(scene_[draw.node].mesh, draw.primitive);
    }
  });
}

void Protection::hold_matches(const Wish& glob) {
  for (std::size_t m = 0; m < scene_.meshes.size(); ++m) {
    mesh_held_[m] = mesh_held_[m] || glob.matches(scene_.meshes[m].name);
  }
  for (std::size_t m = 0; m < scene_.materials.size(); ++m) {
    material_held_[m] = material_held_[m] || glob.matches(scene_.materials[m].name);
  }
  for_each_shown_node(scene_, [&](NodeId id) {
    const MeshId mesh = scene_[id].mesh;
    if (mesh != no_mesh && glob.matches(make_node_path(scene_, id))) {
      mesh_held_[to_index(mesh)] = true;
    }
  });
}

Result<void> Protection::find_joints() {
  if (settings_.protect_joints.empty()) {
    return {};
  }
  std::vector<bool> is_joint(scene_.nodes.size(), false);
  for (const Skin& skin : scene_.skins) {
    for (const NodeId joint : skin.joints) {
      is_joint[to_index(joint)] = true;
    }
  }
  joint_held_.resize(scene_.nodes.size());
  for (const std::string& text : settings_.protect_joints) {
    const GlobSet glob({text});
    bool any = false;
    for (std::size_t n = 0; n < scene_.nodes.size(); ++n) {
      // What hangs below a joint moves with it.
      NodeId above = make_id<NodeId>(n);
      while (is_joint[n] && above != no_node &&
             glob.find(make_node_path(scene_, above)) == no_index) {
        above = scene_[above].parent;
      }
      if (is_joint[n] && above != no_node) {
        joint_held_[n] = true;
        any = true;
      }
    }
    if (!any) {
      return fail("protect_joints", "joint", text);
    }
  }
  return {};
}

Result<void> Protection::find_attribute() {
  const std::string& text = settings_.protect_attribute;
  if (text.empty()) {
    return {};
  }
  constexpr std::string_view components = "xyzwrgba";
  semantic_ = text;
  if (const std::size_t dot = text.rfind('.'); dot != std::string::npos) {
    const std::size_t letter =
        dot + 2 == text.size() ? components.find(text.back()) : std::string_view::npos;
    if (letter == std::string_view::npos) {
      return Failure(Error{ErrorCode::bad_setting,
                           fmt::format("reduce.protect_attribute is \"{}\"; after the dot stands "
                                       "one of x, y, z, w, r, g, b, a",
                                       text),
                           {}});
    }
    semantic_ = text.substr(0, dot);
    component_ = letter % 4;
  }
  for (const Mesh& mesh : scene_.meshes) {
    for (const Primitive& primitive : mesh.primitives) {
      const StreamId stream = primitive.find(semantic_);
      if (stream != no_stream && component_ < component_count(scene_[stream].element)) {
        return {};
      }
    }
  }
  return fail("protect_attribute", "attribute", text);
}

void Protection::hold_by_attribute(const Primitive& primitive,
                                   const MeshSurface& surface,
                                   const MeshSurface::Part& part,
                                   std::vector<float>& held) const {
  const StreamId stream = semantic_.empty() ? no_stream : primitive.find(semantic_);
  if (stream == no_stream) {
    return;
  }
  const std::size_t width = component_count(scene_[stream].element);
  if (component_ < width) {
    const std::vector<float> values = surface.read(part, stream);
    for (std::size_t v = 0; v < part.vertices; ++v) {
      hold(held, part, v, values[v * width + component_]);
    }
  }
}

void Protection::hold_by_joints(MeshId mesh,
                                const Primitive& primitive,
                                const MeshSurface& surface,
                                const MeshSurface::Part& part,
                                std::vector<float>& held) const {
  for (std::uint32_t set = 0; !joint_held_.empty(); ++set) {
    const StreamId joints = primitive.find(fmt::format("JOINTS_{}", set));
    const StreamId weights = primitive.find(fmt::format("WEIGHTS_{}", set));
    if (joints == no_stream || weights == no_stream) {
      return;
    }
    const std::vector<float> joint = surface.read(part, joints);
    const std::vector<float> weight = surface.read(part, weights);
    for (const NodeId node : nodes_of(mesh)) {
      if (scene_[node].skin == no_skin) {
        continue;
      }
      const std::vector<NodeId>& list = scene_.skins[to_index(scene_[node].skin)].joints;
      for (std::size_t i = 0; i < weight.size(); ++i) {
        const auto j = static_cast<std::size_t>(joint[i]);
        if (weight[i] > 0 && j < list.size() && joint_held_[to_index(list[j])]) {
          hold(held, part, i / 4, 1);
        }
      }
    }
  }
}

void Protection::hold_by_boxes(MeshId mesh,
                               const MeshSurface& surface,
                               std::vector<float>& held) const {
  const std::span<const float> positions = surface.positions();
  for (const NodeId node : nodes_of(mesh)) {
    for (std::size_t v = 0; v < surface.vertices(); ++v) {
      const Eigen::Vector4d at =
          as_eigen(world_[to_index(node)]) *
          Eigen::Vector4d(positions[3 * v], positions[3 * v + 1], positions[3 * v + 2], 1);
      const bool inside = std::any_of(
          settings_.protect_boxes.begin(), settings_.protect_boxes.end(), [&](const Box3d& box) {
            return at.x() >= box.min[0] && at.x() <= box.max[0] && at.y() >= box.min[1] &&
                   at.y() <= box.max[1] && at.z() >= box.min[2] && at.z() <= box.max[2];
          });
      held[v] = inside ? 1.0F : held[v];
    }
  }
}

/// Triangles under which a picture is fine somewhere.
void Protection::hold_by_detail(const Primitive& primitive,
                                const MeshSurface& surface,
                                const MeshSurface::Part& part,
                                std::vector<float>& held) const {
  if (detail_.empty() || primitive.material == no_material) {
    return;
  }
  const Material& material = scene_[primitive.material];
  for (const TextureSlot* slot : {&material.base_color_texture, &material.emissive_texture}) {
    const ImageId image =
        slot->texture == no_texture ? no_image : find_image(scene_, slot->texture);
    const auto mask = std::find_if(detail_.begin(), detail_.end(),
                                   [&](const DetailMask& of) { return of.image == image; });
    const StreamId uvs = primitive.find("TEXCOORD_" + std::to_string(find_uv_set(*slot)));
    if (image == no_image || mask == detail_.end() || uvs == no_stream) {
      continue;
    }
    const std::vector<float> values = surface.read(part, uvs);
    for (std::uint32_t t = part.first_triangle; t < part.first_triangle + part.triangles; ++t) {
      std::array<Vec2d, 3> corners{};
      const std::array<std::uint32_t, 3> at = surface.corners(t);
      for (std::size_t c = 0; c < 3; ++c) {
        const std::size_t v = at[c] - part.first_vertex;
        corners[c] = transform_uv(*slot, {values[2 * v], values[2 * v + 1]});
      }
      if (covers_detail(*mask, corners)) {
        for (const std::uint32_t v : at) {
          held[v] = 1;
        }
      }
    }
  }
}

/// Pieces of what was one mesh touch where they were cut apart.
void Protection::hold_cuts(MeshId mesh,
                           const MeshSurface::Part& part,
                           std::vector<float>& held) const {
  const std::span<const std::uint32_t> cut = cuts_.list(mesh, part.primitive);
  for (std::uint32_t v = 0; v < part.vertices && !cut.empty(); ++v) {
    const std::uint32_t element = part.elements.empty() ? v : part.elements[v];
    if (std::binary_search(cut.begin(), cut.end(), element)) {
      hold(held, part, v, 1);
    }
  }
}

std::vector<float> Protection::list_held(MeshId mesh, const MeshSurface& surface) const {
  std::vector<float> held(surface.vertices(), mesh_held_[to_index(mesh)] ? 1.0F : 0.0F);
  if (!mesh_held_[to_index(mesh)]) {
    for (const MeshSurface::Part& part : surface.parts()) {
      const Primitive& primitive = scene_[mesh].primitives[part.primitive];
      if ((primitive.material != no_material && material_held_[to_index(primitive.material)]) ||
          primitive_held_.contains({mesh, part.primitive})) {
        std::fill_n(held.begin() + part.first_vertex, part.vertices, 1.0F);
      }
      hold_by_attribute(primitive, surface, part, held);
      hold_by_joints(mesh, primitive, surface, part, held);
      hold_by_detail(primitive, surface, part, held);
      hold_cuts(mesh, part, held);
    }
    if (!settings_.protect_boxes.empty()) {
      hold_by_boxes(mesh, surface, held);
    }
  }
  return std::any_of(held.begin(), held.end(), [](float of) { return of > 0; })
             ? held
             : std::vector<float>{};
}

}  // namespace wakuzume
