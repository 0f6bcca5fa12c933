// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#pragma once

#include <vector>

#include "wakuzume/build.h"
#include "wakuzume/routes.h"
#include "wakuzume/scene.h"
#include "wakuzume/verify.h"

/// mend: what to take back of a result that its proof rejects.
///
/// In: a source, the ledger of the result and the verdict on it. Out: draws and materials to plan
/// without: propose_routes and propose take them.
/// 1. Whatever is taken back stays so: each round leaves less to reject, and the last has nothing.
/// 2. A look is mended at the material before the draw, and at a larger tile before none; a shape
///    at the repeat before the merge.
/// 3. What shows through blended draws is to blame before they are.
namespace wakuzume {

struct MendStep {
  std::vector<TakenBack> draws;              ///< ascending
  std::vector<MaterialTakenBack> materials;  ///< ascending
  std::vector<DrawRef> whole;                ///< get the triangles back that they had; ascending
  [[nodiscard]] bool empty() const { return draws.empty() && materials.empty() && whole.empty(); }
};

/// What is taken back next; empty where nothing is left that could help, or nothing was rejected.
/// \param origin  the scene before it was repainted; the source where it was not
/// \param unreduced  the scene before its meshes were reduced, too; `origin` where they were not
/// \cost O((rows + rejections) log rows)
MendStep choose_mends(const Scene& origin,
                      const Scene& unreduced,
                      const Ledger& ledger,
                      const Verdict& verdict);

/// Adds to lists of what was taken back; what is there already stays, but for a material that goes
/// farther.
void add_mends(const MendStep& step,
               std::vector<TakenBack>& draws,
               std::vector<MaterialTakenBack>& materials);

/// What a result shows otherwise than an earlier one of the same source: what is left needs no new
/// proof.
struct Changes {
  std::vector<DrawRef> draws;         ///< ascending
  std::vector<MaterialId> materials;  ///< whose texels are elsewhere, ascending
};

/// Draws count as changed with all that they were or are built together with.
/// \param origin  the scene before it was repainted; the source where it was not
/// \pre both ledgers have the source's draws in its order
/// \cost O(rows log rows)
Changes find_changes(const Scene& origin, const Ledger& earlier, const Ledger& later);

}  // namespace wakuzume
