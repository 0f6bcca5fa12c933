// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <cstring>
#include <functional>
#include <map>

#include "scene/elements.h"
#include "scene/running.h"
#include "scene/semantics.h"
#include "scene/srgb.h"
#include "survey/draws.h"
#include "survey/textures.h"
#include "verify/mip_levels.h"
#include "verify/repainted.h"
#include "verify/shown_look.h"
#include "verify/uv_audit.h"
#include "wakuzume/verify.h"

namespace wakuzume {
namespace {

constexpr std::size_t max_samples = 2048;  ///< of one material
constexpr std::size_t triangles_a_primitive = 96;
/// Of one primitive, by which a shift of it alone can be told.
constexpr std::size_t least_part = 64;
/// A shift that leaves more than this of the error explains nothing.
constexpr double least_gain_by_shift = 0.4;
/// Of a channel, root mean square: what is nearer than that is in its place, and rounding decides
/// which of its neighbours is nearer still.
constexpr double least_error_by_shift = 0.25 / 255;

/// A place on a draw in both scenes, and how the UVs grow from there along two directions on the
/// surface, so that both can be averaged over the same area.
struct Sample {
  Spot before[3];  ///< the place, and a step along two sides of its triangle
  Spot after[3];
};

/// All that one pair of materials has to be compared for.
struct Pair {
  MaterialId before = no_material;
  MaterialId after = no_material;
  std::vector<Sample> samples;
  std::vector<std::size_t> part_ends{};  ///< of the samples of each primitive
};

class LookVerifier {
 public:
  LookVerifier(const Scene& before,
               const Scene& after,
               const PictureCodec& codec,
               std::span<const LookCheck> known)
      : before_(before), after_(after), codec_(codec), known_(known) {}

  Result<std::vector<LookCheck>> run(const RunControl& run) {
    list_pairs();
    // What looks as it did is neither decoded nor looked up again.
    std::vector<LookCheck> same;
    std::erase_if(pairs_, [&](const Pair& pair) {
      const auto hit = std::find_if(known_.begin(), known_.end(), [&](const LookCheck& check) {
        return check.material == pair.before;
      });
      if (hit != known_.end()) {
        same.push_back(*hit);
      }
      return hit != known_.end();
    });
    std::vector<LookCheck> checks(pairs_.size());
    std::vector<std::uint8_t> unread(pairs_.size(), 0);
    // Materials of one page side by side: its pictures are decoded once.
    for (std::size_t begin = 0; begin < pairs_.size();) {
      std::size_t end = begin;
      while (end < pairs_.size() && pairs_[end].after == pairs_[begin].after) {
        ++end;
      }
      ShownPictures shown(after_, codec_);
      shown.load(after_[pairs_[begin].after]);
      if (!for_each_index(end - begin, run, "comparing looks", [&](std::size_t i) {
            ShownPictures own(before_, codec_);
            own.load(before_[pairs_[begin + i].before]);
            unread[begin + i] = own.unread() ? 1 : 0;
            checks[begin + i] = compare(pairs_[begin + i], own, shown);
          })) {
        return Failure(make_cancelled());
      }
      begin = end;
    }
    checks.insert(checks.end(), same.begin(), same.end());
    std::sort(checks.begin(), checks.end(),
              [](const LookCheck& a, const LookCheck& b) { return a.material < b.material; });
    unread_ = static_cast<std::size_t>(std::count(unread.begin(), unread.end(), 1));
    return checks;
  }

  /// Materials of the source that have a picture which can't be decoded.
  [[nodiscard]] std::size_t unread() const { return unread_; }

  /// Draws whose corners are not where they were.
  [[nodiscard]] const std::vector<DrawRef>& moved() const { return moved_; }

 private:
  void list_pairs() {
    std::map<std::pair<MaterialId, MaterialId>,
             std::vector<std::pair<const Primitive*, const Primitive*>>>
        known;
    for_each_repainted(
        before_, after_, [&](const DrawRef& draw, const Primitive& a, const Primitive& b) {
          if (!same_corners(a, b)) {
            moved_.push_back(draw);
          }
          if (a.material != no_material && find_topology(a.mode) == Topology::triangles) {
            known[{b.material, a.material}].emplace_back(&a, &b);
          }
        });
    for (const auto& [materials, primitives] : known) {
      Pair& pair = pairs_.emplace_back();
      pair.after = materials.first;
      pair.before = materials.second;
      const std::size_t step = 1 + primitives.size() * 8 / max_samples;
      const std::size_t most =
          std::max(max_samples, least_part * std::min(primitives.size(), max_samples));
      for (std::size_t p = 0; p < primitives.size() && pair.samples.size() < most; p += step) {
        add_samples(*primitives[p].first, *primitives[p].second, pair.samples);
        pair.part_ends.push_back(pair.samples.size());
      }
    }
  }

  /// Is every corner of every triangle where it was?
  [[nodiscard]] bool same_corners(const Primitive& a, const Primitive& b) const {
    const std::vector<std::uint32_t> left = make_list_indices(before_, a);
    const std::vector<std::uint32_t> right = make_list_indices(after_, b);
    const std::vector<float> from = make_floats(before_, a.find("POSITION"));
    const std::vector<float> to = make_floats(after_, b.find("POSITION"));
    if (left.size() != right.size()) {
      return false;
    }
    for (std::size_t i = 0; i < left.size(); ++i) {
      if (std::memcmp(&from[3 * std::size_t{left[i]}], &to[3 * std::size_t{right[i]}],
                      3 * sizeof(float)) != 0) {
        return false;
      }
    }
    return true;
  }

  void add_samples(const Primitive& a, const Primitive& b, std::vector<Sample>& samples) const {
    // What is rebaked has other vertices, and its triangles in the same order.
    const std::vector<std::uint32_t> list = make_list_indices(before_, a);
    const std::vector<std::uint32_t> list_after = make_list_indices(after_, b);
    const SpotFinder before(before_, a);
    const SpotFinder after(after_, b);
    const std::size_t triangles = std::min(list.size(), list_after.size()) / 3;
    const std::size_t step = std::max<std::size_t>(1, triangles / triangles_a_primitive);
    const std::vector<float> positions = make_floats(before_, a.find("POSITION"));
    for (std::size_t t = 0; t < triangles; t += step) {
      if (!has_area(positions, &list[3 * t])) {
        continue;  // nobody sees it
      }
      // Strewn by the triangle's number, off its corners.
      const double r1 = std::fmod(0.5 + 0.7548776662 * static_cast<double>(t), 1);
      const double r2 = std::fmod(0.5 + 0.5698402910 * static_cast<double>(t), 1);
      const double root = std::sqrt(r1);
      const Vec3d w{1 - root, root * (1 - r2), root * r2};
      Sample sample;
      fill(before, &list[3 * t], w, sample.before);
      fill(after, &list_after[3 * t], w, sample.after);
      samples.push_back(std::move(sample));
    }
  }

  static bool has_area(const std::vector<float>& positions, const std::uint32_t* corners) {
    const auto side = [&](std::size_t k, std::size_t c) {
      return static_cast<double>(positions[3 * std::size_t{corners[k]} + c] -
                                 positions[3 * std::size_t{corners[0]} + c]);
    };
    double squares = 0;
    for (std::size_t c = 0; c < 3; ++c) {
      const std::size_t d = (c + 1) % 3;
      const double part = side(1, c) * side(2, d) - side(1, d) * side(2, c);
      squares += part * part;
    }
    return squares > 0;
  }

  /// A place, and the corners of its triangle as seen from there.
  static void fill(const SpotFinder& from,
                   const std::uint32_t* corners,
                   const Vec3d& w,
                   Spot (&out)[3]) {
    out[0] = from.find(corners, w);
    out[1] = from.find(corners, {w[0] - 1, w[1] + 1, w[2]});
    out[2] = from.find(corners, {w[0] - 1, w[1], w[2] + 1});
  }

  /// Makes the steps from a place this share of what they are, in both scenes alike.
  static void shorten(Sample& sample, double share) {
    for (Spot(*spots)[3] : {&sample.before, &sample.after}) {
      for (std::size_t s = 1; s < 3; ++s) {
        for (auto& [set, uv] : (*spots)[s].uvs) {
          const Vec2d& at = (*spots)[0].uvs.at(set);
          for (std::size_t c = 0; c < 2; ++c) {
            uv[c] = at[c] + share * (uv[c] - at[c]);
          }
        }
      }
    }
  }

  /// What part of a triangle's sides two texels of the page are.
  [[nodiscard]] double find_share(const Sample& sample,
                                  const Material& material,
                                  const ShownPictures& shown) const {
    double longest = 0;
    for (const TextureSlot* slot : list_slots(material)) {
      if (slot->texture == no_texture || !sample.after[0].uvs.contains(slot->texcoord)) {
        continue;
      }
      const Vec2d texels = shown.find_size(*slot);
      for (std::size_t s = 1; s < 3; ++s) {
        const Vec2d& at = sample.after[0].uvs.at(slot->texcoord);
        const Vec2d& to = sample.after[s].uvs.at(slot->texcoord);
        longest =
            std::max(longest, std::hypot((to[0] - at[0]) * texels[0], (to[1] - at[1]) * texels[1]));
      }
    }
    return longest > 2 ? 2 / longest : 1;
  }

  LookCheck compare(Pair& pair, const ShownPictures& own, const ShownPictures& shown) const {
    const Material& before = before_[pair.before];
    const Material& after = after_[pair.after];
    LookCheck check;
    check.material = pair.before;
    check.samples = pair.samples.size();
    std::array<double, std::size(look_ranges)> squares{};
    for (Sample& sample : pair.samples) {
      shorten(sample, find_share(sample, after, shown));
      const Look a = find_mean_look(own, before, sample.before);
      const Look b = find_mean_look(shown, after, sample.after);
      for (std::size_t c = 0; c < squares.size(); ++c) {
        for (std::size_t v = look_ranges[c].first; v < look_ranges[c].end; ++v) {
          squares[c] += (a[v] - b[v]) * (a[v] - b[v]);
        }
      }
    }
    for (std::size_t c = 0; c < squares.size() && check.samples > 0; ++c) {
      const double values = static_cast<double>(look_ranges[c].end - look_ranges[c].first);
      const double mean = squares[c] / values / static_cast<double>(check.samples);
      check.psnr_db = mean > 0 ? std::min(check.psnr_db, -10 * std::log10(mean)) : check.psnr_db;
    }
    check.shift_texels = find_shift(pair, own, shown);
    return check;
  }

  /// Would the result show the source better if its picture were looked up a texel or two beside
  /// the place? A picture in its place is most like its source there, however it was resampled. The
  /// shift is one of the page or layer, so that it is the same for all charts of what is rebaked.
  [[nodiscard]] Vec2d find_shift(const Pair& pair,
                                 const ShownPictures& own,
                                 const ShownPictures& shown) const {
    const Material& before = before_[pair.before];
    const Material& after = after_[pair.after];
    if (before.base_color_texture.texture == no_texture ||
        after.base_color_texture.texture == no_texture || pair.samples.size() < 64) {
      return {0, 0};
    }
    const Vec2d size = shown.find_size(after.base_color_texture);
    constexpr Vec2d shifts[] = {{0, 0},  {1, 0},  {-1, 0}, {0, 1},  {0, -1}, {1, 1}, {-1, -1},
                                {1, -1}, {-1, 1}, {2, 0},  {-2, 0}, {0, 2},  {0, -2}};
    using Errors = std::array<double, std::size(shifts)>;
    const auto find_best = [&](const Errors& errors, std::size_t samples) {
      const auto best =
          static_cast<std::size_t>(std::min_element(errors.begin(), errors.end()) - errors.begin());
      const double least =
          4 * static_cast<double>(samples) * least_error_by_shift * least_error_by_shift;
      return errors[0] > least && errors[best] < least_gain_by_shift * errors[0] ? shifts[best]
                                                                                 : Vec2d{0, 0};
    };
    Errors all{};
    std::size_t next = 0;
    for (const std::size_t end : pair.part_ends) {
      Errors errors{};
      const std::size_t begin = next;
      for (; next < end; ++next) {
        const Sample& sample = pair.samples[next];
        const Look a = find_look(own, before, sample.before[0]);
        for (std::size_t s = 0; s < std::size(shifts); ++s) {
          Spot beside = sample.after[0];
          for (auto& [set, uv] : beside.uvs) {
            uv = {uv[0] + shifts[s][0] / size[0], uv[1] + shifts[s][1] / size[1]};
          }
          const Look b = find_look(shown, after, beside);
          for (std::size_t v = 0; v < 4; ++v) {
            errors[s] += (a[v] - b[v]) * (a[v] - b[v]);
          }
        }
      }
      const Vec2d of_part = end - begin < least_part ? Vec2d{0, 0} : find_best(errors, end - begin);
      if (of_part != Vec2d{0, 0}) {
        return of_part;
      }
      std::transform(all.begin(), all.end(), errors.begin(), all.begin(), std::plus<>());
    }
    return find_best(all, pair.samples.size());
  }

  const Scene& before_;
  const Scene& after_;
  const PictureCodec& codec_;
  std::span<const LookCheck> known_;
  std::vector<Pair> pairs_;
  std::vector<DrawRef> moved_;
  std::size_t unread_ = 0;
};

bool shows_rebaked(const RoutePlan& routes, const MaterialRoute& route) {
  return route.page != no_index && routes.pages[route.page].tiles[route.tile].baked();
}

}  // namespace

Result<void> verify_looks(const Scene& before,
                          const Scene& after,
                          const RoutePlan& routes,
                          const PictureCodec& codec,
                          const VerifySettings& settings,
                          Verdict& verdict,
                          const RunControl& run,
                          std::span<const LookCheck> known) {
  LookVerifier verifier(before, after, codec, known);
  auto checks = verifier.run(run);
  if (!checks) {
    return Failure(checks.error());
  }
  const auto report = [&](const DrawRef& draw, std::string what) {
    ++verdict.mismatch_count;
    verdict.mismatches.push_back({draw, std::move(what), make_node_path(before, draw.node)});
    verdict.passed = false;
  };
  for (const DrawRef& draw : verifier.moved()) {
    report(draw, "its triangles moved when its material was shared");
  }
  verdict.looks = std::move(*checks);
  if (verifier.unread() > 0) {
    verdict.not_checked.push_back(fmt::format(
        "pictures that can't be read, of {} materials; they count as white", verifier.unread()));
  }
  constexpr DrawRef no_draw_ref{no_node, 0};
  for (const LookCheck& check : verdict.looks) {
    const MaterialRoute* const route = routes.find(check.material);
    const double wanted = route != nullptr && shows_rebaked(routes, *route)
                              ? settings.rebaked_look_psnr_db
                              : settings.look_psnr_db;
    const bool shifted = check.shift_texels != Vec2d{0, 0};
    const std::string& name = before[check.material].name;
    if (shifted || check.psnr_db < wanted) {
      verdict.rejected.push_back(
          {no_draw_ref, check.material, RejectedFor::look,
           fmt::format("its look came to {:.1f} dB, shifted by {:g}, {:g} texels", check.psnr_db,
                       check.shift_texels[0], check.shift_texels[1])});
    }
    if (shifted) {
      report(no_draw_ref,
             fmt::format("the picture of material {} ({}) is shifted by {:g} texels along u and "
                         "{:g} along v of what it became",
                         to_index(check.material), name, check.shift_texels[0],
                         check.shift_texels[1]));
    }
    if (check.psnr_db < wanted) {
      report(no_draw_ref,
             fmt::format("material {} ({}) looks different: {:.1f} dB over {} places, "
                         "{:g} are wanted",
                         to_index(check.material), name, check.psnr_db, check.samples, wanted));
    }
  }
  const auto uvs = audit_uvs(before, after, routes, run);
  if (!uvs) {
    return Failure(uvs.error());
  }
  for (const UvMismatch& mismatch : *uvs) {
    verdict.rejected.push_back({mismatch.draw, no_material, RejectedFor::look, mismatch.what});
    report(mismatch.draw, mismatch.what);
  }
  const auto levels = check_mip_levels(after, codec, run);
  if (!levels) {
    return Failure(levels.error());
  }
  for (const std::string& problem : *levels) {
    report(no_draw_ref, problem);
  }
  return {};
}

}  // namespace wakuzume
