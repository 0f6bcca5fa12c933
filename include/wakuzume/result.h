// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#pragma once

#include <cstdint>
#include <string>
#include <string_view>
#include <tl/expected.hpp>

/// How the library reports what went wrong with data. Nothing here throws or prints.
namespace wakuzume {

/// Stable across versions: tests and scripts may rely on the names that to_string gives.
enum class ErrorCode : std::uint8_t {
  cannot_open,         ///< a file is missing or may not be read
  cannot_write,        ///< a target can't be created, filled or renamed
  not_supported,       ///< valid, but asks for something this version can't do
  bad_container,       ///< a .glb header or chunk is wrong or cut short
  bad_json,            ///< not JSON at all
  bad_type,            ///< a JSON value of the wrong type
  bad_value,           ///< a value outside what the standard allows
  missing_member,      ///< a required member is absent
  index_out_of_range,  ///< a reference beyond the end of its table
  out_of_bounds,       ///< bytes wanted beyond the end of a buffer or view
  node_cycle,          ///< the node graph is not a forest
  unsafe_path,         ///< a URI that leaves the scene's folder
  bad_image,           ///< an image that can't be decoded
  too_large,           ///< above a limit from the settings or of a format
  bad_setting,         ///< a settings file or option with an unknown key or a value out of range
  plan_mismatch,       ///< a plan or ledger made for another scene
  plan_invalid,        ///< a plan that misses, repeats or wrongly groups draws
  cancelled,           ///< the observer asked to stop
  cannot_render,       ///< nothing to draw with, or a driver that refuses
};

std::string_view to_string(ErrorCode code);

/// Where in the input it happened.
struct Place {
  std::string file;     ///< path as the caller gave it; empty for values in memory
  std::string pointer;  ///< JSON pointer (RFC 6901), "line N" in other text, or empty
};

struct Error {
  ErrorCode code = ErrorCode::bad_value;
  std::string message;  ///< what was found, what was expected, what to do
  Place place;
};

/// One line: file, place, message. Ends without a newline.
std::string to_string(const Error& error);

template <class T>
using Result = tl::expected<T, Error>;
using Failure = tl::unexpected<Error>;

}  // namespace wakuzume
