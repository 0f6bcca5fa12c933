// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include "build/attributes.h"

#include <algorithm>
#include <map>
#include <optional>
#include <string>

#include "scene/semantics.h"
#include "survey/rigs.h"

namespace wakuzume {
namespace {

AttributeRole find_role(const std::string& semantic) {
  if (semantic.starts_with("JOINTS_")) {
    return AttributeRole::joints;
  }
  if (semantic.starts_with("WEIGHTS_")) {
    return AttributeRole::weights;
  }
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
    case AttributeRole::joints:
    case AttributeRole::weights:
    case AttributeRole::custom:
      out.element = stream.element;
      out.component = stream.component;
      out.normalized = stream.normalized;
      break;
  }
  return out;
}

using FoundAttributes = std::map<std::pair<AttributeRole, std::string>, OutputAttribute>;

/// The attributes by which a skin deforms the result, and none that its members have for it.
void add_influences(const Scene& scene,
                    const std::vector<MergeMember>& members,
                    FoundAttributes& found) {
  std::size_t sets = 1;
  std::uint32_t last = 0;
  std::optional<OutputAttribute> stored;  // weights, as they all have them
  bool alike = true;
  for (const MergeMember& member : members) {
    for (const std::uint32_t number : member.binding->number) {
      last = std::max(last, number);
    }
    if (member.binding->rigid) {
      continue;
    }
    const std::vector<InfluenceSet> own = list_influences(*member.primitive);
    sets = std::max(sets, own.size());
    for (const InfluenceSet& set : own) {
      const OutputAttribute weights = make_output_attribute("WEIGHTS_0", scene[set.weights]);
      alike = alike && (!stored || (stored->component == weights.component &&
                                    stored->normalized == weights.normalized));
      stored = weights;
    }
  }
  for (std::size_t s = 0; s < sets; ++s) {
    OutputAttribute joints;
    joints.semantic = "JOINTS_" + std::to_string(s);
    joints.role = AttributeRole::joints;
    joints.element = ElementType::vec4;
    joints.component = last > 255 ? ComponentType::u16 : ComponentType::u8;
    OutputAttribute weights = alike && stored ? *stored : OutputAttribute{};
    weights.semantic = "WEIGHTS_" + std::to_string(s);
    weights.role = AttributeRole::weights;
    weights.element = ElementType::vec4;
    found.emplace(std::pair(joints.role, joints.semantic), joints);
    found.emplace(std::pair(weights.role, weights.semantic), weights);
  }
}

}  // namespace

std::vector<OutputAttribute> make_output_layout(const Scene& scene,
                                                const std::vector<MergeMember>& members) {
  FoundAttributes found;
  const bool skinned = members.front().binding != nullptr;
  if (skinned) {
    add_influences(scene, members, found);
  }
  for (const MergeMember& member : members) {
    const bool normals = member.primitive->find("NORMAL") != no_stream;
    for (const Attribute& attribute : member.primitive->attributes) {
      const Stream& stream = scene[attribute.stream];
      OutputAttribute made = make_output_attribute(attribute.semantic, stream);
      if (made.role == AttributeRole::tangent && !normals) {
        continue;
      }
      if (skinned && is_influence(attribute.semantic)) {
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
