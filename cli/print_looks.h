// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#pragma once

#include <string>

#include "wakuzume/job.h"

/// What became of a scene before it was planned: draws in pieces, routes of materials.
namespace wakuzume::cli {

/// Empty where it is as it was read.
std::string to_text(const Prepared& prepared);
/// The routes of materials alone.
std::string print_materials(const Prepared& prepared);

/// Of a repaint: which lightmap pages have pictures, and how many joined ones were written.
std::string tell_lightmaps(const LightmapPlan& plan, std::size_t files);

}  // namespace wakuzume::cli
