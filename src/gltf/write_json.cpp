// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include "gltf/write_json.h"

#include "gltf/packed_parts.h"
#include "gltf/spelled.h"

namespace wakuzume {
namespace {

constexpr const char* punctual = "KHR_lights_punctual";

class GltfJson {
 public:
  GltfJson(const Scene& scene, const Placement& placement, JsonOut& out)
      : scene_(scene), placement_(placement), out_(out) {}

  void write() {
    out_.begin_object();
    write_asset();
    list("extensionsUsed", with_packing(scene_.extensions_used));
    list("extensionsRequired", with_packing(scene_.extensions_required));
    if (scene_.default_level != no_level) {
      out_.member("scene", scene_.default_level);
    }
    table("scenes", scene_.levels, [&](const Level& level) { write_level(level); });
    table("nodes", scene_.nodes, [&](const Node& node) { write_node(node); });
    table("cameras", scene_.cameras, [&](const Camera& camera) { write_camera(camera); });
    table("meshes", scene_.meshes, [&](const Mesh& mesh) { write_mesh(mesh); });
    table("materials", scene_.materials, [&](const Material& m) { write_material(m); });
    table("textures", scene_.textures, [&](const Texture& t) { write_texture(t); });
    write_images();
    table("samplers", scene_.samplers, [&](const Sampler& s) { write_sampler(s); });
    table("skins", scene_.skins, [&](const Skin& skin) { write_skin(skin); });
    table("animations", scene_.animations, [&](const Animation& a) { write_animation(a); });
    table("accessors", scene_.streams, [&](const Stream& stream) { write_stream(stream); });
    write_views();
    table("buffers", placement_.buffers, [&](const BufferOut& buffer) { write_buffer(buffer); });
    write_rest(scene_.extra, !scene_.lights.empty() || scene_.lights_extra, [&] {
      out_.begin_object(punctual);
      table("lights", scene_.lights, [&](const Light& light) { write_light(light); });
      write_rest(scene_.lights_extra);
      out_.end_object();
    });
    out_.end_object();
  }

 private:
  [[nodiscard]] std::vector<std::string> with_packing(std::vector<std::string> names) const {
    if (placement_.stand_in != no_index) {
      names.emplace_back(packed_extension);
    }
    return names;
  }

  template <class T, class Write>
  void table(std::string_view name, const std::vector<T>& items, const Write& write) {
    if (items.empty()) {
      return;
    }
    out_.begin_array(name);
    for (const T& item : items) {
      write(item);
    }
    out_.end_array();
  }

  template <class T>
  void list(std::string_view name, const std::vector<T>& items) {
    if (!items.empty()) {
      out_.member(name, items);
    }
  }

  template <class T>
  void unless_default(std::string_view name,
                      const T& value,
                      const T& standard,
                      std::uint32_t spelled,
                      std::uint32_t bit) {
    if (value != standard || (spelled & bit) != 0) {
      out_.member(name, value);
    }
  }

  template <class Id>
  void reference(std::string_view name, Id id) {
    if (to_index(id) != no_index) {
      out_.member(name, id);
    }
  }

  /// Extensions, extras and unknown members. `known` writes the extensions of the scene model.
  template <class Known>
  void write_rest(const Boxed<Extra>& extra, bool has_known, const Known& known) {
    if (has_known || (extra && !extra->extensions.empty())) {
      out_.begin_object("extensions");
      if (has_known) {
        known();
      }
      if (extra) {
        for (const RawMember& extension : extra->extensions) {
          out_.member_raw(extension.name, extension.json);
        }
      }
      out_.end_object();
    }
    if (!extra) {
      return;
    }
    if (!extra->extras.empty()) {
      out_.member_raw("extras", extra->extras);
    }
    for (const RawMember& member : extra->members) {
      out_.member_raw(member.name, member.json);
    }
  }
  void write_rest(const Boxed<Extra>& extra) {
    write_rest(extra, false, [] {});
  }

  void write_asset() {
    const Asset& asset = scene_.asset;
    out_.begin_object("asset");
    out_.member("version", asset.version);
    out_.member_if("minVersion", asset.min_version);
    out_.member_if("generator", asset.generator);
    out_.member_if("copyright", asset.copyright);
    write_rest(asset.extra);
    out_.end_object();
  }

  void write_level(const Level& level) {
    out_.begin_object();
    out_.member_if("name", level.name);
    list("nodes", level.roots);
    write_rest(level.extra);
    out_.end_object();
  }

  void write_attributes(std::string_view name, const std::vector<Attribute>& attributes) {
    if (!name.empty()) {
      out_.key(name);
    }
    out_.begin_object();
    for (const Attribute& attribute : attributes) {
      out_.member(attribute.semantic, attribute.stream);
    }
    out_.end_object();
  }

  void write_node(const Node& node) {
    const Trs standard;
    out_.begin_object();
    out_.member_if("name", node.name);
    list("children", node.children);
    reference("mesh", node.mesh);
    reference("camera", node.camera);
    reference("skin", node.skin);
    if (node.matrix) {
      out_.member("matrix", *node.matrix);
    } else {
      const auto& trs = node.trs;
      unless_default("translation", trs.translation, standard.translation, node.spelled,
                     spelled::node::translation);
      unless_default("rotation", trs.rotation, standard.rotation, node.spelled,
                     spelled::node::rotation);
      unless_default("scale", trs.scale, standard.scale, node.spelled, spelled::node::scale);
    }
    if (node.weights) {
      out_.member("weights", *node.weights);
    }
    write_rest(node.extra, node.light != no_light || node.instancing, [&] {
      if (node.light != no_light) {
        out_.begin_object(punctual);
        out_.member("light", node.light);
        out_.end_object();
      }
      if (node.instancing) {
        out_.begin_object("EXT_mesh_gpu_instancing");
        write_attributes("attributes", node.instancing->attributes);
        write_rest(node.instancing->extra);
        out_.end_object();
      }
    });
    out_.end_object();
  }

  void write_camera(const Camera& camera) {
    out_.begin_object();
    out_.member_if("name", camera.name);
    out_.member("type", camera.perspective ? "perspective" : "orthographic");
    out_.begin_object(camera.perspective ? "perspective" : "orthographic");
    if (camera.perspective) {
      if (camera.aspect_ratio != 0) {
        out_.member("aspectRatio", camera.aspect_ratio);
      }
      out_.member("yfov", camera.yfov);
    } else {
      out_.member("xmag", camera.xmag);
      out_.member("ymag", camera.ymag);
    }
    out_.member("znear", camera.znear);
    if (camera.zfar != 0 || !camera.perspective) {
      out_.member("zfar", camera.zfar);
    }
    write_rest(camera.lens_extra);
    out_.end_object();
    write_rest(camera.extra);
    out_.end_object();
  }

  void write_light(const Light& light) {
    const Light standard;
    const bool spot = light.type == "spot" || (light.spelled & spelled::light::spot) != 0;
    out_.begin_object();
    out_.member_if("name", light.name);
    out_.member("type", light.type);
    unless_default("color", light.color, standard.color, light.spelled, spelled::light::color);
    unless_default("intensity", light.intensity, standard.intensity, light.spelled,
                   spelled::light::intensity);
    if (light.range != 0) {
      out_.member("range", light.range);
    }
    if (spot) {
      out_.begin_object("spot");
      unless_default("innerConeAngle", light.inner_cone, standard.inner_cone, light.spelled,
                     spelled::light::inner_cone);
      unless_default("outerConeAngle", light.outer_cone, standard.outer_cone, light.spelled,
                     spelled::light::outer_cone);
      write_rest(light.spot_extra);
      out_.end_object();
    }
    write_rest(light.extra);
    out_.end_object();
  }

  void write_mesh(const Mesh& mesh) {
    out_.begin_object();
    out_.member_if("name", mesh.name);
    write_primitives(mesh.plain.empty() ? mesh.primitives : mesh.plain);
    list("weights", mesh.weights);
    write_rest(mesh.extra, !mesh.plain.empty(), [&] {
      out_.begin_object(texture_layers_extension);
      write_primitives(mesh.primitives);
      out_.end_object();
    });
    out_.end_object();
  }

  void write_primitives(const std::vector<Primitive>& primitives) {
    out_.begin_array("primitives");
    for (const Primitive& primitive : primitives) {
      out_.begin_object();
      write_attributes("attributes", primitive.attributes);
      reference("indices", primitive.indices);
      reference("material", primitive.material);
      if (primitive.mode != PrimitiveMode::triangles ||
          (primitive.spelled & spelled::primitive::mode) != 0) {
        out_.member("mode", primitive.mode);
      }
      table("targets", primitive.morph_targets,
            [&](const std::vector<Attribute>& target) { write_attributes({}, target); });
      write_rest(primitive.extra);
      out_.end_object();
    }
    out_.end_array();
  }

  void write_slot(std::string_view name,
                  const TextureSlot& slot,
                  std::string_view factor_name = {}) {
    if (slot.texture == no_texture) {
      return;
    }
    out_.begin_object(name);
    out_.member("index", slot.texture);
    unless_default("texCoord", slot.texcoord, 0U, slot.spelled, spelled::slot::texcoord);
    if (!factor_name.empty()) {
      unless_default(factor_name, slot.factor, 1.0, slot.spelled, spelled::slot::factor);
    }
    write_rest(slot.extra, static_cast<bool>(slot.transform), [&] {
      const UvTransform standard;
      const UvTransform& t = *slot.transform;
      out_.begin_object("KHR_texture_transform");
      unless_default("offset", t.offset, standard.offset, t.spelled, spelled::uv_transform::offset);
      unless_default("rotation", t.rotation, standard.rotation, t.spelled,
                     spelled::uv_transform::rotation);
      unless_default("scale", t.scale, standard.scale, t.spelled, spelled::uv_transform::scale);
      if (t.texcoord != no_index) {
        out_.member("texCoord", t.texcoord);
      }
      write_rest(t.extra);
      out_.end_object();
    });
    out_.end_object();
  }

  void write_pbr(const Material& material) {
    const Material standard;
    const bool needed = (material.spelled & spelled::material::pbr) != 0 ||
                        material.base_color != standard.base_color || material.metallic != 1 ||
                        material.roughness != 1 || material.pbr_extra ||
                        material.base_color_texture.texture != no_texture ||
                        material.metallic_roughness_texture.texture != no_texture;
    if (!needed) {
      return;
    }
    out_.begin_object("pbrMetallicRoughness");
    unless_default("baseColorFactor", material.base_color, standard.base_color, material.spelled,
                   spelled::material::base_color);
    write_slot("baseColorTexture", material.base_color_texture);
    unless_default("metallicFactor", material.metallic, 1.0, material.spelled,
                   spelled::material::metallic);
    unless_default("roughnessFactor", material.roughness, 1.0, material.spelled,
                   spelled::material::roughness);
    write_slot("metallicRoughnessTexture", material.metallic_roughness_texture);
    write_rest(material.pbr_extra);
    out_.end_object();
  }

  void write_material(const Material& material) {
    const Material standard;
    constexpr const char* alpha_names[] = {"OPAQUE", "MASK", "BLEND"};
    out_.begin_object();
    out_.member_if("name", material.name);
    write_pbr(material);
    write_slot("normalTexture", material.normal_texture, "scale");
    write_slot("occlusionTexture", material.occlusion_texture, "strength");
    write_slot("emissiveTexture", material.emissive_texture);
    unless_default("emissiveFactor", material.emissive, standard.emissive, material.spelled,
                   spelled::material::emissive);
    if (material.alpha_mode != AlphaMode::opaque ||
        (material.spelled & spelled::material::alpha_mode) != 0) {
      out_.member("alphaMode", alpha_names[static_cast<std::size_t>(material.alpha_mode)]);
    }
    unless_default("alphaCutoff", material.alpha_cutoff, 0.5, material.spelled,
                   spelled::material::alpha_cutoff);
    unless_default("doubleSided", material.double_sided, false, material.spelled,
                   spelled::material::double_sided);
    write_rest(material.extra);
    out_.end_object();
  }

  void write_texture(const Texture& texture) {
    out_.begin_object();
    out_.member_if("name", texture.name);
    reference("source", texture.image);
    reference("sampler", texture.sampler);
    write_rest(texture.extra, static_cast<bool>(texture.layers), [&] {
      out_.begin_object(texture_layers_extension);
      out_.member("source", texture.layers->image);
      out_.member("layers", texture.layers->layer_of);
      out_.end_object();
    });
    out_.end_object();
  }

  void write_images() {
    if (scene_.images.empty()) {
      return;
    }
    out_.begin_array("images");
    for (std::size_t i = 0; i < scene_.images.size(); ++i) {
      const Image& image = scene_.images[i];
      out_.begin_object();
      out_.member_if("name", image.name);
      out_.member_if("mimeType", placement_.images[i].mime_type);
      out_.member_if("uri", placement_.images[i].uri);
      reference("bufferView", placement_.images[i].view);
      write_rest(image.extra);
      out_.end_object();
    }
    out_.end_array();
  }

  void write_sampler(const Sampler& sampler) {
    out_.begin_object();
    out_.member_if("name", sampler.name);
    if (sampler.mag_filter != 0) {
      out_.member("magFilter", sampler.mag_filter);
    }
    if (sampler.min_filter != 0) {
      out_.member("minFilter", sampler.min_filter);
    }
    unless_default("wrapS", sampler.wrap_s, wrap_repeat, sampler.spelled, spelled::sampler::wrap_s);
    unless_default("wrapT", sampler.wrap_t, wrap_repeat, sampler.spelled, spelled::sampler::wrap_t);
    write_rest(sampler.extra);
    out_.end_object();
  }

  void write_skin(const Skin& skin) {
    out_.begin_object();
    out_.member_if("name", skin.name);
    reference("inverseBindMatrices", skin.inverse_bind_matrices);
    reference("skeleton", skin.skeleton);
    out_.member("joints", skin.joints);
    write_rest(skin.extra);
    out_.end_object();
  }

  void write_animation(const Animation& animation) {
    out_.begin_object();
    out_.member_if("name", animation.name);
    out_.begin_array("channels");
    for (const AnimationChannel& channel : animation.channels) {
      out_.begin_object();
      out_.member("sampler", channel.sampler);
      out_.begin_object("target");
      reference("node", channel.node);
      out_.member("path", channel.path);
      write_rest(channel.target_extra);
      out_.end_object();
      write_rest(channel.extra);
      out_.end_object();
    }
    out_.end_array();
    out_.begin_array("samplers");
    for (const AnimationSampler& sampler : animation.samplers) {
      out_.begin_object();
      out_.member("input", sampler.input);
      out_.member_if("interpolation", sampler.interpolation);
      out_.member("output", sampler.output);
      write_rest(sampler.extra);
      out_.end_object();
    }
    out_.end_array();
    write_rest(animation.extra);
    out_.end_object();
  }

  void write_sparse(const SparseSubstitution& sparse) {
    out_.begin_object("sparse");
    out_.member("count", sparse.count);
    out_.begin_object("indices");
    out_.member("bufferView", sparse.index_view);
    unless_default("byteOffset", sparse.index_offset, std::uint64_t{0}, 0, 0);
    out_.member("componentType", sparse.index_type);
    write_rest(sparse.index_extra);
    out_.end_object();
    out_.begin_object("values");
    out_.member("bufferView", sparse.value_view);
    unless_default("byteOffset", sparse.value_offset, std::uint64_t{0}, 0, 0);
    write_rest(sparse.value_extra);
    out_.end_object();
    write_rest(sparse.extra);
    out_.end_object();
  }

  void write_stream(const Stream& stream) {
    out_.begin_object();
    out_.member_if("name", stream.name);
    reference("bufferView", stream.view);
    unless_default("byteOffset", stream.offset, std::uint64_t{0}, stream.spelled,
                   spelled::stream::offset);
    out_.member("componentType", stream.component);
    unless_default("normalized", stream.normalized, false, stream.spelled,
                   spelled::stream::normalized);
    out_.member("count", stream.count);
    out_.member("type", to_string(stream.element));
    if (stream.bounds) {
      list("min", stream.bounds->min);
      list("max", stream.bounds->max);
    }
    if (stream.sparse) {
      write_sparse(*stream.sparse);
    }
    write_rest(stream.extra);
    out_.end_object();
  }

  void write_views() {
    if (placement_.views.empty()) {
      return;
    }
    out_.begin_array("bufferViews");
    for (std::size_t i = 0; i < placement_.views.size(); ++i) {
      const ViewPlace& place = placement_.views[i];
      const bool own = i < scene_.views.size();
      out_.begin_object();
      if (own) {
        out_.member_if("name", scene_.views[i].name);
      }
      out_.member("buffer", place.packed != nullptr ? placement_.stand_in : place.buffer);
      out_.member("byteOffset", place.packed != nullptr ? place.stand_in : place.offset);
      out_.member("byteLength", own ? scene_.views[i].length
                                    : placement_.image_view_lengths[i - scene_.views.size()]);
      if (own) {
        unless_default("byteStride", scene_.views[i].stride, 0U, 0, 0);
        unless_default("target", scene_.views[i].target, 0U, 0, 0);
        write_rest(scene_.views[i].extra, place.packed != nullptr,
                   [&] { write_packed(place, *place.packed); });
      }
      out_.end_object();
    }
    out_.end_array();
  }

  void write_packed(const ViewPlace& place, const PackedBlock& packed) {
    out_.begin_object(packed_extension);
    out_.member("buffer", place.buffer);
    out_.member("byteOffset", place.offset);
    out_.member("byteLength", packed.bytes.size());
    out_.member("byteStride", packed.layout.stride);
    out_.member("count", packed.layout.count);
    out_.member("mode", to_string(packed.layout.mode));
    if (packed.layout.filter != PackFilter::none) {
      out_.member("filter", to_string(packed.layout.filter));
    }
    out_.end_object();
  }

  void write_buffer(const BufferOut& buffer) {
    out_.begin_object();
    out_.member_if("name", buffer.name);
    out_.member("byteLength", buffer.length);
    out_.member_if("uri", buffer.uri);
    if (buffer.stands_in) {
      write_rest({}, true, [&] {
        out_.begin_object(packed_extension);
        out_.member("fallback", true);
        out_.end_object();
      });
    } else if (buffer.extra != nullptr) {
      write_rest(*buffer.extra);
    }
    out_.end_object();
  }

  const Scene& scene_;
  const Placement& placement_;
  JsonOut& out_;
};

}  // namespace

void write_gltf_json(const Scene& scene, const Placement& placement, JsonOut& out) {
  GltfJson(scene, placement, out).write();
}

}  // namespace wakuzume
