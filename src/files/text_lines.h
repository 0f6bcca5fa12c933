// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#pragma once

#include <algorithm>
#include <charconv>
#include <cstddef>
#include <string>
#include <string_view>

/// Reading text files line by line and word by word.
namespace wakuzume {

inline constexpr std::string_view blanks = " \t\r\v\f";

inline std::string_view trim_blanks(std::string_view text) {
  const std::size_t first = text.find_first_not_of(blanks);
  const std::size_t last = text.find_last_not_of(blanks);
  return first == std::string_view::npos ? std::string_view()
                                         : text.substr(first, last - first + 1);
}

/// Takes the first word off a text; empty when none is left. \param gaps  what lies between words
inline std::string_view take_word(std::string_view& text, std::string_view gaps = blanks) {
  const std::size_t first = text.find_first_not_of(gaps);
  if (first == std::string_view::npos) {
    text = {};
    return {};
  }
  const std::size_t end = std::min(text.find_first_of(gaps, first), text.size());
  const std::string_view word = text.substr(first, end - first);
  text.remove_prefix(end);
  return word;
}

/// The beginning of a text that may be long, for messages; whole characters of UTF-8.
inline std::string_view begin_of(std::string_view text) {
  constexpr std::size_t longest = 40;
  std::size_t end = std::min(text.size(), longest);
  while (end < text.size() && end > 0 && (static_cast<unsigned char>(text[end]) & 0xC0U) == 0x80U) {
    --end;
  }
  return text.substr(0, end);
}

/// The whole word as a number.
template <class Number>
bool parse_number(std::string_view word, Number& out) {
  if (word.starts_with('+')) {
    word.remove_prefix(1);
  }
  const auto read = std::from_chars(word.data(), word.data() + word.size(), out);
  return !word.empty() && read.ec == std::errc() && read.ptr == word.data() + word.size();
}

/// Lines without their ends; one that ends in a backslash goes on in the next.
class LineReader {
 public:
  explicit LineReader(std::string_view text) : text_(text) {}

  /// \return false at the end
  bool next(std::string_view& line) {
    if (text_.empty()) {
      return false;
    }
    line = take();
    if (!line.ends_with('\\')) {
      return true;
    }
    joined_.clear();
    while (line.ends_with('\\')) {
      joined_ += line.substr(0, line.size() - 1);
      joined_ += ' ';
      line = text_.empty() ? std::string_view() : take();
    }
    joined_ += line;
    line = joined_;
    return true;
  }
  /// Of the line that was read last, from 1 on.
  [[nodiscard]] std::size_t number() const { return number_; }

 private:
  std::string_view take() {
    const std::size_t end = std::min(text_.find('\n'), text_.size());
    std::string_view line = text_.substr(0, end);
    text_.remove_prefix(std::min(end + 1, text_.size()));
    ++number_;
    if (line.ends_with('\r')) {
      line.remove_suffix(1);
    }
    return line;
  }

  std::string_view text_;
  std::string joined_;
  std::size_t number_ = 0;
};

}  // namespace wakuzume
