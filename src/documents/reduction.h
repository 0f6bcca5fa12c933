// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#pragma once

#include "json/in.h"
#include "json/out.h"
#include "wakuzume/reduce.h"

namespace wakuzume {

/// The member "reduction" of plans and ledgers.
void write_reduction(ReadableJsonOut& out, const ReducePlan& plan);
bool read_reduction(JsonIn& in, JsonValue value, const At& at, ReducePlan& plan);

}  // namespace wakuzume
