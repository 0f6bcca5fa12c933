// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#pragma once

#include <fmt/format.h>
#include <toml++/toml.h>

#include <array>
#include <cmath>
#include <cstdint>
#include <optional>
#include <string>
#include <type_traits>
#include <vector>

#include "wakuzume/geometry.h"
#include "wakuzume/result.h"

/// Checked reading of TOML: values of the right kind, and errors with file and line.
namespace wakuzume {

class TomlIn {
 public:
  explicit TomlIn(std::string name) : name_(std::move(name)) {}

  [[nodiscard]] const std::optional<Error>& error() const { return error_; }

  /// Reads a value; one of another kind is an error that names the key and what it means.
  template <class T>
  void read(const toml::node& node, const std::string& key, const char* meaning, T& out) {
    if (!error_ && !take(node, out)) {
      fail(node, fmt::format("{} has a value of the wrong kind or out of range. It is the {}", key,
                             meaning));
    }
  }

  void fail(const toml::node& node, std::string message) {
    if (!error_) {
      error_ = Error{ErrorCode::bad_setting,
                     std::move(message),
                     {name_, fmt::format("line {}", node.source().begin.line)}};
    }
  }
  void fail(Error error) {
    if (!error_) {
      error.place.file = name_;
      error_ = std::move(error);
    }
  }

 private:
  static bool take(const toml::node& node, std::vector<std::string>& out) {
    const toml::array* list = node.as_array();
    out.clear();
    if (list == nullptr) {
      return false;
    }
    for (const toml::node& item : *list) {
      const auto text = item.value_exact<std::string>();
      if (!text) {
        return false;
      }
      out.push_back(*text);
    }
    return true;
  }
  static bool take(const toml::node& node, std::string& out) {
    const auto text = node.value_exact<std::string>();
    out = text.value_or("");
    return text.has_value();
  }
  static bool take(const toml::node& node, bool& out) {
    const auto flag = node.value_exact<bool>();
    out = flag.value_or(false);
    return flag.has_value();
  }
  static bool take(const toml::node& node, std::uint32_t& out) {
    const auto number = node.value_exact<std::int64_t>();
    out = static_cast<std::uint32_t>(number.value_or(0));
    return number && *number >= 0 && *number <= 0xFFFF'FFFFLL;
  }
  static bool take(const toml::node& node, double& out) {
    const auto number = node.value<double>();
    out = number.value_or(0);
    return number && std::isfinite(*number);
  }
  static bool take(const toml::node& node, std::array<double, 3>& out) {
    const toml::array* list = node.as_array();
    return list != nullptr && list->size() == 3 && take((*list)[0], out[0]) &&
           take((*list)[1], out[1]) && take((*list)[2], out[2]);
  }
  static bool take(const toml::node& node, std::vector<Box3d>& out) {
    const toml::array* list = node.as_array();
    out.clear();
    for (std::size_t b = 0; list != nullptr && b < list->size(); ++b) {
      const toml::array* box = (*list)[b].as_array();
      if (box == nullptr || box->size() != 6) {
        return false;
      }
      out.emplace_back();
      for (std::size_t k = 0; k < 3; ++k) {
        if (!take((*box)[k], out.back().min[k]) || !take((*box)[k + 3], out.back().max[k])) {
          return false;
        }
      }
    }
    return list != nullptr;
  }
  template <class Word>
  requires(std::is_enum_v<Word>) static bool take(const toml::node& node, Word& out) {
    return from_text(node.value_exact<std::string>().value_or(""), out);
  }

  std::string name_;
  std::optional<Error> error_;
};

/// Parses, and hands the root to `read(root)`; syntax errors come with their line.
template <class T, class Read>
Result<T> parse_toml(std::string_view text, const std::string& name, const Read& read) {
  try {
    const toml::table root = toml::parse(text);
    return read(root);
  } catch (const toml::parse_error& problem) {
    return Failure(Error{ErrorCode::bad_setting,
                         std::string(problem.description()),
                         {name, fmt::format("line {}", problem.source().begin.line)}});
  }
}

}  // namespace wakuzume
