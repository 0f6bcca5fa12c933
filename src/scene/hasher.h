// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#pragma once

#include <array>
#include <span>
#include <string_view>
#include <type_traits>
#include <vector>

// NOLINTNEXTLINE(readability-identifier-naming): the name that xxHash asks for
#define XXH_INLINE_ALL
#include <xxhash.h>

#include "wakuzume/scene.h"

namespace wakuzume {

inline ContentHash hash_bytes(std::span<const std::byte> bytes) {
  const XXH128_hash_t hash = XXH3_128bits(bytes.data(), bytes.size());
  return {hash.high64, hash.low64};
}

/// Feeds plain values to XXH3-128 (xxHash, Y. Collet). Texts and lists go in with their length.
class ValueHasher {
 public:
  ValueHasher() { XXH3_128bits_reset(&state_); }

  template <class T>
  requires(std::is_arithmetic_v<T> || std::is_enum_v<T>) void add(const T& value) {
    XXH3_128bits_update(&state_, &value, sizeof value);
  }
  template <class T, std::size_t n>
  void add(const std::array<T, n>& values) {
    XXH3_128bits_update(&state_, values.data(), sizeof values);
  }
  void add(std::string_view text) {
    add(text.size());
    XXH3_128bits_update(&state_, text.data(), text.size());
  }
  void add(const ContentHash& hash) {
    add(hash.high);
    add(hash.low);
  }

  [[nodiscard]] ContentHash finish() const {
    const XXH128_hash_t hash = XXH3_128bits_digest(&state_);
    return {hash.high64, hash.low64};
  }

 private:
  XXH3_state_t state_{};
};

/// Order of hashes, for maps and sorting.
struct LessHash {
  bool operator()(const ContentHash& a, const ContentHash& b) const {
    return a.high != b.high ? a.high < b.high : a.low < b.low;
  }
};

}  // namespace wakuzume
