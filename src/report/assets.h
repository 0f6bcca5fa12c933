// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#pragma once

#include <string_view>

/// Files that travel inside of the library.
namespace wakuzume::assets {

std::string_view font_regular();
std::string_view font_bold();
std::string_view chart_script();
std::string_view page_html();
std::string_view page_style();
std::string_view page_script();

}  // namespace wakuzume::assets
