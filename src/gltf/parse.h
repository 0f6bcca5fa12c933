// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#pragma once

#include <optional>
#include <string>
#include <string_view>
#include <vector>

#include "gltf/packed_parts.h"
#include "json/in.h"
#include "wakuzume/scene.h"

/// The JSON of a glTF file as a Scene whose blocks and images have no bytes yet.
namespace wakuzume {

/// Parses members in whatever order they come. References are not checked here.
class GltfParser {
 public:
  /// \error bad_json, bad_type, bad_value, missing_member, not_supported
  Result<Scene> parse(simdjson::padded_string_view json);

  /// byteLength of each buffer, in order.
  [[nodiscard]] const std::vector<std::uint64_t>& block_lengths() const { return block_lengths_; }
  /// What the file stores compressed.
  [[nodiscard]] const PackedParts& packed() const { return packed_; }

 private:
  bool parse_root(std::string_view key, JsonValue value, const At& at);
  bool parse_root_extension(const std::string& name, JsonValue value, const At& at);
  bool parse_asset(JsonValue value, const At& at);
  bool parse_block(JsonValue value, const At& at);
  bool parse_view(JsonValue value, const At& at);
  bool parse_packed_view(JsonValue value, const At& at);
  bool parse_pack_mode(JsonValue value, const At& at, PackLayout& out);
  bool parse_pack_filter(JsonValue value, const At& at, PackLayout& out);
  bool parse_draco(JsonValue value, const At& at, DracoPrimitive& out);
  bool parse_stream(JsonValue value, const At& at);
  bool parse_element(const std::string& name, const At& at, ElementType& out);
  bool parse_sparse(JsonValue value, const At& at, SparseSubstitution& out);
  bool parse_sparse_indices(JsonValue value, const At& at, SparseSubstitution& out);
  bool parse_mesh(JsonValue value, const At& at);
  bool parse_primitive(JsonValue value, const At& at, Primitive& out);
  bool parse_primitive_extension(const std::string& name,
                                 JsonValue value,
                                 const At& at,
                                 bool& known);
  bool parse_attributes(JsonValue value, const At& at, std::vector<Attribute>& out);
  bool parse_node(JsonValue value, const At& at);
  bool parse_node_extension(
      const std::string& name, JsonValue value, const At& at, Node& node, bool& known);
  bool parse_camera(JsonValue value, const At& at);
  bool parse_lens(JsonValue value, const At& at, Camera& out);
  bool parse_light(JsonValue value, const At& at);
  bool parse_skin(JsonValue value, const At& at);
  bool parse_animation(JsonValue value, const At& at);
  bool parse_channel(JsonValue value, const At& at, AnimationChannel& out);
  bool parse_level(JsonValue value, const At& at);
  bool parse_image(JsonValue value, const At& at);
  bool parse_sampler(JsonValue value, const At& at);
  bool parse_texture(JsonValue value, const At& at);
  bool parse_material(JsonValue value, const At& at);
  bool parse_alpha_mode(JsonValue value, const At& at, Material& out);
  bool parse_pbr(JsonValue value, const At& at, Material& out);
  bool parse_slot(JsonValue value, const At& at, std::string_view factor_name, TextureSlot& out);
  bool parse_layers(JsonValue value, const At& at, TextureLayers& out);
  bool parse_layered(JsonValue value, const At& at, std::vector<Primitive>& out);
  bool parse_uv_transform(JsonValue value, const At& at, UvTransform& out);
  bool check_required();
  void forget_compressions();

  bool parse_component(JsonValue value, const At& at, ComponentType& out);
  /// `extras`, `extensions` and members that no standard names.
  bool rest(std::string_view key, JsonValue value, const At& at, Boxed<Extra>& extra);
  /// The same with extensions that the scene model holds: `known(name, value, at, taken)` sets
  /// `taken` for those it read.
  template <class Known>
  bool rest(
      std::string_view key, JsonValue value, const At& at, Boxed<Extra>& extra, const Known& known);
  bool one_of(const At& at, std::uint32_t value, std::initializer_list<std::uint32_t> allowed);

  JsonIn in_;
  Scene scene_;
  std::vector<std::uint64_t> block_lengths_;
  PackedParts packed_;
};

template <class Known>
bool GltfParser::rest(
    std::string_view key, JsonValue value, const At& at, Boxed<Extra>& extra, const Known& known) {
  if (key != "extensions") {
    return rest(key, value, at, extra);
  }
  return in_.object(value, at, [&](std::string_view name, JsonValue inner, const At& inner_at) {
    const std::string text(name);
    bool taken = false;
    if (!known(text, inner, inner_at, taken)) {
      return false;
    }
    if (taken) {
      return true;
    }
    auto& list = extra.ensure().extensions;
    list.push_back({text, {}});
    return in_.read_raw(inner, inner_at, list.back().json);
  });
}

}  // namespace wakuzume
