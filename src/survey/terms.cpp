// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include "survey/terms.h"

#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <charconv>
#include <optional>

#include "wakuzume/budget.h"

namespace wakuzume {
namespace {

/// Brackets in brackets: what people write has a few, what breaks a stack has thousands.
constexpr std::size_t deepest = 64;
constexpr std::string_view extra_prefix = "extras.";

std::optional<double> read_number(std::string_view text) {
  double number = 0;
  const char* const end = text.data() + text.size();
  const auto read = std::from_chars(text.data(), end, number);
  return !text.empty() && read.ec == std::errc() && read.ptr == end ? std::optional(number)
                                                                    : std::nullopt;
}

bool is_name_start(char c) { return (c >= 'a' && c <= 'z') || c == '_'; }
bool is_name_part(char c) {
  return is_name_start(c) || (c >= '0' && c <= '9') || (c >= 'A' && c <= 'Z') || c == '.' ||
         c == '-' || c == ':';
}
bool is_operator(char c) { return c == '=' || c == '!' || c == '<' || c == '>'; }

template <class T>
bool compare(const T& a, const std::string& op, const T& b) {
  return op == "="    ? a == b
         : op == "!=" ? a != b
         : op == "<"  ? a < b
         : op == "<=" ? a <= b
         : op == ">"  ? a > b
                      : a >= b;
}

}  // namespace

bool TermTest::holds(const Cell& cell) const {
  if (const double* value = std::get_if<double>(&cell)) {
    return compare(*value, op, number);
  }
  const std::string& value = std::get<std::string>(cell);
  const bool equality = op == "=" || op == "!=";
  if (const auto own = is_number ? read_number(value) : std::nullopt; own) {
    return compare(*own, op, number);
  }
  if (equality) {
    const bool hit = text.empty() ? value.empty() : glob.find(value) == 0;
    return hit == (op == "=");
  }
  return compare(value, op, text);
}

/// Goes through the text once, a function a level of binding.
class TermReader {
 public:
  TermReader(std::string_view text, std::span<const Column> columns, ExtraTerms extras)
      : text_(text), columns_(columns), extras_(extras) {}

  Result<Terms> read() {
    terms_.root_ = read_either();
    skip_spaces();
    if (!error_ && at_ < text_.size()) {
      fail(text_[at_] == ')'
               ? "a bracket closes that none opened"
               : fmt::format("'{}' is left over; join terms by and, or", text_.substr(at_)));
    }
    return error_ ? Result<Terms>(Failure(*error_)) : std::move(terms_);
  }

 private:
  std::uint32_t fail(const std::string& why) {
    if (!error_) {
      error_ = Error{ErrorCode::bad_setting, fmt::format("\"{}\": {}", text_, why), {}};
    }
    at_ = text_.size();
    return 0;
  }

  void skip_spaces() {
    while (at_ < text_.size() && text_[at_] == ' ') {
      ++at_;
    }
  }

  /// Goes past a word that stands alone. \return whether it is there
  bool take_word(std::string_view word) {
    skip_spaces();
    const std::size_t end = at_ + word.size();
    const bool hit = text_.substr(at_, word.size()) == word &&
                     (end == text_.size() || text_[end] == ' ' || text_[end] == '(');
    at_ += hit ? word.size() : 0;
    return hit;
  }

  std::uint32_t add(Terms::Kind kind, std::uint32_t left, std::uint32_t right) {
    terms_.parts_.push_back({kind, left, right});
    return static_cast<std::uint32_t>(terms_.parts_.size() - 1);
  }

  std::uint32_t read_either() {
    std::uint32_t left = read_both();
    while (take_word("or")) {
      left = add(Terms::Kind::either, left, read_both());
    }
    return left;
  }

  std::uint32_t read_both() {
    std::uint32_t left = read_one();
    while (take_word("and")) {
      left = add(Terms::Kind::both, left, read_one());
    }
    return left;
  }

  std::uint32_t read_one() {
    if (depth_ == deepest) {
      return fail(fmt::format("more than {} brackets and nots in one another", deepest));
    }
    ++depth_;
    const std::uint32_t made = read_inner();
    --depth_;
    return made;
  }

  std::uint32_t read_inner() {
    if (take_word("not")) {
      return add(Terms::Kind::opposite, read_one(), 0);
    }
    skip_spaces();
    if (at_ == text_.size() || text_[at_] != '(') {
      return read_test();
    }
    ++at_;
    const std::uint32_t inner = read_either();
    skip_spaces();
    if (at_ == text_.size() || text_[at_] != ')') {
      return fail("a bracket is not closed");
    }
    ++at_;
    return inner;
  }

  std::uint32_t read_test() {
    const std::size_t begin = at_;
    while (at_ < text_.size() && is_name_part(text_[at_])) {
      ++at_;
    }
    const std::string_view name = text_.substr(begin, at_ - begin);
    skip_spaces();
    TermTest test;
    while (at_ < text_.size() && is_operator(text_[at_]) && test.op.size() < 2) {
      test.op += text_[at_++];
    }
    test.op = test.op == "==" ? "=" : test.op;
    if (test.op == "!") {
      return fail("the operator is !=");
    }
    constexpr std::array<std::string_view, 6> operators{"=", "!=", "<", "<=", ">", ">="};
    if (name.empty() || std::find(operators.begin(), operators.end(), test.op) == operators.end()) {
      return fail("is no condition; write column=value, with one of = != < <= > >= between them");
    }
    if (!find_column(name, test)) {
      return 0;
    }
    test.text = read_value();
    const auto number = read_number(test.text);
    test.is_number = number.has_value();
    test.number = number.value_or(0);
    if (!error_ && test.extra.empty() && columns_[test.column].numeric && !test.is_number) {
      return fail(fmt::format("{} is compared with a number, not with '{}'", name, test.text));
    }
    test.glob = GlobSet({test.text});
    terms_.tests_.push_back(std::move(test));
    return add(Terms::Kind::test, static_cast<std::uint32_t>(terms_.tests_.size() - 1), 0);
  }

  bool find_column(std::string_view name, TermTest& test) {
    if (extras_ == ExtraTerms::allowed && name.starts_with(extra_prefix) &&
        name.size() > extra_prefix.size()) {
      test.extra = name.substr(extra_prefix.size());
      return true;
    }
    std::vector<std::string_view> names;
    for (const Column& column : columns_) {
      if (column.name == name) {
        test.column = names.size();
        return true;
      }
      names.push_back(column.name);
    }
    fail(fmt::format("there is no column {}; did you mean {}? There are {}{}", name,
                     find_nearest_word(name, names), fmt::join(names, ", "),
                     extras_ == ExtraTerms::allowed ? ", extras.KEY" : ""));
    return false;
  }

  std::string read_value() {
    skip_spaces();
    if (at_ < text_.size() && (text_[at_] == '\'' || text_[at_] == '"')) {
      const std::size_t end = text_.find(text_[at_], at_ + 1);
      if (end == std::string_view::npos) {
        fail("a quote is not closed");
        return {};
      }
      const std::size_t begin = at_ + 1;
      at_ = end + 1;
      return std::string(text_.substr(begin, end - begin));
    }
    const std::size_t begin = at_;
    std::size_t open = 0;
    while (at_ < text_.size() && !(text_[at_] == ')' && open == 0) && !joins_here()) {
      open += text_[at_] == '(' ? 1U : 0U;
      open -= text_[at_] == ')' ? 1U : 0U;
      ++at_;
    }
    const std::string_view value = text_.substr(begin, at_ - begin);
    return std::string(value.substr(0, value.find_last_not_of(' ') + 1));
  }

  /// A space, and then a word that joins terms.
  [[nodiscard]] bool joins_here() const {
    const std::string_view rest = text_.substr(at_);
    return rest.starts_with(" and ") || rest.starts_with(" or ") || rest.starts_with(" and(") ||
           rest.starts_with(" or(") || rest == " and" || rest == " or";
  }

  std::string_view text_;
  std::span<const Column> columns_;
  ExtraTerms extras_;
  std::size_t at_ = 0;
  std::size_t depth_ = 0;
  std::optional<Error> error_;
  Terms terms_;
};

Result<Terms> Terms::parse(std::string_view text,
                           std::span<const Column> columns,
                           ExtraTerms extras) {
  return TermReader(text, columns, extras).read();
}

bool is_terms(std::string_view wish) {
  while (true) {
    wish = wish.substr(std::min(wish.find_first_not_of(" ("), wish.size()));
    if (!wish.starts_with("not ") && !wish.starts_with("not(")) {
      break;
    }
    wish = wish.substr(3);
  }
  if (wish.empty() || !is_name_start(wish.front())) {
    return false;
  }
  std::size_t end = 0;
  while (end < wish.size() && is_name_part(wish[end])) {
    ++end;
  }
  const std::size_t sign = wish.find_first_not_of(' ', end);
  return sign != std::string_view::npos && is_operator(wish[sign]);
}

}  // namespace wakuzume
