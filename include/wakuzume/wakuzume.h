// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#pragma once

/// Everything at once, for users; the library itself includes only what it needs.
#include "wakuzume/build.h"
#include "wakuzume/image.h"
#include "wakuzume/io.h"
#include "wakuzume/propose.h"
#include "wakuzume/scene.h"
#include "wakuzume/settings.h"
#include "wakuzume/survey.h"
#include "wakuzume/verify.h"
#include "wakuzume/version.h"
