// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#pragma once

#include <cstddef>
#include <filesystem>
#include <map>
#include <span>
#include <string>
#include <tuple>
#include <vector>

#include "kits/file_finder.h"
#include "wakuzume/result.h"
#include "wakuzume/run_control.h"
#include "wakuzume/scene.h"

/// Scenes put together from kits.
namespace wakuzume {

/// What the readers of kits share: one block of streams, pictures by their names, one scene.
class KitScene {
 public:
  /// \param path  of the kit
  explicit KitScene(const std::string& path);

  /// \param width  values an element
  template <class T>
  StreamId add_stream(const std::vector<T>& values,
                      std::size_t width,
                      ElementType element,
                      ComponentType component) {
    return add_stream(std::as_bytes(std::span<const T>(values)), values.size() / width, element,
                      component);
  }
  /// With their bounds, unless some are no numbers: JSON has none for those.
  StreamId add_positions(const std::vector<float>& values);
  StreamId add_indices(const std::vector<std::uint32_t>& values);

  /// \param name  as a kit has it \param what  it is for, should it not be there
  TextureId add_texture(const std::string& name,
                        std::uint32_t wrap_s,
                        std::uint32_t wrap_t,
                        const std::string& what);
  /// \param parent  no_node: at the roots of the level that was added last
  NodeId add_node(std::string name, NodeId parent);
  void add_skipped(const std::string& file, const std::vector<SkippedPart>& skipped);

  /// \error as link_parents, check_scene
  Result<Scene> finish(const RunControl& run);

  const FileFinder finder;
  const std::filesystem::path folder;
  Scene scene;

 private:
  StreamId add_stream(std::span<const std::byte> bytes,
                      std::size_t count,
                      ElementType element,
                      ComponentType component);
  ImageId add_image(const std::string& name, const std::string& what);

  std::vector<std::byte> data_;
  std::map<std::string, ImageId> images_;
  std::map<std::tuple<ImageId, std::uint32_t, std::uint32_t>, TextureId> textures_;
  std::map<std::pair<std::uint32_t, std::uint32_t>, SamplerId> samplers_;
};

}  // namespace wakuzume
