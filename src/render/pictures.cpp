// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include "render/pictures.h"

#include <xxhash.h>

#include <algorithm>
#include <bit>
#include <set>

#include "scene/running.h"
#include "survey/textures.h"

namespace wakuzume {
namespace {

/// Pictures that are decoded at a time: what waits for the device takes memory.
constexpr std::size_t batch = 16;
constexpr std::uint32_t most_halvings = 6;

struct Wanted {
  ImageId image = no_image;
  bool layered = false;
  Colors colors = Colors::srgb;
  std::vector<TextureId> textures;
};

struct Decoded {
  std::vector<Pixels> layers;  ///< empty: unreadable
};

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

Decoded decode(const Scene& scene, const Wanted& wanted, const PictureCodec& codec) {
  const Bytes encoded = wanted.image == no_image ? Bytes() : find_encoded(scene, wanted.image);
  Decoded out;
  if (encoded.size() == 0) {
    return out;
  }
  if (wanted.layered) {
    if (auto array = codec.decode_array(encoded, 0)) {
      out.layers = std::move(array->layers);
    }
  } else if (auto pixels = codec.decode(encoded)) {
    out.layers.push_back(std::move(*pixels));
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

std::shared_ptr<GpuPicture> upload(const std::vector<Pixels>& layers,
                                   Colors colors,
                                   std::uint32_t halvings) {
  const auto width = static_cast<GLsizei>(layers.front().width_px);
  const auto height = static_cast<GLsizei>(layers.front().height_px);
  const auto count = static_cast<GLsizei>(layers.size());
  const int levels =
      static_cast<int>(std::bit_width(static_cast<std::uint32_t>(std::max(width, height))));
  const auto skipped = std::min(static_cast<int>(halvings), levels - 1);
  const GLenum format = colors == Colors::srgb ? GL_SRGB8_ALPHA8 : GL_RGBA8;
  auto out = std::make_shared<GpuPicture>();
  GlTextureArray whole = GlTextureArray::make();
  glTextureStorage3D(whole.id(), levels, format, width, height, count);
  for (GLsizei l = 0; l < count; ++l) {
    glTextureSubImage3D(whole.id(), 0, 0, 0, l, width, height, 1, GL_RGBA, GL_UNSIGNED_BYTE,
                        layers[static_cast<std::size_t>(l)].rgba.data());
  }
  glGenerateTextureMipmap(whole.id());
  if (skipped == 0) {
    out->texture = std::move(whole);
    return out;
  }
  out->texture = GlTextureArray::make();
  glTextureStorage3D(out->texture.id(), levels - skipped, format, std::max(1, width >> skipped),
                     std::max(1, height >> skipped), count);
  for (int level = skipped; level < levels; ++level) {
    glCopyImageSubData(whole.id(), GL_TEXTURE_2D_ARRAY, level, 0, 0, 0, out->texture.id(),
                       GL_TEXTURE_2D_ARRAY, level - skipped, 0, 0, 0, std::max(1, width >> level),
                       std::max(1, height >> level), count);
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

/// Four bytes a texel, and a third for the mip levels.
double count_megabytes(const std::vector<Pixels>& layers) {
  double sum = 0;
  for (const Pixels& layer : layers) {
    sum += static_cast<double>(layer.rgba.size()) * 4 / 3 / 1e6;
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
    for (std::size_t begin = 0; begin < wanted.size(); begin += batch) {
      const std::size_t count = std::min(batch, wanted.size() - begin);
      std::vector<Decoded> decoded(count);
      std::vector<std::shared_ptr<GpuPicture>> known(count);
      std::vector<PictureStore::Key> keys(count);
      for (std::size_t i = 0; i < count; ++i) {
        keys[i] = make_key(wanted[begin + i], out.halvings);
        known[i] = store_.find(keys[i]);
      }
      if (!for_each_index(count, run_, "reading pictures", [&](std::size_t i) {
            if (!known[i]) {
              decoded[i] = decode(scene_, wanted[begin + i], codec_);
            }
          })) {
        return Failure(make_cancelled());
      }
      for (std::size_t i = 0; i < count; ++i) {
        const double size =
            known[i] ? known[i]->megabytes : share * count_megabytes(decoded[i].layers);
        megabytes += size;
        if (megabytes > max_megabytes_ && out.halvings < most_halvings) {
          return false;
        }
        if (!known[i] && !decoded[i].layers.empty() && fits_device(decoded[i].layers)) {
          known[i] = upload(decoded[i].layers, wanted[begin + i].colors, out.halvings);
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

std::shared_ptr<GpuPicture> PictureStore::find(const Key& key) const {
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
  out.white = upload({Pixels{1, 1, {255, 255, 255, 255}}}, Colors::linear, 0);
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
