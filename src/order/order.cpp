// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include "wakuzume/order.h"

#include <algorithm>
#include <array>
#include <numeric>

#include "order/eye_order.h"
#include "order/facets.h"
#include "order/sequencer.h"
#include "scene/matrix.h"
#include "scene/running.h"
#include "wakuzume/views.h"

namespace wakuzume {
namespace {

/// Unions of parts are tried while they have no more triangles than this, so often for each, and as
/// long as all that were tried of a knot have not so many times its triangles.
constexpr std::size_t most_joined = 2'000;
constexpr int most_tries = 8;
constexpr std::size_t joining_share = 1;
/// Knots of more owners are cut into pieces of about so many at once: larger ones would be knots
/// again.
constexpr std::size_t large_knot = 64;
/// More facets than these are cut in space first, so that the work grows as they do.
constexpr std::size_t most_at_once = 4'000;
/// Knots of fewer triangles are not worth a task.
constexpr std::size_t least_task = 2'000;

using Owners = std::vector<std::uint32_t>;

/// Triangles by owner, and what of their owners' own orders can't be kept otherwise than whole.
class OrderFinder {
 public:
  OrderFinder(std::span<const FacingTriangle> triangles, const OrderSettings& settings)
      : triangles_(triangles), settings_(settings) {
    for (std::uint32_t t = 0; t < triangles.size(); ++t) {
      const std::uint32_t owner = triangles[t].owner;
      begins_.resize(std::max<std::size_t>(begins_.size(), owner + 1), t);
    }
    begins_.push_back(static_cast<std::uint32_t>(triangles.size()));
    tangled_.resize(begins_.size() - 1);
    if (settings.unit == OrderUnit::triangle) {
      find_tangled();
    }
  }

  /// Owners one after the other, as facets and units.
  struct Set {
    Facets facets;
    std::vector<std::uint32_t> unit_begins;
    std::vector<bool> chained;
    std::vector<std::uint32_t> owner_of;  ///< by unit
    std::vector<std::uint32_t> places;    ///< by triangle of the set: in the list
  };

  [[nodiscard]] Set make_set(const Owners& owners) const {
    std::vector<std::uint32_t> places;
    for (const std::uint32_t owner : owners) {
      const auto begin = static_cast<std::ptrdiff_t>(places.size());
      for (std::uint32_t t = begins_[owner]; t < begins_[owner + 1]; ++t) {
        places.push_back(t);
      }
      if (tangled_[owner]) {
        // Both sides of a triangle where its owner draws it.
        std::stable_sort(places.begin() + begin, places.end(),
                         [&](std::uint32_t a, std::uint32_t b) {
                           return triangles_[a].rank < triangles_[b].rank;
                         });
      }
    }
    std::vector<FacingTriangle> triangles;
    triangles.reserve(places.size());
    for (const std::uint32_t t : places) {
      triangles.push_back(triangles_[t]);
    }
    Set out{Facets(std::move(triangles), settings_.precision_m), {}, {}, {}, std::move(places)};
    const std::vector<Facet>& list = out.facets.list();
    for (std::uint32_t f = 0; f < list.size(); ++f) {
      const bool follows = f > 0 && list[f].owner == list[f - 1].owner;
      if (!follows || settings_.unit == OrderUnit::triangle) {
        out.unit_begins.push_back(f);
        out.owner_of.push_back(list[f].owner);
        out.chained.push_back(follows && tangled_[list[f].owner]);
      }
      if (tangled_[list[f].owner]) {
        out.facets.bind(f);
      }
    }
    out.unit_begins.push_back(static_cast<std::uint32_t>(list.size()));
    return out;
  }

  struct Order {
    Sequenced sequenced;
    bool by_eyes = false;  ///< they untied something
  };

  [[nodiscard]] Order sequence(const Set& set) const {
    Order out{Sequencer(set.facets, set.unit_begins, set.chained).run()};
    const bool tied = out.sequenced.knots < set.owner_of.size();
    if (tied && !settings_.eyes.empty() && settings_.unit == OrderUnit::triangle) {
      out.by_eyes = decide_by_eyes(set.facets, set.chained, settings_, out.sequenced);
    }
    return out;
  }

  [[nodiscard]] bool is_ordered(const Owners& owners) const {
    const Set set = make_set(owners);
    return sequence(set).sequenced.knots == set.owner_of.size();
  }

  [[nodiscard]] std::size_t count_triangles(const Owners& owners) const {
    return std::accumulate(owners.begin(), owners.end(), std::size_t{0},
                           [&](std::size_t sum, std::uint32_t owner) {
                             return sum + begins_[owner + 1] - begins_[owner];
                           });
  }

  [[nodiscard]] Vec3d find_centre(std::uint32_t owner) const {
    Box3d box;
    for (std::uint32_t t = begins_[owner]; t < begins_[owner + 1]; ++t) {
      for (const Vec3d& corner : triangles_[t].corners) {
        box.include(corner);
      }
    }
    return box.empty() ? Vec3d{0, 0, 0} : box.centre();
  }

  [[nodiscard]] Owners list_owners() const {
    Owners out;
    for (std::uint32_t owner = 0; owner + 1 < begins_.size(); ++owner) {
      if (begins_[owner] < begins_[owner + 1]) {
        out.push_back(owner);
      }
    }
    return out;
  }

 private:
  void find_tangled() {
    for (const std::uint32_t owner : list_owners()) {
      const Set set = make_set({owner});
      const Sequenced own = Sequencer(set.facets, set.unit_begins, set.chained).run();
      tangled_[owner] = own.knots != set.owner_of.size();
    }
  }

  std::span<const FacingTriangle> triangles_;
  OrderSettings settings_;
  std::vector<std::uint32_t> begins_;  ///< by owner, and the end
  /// By owner: its triangles stay in the order they have, which is right in no other way.
  std::vector<bool> tangled_;
};

/// Parts of owners, each of which has a sequence.
class PartFinder {
 public:
  PartFinder(const OrderFinder& finder, std::vector<std::uint32_t>& rival, std::uint32_t threads)
      : finder_(finder), rival_(rival), threads_(threads) {}

  /// Parts of what lies together. \return lists of owners
  std::vector<Owners> find_all(const Owners& owners) const {
    std::vector<Owners> places;
    cut_to_size(owners, places);
    std::vector<std::vector<Owners>> found(places.size());
    for_each_index(places.size(), {threads_, nullptr}, "",
                   [&](std::size_t p) { found[p] = find(places[p]); });
    std::vector<Owners> out;
    for (std::vector<Owners>& parts : found) {
      std::move(parts.begin(), parts.end(), std::back_inserter(out));
    }
    std::erase_if(out, [](const Owners& part) { return part.empty(); });
    return out;
  }

  /// \return lists of owners
  std::vector<Owners> find(const Owners& owners) const {
    const OrderFinder::Set set = finder_.make_set(owners);
    const Sequenced sequenced = finder_.sequence(set).sequenced;
    std::vector<Owners> parts(1);
    if (sequenced.knots == set.owner_of.size()) {
      parts[0] = owners;
      return parts;
    }
    // Owners that knots hold together, directly or by others of theirs.
    std::vector<Owners> tied = list_knots(set, sequenced);
    Owners in_knots;
    for (const Owners& knot : tied) {
      in_knots.insert(in_knots.end(), knot.begin(), knot.end());
    }
    std::sort(in_knots.begin(), in_knots.end());
    std::set_difference(owners.begin(), owners.end(), in_knots.begin(), in_knots.end(),
                        std::back_inserter(parts[0]));
    std::vector<std::vector<Owners>> cuts(tied.size());
    for_each_index(tied.size(), control_for(in_knots), "",
                   [&](std::size_t k) { cuts[k] = find_in_pieces(tied[k]); });
    for (const std::vector<Owners>& cut : cuts) {
      // Knots have nothing to do with each other: their parts join as they come.
      for (std::size_t p = 0; p < cut.size(); ++p) {
        parts.resize(std::max(parts.size(), p + 1));
        parts[p].insert(parts[p].end(), cut[p].begin(), cut[p].end());
      }
    }
    for (Owners& part : parts) {
      std::sort(part.begin(), part.end());
    }
    return parts;
  }

 private:
  void cut_to_size(const Owners& owners, std::vector<Owners>& out) const {
    if (owners.size() < 2 || finder_.make_set(owners).facets.list().size() <= most_at_once) {
      out.push_back(owners);
      return;
    }
    for (const Owners& half : cut_in_half(owners)) {
      cut_to_size(half, out);
    }
  }

  /// Of owners with facets in knots, those that share one; ascending.
  std::vector<Owners> list_knots(const OrderFinder::Set& set, const Sequenced& sequenced) const {
    std::vector<std::uint32_t> sizes(sequenced.knots, 0);
    for (const std::uint32_t knot : sequenced.knot_of) {
      ++sizes[knot];
    }
    // Owners with facets in several knots tie these.
    std::vector<std::uint32_t> above(sequenced.knots);
    std::iota(above.begin(), above.end(), 0U);
    const auto find = [&](std::uint32_t knot) {
      while (above[knot] != knot) {
        knot = above[knot] = above[above[knot]];
      }
      return knot;
    };
    std::uint32_t last_owner = no_index;
    std::uint32_t last_knot = no_index;
    for (std::uint32_t u = 0; u < set.owner_of.size(); ++u) {
      const std::uint32_t knot = sequenced.knot_of[u];
      if (sizes[knot] < 2) {
        continue;
      }
      if (set.owner_of[u] == last_owner) {
        const std::uint32_t a = find(last_knot);
        const std::uint32_t b = find(knot);
        above[std::max(a, b)] = std::min(a, b);
      }
      last_owner = set.owner_of[u];
      last_knot = knot;
    }
    std::vector<Owners> by_knot(sequenced.knots);
    for (std::uint32_t u = 0; u < set.owner_of.size(); ++u) {
      const std::uint32_t knot = sequenced.knot_of[u];
      if (sizes[knot] < 2) {
        continue;
      }
      Owners& list = by_knot[find(knot)];
      if (list.empty() || list.back() != set.owner_of[u]) {
        list.push_back(set.owner_of[u]);
      }
    }
    std::erase_if(by_knot, [](const Owners& list) { return list.empty(); });
    for (const Owners& list : by_knot) {
      note_rivals(list);
    }
    return by_knot;
  }

  [[nodiscard]] RunControl control_for(const Owners& owners) const {
    return {finder_.count_triangles(owners) < least_task ? 1 : threads_, nullptr};
  }

  void note_rivals(const Owners& knot) const {
    for (std::size_t o = 0; o < knot.size(); ++o) {
      rival_[knot[o]] = knot[o == 0 ? knot.size() - 1 : o - 1];
    }
  }

  std::vector<Owners> find_in_pieces(const Owners& knot) const {
    if (knot.size() == 1) {
      return {knot};
    }
    std::vector<Owners> pieces{knot};
    do {
      std::vector<Owners> halves;
      for (const Owners& piece : pieces) {
        for (Owners& half : cut_in_half(piece)) {
          halves.push_back(std::move(half));
        }
      }
      pieces = std::move(halves);
    } while (pieces.front().size() > large_knot);
    std::vector<std::vector<Owners>> found(pieces.size());
    for_each_index(pieces.size(), control_for(knot), "",
                   [&](std::size_t p) { found[p] = find(pieces[p]); });
    std::size_t left_to_join = joining_share * finder_.count_triangles(knot);
    std::vector<Owners> out = std::move(found[0]);
    for (std::size_t p = 1; p < found.size(); ++p) {
      for (Owners& part : found[p]) {
        join(std::move(part), left_to_join, out);
      }
    }
    return out;
  }

  /// Across where they are most spread out.
  [[nodiscard]] std::array<Owners, 2> cut_in_half(const Owners& owners) const {
    std::vector<std::pair<Vec3d, std::uint32_t>> placed;
    Box3d box;
    for (const std::uint32_t owner : owners) {
      placed.emplace_back(finder_.find_centre(owner), owner);
      box.include(placed.back().first);
    }
    std::size_t axis = 0;
    for (std::size_t c = 1; c < 3; ++c) {
      axis = box.max[c] - box.min[c] > box.max[axis] - box.min[axis] ? c : axis;
    }
    std::sort(placed.begin(), placed.end(), [&](const auto& a, const auto& b) {
      return std::pair(a.first[axis], a.second) < std::pair(b.first[axis], b.second);
    });
    std::array<Owners, 2> halves;
    for (std::size_t i = 0; i < placed.size(); ++i) {
      halves[i < placed.size() / 2 ? 0 : 1].push_back(placed[i].second);
    }
    for (Owners& half : halves) {
      std::sort(half.begin(), half.end());
    }
    return halves;
  }

  /// Into one that takes it, or by itself.
  void join(Owners part, std::size_t& left_to_join, std::vector<Owners>& parts) const {
    int tries = 0;
    for (Owners& other : parts) {
      const std::size_t size = finder_.count_triangles(part) + finder_.count_triangles(other);
      if (++tries > most_tries || size > std::min(most_joined, left_to_join)) {
        break;
      }
      left_to_join -= size;
      Owners both;
      std::merge(part.begin(), part.end(), other.begin(), other.end(), std::back_inserter(both));
      if (finder_.is_ordered(both)) {
        other = std::move(both);
        return;
      }
    }
    parts.push_back(std::move(part));
  }

  const OrderFinder& finder_;
  std::vector<std::uint32_t>& rival_;
  std::uint32_t threads_;
};

}  // namespace

std::vector<OrderEye> make_eyes(std::span<const Viewpoint> views) {
  std::vector<OrderEye> out;
  for (const Viewpoint& view : views) {
    const Mat4d& world = view.world;
    const Eigen::Vector3d axis = -Eigen::Vector3d(world[8], world[9], world[10]).normalized();
    out.push_back(
        {{world[12], world[13], world[14]}, {axis.x(), axis.y(), axis.z()}, view.perspective});
  }
  return out;
}

DrawSequence find_sequence(std::span<const FacingTriangle> triangles,
                           const OrderSettings& settings) {
  const OrderFinder finder(triangles, settings);
  const OrderFinder::Set set = finder.make_set(finder.list_owners());
  const auto [sequenced, by_eyes] = finder.sequence(set);
  DrawSequence out;
  out.found = sequenced.knots == set.owner_of.size();
  out.by_eyes = by_eyes;
  if (!out.found) {
    return out;
  }
  out.triangles.reserve(triangles.size());
  for (const std::uint32_t unit : sequenced.units) {
    for (std::uint32_t f = set.unit_begins[unit]; f < set.unit_begins[unit + 1]; ++f) {
      const Facet& facet = set.facets[f];
      for (std::uint32_t t = facet.first; t < facet.first + facet.count; ++t) {
        out.triangles.push_back(set.places[t]);
      }
    }
  }
  std::transform(set.facets.unseen().begin(), set.facets.unseen().end(),
                 std::back_inserter(out.triangles), [&](std::uint32_t t) { return set.places[t]; });
  return out;
}

std::uint32_t find_misplaced(std::span<const FacingTriangle> triangles,
                             const OrderSettings& settings) {
  const OrderFinder finder(triangles, settings);
  const OrderFinder::Set set = finder.make_set(finder.list_owners());
  const std::uint32_t unit = Sequencer(set.facets, set.unit_begins, set.chained).find_misplaced();
  return unit == no_index ? no_index : set.owner_of[unit];
}

bool lie_in_one_plane(std::span<const FacingTriangle> triangles, double precision_m) {
  const Facets facets({triangles.begin(), triangles.end()}, precision_m);
  const std::vector<Facet>& list = facets.list();
  return std::all_of(list.begin(), list.end(),
                     [&](const Facet& facet) { return !facets.leaves(facet, list.front()); });
}

OrderParts find_order_parts(std::span<const FacingTriangle> triangles,
                            std::uint32_t owner_count,
                            const OrderSettings& settings,
                            const RunControl& run) {
  OrderParts out;
  out.part_of.assign(owner_count, 0);
  out.rival.assign(owner_count, no_index);
  const OrderFinder finder(triangles, settings);
  std::vector<Owners> parts =
      PartFinder(finder, out.rival, run.threads).find_all(finder.list_owners());
  std::stable_sort(parts.begin(), parts.end(),
                   [](const Owners& a, const Owners& b) { return a.size() > b.size(); });
  out.count = static_cast<std::uint32_t>(parts.size());
  for (std::uint32_t p = 0; p < parts.size(); ++p) {
    for (const std::uint32_t owner : parts[p]) {
      out.part_of[owner] = p;
    }
  }
  return out;
}

}  // namespace wakuzume
