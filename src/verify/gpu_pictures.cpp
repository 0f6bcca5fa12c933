// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include "wakuzume/gpu_pictures.h"

#include <fmt/format.h>

#include "scene/percent.h"
#include "scene/running.h"
#include "wakuzume/verify.h"

namespace wakuzume {
namespace {

struct GpuOutcome {
  GpuPictureCheck check;
  std::string fault;  ///< empty: it is like its picture
};

GpuOutcome check_picture(const Scene& after,
                         const GpuPicture& picture,
                         double least_psnr_db,
                         const LightmapFiles& files,
                         const PictureCodec& codec) {
  GpuOutcome out;
  out.check.file =
      decode_percent(find_gpu_picture(after.textures[to_index(picture.textures.front())]));
  const auto file = files.find(out.check.file);
  if (!file || file->name.empty()) {
    out.fault = fmt::format("the file for GPUs \"{}\" is not there", out.check.file);
    return out;
  }
  const auto likeness = measure_gpu_picture(after, picture, file->bytes, codec);
  if (!likeness) {
    out.fault = fmt::format("the file for GPUs \"{}\" can't be compared: {}", out.check.file,
                            likeness.error().message);
    return out;
  }
  out.check.psnr_db = *likeness;
  // As it was rounded when it was written; another library may decode a step apart.
  constexpr double slack_db = 0.1;
  if (*likeness < least_psnr_db - slack_db) {
    out.fault =
        fmt::format("the file for GPUs \"{}\" is {:.1f} dB like its picture, {:g} dB is asked",
                    out.check.file, *likeness, least_psnr_db);
  }
  return out;
}

}  // namespace

Result<void> verify_gpu_pictures(const Scene& after,
                                 const Ledger& ledger,
                                 const LightmapFiles* files,
                                 const PictureCodec& codec,
                                 Verdict& verdict,
                                 const RunControl& run) {
  if (ledger.gpu_pictures.texels == GpuTexels::none) {
    return {};
  }
  std::vector<GpuPicture> pictures;
  for (GpuPicture& picture : list_gpu_pictures(after, ledger.routes, ledger.page_images).pictures) {
    if (!find_gpu_picture(after.textures[to_index(picture.textures.front())]).empty()) {
      pictures.push_back(std::move(picture));
    }
  }
  if (files == nullptr || pictures.empty()) {
    verdict.not_checked.emplace_back("pictures for GPUs: no texture names a file of them");
    return {};
  }
  std::vector<GpuOutcome> outcomes(pictures.size());
  if (!for_each_index(pictures.size(), run, "comparing pictures for GPUs", [&](std::size_t p) {
        outcomes[p] =
            check_picture(after, pictures[p], ledger.gpu_pictures.least_psnr_db, *files, codec);
      })) {
    return Failure(make_cancelled());
  }
  for (GpuOutcome& outcome : outcomes) {
    if (!outcome.fault.empty()) {
      verdict.passed = false;
      ++verdict.mismatch_count;
      verdict.mismatches.push_back({{}, std::move(outcome.fault), ""});
    }
    verdict.gpu_pictures.push_back(std::move(outcome.check));
  }
  return {};
}

}  // namespace wakuzume
