// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#pragma once

#include <cstddef>
#include <cstdint>
#include <cstring>
#include <memory>
#include <new>

#include "wakuzume/scene.h"

namespace wakuzume {

/// All new bytes of a build in one block. Ranges are reserved first, then the block is allocated
/// once, then the ranges are filled, by several threads if need be.
class GeometryBlock {
 public:
  /// \return offset of the range, a multiple of four
  std::uint64_t reserve(std::uint64_t bytes) {
    const std::uint64_t at = size_;
    size_ += (bytes + 3) / 4 * 4;
    return at;
  }
  /// \return false when there is no memory for it
  bool allocate() {
    data_ = std::shared_ptr<std::byte[]>(new (std::nothrow) std::byte[size_]);
    return data_ != nullptr;
  }
  /// Zeroes the padding behind a range of `bytes`, so that no byte of the block is left undefined.
  void close(std::uint64_t offset, std::uint64_t bytes) {
    std::memset(data_.get() + offset + bytes, 0, (bytes + 3) / 4 * 4 - bytes);
  }
  [[nodiscard]] std::byte* data(std::uint64_t offset) { return data_.get() + offset; }
  [[nodiscard]] std::uint64_t size() const { return size_; }
  [[nodiscard]] Bytes finish() const { return {data_, {data_.get(), size_}}; }

 private:
  std::uint64_t size_ = 0;
  std::shared_ptr<std::byte[]> data_;
};

/// Adds a view on `length` bytes of a block and a stream that covers it.
/// \param stride  written only where it differs from the packed element
inline StreamId add_stream(Scene& scene,
                           BlockId block,
                           std::uint64_t offset,
                           std::uint64_t length,
                           std::uint32_t target,
                           std::uint32_t stride,
                           Stream stream) {
  BlockView view;
  view.block = block;
  view.offset = offset;
  view.length = length;
  view.target = target;
  view.stride = stride == element_bytes(stream.component, stream.element) ? 0 : stride;
  stream.view = make_id<ViewId>(scene.views.size());
  scene.views.push_back(view);
  scene.streams.push_back(std::move(stream));
  return make_id<StreamId>(scene.streams.size() - 1);
}

}  // namespace wakuzume
