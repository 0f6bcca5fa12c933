// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include "build/lightmap_uvs.h"

#include <fmt/format.h>

#include <map>
#include <utility>

#include "build/vectors.h"
#include "rework/geometry_block.h"
#include "survey/lightmaps.h"
#include "survey/rules.h"

namespace wakuzume {
namespace {

constexpr std::uint32_t vertex_target = 34962;

class UvMover {
 public:
  UvMover(std::uint32_t uv_set, Scene& built)
      : built_(built),
        semantic_(fmt::format("TEXCOORD_{}", uv_set)),
        block_(make_id<BlockId>(built.blocks.size())) {}

  void run() {
    for (Node& node : built_.nodes) {
      if (node.mesh != no_mesh) {
        move(node);
      }
    }
    if (!floats_.empty()) {
      built_.blocks.emplace_back().bytes = make_bytes(std::move(floats_));
    }
  }

 private:
  void move(Node& node) {
    std::string places;
    for (const Primitive& primitive : built_[node.mesh].primitives) {
      places += find_lightmap(built_, node, primitive, own_transform_key) + ";";
    }
    if (places.find('[') == std::string::npos) {
      return;
    }
    const auto [slot, added] = moved_.try_emplace({node.mesh, places}, no_mesh);
    if (added) {
      Mesh mesh = built_[node.mesh];
      for (Primitive& primitive : mesh.primitives) {
        move(find_lightmap_place(built_, node, primitive, own_transform_key), primitive);
        drop_place(primitive.extra);
      }
      drop_place(mesh.extra);
      slot->second = make_id<MeshId>(built_.meshes.size());
      built_.meshes.push_back(std::move(mesh));
    }
    node.mesh = slot->second;
    drop_place(node.extra);
  }

  void move(const LightmapPlace& place, Primitive& primitive) {
    for (Attribute& attribute : primitive.attributes) {
      if (attribute.semantic == semantic_ && place != LightmapPlace{}) {
        attribute.stream = find_stream(attribute.stream, place);
      }
    }
  }

  StreamId find_stream(StreamId from, const LightmapPlace& place) {
    const std::array<double, 4> numbers{place.scale[0], place.scale[1], place.offset[0],
                                        place.offset[1]};
    const auto [slot, added] = streams_.try_emplace({from, numbers}, no_stream);
    if (!added) {
      return slot->second;
    }
    const std::vector<double> uvs = make_doubles(built_, from);
    const std::size_t begin = floats_.size();
    floats_.resize(begin + uvs.size());
    move_uvs(place, std::span<const double>(uvs), &floats_[begin]);
    Stream stream;
    stream.element = ElementType::vec2;
    stream.count = uvs.size() / 2;
    slot->second = add_stream(built_, block_, begin * sizeof(float), uvs.size() * sizeof(float),
                              vertex_target, 2 * sizeof(float), std::move(stream));
    return slot->second;
  }

  static void drop_place(Boxed<Extra>& extra) {
    if (extra && !find_extra(extra, own_transform_key).empty()) {
      extra.ensure().extras = put_member(extra->extras, own_transform_key, "");
    }
  }

  Scene& built_;
  std::string semantic_;
  BlockId block_;
  std::vector<float> floats_;
  std::map<std::pair<MeshId, std::string>, MeshId> moved_;
  std::map<std::pair<StreamId, std::array<double, 4>>, StreamId> streams_;
};

}  // namespace

void give_lightmap_uvs(std::uint32_t uv_set, Scene& built) { UvMover(uv_set, built).run(); }

}  // namespace wakuzume
