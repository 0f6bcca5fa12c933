// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#pragma once

#include <span>
#include <string>
#include <vector>

#include "wakuzume/job.h"
#include "wakuzume/result.h"
#include "wakuzume/verify_views.h"

/// Delivery: the results of a job as files that find each other.
///
/// "out/level.glb" has its documents beside it: out/level.ledger.json, .plan.json, .survey.json and
/// .verdict.json. Plans and ledgers name their source relative to themselves, so that all can be
/// moved together.
namespace wakuzume {

/// "out/level.glb" with ".ledger.json" is "out/level.ledger.json".
std::string beside(const std::string& path, const char* ending);
/// How a document names its scene. \param document  where it is, or will be
std::string make_relative(const std::string& scene, const std::string& document);
/// Where the scene of a document is. \param relative  as the document names it
std::string find_scene(const std::string& relative, const std::string& document);

/// Writes the scene, its assets, pictures of joined lightmap pages and its ledger, in the order
/// that leaves the least to doubt when writing is cut short: the ledger names the scene's content,
/// so one of another result is noticed.
class FileDelivery final : public Delivery {
 public:
  /// \param source  of the scene that the result is of
  /// \param target  of the result, .glb or .gltf
  /// \param inputs  files that are never written to
  FileDelivery(std::string source, std::string target, std::vector<std::string> inputs)
      : source_(std::move(source)), target_(std::move(target)), inputs_(std::move(inputs)) {}
  /// The ledger learns where its source is. Tells the observer what was written, and warns of what
  /// could not be.
  /// \error as write_scene, write_document, read_scene; cannot_write where an asset has the name of
  ///        the scene
  Result<Scene> deliver(Built& built, const RunControl& run) override;

 private:
  std::string source_;
  std::string target_;
  std::vector<std::string> inputs_;
};

/// Pictures of lightmap pages in the folders of scenes and below them, as .png, .hdr or .exr.
class FolderLightmaps final : public LightmapFiles {
 public:
  /// \param scenes  paths of the files that they lie beside: first the first
  explicit FolderLightmaps(const std::vector<std::string>& scenes);
  /// With an ending or without one. \error cannot_open  a file that is there and can't be read
  [[nodiscard]] Result<LightmapFile> find(const std::string& name) const override;

 private:
  std::vector<std::string> folders_;
};

/// Survey, plan and verdict of a job, beside its result. The plan learns where its scene is.
/// \error cannot_write
Result<void> write_documents(JobResult& job, const std::string& source, const std::string& target);

/// Pictures of joined lightmap pages, beside a result.
/// \param inputs  files that are never written to
/// \error cannot_write; unsafe_path  a name that leaves the folder
Result<void> write_lightmaps(std::span<const LightmapFile> files,
                             const std::string& target,
                             const std::vector<std::string>& inputs,
                             const RunControl& run = {});

/// Writes the files for GPUs of a result and its assets, into the folder "level.gpu" of
/// "level.glb", and names them in the extras of its textures; none where the ledger asks for none.
/// Scenes that show the same picture name the same file.
///
/// \param scenes  the result first, the one that its ledger tells of
/// \return what has none, or is of a finer format than was asked, and why; one sentence each
/// \error cannot_write, cancelled
/// \cost that of encode_gpu_picture, in parallel over the pictures
Result<std::vector<std::string>> write_gpu_pictures(std::span<Scene* const> scenes,
                                                    const Ledger& ledger,
                                                    const std::string& target,
                                                    const std::vector<std::string>& inputs,
                                                    const RunControl& run = {});

/// Writes images of a result that changed: those with files of their own alone, what is embedded
/// with its whole scene.
/// \param inputs  files that are never written to
/// \error as write_scene, write_text
Result<void> write_images(const Scene& built,
                          std::span<const ImageId> changed,
                          const std::string& path,
                          const std::vector<std::string>& inputs,
                          const RunControl& run = {});

/// Writes three PNGs a view into a folder: NUMBER_name_before, _after and _heat.
class FolderAudience final : public ViewAudience {
 public:
  explicit FolderAudience(std::string folder) : folder_(std::move(folder)) {}
  void begin(const DrawnScene& before, const DrawnScene& after) override;
  void show(std::size_t number,
            const Viewpoint& view,
            const Shot& before,
            const Shot& after,
            const Pixels& heat) override;
  /// The first thing that could not be written.
  [[nodiscard]] const Result<void>& done() const { return done_; }

 private:
  void write(const std::string& name, const Pixels& pixels);

  std::string folder_;
  Result<void> done_;
};

}  // namespace wakuzume
