// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#pragma once

#include <cstdint>
#include <string>
#include <string_view>
#include <vector>

#include "wakuzume/scene.h"

/// extensions: what of a file goes beyond glTF 2.0, what becomes of it, and what is lost on loaders
/// that do not know it.
namespace wakuzume {

enum class ExtensionFate : std::uint8_t {
  undone,      ///< on reading: the scene has what it stood for
  understood,  ///< part of the scene model; results have what they need of it
  carried,     ///< untouched, wherever its owner survives; what a merge would lose stays as it is
};
std::string_view to_string(ExtensionFate fate);

struct ExtensionUse {
  std::string name;
  bool required = false;  ///< a loader that does not know it may not open the file at all
  ExtensionFate fate = ExtensionFate::carried;
  std::string in_results;  ///< what results have of it, by the choices there are
  std::string without;     ///< what a loader that does not know it does not show; empty: nothing
};

/// Those that the scene names as used, in their order, then those that the reader undid.
std::vector<ExtensionUse> list_extensions(const Scene& scene);

/// The same for a file that the scene is written to: what the reader undid is none of it, and
/// packed streams are.
std::vector<ExtensionUse> list_written_extensions(const Scene& scene);

}  // namespace wakuzume
