// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include <fmt/format.h>

#include <algorithm>

#include "files/file.h"
#include "json/out.h"
#include "settings/fields.h"
#include "settings/toml_in.h"

namespace wakuzume {
namespace {

class SettingsReader {
 public:
  SettingsReader(const toml::table& root, const std::string& name) : root_(root), in_(name) {}

  Result<Settings> read() {
    for_each_setting(settings_,
                     [&](const char* table, const char* key, auto& member, const Meaning& meaning) {
                       known_.push_back(fmt::format("{}.{}", table, key));
                       if (const auto node = root_[table][key]) {
                         in_.read(*node.node(), known_.back(), meaning.text, member);
                       }
                     });
    for (const std::string_view figure : figure_names()) {
      known_.push_back(fmt::format("budget.{}", figure));
    }
    read_budgets();
    read_tiers();
    check_unknown();
    check(validate(settings_));
    return in_.error() ? Result<Settings>(Failure(*in_.error())) : settings_;
  }

 private:
  void read_budgets() {
    if (const toml::table* table = root_["budget"].as_table()) {
      for (const auto& [figure, limit] : *table) {
        settings_.budgets.push_back(read_budget(std::string(figure.str()), limit));
      }
    }
  }

  Budget read_budget(const std::string& figure, const toml::node& node) {
    Budget budget{figure, 0};
    in_.read(node, figure, "most that this figure may be; a number from 0", budget.limit);
    if (const auto valid = validate(std::span(&budget, 1)); !valid) {
      in_.fail(node, valid.error().message);
    }
    return budget;
  }

  /// [[tier]] tables: a name, and budgets.
  void read_tiers() {
    const toml::node* node = root_.get("tier");
    if (node == nullptr) {
      return;
    }
    const toml::array* list = node->as_array();
    if (list == nullptr) {
      return in_.fail(*node, "tiers are written as [[tier]], with a name and budgets below");
    }
    for (const toml::node& item : *list) {
      const toml::table* table = item.as_table();
      if (table == nullptr || !(*table)["name"].is_string()) {
        return in_.fail(item, "a [[tier]] needs a name = \"...\"");
      }
      Tier tier;
      for (const auto& [key, value] : *table) {
        if (key == "name") {
          tier.name = value.value_or(std::string());
        } else {
          tier.budgets.push_back(read_budget(std::string(key.str()), value));
        }
      }
      settings_.tiers.push_back(std::move(tier));
    }
  }

  void check_unknown() {
    for (const auto& [table, content] : root_) {
      const std::string name(table.str());
      if (name == "tier") {
        continue;
      }
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

  /// A key outside of any table is compared with the keys alone, the others with their table.
  void unknown(const std::string& key, const toml::node& node) {
    const bool bare = key.find('.') == std::string::npos;
    std::vector<std::string_view> words;
    for (const std::string& known : known_) {
      words.push_back(std::string_view(known).substr(bare ? known.find('.') + 1 : 0));
    }
    const std::string_view nearest = find_nearest_word(key, words);
    const auto at = std::find(words.begin(), words.end(), nearest) - words.begin();
    in_.fail(node, fmt::format("there is no setting {}; did you mean {}?", key,
                               known_[static_cast<std::size_t>(at)]));
  }

  /// What a stage says of its settings begins with the key; its line is looked up.
  void check(const Result<void>& valid) {
    if (valid) {
      return;
    }
    const std::string& message = valid.error().message;
    const std::string key = message.substr(0, message.find(' '));
    const std::size_t dot = std::min(key.find('.'), key.size() - 1);
    if (const auto node = root_[key.substr(0, dot)][key.substr(dot + 1)]) {
      in_.fail(*node.node(), message);
    } else {
      in_.fail(valid.error());
    }
  }

  const toml::table& root_;
  TomlIn in_;
  Settings settings_;
  std::vector<std::string> known_;
};

std::string quote(const std::string& text) {
  JsonOut out;  // TOML's basic strings take JSON's escapes
  out.value(text);
  return out.take();
}

std::string to_toml_value(const std::string& text) { return quote(text); }
std::string to_toml_value(std::uint32_t number) { return std::to_string(number); }
std::string to_toml_value(double number) { return to_number(number); }
std::string to_toml_value(const std::vector<Box3d>& boxes) {
  std::vector<std::string> list;
  for (const Box3d& box : boxes) {
    list.push_back(fmt::format("[{}, {}, {}, {}, {}, {}]", to_number(box.min[0]),
                               to_number(box.min[1]), to_number(box.min[2]), to_number(box.max[0]),
                               to_number(box.max[1]), to_number(box.max[2])));
  }
  return fmt::format("[{}]", fmt::join(list, ", "));
}
template <class Word>
requires(std::is_enum_v<Word>) std::string to_toml_value(Word word) { return quote(to_text(word)); }
std::string to_toml_value(const std::vector<std::string>& list) {
  std::vector<std::string> quoted;
  std::transform(list.begin(), list.end(), std::back_inserter(quoted), quote);
  return fmt::format("[{}]", fmt::join(quoted, ", "));
}

std::string to_toml_lines(const std::vector<Budget>& budgets) {
  std::string out;
  for (const Budget& budget : budgets) {
    out += fmt::format("{} = {}\n", budget.figure, to_number(budget.limit));
  }
  return out;
}

}  // namespace

Result<Settings> parse_settings(std::string_view text, const std::string& name) {
  return parse_toml<Settings>(
      text, name, [&](const toml::table& root) { return SettingsReader(root, name).read(); });
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
  for_each_setting(settings, [&](const char* table, const char* key, const auto& member,
                                 const Meaning& meaning) {
    if (open != table) {
      out += fmt::format("{}[{}]\n", open.empty() ? "" : "\n", table);
      open = table;
    }
    out += fmt::format("# {}\n{} = {}\n", meaning.text, key, to_toml_value(member));
  });
  if (settings.budgets.empty() && settings.tiers.empty()) {
    out +=
        "\n# Budgets: a survey above one of them ends with exit code 1. [[tier]] tables, from the "
        "easiest\n"
        "# to the hardest, have a name and budgets of their own. The figures that can be "
        "limited:\n";
    std::string line = "#";
    for (const std::string_view figure : figure_names()) {
      if (line.size() + figure.size() > 90) {
        out += line + "\n";
        line = "#";
      }
      line += fmt::format(" {}{}", figure, figure == figure_names().back() ? "" : ",");
    }
    out += line + "\n# [budget]\n# draws_per_view = 2000\n";
  }
  if (!settings.budgets.empty()) {
    out += "\n[budget]\n" + to_toml_lines(settings.budgets);
  }
  for (const Tier& tier : settings.tiers) {
    out += fmt::format("\n[[tier]]\nname = {}\n{}", quote(tier.name), to_toml_lines(tier.budgets));
  }
  return out;
}

}  // namespace wakuzume
