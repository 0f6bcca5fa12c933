// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include "build/instances.h"

#include <algorithm>
#include <cstring>

#include "scene/matrix.h"

namespace wakuzume {
namespace {

/// True when every group of `identity.size()` values equals it: the lane can be left out.
bool all_equal(const std::vector<float>& values, const std::vector<float>& identity) {
  for (std::size_t i = 0; i < values.size(); ++i) {
    if (values[i] != identity[i % identity.size()]) {
      return false;
    }
  }
  return true;
}

}  // namespace

InstanceSet::InstanceSet(const std::vector<Mat4d>& world, const Group& group) : group_(group) {
  mirrored_ = linear_determinant(world[to_index(group.members.front().node)]) < 0;
  for (const DrawRef& ref : group.members) {
    Mat4d relative = world[to_index(ref.node)];
    for (std::size_t i = 0; i < 3; ++i) {
      relative[12 + i] -= group.pivot[i];
    }
    // Engines take the winding from the node, not from each instance: the node mirrors x, the
    // instances below it undo that.
    if (mirrored_) {
      for (std::size_t column = 0; column < 4; ++column) {
        relative[4 * column] = -relative[4 * column];
      }
    }
    Trs trs;
    decompose(relative, trs);
    const auto append = [](std::vector<float>& to, const auto& values) {
      std::transform(values.begin(), values.end(), std::back_inserter(to),
                     [](double v) { return static_cast<float>(v); });
    };
    append(translations_, trs.translation);
    append(rotations_, trs.rotation);
    append(scales_, trs.scale);
  }
  if (all_equal(rotations_, {0, 0, 0, 1})) {
    rotations_.clear();
  }
  if (all_equal(scales_, {1, 1, 1})) {
    scales_.clear();
  }
}

void InstanceSet::reserve(GeometryBlock& block) {
  offset_ =
      block.reserve((translations_.size() + rotations_.size() + scales_.size()) * sizeof(float));
}

void InstanceSet::fill(GeometryBlock& block) const {
  std::byte* to = block.data(offset_);
  for (const auto* lane : {&translations_, &rotations_, &scales_}) {
    if (!lane->empty()) {
      std::memcpy(to, lane->data(), lane->size() * sizeof(float));
      to += lane->size() * sizeof(float);
    }
  }
}

Node InstanceSet::make_node(Scene& out, BlockId block) const {
  Node node;
  node.name = group_.name;
  node.trs.translation = group_.pivot;
  if (mirrored_) {
    node.trs.scale[0] = -1;
  }
  Instancing instancing;
  std::uint64_t at = offset_;
  const auto add = [&](const char* semantic, const std::vector<float>& lane, ElementType element) {
    if (lane.empty()) {
      return;
    }
    Stream stream;
    stream.count = lane.size() / component_count(element);
    stream.element = element;
    const std::uint64_t bytes = lane.size() * sizeof(float);
    instancing.attributes.push_back(
        {semantic, add_stream(out, block, at, bytes, 0, element_bytes(ComponentType::f32, element),
                              std::move(stream))});
    at += bytes;
  };
  add("TRANSLATION", translations_, ElementType::vec3);
  add("ROTATION", rotations_, ElementType::vec4);
  add("SCALE", scales_, ElementType::vec3);
  node.instancing = std::move(instancing);
  return node;
}

}  // namespace wakuzume
