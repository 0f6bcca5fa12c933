// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include "survey/lightmaps.h"

#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <cmath>
#include <optional>

#include "scene/hasher.h"
#include "scene/running.h"
#include "wakuzume/verify.h"

namespace wakuzume {
namespace {

/// Strewn over each draw.
constexpr std::uint32_t samples_per_draw = 16;

/// One texel of a mip level.
struct LevelTexel {
  std::int64_t x = 0;
  std::int64_t y = 0;
  bool operator==(const LevelTexel&) const = default;
};

/// The first of the four texels around a place; nothing where rounding would decide.
std::optional<LevelTexel> find_first(const RectSize& size, std::uint32_t level, const Vec2d& uv) {
  constexpr double near = 1e-4;
  std::array<double, 2> at{};
  const std::array<std::uint32_t, 2> sides{size.width_px, size.height_px};
  for (std::size_t c = 0; c < 2; ++c) {
    at[c] = std::ldexp(uv[c] * sides[c], -static_cast<int>(level)) - 0.5;
    if (std::abs(at[c] - std::round(at[c])) < near) {
      return std::nullopt;
    }
  }
  return LevelTexel{static_cast<std::int64_t>(std::floor(at[0])),
                    static_cast<std::int64_t>(std::floor(at[1]))};
}

class LookupAudit {
 public:
  LookupAudit(const Scene& before, const Scene& joined, const LightmapPlan& plan)
      : before_(before), joined_(joined), plan_(plan) {}

  struct Outcome {
    std::uint64_t lookups = 0;
    std::string mismatch;
  };

  [[nodiscard]] Outcome check(const LightmapMove& move, const DrawRef& ref) const {
    Outcome out;
    const Primitive& was = primitive_of(before_, ref);
    const Primitive& is = primitive_of(joined_, ref);
    const StreamId uvs = was.find(fmt::format("TEXCOORD_{}", plan_.uv_set));
    const std::vector<std::uint32_t> list = make_list_indices(before_, was);
    if (uvs == no_stream || list.size() < 3) {
      return out;
    }
    const std::vector<double> values = make_doubles(before_, uvs);
    const LightmapPlace from = find_lightmap_use(before_, before_[ref.node], was, plan_.page_key,
                                                 plan_.transform_key, plan_.uv_set)
                                   .whole();
    const LightmapPlace to = find_lightmap_use(joined_, joined_[ref.node], is, plan_.page_key,
                                               plan_.joined_transform_key(), plan_.uv_set)
                                 .whole();
    for (std::uint32_t s = 0; s < samples_per_draw && out.mismatch.empty(); ++s) {
      const Vec2d uv = pick(values, list, ref, s);
      look(move, from.apply(uv), to.apply(uv), out);
    }
    return out;
  }

 private:
  /// A place on a triangle, by nothing but the draw's and the sample's number.
  static Vec2d pick(const std::vector<double>& values,
                    const std::vector<std::uint32_t>& list,
                    const DrawRef& ref,
                    std::uint32_t sample) {
    const std::array<std::uint64_t, 3> seed{to_index(ref.node), ref.primitive, sample};
    const XXH128_hash_t hash = XXH3_128bits(seed.data(), sizeof seed);
    const std::size_t triangle = hash.low64 % (list.size() / 3);
    double a = static_cast<double>(hash.high64 >> 40U) / 16'777'216;
    double b = static_cast<double>(hash.high64 & 0xFF'FFFFU) / 16'777'216;
    if (a + b > 1) {
      a = 1 - a;
      b = 1 - b;
    }
    Vec2d uv{};
    const std::array<double, 3> shares{1 - a - b, a, b};
    for (std::size_t c = 0; c < 3; ++c) {
      const std::size_t vertex = list[3 * triangle + c];
      uv[0] += shares[c] * values[2 * vertex];
      uv[1] += shares[c] * values[2 * vertex + 1];
    }
    return uv;
  }

  /// All four texels around a place, at each clean level.
  void look(const LightmapMove& move, const Vec2d& from, const Vec2d& to, Outcome& out) const {
    const LightmapPage& page = plan_.pages[move.from];
    const RectSize& size = plan_.joined[move.to].size;
    for (std::uint32_t level = 0; level <= page.clean_mips; ++level) {
      const auto old_first = find_first(page.size, level, from);
      const auto new_first = find_first(size, level, to);
      if (!old_first || !new_first) {
        continue;
      }
      for (std::int64_t corner = 0; corner < 4; ++corner) {
        const LevelTexel old_texel{old_first->x + corner % 2, old_first->y + corner / 2};
        const LevelTexel new_texel{new_first->x + corner % 2, new_first->y + corner / 2};
        ++out.lookups;
        if (find_source(move, level, new_texel) != clamp(page.size, level, old_texel)) {
          out.mismatch = fmt::format(
              "its lightmap shows another texel than that of page {} at {:.6g}, {:.6g}, level {}",
              page.name, from[0], from[1], level);
          return;
        }
      }
    }
  }

  static LevelTexel clamp(const RectSize& size, std::uint32_t level, const LevelTexel& at) {
    const auto side = [&](std::uint32_t px) {
      return std::max<std::int64_t>(1, std::int64_t{px >> level});
    };
    return {std::clamp<std::int64_t>(at.x, 0, side(size.width_px) - 1),
            std::clamp<std::int64_t>(at.y, 0, side(size.height_px) - 1)};
  }

  /// Which texel of the old page's level a texel of the joined one's is made of, and of no other.
  [[nodiscard]] std::optional<LevelTexel> find_source(const LightmapMove& move,
                                                      std::uint32_t level,
                                                      const LevelTexel& at) const {
    const std::int64_t side = std::int64_t{1} << level;
    const RectSize& size = plan_.pages[move.from].size;
    const auto along = [&](std::int64_t texel, std::int64_t to, std::int64_t rect,
                           std::int64_t length, std::uint32_t px) -> std::optional<std::int64_t> {
      const std::int64_t in_rect = texel * side - to;
      const std::int64_t in_page = in_rect + rect;
      if (in_rect < 0 || in_rect + side > length || in_page % side != 0) {
        return std::nullopt;
      }
      const std::int64_t count = std::max<std::int64_t>(1, std::int64_t{px >> level});
      const std::int64_t whole = in_page / side;
      const std::int64_t period = 2 * count;
      const std::int64_t inside = (whole % period + period) % period;
      return inside < count ? inside : period - 1 - inside;
    };
    const auto x = along(at.x, move.x, move.rect.x, move.rect.width, size.width_px);
    const auto y = along(at.y, move.y, move.rect.y, move.rect.height, size.height_px);
    return x && y ? std::optional(LevelTexel{*x, *y}) : std::nullopt;
  }

  const Scene& before_;
  const Scene& joined_;
  const LightmapPlan& plan_;
};

/// A place that two moves fill holds the texels of one of them.
std::string find_overlap(const LightmapPlan& plan) {
  std::vector<const LightmapMove*> order;
  for (const LightmapMove& move : plan.moves) {
    order.push_back(&move);
  }
  std::sort(order.begin(), order.end(), [](const LightmapMove* a, const LightmapMove* b) {
    return std::tie(a->to, a->x, a->y) < std::tie(b->to, b->x, b->y);
  });
  for (std::size_t i = 0; i < order.size(); ++i) {
    const LightmapMove& a = *order[i];
    for (std::size_t j = i + 1;
         j < order.size() && order[j]->to == a.to && order[j]->x < a.x + a.rect.width; ++j) {
      const LightmapMove& b = *order[j];
      if (a.y < b.y + b.rect.height && b.y < a.y + a.rect.height) {
        return fmt::format("two rectangles lie over each other on lightmap page {}",
                           plan.joined[a.to].name);
      }
    }
  }
  return {};
}

}  // namespace

Result<void> verify_lightmaps(const Scene& before,
                              const Scene& joined,
                              const LightmapPlan& plan,
                              Verdict& verdict,
                              const RunControl& run) {
  std::vector<std::pair<const LightmapMove*, DrawRef>> draws;
  for (const LightmapMove& move : plan.moves) {
    for (const DrawRef& draw : move.draws) {
      if (!std::binary_search(plan.untouched.begin(), plan.untouched.end(), draw)) {
        draws.emplace_back(&move, draw);
      }
    }
  }
  const LookupAudit audit(before, joined, plan);
  std::vector<LookupAudit::Outcome> outcomes(draws.size());
  if (!for_each_index(draws.size(), run, "looking lightmaps up", [&](std::size_t d) {
        outcomes[d] = audit.check(*draws[d].first, draws[d].second);
      })) {
    return Failure(make_cancelled());
  }
  constexpr std::size_t most_listed = 100;
  const auto reject = [&](const DrawRef& draw, const std::string& what) {
    ++verdict.mismatch_count;
    verdict.passed = false;
    if (verdict.mismatches.size() < most_listed) {
      const bool known = to_index(draw.node) < before.nodes.size();
      verdict.mismatches.push_back({draw, what, known ? make_node_path(before, draw.node) : ""});
    }
  };
  for (std::size_t d = 0; d < draws.size(); ++d) {
    verdict.lightmap_lookups += outcomes[d].lookups;
    if (!outcomes[d].mismatch.empty()) {
      reject(draws[d].second, outcomes[d].mismatch);
    }
  }
  if (const std::string overlap = find_overlap(plan); !overlap.empty()) {
    reject(draws.empty() ? DrawRef{} : draws.front().second, overlap);
  }
  return {};
}

}  // namespace wakuzume
