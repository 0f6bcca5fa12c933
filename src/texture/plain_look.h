// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#pragma once

#include "wakuzume/repaint.h"

/// What those see who do not know textures of layers.
namespace wakuzume {

/// Gives each mesh of a result that shows layers primitives beside them that show the same with the
/// materials the layers were made of: same vertices, the indices by member.
/// \pre the first materials of `built` are those of the scene the routes are for; `images` are the
///      pages' and stacks' in `built`
/// \error too_large  no memory for the indices
Result<void> add_plain_looks(const RoutePlan& routes, const PageImages& images, Scene& built);

}  // namespace wakuzume
