// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#pragma once

#include <rapidjson/prettywriter.h>
#include <rapidjson/writer.h>

#include <array>
#include <concepts>
#include <cstdint>
#include <functional>
#include <map>
#include <string>
#include <string_view>
#include <vector>

#include "files/text_encoding.h"
#include "wakuzume/bytes.h"

/// Streaming JSON out, on RapidJSON's Writer.
namespace wakuzume {

/// The stream a RapidJSON writer puts its characters into: kept, or handed on in pieces.
class TextSink {
 public:
  using Ch = char;
  using Receiver = std::function<void(std::string_view)>;

  explicit TextSink(Receiver receiver = {}) : receiver_(std::move(receiver)) {}
  void Put(char c) {  // NOLINT(readability-identifier-naming): the name RapidJSON calls
    text_ += c;
    if (receiver_ && text_.size() >= piece_bytes) {
      Flush();
    }
  }
  void Flush() {  // NOLINT(readability-identifier-naming): the name RapidJSON calls
    if (receiver_) {
      receiver_(text_);
      text_.clear();
    }
  }
  std::string take() { return std::move(text_); }

 private:
  static constexpr std::size_t piece_bytes = 1U << 16U;

  Receiver receiver_;
  std::string text_;
};

/// The shortest text that reads back as the same double; whole numbers have no fraction.
std::string to_number(double value);

/// \tparam Writer  rapidjson::Writer for compact text, rapidjson::PrettyWriter for text to read
template <template <class...> class Writer>
class BasicJsonOut {
 public:
  explicit BasicJsonOut(TextSink::Receiver receiver = {})
      : sink_(std::move(receiver)), writer_(sink_) {}

  void begin_object() { writer_.StartObject(); }
  void begin_object(std::string_view name) {
    key(name);
    writer_.StartObject();
  }
  void end_object() { writer_.EndObject(); }
  void begin_array() { writer_.StartArray(); }
  void begin_array(std::string_view name) {
    key(name);
    writer_.StartArray();
  }
  void end_array() { writer_.EndArray(); }
  void key(std::string_view name) {
    if (!is_utf8(name)) {
      return key(to_utf8(name));
    }
    writer_.Key(name.data(), static_cast<rapidjson::SizeType>(name.size()));
  }

  /// JSON is UTF-8, whatever names were given to the scene.
  void value(std::string_view text) {
    if (!is_utf8(text)) {
      return value(to_utf8(text));
    }
    writer_.String(text.data(), static_cast<rapidjson::SizeType>(text.size()));
  }
  void value(const char* text) { value(std::string_view(text)); }
  void value(const std::string& text) { value(std::string_view(text)); }
  void value(std::same_as<bool> auto flag) { writer_.Bool(flag); }
  void value(double number) { raw(to_number(number), rapidjson::kNumberType); }
  void value(std::unsigned_integral auto number) requires(!std::same_as<decltype(number), bool>) {
    writer_.Uint64(number);
  }
  template <class Id>
  requires(std::is_enum_v<Id>) void value(Id id) { writer_.Uint64(static_cast<std::uint64_t>(id)); }
  template <class T>
  void value(const std::vector<T>& items) {
    writer_.StartArray();
    for (const T& item : items) {
      value(item);
    }
    writer_.EndArray();
  }
  template <class T, std::size_t n>
  void value(const std::array<T, n>& items) {
    writer_.StartArray();
    for (const T& item : items) {
      value(item);
    }
    writer_.EndArray();
  }
  template <class T>
  void member(std::string_view name, const T& item) {
    key(name);
    value(item);
  }
  void member_raw(std::string_view name, const std::string& json) {
    key(name);
    raw(json, rapidjson::kObjectType);
  }
  /// Only where there is something to say.
  void member_if(std::string_view name, const std::string& text) {
    if (!text.empty()) {
      member(name, text);
    }
  }

  Writer<TextSink>& writer() { return writer_; }
  void flush() { sink_.Flush(); }
  std::string take() { return sink_.take(); }

 private:
  void raw(const std::string& json, rapidjson::Type type) {
    writer_.RawValue(json.data(), json.size(), type);
  }

  TextSink sink_;
  Writer<TextSink> writer_;
};

template <class Sink>
using CompactWriter = rapidjson::Writer<Sink>;
template <class Sink>
using ReadableWriter = rapidjson::PrettyWriter<Sink>;

class JsonOut : public BasicJsonOut<CompactWriter> {
  using BasicJsonOut::BasicJsonOut;
};
/// For people: two spaces of indent; what is short is put on one line with `line`.
class ReadableJsonOut : public BasicJsonOut<ReadableWriter> {
 public:
  ReadableJsonOut() { writer().SetIndent(' ', 2); }

  /// The text of a compact writer as one value on one line.
  void line(JsonOut& compact) {
    const std::string text = compact.take();
    writer().RawValue(text.data(), text.size(), rapidjson::kObjectType);
  }
  template <class T>
  void member_line(std::string_view name, const T& item) {
    JsonOut compact;
    compact.value(item);
    key(name);
    line(compact);
  }
};

/// Numbers of what is distinct, in the order it comes.
template <class Value>
class Numbering {
 public:
  std::uint32_t number(const Value& value) {
    const auto [slot, added] =
        numbers_.try_emplace(value, static_cast<std::uint32_t>(list_.size()));
    if (added) {
      list_.push_back(value);
    }
    return slot->second;
  }
  [[nodiscard]] const std::vector<Value>& list() const { return list_; }

 private:
  std::map<Value, std::uint32_t> numbers_;
  std::vector<Value> list_;
};

/// Short values of an array, several on a line: what has hundreds of thousands of them is read by
/// programs, and would else be a quarter indent.
class PackedLines {
 public:
  /// \param out  within an array; is borrowed
  explicit PackedLines(ReadableJsonOut& out) : out_(out) {}
  PackedLines(const PackedLines&) = delete;
  PackedLines& operator=(const PackedLines&) = delete;
  ~PackedLines() { end_line(); }

  void add(JsonOut& compact) {
    const std::string text = compact.take();
    if (line_.size() + text.size() > most_columns) {
      end_line();
    }
    line_ += (line_.empty() ? "" : ",") + text;
  }

 private:
  static constexpr std::size_t most_columns = 110;

  void end_line() {
    if (!line_.empty()) {
      out_.writer().RawValue(line_.data(), line_.size(), rapidjson::kObjectType);
      line_.clear();
    }
  }

  ReadableJsonOut& out_;
  std::string line_;
};

}  // namespace wakuzume
