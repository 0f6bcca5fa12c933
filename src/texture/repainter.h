// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#pragma once

#include <map>
#include <string>
#include <utility>
#include <vector>

#include "rework/detach.h"
#include "rework/geometry_block.h"
#include "rework/stream_maker.h"
#include "scene/elements.h"
#include "scene/running.h"
#include "survey/draws.h"
#include "survey/rules.h"
#include "survey/textures.h"
#include "texture/bake.h"
#include "texture/material_rules.h"
#include "texture/uv_source.h"
#include "wakuzume/repaint.h"

/// The carrying out of routes, in its steps: vertex data, shared materials, meshes that show them.
namespace wakuzume {

/// Where a material's look comes from in the end.
struct Aim {
  const MaterialRoute* own = nullptr;  ///< null: it stays as it is
  const MaterialRoute* end = nullptr;
  std::uint32_t page = no_index;  ///< of the primitive's own tile, where it is rebaked
  std::uint32_t tile = no_index;

  [[nodiscard]] bool moves() const {
    return own != nullptr &&
           (own != end || own->tinted || page != no_index || end->stack != no_index);
  }
};

/// \param material  may be no_material
Aim find_aim(const RoutePlan& routes, MaterialId material);

/// One primitive that gets another look, and the streams that are made for it.
struct Rework {
  MeshId mesh = no_mesh;
  std::uint32_t primitive = 0;
  Aim aim;
  std::vector<float> uvs{};
  std::vector<float> tangents{};
  std::vector<std::uint16_t> colors{};
  std::vector<float> layers{};
  /// Rebaked: its vertices by their numbers before, and the indices into them.
  std::vector<std::uint32_t> vertices{};
  std::vector<std::uint32_t> indices{};
  Error problem{};
  bool failed = false;
  [[nodiscard]] bool rebaked() const { return !indices.empty(); }
};

class Repainter {
 public:
  /// Both are borrowed.
  Repainter(const Scene& scene, const RoutePlan& routes);

  Result<Repainted> run(const RunControl& run);

 private:
  /// Routes come from a file, perhaps of another scene.
  [[nodiscard]] Result<void> check() const;

  [[nodiscard]] bool is_good(const LayerStack& stack) const;

  [[nodiscard]] bool has_shapes(const Tile& tile) const;

  static bool is_inside(const Tile& tile, const AtlasPage& page);

  /// Where each rebaked primitive has its tile.
  void list_baked();

  void list_reworks();

  // ---- vertex data ---------------------------------------------------------------------------

  [[nodiscard]] const Primitive& source_of(const Rework& work) const {
    return primitive_of(scene_, work);
  }

  void make_streams(Rework& work) const;

  [[nodiscard]] const Tile& tile_of(const Rework& work) const {
    return routes_.pages[work.aim.page].tiles[work.aim.tile];
  }

  void bake(Rework& work) const;

  /// The number of the layer, and UVs with their transform in them.
  void make_layer_streams(Rework& work) const;

  /// Are there arrays at all? Else one texture shows all of its members in each channel.
  static bool shows_layers(const LayerStack& stack) {
    return std::any_of(stack.channels.begin(), stack.channels.end(),
                       [](const LayerStack::Layers& layers) { return layers.count() > 1; });
  }

  [[nodiscard]] std::vector<float> make_page_coordinates(const Primitive& primitive,
                                                         const Tile& tile,
                                                         const RectSize& page) const;

  /// Along the new u, which is where the old texture's up was.
  [[nodiscard]] std::vector<float> make_turned_tangents(const Primitive& primitive) const;

  [[nodiscard]] std::vector<std::uint16_t> make_colors(const Primitive& primitive,
                                                       const Vec4d& color) const;

  // ---- materials -----------------------------------------------------------------------------

  void add_materials();

  [[nodiscard]] bool is_occluded(MaterialId id) const {
    return scene_[id].occlusion_texture.texture != no_texture;
  }

  MaterialId add_stack_material(const LayerStack& stack);

  MaterialId add(Material material) {
    out_.scene.materials.push_back(std::move(material));
    return make_id<MaterialId>(out_.scene.materials.size() - 1);
  }

  /// A material with the pictures that `fill(channel, slot)` gives it; their factors are in them.
  template <class Fill>
  MaterialId add_shared(const Material& like,
                        const std::string& name,
                        bool occluded,
                        const Fill& fill);

  SamplerId add_sampler(const AtlasPage& page);

  SamplerId add_plain_sampler(Sampler sampler) {
    sampler.name.clear();
    sampler.extra.reset();
    sampler.spelled = 0;
    out_.scene.samplers.push_back(sampler);
    return make_id<SamplerId>(out_.scene.samplers.size() - 1);
  }

  ImageId add_image(const std::string& owner,
                    Channel channel,
                    const std::string& mime_type,
                    const std::string& ending);

  TextureId add_texture(const std::string& owner,
                        const Material& like,
                        Channel channel,
                        SamplerId sampler);

  TextureId add_array(const LayerStack& stack, Channel channel, SamplerId sampler);

  /// A file name that no other image has.
  std::string make_uri(const std::string& name, const std::string& ending);

  /// White where the vertices carry the colour.
  MaterialId find_white(MaterialId id);

  MaterialId find_shared(const Aim& aim);

  // ---- meshes --------------------------------------------------------------------------------

  bool add_primitives();

  Primitive add_streams(const Rework& work, StreamMaker& streams);

  /// Colours were made by the source's vertices.
  [[nodiscard]] static std::vector<std::uint16_t> gather_colors(const Rework& work);

  /// Nodes that show the same primitives of a mesh with another look share one.
  void add_meshes();

  const Scene& scene_;
  const RoutePlan& routes_;
  Repainted out_;
  std::vector<Rework> reworks_;
  std::map<std::pair<MeshId, std::uint32_t>, std::size_t> numbers_;  ///< of a primitive's rework
  std::map<NodeId, std::vector<std::uint32_t>> changed_;             ///< primitives of a node
  std::vector<Primitive> primitives_;                                ///< by rework
  std::map<PrimitiveRef, std::pair<std::uint32_t, std::uint32_t>> baked_;  ///< page and tile
  std::vector<MaterialId> page_materials_;
  std::vector<MaterialId> stack_materials_;
  std::map<MaterialId, MaterialId> whites_;
};

}  // namespace wakuzume
