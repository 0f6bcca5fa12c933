// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#pragma once

#include <cstdint>
#include <string>

#include "wakuzume/ladder.h"
#include "wakuzume/propose.h"
#include "wakuzume/routes.h"
#include "wakuzume/survey.h"
#include "wakuzume/verify.h"

/// Numbers and codes as people say them.
namespace wakuzume {

/// 1234567 as "1,234,567".
std::string group_digits(std::uint64_t number);
/// "1 mesh", "7,000 meshes".
std::string plural(std::uint64_t count, const char* one, const char* many);

/// Halves of sentences that follow a number or a name.
const char* explain(Rung rung);          ///< a step of the ladder
const char* explain(StayRule rule);      ///< why draws stay
const char* explain(KeepReason reason);  ///< why draws are in no group; empty for must_stay
const char* explain(Route route);        ///< what becomes of materials
const char* explain(PixelFault fault);   ///< what is wrong with pixels

}  // namespace wakuzume
