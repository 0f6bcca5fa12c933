// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include "files/text_encoding.h"

#include <iconv.h>
#include <simdjson.h>

#include <algorithm>
#include <array>
#include <cerrno>

namespace wakuzume {
namespace {

constexpr std::string_view utf8_mark = "\xEF\xBB\xBF";

void append_latin1(std::string_view text, std::string& out) {
  for (const char c : text) {
    const auto byte = static_cast<unsigned char>(c);
    if (byte < 0x80) {
      out += c;
    } else {
      out += static_cast<char>(0xC0U | byte >> 6U);
      out += static_cast<char>(0x80U | (byte & 0x3FU));
    }
  }
}

/// What can't be converted, half of a pair or a last odd byte, is left out.
std::string convert_utf16(std::string_view text, const char* encoding) {
  std::string out;
  iconv_t converter = ::iconv_open("UTF-8", encoding);
  std::string copy(text);  // iconv wants to write where it reads
  char* from = copy.data();
  std::size_t left = copy.size();
  std::array<char, 4096> piece{};
  while (left >= 2) {
    char* to = piece.data();
    std::size_t room = piece.size();
    const std::size_t done = ::iconv(converter, &from, &left, &to, &room);
    out.append(piece.data(), piece.size() - room);
    if (done == static_cast<std::size_t>(-1) && errno != E2BIG) {
      const std::size_t bad = std::min<std::size_t>(left, 2);
      from += bad;
      left -= bad;
    }
  }
  ::iconv_close(converter);
  return out;
}

}  // namespace

bool is_utf8(std::string_view text) { return simdjson::validate_utf8(text.data(), text.size()); }

std::string to_utf8(std::string_view text) {
  if (is_utf8(text)) {
    return std::string(text);
  }
  std::string out;
  append_latin1(text, out);
  return out;
}

std::string_view decode_text(std::string_view text, std::string& storage) {
  if (text.starts_with("\xFF\xFE") || text.starts_with("\xFE\xFF")) {
    const char* encoding = text.front() == '\xFF' ? "UTF-16LE" : "UTF-16BE";
    storage = convert_utf16(text.substr(2), encoding);
    return storage;
  }
  if (text.starts_with(utf8_mark)) {
    text.remove_prefix(utf8_mark.size());
  }
  if (is_utf8(text)) {
    return text;
  }
  storage.clear();
  storage.reserve(text.size() + text.size() / 8);
  while (!text.empty()) {
    const std::size_t end = std::min(text.find('\n'), text.size() - 1) + 1;
    const std::string_view line = text.substr(0, end);
    if (is_utf8(line)) {
      storage += line;
    } else {
      append_latin1(line, storage);
    }
    text.remove_prefix(end);
  }
  return storage;
}

}  // namespace wakuzume
