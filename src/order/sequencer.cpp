// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include "order/sequencer.h"

#include <algorithm>
#include <utility>

namespace wakuzume {

Sequencer::Sequencer(const Facets& facets,
                     std::vector<std::uint32_t> unit_begins,
                     std::vector<bool> chained)
    : tree_(facets),
      unit_begins_(std::move(unit_begins)),
      chained_(std::move(chained)),
      unit_of_(facets.list().size()) {
  for (std::uint32_t u = 0; u < unit_count(); ++u) {
    for (std::uint32_t f = unit_begins_[u]; f < unit_begins_[u + 1]; ++f) {
      unit_of_[f] = u;
    }
  }
}

void Sequencer::enter(std::uint32_t unit) {
  met_[unit] = true;
  for (std::uint32_t f = unit_begins_[unit]; f < unit_begins_[unit + 1]; ++f) {
    tree_.take_out(f);
  }
  open_.push_back({unit, unit_begins_[unit], false, tree_.begin()});
}

std::uint32_t Sequencer::find_chained(const Visit& visit, Looking looking) const {
  const std::uint32_t next = looking == Looking::after ? visit.unit + 1 : visit.unit - 1;
  const std::uint32_t link = std::max(next, visit.unit);  // which is chained to the one before it
  const bool there = next < unit_count() && chained_[link] && !met_[next];
  return there ? next : no_index;
}

/// A unit that has to come after, or before, and was not met yet.
std::uint32_t Sequencer::find_next(Visit& visit, Looking looking) {
  if (!visit.chain_done) {
    visit.chain_done = true;
    if (const std::uint32_t next = find_chained(visit, looking); next != no_index) {
      return next;
    }
  }
  while (true) {
    const std::uint32_t found = tree_.find_next(visit.search, visit.facet, looking);
    if (found != no_index) {
      return unit_of_[found];
    }
    if (++visit.facet == unit_begins_[visit.unit + 1]) {
      return no_index;
    }
    visit.search = tree_.begin();
  }
}

/// Depth first. \param leave  is told each unit once all that follows from it was met
template <class Leave>
void Sequencer::search_from(std::uint32_t unit, Looking looking, const Leave& leave) {
  enter(unit);
  while (!open_.empty()) {
    const std::uint32_t next = find_next(open_.back(), looking);
    if (next != no_index) {
      enter(next);
    } else {
      leave(open_.back().unit);
      open_.pop_back();
    }
  }
}

Sequenced Sequencer::run() {
  Sequenced out;
  const std::uint32_t count = unit_count();
  std::vector<std::uint32_t> left;
  left.reserve(count);
  met_.assign(count, false);
  // From the last on, so that what is free stands in the order that it has.
  for (std::uint32_t u = count; u-- > 0;) {
    if (!met_[u]) {
      search_from(u, Looking::after, [&](std::uint32_t unit) { left.push_back(unit); });
    }
  }
  out.units.reserve(count);
  out.knot_of.assign(count, 0);
  met_.assign(count, false);
  tree_.fill();
  for (std::size_t i = left.size(); i-- > 0;) {
    if (!met_[left[i]]) {
      search_from(left[i], Looking::before, [&](std::uint32_t unit) {
        out.units.push_back(unit);
        out.knot_of[unit] = out.knots;
      });
      ++out.knots;
    }
  }
  return out;
}

std::uint32_t Sequencer::find_misplaced() {
  met_.assign(unit_count(), false);
  for (std::uint32_t u = 0; u < unit_count(); ++u) {
    enter(u);
    if (find_next(open_.back(), Looking::before) != no_index) {
      return u;
    }
    open_.pop_back();
  }
  return no_index;
}

}  // namespace wakuzume
