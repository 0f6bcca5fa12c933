// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#pragma once

#include <simdjson.h>

#include <cmath>
#include <cstdint>
#include <optional>
#include <string>
#include <string_view>

#include "wakuzume/bytes.h"
#include "wakuzume/ids.h"
#include "wakuzume/result.h"

/// Checked reading of JSON in one pass, with a JSON pointer to whatever is wrong.
namespace wakuzume {

using JsonValue = simdjson::ondemand::value;

/// Where the reader is: a list on the stack, turned into text only when something is wrong.
struct At {
  const At* up = nullptr;
  std::string_view key;  ///< unless it is an element
  std::size_t element = static_cast<std::size_t>(-1);
};
std::string to_pointer(const At& at);

/// Reads values and keeps the first error. Every function returns false once there is one.
class JsonIn {
 public:
  [[nodiscard]] const std::optional<Error>& error() const { return error_; }
  bool fail(ErrorCode code, const At& at, std::string message);

  bool read(JsonValue value, const At& at, double& out);
  bool read(JsonValue value, const At& at, bool& out);
  bool read(JsonValue value, const At& at, std::string& out);
  bool read(JsonValue value, const At& at, std::uint64_t& out);
  bool read(JsonValue value, const At& at, std::uint32_t& out);
  bool read(JsonValue value, const At& at, std::vector<std::string>& out);
  bool read(JsonValue value, const At& at, std::vector<double>& out);
  template <std::size_t n>
  bool read(JsonValue value, const At& at, std::array<double, n>& out) {
    std::size_t count = 0;
    const bool good = array(value, at, [&](JsonValue item, const At& item_at) {
      return count < n ? read(item, item_at, out[count++]) : wrong_length(at, n);
    });
    return good && (count == n || wrong_length(at, n));
  }
  /// A whole number below 2^32 - 1 as a handle.
  template <class Id>
  requires(std::is_enum_v<Id>) bool read(JsonValue value, const At& at, Id& out) {
    std::uint32_t number = 0;
    if (!read(value, at, number)) {
      return false;
    }
    out = Id{number};
    return number != no_index || fail(ErrorCode::index_out_of_range, at, "4294967295 is no index");
  }
  template <class Id>
  requires(std::is_enum_v<Id> || std::is_same_v<Id, std::uint32_t>) bool read(
      JsonValue value, const At& at, std::vector<Id>& out) {
    return array(value, at, [&](JsonValue item, const At& item_at) {
      return read(item, item_at, out.emplace_back());
    });
  }

  /// The value's own text. Its syntax is checked to the last scalar.
  bool read_raw(JsonValue value, const At& at, std::string& out);

  /// Calls `member(key, value, at)` for each member.
  template <class Member>
  bool object(JsonValue value, const At& at, const Member& member) {
    simdjson::ondemand::object object;
    if (const auto code = value.get_object().get(object); code != simdjson::SUCCESS) {
      return wrong(code, at, "an object");
    }
    return members(object, at, member);
  }
  template <class Member>
  bool members(simdjson::ondemand::object& object, const At& at, const Member& member) {
    for (auto field : object) {
      std::string_view key;
      JsonValue value;
      if (auto code = field.unescaped_key().get(key); code != simdjson::SUCCESS) {
        return wrong(code, at, "a member");
      }
      if (auto code = field.value().get(value); code != simdjson::SUCCESS) {
        return wrong(code, at, "a value");
      }
      if (!member(key, value, At{&at, key})) {
        return false;
      }
    }
    return true;
  }
  /// Calls `item(value, at)` for each element.
  template <class Item>
  bool array(JsonValue value, const At& at, const Item& item) {
    simdjson::ondemand::array array;
    if (const auto code = value.get_array().get(array); code != simdjson::SUCCESS) {
      return wrong(code, at, "an array");
    }
    return elements(array, at, item);
  }
  template <class Item>
  bool elements(simdjson::ondemand::array& array, const At& at, const Item& item) {
    std::size_t index = 0;
    for (auto element : array) {
      JsonValue inner;
      const At inner_at{&at, {}, index++};
      if (const auto code = element.get(inner); code != simdjson::SUCCESS) {
        return wrong(code, inner_at, "a value");
      }
      if (!item(inner, inner_at)) {
        return false;
      }
    }
    return true;
  }
  /// \return false always: the value is not `wanted`, or the text is no JSON there
  bool wrong(simdjson::error_code code, const At& at, const char* wanted);

 private:
  bool wrong_length(const At& at, std::size_t wanted);
  bool walk(JsonValue value, const At& at, int depth);

  std::optional<Error> error_;
};

/// True when nothing but white space follows what was read of a document.
inline bool at_end(simdjson::ondemand::document& document) {
  return document.current_location().error() != simdjson::SUCCESS;
}

/// JSON text where simdjson may read a little beyond the end, as it does.
class PaddedText {
 public:
  /// \param text  part of `file`, which map_file made
  /// No copy is made where enough of the file, or of its last page, follows the text.
  PaddedText(const Bytes& text, const Bytes& file);

  [[nodiscard]] simdjson::padded_string_view view() const { return view_; }

 private:
  simdjson::padded_string copy_;
  simdjson::padded_string_view view_;
};

}  // namespace wakuzume
