// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#pragma once

#include <algorithm>
#include <cstddef>
#include <memory>
#include <span>
#include <string>
#include <utility>
#include <vector>

namespace wakuzume {

/// Immutable bytes with shared ownership: a mapped file, a decoded URI, freshly built geometry.
/// Copies share the bytes; `data()` stays valid while any copy lives.
class Bytes {
 public:
  Bytes() = default;
  /// Told of bytes that can be had again from where they came, and take no memory meanwhile.
  using LetGo = void (*)(std::span<const std::byte>);

  Bytes(std::shared_ptr<const void> keeper,
        std::span<const std::byte> data,
        LetGo release = nullptr)
      : keeper_(std::move(keeper)), data_(data), let_go_(release) {}

  [[nodiscard]] std::span<const std::byte> data() const { return data_; }
  [[nodiscard]] std::size_t size() const { return data_.size(); }
  /// A part that shares the ownership. \pre offset + size <= this->size()
  [[nodiscard]] Bytes part(std::size_t offset, std::size_t size) const {
    return {keeper_, data_.subspan(offset, size), let_go_};
  }
  /// By their values.
  friend bool operator==(const Bytes& a, const Bytes& b) {
    return std::equal(a.data_.begin(), a.data_.end(), b.data_.begin(), b.data_.end());
  }
  /// A hint that they are not wanted for a while. They stay valid.
  void let_go() const {
    if (let_go_ != nullptr) {
      let_go_(data_);
    }
  }

 private:
  std::shared_ptr<const void> keeper_;
  std::span<const std::byte> data_;
  LetGo let_go_ = nullptr;
};

/// Takes over the storage of a vector of any trivially copyable type.
template <class T>
Bytes make_bytes(std::vector<T> values) {
  auto keeper = std::make_shared<const std::vector<T>>(std::move(values));
  return {keeper, std::as_bytes(std::span<const T>(*keeper))};
}

/// A value that is seldom there: one pointer when absent, deep copies when present.
template <class T>
class Boxed {
 public:
  Boxed() = default;
  // NOLINTNEXTLINE(google-explicit-constructor): converts like std::optional
  Boxed(T value) : value_(std::make_unique<T>(std::move(value))) {}
  Boxed(const Boxed& other) : value_(other ? std::make_unique<T>(*other) : nullptr) {}
  Boxed(Boxed&&) noexcept = default;
  Boxed& operator=(const Boxed& other) { return *this = Boxed(other); }
  Boxed& operator=(Boxed&&) noexcept = default;
  ~Boxed() = default;

  explicit operator bool() const { return value_ != nullptr; }
  const T& operator*() const { return *value_; }
  const T* operator->() const { return value_.get(); }
  /// The value, made with its defaults if it was absent.
  T& ensure() {
    if (!value_) {
      value_ = std::make_unique<T>();
    }
    return *value_;
  }
  void reset() { value_.reset(); }

 private:
  std::unique_ptr<T> value_;
};

/// A member of a JSON object, kept as the text it was read from.
struct RawMember {
  std::string name;
  std::string json;  ///< one valid JSON value
};

/// What an object carries beyond what this library understands. It is written back untouched.
struct Extra {
  std::string extras;                 ///< raw JSON of the `extras` member; empty when absent
  std::vector<RawMember> extensions;  ///< extensions that are not part of the scene model
  std::vector<RawMember> members;     ///< members that no version of the standard names
};

}  // namespace wakuzume
