// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include <fmt/format.h>
#include <simdjson.h>

#include <algorithm>
#include <cstring>
#include <filesystem>

#include "files/file.h"
#include "files/uri.h"
#include "gltf/read.h"
#include "gltf/write_json.h"
#include "pictures/image_type.h"
#include "scene/running.h"

namespace wakuzume {
namespace {

namespace fs = std::filesystem;

constexpr std::uint64_t glb_limit = 0xFFFF'FFFFULL;

/// Bytes of the scene and where they go in a buffer.
struct Segment {
  Bytes bytes;
  std::uint64_t offset = 0;
};

struct BufferPlan {
  std::vector<Segment> segments;
  std::uint64_t length = 0;

  /// \return the offset, which has the remainder of `alignment_of` when divided by 16: alignment
  /// of whatever type a view holds survives the move
  std::uint64_t append(const Bytes& bytes, std::uint64_t alignment_of) {
    const std::uint64_t at = length + (alignment_of % 16 + 16 - length % 16) % 16;
    segments.push_back({bytes, at});
    length = at + bytes.size();
    return at;
  }
};

/// A .glb takes PNG, JPEG, WebP and KTX2; others, which only OBJ files name, are named again.
bool can_embed(const Image& image) {
  return image.view != no_view || image.uri.empty() || !image.mime_type.empty() ||
         !find_image_type(image.bytes).empty();
}

/// Its file was not there when the scene was read: only the name is written again.
bool is_missing(const Image& image) {
  return image.view == no_view && image.bytes.size() == 0 && !image.uri.empty();
}

/// Gives every view its place. Overlapping views of a block share their bytes, and bytes that no
/// view shows are left out.
class Placer {
 public:
  /// \param packed  by view; empty: all are written as they are
  Placer(const Scene& scene,
         std::span<const PackedBlock> packed,
         bool binary_chunk,
         std::string stem)
      : scene_(scene), packed_(packed), binary_chunk_(binary_chunk), stem_(std::move(stem)) {}

  void place() {
    placement.views.resize(scene_.views.size());
    std::vector<std::vector<ViewId>> views_of(scene_.blocks.size());
    for (std::size_t i = 0; i < scene_.views.size(); ++i) {
      views_of[to_index(scene_.views[i].block)].push_back(make_id<ViewId>(i));
    }
    for (std::size_t b = 0; b < scene_.blocks.size(); ++b) {
      place_block(b, std::move(views_of[b]));
    }
    place_images();
    for (std::size_t i = 0; i < buffers.size(); ++i) {
      placement.buffers[i].length = buffers[i].length;
    }
    if (stand_in_length_ > 0) {
      placement.stand_in = static_cast<std::uint32_t>(buffers.size());
      BufferOut& stand_in = placement.buffers.emplace_back();
      stand_in.length = stand_in_length_;
      stand_in.stands_in = true;
    }
  }

  std::vector<BufferPlan> buffers;
  Placement placement;
  std::vector<std::string> left_out;

 private:
  std::uint32_t open_buffer(std::size_t block) {
    if (binary_chunk_ && !buffers.empty()) {
      const Block& source = scene_.blocks[block];
      if (!source.name.empty() || source.extra) {
        left_out.push_back(fmt::format(
            "a .glb has one buffer, so the name and extras of buffer {} are left out", block));
      }
      return 0;
    }
    BufferOut out;
    if (block < scene_.blocks.size()) {
      out.name = scene_.blocks[block].name;
      out.extra = &scene_.blocks[block].extra;
    }
    if (!binary_chunk_) {
      const std::string number = buffers.empty() ? "" : fmt::format("-{}", buffers.size() + 1);
      out.uri = make_uri(stem_ + number + ".bin");
    }
    buffers.emplace_back();
    placement.buffers.push_back(std::move(out));
    return static_cast<std::uint32_t>(buffers.size() - 1);
  }

  void place_block(std::size_t b, std::vector<ViewId> views) {
    const Block& block = scene_.blocks[b];
    const std::uint32_t buffer = open_buffer(b);
    if (views.empty()) {
      // Nothing the reader understands shows these bytes, but some extension may.
      buffers[buffer].append(block.bytes, 0);
      return;
    }
    std::erase_if(views, [&](ViewId view) { return place_packed(buffer, view); });
    std::stable_sort(views.begin(), views.end(),
                     [&](ViewId x, ViewId y) { return scene_[x].offset < scene_[y].offset; });
    std::size_t first = 0;
    while (first < views.size()) {
      const std::uint64_t begin = scene_[views[first]].offset;
      std::uint64_t end = begin;
      std::size_t last = first;
      for (; last < views.size() && scene_[views[last]].offset <= end; ++last) {
        end = std::max(end, scene_[views[last]].offset + scene_[views[last]].length);
      }
      const std::uint64_t at = buffers[buffer].append(block.bytes.part(begin, end - begin), begin);
      for (std::size_t v = first; v < last; ++v) {
        placement.views[to_index(views[v])] = {buffer, at + scene_[views[v]].offset - begin};
      }
      first = last;
    }
  }

  /// \return false where the view is written as it is
  bool place_packed(std::uint32_t buffer, ViewId id) {
    if (packed_.empty() || packed_[to_index(id)].bytes.size() == 0) {
      return false;
    }
    const PackedBlock& packed = packed_[to_index(id)];
    placement.views[to_index(id)] = {buffer, buffers[buffer].append(packed.bytes, 0), &packed,
                                     stand_in_length_};
    stand_in_length_ += (scene_[id].length + 15) / 16 * 16;
    return true;
  }

  void place_images() {
    for (const Image& image : scene_.images) {
      ImageOut out{{}, image.view, image.mime_type};
      if (is_missing(image) || (binary_chunk_ && !can_embed(image))) {
        out.uri = image.uri;
      } else if (image.view == no_view && binary_chunk_) {
        const std::uint32_t buffer = buffers.empty() ? open_buffer(scene_.blocks.size()) : 0;
        out.view = make_id<ViewId>(placement.views.size());
        out.mime_type = image.mime_type.empty() ? find_image_type(image.bytes) : image.mime_type;
        placement.views.push_back({buffer, buffers[buffer].append(image.bytes, 0)});
        placement.image_view_lengths.push_back(image.bytes.size());
      } else if (image.view == no_view) {
        out.uri = image.uri.empty() ? make_data_uri(image.mime_type, image.bytes) : image.uri;
      }
      placement.images.push_back(std::move(out));
    }
  }

  const Scene& scene_;
  std::span<const PackedBlock> packed_;
  bool binary_chunk_;
  std::string stem_;
  std::uint64_t stand_in_length_ = 0;
};

Result<void> write_zeros(FileWriter& file, std::uint64_t count) {
  constexpr char zeros[16] = {};
  Result<void> done;
  while (count > 0 && done) {
    const std::uint64_t part = std::min<std::uint64_t>(count, sizeof zeros);
    done = file.write(zeros, part);
    count -= part;
  }
  return done;
}

/// Writes a buffer's segments with zeros between them, telling the observer as it goes.
Result<void> write_segments(FileWriter& file, const BufferPlan& plan, const RunControl& run) {
  constexpr std::uint64_t piece = 16U << 20U;
  std::uint64_t at = 0;
  for (const Segment& segment : plan.segments) {
    if (auto done = write_zeros(file, segment.offset - at); !done) {
      return done;
    }
    const auto data = segment.bytes.data();
    for (std::uint64_t from = 0; from < data.size(); from += piece) {
      if (run.observer != nullptr &&
          !run.observer->advance("writing", static_cast<double>(segment.offset + from) /
                                                static_cast<double>(plan.length))) {
        return Failure(make_cancelled());
      }
      const std::uint64_t size = std::min<std::uint64_t>(piece, data.size() - from);
      if (auto done = file.write(data.data() + from, size); !done) {
        return done;
      }
    }
    segment.bytes.let_go();
    at = segment.offset + data.size();
  }
  return {};
}

/// Streams the JSON into the file.
Result<void> write_json(FileWriter& file, const Scene& scene, const Placement& placement) {
  Result<void> state;
  JsonOut out([&](std::string_view text) {
    if (state) {
      state = file.write(text.data(), text.size());
    }
  });
  write_gltf_json(scene, placement, out);
  out.flush();
  return state;
}

class SceneWriter {
 public:
  SceneWriter(const Scene& scene,
              std::span<const PackedBlock> packed,
              const std::string& path,
              const std::vector<std::string>& inputs,
              const RunControl& run)
      : scene_(scene),
        path_(path),
        inputs_(inputs),
        run_(run),
        glb_(fs::path(path).extension() == ".glb"),
        placer_(scene, packed, glb_, fs::path(path).stem().string()) {}

  Result<WriteReport> write() {
    placer_.place();
    auto done = glb_ ? write_glb() : write_gltf();
    for (std::size_t i = 0; i < files_.size() && done; ++i) {
      done = files_[i].finish();
    }
    if (done) {
      done = read_again();
    }
    // Side files first: a scene is never in place without what it refers to.
    for (std::size_t i = files_.size(); i-- > 0 && done;) {
      done = files_[i].commit();
    }
    if (!done) {
      return Failure(done.error());
    }
    WriteReport report;
    for (const FileWriter& file : files_) {
      report.bytes += file.written();
      report.files.push_back(file.path());
    }
    report.left_out = std::move(placer_.left_out);
    return report;
  }

 private:
  /// What nobody could read never gets its name.
  [[nodiscard]] Result<void> read_again() const {
    StandIns written;
    for (const FileWriter& file : files_) {
      written.emplace(file.path(), file.temporary());
    }
    const ReadLimits any{.max_zero_elements = 0xFFFF'FFFFULL};
    const auto scene = read_gltf(path_, written, any, {run_.threads, nullptr});
    if (scene) {
      return {};
    }
    return Failure(Error{ErrorCode::cannot_write,
                         fmt::format("what would be written can't be read ({}); nothing was "
                                     "replaced",
                                     scene.error().message),
                         {path_, scene.error().place.pointer}});
  }

  Result<FileWriter*> open(const std::string& path) {
    for (const std::string& input : inputs_) {
      std::error_code ignored;
      if (fs::equivalent(path, input, ignored)) {
        return Failure(Error{ErrorCode::cannot_write,
                             "is an input and stays as it is; choose another output",
                             {path, ""}});
      }
    }
    files_.emplace_back();
    if (auto done = files_.back().open(path); !done) {
      return Failure(done.error());
    }
    return &files_.back();
  }

  Result<void> write_glb() {
    const auto opened = open(path_);
    if (!opened) {
      return Failure(opened.error());
    }
    FileWriter& file = **opened;
    std::uint32_t head[5] = {0x46546C67, 2, 0, 0, 0x4E4F534A};
    auto done = file.write(head, sizeof head);
    if (done) {
      done = write_json(file, scene_, placer_.placement);
    }
    while (done && file.written() % 4 != 0) {
      done = file.write(" ", 1);
    }
    const std::uint64_t json_end = file.written();
    if (done && !placer_.buffers.empty()) {
      done = write_chunk(file, placer_.buffers.front());
    }
    if (!done) {
      return done;
    }
    if (file.written() > glb_limit) {
      return Failure(Error{ErrorCode::too_large,
                           fmt::format("the scene takes {} bytes, a .glb holds {}; write .gltf",
                                       file.written(), glb_limit),
                           {path_, ""}});
    }
    head[2] = static_cast<std::uint32_t>(file.written());
    head[3] = static_cast<std::uint32_t>(json_end - sizeof head);
    return file.write_at(0, head, sizeof head);
  }

  Result<void> write_chunk(FileWriter& file, const BufferPlan& plan) {
    const std::uint64_t padded = (plan.length + 3) / 4 * 4;
    const std::uint32_t head[2] = {static_cast<std::uint32_t>(padded), 0x004E4942};
    auto done = file.write(head, sizeof head);
    if (done) {
      done = write_segments(file, plan, run_);
    }
    return done ? write_zeros(file, padded - plan.length) : done;
  }

  Result<void> write_gltf() {
    const auto opened = open(path_);
    if (!opened) {
      return Failure(opened.error());
    }
    if (auto done = write_json(**opened, scene_, placer_.placement); !done) {
      return done;
    }
    const fs::path folder = fs::path(path_).parent_path();
    for (std::size_t i = 0; i < placer_.buffers.size(); ++i) {
      const auto name = make_relative_path(placer_.placement.buffers[i].uri);
      const auto file = name ? open((folder / *name).string()) : Failure(name.error());
      if (!file) {
        return Failure(file.error());
      }
      if (auto done = write_segments(**file, placer_.buffers[i], run_); !done) {
        return done;
      }
    }
    return write_image_files(folder);
  }

  Result<void> write_image_files(const fs::path& folder) {
    std::vector<std::string> written;
    for (const Image& image : scene_.images) {
      if (image.view != no_view || image.uri.empty() || is_missing(image)) {
        continue;
      }
      const auto name = make_relative_path(image.uri);
      if (!name) {
        return Failure(name.error());
      }
      const fs::path target = folder / *name;
      if (std::find(written.begin(), written.end(), target.string()) != written.end() ||
          is_there_already(target.string(), image.bytes)) {
        continue;
      }
      const auto file = open(target.string());
      if (!file) {
        return Failure(file.error());
      }
      if (auto done = (*file)->write(image.bytes.data().data(), image.bytes.size()); !done) {
        return done;
      }
      image.bytes.let_go();
      written.push_back(target.string());
    }
    return {};
  }

  static bool is_there_already(const std::string& path, const Bytes& bytes) {
    const auto there = map_file(path);
    const bool same = there && there->size() == bytes.size() &&
                      std::memcmp(there->data().data(), bytes.data().data(), bytes.size()) == 0;
    bytes.let_go();
    return same;
  }

  const Scene& scene_;
  const std::string& path_;
  const std::vector<std::string>& inputs_;
  const RunControl& run_;
  bool glb_;
  Placer placer_;
  std::vector<FileWriter> files_;
};

}  // namespace

std::vector<std::string> list_files(const Scene& scene, const std::string& path) {
  const fs::path folder = fs::path(path).parent_path();
  std::vector<std::string> files{path};
  const auto add = [&](const std::string& uri) {
    if (!uri.empty() && !is_data_uri(uri)) {
      if (const auto name = make_relative_path(uri)) {
        files.push_back((folder / *name).string());
      }
    }
  };
  for (const Block& block : scene.blocks) {
    add(block.uri);
  }
  for (const Image& image : scene.images) {
    add(image.uri);
  }
  return files;
}

Result<WriteReport> write_scene(const Scene& scene,
                                const std::string& path,
                                const std::vector<std::string>& inputs,
                                const RunControl& run) {
  const std::string ending = fs::path(path).extension().string();
  if (ending != ".glb" && ending != ".gltf") {
    return Failure(Error{ErrorCode::not_supported,
                         fmt::format("ends in '{}'; scenes are written as .glb or .gltf", ending),
                         {path, ""}});
  }
  std::vector<PackedBlock> packed;
  if (scene.storage == StreamStorage::packed) {
    auto done = pack_views(scene, run);
    if (!done) {
      return Failure(done.error());
    }
    packed = std::move(*done);
  }
  return SceneWriter(scene, packed, path, inputs, run).write();
}

namespace {

/// A document is read again as JSON before it gets its name.
Result<void> read_document_again(const FileWriter& file) {
  const auto bytes = map_file(file.temporary());
  if (!bytes) {
    return Failure(bytes.error());
  }
  simdjson::dom::parser parser;
  const auto* const text = reinterpret_cast<const char*>(bytes->data().data());
  const auto code = parser.parse(text, bytes->size()).error();
  return code == simdjson::SUCCESS
             ? Result<void>()
             : Failure(Error{ErrorCode::cannot_write,
                             fmt::format("what would be written is no JSON ({}); nothing was "
                                         "replaced",
                                         simdjson::error_message(code)),
                             {file.path(), ""}});
}

}  // namespace

namespace {

/// \param check  is asked before the file gets its name
template <class Check>
Result<void> write_whole(const std::string& path, std::string_view text, const Check& check) {
  FileWriter file;
  auto done = file.open(path);
  if (done) {
    done = file.write(text.data(), text.size());
  }
  if (done) {
    done = file.finish();
  }
  if (done) {
    done = check(file);
  }
  return done ? file.commit() : done;
}

}  // namespace

Result<void> write_text(const std::string& path, std::string_view text) {
  return write_whole(path, text, [](const FileWriter&) { return Result<void>(); });
}

Result<void> write_document(const std::string& path, std::string_view json) {
  return write_whole(path, json, read_document_again);
}

}  // namespace wakuzume
