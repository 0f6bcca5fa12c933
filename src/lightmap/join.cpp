// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include <fmt/format.h>

#include <algorithm>
#include <map>

#include "scene/running.h"
#include "survey/lightmaps.h"
#include "survey/rules.h"
#include "wakuzume/lightmaps.h"

namespace wakuzume {
namespace {

/// A draw and what takes it along.
struct Leaving {
  std::uint32_t primitive = 0;
  const LightmapMove* move = nullptr;
};

Failure mismatch(const std::string& what) {
  return Failure(Error{ErrorCode::plan_mismatch, what, {"", "/lightmaps"}});
}

class Joiner {
 public:
  Joiner(const Scene& scene, const LightmapPlan& plan) : plan_(plan), out_(scene) {}

  Result<JoinedScene> join() {
    if (auto listed = list_draws(); !listed) {
      return Failure(listed.error());
    }
    JoinedScene joined;
    std::transform(plan_.joined.begin(), plan_.joined.end(), std::back_inserter(joined.images),
                   [&](const JoinedPage& page) { return add_image(page); });
    for (const auto& one : leaving_) {
      const NodeId node = one.first;
      const std::vector<Leaving>& draws = one.second;
      // Before anything changes: which of them their materials light.
      std::vector<Leaving> own;
      std::copy_if(draws.begin(), draws.end(), std::back_inserter(own), [&](const Leaving& draw) {
        return is_own(node, out_[out_[node].mesh].primitives[draw.primitive]);
      });
      if (moves_as_one(node, draws)) {
        const Primitive& primitive = out_[out_[node].mesh].primitives[draws.front().primitive];
        const LightmapPlace place = find_place(node, primitive, *draws.front().move);
        set_lightmap(own.empty() ? plan_.joined[draws.front().move->to].name : "", place,
                     out_.nodes[to_index(node)].extra);
      } else {
        give_own_mesh(node, draws);
      }
      if (!own.empty()) {
        relight(node, own);
      }
    }
    joined.scene = std::move(out_);
    return joined;
  }

 private:
  /// With a texture where a picture that comes to it has one, as that samples it.
  ImageId add_image(const JoinedPage& page) {
    textures_.push_back(no_texture);
    if (!page.embedded || page.picture.empty()) {
      return no_image;
    }
    const ImageId id = make_id<ImageId>(out_.images.size());
    Image& image = out_.images.emplace_back();
    image.name = page.picture;
    image.mime_type = "image/png";
    for (const LightmapMove& move : plan_.moves) {
      const ImageId from = plan_.pages[move.from].image;
      const auto shown = std::find_if(out_.textures.begin(), out_.textures.end(),
                                      [&](const Texture& one) { return one.image == from; });
      if (&plan_.joined[move.to] == &page && shown != out_.textures.end()) {
        Texture texture = *shown;
        texture.name = page.picture;
        texture.image = id;
        textures_.back() = make_id<TextureId>(out_.textures.size());
        out_.textures.push_back(std::move(texture));
        break;
      }
    }
    return id;
  }

  Result<void> list_draws() {
    for (const LightmapMove& move : plan_.moves) {
      if (move.from >= plan_.pages.size() || move.to >= plan_.joined.size() ||
          (plan_.pages[move.from].image != no_image &&
           to_index(plan_.pages[move.from].image) >= out_.images.size())) {
        return mismatch("a move of lightmap texels names a page that is not listed");
      }
      for (const DrawRef& draw : move.draws) {
        const std::size_t n = to_index(draw.node);
        if (n >= out_.nodes.size() || out_.nodes[n].mesh == no_mesh ||
            draw.primitive >= out_[out_.nodes[n].mesh].primitives.size()) {
          return mismatch(fmt::format("node {} primitive {}, whose lightmap is moved, is no draw",
                                      n, draw.primitive));
        }
        if (!std::binary_search(plan_.untouched.begin(), plan_.untouched.end(), draw)) {
          leaving_[draw.node].push_back({draw.primitive, &move});
        }
      }
    }
    return {};
  }

  [[nodiscard]] std::string find_page(NodeId node, const Primitive& primitive) const {
    return find_lightmap(out_, out_[node], primitive, plan_.page_key);
  }

  [[nodiscard]] bool is_own(NodeId node, const Primitive& primitive) const {
    return is_lit_by_material(out_, out_[node], primitive, plan_.page_key);
  }

  [[nodiscard]] LightmapPlace find_place(NodeId node,
                                         const Primitive& primitive,
                                         const LightmapMove& move) const {
    const LightmapPlace place = find_lightmap_use(out_, out_[node], primitive, plan_.page_key,
                                                  plan_.transform_key, plan_.uv_set)
                                    .whole();
    return make_product(make_place(plan_, move), place);
  }

  /// All that the node shows goes the same way from the same place, so that it can say so itself.
  [[nodiscard]] bool moves_as_one(NodeId node, const std::vector<Leaving>& draws) const {
    const Mesh& mesh = out_[out_[node].mesh];
    const LightmapPlace place =
        find_place(node, mesh.primitives[draws.front().primitive], *draws.front().move);
    for (std::uint32_t p = 0; p < mesh.primitives.size(); ++p) {
      const auto leaves = std::find_if(draws.begin(), draws.end(),
                                       [&](const Leaving& draw) { return draw.primitive == p; });
      const bool same = leaves != draws.end()
                            ? leaves->move->to == draws.front().move->to &&
                                  is_own(node, mesh.primitives[p]) ==
                                      is_own(node, mesh.primitives[draws.front().primitive]) &&
                                  find_place(node, mesh.primitives[p], *leaves->move) == place
                            : find_page(node, mesh.primitives[p]).empty();
      if (!same) {
        return false;
      }
    }
    return true;
  }

  /// \param page  empty: the material tells it
  void set_lightmap(const std::string& page,
                    const LightmapPlace& place,
                    Boxed<Extra>& extra) const {
    std::string text = extra ? extra->extras : std::string();
    if (!page.empty()) {
      text = add_member(put_member(text, plan_.page_key, ""), plan_.page_key, page);
    }
    const std::string numbers = place == LightmapPlace{} ? std::string() : to_json(place);
    extra.ensure().extras = put_member(text, plan_.joined_transform_key(), numbers);
  }

  void clear_lightmap(Boxed<Extra>& extra) const {
    if (extra) {
      std::string text = put_member(extra->extras, plan_.page_key, "");
      extra.ensure().extras = put_member(text, plan_.joined_transform_key(), "");
    }
  }

  /// Its primitives say each for itself where they look.
  void give_own_mesh(NodeId node, const std::vector<Leaving>& draws) {
    Mesh mesh = out_[out_[node].mesh];
    for (std::uint32_t p = 0; p < mesh.primitives.size(); ++p) {
      Primitive& primitive = mesh.primitives[p];
      const auto leaves = std::find_if(draws.begin(), draws.end(),
                                       [&](const Leaving& draw) { return draw.primitive == p; });
      if (leaves != draws.end()) {
        set_lightmap(is_own(node, primitive) ? "" : plan_.joined[leaves->move->to].name,
                     find_place(node, primitive, *leaves->move), primitive.extra);
      } else if (const std::string page = find_page(node, primitive); !page.empty()) {
        set_lightmap(page, find_lightmap_place(out_, out_[node], primitive, plan_.transform_key),
                     primitive.extra);
      }
    }
    clear_lightmap(mesh.extra);
    clear_lightmap(out_.nodes[to_index(node)].extra);
    out_.nodes[to_index(node)].mesh = make_id<MeshId>(out_.meshes.size());
    out_.meshes.push_back(std::move(mesh));
  }

  /// Materials that light what they show get the joined page; meshes that show them are shared by
  /// all that show the same.
  void relight(NodeId node, const std::vector<Leaving>& draws) {
    Node& shown = out_.nodes[to_index(node)];
    std::vector<std::pair<std::uint32_t, MaterialId>> materials;
    for (const Leaving& draw : draws) {
      const MaterialId was = out_[shown.mesh].primitives[draw.primitive].material;
      const auto [slot, added] =
          relit_.try_emplace({was, draw.move->to}, make_id<MaterialId>(out_.materials.size()));
      if (added) {
        out_.materials.push_back(make_relit(out_, was, textures_[draw.move->to]));
      }
      materials.emplace_back(draw.primitive, slot->second);
    }
    const auto [slot, added] =
        shows_.try_emplace({shown.mesh, materials}, make_id<MeshId>(out_.meshes.size()));
    if (added) {
      Mesh mesh = out_[shown.mesh];
      for (const auto& [primitive, material] : materials) {
        mesh.primitives[primitive].material = material;
      }
      out_.meshes.push_back(std::move(mesh));
    }
    shown.mesh = slot->second;
  }

  const LightmapPlan& plan_;
  Scene out_;
  std::vector<TextureId> textures_;  ///< by joined page
  std::map<std::pair<MaterialId, std::uint32_t>, MaterialId> relit_;
  std::map<std::pair<MeshId, std::vector<std::pair<std::uint32_t, MaterialId>>>, MeshId> shows_;
  std::map<NodeId, std::vector<Leaving>> leaving_;
};

}  // namespace

Result<JoinedScene> join_lightmaps(const Scene& scene,
                                   const LightmapPlan& plan,
                                   const RunControl& run) {
  if (!goes_on(run, "joining lightmap pages")) {
    return Failure(make_cancelled());
  }
  return Joiner(scene, plan).join();
}

}  // namespace wakuzume
