// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#pragma once

#include <span>
#include <vector>

#include "wakuzume/routes.h"

/// Which materials come into one stack of layers, and how large those are.
namespace wakuzume {

struct StackMember {
  MaterialId material = no_material;
  double scale = 1;  ///< of its textures, by hand or by texel density; halvings of it are taken
};

/// A halving that changes no channel by more than this, in steps of 8 bits, loses nothing.
inline constexpr double invisible_peak = 1.5;
/// Times a picture may be halved without a loss that can be seen, of those that were measured.
std::uint32_t count_spare_halvings(const ImageFacts& facts);

/// Stacks of members of one kind. Layers hold the very texels of their pictures: smaller ones stand
/// in them several times, side by side, where their sampler repeats them anyway, and what fits no
/// whole number of times is in another stack. A member that would be alone is in none.
/// \param members   in the order of their places
/// \param contents  of each image, as make_image_contents of survey/parts.h has them
std::vector<LayerStack> make_stacks(const Scene& scene,
                                    std::span<const ImageFacts> images,
                                    std::span<const ContentHash> contents,
                                    const std::vector<StackMember>& members,
                                    const MaterialSettings& settings);

/// Share of the texels along a side that a member keeps; at most 1.
double find_kept_share(const Scene& scene,
                       std::span<const ImageFacts> images,
                       const LayerStack& stack,
                       MaterialId member);

/// What the arrays of a stack take without supercompression, with their mip levels.
std::uint64_t count_stack_bytes(const LayerStack& stack, const MaterialSettings& settings);

}  // namespace wakuzume
