// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#pragma once

#include <array>
#include <cstdint>
#include <string>
#include <string_view>
#include <vector>

#include "wakuzume/ids.h"
#include "wakuzume/result.h"
#include "wakuzume/scene.h"

/// Wavefront OBJ and MTL as statements, before they become a scene.
namespace wakuzume {

/// Positions in the lists of an ObjFile; no_index where a corner has none.
struct ObjCorner {
  std::uint32_t position = no_index;
  std::uint32_t uv = no_index;
  std::uint32_t normal = no_index;
  bool operator==(const ObjCorner&) const = default;
};

enum class ObjElement : std::uint8_t { points, lines, faces };

/// Points, lines or faces of one object and group under one material.
struct ObjRun {
  std::string object;
  std::string group;
  std::string material;  ///< empty: none was named
  ObjElement kind = ObjElement::faces;
  bool normals = false;            ///< every corner has one
  std::vector<ObjCorner> corners;  ///< 1 a point, 2 a line, 3 a triangle
};

struct ObjFile {
  std::vector<std::array<float, 3>> positions;
  std::vector<std::array<float, 4>> colors;   ///< as long as positions, or empty
  std::vector<std::array<float, 2>> uvs;      ///< v goes up
  std::vector<std::array<float, 3>> normals;  ///< those of smoothing groups behind the file's own
  std::vector<std::string> libraries;         ///< as mtllib has them, each line whole
  std::vector<ObjRun> runs;                   ///< one a distinct combination, in first-seen order
  std::vector<SkippedPart> skipped;           ///< a kind of fault each, in first-seen order
};

/// Faces with more than three corners are cut into triangles by their ears (G. H. Meisters, 1975);
/// those with more than 1,000 corners into a fan. What can't be read is left out and listed.
/// \param text  UTF-8
/// \error bad_value  nothing in it can be used; the place is the "line N" of the first fault
Result<ObjFile> parse_obj(std::string_view text);

/// A map_... statement: the name of a file behind its options.
struct MtlTexture {
  std::string name;  ///< as it stands, quotes taken off; empty: none
  std::array<float, 2> scale{1, 1};
  std::array<float, 2> offset{0, 0};
  float bump = 1;
  bool clamp = false;
};

struct MtlMaterial {
  std::string name;
  std::array<float, 3> diffuse{0.8F, 0.8F, 0.8F};
  std::array<float, 3> emission{0, 0, 0};
  float alpha = 1;
  float shininess = -1;  ///< Ns; below 0: not given
  float roughness = -1;  ///< Pr; below 0: not given
  float metallic = 0;
  MtlTexture diffuse_map;
  MtlTexture emission_map;
  MtlTexture normal_map;  ///< norm, else map_Bump or bump
  MtlTexture roughness_map;
  MtlTexture metallic_map;
  MtlTexture alpha_map;
  std::vector<std::array<std::string, 2>> others;  ///< statements without a place in glTF
};

struct MtlFile {
  std::vector<MtlMaterial> materials;
  std::vector<SkippedPart> skipped;  ///< a kind of fault each, in first-seen order
};

/// Numbers that can't be read keep their default: libraries are written by hand more than any other
/// file. \param text  UTF-8
MtlFile parse_mtl(std::string_view text);

}  // namespace wakuzume
