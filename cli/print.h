// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#pragma once

#include <string>

#include "wakuzume/build.h"
#include "wakuzume/propose.h"
#include "wakuzume/survey.h"
#include "wakuzume/verify.h"

/// Results as text for people, at most 100 columns wide.
namespace wakuzume::cli {

/// How many draws stay as they are, by rule; empty when all are free.
std::string print_staying(const Survey& survey);
std::string to_text(const Scene& scene, const Plan& plan);
std::string to_text(const Ledger& ledger);
std::string to_text(const Verdict& verdict);
/// Before and after side by side, with the factor between them.
std::string to_comparison(const Totals& before, const Totals& after);

}  // namespace wakuzume::cli
