// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include "report/assets.h"

extern "C" {
// Of assets.S, which takes the files in as they are.
extern const char wakuzume_font_regular[], wakuzume_font_regular_end[];
extern const char wakuzume_font_bold[], wakuzume_font_bold_end[];
extern const char wakuzume_chart_script[], wakuzume_chart_script_end[];
extern const char wakuzume_page_html[], wakuzume_page_html_end[];
extern const char wakuzume_page_style[], wakuzume_page_style_end[];
extern const char wakuzume_page_script[], wakuzume_page_script_end[];
}

namespace wakuzume::assets {
namespace {

std::string_view span(const char* begin, const char* end) {
  return {begin, static_cast<std::size_t>(end - begin)};
}

}  // namespace

std::string_view font_regular() { return span(wakuzume_font_regular, wakuzume_font_regular_end); }
std::string_view font_bold() { return span(wakuzume_font_bold, wakuzume_font_bold_end); }
std::string_view chart_script() { return span(wakuzume_chart_script, wakuzume_chart_script_end); }
std::string_view page_html() { return span(wakuzume_page_html, wakuzume_page_html_end); }
std::string_view page_style() { return span(wakuzume_page_style, wakuzume_page_style_end); }
std::string_view page_script() { return span(wakuzume_page_script, wakuzume_page_script_end); }

}  // namespace wakuzume::assets
