// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#pragma once

#include <optional>
#include <string>
#include <vector>

#include "command.h"
#include "wakuzume/mend.h"
#include "wakuzume/repaint.h"
#include "wakuzume/restore.h"
#include "wakuzume/verify_views.h"

/// Scenes as plans are made for them: read, split, repainted.
namespace wakuzume::cli {

struct Source {
  Scene scene;
  std::optional<Scene> origin;  ///< before it was repainted; nothing: it was not
  PageImages images{};          ///< of its pages
};

Result<Source> read_source(Command& command,
                           const std::string& path,
                           const SplitSettings& split,
                           const RoutePlan& routes);

/// Paints the pages of a source into what was built from it, and into its assets.
Result<void> paint_into(Command& command,
                        const Source& source,
                        const RoutePlan& routes,
                        Built& built);

/// A result of the same source that was proved before.
struct ProvedBefore {
  Ledger ledger;
  Verdict verdict;
};

/// The audit, where materials are shared also how they look, the same views drawn of both, budgets.
/// \param audience  is shown the views; may be null
/// \param earlier  of which looks and views are taken over that show what they did; may be null
Result<Verdict> prove(Command& command,
                      const Source& source,
                      const Ledger& ledger,
                      Scene after,
                      ViewAudience* audience = nullptr,
                      const ProvedBefore* earlier = nullptr);

/// Puts back what is chosen. \param built  as it was read; loses the bytes of its pages
Result<Built> put_back(Command& command,
                       const Source& source,
                       const Ledger& ledger,
                       Scene built,
                       const RestoreChoice& choice);

}  // namespace wakuzume::cli
