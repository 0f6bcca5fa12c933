// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#pragma once

#include <cstdint>
#include <string_view>

/// What the writer and the reader of plans share.
namespace wakuzume {

inline constexpr const char* plan_format = "wakuzume-plan";
inline constexpr std::uint32_t plan_version = 16;

/// Tables of the settings that a plan depends on.
inline bool is_planned(std::string_view table) {
  return table == "split" || table == "survey" || table == "propose" || table == "geometry" ||
         table == "gpu_pictures" || table == "families";
}

}  // namespace wakuzume
