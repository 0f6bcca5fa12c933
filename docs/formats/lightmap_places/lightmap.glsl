// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT

// Vertex shader. lightmap_place is {1, 1, 0, 0} for what has no place of its own, a uniform for a
// node with one, and the instance's attribute _LIGHTMAP for a set that has it.
vec2 find_lightmap_uv(vec2 uv, vec4 lightmap_place) {
  return uv * lightmap_place.xy + lightmap_place.zw;
}
