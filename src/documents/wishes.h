// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#pragma once

#include <vector>

#include "documents/document.h"
#include "documents/texels.h"
#include "json/out.h"
#include "wakuzume/survey.h"

/// What came of wishes, as documents have it.
namespace wakuzume {

inline void write_wishes(ReadableJsonOut& out, const std::vector<WishUse>& wishes) {
  if (wishes.empty()) {
    return;
  }
  write_rows(out, "wishes", wishes, [](JsonOut& line, const WishUse& use) {
    line.member("setting", use.setting);
    line.member("wish", use.wish);
    line.member_if("value", use.value);
    line.member("draws", use.draws);
  });
}

inline void write_answers(ReadableJsonOut& out,
                          const char* name,
                          const std::vector<WishAnswer>& answers) {
  if (answers.empty()) {
    return;
  }
  out.begin_array(name);
  for (const WishAnswer& answer : answers) {
    out.begin_object();
    out.member("wish", answer.wish);
    write_draws(out, "draws", answer.draws);
    out.end_object();
  }
  out.end_array();
}

inline bool read_answers(JsonIn& in, JsonValue value, const At& at, std::vector<WishAnswer>& out) {
  return in.array(value, at, [&](JsonValue item, const At& a) {
    WishAnswer& answer = out.emplace_back();
    const bool good = in.object(item, a, [&](std::string_view key, JsonValue v, const At& b) {
      return key == "wish"    ? in.read(v, b, answer.wish)
             : key == "draws" ? read_draws(in, v, b, answer.draws)
                              : unknown_member(in, b);
    });
    return good && (std::is_sorted(answer.draws.begin(), answer.draws.end()) ||
                    in.fail(ErrorCode::bad_value, a, "draws of an answer ascend"));
  });
}

}  // namespace wakuzume
