// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include <fmt/format.h>

#include <algorithm>

#include "scene/elements.h"
#include "scene/hasher.h"
#include "scene/members.h"
#include "scene/running.h"
#include "wakuzume/gpu_pictures.h"

namespace wakuzume {
namespace {

/// Takes in the parts of a scene.
class Hasher : public ValueHasher {
 public:
  using ValueHasher::add;

  void add(const std::string& text) { add(std::string_view(text)); }
  template <class T>
  void add(const std::vector<T>& values) {
    add(values.size());
    for (const T& value : values) {
      add(value);
    }
  }
  void add(const RawMember& member) {
    add(member.name);
    add(member.json);
  }
  /// One that holds nothing is none: a file has no place for it.
  void add(const Boxed<Extra>& extra) {
    const bool any =
        extra && !(extra->extras.empty() && extra->extensions.empty() && extra->members.empty());
    add(any);
    if (any) {
      add(extra->extras);
      add(extra->extensions);
      add(extra->members);
    }
  }
  /// Without a member of the extras, which is no content.
  void add_but(const Boxed<Extra>& extra, const std::string& key) {
    Boxed<Extra> rest = extra;
    if (extra) {  // spelled one way, whether it has the member or not
      rest.ensure().extras = put_member(extra->extras, key, "");
    }
    add(rest);
  }
  void add(const Attribute& attribute) {
    add(attribute.semantic);
    add(attribute.stream);
  }
  void add(const TextureSlot& slot) {
    add(slot.texture);
    add(slot.texcoord);
    add(slot.factor);
    add(slot.extra);
    if (slot.transform) {
      add(slot.transform->offset);
      add(slot.transform->rotation);
      add(slot.transform->scale);
      add(slot.transform->texcoord);
    }
  }
  void add(const Material& material);
  void add(const Primitive& primitive);
  void add(const Node& node);
};

void Hasher::add(const Material& material) {
  add(material.name);
  add(material.base_color);
  add(material.metallic);
  add(material.roughness);
  add(material.emissive);
  add(material.alpha_mode);
  add(material.alpha_cutoff);
  add(material.double_sided);
  for (const TextureSlot* slot : list_slots(material)) {
    add(*slot);
  }
  add(material.pbr_extra);
  add(material.extra);
}

void Hasher::add(const Primitive& primitive) {
  add(primitive.attributes);
  add(primitive.indices);
  add(primitive.material);
  add(primitive.mode);
  add(primitive.morph_targets);
  add(primitive.extra);
}

void Hasher::add(const Node& node) {
  add(node.name);
  add(node.parent);
  add(node.mesh);
  add(node.camera);
  add(node.skin);
  add(node.light);
  add(make_local_matrix(node));
  add(node.children);
  add(static_cast<bool>(node.instancing));
  if (node.instancing) {
    add(node.instancing->attributes);
    add(node.instancing->extra);
  }
  add(node.extra);
}

void add_stream(Hasher& hasher,
                const Scene& scene,
                const Stream& stream,
                const std::vector<ContentHash>& view_hashes) {
  hasher.add(stream.offset);
  hasher.add(stream.count);
  hasher.add(stream.component);
  hasher.add(stream.element);
  hasher.add(stream.normalized);
  if (stream.view != no_view) {
    hasher.add(view_hashes[to_index(stream.view)]);
    hasher.add(scene[stream.view].stride);
  }
  if (stream.sparse) {
    hasher.add(stream.sparse->count);
    hasher.add(stream.sparse->index_type);
    hasher.add(view_hashes[to_index(stream.sparse->index_view)]);
    hasher.add(stream.sparse->index_offset);
    hasher.add(view_hashes[to_index(stream.sparse->value_view)]);
    hasher.add(stream.sparse->value_offset);
  }
}

void add_movement(Hasher& hasher, const Scene& scene) {
  for (const Skin& skin : scene.skins) {
    hasher.add(skin.joints);
    hasher.add(skin.inverse_bind_matrices);
  }
  for (const Animation& animation : scene.animations) {
    for (const AnimationChannel& channel : animation.channels) {
      hasher.add(channel.node);
      hasher.add(channel.path);
      hasher.add(channel.sampler);
    }
    for (const AnimationSampler& sampler : animation.samplers) {
      hasher.add(sampler.input);
      hasher.add(sampler.output);
      hasher.add(sampler.interpolation);
    }
  }
}

}  // namespace

ContentHash make_content_hash(const Scene& scene, const RunControl& run) {
  // By view and not by block: a written scene has its blocks packed anew, its views unchanged.
  RunControl quiet = run;
  quiet.observer = nullptr;
  std::vector<ContentHash> view_hashes(scene.views.size());
  for_each_index(scene.views.size(), quiet, "hashing", [&](std::size_t i) {
    const BlockView& view = scene.views[i];
    view_hashes[i] = hash_bytes(scene[view.block].bytes.data().subspan(view.offset, view.length));
  });
  Hasher hasher;
  hasher.add(scene.streams.size());
  for (const Stream& stream : scene.streams) {
    add_stream(hasher, scene, stream, view_hashes);
  }
  for (const Image& image : scene.images) {
    hasher.add(image.name);
    hasher.add(image.view != no_view ? view_hashes[to_index(image.view)]
                                     : hash_bytes(image.bytes.data()));
    image.bytes.let_go();
  }
  for (const Sampler& sampler : scene.samplers) {
    hasher.add(std::array{sampler.mag_filter, sampler.min_filter, sampler.wrap_s, sampler.wrap_t});
  }
  for (const Texture& texture : scene.textures) {
    hasher.add(texture.image);
    hasher.add(texture.sampler);
    hasher.add_but(texture.extra, gpu_picture_key);
    if (texture.layers) {
      hasher.add(texture.layers->image);
      hasher.add(texture.layers->layer_of);
    }
  }
  hasher.add(scene.materials);
  for (const Mesh& mesh : scene.meshes) {
    hasher.add(mesh.name);
    hasher.add(mesh.primitives);
    if (!mesh.plain.empty()) {
      hasher.add(mesh.plain);
    }
    hasher.add(mesh.extra);
  }
  add_movement(hasher, scene);
  hasher.add(scene.nodes);
  for (const Level& level : scene.levels) {
    hasher.add(level.roots);
  }
  return hasher.finish();
}

std::string to_string(const ContentHash& hash) {
  return fmt::format("{:016x}{:016x}", hash.high, hash.low);
}

}  // namespace wakuzume
