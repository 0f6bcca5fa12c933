// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#pragma once

#include <fmt/format.h>

#include <optional>
#include <string>
#include <type_traits>
#include <utility>

#include "wakuzume/scene.h"

/// Keeps the first thing found wrong with a scene. The checks return false to unwind.
namespace wakuzume {

class Checker {
 public:
  explicit Checker(const Scene& scene) : scene_(scene) {}

  bool check_tables();                        ///< references between the tables, ranges of bytes
  bool check_geometry();                      ///< what the streams are used for
  bool check_indices(const RunControl& run);  ///< the index data itself

  [[nodiscard]] const std::optional<Error>& error() const { return error_; }

 private:
  /// Where a file has one of a mesh's two lists of primitives.
  static std::string find_place(const Mesh& mesh,
                                std::size_t number,
                                const std::vector<Primitive>& list);

  template <class... Args>
  bool fail(ErrorCode code,
            std::string pointer,
            fmt::format_string<Args...> format,
            Args&&... args) {
    error_ =
        Error{code, fmt::format(format, std::forward<Args>(args)...), {"", std::move(pointer)}};
    return false;
  }
  /// True when `id` is its type's null or a position of a table of `size` entries.
  /// \param pointer  text, or a function that makes it: formatting a place costs far more than
  ///                 the check, so hot loops pass a function
  template <class Id, class Pointer>
  bool refers(Id id, std::size_t size, const char* what, const Pointer& pointer) {
    if (to_index(id) == no_index || to_index(id) < size) {
      return true;
    }
    std::string place;
    if constexpr (std::is_invocable_v<Pointer>) {
      place = pointer();
    } else {
      place = pointer;
    }
    return fail(ErrorCode::index_out_of_range, std::move(place),
                "{} {} does not exist, there are {}", what, to_index(id), size);
  }
  bool present(bool there, const std::string& pointer, const char* what) {
    return there || fail(ErrorCode::missing_member, pointer, "{} is required", what);
  }

  bool check_views();
  bool check_stream(const Stream& stream, const std::string& at);
  bool check_sparse(const Stream& stream, const std::string& at);
  bool check_range(ViewId view,
                   std::uint64_t offset,
                   std::uint64_t count,
                   ComponentType component,
                   std::uint64_t element_size,
                   const std::string& at);
  bool check_materials();
  bool check_slot(const TextureSlot& slot, const std::string& at);
  bool check_nodes();
  bool check_animations();
  bool check_levels();
  bool check_primitive(const Primitive& primitive, const std::string& at);
  bool check_attribute(const Attribute& attribute, const std::string& at);
  bool check_instancing(const Instancing& instancing, const std::string& at);

  const Scene& scene_;
  std::optional<Error> error_;
};

}  // namespace wakuzume
