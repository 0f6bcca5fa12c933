// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#pragma once

#include <cstdint>
#include <string>

#include "wakuzume/words.h"

/// Sizes and names as people read them, for output that is 100 columns wide.
namespace wakuzume::cli {

inline constexpr std::size_t page_columns = 100;

/// "512 B", "1.5 KiB".
std::string to_size(std::uint64_t bytes);
/// No more than `width` characters, with "..." where something went.
std::string cut(const std::string& text, std::size_t width);
/// Characters, not bytes, of UTF-8.
std::size_t count_characters(const std::string& text);
/// Filled up with spaces on the right to `width` characters.
std::string pad(const std::string& text, std::size_t width);

}  // namespace wakuzume::cli
