// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include <algorithm>
#include <limits>
#include <map>

#include "scene/checker.h"
#include "scene/elements.h"
#include "scene/running.h"
#include "scene/semantics.h"

namespace wakuzume {
namespace {

/// What glTF 2.0 section 3.7.2.1 (with KHR_mesh_quantization) allows for a semantic.
struct SemanticRule {
  const char* prefix;
  bool numbered;
  std::initializer_list<ElementType> elements;
};
const SemanticRule semantic_rules[] = {
    {"POSITION", false, {ElementType::vec3}},
    {"NORMAL", false, {ElementType::vec3}},
    {"TANGENT", false, {ElementType::vec4}},
    {"TEXCOORD_", true, {ElementType::vec2}},
    {"COLOR_", true, {ElementType::vec3, ElementType::vec4}},
    {"JOINTS_", true, {ElementType::vec4}},
    {"WEIGHTS_", true, {ElementType::vec4}},
};

const SemanticRule* find_rule(std::string_view semantic) {
  for (const SemanticRule& rule : semantic_rules) {
    const std::string_view prefix = rule.prefix;
    if (rule.numbered ? find_set_number(semantic, prefix).has_value() : semantic == prefix) {
      return &rule;
    }
  }
  return nullptr;
}

/// The largest value of an index stream, and whether sparse positions stay inside and ascend.
std::uint64_t find_largest(const Scene& scene, StreamId id) {
  const std::vector<std::uint32_t> values = make_integers(scene, id);
  return *std::max_element(values.begin(), values.end());
}

/// Position of the first sparse index that does not ascend or is outside; -1 when all are right.
std::int64_t find_bad_sparse(const Scene& scene, const Stream& stream) {
  const SparseSubstitution& sparse = *stream.sparse;
  const std::byte* from = make_view_bytes(scene, sparse.index_view) + sparse.index_offset;
  const std::uint32_t size = component_bytes(sparse.index_type);
  std::int64_t last = -1;
  for (std::uint64_t i = 0; i < sparse.count; ++i) {
    std::int64_t value = 0;
    for (std::uint32_t b = 0; b < size; ++b) {
      value |= static_cast<std::int64_t>(from[i * size + b]) << (8 * b);
    }
    if (value <= last || value >= static_cast<std::int64_t>(stream.count)) {
      return static_cast<std::int64_t>(i);
    }
    last = value;
  }
  return -1;
}

}  // namespace

bool Checker::check_attribute(const Attribute& attribute, const std::string& at) {
  if (!present(attribute.stream != no_stream, at, "an accessor") ||
      !refers(attribute.stream, scene_.streams.size(), "accessor", at)) {
    return false;
  }
  const SemanticRule* rule = find_rule(attribute.semantic);
  const Stream& stream = scene_[attribute.stream];
  if (rule != nullptr && std::find(rule->elements.begin(), rule->elements.end(), stream.element) ==
                             rule->elements.end()) {
    return fail(ErrorCode::bad_value, at, "accessor {} is {}, {} must be {}",
                to_index(attribute.stream), to_string(stream.element), attribute.semantic,
                to_string(*rule->elements.begin()));
  }
  return true;
}

bool Checker::check_primitive(const Primitive& primitive, const std::string& at) {
  if (primitive.material != no_material &&
      !refers(primitive.material, scene_.materials.size(), "material", at + "/material")) {
    return false;
  }
  std::vector<std::vector<Attribute>> sets = primitive.morph_targets;
  sets.insert(sets.begin(), primitive.attributes);
  for (std::size_t s = 0; s < sets.size(); ++s) {
    const std::string set_at =
        s == 0 ? at + "/attributes" : fmt::format("{}/targets/{}", at, s - 1);
    for (const Attribute& attribute : sets[s]) {
      const std::string attribute_at = fmt::format("{}/{}", set_at, attribute.semantic);
      // Morph targets hold differences, so TANGENT has three components there.
      const bool typed = s == 0 || attribute.semantic != "TANGENT";
      if (!refers(attribute.stream, scene_.streams.size(), "accessor", attribute_at) ||
          (typed && !check_attribute(attribute, attribute_at))) {
        return false;
      }
      if (scene_[attribute.stream].count != count_vertices(scene_, primitive)) {
        return fail(ErrorCode::bad_value, attribute_at,
                    "accessor {} has {} elements, the primitive's first attribute has {}",
                    to_index(attribute.stream), scene_[attribute.stream].count,
                    count_vertices(scene_, primitive));
      }
    }
  }
  if (primitive.indices == no_stream) {
    return true;
  }
  const std::string index_at = at + "/indices";
  if (!refers(primitive.indices, scene_.streams.size(), "accessor", index_at)) {
    return false;
  }
  const Stream& indices = scene_[primitive.indices];
  const bool unsigned_scalar =
      indices.element == ElementType::scalar && !indices.normalized &&
      (indices.component == ComponentType::u8 || indices.component == ComponentType::u16 ||
       indices.component == ComponentType::u32);
  return unsigned_scalar || fail(ErrorCode::bad_value, index_at,
                                 "accessor {} must be SCALAR of an unsigned integer type",
                                 to_index(primitive.indices));
}

bool Checker::check_instancing(const Instancing& instancing, const std::string& at) {
  std::uint64_t count = 0;
  for (const Attribute& attribute : instancing.attributes) {
    const std::string attribute_at = fmt::format("{}/attributes/{}", at, attribute.semantic);
    if (!present(attribute.stream != no_stream, attribute_at, "an accessor") ||
        !refers(attribute.stream, scene_.streams.size(), "accessor", attribute_at)) {
      return false;
    }
    const Stream& stream = scene_[attribute.stream];
    const bool rotation = attribute.semantic == "ROTATION";
    if ((rotation || attribute.semantic == "TRANSLATION" || attribute.semantic == "SCALE") &&
        stream.element != (rotation ? ElementType::vec4 : ElementType::vec3)) {
      return fail(ErrorCode::bad_value, attribute_at, "accessor {} is {}, which {} can't be",
                  to_index(attribute.stream), to_string(stream.element), attribute.semantic);
    }
    if (count != 0 && stream.count != count) {
      return fail(ErrorCode::bad_value, attribute_at,
                  "has {} instances, the attribute before it has {}", stream.count, count);
    }
    count = stream.count;
  }
  return true;
}

bool Checker::check_geometry() {
  for (std::size_t m = 0; m < scene_.meshes.size(); ++m) {
    const Mesh& mesh = scene_.meshes[m];
    for (const std::vector<Primitive>* list : {&mesh.primitives, &mesh.plain}) {
      for (std::size_t p = 0; p < list->size(); ++p) {
        if (!check_primitive((*list)[p], fmt::format("{}/{}", find_place(mesh, m, *list), p))) {
          return false;
        }
      }
    }
  }
  return true;
}

std::string Checker::find_place(const Mesh& mesh,
                                std::size_t number,
                                const std::vector<Primitive>& list) {
  const bool layered = !mesh.plain.empty() && &list == &mesh.primitives;
  return layered
             ? fmt::format("/meshes/{}/extensions/{}/primitives", number, texture_layers_extension)
             : fmt::format("/meshes/{}/primitives", number);
}

bool Checker::check_indices(const RunControl& run) {
  // Many primitives may share an index stream, so each is scanned once.
  std::vector<StreamId> used;
  for (const Mesh& mesh : scene_.meshes) {
    for (const std::vector<Primitive>* primitives : {&mesh.primitives, &mesh.plain}) {
      for (const Primitive& primitive : *primitives) {
        if (primitive.indices != no_stream) {
          used.push_back(primitive.indices);
        }
      }
    }
  }
  std::sort(used.begin(), used.end());
  used.erase(std::unique(used.begin(), used.end()), used.end());
  std::vector<std::int64_t> bad_sparse(scene_.streams.size(), -1);
  const auto sparse = [&](std::size_t i) {
    if (scene_.streams[i].sparse) {
      bad_sparse[i] = find_bad_sparse(scene_, scene_.streams[i]);
    }
  };
  std::vector<std::uint64_t> largest(used.size());
  const auto largest_of = [&](std::size_t i) { largest[i] = find_largest(scene_, used[i]); };
  if (!for_each_index(scene_.streams.size(), run, "checking accessors", sparse)) {
    error_ = make_cancelled();
    return false;
  }
  const auto bad =
      std::find_if(bad_sparse.begin(), bad_sparse.end(), [](std::int64_t at) { return at >= 0; });
  if (bad != bad_sparse.end()) {
    return fail(ErrorCode::index_out_of_range,
                fmt::format("/accessors/{}/sparse/indices", bad - bad_sparse.begin()),
                "index {} is beyond the accessor or does not ascend", *bad);
  }
  if (!for_each_index(used.size(), run, "checking indices", largest_of)) {
    error_ = make_cancelled();
    return false;
  }
  for (std::size_t m = 0; m < scene_.meshes.size(); ++m) {
    const Mesh& mesh = scene_.meshes[m];
    for (const std::vector<Primitive>* list : {&mesh.primitives, &mesh.plain}) {
      for (std::size_t p = 0; p < list->size(); ++p) {
        const Primitive& primitive = (*list)[p];
        if (primitive.indices == no_stream || primitive.attributes.empty()) {
          continue;
        }
        const auto slot = std::lower_bound(used.begin(), used.end(), primitive.indices);
        const std::uint64_t top = largest[static_cast<std::size_t>(slot - used.begin())];
        if (top >= count_vertices(scene_, primitive)) {
          return fail(ErrorCode::index_out_of_range,
                      fmt::format("{}/{}/indices", find_place(mesh, m, *list), p),
                      "accessor {} holds the vertex number {}, there are {} vertices",
                      to_index(primitive.indices), top, count_vertices(scene_, primitive));
        }
      }
    }
  }
  return true;
}

}  // namespace wakuzume
