// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#pragma once

#include "wakuzume/image_facts.h"
#include "wakuzume/pixels.h"

namespace wakuzume {

/// Fills in what halving a picture loses: boxes of two by two are averaged, and what comes of it is
/// looked up between pixels as a GPU does, at the place of every pixel of the first.
/// \cost O(pixels) for the first halving, and for each further one where the one before lost little
void measure_detail(const Pixels& pixels, ImageFacts& facts);

}  // namespace wakuzume
