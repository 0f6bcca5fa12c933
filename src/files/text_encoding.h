// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#pragma once

#include <string>
#include <string_view>

/// Texts and names of unknown encoding, as UTF-8.
namespace wakuzume {

bool is_utf8(std::string_view text);

/// As it is where it is UTF-8, else read as Latin-1, which any bytes are. \cost O(bytes)
std::string to_utf8(std::string_view text);

/// A whole file as UTF-8: UTF-16 by its byte order mark; else line by line, since files are put
/// together from several. The result refers to `text` or to `storage`, and has no mark.
std::string_view decode_text(std::string_view text, std::string& storage);

}  // namespace wakuzume
