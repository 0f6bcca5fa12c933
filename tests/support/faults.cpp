// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include "support/faults.h"

#include <fmt/format.h>

#include <Eigen/Dense>
#include <algorithm>
#include <cmath>
#include <cstring>
#include <optional>
#include <random>

#include "wakuzume/image.h"
#include "wakuzume/picture_codec.h"

namespace wakuzume::test {
namespace {

constexpr double step_m = 0.01;
constexpr double shift_texels = 4;
/// Colours that differ by less may be told apart by nobody.
constexpr double other_color = 0.1;

Eigen::Matrix3d find_linear(const Mat4d& world) {
  return Eigen::Map<const Eigen::Matrix4d>(world.data()).topLeftCorner<3, 3>();
}

StreamId find_attribute(const std::vector<Attribute>& attributes, std::string_view semantic) {
  for (const Attribute& attribute : attributes) {
    if (attribute.semantic == semantic) {
      return attribute.stream;
    }
  }
  return no_stream;
}

/// Changes single elements of a scene's streams.
class StreamEditor {
 public:
  explicit StreamEditor(Scene& scene) : scene_(scene) {}

  /// Calls `edit(address)` for elements of a stream, which gets a block of its own for that.
  template <class Edit>
  bool edit_elements(StreamId id, std::uint64_t first, std::uint64_t count, const Edit& edit) {
    if (id == no_stream) {
      return false;
    }
    Stream& stream = scene_.streams[to_index(id)];
    if (stream.view == no_view || stream.sparse || first + count > stream.count) {
      return false;
    }
    const std::vector<std::byte> packed = make_packed(scene_, id);
    const std::size_t size = packed.size() / stream.count;
    // Rows of a view are aligned to four bytes, as the standard wants of vertices.
    const bool index = stream.element == ElementType::scalar && size <= 4;
    const std::size_t stride = index ? size : (size + 3) / 4 * 4;
    std::vector<std::byte> bytes(stride * stream.count);
    for (std::uint64_t i = 0; i < stream.count; ++i) {
      std::memcpy(&bytes[i * stride], &packed[i * size], size);
    }
    for (std::uint64_t i = first; i < first + count; ++i) {
      edit(&bytes[i * stride]);
    }
    BlockView view = scene_[stream.view];
    view.block = make_id<BlockId>(scene_.blocks.size());
    view.offset = 0;
    view.length = bytes.size();
    view.stride = index ? 0 : static_cast<std::uint32_t>(stride);
    Block block;
    block.bytes = make_bytes(std::move(bytes));
    scene_.blocks.push_back(std::move(block));
    scene_.views.push_back(std::move(view));
    stream.view = make_id<ViewId>(scene_.views.size() - 1);
    stream.offset = 0;
    return true;
  }

  template <class Edit>
  bool edit_floats(StreamId id, std::uint64_t first, std::uint64_t count, const Edit& edit) {
    if (id == no_stream || scene_[id].component != ComponentType::f32) {
      return false;
    }
    return edit_elements(id, first, count, [&](std::byte* at) {
      float values[16];
      const std::size_t size = component_count(scene_[id].element) * sizeof(float);
      std::memcpy(values, at, size);
      edit(values);
      std::memcpy(at, values, size);
    });
  }

 private:
  Scene& scene_;
};

bool is_one_color(const Pixels& pixels) {
  for (std::size_t i = 4; i < pixels.rgba.size(); i += 4) {
    if (!std::equal(&pixels.rgba[0], &pixels.rgba[0] + 4, &pixels.rgba[i])) {
      return false;
    }
  }
  return true;
}

/// The picture of a material's base colour; empty where it has none that can be seen to shift.
std::optional<Pixels> find_picture(const Scene& scene, MaterialId material) {
  const TextureId texture =
      material == no_material ? no_texture : scene[material].base_color_texture.texture;
  const ImageId image = texture == no_texture ? no_image : scene.textures[to_index(texture)].image;
  if (image == no_image) {
    return std::nullopt;
  }
  const auto pixels = decode_image(encoded_bytes(scene, image));
  return pixels && !is_one_color(*pixels) ? std::optional(*pixels) : std::nullopt;
}

class Breaker {
 public:
  Breaker(const Scene& source, Scene& result, Ledger& ledger)
      : source_(source),
        result_(result),
        ledger_(ledger),
        editor_(result),
        source_world_(make_world_matrices(source)),
        result_world_(make_world_matrices(result)) {}

  std::string run(Fault fault, std::uint32_t seed) {
    if (fault == Fault::materials_swapped) {
      return swap_materials();
    }
    std::vector<const LedgerRow*> rows;
    for (const LedgerRow& row : ledger_.rows) {
      if (row.fate == Fate::merged || row.fate == Fate::instanced) {
        rows.push_back(&row);
      }
    }
    std::mt19937 random(seed);
    std::shuffle(rows.begin(), rows.end(), random);
    for (const LedgerRow* row : rows) {
      if (break_row(fault, *row)) {
        return fmt::format("{} {}: {}", source_[row->source.node].name,
                           row->fate == Fate::merged ? "in a merge" : "in a set", to_string(fault));
      }
    }
    return {};
  }

 private:
  Primitive& primitive_of(const LedgerRow& row) {
    return result_.meshes[to_index(result_[row.node].mesh)].primitives[row.primitive];
  }

  bool break_row(Fault fault, const LedgerRow& row) {
    switch (fault) {
      case Fault::moved:
        return move(row);
      case Fault::winding:
        return turn_round(row);
      case Fault::missing:
        return remove(row);
      case Fault::uvs_shifted:
        return shift_uvs(row);
      case Fault::normals_reversed:
        return edit_vertices(row, "NORMAL", [](float* n) {
          for (std::size_t c = 0; c < 3; ++c) {
            n[c] = -n[c];
          }
        });
      case Fault::other_lightmap:
        return light_otherwise(row);
      case Fault::mirror_lost:
        return lose_mirror(row);
      case Fault::materials_swapped:
        break;
    }
    return false;
  }

  // ---- data ----------------------------------------------------------------------------------

  /// The vertices of a row: of an instance all of what it shows, in each instance.
  template <class Edit>
  bool edit_vertices(const LedgerRow& row, const std::string& semantic, const Edit& edit) {
    const StreamId id = primitive_of(row).find(semantic);
    if (id == no_stream) {
      return false;
    }
    const bool merged = row.fate == Fate::merged;
    return editor_.edit_floats(id, merged ? row.first_vertex : 0,
                               merged ? row.vertex_count : result_[id].count, edit);
  }

  template <class Edit>
  bool edit_positions(const LedgerRow& row, const Edit& edit) {
    const StreamId id = primitive_of(row).find("POSITION");
    if (!edit_vertices(row, "POSITION", edit)) {
      return false;
    }
    Stream& stream = result_.streams[to_index(id)];
    if (stream.bounds) {
      StreamBounds bounds{std::vector<double>(3, 1e300), std::vector<double>(3, -1e300)};
      const std::vector<std::byte> packed = make_packed(result_, id);
      std::vector<float> values(packed.size() / sizeof(float));
      std::memcpy(values.data(), packed.data(), packed.size());
      for (std::size_t i = 0; i < values.size(); ++i) {
        bounds.min[i % 3] = std::min(bounds.min[i % 3], static_cast<double>(values[i]));
        bounds.max[i % 3] = std::max(bounds.max[i % 3], static_cast<double>(values[i]));
      }
      stream.bounds = bounds;
    }
    return true;
  }

  bool has_triangles(const LedgerRow& row) {
    return primitive_of(row).mode == PrimitiveMode::triangles &&
           primitive_of(row).indices != no_stream;
  }

  /// Rewrites the corners of a row, three numbers at a time.
  template <class Edit>
  bool edit_triangles(const LedgerRow& row, const Edit& edit) {
    if (!has_triangles(row)) {
      return false;
    }
    const StreamId id = primitive_of(row).indices;
    const std::uint64_t first = row.fate == Fate::merged ? row.first_index : 0;
    const std::uint64_t count = row.fate == Fate::merged ? row.index_count : result_[id].count;
    const std::size_t size = component_bytes(result_[id].component);
    std::vector<std::uint32_t> corners;
    if (!editor_.edit_elements(id, first, count, [&](const std::byte* at) {
          std::uint32_t corner = 0;
          std::memcpy(&corner, at, size);
          corners.push_back(corner);
        })) {
      return false;
    }
    for (std::size_t i = 0; i + 2 < corners.size(); i += 3) {
      edit(&corners[i]);
    }
    std::size_t next = 0;
    return editor_.edit_elements(id, first, count,
                                 [&](std::byte* at) { std::memcpy(at, &corners[next++], size); });
  }

  // ---- faults --------------------------------------------------------------------------------

  [[nodiscard]] StreamId find_instance_stream(const LedgerRow& row, const char* semantic) const {
    const Boxed<Instancing>& set = result_[row.node].instancing;
    return set ? find_attribute(set->attributes, semantic) : no_stream;
  }

  bool move(const LedgerRow& row) {
    const Eigen::Matrix3d linear = find_linear(result_world_[to_index(row.node)]);
    if (std::abs(linear.determinant()) < 1e-12) {
      return false;
    }
    const Eigen::Vector3d step = linear.inverse() * Eigen::Vector3d(step_m, 0, 0);
    const auto edit = [&](float* p) {
      for (int c = 0; c < 3; ++c) {
        p[c] += static_cast<float>(step[c]);
      }
    };
    return row.fate == Fate::merged ? edit_positions(row, edit)
                                    : editor_.edit_floats(find_instance_stream(row, "TRANSLATION"),
                                                          row.instance, 1, edit);
  }

  bool turn_round(const LedgerRow& row) {
    return edit_triangles(row, [](std::uint32_t* corner) { std::swap(corner[1], corner[2]); });
  }

  bool remove(const LedgerRow& row) {
    if (row.fate == Fate::merged) {
      return edit_triangles(row, [](std::uint32_t* corner) { corner[1] = corner[2] = corner[0]; });
    }
    return editor_.edit_floats(find_instance_stream(row, "SCALE"), row.instance, 1,
                               [](float* scale) { scale[0] = scale[1] = scale[2] = 0; });
  }

  bool shift_uvs(const LedgerRow& row) {
    const MaterialId material = primitive_of(row).material;
    const auto picture = find_picture(result_, material);
    if (!picture) {
      return false;
    }
    const auto set = result_[material].base_color_texture.texcoord;
    return edit_vertices(row, fmt::format("TEXCOORD_{}", set), [&](float* uv) {
      uv[0] += static_cast<float>(shift_texels / picture->width_px);
    });
  }

  bool light_otherwise(const LedgerRow& row) {
    Boxed<Extra>& extra = result_.nodes[to_index(row.node)].extra;
    const std::string key = "\"" + ledger_.lightmap_key + "\"";
    if (!extra || extra->extras.find(key) == std::string::npos) {
      return false;
    }
    extra.ensure().extras = "{" + key + ":\"another page\"}";
    return true;
  }

  bool lose_mirror(const LedgerRow& row) {
    if (find_linear(source_world_[to_index(row.source.node)]).determinant() >= 0) {
      return false;
    }
    if (row.fate == Fate::instanced) {
      bool mirrored = false;
      return editor_.edit_floats(find_instance_stream(row, "SCALE"), row.instance, 1,
                                 [&](float* s) {
                                   mirrored = s[0] * s[1] * s[2] < 0;
                                   s[0] = mirrored ? -s[0] : s[0];
                                 }) &&
             mirrored;
    }
    double low = 1e300;
    double high = -1e300;
    const auto measure = [&](const float* p) {
      low = std::min(low, static_cast<double>(p[0]));
      high = std::max(high, static_cast<double>(p[0]));
    };
    if (!has_triangles(row) || !edit_vertices(row, "POSITION", measure)) {
      return false;
    }
    edit_positions(row, [&](float* p) { p[0] = static_cast<float>(low + high) - p[0]; });
    edit_vertices(row, "NORMAL", [](float* n) { n[0] = -n[0]; });
    return turn_round(row);
  }

  [[nodiscard]] bool looks_other(MaterialId a, MaterialId b) const {
    if (a == no_material || b == no_material) {
      return a != b;
    }
    const Material& x = result_[a];
    const Material& y = result_[b];
    double most = 0;
    for (std::size_t c = 0; c < 3; ++c) {
      most = std::max(most, std::abs(x.base_color[c] - y.base_color[c]));
    }
    return most > other_color || find_image_of(x) != find_image_of(y);
  }
  [[nodiscard]] ImageId find_image_of(const Material& material) const {
    const TextureId texture = material.base_color_texture.texture;
    return texture == no_texture ? no_image : result_.textures[to_index(texture)].image;
  }

  std::string swap_materials() {
    for (std::size_t r = 1; r < ledger_.results.size(); ++r) {
      Primitive& a = primitive_at(ledger_.results[r - 1]);
      Primitive& b = primitive_at(ledger_.results[r]);
      if (looks_other(a.material, b.material)) {
        std::swap(a.material, b.material);
        return fmt::format("{} and {}: {}", ledger_.results[r - 1].group, ledger_.results[r].group,
                           to_string(Fault::materials_swapped));
      }
    }
    return {};
  }
  Primitive& primitive_at(const LedgerResult& at) {
    return result_.meshes[to_index(result_[at.node].mesh)].primitives[at.primitive];
  }

  const Scene& source_;
  Scene& result_;
  Ledger& ledger_;
  StreamEditor editor_;
  std::vector<Mat4d> source_world_;
  std::vector<Mat4d> result_world_;
};

/// How much two parts of a picture differ, nearest texel by nearest texel; steps of 255.
double find_difference(const Pixels& page, const Tile& a, const Tile& b) {
  double sum = 0;
  for (std::uint32_t y = 0; y < b.size.height_px; ++y) {
    for (std::uint32_t x = 0; x < b.size.width_px; ++x) {
      const std::size_t from =
          (std::size_t{a.y} + y % a.size.height_px) * page.width_px + a.x + x % a.size.width_px;
      const std::size_t to = (std::size_t{b.y} + y) * page.width_px + b.x + x;
      for (std::size_t c = 0; c < 3; ++c) {
        sum += std::abs(page.rgba[4 * from + c] - page.rgba[4 * to + c]);
      }
    }
  }
  return sum / 3 / b.size.width_px / b.size.height_px;
}

void copy_tile(const Tile& a, const Tile& b, Pixels& page) {
  for (std::uint32_t y = 0; y < b.size.height_px; ++y) {
    for (std::uint32_t x = 0; x < b.size.width_px; ++x) {
      const std::size_t from =
          (std::size_t{a.y} + y % a.size.height_px) * page.width_px + a.x + x % a.size.width_px;
      const std::size_t to = (std::size_t{b.y} + y) * page.width_px + b.x + x;
      std::copy_n(&page.rgba[4 * from], 4, &page.rgba[4 * to]);
    }
  }
}

constexpr auto color_channel = static_cast<std::size_t>(Channel::color);
constexpr double least_difference = 20;  ///< steps

std::string swap_tiles(const AtlasPage& page, ImageId id, Scene& painted) {
  auto pixels = decode_image(encoded_bytes(painted, id));
  if (!pixels) {
    return {};
  }
  for (std::size_t a = 0; a < page.tiles.size(); ++a) {
    for (std::size_t b = 0; b < page.tiles.size(); ++b) {
      const Tile& from = page.tiles[a];
      const Tile& to = page.tiles[b];
      if (from.material == to.material || from.solid() || to.solid() || from.turned || to.turned ||
          find_difference(*pixels, from, to) < least_difference) {
        continue;
      }
      copy_tile(from, to, *pixels);
      painted.images[to_index(id)].bytes = make_bytes(*encode_png(*pixels));
      return fmt::format("material {} shows the tile of {}", to_index(to.material),
                         to_index(from.material));
    }
  }
  return {};
}

std::string swap_layers(const LayerStack& stack, ImageId id, Scene& painted) {
  const StandardCodec codec;
  auto array = codec.decode_array(encoded_bytes(painted, id), 0);
  if (!array) {
    return {};
  }
  for (std::size_t l = 1; l < array->layers.size(); ++l) {
    double sum = 0;
    for (std::size_t i = 0; i < array->layers[l].rgba.size(); ++i) {
      sum += std::abs(array->layers[l].rgba[i] - array->layers[l - 1].rgba[i]);
    }
    if (sum / static_cast<double>(array->layers[l].rgba.size()) >= least_difference) {
      array->layers[l] = array->layers[l - 1];
      painted.images[to_index(id)].bytes =
          make_bytes(*codec.encode_array(std::move(*array), {}, {}));
      return fmt::format("{} shows layer {} in layer {}", stack.name, l - 1, l);
    }
  }
  return {};
}

}  // namespace

std::string_view to_string(Fault fault) {
  constexpr std::array<std::string_view, fault_count> words{
      "1 cm off",         "winding",          "part missing",     "materials swapped",
      "UVs 4 texels off", "normals reversed", "another lightmap", "mirror lost"};
  return words[static_cast<std::size_t>(fault)];
}

std::string break_result(
    const Scene& source, Fault fault, std::uint32_t seed, Scene& result, Ledger& ledger) {
  std::string what = Breaker(source, result, ledger).run(fault, seed);
  if (!what.empty()) {
    ledger.result_hash = make_content_hash(result);
  }
  return what;
}

std::string shift_shared_uvs(const Scene& origin,
                             const RoutePlan& routes,
                             const PageImages& images,
                             std::uint32_t seed,
                             Scene& repainted) {
  struct Place {
    NodeId node;
    std::size_t primitive;
  };
  std::vector<Place> places;
  for (std::size_t n = 0; n < repainted.nodes.size(); ++n) {
    const MeshId mesh = repainted.nodes[n].mesh;
    for (std::size_t p = 0; mesh != no_mesh && p < repainted[mesh].primitives.size(); ++p) {
      places.push_back({make_id<NodeId>(n), p});
    }
  }
  std::mt19937 random(seed);
  std::shuffle(places.begin(), places.end(), random);
  for (const Place& place : places) {
    const Primitive& primitive = repainted[repainted[place.node].mesh].primitives[place.primitive];
    const MaterialId was = origin[origin[place.node].mesh].primitives[place.primitive].material;
    if (primitive.material == was || !find_picture(origin, was)) {
      continue;
    }
    const TextureSlot& slot = repainted[primitive.material].base_color_texture;
    for (std::size_t p = 0; p < images.size() && slot.texture != no_texture; ++p) {
      const Texture& texture = repainted.textures[to_index(slot.texture)];
      const ImageId shown = texture.layers ? texture.layers->image : texture.image;
      if (images[p][color_channel] != shown) {
        continue;
      }
      const std::uint32_t width =
          p < routes.pages.size()
              ? routes.pages[p].size.width_px
              : routes.stacks[p - routes.pages.size()][Channel::color].size.width_px;
      const StreamId uvs = primitive.find(fmt::format("TEXCOORD_{}", slot.texcoord));
      if (uvs != no_stream &&
          StreamEditor(repainted).edit_floats(uvs, 0, repainted[uvs].count, [&](float* uv) {
            uv[0] += static_cast<float>(shift_texels / width);
          })) {
        return fmt::format("{}: {}", repainted[place.node].name, to_string(Fault::uvs_shifted));
      }
    }
  }
  return {};
}

std::string swap_shared_pictures(const RoutePlan& routes,
                                 const PageImages& images,
                                 Scene& painted) {
  for (std::size_t p = 0; p < images.size(); ++p) {
    const ImageId id = images[p][color_channel];
    if (id == no_image) {
      continue;
    }
    const std::size_t stack = p - routes.pages.size();
    std::string what = p < routes.pages.size() ? swap_tiles(routes.pages[p], id, painted)
                                               : swap_layers(routes.stacks[stack], id, painted);
    if (!what.empty()) {
      return what;
    }
  }
  return {};
}

}  // namespace wakuzume::test
