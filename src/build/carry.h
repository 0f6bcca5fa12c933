// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#pragma once

#include "wakuzume/build.h"

/// A result that carries its source along. The source's tables are the first entries of the
/// result's; only nodes are copied, into a glTF scene that is marked and not shown.
namespace wakuzume {

/// Adds the copies, so that nothing of the source is left without use.
/// \param out  began as a copy of the source, whose nodes are still the first
SourceCopy carry_source(const Scene& source, Scene& out);

}  // namespace wakuzume
