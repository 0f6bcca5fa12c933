// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#pragma once

#include <cstdint>
#include <string>
#include <string_view>
#include <vector>

#include "wakuzume/bytes.h"
#include "wakuzume/geometry.h"
#include "wakuzume/ids.h"

/// Vertex and index data: typed streams that are views into shared byte blocks. The three tables
/// are those of glTF (buffers, bufferViews, accessors) under the names of what they do.
namespace wakuzume {

/// Values are those of glTF and OpenGL.
enum class ComponentType : std::uint16_t {
  i8 = 5120,
  u8 = 5121,
  i16 = 5122,
  u16 = 5123,
  u32 = 5125,
  f32 = 5126,
};

enum class ElementType : std::uint8_t { scalar, vec2, vec3, vec4, mat2, mat3, mat4 };

std::string_view to_string(ElementType type);       ///< "SCALAR", "VEC2" ... as in glTF
std::uint32_t component_bytes(ComponentType type);  ///< 1, 2 or 4
std::uint32_t component_count(ElementType type);    ///< 1 to 16
/// Bytes from the first to past the last component of one element, matrix column padding included.
std::uint32_t element_bytes(ComponentType component, ElementType element);

/// glTF buffer.
struct Block {
  Bytes bytes;
  std::string name;
  std::string uri;  ///< as it was read; informative, the writer makes its own
  Boxed<Extra> extra;
};

/// glTF bufferView: a range of a block, with the distance between elements.
struct BlockView {
  BlockId block = no_block;
  std::uint64_t offset = 0;
  std::uint64_t length = 0;
  std::uint32_t stride = 0;  ///< bytes; 0: tightly packed
  std::uint32_t target = 0;  ///< 0, 34962 (vertices) or 34963 (indices)
  std::string name;
  Boxed<Extra> extra;
};

/// Elements of a stream that replace what its view holds.
struct SparseSubstitution {
  std::uint64_t count = 0;
  ViewId index_view = no_view;
  std::uint64_t index_offset = 0;
  ComponentType index_type = ComponentType::u16;
  ViewId value_view = no_view;
  std::uint64_t value_offset = 0;
  Boxed<Extra> extra;
  Boxed<Extra> index_extra;
  Boxed<Extra> value_extra;
};

/// Smallest and largest value per component, as the file states them.
struct StreamBounds {
  std::vector<double> min;
  std::vector<double> max;
};

/// glTF accessor.
struct Stream {
  ViewId view = no_view;  ///< no_view: all zeros but for the sparse substitution
  std::uint64_t offset = 0;
  std::uint64_t count = 0;
  ComponentType component = ComponentType::f32;
  ElementType element = ElementType::scalar;
  bool normalized = false;
  std::uint32_t spelled = 0;  ///< for the writer: which defaults the file spelled out
  std::string name;
  Boxed<StreamBounds> bounds;
  Boxed<SparseSubstitution> sparse;
  Boxed<Extra> extra;
};

}  // namespace wakuzume
