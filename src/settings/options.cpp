// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include <fmt/format.h>

#include <charconv>

#include "settings/fields.h"

namespace wakuzume {
namespace {

template <class T>
void describe(SettingOption& out) {
  if constexpr (std::is_enum_v<T>) {
    out.words.assign(Words<T>::list.begin(), Words<T>::list.end());
  } else if constexpr (std::is_same_v<T, std::vector<std::string>>) {
    out.repeats = true;
  } else if (out.value.empty()) {
    out.value = std::is_same_v<T, double>        ? "FLOAT"
                : std::is_same_v<T, std::string> ? "TEXT"
                                                 : "UINT";
  }
}

bool take(const std::string& text, std::string& out) {
  out = text;
  return true;
}
template <class Number>
requires(std::is_arithmetic_v<Number>) bool take(const std::string& text, Number& out) {
  Number number = 0;
  const char* const end = text.data() + text.size();
  const auto read = std::from_chars(text.data(), end, number);
  const bool whole = read.ec == std::errc() && read.ptr == end;
  out = whole ? number : out;
  return whole;
}
/// Boxes stand in the file alone.
bool take(const std::string&, std::vector<Box3d>&) { return false; }
template <class Word>
requires(std::is_enum_v<Word>) bool take(const std::string& text, Word& out) {
  return from_text(text, out);
}

}  // namespace

std::vector<SettingOption> list_setting_options() {
  std::vector<SettingOption> out;
  const Settings defaults;
  for_each_setting(defaults, [&](const char* table, const char* key, const auto& member,
                                 const Meaning& meaning) {
    if (meaning.option != nullptr) {
      SettingOption option{
          table, key,  meaning.option, meaning.help, meaning.value == nullptr ? "" : meaning.value,
          {},    false};
      describe<std::remove_cvref_t<decltype(member)>>(option);
      out.push_back(std::move(option));
    }
  });
  return out;
}

Result<void> assign(Settings& settings,
                    const std::string& option,
                    const std::vector<std::string>& values) {
  Result<void> done = Failure(
      Error{ErrorCode::bad_setting, fmt::format("{} is no option of a setting", option), {}});
  for_each_setting(settings, [&](const char* table, const char*, auto& member,
                                 const Meaning& meaning) {
    if (meaning.option == nullptr || option != meaning.option) {
      return;
    }
    done = {};
    if constexpr (std::is_same_v<std::remove_cvref_t<decltype(member)>, std::vector<std::string>>) {
      // Of routes and scales the first that matches counts; rules go beside those there are.
      const bool before =
          std::string_view(table) == "materials" || std::string_view(table) == "survey";
      member.insert(member.begin(), values.begin(), values.end());
      member.resize(before ? member.size() : values.size());
    } else if (values.size() != 1 || !take(values.front(), member)) {
      done = Failure(Error{ErrorCode::bad_setting,
                           fmt::format("{}: '{}' is none of its values. It is the {}", option,
                                       fmt::join(values, " "), meaning.text),
                           {}});
    }
  });
  return done;
}

}  // namespace wakuzume
