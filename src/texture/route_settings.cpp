// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include <fmt/format.h>

#include <algorithm>

#include "texture/uses.h"
#include "wakuzume/routes.h"

namespace wakuzume {

std::string_view to_string(TakenTo to) { return to == TakenTo::larger ? "larger" : "stay"; }

std::string_view to_string(Route route) {
  constexpr std::string_view names[route_count] = {"fold",   "tint",   "atlas",
                                                   "layers", "rebake", "stay"};
  return names[static_cast<std::size_t>(route)];
}

std::string_view to_string(Channel channel) {
  constexpr std::string_view names[channel_count] = {"color", "surface", "normal", "emissive"};
  return names[static_cast<std::size_t>(channel)];
}

const MaterialRoute* RoutePlan::find(MaterialId material) const {
  const auto hit = std::lower_bound(
      routes.begin(), routes.end(), material,
      [](const MaterialRoute& route, MaterialId id) { return route.material < id; });
  return hit != routes.end() && hit->material == material ? &*hit : nullptr;
}

namespace {

/// Files are named after it.
bool is_group_name(const std::string& name) {
  constexpr std::string_view letters =
      "abcdefghijklmnopqrstuvwxyzABCDEFGHIJKLMNOPQRSTUVWXYZ0123456789_-.";
  return !name.empty() && name.find_first_not_of(letters) == std::string::npos;
}

}  // namespace

Result<void> validate(const MaterialSettings& settings) {
  const auto refuse = [](std::string message) {
    return Failure(Error{ErrorCode::bad_setting, std::move(message), {}});
  };
  const auto within = [](double value, double low, double high) {
    return value >= low && value <= high;
  };
  if (!within(settings.factor_tolerance, 0, 1)) {
    return refuse("materials.factor_tolerance must be from 0 to 1");
  }
  if (settings.max_page_px < 64 || settings.max_page_px > 16384) {
    return refuse("materials.max_page_px must be from 64 to 16384");
  }
  if (!(settings.allowed_loss >= 0 && settings.allowed_loss <= 255)) {
    return refuse("materials.allowed_loss must be from 0 to 255");
  }
  for (const auto& [name, quality] : {std::pair("jpeg_quality", settings.jpeg_quality),
                                      std::pair("webp_quality", settings.webp_quality)}) {
    if (quality < 1 || quality > 100) {
      return refuse(fmt::format("materials.{} must be from 1 to 100", name));
    }
  }
  if (!within(settings.layer_quality, 0, 100)) {
    return refuse("materials.layer_quality must be from 0 to 100");
  }
  if (settings.max_pages > 65536) {
    return refuse("materials.max_pages must be from 0 to 65536");
  }
  if (settings.clean_mips > 8) {
    return refuse("materials.clean_mips must be from 0 to 8");
  }
  if (!within(settings.unrolled_repeats, 1, 1024)) {
    return refuse("materials.unrolled_repeats must be from 1 to 1024");
  }
  if (settings.enough_texels_per_metre != 0 &&
      !within(settings.enough_texels_per_metre, 0.01, 1e6)) {
    return refuse("materials.enough_texels_per_metre must be 0 or from 0.01 to 1e6");
  }
  if (settings.max_layers < 2 || settings.max_layers > 2048) {
    return refuse("materials.max_layers must be from 2 to 2048");
  }
  if (settings.max_stack_megabytes < 1 || settings.max_stack_megabytes > 65536) {
    return refuse("materials.max_stack_megabytes must be from 1 to 65536");
  }
  if (settings.rebaked_texels_per_metre != 0 &&
      !within(settings.rebaked_texels_per_metre, 0.01, 1e6)) {
    return refuse("materials.rebaked_texels_per_metre must be 0 or from 0.01 to 1e6");
  }
  if (settings.rebaked_uv_set > free_uv_set) {
    return refuse(
        "materials.rebaked_uv_set must be from 0 to 15, or 16 for the first that is free");
  }
  const std::string route = find_bad_entry(settings.routes, [](std::string_view word) {
    return word == cutout_word || find_route(word);
  });
  if (!route.empty()) {
    return refuse(
        fmt::format("materials.routes has {}; write a glob over names of materials, or terms, =, "
                    "and one of fold, tint, atlas, layers, rebake, stay, cutout",
                    route));
  }
  const std::string scale = find_bad_entry(settings.scales, find_tile_size);
  if (!scale.empty()) {
    return refuse(
        fmt::format("materials.scales has {}; write a glob over names of materials, or terms, =, "
                    "and a scale above 0, to 1, or a size as 512px or 40/m",
                    scale));
  }
  const std::string layout = find_bad_entry(settings.layouts, [](const std::string& word) {
    const auto wish = find_layout(word);
    return wish && is_group_name(wish->name);
  });
  if (!layout.empty()) {
    return refuse(
        fmt::format("materials.layouts has {}; write a glob over names of materials, or terms, =, "
                    "a name, the number of a UV set from 0 to 15, and perhaps a size: hut:1, "
                    "hut:1:1024px, hut:1:64/m",
                    layout));
  }
  const std::string group = find_bad_entry(settings.together, is_group_name);
  if (!group.empty()) {
    return refuse(
        fmt::format("materials.together has {}; write a glob over names of materials, or terms, =, "
                    "and a name of letters, digits, '_', '-' and '.'",
                    group));
  }
  return {};
}

}  // namespace wakuzume
