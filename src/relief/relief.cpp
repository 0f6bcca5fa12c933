// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include "wakuzume/relief.h"

#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <map>
#include <utility>

#include "reduce/given_back.h"
#include "relief/layout.h"
#include "rework/compact.h"
#include "rework/geometry_block.h"
#include "rework/stream_maker.h"
#include "rework/tangents.h"
#include "scene/running.h"
#include "texture/corner_split.h"
#include "texture/coverage.h"
#include "wakuzume/shading_order.h"

namespace wakuzume {
namespace {

/// Vertices of a split in the order in which triangles come to them.
void sort_by_use(CornerSplit& split) {
  const std::vector<std::uint32_t> number =
      number_by_use(split.indices, static_cast<std::uint32_t>(split.vertices.size()));
  CornerSplit out = split;
  for (std::size_t v = 0; v < number.size(); ++v) {
    out.vertices[number[v]] = split.vertices[v];
    out.corners[number[v]] = split.corners[v];
  }
  for (std::uint32_t& index : out.indices) {
    index = number[index];
  }
  split = std::move(out);
}

/// A primitive whose vertices get UVs and tangents of a layout of its own.
struct ChartedPrimitive {
  const ReliefWish* wish = nullptr;
  std::uint32_t uv_set = 0;
  CornerSplit split;
  std::vector<float> uvs;       ///< two a vertex
  std::vector<float> tangents;  ///< four a vertex
};

/// Gives what was reduced its materials and UVs.
class ReliefMaker {
 public:
  ReliefMaker(const Scene& before, const ReducePlan& plan, Reduced& reduced)
      : before_(before), plan_(plan), out_(reduced), reduced_(reduced.scene) {}

  Result<Relief> make(const RunControl& run) {
    wishes_ = list_relief_wishes(before_, plan_, out_);
    if (!drop_small_wishes(run)) {
      return Failure(make_cancelled());
    }
    std::map<MaterialId, std::vector<std::size_t>> by_material;
    for (std::size_t w = 0; w < wishes_.size(); ++w) {
      by_material[wishes_[w].material].push_back(w);
    }
    std::vector<const std::vector<std::size_t>*> lists;
    for (const auto& [material, list] : by_material) {
      lists.push_back(&list);
    }
    std::vector<ReliefLayout> layouts(lists.size());
    if (!for_each_index(lists.size(), run, "laying charts out",
                        [&](std::size_t l) { layouts[l] = find_layout(*lists[l]); })) {
      return Failure(make_cancelled());
    }
    for (std::size_t l = 0; l < lists.size(); ++l) {
      add_page(*lists[l], layouts[l]);
    }
    if (!write_charted(run)) {
      return Failure(make_cancelled());
    }
    return std::move(relief_);
  }

 private:
  /// What is shaded as it was needs no picture. \return false when the observer asked to stop
  bool drop_small_wishes(const RunControl& run) {
    constexpr double least_turned_deg = 1.5;
    std::vector<std::uint8_t> kept(wishes_.size());
    if (!for_each_index(wishes_.size(), run, "looking at normals", [&](std::size_t w) {
          const bool shows = wishes_[w].first == w &&
                             find_turned(before_, reduced_, wishes_[w]) >= least_turned_deg;
          kept[w] = shows ? 1 : 0;
        })) {
      return false;
    }
    std::vector<std::size_t> now(wishes_.size());
    std::vector<ReliefWish> left;
    for (std::size_t w = 0; w < wishes_.size(); ++w) {
      now[w] = left.size();
      if (kept[wishes_[w].first] != 0) {
        left.push_back(wishes_[w]);
        left.back().first = now[wishes_[w].first];
      }
    }
    wishes_ = std::move(left);
    return true;
  }

  [[nodiscard]] ReliefLayout find_layout(const std::vector<std::size_t>& list) const {
    std::vector<ReliefWish> firsts;
    for (const std::size_t w : list) {
      if (wishes_[w].first == w) {
        firsts.push_back(wishes_[w]);
      }
    }
    const std::uint32_t most_px = plan_.settings.relief_px;
    std::uint32_t side_px = find_relief_side(before_, firsts, most_px);
    ReliefLayout layout = find_relief_layout(reduced_, firsts, side_px);
    while (!layout.problem.empty() && side_px < most_px) {
      side_px = std::min(2 * side_px, most_px);
      layout = find_relief_layout(reduced_, firsts, side_px);
    }
    return layout;
  }

  void add_page(const std::vector<std::size_t>& list, ReliefLayout& layout) {
    const MaterialId like = wishes_[list.front()].material;
    const Material& material = reduced_[like];
    if (!layout.problem.empty()) {
      relief_.left_as.push_back(fmt::format("the material '{}' gets no picture of normals: {}",
                                            material.name, layout.problem));
      return;
    }
    ReliefPage& page = relief_.pages.emplace_back();
    for (const std::size_t w : list) {
      const ReliefWish& wish = wishes_[w];
      page.like.push_back(reduced_[wish.mesh].primitives[wish.primitive].material);
    }
    std::sort(page.like.begin(), page.like.end());
    page.like.erase(std::unique(page.like.begin(), page.like.end()), page.like.end());
    page.size = layout.size;
    page.uv_set = layout.uv_set;
    page.own_charts = layout.own_charts;
    add_material(material, page);
    std::map<std::size_t, std::size_t> part_of;  // by wish
    for (const std::size_t w : list) {
      const ReliefWish& wish = wishes_[w];
      if (wish.first == w) {
        part_of[w] = page.parts.size();
        page.parts.push_back(
            {wish.before, wish.mesh, wish.primitive, std::move(layout.places[page.parts.size()])});
      }
      Primitive& primitive = out_.scene.meshes[to_index(wish.mesh)].primitives[wish.primitive];
      primitive.material = page.material;
      if (page.own_charts) {
        chart(wish, page, page.parts[part_of.at(wish.first)].places);
      }
    }
  }

  void add_material(const Material& like, ReliefPage& page) {
    Scene& scene = out_.scene;
    Material material = like;
    material.name = like.name + " relief";
    Image image;
    image.name = material.name;
    image.mime_type = "image/png";
    page.image = make_id<ImageId>(scene.images.size());
    scene.images.push_back(std::move(image));
    Texture texture;
    texture.name = material.name;
    texture.image = page.image;
    if (like.normal_texture.texture != no_texture) {
      texture.sampler = scene.textures[to_index(like.normal_texture.texture)].sampler;
    }
    material.normal_texture = {};
    material.normal_texture.texture = make_id<TextureId>(scene.textures.size());
    material.normal_texture.texcoord = page.uv_set;
    scene.textures.push_back(std::move(texture));
    page.material = make_id<MaterialId>(scene.materials.size());
    scene.materials.push_back(std::move(material));
  }

  void chart(const ReliefWish& wish, const ReliefPage& page, const std::vector<double>& places) {
    const Primitive& primitive = reduced_[wish.mesh].primitives[wish.primitive];
    const std::vector<float> uvs = make_page_uvs(places, page.size);
    const std::vector<float> tangents = make_tangents_along(reduced_, primitive, uvs);
    const std::array parts{CornerValues{uvs, 2}, CornerValues{tangents, 4}};
    const std::vector<std::uint32_t> list = make_list_indices(reduced_, primitive);
    ChartedPrimitive charted{&wish, page.uv_set, {}, {}, {}};
    // A copy's tangents are turned, and rounded in another way: it is taken apart as the first is.
    const auto first = splits_.find(wish.first);
    if (first != splits_.end() && first->second.list == list) {
      charted.split = first->second.split;
    } else {
      charted.split = split_corners(list, parts);
      sort_by_use(charted.split);
      splits_.try_emplace(wish.first, Known{list, charted.split});
    }
    charted.uvs = gather_corners(parts[0], charted.split.corners);
    charted.tangents = gather_corners(parts[1], charted.split.corners);
    charted_.push_back(std::move(charted));
  }

  /// \return false when the observer asked to stop
  bool write_charted(const RunControl& run) {
    if (charted_.empty()) {
      return goes_on(run, "laying charts out", 1);
    }
    GeometryBlock block;
    StreamMaker reserve(reduced_, out_.scene, block, nullptr);
    for (const ChartedPrimitive& charted : charted_) {
      static_cast<void>(make_primitive(charted, reserve));
    }
    if (!block.allocate()) {
      relief_ = {};
      relief_.left_as.emplace_back("there is no memory for UVs of pictures of normals");
      out_.scene = reduced_;
      return true;
    }
    const BlockId id = make_id<BlockId>(out_.scene.blocks.size());
    StreamMaker fill(reduced_, out_.scene, block, &id);
    for (const ChartedPrimitive& charted : charted_) {
      const ReliefWish& wish = *charted.wish;
      Primitive& to = out_.scene.meshes[to_index(wish.mesh)].primitives[wish.primitive];
      const MaterialId material = to.material;
      to = make_primitive(charted, fill);
      to.material = material;
    }
    out_.scene.blocks.emplace_back().bytes = block.finish();
    std::vector<std::string> left_out;
    compact(reduced_, out_.scene, left_out);
    return goes_on(run, "laying charts out", 1);
  }

  Primitive make_primitive(const ChartedPrimitive& charted, StreamMaker& streams) const {
    const ReliefWish& wish = *charted.wish;
    const std::vector<std::uint32_t>& vertices = charted.split.vertices;
    Primitive out = reduced_[wish.mesh].primitives[wish.primitive];
    std::erase_if(out.attributes, [](const Attribute& a) { return a.semantic == "TANGENT"; });
    for (Attribute& attribute : out.attributes) {
      attribute.stream =
          streams.gather(attribute.stream, vertices, attribute.semantic == "POSITION");
    }
    for (std::vector<Attribute>& target : out.morph_targets) {
      for (Attribute& attribute : target) {
        attribute.stream = gather_target(attribute, vertices, streams);
      }
    }
    out.mode = PrimitiveMode::triangles;
    out.indices = streams.add_indices(charted.split.indices, vertices.size());
    set_attribute(out, "TANGENT", streams.add(charted.tangents, ElementType::vec4));
    set_uvs(out, charted.uv_set, streams.add(charted.uvs, ElementType::vec2));
    return out;
  }

  /// Targets that move little take little room.
  StreamId gather_target(const Attribute& attribute,
                         const std::vector<std::uint32_t>& vertices,
                         StreamMaker& streams) const {
    const Stream& like = reduced_[attribute.stream];
    const std::size_t width = component_count(like.element);
    const std::vector<float> all = make_floats(reduced_, attribute.stream);
    std::vector<float> values;
    for (const std::uint32_t v : vertices) {
      const auto from = all.begin() + static_cast<std::ptrdiff_t>(width * v);
      values.insert(values.end(), from, from + static_cast<std::ptrdiff_t>(width));
    }
    return streams.add_sparse(like, values, attribute.semantic == "POSITION");
  }

  struct Known {
    std::vector<std::uint32_t> list;
    CornerSplit split;
  };

  const Scene& before_;
  const ReducePlan& plan_;
  Reduced& out_;
  const Scene reduced_;  ///< as it was without pictures
  std::vector<ReliefWish> wishes_;
  std::map<std::size_t, Known> splits_;  ///< by the first wish that is alike
  std::vector<ChartedPrimitive> charted_;
  Relief relief_;
};

}  // namespace

Result<ReducedWithRelief> reduce_with_relief(const Scene& scene,
                                             const ReducePlan& plan,
                                             const RunControl& run) {
  ReducedWithRelief out;
  if (plan.settings.relief_px == 0) {
    auto reduced = reduce(scene, plan, run);
    if (!reduced) {
      return Failure(reduced.error());
    }
    out.reduced = std::move(*reduced);
    return out;
  }
  // Pictures are those of all meshes, whichever draws got their triangles back.
  ReducePlan whole = plan;
  whole.untouched.clear();
  auto reduced = reduce(scene, whole, run);
  if (!reduced) {
    return Failure(reduced.error());
  }
  out.reduced = std::move(*reduced);
  auto relief = ReliefMaker(scene, plan, out.reduced).make(run);
  if (!relief) {
    return Failure(relief.error());
  }
  out.relief = std::move(*relief);
  give_back(scene, plan.untouched, out.reduced);
  return out;
}

}  // namespace wakuzume
