// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include "plan/instance_values.h"

#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <charconv>
#include <cmath>
#include <optional>
#include <set>

#include "scene/members.h"
#include "scene/srgb.h"
#include "survey/draw_columns.h"

namespace wakuzume {
namespace {

constexpr std::string_view extra_prefix = "extras.";
constexpr std::size_t most_components = 4;
/// What instances have besides, under names that engines know.
constexpr std::array<std::string_view, 5> taken_semantics{"_COLOR_0", "_EMISSIVE", "_METALLIC",
                                                          "_ROUGHNESS", "_LIGHTMAP"};

/// A JSON text "#rrggbb", as people write colours, in linear light. Empty: it is none.
std::vector<double> read_color(const std::string& json) {
  std::vector<double> out;
  if (json.size() != 9 || !json.starts_with("\"#")) {
    return out;
  }
  for (std::size_t c = 2; c + 1 < json.size(); c += 2) {
    unsigned value = 0;
    const char* const end = &json[c] + 2;
    if (std::from_chars(&json[c], end, value, 16).ptr != end) {
      return {};
    }
    out.push_back(to_linear(value / 255.0));
  }
  return out;
}

}  // namespace

std::string_view find_value_key(std::string_view name) {
  return name.starts_with(extra_prefix) ? name.substr(extra_prefix.size()) : std::string_view();
}

std::string find_value_semantic(std::string_view name) {
  if (name == "id" || name == "random") {
    return name == "id" ? "_ID" : "_RANDOM";
  }
  std::string out;
  for (const char c : find_value_key(name)) {
    const bool lower = c >= 'a' && c <= 'z';
    const bool plain = (c >= 'A' && c <= 'Z') || (c >= '0' && c <= '9');
    out += lower ? static_cast<char>(c - 'a' + 'A') : plain ? c : '_';
  }
  return out.empty() ? out : "_" + out;
}

std::string find_value_fault(const std::vector<std::string>& names) {
  std::set<std::string> known(taken_semantics.begin(), taken_semantics.end());
  for (const std::string& name : names) {
    const std::string semantic = find_value_semantic(name);
    if (semantic.empty()) {
      return fmt::format("'{}' is none of \"id\", \"random\" and \"extras.KEY\"", name);
    }
    if (!known.insert(semantic).second) {
      return fmt::format("'{}' would be stored as {}, which there is already", name, semantic);
    }
  }
  return {};
}

std::vector<double> read_instance_value(const Scene& scene, NodeId node, const std::string& key) {
  const std::string json = find_json_above(scene, node, key);
  std::vector<double> out = read_color(json);
  if (out.empty()) {
    out = read_json_numbers(json);
  }
  const bool good =
      out.size() <= most_components && std::all_of(out.begin(), out.end(), [](double number) {
        return std::isfinite(static_cast<float>(number));
      });
  return good ? out : std::vector<double>{};
}

InstanceValues read_instance_values(const Scene& scene,
                                    const Group& group,
                                    const std::string& key) {
  InstanceValues out;
  std::vector<std::vector<double>> all;
  for (std::size_t m = 0; m < group.members.size(); m += group.prototype.size()) {
    all.push_back(read_instance_value(scene, group.members[m].node, key));
    out.width = std::max(out.width, static_cast<std::uint32_t>(all.back().size()));
    out.is_said.push_back(!all.back().empty());
  }
  if (std::find(out.is_said.begin(), out.is_said.end(), true) == out.is_said.end()) {
    return out;
  }
  for (std::vector<double>& value : all) {
    const bool lacks_alpha = value.size() + 1 == most_components;
    value.resize(out.width, 0);
    if (lacks_alpha && out.width == most_components) {
      value.back() = 1;
    }
    out.numbers.insert(out.numbers.end(), value.begin(), value.end());
  }
  return out;
}

namespace {

/// Over the instances whose extras say something; nothing where none do.
std::optional<ValueRange> find_range(const std::string& name, const InstanceValues& values) {
  if (values.numbers.empty()) {
    return std::nullopt;
  }
  ValueRange out{name, {}, {}, 0};
  for (std::size_t i = 0; i < values.is_said.size(); ++i) {
    if (!values.is_said[i]) {
      ++out.without;
      continue;
    }
    const double* const value = &values.numbers[i * values.width];
    if (out.min.empty()) {
      out.min.assign(value, value + values.width);
      out.max = out.min;
    }
    for (std::size_t c = 0; c < values.width; ++c) {
      out.min[c] = std::min(out.min[c], value[c]);
      out.max[c] = std::max(out.max[c], value[c]);
    }
  }
  return out;
}

}  // namespace

void describe_values(const Scene& scene,
                     const std::vector<std::string>& names,
                     std::vector<Group>& groups) {
  for (Group& group : groups) {
    group.values.clear();
    if (group.kind != GroupKind::instance_set) {
      continue;
    }
    for (const std::string& name : names) {
      const std::string key(find_value_key(name));
      if (key.empty()) {
        continue;
      }
      if (auto range = find_range(name, read_instance_values(scene, group, key))) {
        group.values.push_back(std::move(*range));
      }
    }
  }
}

}  // namespace wakuzume
