// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#pragma once

#include <string>

#include "wakuzume/lightmaps.h"

/// Names of files of pages' pictures.
namespace wakuzume {

/// ".png", ".hdr" or ".exr". \param format  of a grid
std::string find_ending(const std::string& format);

}  // namespace wakuzume
