// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include <fmt/format.h>

#include <algorithm>
#include <map>
#include <vector>

#include "survey/draws.h"
#include "survey/textures.h"
#include "texture/uses.h"
#include "wakuzume/repaint.h"
#include "wakuzume/routes.h"

namespace wakuzume {
namespace {

constexpr double cut_at = 0.5;

/// Why a material can't be cut out without losing what it shows; empty: it can.
std::string find_obstacle(const Scene& scene,
                          std::span<const ImageFacts> images,
                          const Material& material,
                          bool fades,
                          double allowed_loss,
                          Cutout& out) {
  if (material.base_color[3] < 1) {
    return fmt::format("its alpha factor is {:.2g}: what shows through it would be lost",
                       material.base_color[3]);
  }
  if (fades) {
    return "its vertices have an alpha of their own";
  }
  const TextureId texture = material.base_color_texture.texture;
  if (texture == no_texture) {
    return "";
  }
  const ImageId image = find_image(scene, texture);
  const ImageFacts facts = image == no_image ? ImageFacts{} : images[to_index(image)];
  if (!facts.decoded) {
    return "its picture can't be read" + (facts.problem.empty() ? "" : ": " + facts.problem);
  }
  out.between = facts.alpha_between;
  out.lost_steps = facts.alpha_off_steps;
  out.opaque = facts.alpha_between <= 0 && facts.alpha_low <= 0;
  return facts.alpha_off_steps > allowed_loss ? fmt::format(
                                                    "it would lose {:.3g} of 255 steps of alpha, "
                                                    "and materials.allowed_loss is {:.3g}",
                                                    facts.alpha_off_steps, allowed_loss)
                                              : "";
}

}  // namespace

bool asks_for_cutouts(const MaterialSettings& settings) {
  return std::any_of(settings.routes.begin(), settings.routes.end(), [](const std::string& entry) {
    return entry.substr(entry.rfind('=') + 1) == cutout_word;
  });
}

std::vector<Cutout> find_cutouts(const Scene& scene,
                                 const Survey& survey,
                                 std::span<const ImageFacts> images,
                                 const MaterialSettings& settings) {
  struct Use {
    std::uint32_t draws = 0;
    bool fades = false;
  };
  std::map<MaterialId, Use> uses;
  for (const Draw& draw : survey.draws) {
    if (draw.material != no_material) {
      Use& use = uses[draw.material];
      ++use.draws;
      use.fades = use.fades || has_corner_alpha(scene, primitive_of(scene, draw));
    }
  }
  const MaterialWishes wishes(settings.routes, scene, survey);
  std::vector<Cutout> out;
  for (const auto& [id, use] : uses) {
    if (scene[id].alpha_mode == AlphaMode::blend && wishes.find(id) == cutout_word) {
      Cutout& made = out.emplace_back();
      made.material = id;
      made.draws = use.draws;
      made.obstacle =
          find_obstacle(scene, images, scene[id], use.fades, settings.allowed_loss, made);
    }
  }
  return out;
}

Result<void> cut_out(std::span<const Cutout> cutouts, Scene& scene) {
  for (std::size_t c = 0; c < cutouts.size(); ++c) {
    const Cutout& cutout = cutouts[c];
    if (to_index(cutout.material) >= scene.materials.size()) {
      return Failure(Error{ErrorCode::plan_mismatch,
                           fmt::format("a cutout of material {}, and the scene has {}",
                                       to_index(cutout.material), scene.materials.size()),
                           {"", fmt::format("/materials/cutouts/{}", c)}});
    }
    if (cutout.obstacle.empty()) {
      Material& material = scene.materials[to_index(cutout.material)];
      material.alpha_mode = cutout.opaque ? AlphaMode::opaque : AlphaMode::mask;
      material.alpha_cutoff = cut_at;
    }
  }
  return {};
}

}  // namespace wakuzume
