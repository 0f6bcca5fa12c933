// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#pragma once

/// Forward declarations of the types that the stages hand to each other.
namespace wakuzume {

struct Built;
struct Error;
struct Ledger;
struct Plan;
struct ProposeSettings;
struct RunControl;
struct Scene;
struct Settings;
struct Survey;
struct SurveySettings;
struct Verdict;
struct VerifySettings;
class Observer;

}  // namespace wakuzume
