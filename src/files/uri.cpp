// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include "files/uri.h"

#include <fmt/format.h>

#include <array>
#include <cctype>
#include <cstdint>
#include <filesystem>

#include "scene/percent.h"

namespace wakuzume {
namespace {

constexpr std::string_view alphabet =
    "ABCDEFGHIJKLMNOPQRSTUVWXYZabcdefghijklmnopqrstuvwxyz0123456789+/";

Failure bad_uri(ErrorCode code, std::string message) {
  return Failure(Error{code, std::move(message), {}});
}

/// RFC 4648 base64, padding optional.
Result<std::vector<std::byte>> decode_base64(std::string_view text) {
  std::array<std::int8_t, 256> value{};
  value.fill(-1);
  for (std::size_t i = 0; i < alphabet.size(); ++i) {
    value[static_cast<unsigned char>(alphabet[i])] = static_cast<std::int8_t>(i);
  }
  while (!text.empty() && text.back() == '=') {
    text.remove_suffix(1);
  }
  std::vector<std::byte> out;
  out.reserve(text.size() * 3 / 4);
  std::uint32_t bits = 0;
  unsigned count = 0;
  for (const char c : text) {
    const std::int8_t digit = value[static_cast<unsigned char>(c)];
    if (digit < 0) {
      return bad_uri(ErrorCode::bad_value,
                     fmt::format("the data URI holds a character (code {}) that is no base64",
                                 static_cast<int>(static_cast<unsigned char>(c))));
    }
    bits = bits << 6U | static_cast<std::uint32_t>(digit);
    count += 6;
    if (count >= 8) {
      count -= 8;
      out.push_back(static_cast<std::byte>(bits >> count & 0xFFU));
    }
  }
  return out;
}

}  // namespace

bool is_data_uri(std::string_view uri) { return uri.starts_with("data:"); }

Result<DataUri> parse_data_uri(std::string_view uri) {
  const std::size_t comma = uri.find(',');
  constexpr std::string_view marker = ";base64";
  if (comma == std::string_view::npos || !uri.substr(0, comma).ends_with(marker)) {
    return bad_uri(ErrorCode::bad_value, "a data URI must read data:TYPE;base64,DATA");
  }
  auto bytes = decode_base64(uri.substr(comma + 1));
  if (!bytes) {
    return Failure(bytes.error());
  }
  return DataUri{std::string(uri.substr(5, comma - marker.size() - 5)),
                 make_bytes(std::move(*bytes))};
}

std::string make_data_uri(std::string_view mime_type, const Bytes& bytes) {
  std::string out = fmt::format("data:{};base64,", mime_type);
  const auto data = bytes.data();
  out.reserve(out.size() + (data.size() + 2) / 3 * 4);
  for (std::size_t i = 0; i < data.size(); i += 3) {
    std::uint32_t bits = 0;
    for (std::size_t b = 0; b < 3; ++b) {
      bits = bits << 8U | (i + b < data.size() ? static_cast<std::uint32_t>(data[i + b]) : 0U);
    }
    for (unsigned digit = 0; digit < 4; ++digit) {
      out += i + digit <= data.size() ? alphabet[bits >> (18 - 6 * digit) & 63U] : '=';
    }
  }
  return out;
}

Result<std::string> make_relative_path(std::string_view uri) {
  const std::filesystem::path path = std::filesystem::path(decode_percent(uri)).lexically_normal();
  const std::size_t colon = uri.find(':');
  const bool scheme = colon != std::string_view::npos && uri.find('/') > colon;
  if (uri.empty() || scheme || path.is_absolute() || *path.begin() == ".." || path == "." ||
      path.string().find('\0') != std::string::npos || !path.has_filename()) {
    return bad_uri(ErrorCode::unsafe_path,
                   fmt::format("'{}' is not a file below the scene's folder", uri));
  }
  return path.string();
}

std::string make_uri(std::string_view path) {
  std::string out;
  for (const char c : path) {
    const bool plain = std::isalnum(static_cast<unsigned char>(c)) != 0 ||
                       std::string_view("-._~/").find(c) != std::string_view::npos;
    out += plain ? std::string(1, c)
                 : fmt::format("%{:02X}", static_cast<unsigned>(static_cast<unsigned char>(c)));
  }
  return out;
}

}  // namespace wakuzume
