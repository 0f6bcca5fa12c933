// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include "layout_sheets.h"

#include <set>

#include "wakuzume/delivery.h"
#include "wakuzume/sheets.h"

namespace wakuzume::cli {

Result<void> write_faulty_layouts(Command& command,
                                  const Prepared& source,
                                  const std::string& document) {
  std::set<std::uint32_t> pages;
  for (const LayoutFault& fault : source.routes.faults) {
    pages.insert(fault.page);
  }
  for (const std::uint32_t page : pages) {
    const auto sheet = paint_page_sheet(*source.source.origin, source.routes, page,
                                        command.tools().codec, command.run());
    if (!sheet) {
      return Failure(sheet.error());
    }
    const std::string& name = source.routes.pages[page].name;
    const std::string path = beside(document, ("." + name + ".svg").c_str());
    if (auto done = command.write(path, *sheet); !done) {
      return done;
    }
    command.console().warn(fmt::format("the layout of {} with its faults: {}", name, path));
  }
  return {};
}

}  // namespace wakuzume::cli
