// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include "survey/draws.h"

#include <fmt/format.h>

#include <algorithm>

#include "scene/semantics.h"
#include "survey/rigs.h"
#include "survey/textures.h"

namespace wakuzume {

Topology find_topology(PrimitiveMode mode) {
  switch (mode) {
    case PrimitiveMode::points:
      return Topology::points;
    case PrimitiveMode::lines:
    case PrimitiveMode::line_loop:
    case PrimitiveMode::line_strip:
      return Topology::lines;
    case PrimitiveMode::triangles:
    case PrimitiveMode::triangle_strip:
    case PrimitiveMode::triangle_fan:
      break;
  }
  return Topology::triangles;
}

bool is_fillable(const std::string& semantic) {
  return semantic == "POSITION" || semantic == "NORMAL" || semantic == "TANGENT" ||
         find_uv_number(semantic) || is_color(semantic);
}

namespace {

/// "TEXCOORD_0:VEC25126": the name and the type as it is stored.
std::string describe_attribute(const Scene& scene, const Attribute& attribute) {
  const Stream& stream = scene[attribute.stream];
  return fmt::format("{}:{}{}{}", attribute.semantic, to_string(stream.element),
                     static_cast<int>(stream.component), stream.normalized ? "n" : "");
}

}  // namespace

namespace {

template <class LeftOut>
std::vector<std::string> list_custom(const Scene& scene,
                                     const Primitive& primitive,
                                     const LeftOut& left_out) {
  std::vector<std::string> parts;
  for (const Attribute& attribute : primitive.attributes) {
    if (!is_fillable(attribute.semantic) && !left_out(attribute.semantic)) {
      parts.push_back(describe_attribute(scene, attribute));
    }
  }
  std::sort(parts.begin(), parts.end());
  return parts;
}

}  // namespace

std::string make_layout(const Scene& scene, const Primitive& primitive) {
  std::vector<std::string> parts =
      list_custom(scene, primitive, [](const std::string&) { return false; });
  const bool triangles = find_topology(primitive.mode) == Topology::triangles;
  if (triangles && !has_tangents(primitive) && !can_make_tangents(scene, primitive)) {
    parts.emplace_back("no tangents");
  }
  if (!triangles && has_tangents(primitive)) {
    parts.emplace_back("tangents");
  }
  if (primitive.find("NORMAL") != no_stream &&
      find_topology(primitive.mode) != Topology::triangles) {
    parts.emplace_back("normals");
  }
  return fmt::format("{}", fmt::join(parts, " "));
}

std::string make_bending_layout(const Scene& scene, const Primitive& primitive) {
  std::vector<std::string> parts = list_custom(
      scene, primitive, [](const std::string& semantic) { return is_influence(semantic); });
  const bool bumpy = primitive.material != no_material &&
                     scene[primitive.material].normal_texture.texture != no_texture;
  if (primitive.find("NORMAL") == no_stream) {
    parts.emplace_back("no normals");
  } else if (bumpy && !has_tangents(primitive)) {
    parts.emplace_back("no tangents");
  }
  return fmt::format("{}", fmt::join(parts, " "));
}

StreamId find_tangent_uvs(const Scene& scene, const Primitive& primitive) {
  const TextureSlot none;
  const TextureSlot& slot =
      primitive.material == no_material ? none : scene[primitive.material].normal_texture;
  if (slot.texture == no_texture) {
    return primitive.find("TEXCOORD_0");
  }
  return primitive.find(fmt::format("TEXCOORD_{}", find_uv_set(slot)));
}

bool can_make_tangents(const Scene& scene, const Primitive& primitive) {
  const bool mapped = primitive.material != no_material &&
                      scene[primitive.material].normal_texture.texture != no_texture;
  return find_topology(primitive.mode) == Topology::triangles &&
         (!mapped || find_tangent_uvs(scene, primitive) != no_stream);
}

bool has_corner_alpha(const Scene& scene, const Primitive& primitive) {
  const StreamId colors = primitive.find("COLOR_0");
  return colors != no_stream && scene[colors].element == ElementType::vec4;
}

std::uint64_t count_instances(const Scene& scene, const Node& node) {
  if (!node.instancing || node.instancing->attributes.empty()) {
    return 1;
  }
  return scene[node.instancing->attributes.front().stream].count;
}

PipelineKey make_pipeline_key(const Scene& scene, const Primitive& primitive) {
  PipelineKey key;
  key.shading = "metal-rough";
  if (primitive.material != no_material) {
    const Material& material = scene[primitive.material];
    std::vector<std::string> names;
    if (material.extra) {
      for (const RawMember& extension : material.extra->extensions) {
        names.push_back(extension.name);
      }
      std::sort(names.begin(), names.end());
    }
    if (material.unlit()) {
      key.shading = "unlit";
      std::erase(names, "KHR_materials_unlit");
    }
    for (const std::string& name : names) {
      key.shading += " " + name;
    }
    key.alpha_mode = material.alpha_mode;
    key.double_sided = material.double_sided;
  }
  key.topology = find_topology(primitive.mode);
  std::vector<std::string> parts;
  for (const Attribute& attribute : primitive.attributes) {
    parts.push_back(describe_attribute(scene, attribute));
  }
  std::sort(parts.begin(), parts.end());
  key.layout = fmt::format("{}", fmt::join(parts, " "));
  return key;
}

std::vector<Trs> make_instance_transforms(const Scene& scene, const Node& node) {
  std::vector<Trs> transforms(count_instances(scene, node));
  const auto take = [&](const std::vector<double>& values, auto member) {
    for (std::size_t i = 0; i < transforms.size(); ++i) {
      auto& target = transforms[i].*member;
      for (std::size_t c = 0; c < target.size(); ++c) {
        target[c] = values[target.size() * i + c];
      }
    }
  };
  for (const Attribute& attribute : node.instancing->attributes) {
    if (attribute.semantic == "TRANSLATION") {
      take(make_doubles(scene, attribute.stream), &Trs::translation);
    } else if (attribute.semantic == "ROTATION") {
      take(make_doubles(scene, attribute.stream), &Trs::rotation);
    } else if (attribute.semantic == "SCALE") {
      take(make_doubles(scene, attribute.stream), &Trs::scale);
    }
  }
  return transforms;
}

MeshDraws::MeshDraws(const Scene& scene) : sums_(scene.meshes.size()) {
  for (std::size_t m = 0; m < scene.meshes.size(); ++m) {
    const std::vector<Primitive>& primitives = scene.meshes[m].primitives;
    for (std::size_t p = 0; p < primitives.size(); ++p) {
      const Primitive& primitive = primitives[p];
      const std::uint64_t indices =
          primitive.find("POSITION") == no_stream ? 0 : count_list_indices(scene, primitive);
      if (indices == 0) {
        continue;
      }
      Sum& sum = sums_[m];
      sum.primitives.push_back(static_cast<std::uint32_t>(p));
      sum.vertices += count_vertices(scene, primitive);
      if (find_topology(primitive.mode) == Topology::triangles) {
        sum.triangles += indices / 3;
      }
    }
  }
}

std::vector<DrawRef> make_draw_list(const Scene& scene) {
  const MeshDraws drawn(scene);
  std::vector<DrawRef> draws;
  for_each_shown_node(scene, [&](NodeId id) {
    if (scene[id].mesh != no_mesh) {
      for (const std::uint32_t primitive : drawn[scene[id].mesh].primitives) {
        draws.push_back({id, primitive});
      }
    }
  });
  return draws;
}

}  // namespace wakuzume
