// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include "wakuzume/repaint.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <map>
#include <set>
#include <tuple>

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

namespace wakuzume {
namespace {

constexpr const char* webp_extension = "EXT_texture_webp";

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

Aim find_aim(const RoutePlan& routes, MaterialId material) {
  Aim aim;
  aim.own = material == no_material ? nullptr : routes.find(material);
  aim.end = aim.own;
  while (aim.end != nullptr && aim.end->onto != no_material) {
    aim.end = routes.find(aim.end->onto);
  }
  if (aim.end == nullptr) {
    return {};
  }
  aim.page = aim.end->page;
  aim.tile = aim.end->tile;
  return aim;
}

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
  Repainter(const Scene& scene, const RoutePlan& routes) : scene_(scene), routes_(routes) {
    out_.scene = scene;
  }

  Result<Repainted> run(const RunControl& run) {
    if (auto good = check(); !good) {
      return Failure(good.error());
    }
    list_baked();
    list_reworks();
    if (!for_each_index(reworks_.size(), run, "moving UVs",
                        [&](std::size_t r) { make_streams(reworks_[r]); })) {
      return Failure(make_cancelled());
    }
    for (const Rework& work : reworks_) {
      if (work.failed) {
        return Failure(work.problem);
      }
    }
    add_materials();
    if (!add_primitives()) {
      return Failure(Error{ErrorCode::too_large, "there is no memory for the new UVs", {}});
    }
    add_meshes();
    return std::move(out_);
  }

 private:
  /// Routes come from a file, perhaps of another scene.
  [[nodiscard]] Result<void> check() const {
    const auto refuse = [](std::string what, std::string pointer) {
      return Failure(Error{ErrorCode::plan_mismatch, std::move(what), {"", std::move(pointer)}});
    };
    for (std::size_t r = 0; r < routes_.routes.size(); ++r) {
      const MaterialRoute& route = routes_.routes[r];
      const std::string at = fmt::format("/materials/routes/{}", r);
      const bool ordered = r == 0 || routes_.routes[r - 1].material < route.material;
      if (to_index(route.material) >= scene_.materials.size() || !ordered) {
        return refuse("the routes are not those of the scene's materials", at);
      }
      std::size_t steps = 0;
      const MaterialRoute* end = &route;
      while (end != nullptr && end->onto != no_material && steps <= routes_.routes.size()) {
        end = routes_.find(end->onto);
        ++steps;
      }
      if (end == nullptr || end->onto != no_material) {
        return refuse("a route leads nowhere", at);
      }
      if (end->page != no_index && (end->page >= routes_.pages.size() ||
                                    end->tile >= routes_.pages[end->page].tiles.size())) {
        return refuse("a route leads to a tile that is not there", at);
      }
      if (end->stack != no_index && (end->stack >= routes_.stacks.size() || end->page != no_index ||
                                     end->member >= routes_.stacks[end->stack].members.size())) {
        return refuse("a route leads to a layer that is not there", at);
      }
    }
    for (std::size_t p = 0; p < routes_.pages.size(); ++p) {
      const AtlasPage& page = routes_.pages[p];
      bool good = !page.tiles.empty() && page.size.width_px > 0 && page.size.height_px > 0 &&
                  std::max(page.size.width_px, page.size.height_px) <= 16384 && page.uv_set < 16;
      for (const std::uint32_t halvings : page.halvings) {
        good = good && (halvings == no_index || halvings <= 2);
      }
      for (const Tile& tile : page.tiles) {
        good = good && to_index(tile.material) < scene_.materials.size() && is_inside(tile, page) &&
               has_shapes(tile);
      }
      if (!good) {
        return refuse("a page that can't be painted", fmt::format("/materials/pages/{}", p));
      }
    }
    for (std::size_t s = 0; s < routes_.stacks.size(); ++s) {
      if (!is_good(routes_.stacks[s])) {
        return refuse("a stack that can't be painted", fmt::format("/materials/stacks/{}", s));
      }
    }
    return {};
  }

  [[nodiscard]] bool is_good(const LayerStack& stack) const {
    constexpr std::uint32_t longest = 16384;
    const std::size_t count = stack.members.size();
    bool good = count > 0 && count <= 65536 && stack.uv_set < 16 && stack.copies.size() == count;
    for (const auto& copies : stack.copies) {
      good = good && copies[0] > 0 && copies[0] <= longest && copies[1] > 0 && copies[1] <= longest;
    }
    for (const MaterialId id : stack.members) {
      good = good && to_index(id) < scene_.materials.size();
    }
    for (const LayerStack::Layers& layers : stack.channels) {
      if (layers.size.width_px == 0 && layers.size.height_px == 0 && layers.of_member.empty()) {
        continue;
      }
      good = good && layers.of_member.size() == count && layers.size.width_px > 0 &&
             layers.size.height_px > 0 &&
             std::max(layers.size.width_px, layers.size.height_px) <= longest;
      // Layers are numbered as they come, so that each is some member's.
      std::uint32_t next = 0;
      for (const std::uint32_t layer : layers.of_member) {
        good = good && layer <= next;
        next = std::max(next, layer + 1);
      }
    }
    return good;
  }

  [[nodiscard]] bool has_shapes(const Tile& tile) const {
    return std::all_of(tile.shapes.begin(), tile.shapes.end(),
                       [&](const PrimitiveRef& ref) {
                         return to_index(ref.mesh) < scene_.meshes.size() &&
                                ref.primitive < scene_[ref.mesh].primitives.size() &&
                                find_topology(scene_[ref.mesh].primitives[ref.primitive].mode) ==
                                    Topology::triangles;
                       }) &&
           (!tile.baked() || (tile.texels_per_unit > 0 && std::isfinite(tile.texels_per_unit)));
  }

  static bool is_inside(const Tile& tile, const AtlasPage& page) {
    constexpr std::int64_t farthest = std::int64_t{1} << 40;
    constexpr std::uint32_t longest = 16384;
    const std::int64_t least = tile.solid() ? 0 : 1;
    const bool sane = tile.used.width >= least && tile.used.height >= least &&
                      std::abs(tile.used.x) < farthest && std::abs(tile.used.y) < farthest &&
                      std::max(tile.used.width, tile.used.height) < farthest &&
                      std::min(tile.size.width_px, tile.size.height_px) > 0 &&
                      std::max({tile.size.width_px, tile.size.height_px, tile.gutter, tile.x,
                                tile.y}) <= longest &&
                      tile.solid() == (tile.texture.height_px == 0);
    if (!sane) {
      return false;
    }
    const RectSize outer = tile.outer();
    const std::uint32_t width = tile.turned ? outer.height_px : outer.width_px;
    const std::uint32_t height = tile.turned ? outer.width_px : outer.height_px;
    return tile.gutter > 0 && tile.gutter <= tile.x && tile.gutter <= tile.y &&
           tile.x - tile.gutter + width <= page.size.width_px &&
           tile.y - tile.gutter + height <= page.size.height_px;
  }

  /// Where each rebaked primitive has its tile.
  void list_baked() {
    for (std::uint32_t p = 0; p < routes_.pages.size(); ++p) {
      const std::vector<Tile>& tiles = routes_.pages[p].tiles;
      for (std::uint32_t t = 0; t < tiles.size(); ++t) {
        for (const PrimitiveRef& shape : tiles[t].shapes) {
          baked_[shape] = {p, t};
        }
      }
    }
  }

  void list_reworks() {
    const std::set<DrawRef> fixed = [&] {
      std::set<DrawRef> all(routes_.untouched.begin(), routes_.untouched.end());
      all.insert(routes_.left_alone.begin(), routes_.left_alone.end());
      return all;
    }();
    for (const DrawRef& draw : make_draw_list(scene_)) {
      const MeshId mesh = scene_[draw.node].mesh;
      Aim aim = find_aim(routes_, scene_[mesh].primitives[draw.primitive].material);
      if (const auto hit = baked_.find({mesh, draw.primitive});
          hit != baked_.end() && aim.moves()) {
        std::tie(aim.page, aim.tile) = hit->second;
      }
      if (!aim.moves() || fixed.contains(draw)) {
        continue;
      }
      const auto [slot, added] =
          numbers_.try_emplace(std::pair(mesh, draw.primitive), reworks_.size());
      if (added) {
        reworks_.push_back({mesh, draw.primitive, aim});
      }
      changed_[draw.node].push_back(draw.primitive);
    }
  }

  // ---- vertex data ---------------------------------------------------------------------------

  [[nodiscard]] const Primitive& source_of(const Rework& work) const {
    return scene_[work.mesh].primitives[work.primitive];
  }

  void make_streams(Rework& work) const {
    const Primitive& primitive = source_of(work);
    if (work.aim.page != no_index && tile_of(work).baked()) {
      bake(work);
    } else if (work.aim.page != no_index) {
      const AtlasPage& page = routes_.pages[work.aim.page];
      const Tile& tile = tile_of(work);
      work.uvs = make_page_coordinates(primitive, tile, page.size);
      if (tile.turned && !tile.solid() && primitive.find("TANGENT") != no_stream &&
          primitive.find("NORMAL") != no_stream) {
        work.tangents = make_turned_tangents(primitive);
      }
    }
    if (work.aim.end->stack != no_index) {
      make_layer_streams(work);
    }
    if (work.aim.own->tinted) {
      work.colors = make_colors(primitive, scene_[work.aim.own->material].base_color);
    }
  }

  [[nodiscard]] const Tile& tile_of(const Rework& work) const {
    return routes_.pages[work.aim.page].tiles[work.aim.tile];
  }

  void bake(Rework& work) const {
    auto baked = make_baked_primitive(scene_, source_of(work), tile_of(work),
                                      routes_.pages[work.aim.page].size);
    if (!baked) {
      work.failed = true;
      work.problem = baked.error();
      work.problem.code = ErrorCode::plan_mismatch;
      work.problem.place.pointer =
          fmt::format("/materials/pages/{}/tiles/{}", work.aim.page, work.aim.tile);
      return;
    }
    work.uvs = std::move(baked->uvs);
    work.tangents = std::move(baked->tangents);
    work.vertices = std::move(baked->vertices);
    work.indices = std::move(baked->indices);
  }

  /// The number of the layer, and UVs with their transform in them.
  void make_layer_streams(Rework& work) const {
    const Primitive& primitive = source_of(work);
    const LayerStack& stack = routes_.stacks[work.aim.end->stack];
    if (shows_layers(stack)) {
      work.layers.assign(count_vertices(scene_, primitive),
                         static_cast<float>(work.aim.end->member));
    }
    UvSource source = find_uv_source(scene_, scene_[primitive.material]);
    source.periods = {0, 0};
    const UvTransform plain;
    const UvTransform& t = source.transform;
    const auto& copies = stack.copies[work.aim.end->member];
    if (t.offset == plain.offset && t.rotation == plain.rotation && t.scale == plain.scale &&
        copies[0] == 1 && copies[1] == 1) {
      return;
    }
    for (const Vec2d& uv : make_texture_coordinates(scene_, primitive, source)) {
      work.uvs.push_back(static_cast<float>(uv[0] / copies[0]));
      work.uvs.push_back(static_cast<float>(uv[1] / copies[1]));
    }
  }

  /// Are there arrays at all? Else one texture shows all of its members in each channel.
  static bool shows_layers(const LayerStack& stack) {
    return std::any_of(stack.channels.begin(), stack.channels.end(),
                       [](const LayerStack::Layers& layers) { return layers.count() > 1; });
  }

  [[nodiscard]] std::vector<float> make_page_coordinates(const Primitive& primitive,
                                                         const Tile& tile,
                                                         const RectSize& page) const {
    const std::uint64_t count = count_vertices(scene_, primitive);
    std::vector<float> out(2 * count);
    const double width = tile.size.width_px;
    const double height = tile.size.height_px;
    std::vector<Vec2d> uvs;
    if (!tile.solid()) {
      uvs = make_texture_coordinates(scene_, primitive,
                                     find_uv_source(scene_, scene_[primitive.material]));
    }
    for (std::size_t v = 0; v < count; ++v) {
      // From the corner of the tile, in pixels of the page.
      double a = width / 2;
      double b = height / 2;
      if (v < uvs.size()) {
        a = (uvs[v][0] * tile.texture.width_px - static_cast<double>(tile.used.x)) * width /
            static_cast<double>(tile.used.width);
        b = (uvs[v][1] * tile.texture.height_px - static_cast<double>(tile.used.y)) * height /
            static_cast<double>(tile.used.height);
      }
      const double x = tile.turned ? height - b : a;
      const double y = tile.turned ? a : b;
      out[2 * v] = static_cast<float>((tile.x + x) / page.width_px);
      out[2 * v + 1] = static_cast<float>((tile.y + y) / page.height_px);
    }
    return out;
  }

  /// Along the new u, which is where the old texture's up was.
  [[nodiscard]] std::vector<float> make_turned_tangents(const Primitive& primitive) const {
    std::vector<float> tangents = make_floats(scene_, primitive.find("TANGENT"));
    const std::vector<float> normals = make_floats(scene_, primitive.find("NORMAL"));
    for (std::size_t v = 0; 4 * v + 3 < tangents.size() && 3 * v + 2 < normals.size(); ++v) {
      const float* n = &normals[3 * v];
      float* t = &tangents[4 * v];
      const float turned[3] = {n[1] * t[2] - n[2] * t[1], n[2] * t[0] - n[0] * t[2],
                               n[0] * t[1] - n[1] * t[0]};
      for (std::size_t c = 0; c < 3; ++c) {
        t[c] = turned[c] * t[3];
      }
    }
    return tangents;
  }

  [[nodiscard]] std::vector<std::uint16_t> make_colors(const Primitive& primitive,
                                                       const Vec4d& color) const {
    const std::uint64_t count = count_vertices(scene_, primitive);
    const StreamId stream = primitive.find("COLOR_0");
    const std::vector<float> had =
        stream == no_stream ? std::vector<float>() : make_floats(scene_, stream);
    const std::size_t width = stream == no_stream ? 0 : component_count(scene_[stream].element);
    std::vector<std::uint16_t> out(4 * count);
    for (std::size_t v = 0; v < count; ++v) {
      for (std::size_t c = 0; c < 4; ++c) {
        const double own = c < width ? static_cast<double>(had[v * width + c]) : 1;
        out[4 * v + c] =
            static_cast<std::uint16_t>(std::lround(std::clamp(own * color[c], 0.0, 1.0) * 65535));
      }
    }
    return out;
  }

  // ---- materials -----------------------------------------------------------------------------

  void add_materials() {
    for (const AtlasPage& page : routes_.pages) {
      out_.images.emplace_back().fill(no_image);
      const Material& like = scene_[page.tiles.front().material];
      const bool occluded =
          std::any_of(page.tiles.begin(), page.tiles.end(),
                      [&](const Tile& tile) { return is_occluded(tile.material); });
      const SamplerId sampler = add_sampler(page);
      page_materials_.push_back(
          add_shared(like, page.name, occluded, [&](Channel channel, TextureSlot& slot) {
            if (page.has(channel)) {
              slot.texture = add_texture(page.name, like, channel, sampler);
              slot.texcoord = page.uv_set;
            }
          }));
    }
    for (const LayerStack& stack : routes_.stacks) {
      out_.images.emplace_back().fill(no_image);
      stack_materials_.push_back(add_stack_material(stack));
    }
  }

  [[nodiscard]] bool is_occluded(MaterialId id) const {
    return scene_[id].occlusion_texture.texture != no_texture;
  }

  MaterialId add_stack_material(const LayerStack& stack) {
    const auto textured =
        std::find_if(stack.members.begin(), stack.members.end(),
                     [&](MaterialId id) { return find_uv_source(scene_, scene_[id]).textured; });
    const MaterialId first = textured == stack.members.end() ? stack.members.front() : *textured;
    const Material& like = scene_[first];
    const TextureId texture = find_first_texture(like);
    const SamplerId sampler =
        add_plain_sampler(texture == no_texture ? Sampler{} : find_sampler(scene_, texture));
    const bool occluded = std::any_of(stack.members.begin(), stack.members.end(),
                                      [&](MaterialId id) { return is_occluded(id); });
    return add_shared(like, stack.name, occluded, [&](Channel channel, TextureSlot& slot) {
      if (!stack.has(channel)) {
        return;
      }
      slot.texcoord = stack.uv_set;
      slot.texture = stack[channel].count() > 1 ? add_array(stack, channel, sampler)
                                                : add_texture(stack.name, like, channel, sampler);
    });
  }

  MaterialId add(Material material) {
    out_.scene.materials.push_back(std::move(material));
    return make_id<MaterialId>(out_.scene.materials.size() - 1);
  }

  /// A material with the pictures that `fill(channel, slot)` gives it; their factors are in them.
  template <class Fill>
  MaterialId add_shared(const Material& like,
                        const std::string& name,
                        bool occluded,
                        const Fill& fill) {
    Material material = like;
    material.name = name;
    material.spelled = 0;
    if (material.extra) {
      material.extra.ensure().extras = find_own_extras(like);
    }
    for (TextureSlot* slot : list_slots(material)) {
      *slot = {};
    }
    fill(Channel::color, material.base_color_texture);
    if (material.base_color_texture.texture != no_texture) {
      material.base_color = {1, 1, 1, 1};
    }
    fill(Channel::surface, material.metallic_roughness_texture);
    if (material.metallic_roughness_texture.texture != no_texture) {
      material.metallic = material.roughness = 1;
      material.occlusion_texture = occluded ? material.metallic_roughness_texture : TextureSlot{};
    }
    fill(Channel::normal, material.normal_texture);
    fill(Channel::emissive, material.emissive_texture);
    if (material.emissive_texture.texture != no_texture) {
      material.emissive = {1, 1, 1};
    }
    return add(std::move(material));
  }

  SamplerId add_sampler(const AtlasPage& page) {
    Sampler sampler;
    for (const Tile& tile : page.tiles) {
      const TextureId texture = find_first_texture(scene_[tile.material]);
      if (!tile.solid() && texture != no_texture) {
        sampler = find_sampler(scene_, texture);
        break;
      }
    }
    sampler.wrap_s = sampler.wrap_t = wrap_clamp;
    return add_plain_sampler(sampler);
  }

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
                    const std::string& ending) {
    Image image;
    image.name = fmt::format("{}_{}", owner, to_string(channel));
    image.mime_type = mime_type;
    image.uri = make_uri(image.name, ending);
    const ImageId id = make_id<ImageId>(out_.scene.images.size());
    out_.scene.images.push_back(std::move(image));
    out_.images.back()[static_cast<std::size_t>(channel)] = id;
    return id;
  }

  TextureId add_texture(const std::string& owner,
                        const Material& like,
                        Channel channel,
                        SamplerId sampler) {
    const PictureType type = find_picture_type(like, routes_, channel);
    const ImageId id = add_image(owner, channel, std::string(to_mime_type(type)),
                                 type == PictureType::jpeg ? "jpg" : std::string(to_string(type)));
    Texture texture;
    texture.name = out_.scene.images.back().name;
    texture.sampler = sampler;
    if (type == PictureType::webp) {
      texture.extra.ensure().extensions.push_back(
          {webp_extension, fmt::format("{{\"source\":{}}}", to_index(id))});
      add_once(out_.scene.extensions_used, webp_extension);
      add_once(out_.scene.extensions_required, webp_extension);
    } else {
      texture.image = id;
    }
    out_.scene.textures.push_back(std::move(texture));
    return make_id<TextureId>(out_.scene.textures.size() - 1);
  }

  TextureId add_array(const LayerStack& stack, Channel channel, SamplerId sampler) {
    Texture texture;
    texture.sampler = sampler;
    texture.layers = TextureLayers{add_image(stack.name, channel, "image/ktx2", "ktx2"),
                                   stack[channel].of_member};
    texture.name = out_.scene.images.back().name;
    add_once(out_.scene.extensions_used, texture_layers_extension);
    if (routes_.settings.plain_look == PlainLook::none) {
      add_once(out_.scene.extensions_required, texture_layers_extension);
    }
    out_.scene.textures.push_back(std::move(texture));
    return make_id<TextureId>(out_.scene.textures.size() - 1);
  }

  /// A file name that no other image has.
  std::string make_uri(const std::string& name, const std::string& ending) {
    std::string uri = fmt::format("{}.{}", name, ending);
    for (int number = 2;; ++number) {
      if (std::none_of(out_.scene.images.begin(), out_.scene.images.end(),
                       [&](const Image& image) { return image.uri == uri; })) {
        return uri;
      }
      uri = fmt::format("{}_{}.{}", name, number, ending);
    }
  }

  /// White where the vertices carry the colour.
  MaterialId find_white(MaterialId id) {
    const auto [slot, added] = whites_.try_emplace(id, no_material);
    if (added) {
      Material white = scene_[id];
      white.base_color = {1, 1, 1, 1};
      white.spelled = 0;
      slot->second = add(std::move(white));
    }
    return slot->second;
  }

  MaterialId find_shared(const Aim& aim) {
    if (aim.page != no_index) {
      return page_materials_[aim.page];
    }
    if (aim.end->stack != no_index) {
      return stack_materials_[aim.end->stack];
    }
    return aim.end->tinted ? find_white(aim.end->material) : aim.end->material;
  }

  // ---- meshes --------------------------------------------------------------------------------

  bool add_primitives() {
    GeometryBlock block;
    // First all is reserved, then the same calls fill what was reserved.
    StreamMaker reserve(scene_, out_.scene, block, nullptr);
    for (const Rework& work : reworks_) {
      add_streams(work, reserve);
    }
    if (block.size() > 0 && !block.allocate()) {
      return false;
    }
    const BlockId id = make_id<BlockId>(out_.scene.blocks.size());
    StreamMaker fill(scene_, out_.scene, block, &id);
    for (const Rework& work : reworks_) {
      primitives_.push_back(add_streams(work, fill));
    }
    if (block.size() > 0) {
      out_.scene.blocks.emplace_back().bytes = block.finish();
    }
    return true;
  }

  Primitive add_streams(const Rework& work, StreamMaker& streams) {
    Primitive primitive = source_of(work);
    if (work.rebaked()) {
      for (Attribute& attribute : primitive.attributes) {
        attribute.stream =
            streams.gather(attribute.stream, work.vertices, attribute.semantic == "POSITION");
      }
      for (std::vector<Attribute>& target : primitive.morph_targets) {
        for (Attribute& attribute : target) {
          attribute.stream =
              streams.gather(attribute.stream, work.vertices, attribute.semantic == "POSITION");
        }
      }
      primitive.mode = PrimitiveMode::triangles;
      primitive.indices = streams.add_indices(work.indices, work.vertices.size());
    }
    if (!work.uvs.empty()) {
      const std::uint32_t set = work.aim.page != no_index
                                    ? routes_.pages[work.aim.page].uv_set
                                    : routes_.stacks[work.aim.end->stack].uv_set;
      const StreamId stream = streams.add(work.uvs, ElementType::vec2);
      set_attribute(primitive, fmt::format("TEXCOORD_{}", set), stream);
      // Sets are numbered without gaps: what is missing below looks at one place.
      for (std::uint32_t s = 0; s < set; ++s) {
        if (primitive.find(fmt::format("TEXCOORD_{}", s)) == no_stream) {
          set_attribute(primitive, fmt::format("TEXCOORD_{}", s), stream);
        }
      }
    }
    if (!work.tangents.empty()) {
      set_attribute(primitive, "TANGENT", streams.add(work.tangents, ElementType::vec4));
    }
    if (!work.colors.empty()) {
      set_attribute(primitive, "COLOR_0", streams.add(gather_colors(work), ElementType::vec4));
    }
    if (!work.layers.empty()) {
      set_attribute(primitive, layer_semantic, streams.add(work.layers, ElementType::scalar));
    }
    primitive.material = find_shared(work.aim);
    return primitive;
  }

  /// Colours were made by the source's vertices.
  [[nodiscard]] static std::vector<std::uint16_t> gather_colors(const Rework& work) {
    if (!work.rebaked()) {
      return work.colors;
    }
    std::vector<std::uint16_t> out;
    for (const std::uint32_t v : work.vertices) {
      out.insert(out.end(), &work.colors[4 * std::size_t{v}], &work.colors[4 * std::size_t{v}] + 4);
    }
    return out;
  }

  static void set_attribute(Primitive& primitive, const std::string& semantic, StreamId stream) {
    const auto hit = std::find_if(primitive.attributes.begin(), primitive.attributes.end(),
                                  [&](const Attribute& a) { return a.semantic == semantic; });
    if (hit != primitive.attributes.end()) {
      hit->stream = stream;
    } else {
      primitive.attributes.push_back({semantic, stream});
    }
  }

  /// Nodes that show the same primitives of a mesh with another look share one.
  void add_meshes() {
    std::map<std::pair<MeshId, std::vector<std::uint32_t>>, MeshId> variants;
    for (const auto& [node, changed] : changed_) {
      const MeshId from = scene_[node].mesh;
      const auto [slot, added] = variants.try_emplace(std::pair(from, changed), no_mesh);
      if (added) {
        Mesh mesh = scene_[from];
        for (const std::uint32_t p : changed) {
          mesh.primitives[p] = primitives_[numbers_.at({from, p})];
        }
        slot->second = make_id<MeshId>(out_.scene.meshes.size());
        out_.scene.meshes.push_back(std::move(mesh));
      }
      out_.scene.nodes[to_index(node)].mesh = slot->second;
    }
  }

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

}  // namespace

Material make_painted(const Scene& scene, const RoutePlan& routes, MaterialId id) {
  Material material = scene[id];
  if (const MaterialRoute* route = routes.find(id); route != nullptr && route->tinted) {
    material.base_color = {1, 1, 1, 1};
  }
  return material;
}

PictureType find_picture_type(const Material& like, const RoutePlan& routes, Channel channel) {
  const bool alpha = channel == Channel::color && like.alpha_mode != AlphaMode::opaque;
  const PictureType wanted = routes.settings.picture_type;
  return alpha && wanted == PictureType::jpeg ? PictureType::png : wanted;
}

Result<Repainted> repaint(const Scene& scene, const RoutePlan& routes, const RunControl& run) {
  return Repainter(scene, routes).run(run);
}

std::vector<Bytes> take_pages(const PageImages& images, Scene& scene) {
  std::vector<Bytes> taken;
  for (const auto& page : images) {
    for (const ImageId id : page) {
      if (to_index(id) < scene.images.size()) {
        Image& image = scene.images[to_index(id)];
        taken.push_back(find_encoded(scene, id));
        image.view = no_view;
        image.bytes = {};
      }
    }
  }
  return taken;
}

}  // namespace wakuzume
