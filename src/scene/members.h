// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#pragma once

#include <string>
#include <string_view>
#include <vector>

/// JSON objects as texts, as extras and extensions are kept.
namespace wakuzume {

/// A string as JSON writes it, with its quotes.
std::string to_json_text(std::string_view text);
/// The value of a member of a JSON object as text: strings without quotes, the rest as written.
/// Empty when the text is no object, lacks the member, or the member is null.
std::string find_member(const std::string& object_json, const std::string& key);
/// The same as it is written, without spaces.
std::string find_member_json(const std::string& object_json, const std::string& key);
/// The numbers of a JSON text: one, or those of an array of numbers; true counts as 1. Empty: it is
/// something else.
std::vector<double> read_json_numbers(const std::string& json);
/// The members that all of these JSON objects have with the same value, as an object; empty when
/// there are none. An empty text stands for no object.
std::string make_common_members(const std::vector<std::string>& objects);
/// A JSON object with one member more, whose value is a number where the text is one. What is no
/// object gives way.
std::string add_member(const std::string& object, const std::string& key, const std::string& text);
/// A JSON object in which a member has this value, in JSON; with an empty one, without the member.
/// The others stay in their order; what is no object gives way. Empty where no member is left.
std::string put_member(const std::string& object, const std::string& key, const std::string& json);

}  // namespace wakuzume
