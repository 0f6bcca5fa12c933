// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include "render/pictures.h"

#include <xxhash.h>

#include <algorithm>
#include <set>

#include "scene/running.h"
#include "survey/textures.h"
#include "texture/resample.h"

namespace wakuzume {
namespace {

/// Pictures that are decoded at a time: what waits for the device takes memory.
constexpr std::size_t pictures_at_once = 16;
constexpr std::uint32_t most_halvings = 6;

struct Wanted {
  ImageId image = no_image;
  bool layered = false;
  Colors colors = Colors::srgb;
  std::vector<TextureId> textures;
};

/// Mip levels from the finest on, each with its layers; empty: unreadable.
using Levels = std::vector<std::vector<Pixels>>;

std::vector<Wanted> list_wanted(const Scene& scene, const std::vector<MaterialId>& shown) {
  std::map<std::tuple<ImageId, bool, Colors>, std::set<TextureId>> found;
  for (const MaterialId id : shown) {
    const auto slots = list_slots(scene[id]);
    for (std::size_t s = 0; s < slots.size(); ++s) {
      if (slots[s]->texture != no_texture) {
        const bool layered = static_cast<bool>(scene.textures[to_index(slots[s]->texture)].layers);
        found[{find_image(scene, slots[s]->texture), layered, find_colors(s)}].insert(
            slots[s]->texture);
      }
    }
  }
  std::vector<Wanted> out;
  for (const auto& [key, textures] : found) {
    out.push_back(
        {std::get<0>(key), std::get<1>(key), std::get<2>(key), {textures.begin(), textures.end()}});
  }
  return out;
}

std::vector<Pixels> decode(const Scene& scene, const Wanted& wanted, const PictureCodec& codec) {
  const Bytes encoded = wanted.image == no_image ? Bytes() : find_encoded(scene, wanted.image);
  if (encoded.size() == 0) {
    return {};
  }
  if (wanted.layered) {
    auto array = codec.decode_array(encoded, 0);
    return array ? std::move(array->layers) : std::vector<Pixels>();
  }
  auto pixels = codec.decode(encoded);
  return pixels ? std::vector<Pixels>{std::move(*pixels)} : std::vector<Pixels>();
}

/// Made here and not by the device: it is the same everywhere, and a software renderer would spend
/// more time on compiling how than on doing it.
Levels make_levels(std::vector<Pixels> finest, Colors colors) {
  Levels out;
  if (finest.empty()) {
    return out;
  }
  out.push_back(std::move(finest));
  while (std::max(out.back().front().width_px, out.back().front().height_px) > 1) {
    std::vector<Pixels> next;
    for (const Pixels& layer : out.back()) {
      next.push_back(
          make_halved(layer, colors == Colors::srgb ? TexelKind::colors : TexelKind::values));
    }
    out.push_back(std::move(next));
  }
  return out;
}

/// As large and as deep as the device takes textures.
bool fits_device(const std::vector<Pixels>& layers) {
  GLint side = 0;
  GLint depth = 0;
  glGetIntegerv(GL_MAX_TEXTURE_SIZE, &side);
  glGetIntegerv(GL_MAX_ARRAY_TEXTURE_LAYERS, &depth);
  const auto most = static_cast<std::uint32_t>(side);
  return layers.size() <= static_cast<std::size_t>(depth) && layers.front().width_px <= most &&
         layers.front().height_px <= most;
}

std::shared_ptr<UploadedPicture> upload(const Levels& levels,
                                        Colors colors,
                                        std::uint32_t halvings) {
  const std::size_t skipped = std::min<std::size_t>(halvings, levels.size() - 1);
  const auto size = [](std::uint32_t pixels) { return static_cast<GLsizei>(pixels); };
  const std::vector<Pixels>& finest = levels[skipped];
  auto out = std::make_shared<UploadedPicture>();
  out->texture = GlTextureArray::make();
  glTextureStorage3D(out->texture.id(), static_cast<GLsizei>(levels.size() - skipped),
                     colors == Colors::srgb ? GL_SRGB8_ALPHA8 : GL_RGBA8,
                     size(finest.front().width_px), size(finest.front().height_px),
                     static_cast<GLsizei>(finest.size()));
  for (std::size_t level = skipped; level < levels.size(); ++level) {
    for (std::size_t l = 0; l < levels[level].size(); ++l) {
      const Pixels& layer = levels[level][l];
      glTextureSubImage3D(out->texture.id(), static_cast<GLint>(level - skipped), 0, 0,
                          static_cast<GLint>(l), size(layer.width_px), size(layer.height_px), 1,
                          GL_RGBA, GL_UNSIGNED_BYTE, layer.rgba.data());
    }
  }
  return out;
}

GlSampler make_sampler(const Sampler& wanted) {
  const Sampler s = make_effective(wanted);
  GlSampler out = GlSampler::make();
  glSamplerParameteri(out.id(), GL_TEXTURE_MAG_FILTER, static_cast<GLint>(s.mag_filter));
  glSamplerParameteri(out.id(), GL_TEXTURE_MIN_FILTER, static_cast<GLint>(s.min_filter));
  glSamplerParameteri(out.id(), GL_TEXTURE_WRAP_S, static_cast<GLint>(s.wrap_s));
  glSamplerParameteri(out.id(), GL_TEXTURE_WRAP_T, static_cast<GLint>(s.wrap_t));
  return out;
}

double count_megabytes(const Levels& levels) {
  double sum = 0;
  for (const std::vector<Pixels>& level : levels) {
    for (const Pixels& layer : level) {
      sum += static_cast<double>(layer.rgba.size()) / 1e6;
    }
  }
  return sum;
}

/// Times that everything has to be halved; found by decoding, since only codecs know sizes.
class Uploader {
 public:
  Uploader(const Scene& scene,
           const PictureCodec& codec,
           std::uint32_t max_megabytes,
           PictureStore& store,
           const RunControl& run)
      : scene_(scene), codec_(codec), max_megabytes_(max_megabytes), store_(store), run_(run) {}

  Result<void> upload_all(const std::vector<Wanted>& wanted, GpuTextures& out) {
    // A pass that overflows begins again with pictures of half the size.
    while (true) {
      auto fits = try_all(wanted, out);
      if (!fits) {
        return Failure(fits.error());
      }
      if (*fits) {
        return {};
      }
      ++out.halvings;
      out.pictures.clear();
      out.unread = 0;
    }
  }

 private:
  Result<bool> try_all(const std::vector<Wanted>& wanted, GpuTextures& out) {
    double megabytes = 0;
    const double share = 1.0 / static_cast<double>(1ULL << (2 * out.halvings));
    for (std::size_t begin = 0; begin < wanted.size(); begin += pictures_at_once) {
      const std::size_t count = std::min(pictures_at_once, wanted.size() - begin);
      std::vector<Levels> decoded(count);
      std::vector<std::shared_ptr<UploadedPicture>> known(count);
      std::vector<PictureStore::Key> keys(count);
      for (std::size_t i = 0; i < count; ++i) {
        keys[i] = make_key(wanted[begin + i], out.halvings);
        known[i] = store_.find(keys[i]);
      }
      if (!for_each_index(count, run_, "reading pictures", [&](std::size_t i) {
            if (!known[i]) {
              const Wanted& one = wanted[begin + i];
              decoded[i] = make_levels(decode(scene_, one, codec_), one.colors);
            }
          })) {
        return Failure(make_cancelled());
      }
      for (std::size_t i = 0; i < count; ++i) {
        const double size = known[i] ? known[i]->megabytes : share * count_megabytes(decoded[i]);
        megabytes += size;
        if (megabytes > max_megabytes_ && out.halvings < most_halvings) {
          return false;
        }
        if (!known[i] && !decoded[i].empty() && fits_device(decoded[i].front())) {
          known[i] = upload(decoded[i], wanted[begin + i].colors, out.halvings);
          known[i]->megabytes = size;
          store_.add(keys[i], known[i]);
        }
        out.unread += known[i] ? 0U : 1U;
        for (const TextureId texture : wanted[begin + i].textures) {
          out.pictures[{texture, wanted[begin + i].colors}] = known[i] ? known[i] : out.white;
        }
      }
    }
    return true;
  }

  [[nodiscard]] PictureStore::Key make_key(const Wanted& wanted, std::uint32_t halvings) const {
    const Bytes encoded = wanted.image == no_image ? Bytes() : find_encoded(scene_, wanted.image);
    const XXH128_hash_t hash = XXH3_128bits(encoded.data().data(), encoded.size());
    return {hash.high64, hash.low64, wanted.colors, halvings};
  }

  const Scene& scene_;
  const PictureCodec& codec_;
  double max_megabytes_;
  PictureStore& store_;
  const RunControl& run_;
};

}  // namespace

Colors find_colors(std::size_t slot) {
  return slot == static_cast<std::size_t>(Slot::base_color) ||
                 slot == static_cast<std::size_t>(Slot::emissive)
             ? Colors::srgb
             : Colors::linear;
}

std::shared_ptr<UploadedPicture> PictureStore::find(const Key& key) const {
  const auto known = known_.find(key);
  return known == known_.end() ? nullptr : known->second.lock();
}

Result<GpuTextures> make_textures(const Scene& scene,
                                  const std::vector<MaterialId>& shown,
                                  const PictureCodec& codec,
                                  std::uint32_t max_megabytes,
                                  PictureStore& store,
                                  const RunControl& run) {
  GpuTextures out;
  out.white = upload({{Pixels{1, 1, {255, 255, 255, 255}}}}, Colors::linear, 0);
  const std::vector<Wanted> wanted = list_wanted(scene, shown);
  if (auto done = Uploader(scene, codec, max_megabytes, store, run).upload_all(wanted, out);
      !done) {
    return Failure(done.error());
  }
  out.samplers.emplace(no_sampler, make_sampler({}));
  for (const Wanted& one : wanted) {
    for (const TextureId texture : one.textures) {
      const SamplerId id = scene.textures[to_index(texture)].sampler;
      if (!out.samplers.contains(id)) {
        out.samplers.emplace(id, make_sampler(scene.samplers[to_index(id)]));
      }
    }
  }
  return out;
}

}  // namespace wakuzume
