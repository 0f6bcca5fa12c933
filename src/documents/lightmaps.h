// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#pragma once

#include "json/in.h"
#include "json/out.h"
#include "wakuzume/lightmaps.h"

namespace wakuzume {

/// The member "lightmaps" of plans and ledgers.
void write_lightmaps(ReadableJsonOut& out, const LightmapPlan& plan);
bool read_lightmaps(JsonIn& in, JsonValue value, const At& at, LightmapPlan& plan);

}  // namespace wakuzume
