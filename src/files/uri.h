// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#pragma once

#include <string>
#include <string_view>

#include "wakuzume/bytes.h"
#include "wakuzume/result.h"

/// URIs of buffers and images (RFC 3986): data URIs and relative paths, nothing else.
namespace wakuzume {

struct DataUri {
  std::string mime_type;
  Bytes bytes;
};

bool is_data_uri(std::string_view uri);
/// \error bad_value  not base64, or wrong in it
Result<DataUri> parse_data_uri(std::string_view uri);
std::string make_data_uri(std::string_view mime_type, const Bytes& bytes);

/// The path below the scene's folder that a relative URI names, percent-decoded.
/// \error unsafe_path  absolute, with a scheme, or leading out of the folder
Result<std::string> make_relative_path(std::string_view uri);
/// A path as a URI: what is not unreserved is percent-encoded, slashes stay.
std::string make_uri(std::string_view path);

}  // namespace wakuzume
