// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include <algorithm>
#include <bit>
#include <cmath>
#include <cstring>
#include <limits>

#include "codec/codecs.h"

// What unpacked attributes are turned into, in floats of 32 bits as the extension has it.
namespace wakuzume {
namespace {

template <class T>
T take(const std::byte* from) {
  T value{};
  std::memcpy(&value, from, sizeof value);
  return value;
}
template <class T>
void put(std::byte* to, T value) {
  std::memcpy(to, &value, sizeof value);
}

/// To the nearest whole number, halves to an even one, as the decoders of engines have it.
template <class T>
T round_to(float value) {
  return static_cast<T>(std::lrint(value));
}

/// Two coordinates on an octahedron and the number that stands for 1, as a direction of length 1.
template <class T>
void apply_octahedral(std::byte* element) {
  constexpr auto largest = static_cast<float>(std::numeric_limits<T>::max());
  auto x = static_cast<float>(take<T>(element));
  auto y = static_cast<float>(take<T>(element + sizeof(T)));
  const float z =
      static_cast<float>(take<T>(element + 2 * sizeof(T))) - std::fabs(x) - std::fabs(y);
  // The lower half is folded over the edges of the upper one.
  const float folded = z >= 0.F ? 0.F : z;
  x += x >= 0.F ? folded : -folded;
  y += y >= 0.F ? folded : -folded;
  const float length = std::sqrt(x * x + (y * y + z * z));
  // A damaged element may have none.
  const float scale = length > 0.F ? largest / length : 0.F;
  put(element, round_to<T>(x * scale));
  put(element + sizeof(T), round_to<T>(y * scale));
  put(element + 2 * sizeof(T), round_to<T>(z * scale));
}

/// Three components of a unit quaternion and, in two bits of the fourth number, which is missing.
void apply_quaternion(std::byte* element) {
  const std::int32_t last = take<std::int16_t>(element + 6);
  const float scale = 0.707106781F / static_cast<float>(last | 3);
  const float x = static_cast<float>(take<std::int16_t>(element)) * scale;
  const float y = static_cast<float>(take<std::int16_t>(element + 2)) * scale;
  const float z = static_cast<float>(take<std::int16_t>(element + 4)) * scale;
  const float w = std::sqrt(std::max(1.F - (x * x + (y * y + z * z)), 0.F));
  const auto missing = static_cast<unsigned>(last) & 3U;
  const auto place = [&](unsigned after) { return element + 2 * ((missing + after) & 3U); };
  put(place(1), round_to<std::int16_t>(x * 32767.F));
  put(place(2), round_to<std::int16_t>(y * 32767.F));
  put(place(3), round_to<std::int16_t>(z * 32767.F));
  put(place(0), round_to<std::int16_t>(w * 32767.F));
}

/// 24 bits of a number and 8 of its exponent.
void apply_exponential(std::byte* element) {
  const auto bits = take<std::uint32_t>(element);
  const std::int32_t number = static_cast<std::int32_t>(bits << 8U) >> 8U;
  const std::int32_t exponent = static_cast<std::int32_t>(bits) >> 24U;
  put(element, std::bit_cast<float>(static_cast<std::uint32_t>(exponent + 127) << 23U) *
                   static_cast<float>(number));
}

constexpr int largest_bits = 23;  ///< of a number beside its sign

/// The power of two that all floats of a component are multiples of, as far down as 24 bits need.
std::optional<int> find_exponent(std::span<const std::byte> floats,
                                 std::size_t first,
                                 std::uint32_t stride) {
  int low = std::numeric_limits<int>::max();
  int high = std::numeric_limits<int>::min();
  for (std::size_t at = first; at < floats.size(); at += stride) {
    const auto value = take<float>(floats.data() + at);
    if (value == 0.F) {
      // A negative zero would lose its sign.
      if (std::signbit(value)) {
        return std::nullopt;
      }
      continue;
    }
    int exponent = 0;
    if (!std::isfinite(value)) {
      return std::nullopt;
    }
    const float part = std::frexp(value, &exponent);
    const auto whole = static_cast<std::uint32_t>(std::fabs(std::ldexp(part, 24)));
    low = std::min(low, exponent - 24 + std::countr_zero(whole));
    high = std::max(high, exponent);
  }
  if (high == std::numeric_limits<int>::min()) {
    return 0;
  }
  // Exponents below are not those of normal floats, so nothing could be multiplied by them.
  return high - low <= largest_bits && low >= -126 && low <= 127 ? std::optional(low)
                                                                 : std::nullopt;
}

}  // namespace

void apply_filter(const PackLayout& layout, std::span<std::byte> elements) {
  const auto each = [&](std::size_t size, auto apply) {
    for (std::size_t at = 0; at < elements.size(); at += size) {
      apply(elements.data() + at);
    }
  };
  switch (layout.filter) {
    case PackFilter::octahedral:
      return layout.stride == 4 ? each(4, apply_octahedral<std::int8_t>)
                                : each(8, apply_octahedral<std::int16_t>);
    case PackFilter::quaternion:
      return each(8, apply_quaternion);
    case PackFilter::exponential:
      return each(4, apply_exponential);
    case PackFilter::none:
      break;
  }
}

std::optional<std::vector<std::byte>> make_exponential(std::span<const std::byte> floats,
                                                       std::uint32_t stride) {
  std::vector<std::byte> out(floats.size());
  for (std::size_t first = 0; first < stride; first += 4) {
    const std::optional<int> exponent = find_exponent(floats, first, stride);
    if (!exponent) {
      return std::nullopt;
    }
    for (std::size_t at = first; at < floats.size(); at += stride) {
      const auto number =
          static_cast<std::int32_t>(std::ldexp(take<float>(floats.data() + at), -*exponent));
      put(out.data() + at, (static_cast<std::uint32_t>(*exponent) << 24U) |
                               (static_cast<std::uint32_t>(number) & 0xFF'FFFFU));
    }
  }
  return out;
}

}  // namespace wakuzume
