// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include "build/assets.h"

#include <fmt/format.h>

#include <algorithm>
#include <vector>

#include "rework/geometry_block.h"
#include "rework/picked.h"
#include "scene/byte_range.h"

namespace wakuzume {
namespace {

class AssetMaker {
 public:
  explicit AssetMaker(const Scene& built) : built_(built) {}

  Scene make(NodeId id, const std::string& name) {
    out_.asset = built_.asset;
    out_.asset.extra = {};
    // What the whole scene needs its parts may need; instances stay behind.
    out_.extensions_used = built_.extensions_used;
    out_.extensions_required = built_.extensions_required;
    std::erase(out_.extensions_used, "EXT_mesh_gpu_instancing");
    std::erase(out_.extensions_required, "EXT_mesh_gpu_instancing");
    take_what_extensions_name(id);
    const NodeId root = add_node(id, name);
    for (const NodeId child : built_[id].children) {
      const NodeId collider = add_node(child, built_[child].name);
      out_.nodes[to_index(collider)].parent = root;
      out_.nodes[to_index(root)].children.push_back(collider);
    }
    cut_views();
    join_blocks(out_, 0);
    out_.levels.emplace_back().roots.push_back(root);
    out_.default_level = LevelId{0};
    return std::move(out_);
  }

 private:
  NodeId add_node(NodeId id, const std::string& name) {
    Node node;
    node.name = name;
    node.extra = built_[id].extra;
    node.mesh = built_[id].mesh;
    if (meshes_.take(node.mesh)) {
      Mesh& mesh = out_.meshes.back();
      for (std::vector<Primitive>* primitives : {&mesh.primitives, &mesh.plain}) {
        for (Primitive& primitive : *primitives) {
          take_primitive(primitive);
        }
      }
    }
    out_.nodes.push_back(std::move(node));
    return make_id<NodeId>(out_.nodes.size() - 1);
  }

  void take_primitive(Primitive& primitive) {
    if (materials_.take(primitive.material)) {
      take_textures(out_.materials.back());
    }
    take_stream(primitive.indices);
    for (Attribute& attribute : primitive.attributes) {
      take_stream(attribute.stream);
    }
  }

  void take_stream(StreamId& id) {
    if (!streams_.take(id)) {
      return;
    }
    Stream& stream = out_.streams.back();
    take_view(stream.view);
    if (stream.sparse) {
      take_view(stream.sparse.ensure().index_view);
      take_view(stream.sparse.ensure().value_view);
    }
  }

  void take_view(ViewId& id) { views_.take(id); }

  /// Of a block only the bytes that are shown: each view becomes a block of its own, cut down to
  /// what the asset's streams read of it.
  void cut_views() {
    std::vector<ByteRange> read(out_.views.size());
    const auto read_all = [&](ViewId id) {
      if (id != no_view) {
        read[to_index(id)] = {0, out_.views[to_index(id)].length};
      }
    };
    for (const Stream& stream : out_.streams) {
      if (stream.view != no_view && stream.count > 0) {
        const ByteRange bytes = find_range(out_, stream);
        ByteRange& range = read[to_index(stream.view)];
        range = range.begin < range.end
                    ? ByteRange{std::min(range.begin, bytes.begin), std::max(range.end, bytes.end)}
                    : bytes;
      }
    }
    for (const Stream& stream : out_.streams) {
      if (stream.sparse) {
        read_all(stream.sparse->index_view);
        read_all(stream.sparse->value_view);
      }
    }
    for (const Image& image : out_.images) {
      read_all(image.view);
    }
    for (std::size_t v = 0; v < out_.views.size(); ++v) {
      BlockView& view = out_.views[v];
      const ByteRange range = read[v].begin < read[v].end ? read[v] : ByteRange{0, view.length};
      const Bytes& whole = built_[view.block].bytes;
      view.block = make_id<BlockId>(v);
      out_.blocks.emplace_back().bytes =
          whole.part(view.offset + range.begin, range.end - range.begin);
      view.offset = 0;
      view.length = range.end - range.begin;
      read[v] = range;
    }
    for (Stream& stream : out_.streams) {
      stream.offset -= stream.view == no_view ? 0 : read[to_index(stream.view)].begin;
    }
  }

  void take_textures(Material& material) {
    for (TextureSlot* slot : list_slots(material)) {
      take_texture(slot->texture);
    }
  }

  void take_texture(TextureId& id) {
    if (!textures_.take(id)) {
      return;
    }
    samplers_.take(out_.textures.back().sampler);
    Texture& texture = out_.textures.back();
    texture.image = take_image(texture.image);
    if (texture.layers) {
      TextureLayers& layers = texture.layers.ensure();
      layers.image = take_image(layers.image);
    }
  }

  ImageId take_image(ImageId id) {
    if (images_.take(id)) {
      take_view(out_.images.back().view);
    }
    return id;
  }

  /// Numbers inside extensions stay true where their whole table comes along.
  void take_what_extensions_name(NodeId id) {
    const auto& primitives = built_[built_[id].mesh].primitives;
    const bool textures =
        std::any_of(primitives.begin(), primitives.end(), [&](const Primitive& primitive) {
          return primitive.material != no_material && built_[primitive.material].extra &&
                 std::any_of(built_[primitive.material].extra->extensions.begin(),
                             built_[primitive.material].extra->extensions.end(),
                             [](const RawMember& extension) {
                               return extension.json.find("\"index\"") != std::string::npos;
                             });
        });
    const bool images = std::any_of(
        built_.textures.begin(), built_.textures.end(),
        [](const Texture& texture) { return texture.extra && !texture.extra->extensions.empty(); });
    for (std::size_t i = 0; images && i < built_.images.size(); ++i) {
      take_image(make_id<ImageId>(i));
    }
    for (std::size_t t = 0; textures && t < built_.textures.size(); ++t) {
      TextureId texture = make_id<TextureId>(t);
      take_texture(texture);
    }
  }

  const Scene& built_;
  Scene out_;
  Picked<MeshId, Mesh> meshes_{built_.meshes, out_.meshes};
  Picked<MaterialId, Material> materials_{built_.materials, out_.materials};
  Picked<StreamId, Stream> streams_{built_.streams, out_.streams};
  Picked<ViewId, BlockView> views_{built_.views, out_.views};
  Picked<TextureId, Texture> textures_{built_.textures, out_.textures};
  Picked<SamplerId, Sampler> samplers_{built_.samplers, out_.samplers};
  Picked<ImageId, Image> images_{built_.images, out_.images};
};

}  // namespace

Scene make_asset_scene(const Scene& built, NodeId node, const std::string& name) {
  return AssetMaker(built).make(node, name);
}

bool set_asset_extra(Node& node, const std::string& file) {
  std::string& extras = node.extra.ensure().extras;
  const std::string member = fmt::format("\"asset\":\"{}\"", file);
  if (extras.empty() || extras == "{}") {
    extras = "{" + member + "}";
    return true;
  }
  if (extras.front() != '{') {
    return false;
  }
  extras.insert(1, member + ",");
  return true;
}

}  // namespace wakuzume
