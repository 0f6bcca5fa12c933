// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#pragma once

#include "wakuzume/ladder.h"
#include "wakuzume/propose.h"
#include "wakuzume/routes.h"
#include "wakuzume/survey.h"
#include "wakuzume/verify.h"

/// What codes mean, as people say it: halves of sentences that follow a number or a name.
namespace wakuzume {

const char* explain(Rung rung);          ///< a step of the ladder
const char* explain(StayRule rule);      ///< why draws stay
const char* explain(KeepReason reason);  ///< why draws are in no group; empty for must_stay
const char* explain(Route route);        ///< what becomes of materials
const char* explain(PixelFault fault);   ///< what is wrong with pixels

}  // namespace wakuzume
