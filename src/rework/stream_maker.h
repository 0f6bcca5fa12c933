// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#pragma once

#include <algorithm>
#include <cmath>
#include <cstring>
#include <limits>
#include <string>
#include <vector>

#include "rework/geometry_block.h"
#include "scene/index_data.h"
#include "wakuzume/scene.h"

namespace wakuzume {

/// Puts a stream in the place of the one that a primitive has, or behind all others.
inline void set_attribute(Primitive& primitive, const std::string& semantic, StreamId stream) {
  const auto had = std::find_if(primitive.attributes.begin(), primitive.attributes.end(),
                                [&](const Attribute& a) { return a.semantic == semantic; });
  if (had != primitive.attributes.end()) {
    had->stream = stream;
  } else {
    primitive.attributes.push_back({semantic, stream});
  }
}

/// Sets of UVs are numbered without gaps: what is missing below looks at the same places.
inline void set_uvs(Primitive& primitive, std::uint32_t set, StreamId stream) {
  set_attribute(primitive, "TEXCOORD_" + std::to_string(set), stream);
  for (std::uint32_t s = 0; s < set; ++s) {
    const std::string below = "TEXCOORD_" + std::to_string(s);
    if (primitive.find(below) == no_stream) {
      set_attribute(primitive, below, stream);
    }
  }
}

/// Makes streams in two passes over the same calls: the first reserves room in a block, the second
/// fills it and adds them to a scene.
class StreamMaker {
 public:
  /// \param id  of the block in `out`, once it is allocated; null: this is the first pass
  StreamMaker(const Scene& from, Scene& out, GeometryBlock& block, const BlockId* id)
      : from_(from), out_(out), block_(block), id_(id) {}

  template <class T>
  StreamId add(const std::vector<T>& values, ElementType element) {
    Stream stream;
    stream.component = sizeof(T) == 2 ? ComponentType::u16 : ComponentType::f32;
    stream.normalized = sizeof(T) == 2;
    stream.element = element;
    stream.count = values.size() / component_count(element);
    const std::uint32_t stride = component_count(element) * sizeof(T);
    return place(values.size() * sizeof(T), vertex_target, stride, std::move(stream),
                 [&](std::byte* to) { std::memcpy(to, values.data(), values.size() * sizeof(T)); });
  }

  /// Values in the type of another stream. \param bounded  as gather has it
  StreamId add_like(const Stream& like, const std::vector<float>& values, bool bounded) {
    const std::uint32_t width = component_count(like.element);
    const std::uint32_t size = component_bytes(like.component);
    const std::uint32_t stride = (width * size + 3) / 4 * 4;
    Stream stream = make_like(like, values.size() / width);
    const double scale = like.normalized ? find_scale(like.component) : 1;
    if (bounded) {
      stream.bounds = find_bounds(like, values);
    }
    const ComponentType type = like.component;
    return place(values.size() / width * stride, vertex_target, stride, std::move(stream),
                 [&](std::byte* to) {
                   for (std::size_t i = 0; i < values.size(); ++i) {
                     if (i % width == 0) {
                       std::memset(to + i / width * stride, 0, stride);
                     }
                     store(values[i], scale, type, to + i / width * stride + i % width * size);
                   }
                 });
  }
  /// The same where most are zeros: these take no room.
  StreamId add_sparse(const Stream& like, const std::vector<float>& values, bool bounded) {
    const std::uint32_t width = component_count(like.element);
    const std::size_t count = values.size() / width;
    std::vector<std::uint32_t> elements;
    for (std::uint32_t v = 0; v < count; ++v) {
      const auto first = values.begin() + std::ptrdiff_t{width} * v;
      if (std::any_of(first, first + width, [](float value) { return value != 0; })) {
        elements.push_back(v);
      }
    }
    if (elements.empty()) {
      return add_zeros(like, count, bounded);
    }
    if (elements.size() > count / 2) {
      return add_like(like, values, bounded);
    }
    const ComponentType index_type = find_index_type(count);
    const std::uint32_t size = component_bytes(like.component);
    const double scale = like.normalized ? find_scale(like.component) : 1;
    SparseSubstitution sparse;
    sparse.count = elements.size();
    sparse.index_type = index_type;
    sparse.index_view = place_view(elements.size() * component_bytes(index_type),
                                   [&](std::byte* to) { store_indices(elements, index_type, to); });
    sparse.value_view = place_view(elements.size() * width * size, [&](std::byte* to) {
      for (const std::uint32_t v : elements) {
        for (std::uint32_t c = 0; c < width; ++c, to += size) {
          store(values[std::size_t{width} * v + c], scale, like.component, to);
        }
      }
    });
    if (id_ == nullptr) {
      return no_stream;
    }
    Stream stream = make_like(like, count);
    stream.sparse = std::move(sparse);
    if (bounded) {
      stream.bounds = find_bounds(like, values);
    }
    out_.streams.push_back(std::move(stream));
    return make_id<StreamId>(out_.streams.size() - 1);
  }
  /// Nothing but zeros, which take no room.
  StreamId add_zeros(const Stream& like, std::size_t count, bool bounded) {
    if (id_ == nullptr) {
      return no_stream;
    }
    Stream stream = make_like(like, count);
    if (bounded) {
      const std::vector<double> zeros(component_count(like.element), 0.0);
      stream.bounds = StreamBounds{zeros, zeros};
    }
    out_.streams.push_back(std::move(stream));
    return make_id<StreamId>(out_.streams.size() - 1);
  }

  /// The elements of some vertices, in their own type. \param bounded  its smallest and largest
  /// values are told, as positions' have to be
  StreamId gather(StreamId id, const std::vector<std::uint32_t>& vertices, bool bounded) {
    const Stream& source = from_[id];
    const std::size_t width = element_bytes(source.component, source.element);
    const std::size_t stride = (width + 3) / 4 * 4;
    Stream stream;
    stream.component = source.component;
    stream.element = source.element;
    stream.normalized = source.normalized;
    stream.count = vertices.size();
    if (bounded && id_ != nullptr) {
      stream.bounds = find_bounds(id, vertices);
    }
    return place(vertices.size() * stride, vertex_target, static_cast<std::uint32_t>(stride),
                 std::move(stream), [&](std::byte* to) {
                   const std::vector<std::byte> packed = make_packed(from_, id);
                   for (const std::uint32_t v : vertices) {
                     std::memset(to, 0, stride);
                     std::memcpy(to, &packed[v * width], width);
                     to += stride;
                   }
                 });
  }

  StreamId add_indices(const std::vector<std::uint32_t>& indices, std::size_t vertices) {
    Stream stream;
    stream.component = find_index_type(vertices);
    stream.count = indices.size();
    const std::uint32_t size = component_bytes(stream.component);
    const ComponentType type = stream.component;
    return place(indices.size() * size, index_target, size, std::move(stream),
                 [&](std::byte* to) { store_indices(indices, type, to); });
  }

 private:
  static constexpr std::uint32_t vertex_target = 34962;
  static constexpr std::uint32_t index_target = 34963;

  template <class Fill>
  StreamId place(std::size_t bytes,
                 std::uint32_t target,
                 std::uint32_t stride,
                 Stream stream,
                 const Fill& fill) {
    const std::uint64_t at = cursor_;
    cursor_ += (bytes + 3) / 4 * 4;
    if (id_ == nullptr) {
      block_.reserve(bytes);
      return no_stream;
    }
    fill(block_.data(at));
    block_.close(at, bytes);
    return add_stream(out_, *id_, at, bytes, target, stride, std::move(stream));
  }

  template <class Fill>
  ViewId place_view(std::size_t bytes, const Fill& fill) {
    const std::uint64_t at = cursor_;
    cursor_ += (bytes + 3) / 4 * 4;
    if (id_ == nullptr) {
      block_.reserve(bytes);
      return no_view;
    }
    fill(block_.data(at));
    block_.close(at, bytes);
    BlockView view;
    view.block = *id_;
    view.offset = at;
    view.length = bytes;
    out_.views.push_back(view);
    return make_id<ViewId>(out_.views.size() - 1);
  }

  /// As they are stored in the type of another stream.
  static StreamBounds find_bounds(const Stream& like, const std::vector<float>& values) {
    const std::uint32_t width = component_count(like.element);
    const double scale = like.normalized ? find_scale(like.component) : 1;
    StreamBounds bounds;
    for (std::uint32_t c = 0; c < width; ++c) {
      double low = values.empty() ? 0 : 1e300;
      double high = values.empty() ? 0 : -1e300;
      for (std::size_t i = c; i < values.size(); i += width) {
        const double value = like.component == ComponentType::f32
                                 ? double{values[i]}
                                 : std::round(double{values[i]} * scale);
        low = std::min(low, value);
        high = std::max(high, value);
      }
      bounds.min.push_back(low);
      bounds.max.push_back(high);
    }
    return bounds;
  }

  static Stream make_like(const Stream& like, std::size_t count) {
    Stream stream;
    stream.component = like.component;
    stream.element = like.element;
    stream.normalized = like.normalized;
    stream.count = count;
    return stream;
  }

  template <class T>
  static void store_whole(double value, std::byte* to) {
    const auto whole =
        static_cast<T>(std::clamp(value, static_cast<double>(std::numeric_limits<T>::lowest()),
                                  static_cast<double>(std::numeric_limits<T>::max())));
    std::memcpy(to, &whole, sizeof whole);
  }
  static void store(float value, double scale, ComponentType type, std::byte* to) {
    const double whole = std::round(double{value} * scale);
    switch (type) {
      case ComponentType::i8:
        return store_whole<std::int8_t>(whole, to);
      case ComponentType::u8:
        return store_whole<std::uint8_t>(whole, to);
      case ComponentType::i16:
        return store_whole<std::int16_t>(whole, to);
      case ComponentType::u16:
        return store_whole<std::uint16_t>(whole, to);
      case ComponentType::u32:
        return store_whole<std::uint32_t>(whole, to);
      case ComponentType::f32:
        std::memcpy(to, &value, sizeof value);
    }
  }

  /// As stored: of normalized integers, the integers.
  [[nodiscard]] StreamBounds find_bounds(StreamId id, const std::vector<std::uint32_t>& vertices) {
    Stream plain = from_[id];
    const std::uint32_t width = component_count(plain.element);
    const std::vector<double> values = make_doubles(from_, id);
    StreamBounds bounds;
    for (std::uint32_t c = 0; c < width; ++c) {
      double low = 1e300;
      double high = -1e300;
      for (const std::uint32_t v : vertices) {
        low = std::min(low, values[std::size_t{v} * width + c]);
        high = std::max(high, values[std::size_t{v} * width + c]);
      }
      const double scale = plain.normalized ? find_scale(plain.component) : 1;
      bounds.min.push_back(plain.normalized ? std::round(low * scale) : low);
      bounds.max.push_back(plain.normalized ? std::round(high * scale) : high);
    }
    return bounds;
  }

  static double find_scale(ComponentType component) {
    switch (component) {
      case ComponentType::i8:
        return 127;
      case ComponentType::u8:
        return 255;
      case ComponentType::i16:
        return 32767;
      case ComponentType::u16:
        return 65535;
      default:
        return 1;
    }
  }

  const Scene& from_;
  Scene& out_;
  GeometryBlock& block_;
  const BlockId* id_;
  std::uint64_t cursor_ = 0;
};

}  // namespace wakuzume
