// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#pragma once

#include <vector>

#include "wakuzume/texture_array.h"

namespace wakuzume {

/// Keeps the share of texels that are seen while a picture that is cut out becomes smaller.
/// \source I. Castano, Computing Alpha Mipmaps, 2010
class CutShares {
 public:
  /// \param full  the picture itself
  CutShares(const Pixels& full, const CutShare& cut);

  /// A level whose alpha is scaled, area by area, until as much is seen as of the picture.
  /// \param level  how often the picture was halved
  [[nodiscard]] Pixels keep(const Pixels& halved, std::uint32_t level) const;

 private:
  struct Area {
    TexelRect rect;
    double share = 0;
  };

  std::uint8_t least_ = 1;   ///< alpha that is seen
  std::vector<Area> areas_;  ///< the whole picture first
};

}  // namespace wakuzume
