// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include <draco/compression/config/compression_shared.h>
#include <draco/compression/decode.h>
#include <draco/compression/point_cloud/point_cloud_decoder.h>
#include <draco/core/varint_decoding.h>
#include <draco/metadata/geometry_metadata.h>
#include <draco/metadata/metadata_decoder.h>
#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <cstring>
#include <exception>
#include <limits>
#include <memory>
#include <optional>
#include <set>

#include "gltf/packed_parts.h"
#include "scene/first_error.h"
#include "scene/running.h"

namespace wakuzume {
namespace {

constexpr std::uint32_t vertex_target = 34962;
constexpr std::uint32_t index_target = 34963;

std::string find_place(const DracoPrimitive& drawn) {
  return fmt::format("/meshes/{}/primitives/{}/extensions/{}", to_index(drawn.mesh),
                     drawn.primitive, draco_extension);
}

Error make_error(const DracoPrimitive& drawn, ErrorCode code, std::string message) {
  return {code, std::move(message), {"", find_place(drawn)}};
}

/// What a compressed mesh says of itself, before anything is made of it.
struct DracoSize {
  std::uint64_t faces = 0;
  std::uint64_t points = 0;  ///< 0: told by its faces
};

bool take_count(draco::DecoderBuffer& buffer, std::uint16_t varint_from, std::uint64_t& out) {
  std::uint32_t count = 0;
  const bool good = buffer.bitstream_version() < varint_from ? buffer.Decode(&count)
                                                             : draco::DecodeVarint(&count, &buffer);
  out = count;
  return good;
}

/// \source the Draco bitstream, sections of the header and of connectivity
std::optional<DracoSize> find_draco_size(std::span<const std::byte> bytes) {
  draco::DecoderBuffer buffer;
  buffer.Init(reinterpret_cast<const char*>(bytes.data()), bytes.size());
  draco::DracoHeader header;
  if (!draco::PointCloudDecoder::DecodeHeader(&buffer, &header).ok() ||
      header.encoder_type != draco::TRIANGULAR_MESH) {
    return std::nullopt;
  }
  buffer.set_bitstream_version(DRACO_BITSTREAM_VERSION(header.version_major, header.version_minor));
  draco::GeometryMetadata metadata;
  if ((header.flags & METADATA_FLAG_MASK) != 0 &&
      !draco::MetadataDecoder().DecodeGeometryMetadata(&buffer, &metadata)) {
    return std::nullopt;
  }
  DracoSize size;
  if (header.encoder_method == draco::MESH_SEQUENTIAL_ENCODING) {
    constexpr std::uint16_t varints = DRACO_BITSTREAM_VERSION(2, 2);
    return take_count(buffer, varints, size.faces) && take_count(buffer, varints, size.points)
               ? std::optional(size)
               : std::nullopt;
  }
  constexpr std::uint16_t varints = DRACO_BITSTREAM_VERSION(2, 0);
  std::uint8_t traversal = 0;
  std::uint64_t vertices = 0;
  bool good = buffer.Decode(&traversal);
  if (buffer.bitstream_version() < DRACO_BITSTREAM_VERSION(2, 2)) {
    good = good && take_count(buffer, varints, vertices);  // those that were new
  }
  good = good && take_count(buffer, varints, vertices) && take_count(buffer, varints, size.faces);
  return good ? std::optional(size) : std::nullopt;
}

/// A stream that a compressed mesh fills, and where its bytes go.
struct Filled {
  StreamId stream = no_stream;
  std::uint32_t id = no_index;  ///< of the attribute; no_index: indices
  std::uint32_t stride = 0;
  std::uint64_t offset = 0;  ///< in the new block
};

struct Work {
  const DracoPrimitive* drawn = nullptr;
  std::vector<Filled> filled;
};

template <class T>
bool store_all(const draco::PointAttribute& from,
               const Stream& stream,
               std::uint32_t stride,
               std::byte* to) {
  const std::uint32_t width = component_count(stream.element);
  std::array<T, 16> values{};
  for (std::uint32_t point = 0; point < stream.count; ++point, to += stride) {
    const auto place = from.mapped_index(draco::PointIndex(point));
    if (place.value() >= from.size() ||
        !from.ConvertValue<T>(place, static_cast<std::int8_t>(width), values.data())) {
      return false;
    }
    std::memcpy(to, values.data(), width * sizeof(T));
  }
  return true;
}

bool store_attribute(const draco::PointAttribute& from,
                     const Stream& stream,
                     std::uint32_t stride,
                     std::byte* to) {
  switch (stream.component) {
    case ComponentType::i8:
      return store_all<std::int8_t>(from, stream, stride, to);
    case ComponentType::u8:
      return store_all<std::uint8_t>(from, stream, stride, to);
    case ComponentType::i16:
      return store_all<std::int16_t>(from, stream, stride, to);
    case ComponentType::u16:
      return store_all<std::uint16_t>(from, stream, stride, to);
    case ComponentType::u32:
      return store_all<std::uint32_t>(from, stream, stride, to);
    case ComponentType::f32:
      break;
  }
  return store_all<float>(from, stream, stride, to);
}

void store_indices(const draco::Mesh& mesh, ComponentType type, std::byte* to) {
  const std::uint32_t size = component_bytes(type);
  for (draco::FaceIndex face(0); face < mesh.num_faces(); ++face) {
    for (const draco::PointIndex& point : mesh.face(face)) {
      const std::uint32_t value = point.value();  // bytes of whole numbers lie lowest first
      std::memcpy(to, &value, size);
      to += size;
    }
  }
}

class DracoReader {
 public:
  DracoReader(const std::vector<DracoPrimitive>& drawn,
              const ReadLimits& limits,
              const RunControl& run,
              Scene& scene)
      : drawn_(drawn), limits_(limits), run_(run), scene_(scene) {}

  Result<void> run() {
    for (const DracoPrimitive& drawn : drawn_) {
      if (auto error = add_work(drawn)) {
        return Failure(std::move(*error));
      }
    }
    if (size_ > limits_.max_unpacked_bytes) {
      return Failure(make_error(drawn_.front(), ErrorCode::too_large,
                                fmt::format("compressed meshes become {} bytes; the limit is {}",
                                            size_, limits_.max_unpacked_bytes)));
    }
    return works_.empty() ? Result<void>() : unpack();
  }

 private:
  /// Declares what the primitive's streams become. Those with plain bytes of their own, and those
  /// that an earlier primitive fills, are left as they are.
  std::optional<Error> add_work(const DracoPrimitive& drawn) {
    if (to_index(drawn.view) >= scene_.views.size()) {
      return make_error(
          drawn, ErrorCode::index_out_of_range,
          fmt::format("bufferView {} of {}", to_index(drawn.view), scene_.views.size()));
    }
    const BlockView& view = scene_[drawn.view];
    const bool there = to_index(view.block) < scene_.blocks.size() &&
                       view.offset <= scene_[view.block].bytes.size() &&
                       view.length <= scene_[view.block].bytes.size() - view.offset;
    if (!there) {
      return make_error(
          drawn, ErrorCode::out_of_bounds,
          fmt::format("bufferView {} is not within its buffer", to_index(drawn.view)));
    }
    const Primitive& primitive = scene_[drawn.mesh].primitives[drawn.primitive];
    if (primitive.mode != PrimitiveMode::triangles) {
      return make_error(drawn, ErrorCode::not_supported,
                        "compressed triangle strips; export triangles");
    }
    Work work{&drawn, {}};
    if (auto error = add_filled(drawn, primitive.indices, no_index, "indices", work)) {
      return error;
    }
    for (const DracoPrimitive::Attribute& attribute : drawn.attributes) {
      if (auto error = add_filled(drawn, primitive.find(attribute.semantic), attribute.id,
                                  attribute.semantic, work)) {
        return error;
      }
    }
    if (work.filled.empty()) {
      return std::nullopt;
    }
    works_.push_back(std::move(work));
    return check_size(drawn, primitive);
  }

  /// Before anything is made room for: what the mesh says of itself is what its accessors say.
  [[nodiscard]] std::optional<Error> check_size(const DracoPrimitive& drawn,
                                                const Primitive& primitive) const {
    for (const Attribute& attribute : primitive.attributes) {
      if (to_index(attribute.stream) >= scene_.streams.size()) {
        return make_error(drawn, ErrorCode::index_out_of_range,
                          fmt::format("{} is accessor {} of {}", attribute.semantic,
                                      to_index(attribute.stream), scene_.streams.size()));
      }
    }
    const BlockView& view = scene_[drawn.view];
    const auto stated =
        find_draco_size(scene_[view.block].bytes.data().subspan(view.offset, view.length));
    if (!stated) {
      return make_error(drawn, ErrorCode::bad_value, "is no compressed mesh that can be read");
    }
    const std::uint64_t vertices = count_vertices(scene_, primitive);
    const std::uint64_t indices = scene_[primitive.indices].count;
    if (stated->faces * 3 != indices || (stated->points != 0 && stated->points != vertices)) {
      return make_error(drawn, ErrorCode::bad_value,
                        fmt::format("holds {} triangles, the accessors have {} indices and {} "
                                    "vertices",
                                    stated->faces, indices, vertices));
    }
    return std::nullopt;
  }

  std::optional<Error> add_filled(const DracoPrimitive& drawn,
                                  StreamId id,
                                  std::uint32_t attribute,
                                  const std::string& what,
                                  Work& work) {
    if (to_index(id) >= scene_.streams.size()) {
      return make_error(drawn, ErrorCode::missing_member,
                        fmt::format("the primitive has no accessor of its {}", what));
    }
    const Stream& stream = scene_[id];
    if (stream.view != no_view || stream.sparse || !known_.insert(id).second) {
      return std::nullopt;
    }
    const bool indices = attribute == no_index;
    const std::uint32_t size = element_bytes(stream.component, stream.element);
    const std::uint32_t stride = indices ? size : (size + 3) / 4 * 4;
    if (stream.count > limits_.max_unpacked_bytes) {
      return make_error(drawn, ErrorCode::too_large,
                        fmt::format("{} elements of {}; the limit is {} bytes", stream.count, what,
                                    limits_.max_unpacked_bytes));
    }
    work.filled.push_back({id, attribute, stride, size_});
    size_ += (stream.count * stride + plain_alignment - 1) / plain_alignment * plain_alignment;
    return std::nullopt;
  }

  Result<void> unpack() {
    bytes_.resize(size_);
    FirstError errors;
    const bool done = for_each_index(works_.size(), run_, "unpacking", [&](std::size_t i) {
      if (auto error = unpack_guarded(works_[i])) {
        errors.report(i, *error);
      }
    });
    if (!done) {
      return Failure(make_cancelled());
    }
    if (errors.get()) {
      return Failure(*errors.get());
    }
    const auto block = make_id<BlockId>(scene_.blocks.size());
    scene_.blocks.emplace_back().bytes = make_bytes(std::move(bytes_));
    for (const Work& work : works_) {
      add_views(work, block);
    }
    return {};
  }

  /// The library's own way to tell of exhausted memory does not leave here.
  std::optional<Error> unpack_guarded(const Work& work) {
    try {
      return unpack(work);
    } catch (const std::exception& thrown) {
      return make_error(*work.drawn, ErrorCode::too_large,
                        fmt::format("the compressed mesh can't be unpacked ({})", thrown.what()));
    }
  }

  std::optional<Error> unpack(const Work& work) {
    const DracoPrimitive& drawn = *work.drawn;
    const BlockView& view = scene_[drawn.view];
    const auto bytes = scene_[view.block].bytes.data().subspan(view.offset, view.length);
    const Primitive& primitive = scene_[drawn.mesh].primitives[drawn.primitive];
    const std::uint64_t vertices = count_vertices(scene_, primitive);
    const std::uint64_t indices = scene_[primitive.indices].count;
    draco::DecoderBuffer buffer;
    buffer.Init(reinterpret_cast<const char*>(bytes.data()), bytes.size());
    draco::Decoder decoder;
    auto decoded = decoder.DecodeMeshFromBuffer(&buffer);
    if (!decoded.ok()) {
      return make_error(
          drawn, ErrorCode::bad_value,
          fmt::format("the compressed mesh is damaged ({})", decoded.status().error_msg_string()));
    }
    const std::unique_ptr<draco::Mesh> mesh = std::move(decoded).value();
    if (mesh->num_faces() * 3 != indices || mesh->num_points() != vertices) {
      return make_error(drawn, ErrorCode::bad_value,
                        fmt::format("holds {} triangles of {} vertices, the accessors have {} "
                                    "indices and {} vertices",
                                    mesh->num_faces(), mesh->num_points(), indices, vertices));
    }
    return store(work, *mesh);
  }

  std::optional<Error> store(const Work& work, const draco::Mesh& mesh) {
    for (const Filled& filled : work.filled) {
      const Stream& stream = scene_[filled.stream];
      std::byte* const to = bytes_.data() + filled.offset;
      if (filled.id == no_index) {
        store_indices(mesh, stream.component, to);
        continue;
      }
      const draco::PointAttribute* const attribute = mesh.GetAttributeByUniqueId(filled.id);
      if (attribute == nullptr) {
        return make_error(*work.drawn, ErrorCode::index_out_of_range,
                          fmt::format("the compressed mesh has no attribute {}", filled.id));
      }
      if (stream.count != mesh.num_points() ||
          !store_attribute(*attribute, stream, filled.stride, to)) {
        return make_error(*work.drawn, ErrorCode::bad_value,
                          fmt::format("attribute {} is not what its accessor {} states", filled.id,
                                      to_index(filled.stream)));
      }
    }
    return std::nullopt;
  }

  /// The view of the compressed bytes, which nobody needs any more, shows the first stream.
  void add_views(const Work& work, BlockId block) {
    bool first = used_views_.insert(work.drawn->view).second;
    for (const Filled& filled : work.filled) {
      Stream& stream = scene_.streams[to_index(filled.stream)];
      const std::uint32_t size = element_bytes(stream.component, stream.element);
      BlockView view;
      view.block = block;
      view.offset = filled.offset;
      view.length = stream.count * filled.stride;
      view.stride = filled.stride == size ? 0 : filled.stride;
      view.target = filled.id == no_index ? index_target : vertex_target;
      stream.offset = 0;
      stream.view = first ? work.drawn->view : make_id<ViewId>(scene_.views.size());
      if (first) {
        scene_.views[to_index(stream.view)] = std::move(view);
      } else {
        scene_.views.push_back(std::move(view));
      }
      first = false;
      refresh_bounds(filled.stream);
    }
  }

  /// Exporters state the bounds of what they compressed, not of what becomes of it.
  void refresh_bounds(StreamId id) {
    if (!scene_[id].bounds || scene_[id].normalized) {
      return;
    }
    const std::vector<double> values = make_doubles(scene_, id);
    const std::uint32_t width = component_count(scene_[id].element);
    StreamBounds bounds{std::vector<double>(width, std::numeric_limits<double>::infinity()),
                        std::vector<double>(width, -std::numeric_limits<double>::infinity())};
    for (std::size_t i = 0; i < values.size(); ++i) {
      bounds.min[i % width] = std::min(bounds.min[i % width], values[i]);
      bounds.max[i % width] = std::max(bounds.max[i % width], values[i]);
    }
    scene_.streams[to_index(id)].bounds = std::move(bounds);
  }

  const std::vector<DracoPrimitive>& drawn_;
  const ReadLimits& limits_;
  const RunControl& run_;
  Scene& scene_;
  std::vector<Work> works_;
  std::set<StreamId> known_;
  std::set<ViewId> used_views_;
  std::vector<std::byte> bytes_;
  std::uint64_t size_ = 0;
};

}  // namespace

Result<void> unpack_draco(const std::vector<DracoPrimitive>& drawn,
                          const ReadLimits& limits,
                          const RunControl& run,
                          Scene& scene) {
  return DracoReader(drawn, limits, run, scene).run();
}

}  // namespace wakuzume
