// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include "texture/plain_look.h"

#include <algorithm>
#include <cmath>
#include <cstring>
#include <map>

#include "rework/detach.h"
#include "rework/geometry_block.h"
#include "scene/index_data.h"
#include "survey/draws.h"
#include "survey/textures.h"

namespace wakuzume {
namespace {

constexpr std::uint32_t index_target = 34963;

/// The list indices of one member in one primitive.
struct MemberPart {
  std::uint32_t member = 0;
  std::vector<std::uint32_t> indices;
};

std::vector<MemberPart> cut_by_member(const Scene& scene, const Primitive& primitive) {
  const std::size_t corners = count_corners(find_topology(primitive.mode));
  const std::vector<std::uint32_t> list = make_list_indices(scene, primitive);
  const std::vector<float> numbers = make_floats(scene, primitive.find(layer_semantic));
  std::map<std::uint32_t, std::vector<std::uint32_t>> parts;
  for (std::size_t i = 0; i + corners <= list.size(); i += corners) {
    std::vector<std::uint32_t>& part =
        parts[static_cast<std::uint32_t>(std::lround(numbers[list[i]]))];
    part.insert(part.end(), &list[i], &list[i] + corners);
  }
  std::vector<MemberPart> out;
  for (auto& [member, indices] : parts) {
    out.push_back({member, std::move(indices)});
  }
  return out;
}

class PlainLooks {
 public:
  PlainLooks(const RoutePlan& routes, const PageImages& images, Scene& built)
      : routes_(routes), built_(built) {
    for (std::size_t s = 0; s < routes.stacks.size() && routes.pages.size() + s < images.size();
         ++s) {
      for (const ImageId image : images[routes.pages.size() + s]) {
        if (image != no_image) {
          stacks_[image] = s;
        }
      }
    }
  }

  Result<void> run() {
    std::vector<Job> jobs =
        routes_.settings.plain_look == PlainLook::beside ? list_jobs() : std::vector<Job>();
    if (jobs.empty()) {
      return {};
    }
    GeometryBlock block;
    for (Job& job : jobs) {
      for (const MemberPart& part : job.parts) {
        const auto type = find_index_type(count_vertices(built_, primitive_of(job)));
        job.offsets.push_back(block.reserve(part.indices.size() * component_bytes(type)));
      }
    }
    if (!block.allocate()) {
      return Failure(Error{ErrorCode::too_large, "there is no memory for indices by material", {}});
    }
    const BlockId id = make_id<BlockId>(built_.blocks.size());
    for (const Job& job : jobs) {
      add(job, id, block);
    }
    built_.blocks.emplace_back().bytes = block.finish();
    return {};
  }

 private:
  struct Job {
    std::size_t mesh = 0;
    std::size_t primitive = 0;
    std::size_t stack = no_index;  ///< no_index: it shows no layers
    std::vector<MemberPart> parts{};
    std::vector<std::uint64_t> offsets{};
  };

  [[nodiscard]] const Primitive& primitive_of(const Job& job) const {
    return built_.meshes[job.mesh].primitives[job.primitive];
  }

  /// Of the material's textures of layers; no_index where there is none.
  [[nodiscard]] std::size_t find_stack(MaterialId id) const {
    if (id == no_material) {
      return no_index;
    }
    for (const TextureSlot* slot : list_slots(built_[id])) {
      if (slot->texture == no_texture) {
        continue;
      }
      const Texture& texture = built_.textures[to_index(slot->texture)];
      const auto hit = texture.layers ? stacks_.find(texture.layers->image) : stacks_.end();
      if (hit != stacks_.end()) {
        return hit->second;
      }
    }
    return no_index;
  }

  [[nodiscard]] std::vector<Job> list_jobs() const {
    std::vector<Job> jobs;
    std::vector<bool> shown(built_.meshes.size(), false);
    for (const Node& node : built_.nodes) {
      if (node.mesh != no_mesh) {
        shown[to_index(node.mesh)] = true;
      }
    }
    for (std::size_t m = 0; m < built_.meshes.size(); ++m) {
      if (!shown[m]) {
        continue;
      }
      const Mesh& mesh = built_.meshes[m];
      const std::size_t begin = jobs.size();
      bool layered = false;
      for (std::size_t p = 0; p < mesh.primitives.size(); ++p) {
        Job job{m, p, find_stack(mesh.primitives[p].material)};
        if (job.stack != no_index && mesh.primitives[p].find(layer_semantic) != no_stream) {
          job.parts = cut_by_member(built_, mesh.primitives[p]);
          layered = true;
        } else {
          job.stack = no_index;
        }
        jobs.push_back(std::move(job));
      }
      if (!layered) {
        jobs.resize(begin);
      }
    }
    return jobs;
  }

  void add(const Job& job, BlockId id, GeometryBlock& block) {
    const Primitive shown = primitive_of(job);
    Mesh& mesh = built_.meshes[job.mesh];
    if (job.stack == no_index) {
      mesh.plain.push_back(shown);
      return;
    }
    const Topology topology = find_topology(shown.mode);
    for (std::size_t i = 0; i < job.parts.size(); ++i) {
      const MemberPart& part = job.parts[i];
      Primitive plain = shown;
      plain.mode = topology == Topology::triangles ? PrimitiveMode::triangles
                   : topology == Topology::lines   ? PrimitiveMode::lines
                                                   : PrimitiveMode::points;
      std::erase_if(plain.attributes,
                    [](const Attribute& a) { return a.semantic == layer_semantic; });
      plain.material = find_material(job.stack, part.member);
      Stream stream;
      stream.component = find_index_type(count_vertices(built_, shown));
      stream.count = part.indices.size();
      const std::uint32_t size = component_bytes(stream.component);
      store_indices(part.indices, stream.component, block.data(job.offsets[i]));
      block.close(job.offsets[i], part.indices.size() * size);
      plain.indices = add_stream(built_, id, job.offsets[i], part.indices.size() * size,
                                 index_target, size, std::move(stream));
      mesh.plain.push_back(std::move(plain));
    }
  }

  /// A member's own material, as its draws look it up now.
  MaterialId find_material(std::size_t stack, std::uint32_t member) {
    const LayerStack& from = routes_.stacks[stack];
    const MaterialId own = from.members[std::min<std::size_t>(member, from.members.size() - 1)];
    const auto [slot, added] = materials_.try_emplace(own, own);
    if (!added) {
      return slot->second;
    }
    const auto& copies = from.copies[std::min<std::size_t>(member, from.copies.size() - 1)];
    Material moved = built_[own];
    bool changed = false;
    for (TextureSlot* texture : list_slots(moved)) {
      // The transform went into the UVs, which are divided by how often the texture is in its
      // layer.
      const bool scaled = copies[0] > 1 || copies[1] > 1;
      if (texture->texture != no_texture &&
          (texture->transform || scaled || texture->texcoord != from.uv_set)) {
        texture->transform.reset();
        texture->texcoord = from.uv_set;
        if (scaled) {
          texture->transform.ensure().scale = {static_cast<double>(copies[0]),
                                               static_cast<double>(copies[1])};
          add_once(built_.extensions_used, "KHR_texture_transform");
        }
        changed = true;
      }
    }
    if (const MaterialRoute* route = routes_.find(own); route != nullptr && route->tinted) {
      moved.base_color = {1, 1, 1, 1};
      changed = true;
    }
    if (changed) {
      moved.spelled = 0;
      built_.materials.push_back(std::move(moved));
      slot->second = make_id<MaterialId>(built_.materials.size() - 1);
    }
    return slot->second;
  }

  const RoutePlan& routes_;
  Scene& built_;
  std::map<ImageId, std::size_t> stacks_;
  std::map<MaterialId, MaterialId> materials_;
};

}  // namespace

Result<void> add_plain_looks(const RoutePlan& routes, const PageImages& images, Scene& built) {
  return PlainLooks(routes, images, built).run();
}

}  // namespace wakuzume
