// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#pragma once

#include <cstddef>
#include <cstdint>
#include <mutex>
#include <span>
#include <string>
#include <string_view>
#include <vector>

#include "wakuzume/assess.h"
#include "wakuzume/build.h"
#include "wakuzume/propose.h"
#include "wakuzume/result.h"
#include "wakuzume/run_control.h"
#include "wakuzume/scene.h"
#include "wakuzume/sharing.h"
#include "wakuzume/survey.h"
#include "wakuzume/table.h"
#include "wakuzume/verify.h"

/// Files in and out: glTF 2.0 scenes and the documents of our own.
///
/// 1. A file is untrusted: every offset, count, index and enumerator is checked before it is used.
/// 2. A target is written beside its place, synced, read again and renamed: the old file or the
/// new, never half, and never one that can't be read.
/// 3. What was read and not changed is written back, extensions and extras included; streams as
/// Scene::storage says.
namespace wakuzume {

struct ReadLimits {
  /// Most elements of a stream that has no bytes of its own. \range [0, 2^32)
  std::uint64_t max_zero_elements = 1ULL << 24U;
  /// Most bytes that compressed streams become, all together. \range [0, 2^48)
  std::uint64_t max_unpacked_bytes = 1ULL << 34U;
};

/// Reads .glb, .gltf with their external and embedded buffers and images, Collada .dae and
/// Wavefront .obj. Files are mapped and must not be changed by others while the scene lives. An
/// image file that is not there is listed in Scene::missing_files; the scene is read without it.
///
/// An .obj comes with its material libraries and images, found by name wherever they were once;
/// every object is a node, every group one below it, every material in it a primitive.
///
/// A .dae comes in metres with y up, in its own node trees, its images found likewise; skins and
/// morphing meshes as they were modelled. What is left out is in Scene::skipped_parts.
///
/// Streams compressed by EXT_meshopt_compression or KHR_draco_mesh_compression become plain ones.
///
/// \error cannot_open, bad_container, bad_json, bad_type, bad_value, missing_member,
///        index_out_of_range, out_of_bounds, node_cycle, unsafe_path, too_large, not_supported
/// \cost linear in the JSON; index data is scanned once, other bytes are not touched; what is
///       compressed is unpacked, in parallel over the streams
Result<Scene> read_scene(const std::string& path,
                         const ReadLimits& limits = {},
                         const RunControl& run = {});

/// What could not be written as it stood in the scene.
struct WriteReport {
  std::uint64_t bytes = 0;
  std::vector<std::string> files;     ///< all that were written, the scene first
  std::vector<std::string> left_out;  ///< one sentence each
};

/// The files that a scene read from `path` consists of: itself, its buffers and its images.
std::vector<std::string> list_files(const Scene& scene, const std::string& path);

/// Writes .glb, or .gltf with one .bin a block and its image files, by the ending of `path`.
/// \param inputs  files that must stay as they are; a target that is one of them is refused
/// \error cannot_write, too_large (a .glb above 4 GiB), not_supported (another ending),
///        unsafe_path (an image whose uri leaves the folder)
/// \cost that of the bytes, and of reading the scene again before anything is replaced
Result<WriteReport> write_scene(const Scene& scene,
                                const std::string& path,
                                const std::vector<std::string>& inputs = {},
                                const RunControl& run = {});

/// A folder as a cache: a file a key, which may be removed at any time, one by one or all.
class FolderCache final : public BuildCache {
 public:
  /// The folder is made when something is stored.
  explicit FolderCache(std::string folder) : folder_(std::move(folder)) {}
  Bytes find(const std::string& key) override;
  void store(const std::string& key, std::span<const std::byte> bytes) override;
  /// Why something could not be stored; empty when all was. \pre no call is under way
  [[nodiscard]] const std::string& trouble() const { return trouble_; }

 private:
  std::string folder_;
  std::mutex mutex_;
  std::string trouble_;
};

/// Documents of our own: JSON with "format" and "version", described in docs/formats.
std::string to_json(const Scene& scene, const Survey& survey, const Assessment& assessment);
/// \param names  of the scenes, in the order of the inputs
std::string to_json(std::span<const std::string> names, const Sharing& sharing);
std::string to_json(std::span<const Viewpoint> views);
std::string to_json(const Scene& scene, const Plan& plan);
std::string to_json(std::span<const Alternative> alternatives);
std::string to_json(const Ledger& ledger);
/// Which texels of which lightmap pages went where: for whoever bakes them anew.
std::string to_json(const LightmapPlan& plan);
std::string to_json(const Verdict& verdict);

/// Rows of a table as an array of objects.
std::string to_json(const Table& table, std::span<const std::uint32_t> rows);
/// The same as CSV (RFC 4180) in UTF-8 with a byte order mark. A text that begins like a formula
/// gets an apostrophe before it, as spreadsheets ask for.
std::string to_csv(const Table& table, std::span<const std::uint32_t> rows);

/// Writes text to a file, whole or not at all. Folders that lead there are made.
/// \error cannot_write
Result<void> write_text(const std::string& path, std::string_view text);
/// The same for JSON, which is read again before the file gets its name.
/// \error cannot_write  and where it is no JSON
Result<void> write_document(const std::string& path, std::string_view json);

/// \error cannot_open, bad_json, bad_type, bad_value, missing_member; unknown members are errors
Result<std::vector<Viewpoint>> read_views(const std::string& path);
Result<Plan> read_plan(const std::string& path);
Result<Ledger> read_ledger(const std::string& path);

}  // namespace wakuzume
