// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#pragma once

#include "collada/document.h"

namespace wakuzume::collada {

/// A matrix as the file has it, row by row. \pre 16 numbers
Mat4d make_of_rows(const std::vector<double>& numbers);
/// One transform element of a node; the identity where it is none, or is damaged, which is told.
Mat4d read_transform(Document& document, const pugi::xml_node& element);

}  // namespace wakuzume::collada
