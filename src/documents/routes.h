// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#pragma once

#include "json/in.h"
#include "json/out.h"
#include "wakuzume/routes.h"

namespace wakuzume {

/// The member "materials" of plans and ledgers.
void write_routes(ReadableJsonOut& out, const RoutePlan& routes);
bool read_routes(JsonIn& in, JsonValue value, const At& at, RoutePlan& routes);

}  // namespace wakuzume
