// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#pragma once

#include <string>

#include "wakuzume/build.h"
#include "wakuzume/propose.h"
#include "wakuzume/survey.h"
#include "wakuzume/verify.h"
#include "wakuzume/words.h"

/// Results as text for people, at most 100 columns wide.
namespace wakuzume::cli {

/// "12.3 times fewer", "2 times more", "0.3 % more" or "the same".
std::string to_factor(std::uint64_t before, std::uint64_t after);
/// How many draws stay as they are, by rule; empty when all are free.
std::string print_staying(const Survey& survey);
std::string to_text(const Ledger& ledger);
/// What a build made beside the scene, and what its cache was good for.
std::string print_extras(const Built& built);
/// What a loader has to know for a file, and what one that knows no extension does not show.
std::string print_needs(const Scene& written);
/// What becomes of the extensions of a file.
std::string print_extensions(const Scene& scene);
/// What a restore put back.
std::string to_change(const Ledger& before, const Ledger& after);
std::string to_text(const Verdict& verdict);
/// Before and after side by side, with the factor between them.
std::string to_comparison(const Totals& before,
                          const Totals& after,
                          const char* name_before = "before",
                          const char* name_after = "after");

}  // namespace wakuzume::cli
