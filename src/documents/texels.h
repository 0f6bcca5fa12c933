// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#pragma once

#include <algorithm>
#include <array>
#include <cmath>
#include <vector>

#include "documents/document.h"
#include "wakuzume/packing.h"
#include "wakuzume/survey.h"

/// Sizes and places of texels, and lists of draws, as documents hold them.
namespace wakuzume {

inline std::array<double, 2> as_pair(const RectSize& size) {
  return {static_cast<double>(size.width_px), static_cast<double>(size.height_px)};
}

inline std::array<double, 4> as_numbers(const TexelRect& rect) {
  return {static_cast<double>(rect.x), static_cast<double>(rect.y), static_cast<double>(rect.width),
          static_cast<double>(rect.height)};
}

/// Whole numbers of texels. \param least  the smallest that may be
template <std::size_t n>
bool read_whole(
    JsonIn& in, JsonValue value, const At& at, double least, std::array<std::int64_t, n>& out) {
  std::array<double, n> numbers{};
  if (!in.read(value, at, numbers)) {
    return false;
  }
  for (std::size_t i = 0; i < n; ++i) {
    if (numbers[i] != std::floor(numbers[i]) || numbers[i] < least || numbers[i] > 1e12) {
      return in.fail(ErrorCode::bad_value, at, "expected whole numbers of pixels");
    }
    out[i] = static_cast<std::int64_t>(numbers[i]);
  }
  return true;
}

/// Two numbers of tables.
inline bool read_pair(JsonIn& in,
                      JsonValue value,
                      const At& at,
                      std::array<std::uint32_t, 2>& out) {
  std::array<std::int64_t, 2> pair{};
  if (!read_whole(in, value, at, 0, pair)) {
    return false;
  }
  if (std::max(pair[0], pair[1]) >= std::int64_t{no_index}) {
    return in.fail(ErrorCode::index_out_of_range, at, "no table has this number");
  }
  out = {static_cast<std::uint32_t>(pair[0]), static_cast<std::uint32_t>(pair[1])};
  return true;
}

inline bool read_size(JsonIn& in, JsonValue value, const At& at, RectSize& out) {
  std::array<std::int64_t, 2> numbers{};
  if (!read_whole(in, value, at, 0, numbers)) {
    return false;
  }
  if (std::max(numbers[0], numbers[1]) > 65536) {
    return in.fail(ErrorCode::bad_value, at, "no picture has more than 65536 pixels a side");
  }
  out = {static_cast<std::uint32_t>(numbers[0]), static_cast<std::uint32_t>(numbers[1])};
  return true;
}

inline bool read_rect(JsonIn& in, JsonValue value, const At& at, TexelRect& out) {
  std::array<std::int64_t, 4> numbers{};
  const bool good = read_whole(in, value, at, -1e12, numbers);
  out = {numbers[0], numbers[1], numbers[2], numbers[3]};
  return good;
}

/// Node and primitive of each, several a line.
inline void write_draws(ReadableJsonOut& out, const char* name, const std::vector<DrawRef>& draws) {
  out.begin_array(name);
  {
    PackedLines lines(out);
    for (const DrawRef& draw : draws) {
      JsonOut line;
      line.begin_array();
      line.value(draw.node);
      line.value(draw.primitive);
      line.end_array();
      lines.add(line);
    }
  }
  out.end_array();
}

inline bool read_draws(JsonIn& in, JsonValue value, const At& at, std::vector<DrawRef>& out) {
  return in.array(value, at, [&](JsonValue item, const At& a) {
    std::array<std::uint32_t, 2> draw{};
    const bool good = read_pair(in, item, a, draw);
    out.push_back({make_id<NodeId>(draw[0]), draw[1]});
    return good;
  });
}

}  // namespace wakuzume
