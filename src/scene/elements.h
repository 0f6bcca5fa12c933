// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#pragma once

#include <cstddef>
#include <cstdint>
#include <span>
#include <vector>

#include "wakuzume/scene.h"

/// Raw access to the elements of checked streams.
namespace wakuzume {

struct ElementSpan {
  const std::byte* data = nullptr;  ///< first element; lives as long as the scene's blocks
  std::size_t stride = 0;           ///< bytes
  std::size_t count = 0;
};

/// \pre the stream has a view and passed check_scene
ElementSpan make_element_span(const Scene& scene, const Stream& stream);
const std::byte* make_view_bytes(const Scene& scene, ViewId view);
/// Random access to single elements, sparse substitutions included: O(1), or O(log n) with them.
/// Lives no longer than the scene.
class ElementReader {
 public:
  ElementReader(const Scene& scene, StreamId stream);

  /// The element's bytes, or null where the stream holds zeros.
  [[nodiscard]] const std::byte* find(std::uint32_t element) const;
  /// Components as doubles into `out`, which has room for component_count(element type).
  void load(std::uint32_t element, double* out) const;
  [[nodiscard]] std::uint32_t index(std::uint32_t element) const;  ///< of an index stream
  [[nodiscard]] const Stream& stream() const { return *stream_; }
  [[nodiscard]] std::uint32_t width() const { return width_; }

 private:
  const Stream* stream_;
  ElementSpan span_;
  std::uint32_t width_;
  bool floats_ = false;                       ///< components are, and lie one after the other
  std::vector<std::uint32_t> sparse_at_;      ///< ascending
  const std::byte* sparse_values_ = nullptr;  ///< tightly packed
};

/// All components of a stream of floats that lie one after the other; empty where they do not, or
/// where some are substituted.
std::span<const float> find_packed_floats(const Scene& scene, StreamId stream);

/// Calls `visit(span)` with the numbers of an index stream as they lie in memory, unsigned of 8, 16
/// or 32 bits. \return false, without a call, where they are strided, misaligned or substituted
template <class Visit>
bool visit_packed_integers(const Scene& scene, StreamId id, const Visit& visit) {
  const Stream& stream = scene[id];
  if (stream.view == no_view || stream.sparse) {
    return false;
  }
  const ElementSpan span = make_element_span(scene, stream);
  const std::uint32_t size = component_bytes(stream.component);
  if (span.stride != size || reinterpret_cast<std::uintptr_t>(span.data) % size != 0) {
    return false;
  }
  switch (size) {
    case 1:
      visit(std::span(reinterpret_cast<const std::uint8_t*>(span.data), span.count));
      break;
    case 2:
      visit(std::span(reinterpret_cast<const std::uint16_t*>(span.data), span.count));
      break;
    default:
      visit(std::span(reinterpret_cast<const std::uint32_t*>(span.data), span.count));
  }
  return true;
}

/// Unsigned scalars of 8, 16 or 32 bits as 32, with the sparse substitution applied.
std::vector<std::uint32_t> make_integers(const Scene& scene, StreamId stream);

}  // namespace wakuzume
