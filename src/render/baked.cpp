// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include "render/baked.h"

#include <fmt/format.h>

#include <algorithm>
#include <map>
#include <string>

#include "scene/running.h"
#include "survey/lightmaps.h"

namespace wakuzume {
namespace {

/// Pages that are decoded at a time.
constexpr std::size_t pages_at_once = 8;

/// Means of two by two texels; of odd sides the last texel is left out, as devices do.
LightPixels make_halved_light(const LightPixels& from) {
  LightPixels out{std::max(1U, from.width_px / 2), std::max(1U, from.height_px / 2), {}};
  out.rgb.reserve(std::size_t{3} * out.width_px * out.height_px);
  for (std::uint32_t y = 0; y < out.height_px; ++y) {
    for (std::uint32_t x = 0; x < out.width_px; ++x) {
      for (std::size_t c = 0; c < 3; ++c) {
        float sum = 0;
        for (const auto& [dx, dy] : {std::pair(0U, 0U), {1U, 0U}, {0U, 1U}, {1U, 1U}}) {
          const std::size_t at_x = std::min(2 * x + dx, from.width_px - 1);
          const std::size_t at_y = std::min(2 * y + dy, from.height_px - 1);
          sum += from.rgb[3 * (at_y * from.width_px + at_x) + c];
        }
        out.rgb.push_back(sum / 4);
      }
    }
  }
  return out;
}

/// Halves hold a brighter light than any display, and filter by whole floats.
GlTextureArray upload(LightPixels light, std::uint32_t mips) {
  constexpr float brightest_half = 65504;
  for (float& value : light.rgb) {
    value = value > 0 ? std::min(value, brightest_half) : 0;  // also what is no number
  }
  const auto size = [](std::uint32_t px) { return static_cast<GLsizei>(px); };
  GLsizei levels = 1;
  while (levels <= static_cast<GLsizei>(mips) &&
         (std::max(light.width_px, light.height_px) >> static_cast<unsigned>(levels)) > 0) {
    ++levels;
  }
  GlTextureArray out = GlTextureArray::make();
  glTextureStorage3D(out.id(), levels, GL_RGB16F, size(light.width_px), size(light.height_px), 1);
  for (GLint level = 0; level < levels; ++level) {
    if (level > 0) {
      light = make_halved_light(light);
    }
    glTextureSubImage3D(out.id(), level, 0, 0, 0, size(light.width_px), size(light.height_px), 1,
                        GL_RGB, GL_FLOAT, light.rgb.data());
  }
  return out;
}

GlSampler make_page_sampler() {
  GlSampler out = GlSampler::make();
  glSamplerParameteri(out.id(), GL_TEXTURE_MAG_FILTER, GL_LINEAR);
  glSamplerParameteri(out.id(), GL_TEXTURE_MIN_FILTER, GL_LINEAR_MIPMAP_LINEAR);
  glSamplerParameteri(out.id(), GL_TEXTURE_WRAP_S, GL_CLAMP_TO_EDGE);
  glSamplerParameteri(out.id(), GL_TEXTURE_WRAP_T, GL_CLAMP_TO_EDGE);
  return out;
}

/// Of the page that a draw names. \param numbers  of pages that are there, by name
BakedUse find_use(const ShownScene& shown,
                  const Draw& draw,
                  const std::map<std::string, std::uint32_t>& numbers) {
  const SurveySettings& settings = shown.survey.settings;
  const Node& node = shown.scene[draw.node];
  const Primitive& primitive = primitive_of(shown.scene, draw);
  const auto page =
      numbers.find(find_lightmap_page(shown.scene, node, primitive, settings.lightmap_key));
  if (page == numbers.end()) {
    return {};
  }
  const LightmapUse use =
      find_lightmap_use(shown.scene, node, primitive, settings.lightmap_key,
                        settings.lightmap_transform_key, settings.lightmap_uv_set);
  if (use.turned || primitive.find(fmt::format("TEXCOORD_{}", use.uv_set)) == no_stream) {
    return {};
  }
  return {page->second, use.uv_set, use.place, use.beyond, static_cast<float>(use.intensity)};
}

}  // namespace

Result<BakedLight> make_baked_light(const ShownScene& shown,
                                    const PictureCodec& codec,
                                    std::uint32_t max_megabytes,
                                    const RunControl& run) {
  BakedLight out;
  if (shown.lightmaps.empty()) {
    return out;
  }
  std::map<std::string, std::uint32_t> numbers;
  double megabytes = 0;
  for (std::size_t begin = 0; begin < shown.lightmaps.size(); begin += pages_at_once) {
    std::vector<LightPixels> decoded(std::min(pages_at_once, shown.lightmaps.size() - begin));
    if (!for_each_index(decoded.size(), run, "reading lightmaps", [&](std::size_t i) {
          if (auto light = codec.decode_light(shown.lightmaps[begin + i].picture)) {
            decoded[i] = std::move(*light);
          }
        })) {
      return Failure(make_cancelled());
    }
    for (std::size_t i = 0; i < decoded.size(); ++i) {
      megabytes += 8e-6 / 3 * static_cast<double>(decoded[i].rgb.size()) * 4 / 3;
      if (megabytes > max_megabytes) {
        return Failure(Error{ErrorCode::too_large,
                             fmt::format("lightmap pages take more than the {} MB that are "
                                         "allowed for textures",
                                         max_megabytes),
                             {}});
      }
      if (decoded[i].rgb.empty()) {
        ++out.unread;
        continue;
      }
      out.pages.push_back(upload(std::move(decoded[i]), shown.lightmaps[begin + i].mips));
      numbers.try_emplace(shown.lightmaps[begin + i].page,
                          static_cast<std::uint32_t>(out.pages.size()));
    }
  }
  out.sampler = make_page_sampler();
  for (const Draw& draw : shown.survey.draws) {
    out.uses.push_back(find_use(shown, draw, numbers));
  }
  return out;
}

}  // namespace wakuzume
