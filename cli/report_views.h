// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#pragma once

#include <string>
#include <vector>

#include "command.h"
#include "wakuzume/picture.h"
#include "wakuzume/report.h"
#include "wakuzume/verify_views.h"

/// Pictures of what is compared, for the report page and for folders.
namespace wakuzume::cli {

/// Keeps the views as the report page wants them.
class ReportAudience final : public ViewAudience {
 public:
  /// \param threads  1: pictures are made one after the other
  explicit ReportAudience(unsigned threads) : threads_(threads) {}

  void begin(const DrawnScene& before, const DrawnScene& after) override;
  void show(std::size_t number,
            const Viewpoint& view,
            const Shot& before,
            const Shot& after,
            const Pixels& heat) override;
  std::vector<ReportView> take_views() { return std::move(views_); }

 private:
  unsigned threads_;
  DrawClasses before_;
  DrawClasses after_;
  std::vector<ReportView> views_;
};

/// Writes three PNGs a view into a folder: NUMBER_name_before, _after and _heat.
class FolderAudience final : public ViewAudience {
 public:
  explicit FolderAudience(std::string folder) : folder_(std::move(folder)) {}
  void begin(const DrawnScene& before, const DrawnScene& after) override;
  void show(std::size_t number,
            const Viewpoint& view,
            const Shot& before,
            const Shot& after,
            const Pixels& heat) override;
  /// The first thing that could not be written.
  [[nodiscard]] const Result<void>& done() const { return done_; }

 private:
  void write(const std::string& name, const Pixels& pixels);

  std::string folder_;
  Result<void> done_;
};

/// Small pictures of the pages and stacks of a result. \param result  with their bytes
std::vector<ReportSheet> make_sheets(const Scene& result, const Ledger& ledger);

}  // namespace wakuzume::cli
