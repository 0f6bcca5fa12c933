// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include <algorithm>
#include <bit>
#include <cmath>
#include <limits>
#include <map>

#include "findings/collector.h"
#include "findings/uv_use.h"
#include "scene/hasher.h"
#include "survey/parts.h"

namespace wakuzume {
namespace {

/// All that draws do with one image.
struct ImageUse {
  std::vector<ShapeId> shapes;
  double least_repeats = std::numeric_limits<double>::infinity();
  /// Texels per metre at the most stretched use; infinite while nothing is known.
  double least_density = std::numeric_limits<double>::infinity();
};

class ImageFinder {
 public:
  explicit ImageFinder(FindingCollector& all)
      : all_(all), scene_(all.scene), uses_(all.scene.images.size()) {}

  void find() {
    measure_scales();
    for (std::size_t s = 0; s < all_.survey.shapes.size(); ++s) {
      take_uses(make_id<ShapeId>(s));
    }
    find_missing();
    find_skipped();
    find_copies();
    for (std::size_t i = 0; i < uses_.size(); ++i) {
      const auto id = make_id<ImageId>(i);
      find_repeats(id);
      if (i < all_.images.size()) {
        find_in_picture(id);
      }
    }
  }

 private:
  /// The largest scale at which each shape is shown: there its texels are stretched most.
  void measure_scales() {
    scales_.assign(all_.survey.shapes.size(), 0);
    for (const Draw& draw : all_.survey.draws) {
      const double scale = std::cbrt(std::abs(linear_determinant(all_.world[to_index(draw.node)])));
      double& largest = scales_[to_index(draw.shape)];
      largest = std::isfinite(scale) ? std::max(largest, scale) : largest;
    }
  }

  void take_uses(ShapeId id) {
    const Shape& shape = all_.survey[id];
    const ShapeScan& scan = all_.scans[to_index(id)];
    for (const UvUse& use : list_uv_uses(scene_, shape)) {
      if (use.image == no_image) {
        continue;
      }
      ImageUse& image = uses_[to_index(use.image)];
      if (image.shapes.empty() || image.shapes.back() != id) {
        image.shapes.push_back(id);
      }
      const double repeats = use.repeats ? use.range.count_tiles() : 1;
      image.least_repeats = std::min(image.least_repeats, repeats);
      const double area = scan.area_m2 * scales_[to_index(id)] * scales_[to_index(id)];
      if (use.uv < scan.uv_areas.size() && area > 0 && to_index(use.image) < all_.images.size()) {
        const ImageFacts& facts = all_.images[to_index(use.image)];
        const double texels = static_cast<double>(facts.width_px) *
                              static_cast<double>(facts.height_px) * use.area_scale *
                              scan.uv_areas[use.uv];
        if (texels > 0) {
          image.least_density = std::min(image.least_density, std::sqrt(texels / area));
        }
      }
    }
  }

  [[nodiscard]] Finding about(FindingCode code, Severity severity, ImageId id) const {
    Finding finding;
    finding.code = code;
    finding.severity = severity;
    finding.subject = all_.name_of(id);
    finding.draws = all_.draws_of(uses_[to_index(id)].shapes);
    return finding;
  }

  void find_missing() {
    for (const MissingFile& file : scene_.missing_files) {
      Finding finding;
      finding.code = FindingCode::file_missing;
      finding.severity = Severity::serious;
      finding.subject = file.uri;
      finding.what = fmt::format("is named for {} and can't be found", file.used_for);
      finding.remedy = "put the file there, or mend the name";
      all_.add(std::move(finding));
    }
  }

  void find_skipped() {
    for (const SkippedPart& part : scene_.skipped_parts) {
      Finding finding;
      finding.code = FindingCode::part_skipped;
      finding.severity = Severity::serious;
      finding.subject = part.file;
      finding.what = fmt::format("{} {}: {}; the first in line {}: {}", part.count, part.what,
                                 part.instead, part.first_line, part.detail);
      finding.remedy = "mend the file, or export it again, if that is missed";
      all_.add(std::move(finding));
    }
  }

  void find_copies() {
    const std::vector<ContentHash> contents = make_image_contents(scene_, all_.images);
    std::map<ContentHash, std::vector<ImageId>, LessHash> sets;
    for (std::size_t i = 0; i < contents.size(); ++i) {
      sets[contents[i]].push_back(make_id<ImageId>(i));
    }
    for (const auto& [hash, set] : sets) {
      if (set.size() < 2) {
        continue;
      }
      Finding finding = about(FindingCode::image_copied, Severity::costly, set.front());
      finding.what = fmt::format("the same picture is stored {} times, also as {}", set.size(),
                                 all_.name_of(set[1]));
      finding.remedy = "let all materials use one";
      std::vector<ShapeId> shapes;
      for (const ImageId id : set) {
        const auto& own = uses_[to_index(id)].shapes;
        shapes.insert(shapes.end(), own.begin(), own.end());
      }
      std::sort(shapes.begin(), shapes.end());
      shapes.erase(std::unique(shapes.begin(), shapes.end()), shapes.end());
      finding.draws = all_.draws_of(shapes);
      finding.byte_cost = (set.size() - 1) * picture_bytes(set.front());
      all_.add(std::move(finding));
    }
  }

  /// Decoded, with mip levels; 0 where the size is unknown.
  [[nodiscard]] std::uint64_t picture_bytes(ImageId id) const {
    if (to_index(id) >= all_.images.size()) {
      return 0;
    }
    const ImageFacts& facts = all_.images[to_index(id)];
    return std::uint64_t{facts.width_px} * facts.height_px * 4 * 4 / 3;
  }

  void find_repeats(ImageId id) {
    const ImageUse& use = uses_[to_index(id)];
    if (use.shapes.empty() || use.least_repeats < all_.settings.repeats) {
      return;
    }
    Finding finding = about(FindingCode::image_repeats_always, Severity::minor, id);
    if (finding.draws.size() < 2) {
      return;
    }
    finding.what =
        fmt::format("each of its uses repeats it at least {:.3g} times", use.least_repeats);
    finding.remedy = "a detail texture: keep it out of atlases, put it into layers";
    all_.add(std::move(finding));
  }

  void find_in_picture(ImageId id) {
    const ImageFacts& facts = all_.images[to_index(id)];
    if (!facts.problem.empty()) {
      Finding finding = about(FindingCode::image_unreadable, Severity::serious, id);
      finding.what = facts.problem;
      finding.remedy = "save it again as PNG, JPEG or WebP";
      all_.add(std::move(finding));
      return;
    }
    find_too_fine(id, facts);
    if (facts.decoded && facts.one_color && std::uint64_t{facts.width_px} * facts.height_px > 64) {
      Finding finding = about(FindingCode::image_one_color, Severity::costly, id);
      finding.what = fmt::format("all of its {} x {} pixels are #{:02x}{:02x}{:02x}{:02x}",
                                 facts.width_px, facts.height_px, facts.color[0], facts.color[1],
                                 facts.color[2], facts.color[3]);
      finding.remedy = "put the colour into the material's factor, or shrink it to 4 x 4";
      finding.byte_cost = picture_bytes(id);
      all_.add(std::move(finding));
    }
    if (facts.width_px > 0 &&
        (!std::has_single_bit(facts.width_px) || !std::has_single_bit(facts.height_px))) {
      Finding finding = about(FindingCode::image_size_uneven, Severity::minor, id);
      finding.what = fmt::format("{} x {} pixels", facts.width_px, facts.height_px);
      finding.remedy = "scale the sides to powers of two: some engines pad or shrink it themselves";
      all_.add(std::move(finding));
    }
  }

  void find_too_fine(ImageId id, const ImageFacts& facts) {
    const double wanted = all_.settings.texels_per_metre;
    const double density = uses_[to_index(id)].least_density;
    if (!std::isfinite(density) || density < wanted * all_.settings.too_fine_factor) {
      return;
    }
    const double halvings = std::floor(std::log2(density / wanted));
    const auto smaller = [&](std::uint32_t side) {
      return std::max(1.0, static_cast<double>(side) / std::exp2(halvings));
    };
    Finding finding = about(FindingCode::image_too_fine, Severity::costly, id);
    finding.what =
        fmt::format("{} x {} pixels give at least {:.0f} texels a metre, {:.0f} are needed",
                    facts.width_px, facts.height_px, density, wanted);
    finding.remedy = fmt::format("{:.0f} x {:.0f} pixels are enough", smaller(facts.width_px),
                                 smaller(facts.height_px));
    const double left = std::exp2(-2 * halvings);
    finding.byte_cost =
        static_cast<std::uint64_t>(static_cast<double>(picture_bytes(id)) * (1 - left));
    all_.add(std::move(finding));
  }

  FindingCollector& all_;
  const Scene& scene_;
  std::vector<ImageUse> uses_;
  std::vector<double> scales_;
};

}  // namespace

void find_image_findings(FindingCollector& all) { ImageFinder(all).find(); }

}  // namespace wakuzume
