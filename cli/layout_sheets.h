// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#pragma once

#include <string>

#include "command.h"

namespace wakuzume::cli {

/// A picture of each layout that has faults, beside a document; tells where they are.
Result<void> write_faulty_layouts(Command& command,
                                  const Prepared& source,
                                  const std::string& document);

}  // namespace wakuzume::cli
