// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#pragma once

#include "wakuzume/scene.h"

/// Whether two materials look alike. Written apart from the stages whose work it judges.
namespace wakuzume {

bool same_extra(const Boxed<Extra>& a, const Boxed<Extra>& b);

/// The same in all that shows, textures by their pictures; names may differ.
bool same_material(const Scene& before, const Material& a, const Scene& after, const Material& b);

/// A material as one instance shows it: times the factors that the instance carries. What comes as
/// near to the factors of `wanted` as its storage allows becomes equal to them.
Material make_tinted(const Scene& after,
                     const Material& material,
                     const Instancing& set,
                     std::uint32_t instance,
                     const Material& wanted);

}  // namespace wakuzume
