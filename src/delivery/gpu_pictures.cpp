// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include "wakuzume/gpu_pictures.h"

#include <fmt/format.h>

#include <algorithm>
#include <cctype>
#include <filesystem>
#include <map>
#include <set>
#include <tuple>

#include "files/uri.h"
#include "job/telling.h"
#include "scene/first_error.h"
#include "scene/hasher.h"
#include "scene/running.h"
#include "survey/textures.h"
#include "wakuzume/delivery.h"
#include "wakuzume/image.h"
#include "wakuzume/io.h"

namespace wakuzume {
namespace {

namespace fs = std::filesystem;

/// A file, and one of the pictures that it is of.
struct File {
  const Scene* scene = nullptr;
  GpuPicture picture;
  std::string name;
  std::string note{};
  std::string told{};
};

/// Letters, digits and what no file system minds.
std::string make_file_name(const std::string& name, ImageId image) {
  constexpr std::size_t longest = 64;
  std::string out;
  for (const char c : name.substr(0, longest)) {
    const bool plain = std::isalnum(static_cast<unsigned char>(c)) != 0 || c == '-' || c == '_';
    out += plain ? c : '_';
  }
  return out.empty() ? fmt::format("image_{}", to_index(image)) : out;
}

class FileList {
 public:
  /// \return the number of the picture's file
  std::size_t add(const Scene& scene, const GpuPicture& picture) {
    const ContentHash content = hash_bytes(find_encoded(scene, picture.image).data());
    const auto [slot, added] = numbers_.try_emplace(
        {content.high, content.low, picture.kind, picture.cut.cutoff}, files_.size());
    if (added) {
      const std::string plain =
          make_file_name(scene.images[to_index(picture.image)].name, picture.image);
      std::string name = plain;
      // Told apart in any case, as some file systems do not.
      for (int number = 2; !taken_.insert(lower(name)).second; ++number) {
        name = fmt::format("{}_{}", plain, number);
      }
      files_.push_back({&scene, picture, name + ".ktx2"});
    }
    return slot->second;
  }

  std::vector<File>& files() { return files_; }

 private:
  static std::string lower(std::string text) {
    std::transform(text.begin(), text.end(), text.begin(),
                   [](unsigned char c) { return static_cast<char>(std::tolower(c)); });
    return text;
  }

  std::map<std::tuple<std::uint64_t, std::uint64_t, TexelKind, double>, std::size_t> numbers_;
  std::set<std::string> taken_;
  std::vector<File> files_;
};

Result<void> write_file(File& file,
                        const GpuPictureSettings& settings,
                        const std::string& folder,
                        const std::vector<std::string>& inputs,
                        const RunControl& run) {
  const auto encoded =
      encode_gpu_picture(*file.scene, file.picture, settings, StandardCodec(), run);
  if (!encoded) {
    if (encoded.error().code == ErrorCode::cancelled) {
      return Failure(encoded.error());
    }
    // A picture that can't be read stays as it is in the result as well.
    file.note = fmt::format("{} has no picture for GPUs: {}", file.name, encoded.error().message);
    file.name.clear();
    return {};
  }
  const std::string_view asked = to_string(settings.texels);
  const std::string_view got = to_string(encoded->texels);
  if (got != asked) {
    file.note = fmt::format("{} is of {}, as {} would be less like its picture than {:g} dB",
                            file.name, got, asked, settings.least_psnr_db);
  }
  const std::string path = (fs::path(folder) / file.name).string();
  if (std::find(inputs.begin(), inputs.end(), path) != inputs.end()) {
    return Failure(
        Error{ErrorCode::cannot_write, "a picture would be written over an input", {path, ""}});
  }
  auto done = write_text(
      path, {reinterpret_cast<const char*>(encoded->bytes.data()), encoded->bytes.size()});
  file.told =
      fmt::format("wrote {}: {} bytes, {:.1f} dB", path, encoded->bytes.size(), encoded->psnr_db);
  return done;
}

}  // namespace

Result<std::vector<std::string>> write_gpu_pictures(std::span<Scene* const> scenes,
                                                    const Ledger& ledger,
                                                    const std::string& target,
                                                    const std::vector<std::string>& inputs,
                                                    const RunControl& run) {
  std::vector<std::string> notes;
  if (ledger.gpu_pictures.texels == GpuTexels::none) {
    return notes;
  }
  FileList list;
  std::vector<std::vector<std::pair<TextureId, std::size_t>>> uses(scenes.size());
  for (std::size_t s = 0; s < scenes.size(); ++s) {
    const GpuPictures found = s == 0
                                  ? list_gpu_pictures(*scenes[s], ledger.routes, ledger.page_images)
                                  : list_gpu_pictures(*scenes[s], {}, {});
    if (s == 0) {
      notes = found.left_out;
    }
    for (const GpuPicture& picture : found.pictures) {
      const std::size_t number = list.add(*scenes[s], picture);
      for (const TextureId texture : picture.textures) {
        uses[s].emplace_back(texture, number);
      }
    }
  }
  const fs::path folder = beside(target, ".gpu");
  FirstError errors;
  RunControl inner = run;
  inner.observer = nullptr;
  std::vector<File>& files = list.files();
  const bool finished =
      for_each_index(files.size(), run, "writing pictures for GPUs", [&](std::size_t f) {
        if (auto done = write_file(files[f], ledger.gpu_pictures, folder.string(), inputs, inner);
            !done) {
          errors.report(f, done.error());
        }
      });
  if (errors.get()) {
    return Failure(*errors.get());
  }
  if (!finished) {
    return Failure(make_cancelled());
  }
  for (const File& file : files) {
    if (!file.told.empty()) {
      tell(run, "{}", file.told);
    }
    if (!file.note.empty()) {
      notes.push_back(file.note);
    }
  }
  for (std::size_t s = 0; s < scenes.size(); ++s) {
    for (const auto& [texture, number] : uses[s]) {
      if (!files[number].name.empty()) {
        name_gpu_picture(scenes[s]->textures[to_index(texture)],
                         make_uri((folder.filename() / files[number].name).generic_string()));
      }
    }
  }
  return notes;
}

}  // namespace wakuzume
