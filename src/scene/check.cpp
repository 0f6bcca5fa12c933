// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include "scene/checker.h"
#include "scene/running.h"

namespace wakuzume {
namespace {

/// A few bytes can ask for any number of draws: nodes times primitives of one shared mesh.
constexpr std::uint64_t max_draws = 1ULL << 24U;

/// Views may overlap, but a file that shows each byte this many times is made to waste time.
constexpr std::uint64_t max_view_overlap = 64;

/// offset + stride * (count - 1) + size <= length, without overflow. \pre count > 0
bool fits(std::uint64_t offset,
          std::uint64_t stride,
          std::uint64_t count,
          std::uint64_t size,
          std::uint64_t length) {
  std::uint64_t end = 0;
  return !__builtin_mul_overflow(stride, count - 1, &end) &&
         !__builtin_add_overflow(end, offset, &end) && !__builtin_add_overflow(end, size, &end) &&
         end <= length;
}

}  // namespace

bool Checker::check_views() {
  std::uint64_t viewed = 0;
  std::uint64_t held = 0;
  for (const Block& block : scene_.blocks) {
    held += block.bytes.size();
  }
  for (std::size_t i = 0; i < scene_.views.size(); ++i) {
    const BlockView& view = scene_.views[i];
    const std::string at = fmt::format("/bufferViews/{}", i);
    if (!present(view.block != no_block, at, "a buffer") ||
        !refers(view.block, scene_.blocks.size(), "buffer", at + "/buffer")) {
      return false;
    }
    const std::uint64_t size = scene_[view.block].bytes.size();
    if (view.length == 0 || !fits(view.offset, 0, 1, view.length, size)) {
      return fail(ErrorCode::out_of_bounds, at, "wants {} bytes from byte {} on, buffer {} has {}",
                  view.length, view.offset, to_index(view.block), size);
    }
    if (view.stride != 0 && (view.stride < 4 || view.stride > 252 || view.stride % 4 != 0)) {
      return fail(ErrorCode::bad_value, at + "/byteStride",
                  "{} is not a multiple of 4 between 4 and 252", view.stride);
    }
    viewed += view.length;
    if (viewed / max_view_overlap > held) {
      return fail(ErrorCode::too_large, at,
                  "the views together show over {} times the bytes of all buffers",
                  max_view_overlap);
    }
  }
  return true;
}

bool Checker::check_range(ViewId view,
                          std::uint64_t offset,
                          std::uint64_t count,
                          ComponentType component,
                          std::uint64_t element_size,
                          const std::string& at) {
  if (!refers(view, scene_.views.size(), "bufferView", at + "/bufferView")) {
    return false;
  }
  const BlockView& bytes = scene_[view];
  const std::uint64_t stride = bytes.stride == 0 ? element_size : bytes.stride;
  if (stride < element_size) {
    return fail(ErrorCode::bad_value, at,
                "elements of {} bytes overlap at the byteStride {} of bufferView {}", element_size,
                stride, to_index(view));
  }
  if (!fits(offset, stride, count, element_size, bytes.length)) {
    return fail(ErrorCode::out_of_bounds, at,
                "wants {} elements of {} bytes, {} bytes apart from byte {} on; bufferView {} has "
                "{} bytes",
                count, element_size, stride, offset, to_index(view), bytes.length);
  }
  if ((bytes.offset + offset) % component_bytes(component) != 0 ||
      offset % component_bytes(component) != 0) {
    return fail(ErrorCode::bad_value, at + "/byteOffset",
                "{} is not a multiple of the component size {}", offset,
                component_bytes(component));
  }
  return true;
}

bool Checker::check_sparse(const Stream& stream, const std::string& at) {
  const SparseSubstitution& sparse = *stream.sparse;
  const std::string index_at = at + "/sparse/indices";
  if (sparse.count == 0 || sparse.count > stream.count) {
    return fail(ErrorCode::bad_value, at + "/sparse/count",
                "{} is not between 1 and the accessor's count {}", sparse.count, stream.count);
  }
  if (!present(sparse.index_view != no_view, index_at, "a bufferView") ||
      !present(sparse.value_view != no_view, at + "/sparse/values", "a bufferView")) {
    return false;
  }
  if (sparse.index_type != ComponentType::u8 && sparse.index_type != ComponentType::u16 &&
      sparse.index_type != ComponentType::u32) {
    return fail(ErrorCode::bad_value, index_at + "/componentType", "{} is none of 5121, 5123, 5125",
                static_cast<int>(sparse.index_type));
  }
  if (!check_range(sparse.index_view, sparse.index_offset, sparse.count, sparse.index_type,
                   component_bytes(sparse.index_type), index_at) ||
      !check_range(sparse.value_view, sparse.value_offset, sparse.count, stream.component,
                   element_bytes(stream.component, stream.element), at + "/sparse/values")) {
    return false;
  }
  if (scene_[sparse.index_view].stride != 0 || scene_[sparse.value_view].stride != 0) {
    return fail(ErrorCode::bad_value, at + "/sparse", "its bufferViews must not have a byteStride");
  }
  return true;
}

bool Checker::check_stream(const Stream& stream, const std::string& at) {
  if (stream.count == 0 || stream.count >= no_index) {
    return fail(ErrorCode::bad_value, at + "/count", "{} is not between 1 and {}", stream.count,
                no_index - 1);
  }
  if (stream.normalized &&
      (stream.component == ComponentType::f32 || stream.component == ComponentType::u32)) {
    return fail(ErrorCode::bad_value, at + "/normalized", "componentType {} can't be normalized",
                static_cast<int>(stream.component));
  }
  if (stream.view != no_view &&
      !check_range(stream.view, stream.offset, stream.count, stream.component,
                   element_bytes(stream.component, stream.element), at)) {
    return false;
  }
  if (stream.bounds) {
    const std::size_t width = component_count(stream.element);
    for (const auto& [name, values] :
         {std::pair{"min", &stream.bounds->min}, std::pair{"max", &stream.bounds->max}}) {
      if (!values->empty() && values->size() != width) {
        return fail(ErrorCode::bad_value, fmt::format("{}/{}", at, name),
                    "has {} values, {} has {} components", values->size(),
                    to_string(stream.element), width);
      }
    }
  }
  return !stream.sparse || check_sparse(stream, at);
}

bool Checker::check_slot(const TextureSlot& slot, const std::string& at) {
  return refers(slot.texture, scene_.textures.size(), "texture", at + "/index");
}

bool Checker::check_materials() {
  for (std::size_t i = 0; i < scene_.images.size(); ++i) {
    const std::string at = fmt::format("/images/{}", i);
    const Image& image = scene_.images[i];
    if (!refers(image.view, scene_.views.size(), "bufferView", at + "/bufferView")) {
      return false;
    }
  }
  for (std::size_t i = 0; i < scene_.textures.size(); ++i) {
    const std::string at = fmt::format("/textures/{}", i);
    const Texture& texture = scene_.textures[i];
    if (!refers(texture.image, scene_.images.size(), "image", at + "/source") ||
        !refers(texture.sampler, scene_.samplers.size(), "sampler", at + "/sampler")) {
      return false;
    }
    if (texture.layers && !refers(texture.layers->image, scene_.images.size(), "image",
                                  at + "/extensions/WAKUZUME_texture_layers/source")) {
      return false;
    }
  }
  for (std::size_t i = 0; i < scene_.materials.size(); ++i) {
    const std::string at = fmt::format("/materials/{}", i);
    const Material& material = scene_.materials[i];
    const std::string pbr = at + "/pbrMetallicRoughness";
    if (!check_slot(material.base_color_texture, pbr + "/baseColorTexture") ||
        !check_slot(material.metallic_roughness_texture, pbr + "/metallicRoughnessTexture") ||
        !check_slot(material.normal_texture, at + "/normalTexture") ||
        !check_slot(material.occlusion_texture, at + "/occlusionTexture") ||
        !check_slot(material.emissive_texture, at + "/emissiveTexture")) {
      return false;
    }
  }
  return true;
}

bool Checker::check_nodes() {
  std::uint64_t draws = 0;
  for (std::size_t i = 0; i < scene_.nodes.size(); ++i) {
    const Node& node = scene_.nodes[i];
    const auto at = [i](const char* member) {
      return [i, member] { return fmt::format("/nodes/{}/{}", i, member); };
    };
    if (!refers(node.mesh, scene_.meshes.size(), "mesh", at("mesh")) ||
        !refers(node.camera, scene_.cameras.size(), "camera", at("camera")) ||
        !refers(node.skin, scene_.skins.size(), "skin", at("skin")) ||
        !refers(node.light, scene_.lights.size(), "light",
                at("extensions/KHR_lights_punctual/light")) ||
        !refers(node.parent, scene_.nodes.size(), "node", at("parent"))) {
      return false;
    }
    draws += node.mesh == no_mesh ? 0 : scene_[node.mesh].primitives.size();
    if (draws > max_draws) {
      return fail(ErrorCode::too_large, at("mesh")(), "the scene has more than {} draws",
                  max_draws);
    }
    if (node.instancing &&
        !check_instancing(*node.instancing, at("extensions/EXT_mesh_gpu_instancing")())) {
      return false;
    }
  }
  for (std::size_t i = 0; i < scene_.skins.size(); ++i) {
    const Skin& skin = scene_.skins[i];
    const std::string at = fmt::format("/skins/{}", i);
    if (!present(!skin.joints.empty(), at + "/joints", "at least one joint") ||
        !refers(skin.skeleton, scene_.nodes.size(), "node", at + "/skeleton") ||
        !refers(skin.inverse_bind_matrices, scene_.streams.size(), "accessor",
                at + "/inverseBindMatrices")) {
      return false;
    }
    for (std::size_t j = 0; j < skin.joints.size(); ++j) {
      if (!refers(skin.joints[j], scene_.nodes.size(), "node",
                  fmt::format("{}/joints/{}", at, j))) {
        return false;
      }
    }
  }
  return true;
}

bool Checker::check_animations() {
  for (std::size_t i = 0; i < scene_.animations.size(); ++i) {
    const Animation& animation = scene_.animations[i];
    for (std::size_t s = 0; s < animation.samplers.size(); ++s) {
      const std::string at = fmt::format("/animations/{}/samplers/{}", i, s);
      const AnimationSampler& sampler = animation.samplers[s];
      if (!present(sampler.input != no_stream, at, "an input") ||
          !present(sampler.output != no_stream, at, "an output") ||
          !refers(sampler.input, scene_.streams.size(), "accessor", at + "/input") ||
          !refers(sampler.output, scene_.streams.size(), "accessor", at + "/output")) {
        return false;
      }
    }
    for (std::size_t c = 0; c < animation.channels.size(); ++c) {
      const std::string at = fmt::format("/animations/{}/channels/{}", i, c);
      const AnimationChannel& channel = animation.channels[c];
      if (channel.sampler >= animation.samplers.size()) {
        return fail(ErrorCode::index_out_of_range, at + "/sampler",
                    "sampler {} does not exist, there are {}", channel.sampler,
                    animation.samplers.size());
      }
      if (!refers(channel.node, scene_.nodes.size(), "node", at + "/target/node")) {
        return false;
      }
    }
  }
  return true;
}

bool Checker::check_levels() {
  for (std::size_t i = 0; i < scene_.levels.size(); ++i) {
    std::vector<NodeId> roots = scene_.levels[i].roots;
    for (std::size_t r = 0; r < roots.size(); ++r) {
      const std::string at = fmt::format("/scenes/{}/nodes/{}", i, r);
      if (!refers(roots[r], scene_.nodes.size(), "node", at)) {
        return false;
      }
      if (scene_[roots[r]].parent != no_node) {
        return fail(ErrorCode::bad_value, at,
                    "node {} is a child of node {}; a scene lists root nodes only",
                    to_index(roots[r]), to_index(scene_[roots[r]].parent));
      }
    }
    std::sort(roots.begin(), roots.end());
    const auto twice = std::adjacent_find(roots.begin(), roots.end());
    if (twice != roots.end()) {
      return fail(ErrorCode::bad_value, fmt::format("/scenes/{}/nodes", i),
                  "node {} is listed twice", to_index(*twice));
    }
  }
  return refers(scene_.default_level, scene_.levels.size(), "scene", "/scene");
}

bool Checker::check_tables() {
  if (!check_views()) {
    return false;
  }
  for (std::size_t i = 0; i < scene_.streams.size(); ++i) {
    if (!check_stream(scene_.streams[i], fmt::format("/accessors/{}", i))) {
      return false;
    }
  }
  return check_materials() && check_nodes() && check_animations() && check_levels();
}

Result<void> check_scene(const Scene& scene, const RunControl& run) {
  Checker checker(scene);
  if (!checker.check_tables() || !checker.check_geometry() || !checker.check_indices(run)) {
    return Failure(*checker.error());
  }
  return {};
}

}  // namespace wakuzume
