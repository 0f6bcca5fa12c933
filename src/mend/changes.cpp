// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include <algorithm>
#include <map>
#include <tuple>

#include "scene/hasher.h"
#include "wakuzume/mend.h"

namespace wakuzume {
namespace {

const AtlasPage* find_page(const RoutePlan& routes, const MaterialRoute& route) {
  return route.page == no_index ? nullptr : &routes.pages[route.page];
}

const LayerStack* find_stack(const RoutePlan& routes, const MaterialRoute& route) {
  return route.stack == no_index ? nullptr : &routes.stacks[route.stack];
}

template <class T>
bool are_equal(const T* a, const T* b) {
  return a == nullptr || b == nullptr ? a == b : *a == *b;
}

/// Does the material show the same texels in the same place?
bool shows_the_same(const RoutePlan& earlier, const RoutePlan& later, MaterialId material) {
  const MaterialRoute* const a = earlier.find(material);
  const MaterialRoute* const b = later.find(material);
  if (a == nullptr || b == nullptr) {
    return a == b;
  }
  return std::tie(a->route, a->onto, a->tinted, a->tile, a->member) ==
             std::tie(b->route, b->onto, b->tinted, b->tile, b->member) &&
         are_equal(find_page(earlier, *a), find_page(later, *b)) &&
         are_equal(find_stack(earlier, *a), find_stack(later, *b));
}

/// By row: what it was built together with, and how.
std::vector<ContentHash> hash_results(const Ledger& ledger) {
  std::vector<std::size_t> order(ledger.rows.size());
  for (std::size_t i = 0; i < order.size(); ++i) {
    order[i] = i;
  }
  const auto place = [&](std::size_t i) {
    const LedgerRow& row = ledger.rows[i];
    return std::tuple(row.node, row.primitive, row.instance, row.first_index);
  };
  std::sort(order.begin(), order.end(),
            [&](std::size_t a, std::size_t b) { return place(a) < place(b); });
  std::vector<ContentHash> out(order.size());
  for (std::size_t begin = 0; begin < order.size();) {
    std::size_t end = begin;
    ValueHasher hasher;
    const LedgerRow& first = ledger.rows[order[begin]];
    for (; end < order.size(); ++end) {
      const LedgerRow& row = ledger.rows[order[end]];
      if (row.node != first.node || row.primitive != first.primitive) {
        break;
      }
      hasher.add(row.source.node);
      hasher.add(row.source.primitive);
      hasher.add(row.fate);
      hasher.add(row.instance);
      hasher.add(row.first_index);
      hasher.add(row.index_count);
    }
    for (; begin < end; ++begin) {
      out[order[begin]] = hasher.finish();
    }
  }
  return out;
}

}  // namespace

Changes find_changes(const Scene& origin, const Ledger& earlier, const Ledger& later) {
  Changes out;
  std::vector<bool> same(origin.materials.size());
  for (std::size_t m = 0; m < same.size(); ++m) {
    const auto id = make_id<MaterialId>(m);
    same[m] = shows_the_same(earlier.routes, later.routes, id);
    if (!same[m]) {
      out.materials.push_back(id);
    }
  }
  const std::vector<ContentHash> was = hash_results(earlier);
  const std::vector<ContentHash> is = hash_results(later);
  for (std::size_t r = 0; r < later.rows.size(); ++r) {
    const DrawRef& draw = later.rows[r].source;
    const MaterialId material = primitive_of(origin, draw).material;
    const bool whole_now = std::binary_search(later.reduction.untouched.begin(),
                                              later.reduction.untouched.end(), draw) &&
                           !std::binary_search(earlier.reduction.untouched.begin(),
                                               earlier.reduction.untouched.end(), draw);
    if (whole_now || r >= was.size() || earlier.rows[r].source != draw || was[r] != is[r] ||
        (material != no_material && !same[to_index(material)])) {
      out.draws.push_back(draw);
    }
  }
  return out;
}

}  // namespace wakuzume
