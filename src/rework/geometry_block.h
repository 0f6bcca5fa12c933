// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#pragma once

#include <cstddef>
#include <cstdint>
#include <cstring>
#include <memory>
#include <new>
#include <vector>

#if __has_include(<sys/mman.h>)
#include <sys/mman.h>
#endif

#include "wakuzume/scene.h"

/// Rework: what stages share that make a new scene of an old one. In: a scene and what is to
/// change; out: new vertex data in one block, nodes without what left them, tables without what
/// nobody uses.
namespace wakuzume {

/// A hint, no more.
inline void ask_for_large_pages([[maybe_unused]] void* data, [[maybe_unused]] std::size_t size) {
#ifdef MADV_HUGEPAGE
  ::madvise(data, size, MADV_HUGEPAGE);
#endif
}

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
    // Large pages where the system gives them: a block is written once, and the system's work of
    // handing out small ones took a third of the time.
    constexpr std::align_val_t large_page{std::size_t{1} << 21U};
    if (size_ < 8 * static_cast<std::size_t>(large_page)) {
      data_ = std::shared_ptr<std::byte[]>(new (std::nothrow) std::byte[size_]);
      return data_ != nullptr;
    }
    auto* const data = static_cast<std::byte*>(::operator new(size_, large_page, std::nothrow));
    if (data != nullptr) {
      data_ = std::shared_ptr<std::byte[]>(
          data, [](std::byte* old) { ::operator delete(old, large_page); });
      ask_for_large_pages(data, size_);
    }
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

/// Makes one block of those from `first` on: a .gltf file has a file a block.
/// \return false when there is no memory for it; then they stay apart
inline bool join_blocks(Scene& scene, std::size_t first) {
  if (scene.blocks.size() < first + 2) {
    return true;
  }
  GeometryBlock joined;
  std::vector<std::uint64_t> begins;
  for (std::size_t b = first; b < scene.blocks.size(); ++b) {
    begins.push_back(joined.reserve(scene.blocks[b].bytes.size()));
  }
  if (!joined.allocate()) {
    return false;
  }
  for (std::size_t b = first; b < scene.blocks.size(); ++b) {
    const auto from = scene.blocks[b].bytes.data();
    joined.close(begins[b - first], from.size());
    std::memcpy(joined.data(begins[b - first]), from.data(), from.size());
  }
  for (BlockView& view : scene.views) {
    if (view.block != no_block && to_index(view.block) >= first) {
      view.offset += begins[to_index(view.block) - first];
      view.block = make_id<BlockId>(first);
    }
  }
  scene.blocks.resize(first + 1);
  scene.blocks[first] = {};
  scene.blocks[first].bytes = joined.finish();
  return true;
}

}  // namespace wakuzume
