// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include "wakuzume/mend.h"

#include <algorithm>
#include <map>
#include <optional>
#include <set>

#include "plan/proposer.h"

namespace wakuzume {
namespace {

class MendFinder {
 public:
  MendFinder(const Scene& origin,
             const Scene& unreduced,
             const Ledger& ledger,
             const Verdict& verdict)
      : origin_(origin), unreduced_(unreduced), ledger_(ledger), verdict_(verdict) {
    for (const LedgerRow& row : ledger.rows) {
      fates_.emplace(row.source, row.fate);
    }
    for (const MeshTarget& target : ledger.reduction.meshes) {
      reduced_.insert(target.mesh);
    }
  }

  MendStep find() {
    for (const Rejection& rejection : verdict_.rejected) {
      if (!is_blended(rejection)) {
        take(rejection);
      }
    }
    if (step_.empty() && whole_.empty()) {
      for (const Rejection& rejection : verdict_.rejected) {
        take(rejection);
      }
    }
    step_.whole.assign(whole_.begin(), whole_.end());
    for (auto& [id, taken] : materials_) {
      step_.materials.push_back(std::move(taken));
    }
    return std::move(step_);
  }

 private:
  [[nodiscard]] MaterialId material_of(const DrawRef& draw) const {
    return primitive_of(origin_, draw).material;
  }

  [[nodiscard]] bool is_blended(const Rejection& rejection) const {
    const MaterialId id =
        rejection.draw.node == no_node ? rejection.material : material_of(rejection.draw);
    return id != no_material && origin_[id].alpha_mode == AlphaMode::blend;
  }

  void take(const Rejection& rejection) {
    if (rejection.draw.node == no_node) {
      take_material(rejection.material, rejection.why);
      return;
    }
    if (is_reduced(rejection.draw)) {
      whole_.insert(rejection.draw);
      return;
    }
    const bool look = rejection.about == RejectedFor::look && shows_shared(rejection.draw) &&
                      take_material(material_of(rejection.draw), rejection.why);
    const auto fate = fates_.find(rejection.draw);
    if (look || fate == fates_.end()) {
      return;
    }
    if (fate->second == Fate::instanced) {
      add_taken_back(step_.draws, {rejection.draw, TakenFrom::repeats, rejection.why});
    } else if (fate->second == Fate::merged) {
      add_taken_back(step_.draws, {rejection.draw, TakenFrom::merges, rejection.why});
    }
  }

  [[nodiscard]] bool is_reduced(const DrawRef& draw) const {
    const std::vector<DrawRef>& untouched = ledger_.reduction.untouched;
    return reduced_.contains(unreduced_[draw.node].mesh) &&
           !std::binary_search(untouched.begin(), untouched.end(), draw);
  }

  [[nodiscard]] bool shows_shared(const DrawRef& draw) const {
    const RoutePlan& routes = ledger_.routes;
    const auto holds = [&](const std::vector<DrawRef>& list) {
      return std::binary_search(list.begin(), list.end(), draw);
    };
    return !holds(routes.untouched) && !holds(routes.left_alone);
  }

  /// \return whether there is something about the material that can be taken back
  bool take_material(MaterialId id, const std::string& why) {
    const MaterialRoute* route = id == no_material ? nullptr : ledger_.routes.find(id);
    while (route != nullptr && route->onto != no_material) {
      route = ledger_.routes.find(route->onto);
    }
    if (route == nullptr || (route->page == no_index && route->stack == no_index)) {
      return false;
    }
    const auto& taken = ledger_.routes.taken_back;
    const bool known = std::any_of(taken.begin(), taken.end(), [&](const MaterialTakenBack& t) {
      return t.material == route->material;
    });
    const TakenTo to = !known && is_shrunk(*route) ? TakenTo::larger : TakenTo::stay;
    materials_.try_emplace(route->material, MaterialTakenBack{route->material, to, why});
    return true;
  }

  [[nodiscard]] bool is_shrunk(const MaterialRoute& route) const {
    if (route.page == no_index) {
      return false;
    }
    const Tile& tile = ledger_.routes.pages[route.page].tiles[route.tile];
    return !tile.solid() && !tile.baked() &&
           (static_cast<std::int64_t>(tile.size.width_px) < tile.used.width ||
            static_cast<std::int64_t>(tile.size.height_px) < tile.used.height);
  }

  const Scene& origin_;
  const Scene& unreduced_;
  const Ledger& ledger_;
  const Verdict& verdict_;
  std::map<DrawRef, Fate> fates_;
  std::set<MeshId> reduced_;
  std::set<DrawRef> whole_;
  std::map<MaterialId, MaterialTakenBack> materials_;
  MendStep step_;
};

}  // namespace

MendStep choose_mends(const Scene& origin,
                      const Scene& unreduced,
                      const Ledger& ledger,
                      const Verdict& verdict) {
  return MendFinder(origin, unreduced, ledger, verdict).find();
}

void add_mends(const MendStep& step,
               std::vector<TakenBack>& draws,
               std::vector<MaterialTakenBack>& materials) {
  for (const TakenBack& taken : step.draws) {
    add_taken_back(draws, taken);
  }
  for (const MaterialTakenBack& taken : step.materials) {
    const auto at = std::lower_bound(materials.begin(), materials.end(), taken,
                                     [](const MaterialTakenBack& a, const MaterialTakenBack& b) {
                                       return a.material < b.material;
                                     });
    if (at != materials.end() && at->material == taken.material) {
      *at = taken;
    } else {
      materials.insert(at, taken);
    }
  }
}

}  // namespace wakuzume
