// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include <fmt/format.h>
#include <fnmatch.h>

#include <algorithm>
#include <filesystem>

#include "files/file.h"
#include "json/out.h"
#include "settings/fields.h"
#include "settings/toml_in.h"

namespace wakuzume {
namespace {

/// Reads the tables of one file, or of one of its sections, over what was said before.
class SettingsReader {
 public:
  /// \param root  with the tables \param section  what is told of it; empty: it is the file
  SettingsReader(const toml::table& root,
                 const std::string& name,
                 std::string section,
                 EffectiveSettings& out)
      : root_(root), name_(name), section_(std::move(section)), in_(name), out_(out) {}

  Result<void> read() {
    for_each_setting(out_.settings,
                     [&](const char* table, const char* key, auto& member, const Meaning& meaning) {
                       known_.push_back(fmt::format("{}.{}", table, key));
                       if (const auto node = root_[table][key]) {
                         in_.read(*node.node(), known_.back(), meaning.text, member);
                         note(known_.back(), *node.node());
                       }
                     });
    for (const std::string_view figure : figure_names()) {
      known_.push_back(fmt::format("budget.{}", figure));
    }
    read_budgets();
    read_tiers();
    check_unknown();
    check(validate(out_.settings));
    return in_.error() ? Result<void>(Failure(*in_.error())) : Result<void>();
  }

 private:
  void note(const std::string& key, const toml::node& node) {
    out_.set_origin(key, fmt::format("{} line {}{}", name_, node.source().begin.line,
                                     section_.empty() ? "" : ", for " + section_));
  }

  void read_budgets() {
    if (const toml::table* table = root_["budget"].as_table()) {
      for (const auto& [figure, limit] : *table) {
        Budget budget = read_budget(std::string(figure.str()), limit);
        std::erase_if(out_.settings.budgets,
                      [&](const Budget& other) { return other.figure == budget.figure; });
        note("budget." + budget.figure, limit);
        out_.settings.budgets.push_back(std::move(budget));
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
      std::erase_if(out_.settings.tiers,
                    [&](const Tier& other) { return other.name == tier.name; });
      out_.settings.tiers.push_back(std::move(tier));
    }
  }

  void check_unknown() {
    for (const auto& [table, content] : root_) {
      const std::string name(table.str());
      const bool of_section =
          section_.empty() ? name == "scene" || name == "include" : name == "paths";
      if (name == "tier" || of_section) {
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
  const std::string& name_;
  std::string section_;
  TomlIn in_;
  EffectiveSettings& out_;
  std::vector<std::string> known_;
};

namespace fs = std::filesystem;

/// Files that include one another: people nest a few.
constexpr std::size_t most_nested = 16;

/// Reads a file with all that counts before and after its own tables.
class FileReader {
 public:
  FileReader(std::string scene, EffectiveSettings& out) : scene_(std::move(scene)), out_(out) {}

  Result<void> read(const std::string& path) {
    const auto file = map_file(path);
    if (!file) {
      return Failure(file.error());
    }
    const auto data = file->data();
    return parse({reinterpret_cast<const char*>(data.data()), data.size()}, path);
  }

  Result<void> parse(std::string_view text, const std::string& name) {
    return parse_toml<void>(text, name, [&](const toml::table& root) {
      auto done = read_includes(root, name);
      if (done) {
        out_.files.push_back(name);
        done = SettingsReader(root, name, "", out_).read();
      }
      return done ? read_sections(root, name) : done;
    });
  }

 private:
  static Failure refuse(const toml::node& node, const std::string& name, std::string message) {
    return Failure(Error{ErrorCode::bad_setting,
                         std::move(message),
                         {name, fmt::format("line {}", node.source().begin.line)}});
  }

  /// A text, or several. \return empty where it is neither
  static std::vector<std::string> list_texts(const toml::node& node) {
    std::vector<std::string> out;
    if (const auto one = node.value_exact<std::string>()) {
      out.push_back(*one);
    } else if (const toml::array* list = node.as_array()) {
      for (const toml::node& item : *list) {
        const auto text = item.value_exact<std::string>();
        if (!text) {
          return {};
        }
        out.push_back(*text);
      }
    }
    return out;
  }

  Result<void> read_includes(const toml::table& root, const std::string& name) {
    const toml::node* const node = root.get("include");
    if (node == nullptr) {
      return {};
    }
    const std::vector<std::string> paths = list_texts(*node);
    if (paths.empty()) {
      return refuse(*node, name,
                    "include is written as a path, or a list of paths, beside this file");
    }
    if (open_ == most_nested) {
      return refuse(
          *node, name,
          fmt::format("includes are more than {} deep; does one include itself?", most_nested));
    }
    ++open_;
    for (const std::string& path : paths) {
      const std::string full = (fs::path(name).parent_path() / path).lexically_normal().string();
      if (auto done = read(full); !done) {
        return done;
      }
    }
    --open_;
    return {};
  }

  Result<void> read_sections(const toml::table& root, const std::string& name) {
    const toml::node* const node = root.get("scene");
    if (node == nullptr) {
      return {};
    }
    const toml::array* const list = node->as_array();
    if (list == nullptr) {
      return refuse(*node, name,
                    "sections are written as [[scene]], with paths = [\"levels/*.glb\"]");
    }
    for (const toml::node& item : *list) {
      const toml::table* const table = item.as_table();
      const toml::node* const paths = table == nullptr ? nullptr : table->get("paths");
      const std::vector<std::string> globs =
          paths == nullptr ? std::vector<std::string>{} : list_texts(*paths);
      if (globs.empty()) {
        return refuse(item, name, "a [[scene]] needs paths = [\"levels/*.glb\"]");
      }
      // What does not count now is still checked.
      EffectiveSettings scratch = out_;
      const std::string section = fmt::format("{}", fmt::join(globs, ", "));
      if (auto done = SettingsReader(*table, name, section, scratch).read(); !done) {
        return done;
      }
      if (matches(globs, name)) {
        out_ = std::move(scratch);
      }
    }
    return {};
  }

  [[nodiscard]] bool matches(const std::vector<std::string>& globs, const std::string& name) const {
    if (scene_.empty()) {
      return false;
    }
    std::error_code ignored;
    const fs::path scene = fs::weakly_canonical(scene_, ignored);
    const fs::path folder =
        fs::weakly_canonical(fs::absolute(name, ignored).parent_path(), ignored);
    const std::string shown = scene.lexically_relative(folder).generic_string();
    const std::string whole = scene.generic_string();
    return std::any_of(globs.begin(), globs.end(), [&](const std::string& glob) {
      return fnmatch(glob.c_str(), shown.c_str(), 0) == 0 ||
             fnmatch(glob.c_str(), whole.c_str(), 0) == 0;
    });
  }

  std::string scene_;
  EffectiveSettings& out_;
  std::size_t open_ = 0;
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

std::string EffectiveSettings::find_origin(const std::string& key) const {
  const auto hit = std::find_if(origins.begin(), origins.end(),
                                [&](const SettingOrigin& origin) { return origin.key == key; });
  return hit == origins.end() ? "" : hit->place;
}

void EffectiveSettings::set_origin(const std::string& key, std::string place) {
  std::erase_if(origins, [&](const SettingOrigin& origin) { return origin.key == key; });
  origins.push_back({key, std::move(place)});
}

std::string find_project_settings(const std::string& scene) {
  std::error_code problem;
  const fs::path start = fs::absolute(scene.empty() ? "scene" : scene, problem);
  for (fs::path folder = start.parent_path(); !problem; folder = folder.parent_path()) {
    const fs::path file = folder / project_settings_name;
    if (fs::is_regular_file(file, problem)) {
      return file.string();
    }
    problem.clear();
    if (folder == folder.parent_path()) {
      break;
    }
  }
  return {};
}

Result<EffectiveSettings> read_settings_for(const std::string& path, const std::string& scene) {
  EffectiveSettings out;
  const auto done = FileReader(scene, out).read(path);
  return done ? Result<EffectiveSettings>(std::move(out)) : Failure(done.error());
}

Result<Settings> parse_settings(std::string_view text, const std::string& name) {
  EffectiveSettings out;
  const auto done = FileReader("", out).parse(text, name);
  return done ? Result<Settings>(std::move(out.settings)) : Failure(done.error());
}

Result<Settings> read_settings(const std::string& path) {
  auto read = read_settings_for(path, "");
  return read ? Result<Settings>(std::move(read->settings)) : Failure(read.error());
}

namespace {

/// \param origins  null: they are not told
std::string write_toml(const Settings& settings, const EffectiveSettings* origins) {
  const auto tell = [&](const std::string& key) {
    if (origins == nullptr) {
      return std::string();
    }
    const std::string place = origins->find_origin(key);
    return fmt::format("  # from {}", place.empty() ? "the defaults" : place);
  };
  std::string out;
  std::string open;
  for_each_setting(settings, [&](const char* table, const char* key, const auto& member,
                                 const Meaning& meaning) {
    if (open != table) {
      out += fmt::format("{}[{}]\n", open.empty() ? "" : "\n", table);
      open = table;
    }
    out += fmt::format("# {}\n{} = {}{}\n", meaning.text, key, to_toml_value(member),
                       tell(fmt::format("{}.{}", table, key)));
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
    out += "\n[budget]\n";
    for (const Budget& budget : settings.budgets) {
      out += fmt::format("{} = {}{}\n", budget.figure, to_number(budget.limit),
                         tell("budget." + budget.figure));
    }
  }
  for (const Tier& tier : settings.tiers) {
    out += fmt::format("\n[[tier]]\nname = {}\n{}", quote(tier.name), to_toml_lines(tier.budgets));
  }
  return out;
}

}  // namespace

std::string to_toml(const Settings& settings) { return write_toml(settings, nullptr); }

std::string to_toml(const EffectiveSettings& settings) {
  std::string files;
  for (const std::string& file : settings.files) {
    files += fmt::format("# read: {}\n", file);
  }
  return files + (files.empty() ? "# no settings file was read\n" : "") + "\n" +
         write_toml(settings.settings, &settings);
}

}  // namespace wakuzume
