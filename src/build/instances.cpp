// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include "build/instances.h"

#include <algorithm>
#include <cmath>
#include <cstring>
#include <new>

#include "plan/check.h"
#include "plan/instance_values.h"
#include "plan/keys.h"
#include "scene/hasher.h"

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

/// The names that engines have for a tint: only the colour's is common.
const char* find_semantic(const std::string& tint) {
  return tint == "base_color" ? "_COLOR_0"
         : tint == "emissive" ? "_EMISSIVE"
         : tint == "metallic" ? "_METALLIC"
                              : "_ROUGHNESS";
}

InstanceLane make_tint_lane(const Scene& scene,
                            const ProposeSettings& settings,
                            const Group& group) {
  InstanceLane lane;
  lane.semantic = find_semantic(group.tint);
  lane.storage = settings.value_storage;
  const bool color = group.tint == "base_color" || group.tint == "emissive";
  const bool bytes = lane.storage == ValueStorage::bytes;
  // Bytes come in fours, as glTF wants vertex data aligned; the fourth is an opaque alpha.
  lane.element = bytes ? ElementType::vec4 : color ? ElementType::vec3 : ElementType::scalar;
  for (std::size_t m = 0; m < group.members.size(); m += group.prototype.size()) {
    const DrawRef& ref = group.members[m];
    const MaterialId id = primitive_of(scene, ref).material;
    const Vec3d tint = find_tint(id == no_material ? Material{} : scene[id], group.tint);
    lane.values.insert(lane.values.end(), tint.begin(), tint.begin() + (color || bytes ? 3 : 1));
    if (bytes) {
      lane.values.push_back(1);
    }
  }
  return lane;
}

/// Scale and offset, which no byte holds; nothing where all see their lightmap by their own UVs.
InstanceLane make_lightmap_lane(const Survey& survey, const Group& group) {
  InstanceLane lane;
  lane.semantic = lightmap_semantic;
  lane.element = ElementType::vec4;
  bool moves = false;
  for (std::size_t m = 0; m < group.members.size(); m += group.prototype.size()) {
    const std::uint32_t number = survey[find_draw(survey, group.members[m])].lightmap_place;
    const LightmapPlace& place = survey.lightmap_places[number];
    moves = moves || number != 0;
    lane.values.insert(lane.values.end(),
                       {place.scale[0], place.scale[1], place.offset[0], place.offset[1]});
  }
  return moves ? lane : InstanceLane{};
}

/// A number as a float, and 32 bits of it for storage in bytes.
struct InstanceNumber {
  double number = 0;
  std::uint32_t bits = 0;
};

/// One number an instance, by its first draw's node; its bits in base 256 where bytes are stored.
template <class FindNumber>
InstanceLane make_number_lane(const std::string& semantic,
                              const ProposeSettings& settings,
                              const Group& group,
                              const FindNumber& find) {
  InstanceLane lane;
  lane.semantic = semantic;
  lane.storage = settings.value_storage;
  const bool bytes = lane.storage == ValueStorage::bytes;
  lane.element = bytes ? ElementType::vec4 : ElementType::scalar;
  for (std::size_t m = 0; m < group.members.size(); m += group.prototype.size()) {
    const InstanceNumber value = find(group.members[m].node);
    if (!bytes) {
      lane.values.push_back(value.number);
      continue;
    }
    for (unsigned b = 0; b < 4; ++b) {
      lane.values.push_back(static_cast<double>(value.bits >> (8 * b) & 0xFFU) / 255);
    }
  }
  return lane;
}

/// What extras say; without values where they say nothing. Bytes hold it where all of it is from 0
/// to 1, four a value, an alpha of 1 last.
InstanceLane make_extra_lane(const Scene& scene,
                             const ProposeSettings& settings,
                             const Group& group,
                             const std::string& semantic,
                             const std::string& key) {
  InstanceValues values = read_instance_values(scene, group, key);
  InstanceLane lane;
  lane.semantic = semantic;
  const bool fits = std::all_of(values.numbers.begin(), values.numbers.end(),
                                [](double v) { return v >= 0 && v <= 1; });
  lane.storage = fits ? settings.value_storage : ValueStorage::floats;
  if (lane.storage == ValueStorage::floats) {
    constexpr std::array elements{ElementType::scalar, ElementType::vec2, ElementType::vec3,
                                  ElementType::vec4};
    lane.element = elements[values.width - 1];
    lane.values = std::move(values.numbers);
    return lane;
  }
  lane.element = ElementType::vec4;
  for (std::size_t i = 0; i < values.numbers.size(); i += values.width) {
    for (std::size_t c = 0; c < 4; ++c) {
      lane.values.push_back(c < values.width ? values.numbers[i + c] : c == 3 ? 1 : 0);
    }
  }
  return lane;
}

InstanceNumber find_id(NodeId node) {
  const auto id = static_cast<std::uint32_t>(node);
  return {static_cast<double>(id), id};
}

/// Even in [0, 1), by the node's path: what else is in the scene does not change it.
InstanceNumber find_random(const Scene& scene, NodeId node) {
  const std::string path = make_node_path(scene, node);
  const std::uint64_t hash = XXH3_64bits(path.data(), path.size());
  return {static_cast<double>(hash >> 40U) / 16'777'216, static_cast<std::uint32_t>(hash)};
}

}  // namespace

std::vector<InstanceLane> make_instance_lanes(const Scene& scene,
                                              const Survey& survey,
                                              const ProposeSettings& settings,
                                              const Group& group) {
  std::vector<InstanceLane> lanes;
  if (!group.tint.empty()) {
    lanes.push_back(make_tint_lane(scene, settings, group));
  }
  if (InstanceLane places = make_lightmap_lane(survey, group); !places.values.empty()) {
    lanes.push_back(std::move(places));
  }
  for (const std::string& value : settings.instance_values) {
    const std::string semantic = find_value_semantic(value);
    if (const std::string key(find_value_key(value)); !key.empty()) {
      InstanceLane lane = make_extra_lane(scene, settings, group, semantic, key);
      if (!lane.values.empty()) {
        lanes.push_back(std::move(lane));
      }
    } else if (value == "id") {
      lanes.push_back(make_number_lane(semantic, settings, group, find_id));
    } else {
      lanes.push_back(make_number_lane(semantic, settings, group,
                                       [&](NodeId node) { return find_random(scene, node); }));
    }
  }
  return lanes;
}

InstanceSet::InstanceSet(const std::vector<Trs>& placed, const std::vector<InstanceLane>& lanes)
    : count_(placed.size()) {
  std::vector<float> translations;
  std::vector<float> rotations;
  std::vector<float> scales;
  const auto append = [](std::vector<float>& to, const auto& values) {
    std::transform(values.begin(), values.end(), std::back_inserter(to),
                   [](double v) { return static_cast<float>(v); });
  };
  for (const Trs& trs : placed) {
    append(translations, trs.translation);
    append(rotations, trs.rotation);
    append(scales, trs.scale);
  }
  add_floats("TRANSLATION", ElementType::vec3, translations);
  if (!all_equal(rotations, {0, 0, 0, 1})) {
    add_floats("ROTATION", ElementType::vec4, rotations);
  }
  if (!all_equal(scales, {1, 1, 1})) {
    add_floats("SCALE", ElementType::vec3, scales);
  }
  for (const InstanceLane& lane : lanes) {
    add_lane(lane);
  }
}

void InstanceSet::add_floats(const char* semantic,
                             ElementType element,
                             const std::vector<float>& values) {
  Stored lane;
  lane.semantic = semantic;
  lane.element = element;
  lane.bytes.resize(values.size() * sizeof(float));
  std::memcpy(lane.bytes.data(), values.data(), lane.bytes.size());
  lanes_.push_back(std::move(lane));
}

void InstanceSet::add_lane(const InstanceLane& lane) {
  if (lane.storage == ValueStorage::floats) {
    std::vector<float> values(lane.values.size());
    std::transform(lane.values.begin(), lane.values.end(), values.begin(),
                   [](double v) { return static_cast<float>(v); });
    return add_floats(lane.semantic.c_str(), lane.element, values);
  }
  Stored stored;
  stored.semantic = lane.semantic;
  stored.element = lane.element;
  stored.component = ComponentType::u8;
  std::transform(
      lane.values.begin(), lane.values.end(), std::back_inserter(stored.bytes),
      [](double v) { return static_cast<std::byte>(std::lround(std::clamp(v, 0.0, 1.0) * 255)); });
  lanes_.push_back(std::move(stored));
}

void InstanceSet::reserve(GeometryBlock& block, Places& places) {
  for (const Stored& lane : lanes_) {
    const auto type = static_cast<std::uint64_t>(lane.element) << 32U |
                      static_cast<std::uint64_t>(lane.component);
    const XXH128_hash_t hash = XXH3_128bits_withSeed(lane.bytes.data(), lane.bytes.size(), type);
    const auto [place, added] = places.try_emplace({hash.high64, hash.low64}, 0);
    if (added) {
      place->second = block.reserve(lane.bytes.size());
    }
    offsets_.push_back(place->second);
    owned_.push_back(added);
  }
}

void InstanceSet::fill(GeometryBlock& block) const {
  for (std::size_t l = 0; l < lanes_.size(); ++l) {
    if (!owned_[l]) {
      continue;
    }
    block.close(offsets_[l], lanes_[l].bytes.size());
    std::memcpy(block.data(offsets_[l]), lanes_[l].bytes.data(), lanes_[l].bytes.size());
  }
}

Instancing InstanceSet::add_to(Scene& out) {
  GeometryBlock block;
  Places places;
  reserve(block, places);
  if (!block.allocate()) {
    throw std::bad_alloc();
  }
  fill(block);
  const auto id = make_id<BlockId>(out.blocks.size());
  out.blocks.emplace_back().bytes = block.finish();
  std::map<std::uint64_t, StreamId> made;
  return make_instancing(out, id, made);
}

Instancing InstanceSet::make_instancing(Scene& out,
                                        BlockId block,
                                        std::map<std::uint64_t, StreamId>& made) const {
  Instancing instancing;
  for (std::size_t l = 0; l < lanes_.size(); ++l) {
    const Stored& lane = lanes_[l];
    const auto [known, added] = made.try_emplace(offsets_[l], no_stream);
    if (!added) {
      instancing.attributes.push_back({lane.semantic, known->second});
      continue;
    }
    Stream stream;
    stream.count = count_;
    stream.element = lane.element;
    stream.component = lane.component;
    stream.normalized = lane.component == ComponentType::u8;
    known->second = add_stream(out, block, offsets_[l], lane.bytes.size(), 0,
                               element_bytes(lane.component, lane.element), std::move(stream));
    instancing.attributes.push_back({lane.semantic, known->second});
  }
  return instancing;
}

}  // namespace wakuzume
