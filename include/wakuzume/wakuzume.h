// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#pragma once

/// Everything at once, for users; the library itself includes only what it needs.
#include "wakuzume/apart.h"
#include "wakuzume/assess.h"
#include "wakuzume/budget.h"
#include "wakuzume/build.h"
#include "wakuzume/cost.h"
#include "wakuzume/culling.h"
#include "wakuzume/families.h"
#include "wakuzume/findings.h"
#include "wakuzume/image.h"
#include "wakuzume/io.h"
#include "wakuzume/ladder.h"
#include "wakuzume/propose.h"
#include "wakuzume/revise.h"
#include "wakuzume/scene.h"
#include "wakuzume/settings.h"
#include "wakuzume/sharing.h"
#include "wakuzume/split.h"
#include "wakuzume/survey.h"
#include "wakuzume/table.h"
#include "wakuzume/verify.h"
#include "wakuzume/version.h"
#include "wakuzume/views.h"
