// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include "wakuzume/gpu_pictures.h"

#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <cmath>
#include <map>
#include <set>
#include <tuple>

#include "survey/lightmaps.h"
#include "survey/rules.h"
#include "survey/textures.h"
#include "wakuzume/picture_codec.h"

namespace wakuzume {
namespace {

/// Of a picture and itself.
constexpr double same_db = 100;

TexelKind find_kind(Slot slot) {
  switch (slot) {
    case Slot::normal:
      return TexelKind::normals;
    case Slot::metallic_roughness:
    case Slot::occlusion:
      return TexelKind::values;
    case Slot::base_color:
    case Slot::emissive:
      break;
  }
  return TexelKind::colors;
}

/// Alpha below the cutoff by the picture alone: the factor takes its part of it.
double find_cutoff(const Material& material) {
  if (material.alpha_mode != AlphaMode::mask || material.base_color[3] <= 0) {
    return 0;
  }
  return std::clamp(material.alpha_cutoff / material.base_color[3], 0.0, 1.0);
}

TexelFormat find_format(GpuTexels texels) {
  return texels == GpuTexels::astc_4x4   ? TexelFormat::astc_4x4
         : texels == GpuTexels::astc_6x6 ? TexelFormat::astc_6x6
                                         : TexelFormat::rgba8;
}

double measure(const Pixels& a, const Pixels& b, const GpuPicture& picture) {
  const bool alpha = picture.shows_alpha && picture.kind == TexelKind::colors;
  const std::size_t channels = alpha ? 4 : 3;
  double sum = 0;
  for (std::size_t i = 0; i < a.rgba.size(); i += 4) {
    for (std::size_t c = 0; c < channels; ++c) {
      const double off = static_cast<double>(a.rgba[i + c]) - b.rgba[i + c];
      sum += off * off;
    }
  }
  const double mean = sum / static_cast<double>(a.rgba.size() / 4 * channels);
  return mean <= 0 ? same_db : std::min(same_db, 10 * std::log10(255.0 * 255.0 / mean));
}

Result<double> measure_file(const Pixels& pixels,
                            const GpuPicture& picture,
                            const Bytes& file,
                            const PictureCodec& codec) {
  const auto array = codec.decode_array(file, 0);
  if (!array) {
    return Failure(array.error());
  }
  const Pixels& found = array->layers.front();
  if (found.width_px != pixels.width_px || found.height_px != pixels.height_px) {
    return Failure(Error{ErrorCode::bad_image,
                         fmt::format("it has {} x {} pixels, the picture {} x {}", found.width_px,
                                     found.height_px, pixels.width_px, pixels.height_px),
                         {}});
  }
  return measure(pixels, found, picture);
}

Result<Pixels> decode(const Scene& scene, ImageId image, const PictureCodec& codec) {
  auto pixels = codec.decode(find_encoded(scene, image));
  if (!pixels) {
    Error error = pixels.error();
    error.place.pointer = fmt::format("/images/{}", to_index(image));
    return Failure(std::move(error));
  }
  return pixels;
}

/// Finds out what shows each texture, then which pictures those are.
class Lister {
 public:
  Lister(const Scene& scene, const RoutePlan& routes, const PageImages& images) : scene_(scene) {
    constexpr auto color = static_cast<std::size_t>(Channel::color);
    for (std::size_t p = 0; p < std::min(routes.pages.size(), images.size()); ++p) {
      const AtlasPage& page = routes.pages[p];
      if (images[p][color] != no_image && page.has(Channel::color)) {
        areas_[images[p][color]] = list_areas(page);
      }
    }
    // Behind what routes made are joined lightmap pages, which no slot shows.
    for (std::size_t p = routes.pages.size() + routes.stacks.size(); p < images.size(); ++p) {
      light_.insert(images[p][color]);
    }
  }

  GpuPictures run() {
    for (const Material& material : scene_.materials) {
      const auto slots = list_slots(material);
      for (std::size_t s = 0; s < slots.size(); ++s) {
        if (slots[s]->texture != no_texture) {
          note(material, static_cast<Slot>(s), slots[s]->texture);
        }
      }
    }
    note_lightmaps();
    GpuPictures out;
    out.left_out = std::move(left_out_);
    std::map<std::tuple<ImageId, TexelKind, bool>, GpuPicture> pictures;
    for (const auto& [id, use] : uses_) {
      const ImageId image = scene_.textures[to_index(id)].image;
      GpuPicture& picture = pictures[{image, use.kind, use.cutoff > 0}];
      picture.image = image;
      picture.kind = use.kind;
      picture.shows_alpha = picture.shows_alpha || use.shows_alpha;
      picture.textures.push_back(id);
      if (picture.cut.cutoff == 0 && use.cutoff > 0) {
        picture.cut = {use.cutoff, areas_[image]};
      }
    }
    for (auto& [key, picture] : pictures) {
      out.pictures.push_back(std::move(picture));
    }
    tell_others(out);
    return out;
  }

 private:
  struct Use {
    TexelKind kind = TexelKind::colors;
    double cutoff = 0;
    bool shows_alpha = false;
  };

  /// In pixels of the picture of colours, which may be smaller than the page.
  static std::vector<TexelRect> list_areas(const AtlasPage& page) {
    const std::uint32_t halved = page.halvings[static_cast<std::size_t>(Channel::color)];
    std::vector<TexelRect> out;
    for (const Tile& tile : page.tiles) {
      if (!tile.solid()) {
        const RectSize size =
            tile.turned ? RectSize{tile.size.height_px, tile.size.width_px} : tile.size;
        out.push_back({tile.x >> halved, tile.y >> halved, size.width_px >> halved,
                       size.height_px >> halved});
      }
    }
    return out;
  }

  /// Layers are such files already, and what is not there has none.
  [[nodiscard]] bool has_picture(const Texture& texture) const {
    return texture.image != no_image && !texture.layers &&
           find_encoded(scene_, texture.image).size() > 0;
  }

  void note(const Material& material, Slot slot, TextureId id) {
    if (!has_picture(scene_.textures[to_index(id)])) {
      return;
    }
    const TexelKind kind = find_kind(slot);
    const auto [known, added] = uses_.try_emplace(id, Use{kind});
    Use& use = known->second;
    if (use.kind != kind) {
      left_out_.push_back(fmt::format(
          "texture {} shows colours in one slot and values in another; its picture for GPUs is "
          "that of the first",
          to_index(id)));
      return;
    }
    if (slot == Slot::base_color) {
      use.cutoff = use.cutoff > 0 ? use.cutoff : find_cutoff(material);
      use.shows_alpha = use.shows_alpha || material.alpha_mode != AlphaMode::opaque;
    }
  }

  /// Baked light is colours.
  void note_lightmaps() {
    for (std::size_t m = 0; m < scene_.materials.size(); ++m) {
      light_.insert(find_lightmap_image(scene_, make_id<MaterialId>(m)));
    }
    for (std::size_t t = 0; t < scene_.textures.size(); ++t) {
      if (has_picture(scene_.textures[t]) && light_.count(scene_.textures[t].image) > 0) {
        uses_.try_emplace(make_id<TextureId>(t), Use{});
      }
    }
  }

  void tell_others(GpuPictures& out) const {
    std::size_t others = 0;
    for (std::size_t t = 0; t < scene_.textures.size(); ++t) {
      const bool known = uses_.count(make_id<TextureId>(t)) > 0;
      others += !known && has_picture(scene_.textures[t]) ? 1U : 0U;
    }
    if (others > 0) {
      out.left_out.push_back(
          fmt::format("{} that no slot of the standard shows {} no picture for GPUs: what the "
                      "texels mean is not known",
                      others == 1 ? "a texture" : fmt::format("{} textures", others),
                      others == 1 ? "has" : "have"));
    }
  }

  const Scene& scene_;
  std::map<ImageId, std::vector<TexelRect>> areas_;
  std::set<ImageId> light_;  ///< pictures of baked light
  std::map<TextureId, Use> uses_;
  std::vector<std::string> left_out_;
};

}  // namespace

std::string_view to_string(GpuTexels texels) {
  constexpr std::array<std::string_view, 4> names{"none", "rgba8", "astc_4x4", "astc_6x6"};
  return names[static_cast<std::size_t>(texels)];
}

Result<void> validate(const GpuPictureSettings& settings) {
  for (const auto& [name, value] :
       {std::pair("gpu_pictures.gpu_quality", settings.quality),
        std::pair("gpu_pictures.gpu_least_psnr_db", settings.least_psnr_db)}) {
    if (!(value >= 0 && value <= 100)) {
      return Failure(Error{
          ErrorCode::bad_setting, fmt::format("{} is {}; 0 to 100 is allowed", name, value), {}});
    }
  }
  return {};
}

GpuPictures list_gpu_pictures(const Scene& scene,
                              const RoutePlan& routes,
                              const PageImages& images) {
  return Lister(scene, routes, images).run();
}

Result<EncodedGpuPicture> encode_gpu_picture(const Scene& scene,
                                             const GpuPicture& picture,
                                             const GpuPictureSettings& settings,
                                             const PictureCodec& codec,
                                             const RunControl& run) {
  const auto pixels = decode(scene, picture.image, codec);
  if (!pixels) {
    return Failure(pixels.error());
  }
  EncodedGpuPicture out;
  out.texels = settings.texels;
  while (true) {
    auto bytes = codec.encode_array({.kind = picture.kind, .cut = picture.cut, .layers = {*pixels}},
                                    {.format = find_format(out.texels),
                                     .shape = ArrayShape::single,
                                     .supercompression = settings.packing,
                                     .astc_quality = static_cast<float>(settings.quality)},
                                    run);
    if (!bytes) {
      return Failure(bytes.error());
    }
    const Bytes file = make_bytes(std::vector<std::byte>(*bytes));
    const auto likeness = measure_file(*pixels, picture, file, codec);
    if (!likeness) {
      return Failure(likeness.error());
    }
    out.bytes = std::move(*bytes);
    out.psnr_db = *likeness;
    if (out.psnr_db >= settings.least_psnr_db || out.texels == GpuTexels::rgba8) {
      return out;
    }
    out.texels = out.texels == GpuTexels::astc_6x6 ? GpuTexels::astc_4x4 : GpuTexels::rgba8;
  }
}

Result<double> measure_gpu_picture(const Scene& scene,
                                   const GpuPicture& picture,
                                   const Bytes& file,
                                   const PictureCodec& codec) {
  const auto pixels = decode(scene, picture.image, codec);
  return pixels ? measure_file(*pixels, picture, file, codec) : Failure(pixels.error());
}

void name_gpu_picture(Texture& texture, const std::string& uri) {
  Extra& extra = texture.extra.ensure();
  extra.extras =
      put_member(extra.extras, gpu_picture_key, fmt::format("{{\"uri\":{}}}", to_json_text(uri)));
}

std::string find_gpu_picture(const Texture& texture) {
  const std::string value = find_extra(texture.extra, gpu_picture_key);
  return value.empty() ? value : find_member(value, "uri");
}

}  // namespace wakuzume
