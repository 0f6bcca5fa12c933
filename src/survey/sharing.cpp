// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include "wakuzume/sharing.h"

#include <fmt/format.h>

#include <algorithm>
#include <map>
#include <set>

#include "survey/parts.h"
#include "survey/textures.h"

namespace wakuzume {
namespace {

std::string name_or_number(const std::string& name, const char* what, std::size_t number) {
  return name.empty() ? fmt::format("{} {}", what, number) : name;
}

class SharingFinder {
 public:
  void take(const SharingInput& input, std::uint32_t position) {
    scene_ = input.scene;
    position_ = position;
    const MaterialParts parts(*scene_, input.images);
    const auto value_of = [&](MaterialId id) {
      return hash_without(parts.find(id), [](KeyPart p) { return p == KeyPart::material_name; });
    };
    std::map<MeshId, ValueHasher> meshes;
    std::map<MeshId, std::uint64_t> mesh_bytes;
    std::set<MaterialId> materials;
    for (const Shape& shape : input.survey->shapes) {
      ValueHasher& mesh = meshes[shape.mesh];
      mesh.add(input.survey->families[to_index(shape.family)]);
      mesh.add(value_of(shape.material));
      mesh_bytes[shape.mesh] += shape.bytes;
      if (shape.material != no_material) {
        materials.insert(shape.material);
      }
    }
    for (const auto& [id, hasher] : meshes) {
      add(SharedKind::mesh, hasher.finish(),
          name_or_number((*scene_)[id].name, "mesh", to_index(id)), mesh_bytes[id]);
    }
    std::set<ImageId> images;
    for (const MaterialId id : materials) {
      add(SharedKind::material, value_of(id),
          name_or_number((*scene_)[id].name, "material", to_index(id)), 0);
      for (const ImageId image : list_images(*scene_, (*scene_)[id])) {
        images.insert(image);
      }
    }
    take_images(images, input.images);
  }

  Sharing finish() {
    std::stable_sort(out_.parts.begin(), out_.parts.end(),
                     [](const SharedPart& a, const SharedPart& b) { return a.kind < b.kind; });
    std::map<std::vector<std::uint32_t>, SharedPack> packs;
    for (const SharedPart& part : out_.parts) {
      SharedPack& pack = packs[part.scenes];
      pack.scenes = part.scenes;
      ++pack.counts[static_cast<std::size_t>(part.kind)];
      pack.bytes += part.bytes;
    }
    for (auto& [scenes, pack] : packs) {
      out_.packs.push_back(std::move(pack));
    }
    std::stable_sort(out_.packs.begin(), out_.packs.end(),
                     [](const SharedPack& a, const SharedPack& b) {
                       return a.scenes.size() != b.scenes.size() ? a.scenes.size() > b.scenes.size()
                                                                 : a.bytes > b.bytes;
                     });
    return std::move(out_);
  }

 private:
  void take_images(const std::set<ImageId>& images, std::span<const ImageFacts> facts) {
    const std::vector<ContentHash> contents = make_image_contents(*scene_, facts);
    for (const ImageId id : images) {
      const Image& image = scene_->images[to_index(id)];
      const std::uint64_t bytes =
          image.view != no_view ? (*scene_)[image.view].length : image.bytes.size();
      add(SharedKind::image, contents[to_index(id)],
          name_or_number(image.name.empty() ? image.uri : image.name, "image", to_index(id)),
          bytes);
    }
  }

  void add(SharedKind kind, const ContentHash& content, std::string name, std::uint64_t bytes) {
    const auto [slot, added] =
        known_[static_cast<std::size_t>(kind)].try_emplace(content, out_.parts.size());
    if (added) {
      out_.parts.push_back({kind, std::move(name), bytes, {}});
    }
    std::vector<std::uint32_t>& scenes = out_.parts[slot->second].scenes;
    if (scenes.empty() || scenes.back() != position_) {
      scenes.push_back(position_);
    }
  }

  const Scene* scene_ = nullptr;
  std::uint32_t position_ = 0;
  std::array<std::map<ContentHash, std::size_t, LessHash>, shared_kind_count> known_;
  Sharing out_;
};

}  // namespace

std::string_view to_string(SharedKind kind) {
  constexpr std::string_view names[shared_kind_count] = {"mesh", "material", "image"};
  return names[static_cast<std::size_t>(kind)];
}

Sharing find_sharing(std::span<const SharingInput> inputs) {
  SharingFinder finder;
  for (std::size_t i = 0; i < inputs.size(); ++i) {
    finder.take(inputs[i], static_cast<std::uint32_t>(i));
  }
  return finder.finish();
}

}  // namespace wakuzume
