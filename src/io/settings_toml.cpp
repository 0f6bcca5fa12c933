// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include <fmt/format.h>
#include <toml++/toml.h>

#include <algorithm>
#include <cmath>
#include <numeric>

#include "io/file.h"
#include "io/json_out.h"
#include "io/settings_fields.h"

namespace wakuzume {
namespace {

/// Edits (insert, drop, replace) that turn one word into the other; for "did you mean".
std::size_t count_edits(std::string_view a, std::string_view b) {
  std::vector<std::size_t> row(b.size() + 1);
  std::iota(row.begin(), row.end(), std::size_t{0});
  for (std::size_t i = 0; i < a.size(); ++i) {
    std::size_t corner = row[0]++;
    for (std::size_t j = 0; j < b.size(); ++j) {
      const std::size_t replaced = corner + (a[i] == b[j] ? 0 : 1);
      corner = row[j + 1];
      row[j + 1] = std::min({replaced, row[j] + 1, row[j + 1] + 1});
    }
  }
  return row.back();
}

std::string find_nearest(const std::string& word, const std::vector<std::string>& known) {
  return *std::min_element(known.begin(), known.end(), [&](const auto& a, const auto& b) {
    return count_edits(word, a) < count_edits(word, b);
  });
}

class SettingsReader {
 public:
  SettingsReader(const toml::table& root, const std::string& name) : root_(root), name_(name) {}

  Result<Settings> read() {
    Settings settings;
    for_each_setting(settings, [&](const char* table, const char* key, auto& member, const char*) {
      known_.emplace_back(fmt::format("{}.{}", table, key));
      const auto node = root_[table][key];
      if (node && !error_ && !take(node, member)) {
        fail(*node.node(),
             fmt::format("{} has a value of the wrong kind or out of range", known_.back()));
      }
    });
    check_unknown();
    if (!error_) {
      check(validate(settings.propose));
      check(validate(settings.verify));
    }
    return error_ ? Result<Settings>(Failure(*error_)) : settings;
  }

 private:
  using Node = toml::node_view<const toml::node>;

  static bool take(Node node, std::vector<std::string>& out) {
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
  static bool take(Node node, std::string& out) {
    const auto text = node.value_exact<std::string>();
    out = text.value_or("");
    return text.has_value();
  }
  static bool take(Node node, std::uint32_t& out) {
    const auto number = node.value_exact<std::int64_t>();
    out = static_cast<std::uint32_t>(number.value_or(0));
    return number && *number >= 0 && *number <= 0xFFFF'FFFFLL;
  }
  static bool take(Node node, double& out) {
    const auto number = node.value<double>();
    out = number.value_or(0);
    return number && std::isfinite(*number);
  }
  static bool take(Node node, Blended& out) {
    return from_text(node.value_exact<std::string>().value_or(""), out);
  }

  void check_unknown() {
    for (const auto& [table, content] : root_) {
      const std::string name(table.str());
      const toml::table* inner = content.as_table();
      const bool known_table = std::any_of(known_.begin(), known_.end(), [&](const auto& key) {
        return key.starts_with(name + ".");
      });
      if (inner == nullptr || (inner->empty() && !known_table)) {
        unknown(name, content);
        continue;
      }
      for (const auto& [key, value] : *inner) {
        const std::string full = fmt::format("{}.{}", name, key.str());
        if (std::find(known_.begin(), known_.end(), full) == known_.end()) {
          unknown(full, value);
        }
      }
    }
  }

  void unknown(const std::string& key, const toml::node& node) {
    fail(node,
         fmt::format("there is no setting {}; did you mean {}?", key, find_nearest(key, known_)));
  }

  void fail(const toml::node& node, std::string message) {
    if (!error_) {
      error_ = Error{ErrorCode::bad_setting,
                     std::move(message),
                     {name_, fmt::format("line {}", node.source().begin.line)}};
    }
  }

  void check(const Result<void>& valid) {
    if (!valid && !error_) {
      error_ = valid.error();
      error_->place.file = name_;
    }
  }

  const toml::table& root_;
  const std::string& name_;
  std::vector<std::string> known_;
  std::optional<Error> error_;
};

std::string quote(const std::string& text) {
  JsonOut out;  // TOML's basic strings take JSON's escapes
  out.value(text);
  return out.take();
}

std::string to_toml_value(const std::string& text) { return quote(text); }
std::string to_toml_value(std::uint32_t number) { return std::to_string(number); }
std::string to_toml_value(double number) { return to_number(number); }
std::string to_toml_value(Blended blended) { return quote(to_text(blended)); }
std::string to_toml_value(const std::vector<std::string>& list) {
  std::vector<std::string> quoted;
  std::transform(list.begin(), list.end(), std::back_inserter(quoted), quote);
  return fmt::format("[{}]", fmt::join(quoted, ", "));
}

}  // namespace

Result<Settings> parse_settings(std::string_view text, const std::string& name) {
  try {
    const toml::table root = toml::parse(text);
    return SettingsReader(root, name).read();
  } catch (const toml::parse_error& problem) {
    return Failure(Error{ErrorCode::bad_setting,
                         std::string(problem.description()),
                         {name, fmt::format("line {}", problem.source().begin.line)}});
  }
}

Result<Settings> read_settings(const std::string& path) {
  const auto file = map_file(path);
  if (!file) {
    return Failure(file.error());
  }
  const auto data = file->data();
  return parse_settings({reinterpret_cast<const char*>(data.data()), data.size()}, path);
}

std::string to_toml(const Settings& settings) {
  std::string out;
  std::string open;
  for_each_setting(
      settings, [&](const char* table, const char* key, const auto& member, const char* meaning) {
        if (open != table) {
          out += fmt::format("{}[{}]\n", open.empty() ? "" : "\n", table);
          open = table;
        }
        out += fmt::format("# {}\n{} = {}\n", meaning, key, to_toml_value(member));
      });
  return out;
}

}  // namespace wakuzume
