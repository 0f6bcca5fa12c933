// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include <fmt/format.h>

#include <algorithm>
#include <filesystem>

#include "job/telling.h"
#include "wakuzume/delivery.h"
#include "wakuzume/image.h"
#include "wakuzume/io.h"

namespace wakuzume {
namespace {

namespace fs = std::filesystem;

/// Writes one scene of a result, and notes what it could not hold.
Result<void> write_and_tell(const Scene& scene,
                            const std::string& path,
                            const std::vector<std::string>& inputs,
                            const RunControl& run,
                            std::vector<std::string>& notes) {
  auto report = write_scene(scene, path, inputs, run);
  if (!report) {
    return Failure(report.error());
  }
  tell(run, "wrote {}: {} bytes", path, report->bytes);
  notes.insert(notes.end(), report->left_out.begin(), report->left_out.end());
  return {};
}

}  // namespace

std::string beside(const std::string& path, const char* ending) {
  return fs::path(path).replace_extension(ending).string();
}

std::string make_relative(const std::string& scene, const std::string& document) {
  std::error_code ignored;
  const fs::path base = fs::absolute(document, ignored).parent_path();
  const fs::path relative = fs::absolute(scene, ignored).lexically_relative(base);
  return relative.empty() ? fs::absolute(scene, ignored).string() : relative.generic_string();
}

std::string find_scene(const std::string& relative, const std::string& document) {
  return (fs::path(document).parent_path() / relative).lexically_normal().string();
}

Result<Scene> FileDelivery::deliver(Built& built, const RunControl& run) {
  built.ledger.source_path = make_relative(source_, target_);
  std::vector<std::string> notes = built.ledger.left_out;
  std::vector<Scene*> scenes{&built.scene};
  for (AssetScene& asset : built.assets) {
    scenes.push_back(&asset.scene);
  }
  const auto told = write_gpu_pictures(scenes, built.ledger, target_, inputs_, run);
  if (!told) {
    return Failure(told.error());
  }
  notes.insert(notes.end(), told->begin(), told->end());
  for (const AssetScene& asset : built.assets) {
    const std::string target = (fs::path(target_).parent_path() / asset.name).string();
    if (fs::path(target) == fs::path(target_)) {
      return Failure(Error{ErrorCode::cannot_write,
                           "an asset has this name too; give its group or the scene another",
                           {target_, ""}});
    }
    if (auto done = write_and_tell(asset.scene, target, inputs_, run, notes); !done) {
      return Failure(done.error());
    }
  }
  if (auto done = write_and_tell(built.scene, target_, inputs_, run, notes); !done) {
    return Failure(done.error());
  }
  if (auto done = write_lightmaps(built.lightmaps, target_, inputs_, run); !done) {
    return Failure(done.error());
  }
  if (const LightmapPlan& plan = built.ledger.lightmaps; plan.joins()) {
    if (auto done = write_document(beside(target_, ".lightmaps.json"), to_json(plan)); !done) {
      return Failure(done.error());
    }
  }
  warn(run, notes);
  if (auto done = write_document(beside(target_, ".ledger.json"), to_json(built.ledger)); !done) {
    return Failure(done.error());
  }
  auto after = read_scene(target_, {}, run);
  if (after) {
    tell(run, "read {}: {} nodes", target_, after->nodes.size());
  }
  return after;
}

Result<void> write_lightmaps(std::span<const LightmapFile> files,
                             const std::string& target,
                             const std::vector<std::string>& inputs,
                             const RunControl& run) {
  for (const LightmapFile& picture : files) {
    const fs::path name = fs::path(picture.name).lexically_normal();
    const std::string path = (fs::path(target).parent_path() / name).string();
    if (name.is_absolute() || name.empty() || *name.begin() == "..") {
      return Failure(Error{ErrorCode::unsafe_path,
                           fmt::format("the lightmap \"{}\" leaves the folder", picture.name),
                           {}});
    }
    if (std::find(inputs.begin(), inputs.end(), path) != inputs.end()) {
      return Failure(
          Error{ErrorCode::cannot_write, "a lightmap would be written over an input", {path, ""}});
    }
    if (auto done = write_text(path, {reinterpret_cast<const char*>(picture.bytes.data().data()),
                                      picture.bytes.size()});
        !done) {
      return done;
    }
    tell(run, "wrote {}: {} bytes", path, picture.bytes.size());
  }
  return {};
}

Result<void> write_documents(JobResult& job, const std::string& source, const std::string& target) {
  job.plan.scene_path = make_relative(source, target);
  const Scene& scene = job.source.source.scene;
  const std::pair<const char*, std::string> documents[] = {
      {".survey.json", to_json(scene, job.source.survey, job.assessment)},
      {".plan.json", to_json(scene, job.plan)},
      {".verdict.json", to_json(job.verdict)},
  };
  for (const auto& [ending, text] : documents) {
    if (auto done = write_document(beside(target, ending), text); !done) {
      return done;
    }
  }
  return {};
}

Result<void> write_images(const Scene& built,
                          std::span<const ImageId> changed,
                          const std::string& path,
                          const std::vector<std::string>& inputs,
                          const RunControl& run) {
  const bool embedded = std::any_of(changed.begin(), changed.end(), [&](ImageId id) {
    return built.images[to_index(id)].uri.empty();
  });
  if (embedded || fs::path(path).extension() == ".glb") {
    auto report = write_scene(built, path, inputs, run);
    return report ? Result<void>() : Failure(report.error());
  }
  for (const ImageId id : changed) {
    const Bytes bytes = encoded_bytes(built, id);
    const std::string file =
        (fs::path(path).parent_path() / built.images[to_index(id)].uri).string();
    if (auto done =
            write_text(file, {reinterpret_cast<const char*>(bytes.data().data()), bytes.size()});
        !done) {
      return Failure(done.error());
    }
    tell(run, "wrote {}", file);
  }
  return {};
}

}  // namespace wakuzume
