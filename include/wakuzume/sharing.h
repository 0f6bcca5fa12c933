// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#pragma once

#include <array>
#include <cstdint>
#include <span>
#include <string>
#include <string_view>
#include <vector>

#include "wakuzume/image_facts.h"
#include "wakuzume/scene.h"
#include "wakuzume/survey.h"

/// Sharing: which meshes, materials and images several scenes have in common, by content.
namespace wakuzume {

enum class SharedKind : std::uint8_t { mesh, material, image };
inline constexpr std::size_t shared_kind_count = 3;
std::string_view to_string(SharedKind kind);

/// One of the scenes. Borrowed for the length of the call.
struct SharingInput {
  const Scene* scene = nullptr;
  const Survey* survey = nullptr;
  std::span<const ImageFacts> images;  ///< empty, or one entry an image
};

/// A mesh, material or image that is drawn, wherever it is stored.
struct SharedPart {
  SharedKind kind = SharedKind::mesh;
  std::string name;  ///< in the first scene that has it
  std::uint64_t bytes = 0;
  std::vector<std::uint32_t> scenes;  ///< ascending positions of the inputs
};

/// Assets that are used by exactly these scenes: they can be packed and loaded together.
struct SharedPack {
  std::vector<std::uint32_t> scenes;
  std::array<std::uint64_t, shared_kind_count> counts{};  ///< indexed by SharedKind
  std::uint64_t bytes = 0;
};

struct Sharing {
  std::vector<SharedPart> parts;  ///< by kind, then by the first scene and its table order
  std::vector<SharedPack> packs;  ///< most scenes first, then most bytes
};

/// Meshes are equal when their primitives have the same geometry under equal materials, materials
/// when they are equal by value, images when they show the same pixels (or, without image facts,
/// have the same encoded bytes).
/// \cost O(parts log parts)
Sharing find_sharing(std::span<const SharingInput> inputs);

}  // namespace wakuzume
