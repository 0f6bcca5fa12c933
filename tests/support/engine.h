// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#pragma once

#include <cstdint>
#include <filesystem>
#include <string>
#include <vector>

#include "wakuzume/pixels.h"
#include "wakuzume/views.h"

/// Real engines in a browser: they read files by code of their own, and count what they draw.
namespace wakuzume::test {

struct EngineShot {
  std::uint64_t calls = 0;
  std::uint64_t triangles = 0;
  Pixels picture;
};

/// three.js, or with "--babylon" Babylon.js. By scene and view.
/// \param scenes  names of files in the folder
/// \param times   shots of each view, where it is drawn at several
std::vector<std::vector<EngineShot>> ask_engine(const std::filesystem::path& folder,
                                                const std::vector<Viewpoint>& views,
                                                std::uint32_t width_px,
                                                const std::vector<std::string>& scenes,
                                                const std::vector<std::string>& options = {},
                                                std::size_t times = 1);

}  // namespace wakuzume::test
