// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#pragma once

#include <string>

#include "wakuzume/lightmaps.h"

/// Names of pages' pictures.
namespace wakuzume {

/// The pattern filled in, without an ending.
std::string name_picture(const LightmapSettings& settings, const std::string& page);
/// ".png", ".hdr" or ".exr". \param format  of a grid
std::string find_ending(const std::string& format);

}  // namespace wakuzume
