// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include "scene/members.h"

#include <fmt/format.h>
#include <simdjson.h>

#include <algorithm>
#include <map>

namespace wakuzume {

std::string to_json_text(std::string_view text) {
  std::string out = "\"";
  for (const char c : text) {
    if (c == '"' || c == '\\') {
      out += '\\';
      out += c;
    } else if (static_cast<unsigned char>(c) < 0x20) {
      out += fmt::format("\\u{:04x}", static_cast<unsigned>(c));
    } else {
      out += c;
    }
  }
  return out + '"';
}

namespace {

/// \param make_text  of the member, where there is one that is not null
template <class MakeText>
std::string read_member(const std::string& object_json,
                        const std::string& key,
                        const MakeText& make_text) {
  thread_local simdjson::dom::parser parser;
  simdjson::dom::element value;
  if (parser.parse(object_json).get_object().at_key(key).get(value) != simdjson::SUCCESS ||
      value.is_null()) {
    return {};
  }
  return make_text(value);
}

}  // namespace

std::string find_member(const std::string& object_json, const std::string& key) {
  return read_member(object_json, key, [](const simdjson::dom::element& value) {
    std::string_view text;
    return value.get(text) == simdjson::SUCCESS ? std::string(text) : simdjson::minify(value);
  });
}

std::string find_member_json(const std::string& object_json, const std::string& key) {
  return read_member(object_json, key, [](const simdjson::dom::element& value) {
    return std::string(simdjson::minify(value));
  });
}

std::vector<double> read_json_numbers(const std::string& json) {
  thread_local simdjson::dom::parser parser;
  simdjson::dom::element value;
  simdjson::dom::array list;
  if (parser.parse(json).get(value) != simdjson::SUCCESS) {
    return {};
  }
  const auto take = [](const simdjson::dom::element& from, std::vector<double>& out) {
    double number = 0;
    bool flag = false;
    if (from.get(flag) == simdjson::SUCCESS) {
      number = flag ? 1 : 0;
    } else if (from.get(number) != simdjson::SUCCESS) {
      return false;
    }
    out.push_back(number);
    return true;
  };
  std::vector<double> out;
  if (value.get(list) != simdjson::SUCCESS) {
    take(value, out);
    return out;
  }
  for (const simdjson::dom::element item : list) {
    if (!take(item, out)) {
      return {};
    }
  }
  return out;
}

std::string make_common_members(const std::vector<std::string>& objects) {
  if (objects.empty() || objects.front().empty() ||
      std::all_of(objects.begin(), objects.end(),
                  [&](const std::string& other) { return other == objects.front(); })) {
    return objects.empty() ? std::string() : objects.front();
  }
  // Names keep their quotes: they are written back as they stand, escapes included.
  std::vector<std::pair<std::string, std::string>> common;
  simdjson::dom::parser parser;
  for (std::size_t i = 0; i < objects.size(); ++i) {
    std::map<std::string, std::string> here;
    simdjson::dom::object object;
    if (parser.parse(objects[i]).get_object().get(object) == simdjson::SUCCESS) {
      for (const auto field : object) {
        const std::string name = to_json_text(field.key);
        here.emplace(name, simdjson::minify(field.value));
        if (i == 0) {
          common.emplace_back(name, here[name]);
        }
      }
    }
    std::erase_if(common, [&](const auto& member) {
      const auto hit = here.find(member.first);
      return hit == here.end() || hit->second != member.second;
    });
  }
  std::string out;
  for (const auto& [name, value] : common) {
    out += fmt::format("{}{}:{}", out.empty() ? "{" : ",", name, value);
  }
  return out.empty() ? out : out + "}";
}

std::string add_member(const std::string& object, const std::string& key, const std::string& text) {
  thread_local simdjson::dom::parser parser;
  double number = 0;
  const bool is_number = parser.parse(text).get(number) == simdjson::SUCCESS;
  const std::string member =
      fmt::format("{}:{}", to_json_text(key), is_number ? text : to_json_text(text));
  const std::size_t begin = object.find_first_not_of(" \t\r\n");
  if (begin == std::string::npos || object[begin] != '{') {
    return "{" + member + "}";
  }
  const std::size_t end = object.rfind('}');
  const bool first = object.find(':') == std::string::npos;
  return object.substr(0, end) + (first ? "" : ",") + member + "}";
}

std::string put_member(const std::string& object, const std::string& key, const std::string& json) {
  thread_local simdjson::dom::parser parser;
  std::string out;
  const auto add = [&](const std::string& name, const std::string& value) {
    out += fmt::format("{}{}:{}", out.empty() ? "{" : ",", name, value);
  };
  bool placed = json.empty();
  simdjson::dom::object members;
  if (parser.parse(object).get(members) == simdjson::SUCCESS) {
    for (const auto field : members) {
      if (field.key != key) {
        add(to_json_text(field.key), simdjson::minify(field.value));
      } else if (!placed) {
        add(to_json_text(key), json);
        placed = true;
      }
    }
  }
  if (!placed) {
    add(to_json_text(key), json);
  }
  return out.empty() ? out : out + "}";
}

}  // namespace wakuzume
