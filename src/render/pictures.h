// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#pragma once

#include <cstdint>
#include <map>
#include <memory>
#include <tuple>
#include <vector>

#include "render/gl_objects.h"
#include "wakuzume/picture_codec.h"
#include "wakuzume/run_control.h"
#include "wakuzume/scene.h"

/// Pictures on the device.
namespace wakuzume {

enum class Colors : std::uint8_t { srgb, linear };
/// What the texels of a material's slot are. \param slot  as list_slots has them
Colors find_colors(std::size_t slot);

/// A picture, or the layers of an array, with all mip levels.
struct UploadedPicture {
  GlTextureArray texture;
  double megabytes = 0;  ///< with its mip levels
};

/// Pictures by what is in them: scenes that show the same share them.
class PictureStore {
 public:
  using Key = std::tuple<std::uint64_t, std::uint64_t, Colors, std::uint32_t>;
  std::shared_ptr<UploadedPicture> find(const Key& key) const;
  void add(const Key& key, const std::shared_ptr<UploadedPicture>& picture) {
    known_[key] = picture;
  }

 private:
  std::map<Key, std::weak_ptr<UploadedPicture>> known_;
};

/// What the textures of one scene are bound to.
struct GpuTextures {
  /// By texture and Colors; the white one where a picture can't be read.
  std::map<std::pair<TextureId, Colors>, std::shared_ptr<UploadedPicture>> pictures;
  std::map<SamplerId, GlSampler> samplers;
  std::shared_ptr<UploadedPicture> white;
  std::uint32_t unread = 0;
  std::uint32_t halvings = 0;
};

/// Decodes and uploads what the materials of a scene show.
/// \param shown  materials that are drawn
/// \error cancelled
Result<GpuTextures> make_textures(const Scene& scene,
                                  const std::vector<MaterialId>& shown,
                                  const PictureCodec& codec,
                                  std::uint32_t max_megabytes,
                                  PictureStore& store,
                                  const RunControl& run);

}  // namespace wakuzume
