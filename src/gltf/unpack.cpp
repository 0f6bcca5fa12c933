// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include <fmt/format.h>

#include <algorithm>
#include <optional>

#include "gltf/packed_parts.h"
#include "scene/first_error.h"
#include "scene/running.h"

namespace wakuzume {
namespace {

class Unpacker {
 public:
  Unpacker(const PackedParts& packed, const ReadLimits& limits, const RunControl& run, Scene& scene)
      : packed_(packed), limits_(limits), run_(run), scene_(scene) {}

  Result<void> run() {
    for (const PackedView& view : packed_.views) {
      if (auto done = place(view); !done) {
        return done;
      }
    }
    if (size_ > limits_.max_unpacked_bytes) {
      return Failure(Error{ErrorCode::too_large,
                           fmt::format("packed streams become {} bytes; the limit is {}", size_,
                                       limits_.max_unpacked_bytes),
                           {"", "/bufferViews"}});
    }
    return places_.empty() ? Result<void>() : unpack();
  }

 private:
  struct Place {
    const PackedView* view = nullptr;
    std::uint64_t offset = 0;  ///< in the new block
  };

  static std::string find_place(const PackedView& view) {
    return fmt::format("/bufferViews/{}/extensions/{}", to_index(view.view), packed_extension);
  }
  static Failure placed(Error error, const PackedView& view) {
    error.place.pointer = find_place(view);
    return Failure(std::move(error));
  }
  template <class... Values>
  static Failure wrong(const PackedView& view,
                       ErrorCode code,
                       fmt::format_string<Values...> text,
                       Values&&... values) {
    return placed({code, fmt::format(text, std::forward<Values>(values)...), {}}, view);
  }

  /// Checks all that is declared and finds room for what it becomes. What has plain bytes of its
  /// own stays as it is.
  Result<void> place(const PackedView& packed) {
    const BlockView& view = scene_[packed.view];
    const std::size_t blocks = scene_.blocks.size();
    for (const BlockId block : {packed.block, view.block}) {
      if (to_index(block) >= blocks) {
        return wrong(packed, ErrorCode::index_out_of_range, "buffer {} of {}", to_index(block),
                     blocks);
      }
    }
    if (!packed_.stands_in[to_index(view.block)]) {
      return {};
    }
    const PackLayout& layout = packed.layout;
    if (auto good = check_layout(layout); !good) {
      return placed(good.error(), packed);
    }
    const std::uint64_t size = layout.count * layout.stride;
    if (size != view.length) {
      return wrong(packed, ErrorCode::bad_value,
                   "{} elements of {} bytes are unpacked, the bufferView has {} bytes",
                   layout.count, layout.stride, view.length);
    }
    if (view.stride != 0 && view.stride != layout.stride) {
      return wrong(packed, ErrorCode::bad_value, "the stride is {}, that of the bufferView {}",
                   layout.stride, view.stride);
    }
    const std::uint64_t held = scene_[packed.block].bytes.size();
    if (packed.offset > held || packed.length > held - packed.offset) {
      return wrong(packed, ErrorCode::out_of_bounds, "bytes {} + {} of a buffer of {}",
                   packed.offset, packed.length, held);
    }
    if (packed.length < find_least_packed(layout)) {
      return wrong(packed, ErrorCode::bad_value, "{} bytes can't hold {} elements of {} bytes",
                   packed.length, layout.count, layout.stride);
    }
    places_.push_back({&packed, size_});
    size_ += (size + plain_alignment - 1) / plain_alignment * plain_alignment;
    return {};
  }

  Result<void> unpack() {
    std::vector<std::byte> bytes(size_);
    std::vector<std::optional<Error>> errors(places_.size());
    const bool done = for_each_index(places_.size(), run_, "unpacking", [&](std::size_t i) {
      const PackedView& view = *places_[i].view;
      const PackLayout& layout = view.layout;
      const auto packed = scene_[view.block].bytes.data().subspan(view.offset, view.length);
      const auto out = std::span(bytes).subspan(places_[i].offset, layout.count * layout.stride);
      if (auto good = unpack_stream(packed, layout, out); !good) {
        errors[i] = good.error();
      }
    });
    if (!done) {
      return Failure(make_cancelled());
    }
    for (std::size_t i = 0; i < errors.size(); ++i) {
      if (errors[i]) {
        return placed(*errors[i], *places_[i].view);
      }
    }
    for (const Place& place : places_) {
      BlockView& view = scene_.views[to_index(place.view->view)];
      view.block = make_id<BlockId>(scene_.blocks.size());
      view.offset = place.offset;
    }
    scene_.blocks.emplace_back().bytes = make_bytes(std::move(bytes));
    return {};
  }

  const PackedParts& packed_;
  const ReadLimits& limits_;
  const RunControl& run_;
  Scene& scene_;
  std::vector<Place> places_;
  std::uint64_t size_ = 0;
};

/// Blocks that held compressed bytes, or stood in for plain ones, and are shown by no view now.
void drop_packed_blocks(const std::vector<bool>& held, Scene& scene) {
  std::vector<bool> shown(scene.blocks.size(), false);
  for (const BlockView& view : scene.views) {
    if (to_index(view.block) < shown.size()) {
      shown[to_index(view.block)] = true;
    }
  }
  std::vector<BlockId> number(scene.blocks.size(), no_block);
  std::size_t kept = 0;
  for (std::size_t b = 0; b < scene.blocks.size(); ++b) {
    if (shown[b] || b >= held.size() || !held[b]) {
      number[b] = make_id<BlockId>(kept);
      if (kept != b) {
        scene.blocks[kept] = std::move(scene.blocks[b]);
      }
      ++kept;
    }
  }
  scene.blocks.resize(kept);
  for (BlockView& view : scene.views) {
    if (to_index(view.block) < number.size()) {
      view.block = number[to_index(view.block)];
    }
  }
}

}  // namespace

Result<void> unpack_parts(const PackedParts& packed,
                          const ReadLimits& limits,
                          const RunControl& run,
                          Scene& scene) {
  if (packed.empty()) {
    return {};
  }
  std::vector<bool> held = packed.stands_in;
  if (auto done = Unpacker(packed, limits, run, scene).run(); !done) {
    return done;
  }
  for (const PackedView& view : packed.views) {
    held[to_index(view.block)] = true;
  }
  for (const DracoPrimitive& drawn : packed.drawn) {
    if (to_index(drawn.view) < scene.views.size() &&
        to_index(scene[drawn.view].block) < held.size()) {
      held[to_index(scene[drawn.view].block)] = true;
    }
  }
  if (auto done = unpack_draco(packed.drawn, limits, run, scene); !done) {
    return done;
  }
  drop_packed_blocks(held, scene);
  return {};
}

}  // namespace wakuzume
