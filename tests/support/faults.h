// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#pragma once

#include <cstdint>
#include <string>
#include <string_view>

#include "wakuzume/build.h"

/// Results that are wrong in one thing, as a builder's mistake would make them.
namespace wakuzume::test {

enum class Fault : std::uint8_t {
  moved,              ///< a part stands 1 cm beside its place
  winding,            ///< its triangles face the other way
  missing,            ///< it covers nothing
  materials_swapped,  ///< two results show each other's material, or tiles each other's picture
  uvs_shifted,        ///< by four texels of what it shows
  normals_reversed,
  other_lightmap,  ///< its extras name another page
  mirror_lost      ///< what was mirrored stands as if it were not
};
inline constexpr std::size_t fault_count = 8;
std::string_view to_string(Fault fault);

/// Breaks one draw of a result, and gives the ledger the hash of what came of it: nothing but the
/// fault itself tells.
/// \param source  what was built
/// \return the name of its node and what became of it; empty where the scene holds nothing that can
///         be broken so
std::string break_result(
    const Scene& source, Fault fault, std::uint32_t seed, Scene& result, Ledger& ledger);

/// Moves the UVs of one draw by so many texels of a shared picture, in a scene that was repainted.
/// \param images  of the pages and stacks in `repainted`
/// \return the name of its node; empty where none shows such a picture
std::string shift_shared_uvs(const Scene& origin,
                             const RoutePlan& routes,
                             const PageImages& images,
                             std::uint32_t seed,
                             Scene& repainted);

/// Makes one tile or layer of the pictures that were painted show another's texels.
/// \param images  of the pages and stacks in `painted`
/// \return what became of it; empty where all look alike
std::string swap_shared_pictures(const RoutePlan& routes, const PageImages& images, Scene& painted);

}  // namespace wakuzume::test
