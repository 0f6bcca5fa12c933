// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <set>
#include <tuple>

#include "texture/repainter.h"

namespace wakuzume {

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

Repainter::Repainter(const Scene& scene, const RoutePlan& routes) : scene_(scene), routes_(routes) {
  out_.scene = scene;
}

Result<Repainted> Repainter::run(const RunControl& run) {
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

Result<void> Repainter::check() const {
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
    if (end->page != no_index &&
        (end->page >= routes_.pages.size() || end->tile >= routes_.pages[end->page].tiles.size())) {
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
    const bool laid_out = page.layout_set != no_index;
    good = good && (!laid_out || page.layout_set < free_uv_set);
    for (const Tile& tile : page.tiles) {
      const bool placed = laid_out ? tile.baked() && tile.x == 0 && tile.y == 0 &&
                                         tile.gutter == 0 && !tile.turned && tile.size == page.size
                                   : is_inside(tile, page);
      good =
          good && to_index(tile.material) < scene_.materials.size() && placed && has_shapes(tile);
    }
    if (!good) {
      return refuse("a page that can't be painted", fmt::format("/materials/pages/{}", p));
    }
  }
  for (std::size_t f = 0; f < routes_.faults.size(); ++f) {
    if (routes_.faults[f].page >= routes_.pages.size()) {
      return refuse("a fault of a page that is not there", fmt::format("/materials/faults/{}", f));
    }
  }
  for (std::size_t s = 0; s < routes_.stacks.size(); ++s) {
    if (!is_good(routes_.stacks[s])) {
      return refuse("a stack that can't be painted", fmt::format("/materials/stacks/{}", s));
    }
  }
  return {};
}

bool Repainter::is_good(const LayerStack& stack) const {
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

bool Repainter::has_shapes(const Tile& tile) const {
  return std::all_of(tile.shapes.begin(), tile.shapes.end(),
                     [&](const PrimitiveRef& ref) {
                       return to_index(ref.mesh) < scene_.meshes.size() &&
                              ref.primitive < scene_[ref.mesh].primitives.size() &&
                              find_topology(primitive_of(scene_, ref).mode) == Topology::triangles;
                     }) &&
         (!tile.baked() || (tile.texels_per_unit > 0 && std::isfinite(tile.texels_per_unit)));
}

bool Repainter::is_inside(const Tile& tile, const AtlasPage& page) {
  constexpr std::int64_t farthest = std::int64_t{1} << 40;
  constexpr std::uint32_t longest = 16384;
  const std::int64_t least = tile.solid() ? 0 : 1;
  const bool sane =
      tile.used.width >= least && tile.used.height >= least && std::abs(tile.used.x) < farthest &&
      std::abs(tile.used.y) < farthest && std::max(tile.used.width, tile.used.height) < farthest &&
      std::min(tile.size.width_px, tile.size.height_px) > 0 &&
      std::max({tile.size.width_px, tile.size.height_px, tile.gutter, tile.x, tile.y}) <= longest &&
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

void Repainter::list_baked() {
  for (std::uint32_t p = 0; p < routes_.pages.size(); ++p) {
    const std::vector<Tile>& tiles = routes_.pages[p].tiles;
    for (std::uint32_t t = 0; t < tiles.size(); ++t) {
      for (const PrimitiveRef& shape : tiles[t].shapes) {
        baked_[shape] = {p, t};
      }
    }
  }
}

void Repainter::list_reworks() {
  const std::set<DrawRef> fixed = [&] {
    std::set<DrawRef> all(routes_.untouched.begin(), routes_.untouched.end());
    all.insert(routes_.left_alone.begin(), routes_.left_alone.end());
    return all;
  }();
  for (const DrawRef& draw : make_draw_list(scene_)) {
    const MeshId mesh = scene_[draw.node].mesh;
    Aim aim = find_aim(routes_, scene_[mesh].primitives[draw.primitive].material);
    if (const auto hit = baked_.find({mesh, draw.primitive}); hit != baked_.end() && aim.moves()) {
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

bool Repainter::add_primitives() {
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

Primitive Repainter::add_streams(const Rework& work, StreamMaker& streams) {
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
    set_uvs(primitive, set, streams.add(work.uvs, ElementType::vec2));
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

std::vector<std::uint16_t> Repainter::gather_colors(const Rework& work) {
  if (!work.rebaked()) {
    return work.colors;
  }
  std::vector<std::uint16_t> out;
  for (const std::uint32_t v : work.vertices) {
    out.insert(out.end(), &work.colors[4 * std::size_t{v}], &work.colors[4 * std::size_t{v}] + 4);
  }
  return out;
}

void Repainter::add_meshes() {
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
