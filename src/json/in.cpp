// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include "json/in.h"

#include <fmt/format.h>
#include <unistd.h>

namespace wakuzume {
namespace {

constexpr int max_depth = 512;

std::string escape_pointer(std::string_view key) {
  std::string out;
  for (const char c : key) {
    out += c == '~' ? "~0" : c == '/' ? "~1" : std::string(1, c);
  }
  return out;
}

/// The text of an object or array that has been walked already.
template <class Container>
bool find_text(Container& container, std::string_view& text) {
  return container.reset().error() == simdjson::SUCCESS &&
         container.raw_json().get(text) == simdjson::SUCCESS;
}

}  // namespace

std::string to_pointer(const At& at) {
  if (at.up == nullptr) {
    return {};
  }
  const bool is_element = at.element != static_cast<std::size_t>(-1);
  return to_pointer(*at.up) + "/" +
         (is_element ? std::to_string(at.element) : escape_pointer(at.key));
}

bool JsonIn::fail(ErrorCode code, const At& at, std::string message) {
  if (!error_) {
    error_ = Error{code, std::move(message), {"", to_pointer(at)}};
  }
  return false;
}

bool JsonIn::wrong(simdjson::error_code code, const At& at, const char* wanted) {
  if (code == simdjson::INCORRECT_TYPE) {
    return fail(ErrorCode::bad_type, at, fmt::format("expected {}", wanted));
  }
  if (code == simdjson::NUMBER_OUT_OF_RANGE || code == simdjson::NUMBER_ERROR) {
    return fail(ErrorCode::bad_value, at, fmt::format("expected {}", wanted));
  }
  return fail(ErrorCode::bad_json, at,
              fmt::format("expected {}; the text is not valid JSON here ({})", wanted,
                          simdjson::error_message(code)));
}

bool JsonIn::wrong_length(const At& at, std::size_t wanted) {
  return fail(ErrorCode::bad_value, at, fmt::format("expected {} numbers", wanted));
}

bool JsonIn::read(JsonValue value, const At& at, double& out) {
  const auto code = value.get_double().get(out);
  if (code != simdjson::SUCCESS) {
    return wrong(code, at, "a number");
  }
  return std::isfinite(out) || fail(ErrorCode::bad_value, at, "expected a finite number");
}

bool JsonIn::read(JsonValue value, const At& at, bool& out) {
  const auto code = value.get_bool().get(out);
  return code == simdjson::SUCCESS || wrong(code, at, "true or false");
}

bool JsonIn::read(JsonValue value, const At& at, std::string& out) {
  std::string_view text;
  const auto code = value.get_string().get(text);
  if (code != simdjson::SUCCESS) {
    return wrong(code, at, "a string");
  }
  out.assign(text);
  return true;
}

bool JsonIn::read(JsonValue value, const At& at, std::uint64_t& out) {
  if (value.get_uint64().get(out) == simdjson::SUCCESS) {
    return true;
  }
  // Some exporters write whole numbers with a fraction of zero.
  double number = 0;
  const auto code = value.get_double().get(number);
  if (code != simdjson::SUCCESS) {
    return wrong(code, at, "a whole number");
  }
  if (!(number >= 0 && number <= 9007199254740992.0 && number == std::floor(number))) {
    return fail(ErrorCode::bad_value, at,
                fmt::format("{} is not a whole number of 0 or more", number));
  }
  out = static_cast<std::uint64_t>(number);
  return true;
}

bool JsonIn::read(JsonValue value, const At& at, std::uint32_t& out) {
  std::uint64_t number = 0;
  if (!read(value, at, number)) {
    return false;
  }
  if (number > 0xFFFF'FFFFU) {
    return fail(ErrorCode::bad_value, at, fmt::format("{} is above 4294967295", number));
  }
  out = static_cast<std::uint32_t>(number);
  return true;
}

bool JsonIn::read(JsonValue value, const At& at, std::vector<std::string>& out) {
  out.clear();
  return array(value, at, [&](JsonValue item, const At& item_at) {
    return read(item, item_at, out.emplace_back());
  });
}

bool JsonIn::read(JsonValue value, const At& at, std::vector<double>& out) {
  out.clear();
  return array(value, at, [&](JsonValue item, const At& item_at) {
    return read(item, item_at, out.emplace_back());
  });
}

/// Visits every scalar, because a value that is skipped is a value that is not checked.
bool JsonIn::walk(JsonValue value, const At& at, int depth) {
  if (depth > max_depth) {
    return fail(ErrorCode::bad_json, at, fmt::format("nested deeper than {} levels", max_depth));
  }
  simdjson::ondemand::json_type type{};
  if (const auto code = value.type().get(type); code != simdjson::SUCCESS) {
    return wrong(code, at, "a value");
  }
  switch (type) {
    case simdjson::ondemand::json_type::object:
      return object(value, at, [&](std::string_view, JsonValue inner, const At& inner_at) {
        return walk(inner, inner_at, depth + 1);
      });
    case simdjson::ondemand::json_type::array:
      return array(value, at, [&](JsonValue inner, const At& inner_at) {
        return walk(inner, inner_at, depth + 1);
      });
    case simdjson::ondemand::json_type::string: {
      std::string_view text;
      const auto code = value.get_string().get(text);
      return code == simdjson::SUCCESS || wrong(code, at, "a string");
    }
    case simdjson::ondemand::json_type::number: {
      double number = 0;
      const auto code = value.get_double().get(number);
      return code == simdjson::SUCCESS || wrong(code, at, "a number");
    }
    case simdjson::ondemand::json_type::boolean: {
      bool flag = false;
      return read(value, at, flag);
    }
    case simdjson::ondemand::json_type::null:
      break;
  }
  bool null = false;
  return (value.is_null().get(null) == simdjson::SUCCESS && null) ||
         fail(ErrorCode::bad_json, at, "expected null");
}

bool JsonIn::read_raw(JsonValue value, const At& at, std::string& out) {
  simdjson::ondemand::json_type type{};
  if (const auto code = value.type().get(type); code != simdjson::SUCCESS) {
    return wrong(code, at, "a value");
  }
  std::string_view text;
  if (type == simdjson::ondemand::json_type::object) {
    simdjson::ondemand::object inner;
    const auto walk_member = [&](std::string_view, JsonValue v, const At& a) {
      return walk(v, a, 1);
    };
    if (value.get_object().get(inner) != simdjson::SUCCESS || !members(inner, at, walk_member) ||
        !find_text(inner, text)) {
      return fail(ErrorCode::bad_json, at, "expected an object");
    }
  } else if (type == simdjson::ondemand::json_type::array) {
    simdjson::ondemand::array inner;
    const auto walk_item = [&](JsonValue v, const At& a) { return walk(v, a, 1); };
    if (value.get_array().get(inner) != simdjson::SUCCESS || !elements(inner, at, walk_item) ||
        !find_text(inner, text)) {
      return fail(ErrorCode::bad_json, at, "expected an array");
    }
  } else {
    text = value.raw_json_token();
    if (!walk(value, at, 1)) {
      return false;
    }
  }
  while (!text.empty() && std::string_view(" \t\r\n").find(text.back()) != std::string_view::npos) {
    text.remove_suffix(1);
  }
  out.assign(text);
  return true;
}

PaddedText::PaddedText(const Bytes& text, const Bytes& file) {
  const auto* begin = reinterpret_cast<const char*>(text.data().data());
  const auto* file_end = reinterpret_cast<const char*>(file.data().data()) + file.size();
  // A mapping goes on to the end of its page; what lies there reads as zeros.
  const auto page = static_cast<std::size_t>(::sysconf(_SC_PAGESIZE));
  const std::size_t slack = (page - file.size() % page) % page;
  const std::size_t behind = static_cast<std::size_t>(file_end - (begin + text.size())) + slack;
  if (behind >= simdjson::SIMDJSON_PADDING) {
    view_ = simdjson::padded_string_view(begin, text.size(), text.size() + behind);
  } else {
    copy_ = simdjson::padded_string(begin, text.size());
    view_ = copy_;
  }
}

}  // namespace wakuzume
