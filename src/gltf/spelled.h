// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#pragma once

#include <cstdint>

/// Bits of the `spelled` members of the scene: defaults that the file wrote out, so that the
/// writer writes them out again.
namespace wakuzume::spelled {

namespace node {
inline constexpr std::uint32_t translation = 1, rotation = 2, scale = 4;
}
namespace material {
inline constexpr std::uint32_t base_color = 1, metallic = 2, roughness = 4, emissive = 8,
                               alpha_mode = 16, alpha_cutoff = 32, double_sided = 64, pbr = 128;
}
namespace slot {
inline constexpr std::uint32_t texcoord = 1, factor = 2;
}
namespace uv_transform {
inline constexpr std::uint32_t offset = 1, rotation = 2, scale = 4;
}
namespace sampler {
inline constexpr std::uint32_t wrap_s = 1, wrap_t = 2;
}
namespace stream {
inline constexpr std::uint32_t offset = 1, normalized = 2;
}
namespace primitive {
inline constexpr std::uint32_t mode = 1;
}
namespace light {
inline constexpr std::uint32_t color = 1, intensity = 2, inner_cone = 4, outer_cone = 8, spot = 16;
}

}  // namespace wakuzume::spelled
