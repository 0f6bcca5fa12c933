// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include "kits/kit_scene.h"

#include <algorithm>
#include <cmath>

#include "files/file.h"
#include "files/text_encoding.h"
#include "files/uri.h"

namespace wakuzume {

namespace fs = std::filesystem;

namespace {

constexpr std::uint32_t vertex_target = 34962;
constexpr std::uint32_t index_target = 34963;

}  // namespace

KitScene::KitScene(const std::string& path) : finder(find_folder(path)), folder(find_folder(path)) {
  scene.asset.generator.clear();
}

StreamId KitScene::add_stream(std::span<const std::byte> bytes,
                              std::size_t count,
                              ElementType element,
                              ComponentType component) {
  BlockView view;
  view.block = BlockId{0};
  view.offset = data_.size();
  view.length = bytes.size();
  view.target = component == ComponentType::u32 ? index_target : vertex_target;
  data_.insert(data_.end(), bytes.begin(), bytes.end());
  Stream stream;
  stream.view = make_id<ViewId>(scene.views.size());
  stream.count = count;
  stream.element = element;
  stream.component = component;
  scene.views.push_back(view);
  scene.streams.push_back(std::move(stream));
  return make_id<StreamId>(scene.streams.size() - 1);
}

StreamId KitScene::add_positions(const std::vector<float>& values) {
  const StreamId id = add_stream(values, 3, ElementType::vec3, ComponentType::f32);
  StreamBounds bounds;
  for (std::size_t i = 0; i < values.size(); ++i) {
    const auto value = static_cast<double>(values[i]);
    if (!std::isfinite(value)) {
      return id;
    }
    if (i < 3) {
      bounds.min.push_back(value);
      bounds.max.push_back(value);
    }
    bounds.min[i % 3] = std::min(bounds.min[i % 3], value);
    bounds.max[i % 3] = std::max(bounds.max[i % 3], value);
  }
  scene.streams[to_index(id)].bounds = bounds;
  return id;
}

StreamId KitScene::add_indices(const std::vector<std::uint32_t>& values) {
  return add_stream(values, 1, ElementType::scalar, ComponentType::u32);
}

TextureId KitScene::add_texture(const std::string& name,
                                std::uint32_t wrap_s,
                                std::uint32_t wrap_t,
                                const std::string& what) {
  const ImageId image = add_image(name, what);
  const auto [slot, added] =
      textures_.try_emplace({image, wrap_s, wrap_t}, make_id<TextureId>(scene.textures.size()));
  if (added) {
    const auto [sampler, fresh] =
        samplers_.try_emplace({wrap_s, wrap_t}, make_id<SamplerId>(scene.samplers.size()));
    if (fresh) {
      Sampler& made = scene.samplers.emplace_back();
      made.wrap_s = wrap_s;
      made.wrap_t = wrap_t;
    }
    Texture& texture = scene.textures.emplace_back();
    texture.image = image;
    texture.sampler = sampler->second;
  }
  return slot->second;
}

ImageId KitScene::add_image(const std::string& name, const std::string& what) {
  const std::string found = finder.find(with_slashes(name));
  // Names in a folder may be in another encoding than those in the text.
  const std::string shown = to_utf8(found.empty() ? with_slashes(name) : found);
  const auto [slot, added] = images_.try_emplace(shown, make_id<ImageId>(scene.images.size()));
  if (!added) {
    return slot->second;
  }
  Image image;
  image.name = fs::path(shown).stem().string();
  const auto bytes =
      found.empty() ? Result<Bytes>(Failure(Error{})) : map_file((folder / found).string());
  if (bytes) {
    image.bytes = *bytes;
    image.uri = make_uri(shown);
  } else {
    image.uri = make_uri(fs::path(shown).filename().string());
    scene.missing_files.push_back({shown, what});
  }
  scene.images.push_back(std::move(image));
  return slot->second;
}

NodeId KitScene::add_node(std::string name, NodeId parent) {
  const auto id = make_id<NodeId>(scene.nodes.size());
  scene.nodes.emplace_back().name = std::move(name);
  (parent == no_node ? scene.levels.back().roots : scene.nodes[to_index(parent)].children)
      .push_back(id);
  return id;
}

void KitScene::add_skipped(const std::string& file, const std::vector<SkippedPart>& skipped) {
  for (const SkippedPart& part : skipped) {
    scene.skipped_parts.push_back(part);
    scene.skipped_parts.back().file = to_utf8(file);
  }
}

Result<Scene> KitScene::finish(const RunControl& run) {
  if (!data_.empty()) {
    scene.blocks.emplace_back().bytes = make_bytes(std::move(data_));
  }
  if (auto linked = link_parents(scene); !linked) {
    return Failure(linked.error());
  }
  if (auto checked = check_scene(scene, run); !checked) {
    return Failure(checked.error());
  }
  return std::move(scene);
}

}  // namespace wakuzume
