// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include "scene/elements.h"

#include <algorithm>
#include <bit>
#include <cassert>
#include <cstring>

namespace wakuzume {

static_assert(std::endian::native == std::endian::little, "glTF data is little-endian");

std::string_view to_string(ElementType type) {
  constexpr std::string_view names[] = {"SCALAR", "VEC2", "VEC3", "VEC4", "MAT2", "MAT3", "MAT4"};
  return names[static_cast<std::size_t>(type)];
}

std::uint32_t component_bytes(ComponentType type) {
  switch (type) {
    case ComponentType::i8:
    case ComponentType::u8:
      return 1;
    case ComponentType::i16:
    case ComponentType::u16:
      return 2;
    case ComponentType::u32:
    case ComponentType::f32:
      break;
  }
  return 4;
}

std::uint32_t component_count(ElementType type) {
  constexpr std::uint32_t counts[] = {1, 2, 3, 4, 4, 9, 16};
  return counts[static_cast<std::size_t>(type)];
}

namespace {

/// Rows of a matrix type, or 0 for scalars and vectors.
std::uint32_t matrix_rows(ElementType type) {
  switch (type) {
    case ElementType::mat2:
      return 2;
    case ElementType::mat3:
      return 3;
    case ElementType::mat4:
      return 4;
    default:
      return 0;
  }
}

/// Columns of a matrix begin at multiples of four bytes (glTF 2.0 section 3.6.2.4).
std::uint32_t component_offset(ComponentType component, ElementType element, std::uint32_t i) {
  const std::uint32_t size = component_bytes(component);
  const std::uint32_t rows = matrix_rows(element);
  if (rows == 0) {
    return i * size;
  }
  const std::uint32_t column_bytes = (rows * size + 3) / 4 * 4;
  return (i / rows) * column_bytes + (i % rows) * size;
}

template <class T>
T load(const std::byte* from) {
  T value;
  std::memcpy(&value, from, sizeof value);
  return value;
}

/// One component as a double; exact for every type (glTF 2.0 section 3.11 for normalized ones).
double load_component(const std::byte* from, ComponentType type, bool normalized) {
  switch (type) {
    case ComponentType::i8: {
      const double value = load<std::int8_t>(from);
      return normalized ? std::max(value / 127, -1.0) : value;
    }
    case ComponentType::u8: {
      const double value = load<std::uint8_t>(from);
      return normalized ? value / 255 : value;
    }
    case ComponentType::i16: {
      const double value = load<std::int16_t>(from);
      return normalized ? std::max(value / 32767, -1.0) : value;
    }
    case ComponentType::u16: {
      const double value = load<std::uint16_t>(from);
      return normalized ? value / 65535 : value;
    }
    case ComponentType::u32:
      return load<std::uint32_t>(from);
    case ComponentType::f32:
      break;
  }
  return static_cast<double>(load<float>(from));
}

std::uint32_t load_index(const std::byte* from, ComponentType type) {
  switch (component_bytes(type)) {
    case 1:
      return load<std::uint8_t>(from);
    case 2:
      return load<std::uint16_t>(from);
    default:
      return load<std::uint32_t>(from);
  }
}

/// Calls `put(element, bytes)` for each element that the view and then the substitution give.
/// A stream without a view gives nothing but its substitution: the target starts as zeros.
template <class Put>
void for_each_element(const Scene& scene, const Stream& stream, const Put& put) {
  if (stream.view != no_view) {
    const ElementSpan span = make_element_span(scene, stream);
    for (std::size_t i = 0; i < span.count; ++i) {
      put(i, span.data + i * span.stride);
    }
  }
  if (stream.sparse) {
    const SparseSubstitution& sparse = *stream.sparse;
    const std::byte* index = make_view_bytes(scene, sparse.index_view) + sparse.index_offset;
    const std::byte* value = make_view_bytes(scene, sparse.value_view) + sparse.value_offset;
    const std::size_t index_step = component_bytes(sparse.index_type);
    const std::size_t value_step = element_bytes(stream.component, stream.element);
    for (std::size_t i = 0; i < sparse.count; ++i) {
      put(load_index(index + i * index_step, sparse.index_type), value + i * value_step);
    }
  }
}

template <class T>
std::vector<T> make_numbers(const Scene& scene, StreamId id) {
  const Stream& stream = scene[id];
  const std::uint32_t width = component_count(stream.element);
  std::vector<T> out(stream.count * width);
  for_each_element(scene, stream, [&](std::size_t at, const std::byte* from) {
    for (std::uint32_t c = 0; c < width; ++c) {
      out[at * width + c] = static_cast<T>(
          load_component(from + component_offset(stream.component, stream.element, c),
                         stream.component, stream.normalized));
    }
  });
  return out;
}

}  // namespace

std::uint32_t element_bytes(ComponentType component, ElementType element) {
  const std::uint32_t last = component_count(element) - 1;
  const std::uint32_t end = component_offset(component, element, last) + component_bytes(component);
  return matrix_rows(element) == 0 ? end : (end + 3) / 4 * 4;
}

const std::byte* make_view_bytes(const Scene& scene, ViewId id) {
  const BlockView& view = scene[id];
  return scene[view.block].bytes.data().data() + view.offset;
}

ElementSpan make_element_span(const Scene& scene, const Stream& stream) {
  assert(stream.view != no_view);
  const std::uint32_t packed = element_bytes(stream.component, stream.element);
  const std::uint32_t stride = scene[stream.view].stride;
  return {make_view_bytes(scene, stream.view) + stream.offset, stride == 0 ? packed : stride,
          stream.count};
}

ElementReader::ElementReader(const Scene& scene, StreamId id)
    : stream_(&scene[id]),
      width_(component_count(scene[id].element)),
      floats_(scene[id].component == ComponentType::f32 && matrix_rows(scene[id].element) == 0) {
  if (stream_->view != no_view) {
    span_ = make_element_span(scene, *stream_);
  }
  if (stream_->sparse) {
    const SparseSubstitution& sparse = *stream_->sparse;
    const std::byte* from = make_view_bytes(scene, sparse.index_view) + sparse.index_offset;
    for (std::size_t i = 0; i < sparse.count; ++i) {
      sparse_at_.push_back(
          load_index(from + i * component_bytes(sparse.index_type), sparse.index_type));
    }
    sparse_values_ = make_view_bytes(scene, sparse.value_view) + sparse.value_offset;
  }
}

const std::byte* ElementReader::find(std::uint32_t element) const {
  if (!sparse_at_.empty()) {
    const auto hit = std::lower_bound(sparse_at_.begin(), sparse_at_.end(), element);
    if (hit != sparse_at_.end() && *hit == element) {
      return sparse_values_ + static_cast<std::size_t>(hit - sparse_at_.begin()) *
                                  element_bytes(stream_->component, stream_->element);
    }
  }
  return span_.data == nullptr ? nullptr : span_.data + element * span_.stride;
}

void ElementReader::load(std::uint32_t element, double* out) const {
  const std::byte* from = find(element);
  if (from == nullptr) {
    std::fill_n(out, width_, 0.0);
    return;
  }
  if (floats_) {
    for (std::uint32_t c = 0; c < width_; ++c) {
      out[c] = static_cast<double>(wakuzume::load<float>(from + c * sizeof(float)));
    }
    return;
  }
  for (std::uint32_t c = 0; c < width_; ++c) {
    out[c] = load_component(from + component_offset(stream_->component, stream_->element, c),
                            stream_->component, stream_->normalized);
  }
}

std::uint32_t ElementReader::index(std::uint32_t element) const {
  const std::byte* from = find(element);
  return from == nullptr ? 0 : load_index(from, stream_->component);
}

std::span<const float> find_packed_floats(const Scene& scene, StreamId id) {
  const Stream& stream = scene[id];
  if (stream.component != ComponentType::f32 || stream.view == no_view || stream.sparse) {
    return {};
  }
  const ElementSpan span = make_element_span(scene, stream);
  const std::size_t width = component_count(stream.element);
  const bool aligned = reinterpret_cast<std::uintptr_t>(span.data) % alignof(float) == 0;
  if (!aligned || span.stride != width * sizeof(float)) {
    return {};
  }
  return {reinterpret_cast<const float*>(span.data), span.count * width};
}

std::vector<float> make_floats(const Scene& scene, StreamId id) {
  const Stream& stream = scene[id];
  const bool plain = stream.component == ComponentType::f32 && !stream.sparse &&
                     stream.view != no_view && matrix_rows(stream.element) == 0;
  if (!plain) {
    return make_numbers<float>(scene, id);
  }
  if (const auto packed = find_packed_floats(scene, id); !packed.empty()) {
    return {packed.begin(), packed.end()};
  }
  const std::uint32_t width = component_count(stream.element);
  const ElementSpan span = make_element_span(scene, stream);
  std::vector<float> out(stream.count * width);
  for (std::size_t i = 0; i < span.count; ++i) {
    std::memcpy(&out[i * width], span.data + i * span.stride, width * sizeof(float));
  }
  return out;
}

std::vector<double> make_doubles(const Scene& scene, StreamId id) {
  return make_numbers<double>(scene, id);
}

std::vector<std::byte> make_packed(const Scene& scene, StreamId id) {
  const Stream& stream = scene[id];
  const std::size_t size = element_bytes(stream.component, stream.element);
  std::vector<std::byte> out(stream.count * size);
  for_each_element(scene, stream, [&](std::size_t at, const std::byte* from) {
    std::memcpy(&out[at * size], from, size);
  });
  return out;
}

namespace {

/// Integers of one type that lie one after the other, widened.
template <class T>
std::vector<std::uint32_t> widen(const std::byte* from, std::size_t count) {
  std::vector<std::uint32_t> out(count);
  for (std::size_t i = 0; i < count; ++i) {
    out[i] = load<T>(from + i * sizeof(T));
  }
  return out;
}

}  // namespace

std::vector<std::uint32_t> make_integers(const Scene& scene, StreamId id) {
  const Stream& stream = scene[id];
  if (stream.view != no_view && !stream.sparse) {
    const ElementSpan span = make_element_span(scene, stream);
    if (span.stride == component_bytes(stream.component)) {
      switch (span.stride) {
        case 1:
          return widen<std::uint8_t>(span.data, span.count);
        case 2:
          return widen<std::uint16_t>(span.data, span.count);
        default:
          return widen<std::uint32_t>(span.data, span.count);
      }
    }
  }
  std::vector<std::uint32_t> out(stream.count);
  for_each_element(scene, stream, [&](std::size_t at, const std::byte* from) {
    out[at] = load_index(from, stream.component);
  });
  return out;
}

std::uint64_t count_vertices(const Scene& scene, const Primitive& primitive) {
  return primitive.attributes.empty() ? 0 : scene[primitive.attributes.front().stream].count;
}

std::vector<std::uint32_t> make_indices(const Scene& scene, const Primitive& primitive) {
  if (primitive.indices != no_stream) {
    return make_integers(scene, primitive.indices);
  }
  std::vector<std::uint32_t> out(count_vertices(scene, primitive));
  for (std::size_t i = 0; i < out.size(); ++i) {
    out[i] = static_cast<std::uint32_t>(i);
  }
  return out;
}

std::uint64_t count_list_indices(const Scene& scene, const Primitive& primitive) {
  const std::uint64_t n = primitive.indices == no_stream ? count_vertices(scene, primitive)
                                                         : scene[primitive.indices].count;
  switch (primitive.mode) {
    case PrimitiveMode::points:
      return n;
    case PrimitiveMode::lines:
      return n / 2 * 2;
    case PrimitiveMode::line_loop:
      return n < 2 ? 0 : n * 2;
    case PrimitiveMode::line_strip:
      return n < 2 ? 0 : (n - 1) * 2;
    case PrimitiveMode::triangles:
      return n / 3 * 3;
    case PrimitiveMode::triangle_strip:
    case PrimitiveMode::triangle_fan:
      break;
  }
  return n < 3 ? 0 : (n - 2) * 3;
}

std::vector<std::uint32_t> make_list_indices(const Scene& scene, const Primitive& primitive) {
  std::vector<std::uint32_t> source = make_indices(scene, primitive);
  const std::size_t size = count_list_indices(scene, primitive);
  if (primitive.mode == PrimitiveMode::points || primitive.mode == PrimitiveMode::lines ||
      primitive.mode == PrimitiveMode::triangles) {
    source.resize(size);
    return source;
  }
  std::vector<std::uint32_t> out;
  out.reserve(size);
  const std::size_t n = size == 0 ? 0 : source.size();
  if (primitive.mode == PrimitiveMode::line_strip || primitive.mode == PrimitiveMode::line_loop) {
    for (std::size_t i = 0; i + 1 < n; ++i) {
      out.insert(out.end(), {source[i], source[i + 1]});
    }
    if (primitive.mode == PrimitiveMode::line_loop && n > 0) {
      out.insert(out.end(), {source[n - 1], source[0]});
    }
    return out;
  }
  const bool fan = primitive.mode == PrimitiveMode::triangle_fan;
  for (std::size_t i = 0; i + 2 < n; ++i) {
    if (fan) {
      out.insert(out.end(), {source[i + 1], source[i + 2], source[0]});
    } else {
      out.insert(out.end(), {source[i], source[i + 1 + i % 2], source[i + 2 - i % 2]});
    }
  }
  return out;
}

StreamId Primitive::find(std::string_view semantic) const {
  const auto hit = std::find_if(attributes.begin(), attributes.end(),
                                [&](const Attribute& a) { return a.semantic == semantic; });
  return hit == attributes.end() ? no_stream : hit->stream;
}

bool Material::unlit() const {
  return extra && std::any_of(extra->extensions.begin(), extra->extensions.end(),
                              [](const RawMember& m) { return m.name == "KHR_materials_unlit"; });
}

}  // namespace wakuzume
