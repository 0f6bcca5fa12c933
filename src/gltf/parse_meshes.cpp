// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include <fmt/format.h>

#include <utility>

#include "gltf/parse.h"
#include "gltf/spelled.h"

namespace wakuzume {

bool GltfParser::parse_component(JsonValue value, const At& at, ComponentType& out) {
  std::uint32_t number = 0;
  if (!in_.read(value, at, number) || !one_of(at, number, {5120, 5121, 5122, 5123, 5125, 5126})) {
    return false;
  }
  out = static_cast<ComponentType>(number);
  return true;
}

bool GltfParser::parse_block(JsonValue value, const At& at) {
  Block& block = scene_.blocks.emplace_back();
  std::uint64_t length = 0;
  bool stands_in = false;
  const bool good = in_.object(value, at, [&](std::string_view key, JsonValue v, const At& a) {
    if (key == "byteLength") {
      return in_.read(v, a, length);
    }
    if (key == "uri") {
      return in_.read(v, a, block.uri);
    }
    if (key == "name") {
      return in_.read(v, a, block.name);
    }
    return rest(key, v, a, block.extra,
                [&](const std::string& name, JsonValue inner, const At& b, bool& known) {
                  known = name == packed_extension;
                  return !known || in_.object(inner, b, [&](std::string_view k, JsonValue w, At c) {
                    return k == "fallback" ? in_.read(w, c, stands_in) : true;
                  });
                });
  });
  block_lengths_.push_back(length);
  packed_.stands_in.push_back(stands_in);
  return good && (length > 0 || in_.fail(ErrorCode::bad_value, at, "byteLength must be above 0"));
}

bool GltfParser::parse_view(JsonValue value, const At& at) {
  BlockView& view = scene_.views.emplace_back();
  return in_.object(value, at, [&](std::string_view key, JsonValue v, const At& a) {
    if (key == "buffer") {
      return in_.read(v, a, view.block);
    }
    if (key == "byteOffset") {
      return in_.read(v, a, view.offset);
    }
    if (key == "byteLength") {
      return in_.read(v, a, view.length);
    }
    if (key == "byteStride") {
      return in_.read(v, a, view.stride);
    }
    if (key == "target") {
      return in_.read(v, a, view.target) && one_of(a, view.target, {34962, 34963});
    }
    if (key == "name") {
      return in_.read(v, a, view.name);
    }
    return rest(key, v, a, view.extra,
                [&](const std::string& name, JsonValue inner, const At& b, bool& known) {
                  known = name == packed_extension;
                  return !known || parse_packed_view(inner, b);
                });
  });
}

bool GltfParser::parse_pack_mode(JsonValue value, const At& at, PackLayout& out) {
  std::string name;
  if (!in_.read(value, at, name)) {
    return false;
  }
  for (std::size_t m = 0; m < pack_mode_count; ++m) {
    if (name == to_string(static_cast<PackMode>(m))) {
      out.mode = static_cast<PackMode>(m);
      return true;
    }
  }
  return in_.fail(ErrorCode::bad_value, at, fmt::format("'{}' is no mode of packed streams", name));
}

bool GltfParser::parse_pack_filter(JsonValue value, const At& at, PackLayout& out) {
  std::string name;
  if (!in_.read(value, at, name)) {
    return false;
  }
  for (std::size_t f = 0; f < pack_filter_count; ++f) {
    if (name == to_string(static_cast<PackFilter>(f))) {
      out.filter = static_cast<PackFilter>(f);
      return true;
    }
  }
  return in_.fail(ErrorCode::bad_value, at,
                  fmt::format("'{}' is no filter of packed streams", name));
}

bool GltfParser::parse_packed_view(JsonValue value, const At& at) {
  PackedView& packed = packed_.views.emplace_back();
  packed.view = make_id<ViewId>(scene_.views.size() - 1);
  bool has_mode = false;
  const bool good = in_.object(value, at, [&](std::string_view key, JsonValue v, const At& a) {
    if (key == "buffer") {
      return in_.read(v, a, packed.block);
    }
    if (key == "byteOffset") {
      return in_.read(v, a, packed.offset);
    }
    if (key == "byteLength") {
      return in_.read(v, a, packed.length);
    }
    if (key == "byteStride") {
      return in_.read(v, a, packed.layout.stride);
    }
    if (key == "count") {
      return in_.read(v, a, packed.layout.count);
    }
    if (key == "filter") {
      return parse_pack_filter(v, a, packed.layout);
    }
    if (key == "mode") {
      has_mode = true;
      return parse_pack_mode(v, a, packed.layout);
    }
    return true;  // whatever it is, the stream is plain from here on
  });
  return good && (has_mode || in_.fail(ErrorCode::missing_member, at, "mode is required"));
}

bool GltfParser::parse_draco(JsonValue value, const At& at, DracoPrimitive& out) {
  return in_.object(value, at, [&](std::string_view key, JsonValue v, const At& a) {
    if (key == "bufferView") {
      return in_.read(v, a, out.view);
    }
    return key != "attributes" ||
           in_.object(v, a, [&](std::string_view semantic, JsonValue inner, const At& b) {
             DracoPrimitive::Attribute& attribute = out.attributes.emplace_back();
             attribute.semantic = semantic;
             return in_.read(inner, b, attribute.id);
           });
  });
}

bool GltfParser::parse_sparse_indices(JsonValue value, const At& at, SparseSubstitution& out) {
  return in_.object(value, at, [&](std::string_view key, JsonValue v, const At& a) {
    if (key == "bufferView") {
      return in_.read(v, a, out.index_view);
    }
    if (key == "byteOffset") {
      return in_.read(v, a, out.index_offset);
    }
    if (key == "componentType") {
      return parse_component(v, a, out.index_type);
    }
    return rest(key, v, a, out.index_extra);
  });
}

bool GltfParser::parse_sparse(JsonValue value, const At& at, SparseSubstitution& out) {
  return in_.object(value, at, [&](std::string_view key, JsonValue v, const At& a) {
    if (key == "count") {
      return in_.read(v, a, out.count);
    }
    if (key == "indices") {
      return parse_sparse_indices(v, a, out);
    }
    if (key == "values") {
      return in_.object(v, a, [&](std::string_view name, JsonValue inner, const At& b) {
        if (name == "bufferView") {
          return in_.read(inner, b, out.value_view);
        }
        if (name == "byteOffset") {
          return in_.read(inner, b, out.value_offset);
        }
        return rest(name, inner, b, out.value_extra);
      });
    }
    return rest(key, v, a, out.extra);
  });
}

bool GltfParser::parse_element(const std::string& name, const At& at, ElementType& out) {
  for (int type = 0; type <= static_cast<int>(ElementType::mat4); ++type) {
    if (name == to_string(static_cast<ElementType>(type))) {
      out = static_cast<ElementType>(type);
      return true;
    }
  }
  return in_.fail(ErrorCode::bad_value, at, fmt::format("'{}' is no accessor type", name));
}

bool GltfParser::parse_stream(JsonValue value, const At& at) {
  Stream& stream = scene_.streams.emplace_back();
  bool has_component = false;
  std::string element;
  const bool good = in_.object(value, at, [&](std::string_view key, JsonValue v, const At& a) {
    if (key == "bufferView") {
      return in_.read(v, a, stream.view);
    }
    if (key == "byteOffset") {
      stream.spelled |= spelled::stream::offset;
      return in_.read(v, a, stream.offset);
    }
    if (key == "count") {
      return in_.read(v, a, stream.count);
    }
    if (key == "componentType") {
      has_component = true;
      return parse_component(v, a, stream.component);
    }
    if (key == "type") {
      return in_.read(v, a, element);
    }
    if (key == "normalized") {
      stream.spelled |= spelled::stream::normalized;
      return in_.read(v, a, stream.normalized);
    }
    if (key == "min") {
      return in_.read(v, a, stream.bounds.ensure().min);
    }
    if (key == "max") {
      return in_.read(v, a, stream.bounds.ensure().max);
    }
    if (key == "sparse") {
      return parse_sparse(v, a, stream.sparse.ensure());
    }
    if (key == "name") {
      return in_.read(v, a, stream.name);
    }
    return rest(key, v, a, stream.extra);
  });
  if (!good) {
    return false;
  }
  if (!has_component || element.empty()) {
    return in_.fail(ErrorCode::missing_member, at, "componentType and type are required");
  }
  return parse_element(element, at, stream.element);
}

bool GltfParser::parse_attributes(JsonValue value, const At& at, std::vector<Attribute>& out) {
  return in_.object(value, at, [&](std::string_view key, JsonValue v, const At& a) {
    Attribute& attribute = out.emplace_back();
    attribute.semantic = key;
    return in_.read(v, a, attribute.stream);
  });
}

bool GltfParser::parse_primitive(JsonValue value, const At& at, Primitive& out) {
  bool has_attributes = false;
  const bool good = in_.object(value, at, [&](std::string_view key, JsonValue v, const At& a) {
    if (key == "attributes") {
      has_attributes = true;
      return parse_attributes(v, a, out.attributes);
    }
    if (key == "indices") {
      return in_.read(v, a, out.indices);
    }
    if (key == "material") {
      return in_.read(v, a, out.material);
    }
    if (key == "mode") {
      std::uint32_t mode = 0;
      out.spelled |= spelled::primitive::mode;
      const bool read = in_.read(v, a, mode) && one_of(a, mode, {0, 1, 2, 3, 4, 5, 6});
      out.mode = static_cast<PrimitiveMode>(mode);
      return read;
    }
    if (key == "targets") {
      return in_.array(v, a, [&](JsonValue item, const At& b) {
        return parse_attributes(item, b, out.morph_targets.emplace_back());
      });
    }
    return rest(key, v, a, out.extra,
                [&](const std::string& name, JsonValue inner, const At& b, bool& known) {
                  return parse_primitive_extension(name, inner, b, known);
                });
  });
  return good &&
         (has_attributes || in_.fail(ErrorCode::missing_member, at, "attributes are required"));
}

/// Of the primitive that is the last one so far.
bool GltfParser::parse_primitive_extension(const std::string& name,
                                           JsonValue value,
                                           const At& at,
                                           bool& known) {
  known = name == draco_extension;
  if (!known) {
    return true;
  }
  DracoPrimitive& drawn = packed_.drawn.emplace_back();
  drawn.mesh = make_id<MeshId>(scene_.meshes.size() - 1);
  drawn.primitive = static_cast<std::uint32_t>(scene_.meshes.back().primitives.size() - 1);
  return parse_draco(value, at, drawn);
}

bool GltfParser::parse_layered(JsonValue value, const At& at, std::vector<Primitive>& out) {
  const bool good = in_.object(value, at, [&](std::string_view key, JsonValue v, const At& a) {
    return key == "primitives"
               ? in_.array(v, a,
                           [&](JsonValue item, const At& b) {
                             return parse_primitive(item, b, out.emplace_back());
                           })
               : in_.fail(ErrorCode::bad_value, a, "only 'primitives' is expected here");
  });
  return good && (!out.empty() ||
                  in_.fail(ErrorCode::missing_member, at, "at least one primitive is required"));
}

bool GltfParser::parse_mesh(JsonValue value, const At& at) {
  Mesh& mesh = scene_.meshes.emplace_back();
  std::vector<Primitive> layered;
  const bool good = in_.object(value, at, [&](std::string_view key, JsonValue v, const At& a) {
    if (key == "name") {
      return in_.read(v, a, mesh.name);
    }
    if (key == "primitives") {
      return in_.array(v, a, [&](JsonValue item, const At& b) {
        return parse_primitive(item, b, mesh.primitives.emplace_back());
      });
    }
    if (key == "weights") {
      return in_.read(v, a, mesh.weights);
    }
    return rest(key, v, a, mesh.extra,
                [&](const std::string& name, JsonValue inner, const At& b, bool& known) {
                  known = name == texture_layers_extension;
                  return !known || parse_layered(inner, b, layered);
                });
  });
  if (!layered.empty()) {
    // What is drawn by those who know the extension stands first.
    mesh.plain = std::exchange(mesh.primitives, std::move(layered));
  }
  return good && (!mesh.primitives.empty() ||
                  in_.fail(ErrorCode::missing_member, at, "at least one primitive is required"));
}

}  // namespace wakuzume
