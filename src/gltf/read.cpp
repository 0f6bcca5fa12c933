// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include "gltf/read.h"

#include <fmt/format.h>

#include <algorithm>
#include <cstring>
#include <filesystem>

#include "files/file.h"
#include "files/uri.h"
#include "gltf/parse.h"
#include "wakuzume/io.h"

namespace wakuzume {
namespace {

constexpr std::uint32_t glb_magic = 0x46546C67;   // "glTF"
constexpr std::uint32_t json_chunk = 0x4E4F534A;  // "JSON"
constexpr std::uint32_t bin_chunk = 0x004E4942;   // "BIN\0"

/// The two parts of a file; a .gltf has only the first.
struct Container {
  Bytes json;
  Bytes bin;
  bool has_bin = false;
};

std::uint32_t load_u32(const Bytes& bytes, std::size_t at) {
  std::uint32_t value = 0;
  std::memcpy(&value, bytes.data().data() + at, sizeof value);
  return value;
}

Failure bad_container(std::string message) {
  return Failure(Error{ErrorCode::bad_container, std::move(message), {}});
}

/// glTF 2.0 chapter 4: a 12-byte header, then chunks of 8 + length bytes.
Result<Container> split_glb(const Bytes& file) {
  const std::uint64_t stated = load_u32(file, 8);
  if (load_u32(file, 4) != 2) {
    return bad_container(fmt::format("GLB version {}; 2 is read", load_u32(file, 4)));
  }
  if (stated < 20 || stated > file.size()) {
    return bad_container(
        fmt::format("the GLB header states {} bytes, the file has {}; it may be cut short", stated,
                    file.size()));
  }
  Container parts;
  std::size_t at = 12;
  for (int chunk = 0; at + 8 <= stated; ++chunk) {
    const std::uint64_t length = load_u32(file, at);
    const std::uint32_t type = load_u32(file, at + 4);
    if (length > stated - at - 8) {
      return bad_container(fmt::format("chunk {} states {} bytes, {} are left in the file", chunk,
                                       length, stated - at - 8));
    }
    const Bytes data = file.part(at + 8, length);
    if (chunk == 0 && type != json_chunk) {
      return bad_container("the first chunk of a GLB must be JSON");
    }
    if (chunk == 0) {
      parts.json = data;
    } else if (type == bin_chunk && !parts.has_bin) {
      parts.bin = data;
      parts.has_bin = true;
    }
    at += 8 + length;
  }
  if (at != stated) {
    return bad_container(fmt::format("{} bytes follow the last chunk", stated - at));
  }
  return parts;
}

Result<Container> split_container(const Bytes& file) {
  if (file.size() >= 4 && load_u32(file, 0) == glb_magic) {
    if (file.size() < 20) {
      return bad_container(fmt::format("{} bytes are too few for a GLB", file.size()));
    }
    return split_glb(file);
  }
  if (file.size() == 0) {
    return bad_container("the file is empty");
  }
  const auto first = std::find_if(file.data().begin(), file.data().end(), [](std::byte b) {
    return b != std::byte{' '} && b != std::byte{'\t'} && b != std::byte{'\r'} &&
           b != std::byte{'\n'};
  });
  if (first == file.data().end() || *first != std::byte{'{'}) {
    return bad_container("neither a GLB (\"glTF\" at its start) nor a JSON object");
  }
  Container parts;
  parts.json = file;
  return parts;
}

/// Brings in the bytes that the JSON refers to.
class Loader {
 public:
  Loader(Scene& scene, const std::string& path, const StandIns& stand_ins)
      : scene_(scene), folder_(std::filesystem::path(path).parent_path()), stand_ins_(stand_ins) {}

  /// \param stands_in  by block: it need not have any bytes
  Result<void> load_blocks(const Container& parts,
                           const std::vector<std::uint64_t>& lengths,
                           const std::vector<bool>& stands_in) {
    for (std::size_t i = 0; i < scene_.blocks.size(); ++i) {
      if (stands_in[i]) {
        continue;
      }
      Block& block = scene_.blocks[i];
      const std::string at = fmt::format("/buffers/{}", i);
      Result<Bytes> bytes;
      if (!block.uri.empty()) {
        bytes = load(block.uri, at + "/uri");
      } else if (i == 0 && parts.has_bin) {
        bytes = parts.bin;
      } else {
        return Failure(Error{ErrorCode::missing_member,
                             "has no uri, and there is no binary chunk for it",
                             {"", at}});
      }
      if (!bytes) {
        return Failure(bytes.error());
      }
      if (bytes->size() < lengths[i]) {
        return Failure(Error{ErrorCode::out_of_bounds,
                             fmt::format("states {} bytes, {} has {}; it may be cut short",
                                         lengths[i], describe(block.uri), bytes->size()),
                             {"", at + "/byteLength"}});
      }
      block.bytes = bytes->part(0, lengths[i]);
      if (is_data_uri(block.uri)) {
        block.uri.clear();
      }
    }
    return {};
  }

  Result<void> load_images() {
    for (std::size_t i = 0; i < scene_.images.size(); ++i) {
      Image& image = scene_.images[i];
      if (image.view != no_view) {
        continue;
      }
      auto bytes = load(image.uri, fmt::format("/images/{}/uri", i));
      if (!bytes && bytes.error().code == ErrorCode::cannot_open) {
        scene_.missing_files.push_back({image.uri, fmt::format("image {}", i)});
        continue;
      }
      if (!bytes) {
        return Failure(bytes.error());
      }
      image.bytes = *bytes;
      if (is_data_uri(image.uri)) {
        if (image.mime_type.empty()) {
          image.mime_type = parse_data_uri(image.uri)->mime_type;
        }
        image.uri.clear();
      }
    }
    return {};
  }

 private:
  static std::string describe(const std::string& uri) {
    return uri.empty() ? "the binary chunk" : is_data_uri(uri) ? "the data URI" : uri;
  }

  Result<Bytes> load(const std::string& uri, const std::string& at) {
    if (is_data_uri(uri)) {
      auto data = parse_data_uri(uri);
      return data ? Result<Bytes>(data->bytes) : placed(data.error(), at);
    }
    const auto relative = make_relative_path(uri);
    if (!relative) {
      return placed(relative.error(), at);
    }
    const std::string name = (folder_ / *relative).string();
    const auto stand_in = stand_ins_.find(name);
    auto bytes = map_file(stand_in == stand_ins_.end() ? name : stand_in->second);
    return bytes ? bytes : placed(bytes.error(), at);
  }

  static Result<Bytes> placed(Error error, const std::string& at) {
    // A missing side file is a fault at this place of the scene, and both names help.
    if (!error.place.file.empty()) {
      error.message = error.place.file + " " + error.message;
      error.place.file.clear();
    }
    error.place.pointer = at;
    return Failure(std::move(error));
  }

  Scene& scene_;
  std::filesystem::path folder_;
  const StandIns& stand_ins_;
};

Result<void> check_limits(const Scene& scene, const ReadLimits& limits) {
  for (std::size_t i = 0; i < scene.streams.size(); ++i) {
    const Stream& stream = scene.streams[i];
    if (stream.view == no_view && stream.count > limits.max_zero_elements) {
      return Failure(Error{ErrorCode::too_large,
                           fmt::format("{} elements without a bufferView; the limit is {}",
                                       stream.count, limits.max_zero_elements),
                           {"", fmt::format("/accessors/{}/count", i)}});
    }
  }
  return {};
}

Result<Scene> read_parts(const Bytes& file,
                         const std::string& path,
                         const StandIns& stand_ins,
                         const ReadLimits& limits,
                         const RunControl& run) {
  const Result<Container> parts = split_container(file);
  if (!parts) {
    return Failure(parts.error());
  }
  GltfParser parser;
  Result<Scene> scene = parser.parse(PaddedText(parts->json, file).view());
  if (!scene) {
    return scene;
  }
  Loader loader(*scene, path, stand_ins);
  const PackedParts& packed = parser.packed();
  if (auto done = loader.load_blocks(*parts, parser.block_lengths(), packed.stands_in); !done) {
    return Failure(done.error());
  }
  if (auto done = unpack_parts(packed, limits, run, *scene); !done) {
    return Failure(done.error());
  }
  if (auto done = loader.load_images(); !done) {
    return Failure(done.error());
  }
  if (auto done = check_limits(*scene, limits); !done) {
    return Failure(done.error());
  }
  if (auto done = link_parents(*scene); !done) {
    return Failure(done.error());
  }
  if (auto done = check_scene(*scene, run); !done) {
    return Failure(done.error());
  }
  return scene;
}

}  // namespace

Result<Scene> read_gltf(const std::string& path,
                        const StandIns& stand_ins,
                        const ReadLimits& limits,
                        const RunControl& run) {
  const auto stand_in = stand_ins.find(path);
  const Result<Bytes> file = map_file(stand_in == stand_ins.end() ? path : stand_in->second);
  if (!file) {
    return Failure(file.error());
  }
  return of_file(read_parts(*file, path, stand_ins, limits, run), path);
}

}  // namespace wakuzume
