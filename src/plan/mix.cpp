// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include "plan/mix.h"

#include <algorithm>
#include <cmath>
#include <limits>

namespace wakuzume {
namespace {

/// Prices are tried from the 16th part to 65,536 times, in steps of the square root of two.
constexpr int least_exponent = -8;
constexpr int most_exponent = 32;
constexpr int fill_rounds = 3;

/// By how much a price is raised for its limit to be held.
double raise(double excess) { return excess <= 1 ? 1 : excess < 1.5 ? 4 : 16; }

double to_factor(int exponent) { return std::exp2(exponent / 2.0); }

class Mixer {
 public:
  Mixer(std::span<const Offer> offers, const MixLimits& limits, const MixPrices& prices)
      : offers_(offers),
        limits_(limits),
        prices_(prices),
        components_(offers.front().totals.size()) {}

  Mix make() {
    Mix best;
    double best_price = std::numeric_limits<double>::infinity();
    for (int t = least_exponent; t <= most_exponent; ++t) {
      Mix tried = hold_bytes(t);
      if (!tried.held) {
        continue;
      }
      const double price = find_price(tried.totals);
      // Among equals the first, cheapest triangles are more likely to lead on while the GPU waits.
      const bool gpu_waits = tried.totals.gpu_us < tried.totals.cpu_us;
      if (price < best_price || (price == best_price && !gpu_waits)) {
        best_price = price;
        best = std::move(tried);
      }
    }
    if (!best.held) {
      return make_nearest();
    }
    for (int round = 0; round < fill_rounds && fill(best); ++round) {
    }
    return best;
  }

 private:
  [[nodiscard]] const CutTotals& at(std::size_t component, std::uint32_t offer) const {
    return offers_[offer].totals[component];
  }
  [[nodiscard]] double find_price(const CutTotals& totals) const {
    return wakuzume::find_price(totals, prices_);
  }
  [[nodiscard]] bool holds(const CutTotals& totals) const { return limits_.hold(totals); }

  /// Each component's cheapest offer at these prices; the first among equals.
  [[nodiscard]] Mix choose(double triangle, double byte) const {
    Mix out;
    out.next = {triangle, byte, CutRule::cheapest};
    out.choices.resize(components_);
    for (std::size_t c = 0; c < components_; ++c) {
      double least = std::numeric_limits<double>::infinity();
      for (std::uint32_t o = 0; o < offers_.size(); ++o) {
        const CutTotals& totals = at(c, o);
        const double price =
            totals.cpu_us + triangle * totals.gpu_us + byte * prices_.byte_us * totals.bytes;
        if (price < least) {
          least = price;
          out.choices[c] = o;
        }
      }
      out.totals.add(at(c, out.choices[c]));
    }
    out.held = holds(out.totals);
    return out;
  }

  /// At this price of triangles and the lowest of bytes at which they are held, if any.
  [[nodiscard]] Mix hold_bytes(int triangle) const {
    int low = 0;
    int high = most_exponent;
    while (low < high) {
      const int middle = (low + high) / 2;
      if (choose(to_factor(triangle), to_factor(middle)).totals.bytes <= limits_.bytes) {
        high = middle;
      } else {
        low = middle + 1;
      }
    }
    return choose(to_factor(triangle), to_factor(high));
  }

  /// What comes nearest to limits that no mix holds; the next terms go for what is exceeded.
  [[nodiscard]] Mix make_nearest() const {
    Mix best;
    double least = std::numeric_limits<double>::infinity();
    for (int t = 0; t <= most_exponent; t += 4) {
      for (int b = 0; b <= most_exponent; b += 4) {
        Mix tried = choose(to_factor(t), to_factor(b));
        const double excess = std::max(tried.totals.triangles / limits_.triangles, 1.0) *
                              std::max(tried.totals.bytes / limits_.bytes, 1.0);
        if (excess < least) {
          least = excess;
          best = std::move(tried);
        }
      }
    }
    best.next = {1, 1, CutRule::cheapest};
    for (const Offer& offer : offers_) {
      best.next.triangle = std::max(best.next.triangle, offer.terms.triangle);
      best.next.byte = std::max(best.next.byte, offer.terms.byte);
    }
    // Dearer triangles cost memory: their price goes up with that of a byte.
    const double triangles = raise(best.totals.triangles / limits_.triangles);
    best.next.triangle *= triangles;
    best.next.byte *= std::max(triangles, raise(best.totals.bytes / limits_.bytes));
    return best;
  }

  struct Move {
    double worth = 0;  ///< gain for what it takes of the limits
    std::uint32_t component = 0;
    std::uint32_t offer = 0;
  };

  /// Gives what is left of the limits to the moves that gain most for it. \return whether any did
  [[nodiscard]] bool fill(Mix& mix) const {
    // What is free today may be worth something when the other side has become faster.
    const double faster = std::max(0.1, prices_.faster_share);
    const bool gpu_waits = mix.totals.gpu_us < mix.totals.cpu_us;
    const double gpu_weight = gpu_waits ? faster : 1;
    const double cpu_weight = gpu_waits ? 1 : faster;
    const auto use = [](double more, double limit, double used) {
      return more <= 0 ? 0.0 : more / std::max(limit - used, 1e-9 * limit);
    };
    std::vector<Move> moves;
    for (std::uint32_t c = 0; c < components_; ++c) {
      const CutTotals& now = at(c, mix.choices[c]);
      for (std::uint32_t o = 0; o < offers_.size(); ++o) {
        const CutTotals& then = at(c, o);
        const double gain = cpu_weight * (now.cpu_us - then.cpu_us) +
                            gpu_weight * (now.gpu_us - then.gpu_us) +
                            prices_.byte_us * (now.bytes - then.bytes);
        if (gain > 0) {
          const double used =
              use(then.triangles - now.triangles, limits_.triangles, mix.totals.triangles) +
              use(then.bytes - now.bytes, limits_.bytes, mix.totals.bytes);
          moves.push_back({gain / (used + 1e-9), c, o});
        }
      }
    }
    std::stable_sort(moves.begin(), moves.end(),
                     [](const Move& a, const Move& b) { return a.worth > b.worth; });
    std::vector<bool> moved(components_, false);
    bool any = false;
    for (const Move& move : moves) {
      if (moved[move.component]) {
        continue;
      }
      CutTotals tried = mix.totals;
      tried.take(at(move.component, mix.choices[move.component]));
      tried.add(at(move.component, move.offer));
      if (holds(tried) && find_price(tried) < find_price(mix.totals)) {
        moved[move.component] = true;
        any = true;
        mix.totals = tried;
        mix.choices[move.component] = move.offer;
      }
    }
    return any;
  }

  std::span<const Offer> offers_;
  MixLimits limits_;
  MixPrices prices_;
  std::size_t components_;
};

}  // namespace

bool MixLimits::hold(const CutTotals& totals) const {
  return totals.triangles <= triangles && totals.bytes <= bytes;
}

double find_price(const CutTotals& totals, const MixPrices& prices) {
  const auto [faster, slower] = std::minmax(totals.cpu_us, totals.gpu_us);
  return slower + prices.faster_share * faster + prices.byte_us * totals.bytes;
}

Mix make_plain_mix(std::span<const Offer> offers, const MixLimits& limits, std::uint32_t offer) {
  Mix mix;
  mix.choices.assign(offers[offer].totals.size(), offer);
  for (const CutTotals& totals : offers[offer].totals) {
    mix.totals.add(totals);
  }
  mix.held = limits.hold(mix.totals);
  mix.next = offers[offer].terms;
  return mix;
}

Mix choose_mix(std::span<const Offer> offers, const MixLimits& limits, const MixPrices& prices) {
  return Mixer(offers, limits, prices).make();
}

}  // namespace wakuzume
