// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#pragma once

#include <cstddef>
#include <cstdint>
#include <string>
#include <string_view>
#include <vector>

#include "wakuzume/packing.h"
#include "wakuzume/repaint.h"
#include "wakuzume/result.h"
#include "wakuzume/run_control.h"
#include "wakuzume/scene.h"
#include "wakuzume/texture_array.h"

/// Pictures as GPUs take them: beside each PNG, JPEG or WebP of a scene a KTX 2.0 file with all its
/// mip levels, which the texture names in its extras.
///
/// 1. A scene shows its own pictures still; what does not know the files sees no difference.
/// 2. Colours are averaged in linear light, normals stay of unit length, and in what is cut out the
/// share of texels that are seen stays what it is in the picture, at every level.
/// 3. What the format would lose too much of takes the next finer one.
namespace wakuzume {

enum class GpuTexels : std::uint8_t {
  none,  ///< no such files
  rgba8,
  astc_4x4,
  astc_6x6,
};
std::string_view to_string(GpuTexels texels);

struct GpuPictureSettings {
  /// \default none
  GpuTexels texels = GpuTexels::none;
  Supercompression packing = Supercompression::zstd;
  /// Of ASTC, from fast to thorough: 60 takes five times as long as 10 and gains half a decibel.
  /// \range [0, 100]
  double quality = 10;
  /// Likeness to the picture below which a format is too coarse, decibels. \range [0, 100]
  double least_psnr_db = 32;

  bool operator==(const GpuPictureSettings&) const = default;
};
/// \error bad_setting  names the member and its range
Result<void> validate(const GpuPictureSettings& settings);

/// A picture, and what its texels mean to those who show it.
struct GpuPicture {
  ImageId image = no_image;
  TexelKind kind = TexelKind::colors;
  bool shows_alpha = false;
  CutShare cut{};                     ///< nothing is cut out: a cutoff of 0
  std::vector<TextureId> textures{};  ///< ascending; at least one
};

struct GpuPictures {
  std::vector<GpuPicture> pictures;   ///< by image, then by kind
  std::vector<std::string> left_out;  ///< one sentence each
};

/// The pictures that materials of a scene show by the slots of the standard.
/// \param routes, images  of its pages: in their tiles cutouts keep their shares each on its own
GpuPictures list_gpu_pictures(const Scene& scene,
                              const RoutePlan& routes,
                              const PageImages& images);

struct EncodedGpuPicture {
  std::vector<std::byte> bytes;  ///< KTX 2.0
  GpuTexels texels = GpuTexels::rgba8;
  double psnr_db = 0;  ///< of its first level to the picture; 100: the same
};

/// \pre settings.texels is not none
/// \error bad_image, too_large  of the picture
/// \cost decodes the picture; ASTC at a quality of 10 takes some 3 s a megapixel on one core
Result<EncodedGpuPicture> encode_gpu_picture(const Scene& scene,
                                             const GpuPicture& picture,
                                             const GpuPictureSettings& settings,
                                             const PictureCodec& codec,
                                             const RunControl& run = {});

/// Likeness of a file's first level to the picture, as encode_gpu_picture tells it.
/// \error bad_image  another size, or of what the codec tells
Result<double> measure_gpu_picture(const Scene& scene,
                                   const GpuPicture& picture,
                                   const Bytes& file,
                                   const PictureCodec& codec);

/// Key in a texture's extras; its value is `{"uri": "level.gpu/wood.ktx2"}`, relative to the scene.
/// Hashes of scenes pass over it.
inline constexpr const char* gpu_picture_key = "gpu_picture";
void name_gpu_picture(Texture& texture, const std::string& uri);
/// Empty: it names none.
std::string find_gpu_picture(const Texture& texture);

}  // namespace wakuzume
