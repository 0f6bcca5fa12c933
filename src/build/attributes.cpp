// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include "build/attributes.h"

#include <algorithm>
#include <map>

#include "scene/semantics.h"

namespace wakuzume {
namespace {

AttributeRole find_role(const std::string& semantic) {
  if (semantic == "POSITION") {
    return AttributeRole::position;
  }
  if (semantic == "NORMAL") {
    return AttributeRole::normal;
  }
  if (semantic == "TANGENT") {
    return AttributeRole::tangent;
  }
  if (find_uv_number(semantic)) {
    return AttributeRole::texcoord;
  }
  return is_color(semantic) ? AttributeRole::color : AttributeRole::custom;
}

OutputAttribute make_output_attribute(const std::string& semantic, const Stream& stream) {
  OutputAttribute out;
  out.semantic = semantic;
  out.role = find_role(semantic);
  switch (out.role) {
    case AttributeRole::position:
    case AttributeRole::normal:
      out.element = ElementType::vec3;
      break;
    case AttributeRole::tangent:
      out.element = ElementType::vec4;
      break;
    case AttributeRole::texcoord:
      out.element = ElementType::vec2;
      break;
    case AttributeRole::color:
      out.element = ElementType::vec4;
      out.component = stream.component;
      out.normalized = stream.normalized;
      break;
    case AttributeRole::custom:
      out.element = stream.element;
      out.component = stream.component;
      out.normalized = stream.normalized;
      break;
  }
  return out;
}

}  // namespace

std::vector<OutputAttribute> make_output_layout(const Scene& scene,
                                                const std::vector<MergeMember>& members) {
  std::map<std::pair<AttributeRole, std::string>, OutputAttribute> found;
  for (const MergeMember& member : members) {
    const bool normals = member.primitive->find("NORMAL") != no_stream;
    for (const Attribute& attribute : member.primitive->attributes) {
      const Stream& stream = scene[attribute.stream];
      OutputAttribute made = make_output_attribute(attribute.semantic, stream);
      if (made.role == AttributeRole::tangent && !normals) {
        continue;
      }
      const auto [slot, added] =
          found.try_emplace({made.role, attribute.semantic}, std::move(made));
      OutputAttribute& have = slot->second;
      if (!added && have.role == AttributeRole::color &&
          (have.component != stream.component || have.normalized != stream.normalized)) {
        have.component = ComponentType::f32;
        have.normalized = false;
      }
    }
  }
  std::vector<OutputAttribute> layout;
  for (auto& [key, attribute] : found) {
    attribute.stride = (element_bytes(attribute.component, attribute.element) + 3) / 4 * 4;
    layout.push_back(std::move(attribute));
  }
  return layout;
}

std::vector<OutputAttribute> make_own_layout(const Scene& scene, const Primitive& primitive) {
  std::vector<OutputAttribute> layout;
  for (const Attribute& attribute : primitive.attributes) {
    const Stream& stream = scene[attribute.stream];
    OutputAttribute& own = layout.emplace_back();
    own.semantic = attribute.semantic;
    own.role = find_role(attribute.semantic);
    own.element = stream.element;
    own.component = stream.component;
    own.normalized = stream.normalized;
    own.stride = (element_bytes(own.component, own.element) + 3) / 4 * 4;
    own.as_it_is = true;
  }
  return layout;
}

}  // namespace wakuzume
