// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include "quantise/values.h"

#include <algorithm>
#include <cmath>
#include <cstring>
#include <limits>
#include <numbers>

#include "scene/elements.h"
#include "scene/index_data.h"
#include "wakuzume/stream_codec.h"

namespace wakuzume {
namespace {

bool is_float(const Stream& stream) { return stream.component == ComponentType::f32; }

NewStream begin_new(const Stream& like, ComponentType component, bool normalized) {
  NewStream out;
  out.stream = like;
  out.stream.offset = 0;
  out.stream.sparse.reset();
  out.stream.bounds.reset();
  out.stream.component = component;
  out.stream.normalized = normalized;
  const std::uint32_t size = element_bytes(component, like.element);
  out.stride = (size + 3) / 4 * 4;
  return out;
}

/// Values as normalized whole numbers of a type.
template <class T>
NewStream make_normalized(const Stream& like,
                          const std::vector<double>& values,
                          ComponentType component) {
  NewStream out = begin_new(like, component, true);
  const std::uint32_t width = component_count(like.element);
  out.bytes.resize(values.size() / width * out.stride);
  constexpr double largest = std::numeric_limits<T>::max();
  for (std::size_t i = 0; i < values.size(); ++i) {
    const auto number = static_cast<T>(std::round(values[i] * largest));
    std::memcpy(out.bytes.data() + i / width * out.stride + i % width * sizeof(T), &number,
                sizeof number);
  }
  return out;
}

NewStream make_floats_on_grid(const Stream& like, const std::vector<double>& values, double step) {
  NewStream out = begin_new(like, ComponentType::f32, false);
  out.bytes.resize(values.size() * sizeof(float));
  for (std::size_t i = 0; i < values.size(); ++i) {
    const float value = static_cast<float>(std::round(values[i] / step) * step) + 0.0F;
    std::memcpy(out.bytes.data() + i * sizeof value, &value, sizeof value);
  }
  return out;
}

/// How far directions turn where each component is rounded to 1 / largest; the fourth of a tangent
/// is a sign.
double find_turn_deg(const std::vector<double>& values, std::uint32_t width, double largest) {
  double turn = 0;
  for (std::size_t i = 0; i + width <= values.size(); i += width) {
    double from = 0;
    double to = 0;
    double both = 0;
    for (std::size_t c = 0; c < 3; ++c) {
      const double rounded = std::round(values[i + c] * largest) / largest;
      from += values[i + c] * values[i + c];
      to += rounded * rounded;
      both += values[i + c] * rounded;
    }
    if (from > 0) {
      const double cosine = to > 0 ? both / std::sqrt(from * to) : -1;
      turn = std::max(turn, std::acos(std::clamp(cosine, -1.0, 1.0)));
    }
  }
  return turn * 180 / std::numbers::pi;
}

}  // namespace

NewStream make_directions(const Scene& scene,
                          StreamId id,
                          const GeometrySettings& settings,
                          double stretch) {
  const double allowed_deg = settings.direction_error_deg / stretch;
  const Stream& stream = scene[id];
  const std::uint32_t width = component_count(stream.element);
  if (!is_float(stream) || width < 3) {
    return {};
  }
  const std::vector<double> values = make_doubles(scene, id);
  if (std::any_of(values.begin(), values.end(), [](double v) { return !(std::abs(v) <= 1.001); })) {
    return {};
  }
  std::vector<double> clamped(values);
  for (double& value : clamped) {
    value = std::clamp(value, -1.0, 1.0);
  }
  if (find_turn_deg(clamped, width, 127) <= allowed_deg) {
    return make_normalized<std::int8_t>(stream, clamped, ComponentType::i8);
  }
  return find_turn_deg(clamped, width, 32767) <= allowed_deg
             ? make_normalized<std::int16_t>(stream, clamped, ComponentType::i16)
             : NewStream{};
}

NewStream make_uvs(const Scene& scene, StreamId id, const GeometrySettings& settings) {
  const Stream& stream = scene[id];
  if (!is_float(stream)) {
    return {};
  }
  const std::vector<double> values = make_doubles(scene, id);
  if (!std::all_of(values.begin(), values.end(), [](double v) { return std::isfinite(v); })) {
    return {};
  }
  const auto [low, high] = std::minmax_element(values.begin(), values.end());
  const double allowed = settings.uv_error_texels / widest_texture_px;
  const auto fits = [&](double largest) { return 0.5 / largest <= allowed; };
  if (values.empty()) {
    return {};
  }
  if (*low >= 0 && *high <= 1 && fits(65535)) {
    return make_normalized<std::uint16_t>(stream, values, ComponentType::u16);
  }
  if (*low >= -1 && *high <= 1 && fits(32767)) {
    return make_normalized<std::int16_t>(stream, values, ComponentType::i16);
  }
  if (settings.form != GeometryForm::packed) {
    return {};
  }
  const double step = std::exp2(std::floor(std::log2(2 * allowed)));
  return std::max(std::abs(*low), std::abs(*high)) / step < 1 << 23
             ? make_floats_on_grid(stream, values, step)
             : NewStream{};
}

NewStream make_colors(const Scene& scene, StreamId id, const GeometrySettings& settings) {
  const Stream& stream = scene[id];
  if (stream.component == ComponentType::u8) {
    return {};
  }
  const std::vector<double> values = make_doubles(scene, id);
  if (!std::all_of(values.begin(), values.end(), [](double v) { return v >= 0 && v <= 1; })) {
    return {};
  }
  if (0.5 / 255 <= settings.color_error) {
    return make_normalized<std::uint8_t>(stream, values, ComponentType::u8);
  }
  return is_float(stream) && 0.5 / 65535 <= settings.color_error
             ? make_normalized<std::uint16_t>(stream, values, ComponentType::u16)
             : NewStream{};
}

NewStream make_joints(const Scene& scene, StreamId id) {
  const Stream& stream = scene[id];
  if (stream.component != ComponentType::u16) {
    return {};
  }
  const std::vector<double> values = make_doubles(scene, id);
  if (std::any_of(values.begin(), values.end(), [](double v) { return v > 255; })) {
    return {};
  }
  NewStream out = begin_new(stream, ComponentType::u8, false);
  std::transform(values.begin(), values.end(), std::back_inserter(out.bytes),
                 [](double v) { return static_cast<std::byte>(v); });
  return out;
}

NewStream make_narrow_indices(const Scene& scene, StreamId id, std::uint64_t vertices) {
  const Stream& stream = scene[id];
  const ComponentType type = find_index_type(vertices);
  if (component_bytes(type) >= component_bytes(stream.component)) {
    return {};
  }
  const std::vector<std::uint32_t> indices = make_integers(scene, id);
  NewStream out = begin_new(stream, type, false);
  out.stride = component_bytes(type);
  out.bytes.resize(indices.size() * out.stride);
  store_indices(indices, type, out.bytes.data());
  return out;
}

NewStream make_turned_triangles(const Scene& scene, StreamId id) {
  const Stream& stream = scene[id];
  const std::uint32_t size = component_bytes(stream.component);
  const PackLayout layout{PackMode::triangles, PackFilter::none, size, stream.count};
  if (!check_layout(layout) || stream.count == 0) {
    return {};
  }
  NewStream out = begin_new(stream, stream.component, false);
  out.stride = size;
  out.bytes = make_packed(scene, id);
  const std::vector<std::byte> packed = pack_stream(out.bytes, layout);
  return unpack_stream(packed, layout, out.bytes) ? std::move(out) : NewStream{};
}

}  // namespace wakuzume
