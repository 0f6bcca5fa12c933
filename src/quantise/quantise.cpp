// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include "wakuzume/quantise.h"

#include <fmt/format.h>

#include <algorithm>
#include <array>

#include "quantise/grids.h"
#include "quantise/values.h"
#include "rework/compact.h"
#include "rework/geometry_block.h"
#include "scene/elements.h"
#include "scene/running.h"

namespace wakuzume {
namespace {

constexpr const char* quantization_extension = "KHR_mesh_quantization";
constexpr std::uint32_t vertex_target = 34962;
constexpr std::uint32_t index_target = 34963;

template <class AnyScene, class Visit>
void for_each_primitive(AnyScene& scene, const Visit& visit) {
  for (auto& mesh : scene.meshes) {
    for (auto* list : {&mesh.primitives, &mesh.plain}) {
      for (auto& primitive : *list) {
        visit(primitive);
      }
    }
  }
}

class Quantiser {
 public:
  Quantiser(Scene scene, const GeometrySettings& settings, const RunControl& run)
      : before_(std::move(scene)),
        settings_(settings),
        run_(run),
        stretches_(find_stretches(before_)) {}

  Result<Quantised> quantise(std::span<const NodeId> fixed) {
    out_.scene = before_;
    const std::vector<StreamRole> roles = find_roles(before_);
    const Grids grids = find_grids(before_, roles, settings_, fixed);
    std::vector<NewStream> made(before_.streams.size());
    const bool done = for_each_index(made.size(), run_, "quantising", [&](std::size_t i) {
      made[i] = make(make_id<StreamId>(i), roles[i], grids);
    });
    if (!done) {
      return Failure(make_cancelled());
    }
    const std::size_t first_block = out_.scene.blocks.size();
    replace(std::move(made));
    narrow_indices();
    if (settings_.form == GeometryForm::quantised) {
      thin_targets();
    }
    place_nodes(grids.of_mesh, out_.scene);
    if (settings_.form == GeometryForm::packed) {
      turn_triangles();
    }
    join_blocks(out_.scene, first_block);
    remove_unused_data(before_, out_.scene);
    out_.scene.storage =
        settings_.form == GeometryForm::packed ? StreamStorage::packed : StreamStorage::plain;
    list_extension();
    tell(grids);
    return std::move(out_);
  }

 private:
  /// What is as it would be made is not made again.
  static NewStream unless_same(const Scene& scene, StreamId id, NewStream made) {
    const Stream& old = scene[id];
    const bool same = old.component == made.stream.component && !old.sparse &&
                      old.normalized == made.stream.normalized &&
                      made.stride == element_bytes(old.component, old.element) &&
                      make_packed(scene, id) == made.bytes;
    return same ? NewStream{} : std::move(made);
  }

  [[nodiscard]] NewStream make(StreamId id, StreamRole role, const Grids& grids) const {
    return unless_same(before_, id, make_any(id, role, grids));
  }

  [[nodiscard]] NewStream make_any(StreamId id, StreamRole role, const Grids& grids) const {
    switch (role) {
      case StreamRole::position: {
        const auto grid = grids.of_stream.find(id);
        return grid == grids.of_stream.end() ? NewStream{}
                                             : make_positions(before_, id, grid->second);
      }
      case StreamRole::direction:
        return make_directions(before_, id, settings_, stretches_[to_index(id)]);
      case StreamRole::uv:
        return make_uvs(before_, id, settings_);
      case StreamRole::color:
        return make_colors(before_, id, settings_);
      case StreamRole::joints:
        return make_joints(before_, id);
      default:
        return {};
    }
  }

  StreamId add(NewStream made, std::uint32_t target) {
    const auto block = make_id<BlockId>(out_.scene.blocks.size());
    const std::uint64_t length = made.bytes.size();
    out_.scene.blocks.emplace_back().bytes = make_bytes(std::move(made.bytes));
    made.stream.spelled = 0;
    return add_stream(
        out_.scene, block, 0, length, target,
        made.stride == 0 ? element_bytes(made.stream.component, made.stream.element) : made.stride,
        std::move(made.stream));
  }

  void replace(std::vector<NewStream> made) {
    std::vector<StreamId> now(made.size(), no_stream);
    for (std::size_t i = 0; i < made.size(); ++i) {
      if (!made[i].bytes.empty()) {
        now[i] = add(std::move(made[i]), vertex_target);
      }
    }
    for_each_primitive(out_.scene, [&](Primitive& primitive) {
      for (Attribute& attribute : primitive.attributes) {
        const std::size_t i = to_index(attribute.stream);
        attribute.stream = i < now.size() && now[i] != no_stream ? now[i] : attribute.stream;
      }
    });
  }

  void narrow_indices() {
    std::map<StreamId, StreamId> now;
    for_each_primitive(out_.scene, [&](Primitive& primitive) {
      if (primitive.indices == no_stream) {
        return;
      }
      const auto [known, added] = now.try_emplace(primitive.indices, primitive.indices);
      if (added) {
        const auto numbers = make_integers(before_, primitive.indices);
        const std::uint64_t vertices =
            numbers.empty() ? 0 : *std::max_element(numbers.begin(), numbers.end()) + 1ULL;
        NewStream made = make_narrow_indices(before_, primitive.indices, vertices);
        known->second = made.bytes.empty() ? primitive.indices : add(std::move(made), index_target);
      }
      primitive.indices = known->second;
    });
  }

  /// Morph targets move few vertices of a mesh, as a rule: those alone, where that takes less. What
  /// is packed has no zeros left to save.
  void thin_targets() {
    std::map<StreamId, StreamId> now;
    for_each_primitive(out_.scene, [&](Primitive& primitive) {
      for (std::vector<Attribute>& target : primitive.morph_targets) {
        for (Attribute& attribute : target) {
          const auto [known, added] = now.try_emplace(attribute.stream, attribute.stream);
          if (added) {
            known->second = thin(attribute.stream);
          }
          attribute.stream = known->second;
        }
      }
    });
  }

  /// The stream with what is not nought in a sparse substitution, or itself. The same values.
  StreamId thin(StreamId id) {
    const Stream old = before_[id];
    const std::uint32_t size = element_bytes(old.component, old.element);
    const std::vector<std::byte> elements = make_packed(before_, id);
    std::vector<std::uint32_t> moved;
    for (std::uint32_t e = 0; e < old.count; ++e) {
      const auto begin = elements.begin() + static_cast<std::ptrdiff_t>(std::size_t{e} * size);
      if (std::any_of(begin, begin + size, [](std::byte byte) { return byte != std::byte{}; })) {
        moved.push_back(e);
      }
    }
    if (moved.empty()) {
      moved.push_back(0);  // a substitution of nothing is none
    }
    constexpr std::size_t described = 200;  // bytes of JSON
    const bool wide = moved.back() > 0xFFFF;
    const std::size_t index_bytes = wide ? 4 : 2;
    if (old.sparse || old.view == no_view ||
        moved.size() * (index_bytes + size) + described >= elements.size()) {
      return id;
    }
    std::vector<std::byte> indices;
    std::vector<std::byte> values;
    for (const std::uint32_t e : moved) {
      for (std::size_t b = 0; b < index_bytes; ++b) {
        indices.push_back(static_cast<std::byte>(e >> (8 * b)));
      }
      const auto begin = elements.begin() + static_cast<std::ptrdiff_t>(std::size_t{e} * size);
      values.insert(values.end(), begin, begin + size);
    }
    SparseSubstitution sparse;
    sparse.count = moved.size();
    sparse.index_type = wide ? ComponentType::u32 : ComponentType::u16;
    sparse.index_view = add_view(std::move(indices));
    sparse.value_view = add_view(std::move(values));
    Stream made = old;
    made.view = no_view;
    made.offset = 0;
    made.sparse = std::move(sparse);
    out_.scene.streams.push_back(std::move(made));
    return make_id<StreamId>(out_.scene.streams.size() - 1);
  }

  ViewId add_view(std::vector<std::byte> bytes) {
    BlockView view;
    view.block = make_id<BlockId>(out_.scene.blocks.size());
    view.length = bytes.size();
    out_.scene.blocks.emplace_back().bytes = make_bytes(std::move(bytes));
    out_.scene.views.push_back(view);
    return make_id<ViewId>(out_.scene.views.size() - 1);
  }

  /// Packing keeps which triangles there are and the way round they go. What it would turn is
  /// turned here, so that files hold the scene bit for bit.
  void turn_triangles() {
    std::map<StreamId, bool> lists;
    for_each_primitive(out_.scene, [&](const Primitive& primitive) {
      if (primitive.indices != no_stream) {
        bool& list = lists.try_emplace(primitive.indices, true).first->second;
        list = list && primitive.mode == PrimitiveMode::triangles && !shrinks(primitive);
      }
    });
    std::map<StreamId, StreamId> now;
    for (const auto& [id, list] : lists) {
      NewStream made =
          list ? unless_same(out_.scene, id, make_turned_triangles(out_.scene, id)) : NewStream{};
      if (!made.bytes.empty()) {
        now[id] = add(std::move(made), index_target);
      }
    }
    for_each_primitive(out_.scene, [&](Primitive& primitive) {
      const auto other = now.find(primitive.indices);
      primitive.indices = other == now.end() ? primitive.indices : other->second;
    });
  }

  /// Has it a triangle of no size at all? Nobody could tell by its places which corner is which.
  [[nodiscard]] bool shrinks(const Primitive& primitive) const {
    const StreamId positions = primitive.find("POSITION");
    if (positions == no_stream) {
      return true;
    }
    const std::vector<std::uint32_t> list = make_list_indices(out_.scene, primitive);
    const ElementReader reader(out_.scene, positions);
    const auto place = [&](std::uint32_t vertex) {
      Vec3d out{};
      reader.load(vertex, out.data());
      return out;
    };
    for (std::size_t i = 0; i + 2 < list.size(); i += 3) {
      if (place(list[i]) == place(list[i + 1]) && place(list[i]) == place(list[i + 2])) {
        return true;
      }
    }
    return false;
  }

  /// Of what only that extension allows.
  void list_extension() {
    const auto is_core = [](const std::string& semantic, const Stream& stream) {
      const bool flat = stream.component == ComponentType::f32;
      return semantic == "POSITION" || semantic == "NORMAL" || semantic == "TANGENT" ? flat
             : semantic.starts_with("TEXCOORD_")
                 ? flat || (stream.normalized && stream.component != ComponentType::i8 &&
                            stream.component != ComponentType::i16)
                 : true;
    };
    bool needed = false;
    for_each_primitive(out_.scene, [&](const Primitive& primitive) {
      for (const Attribute& attribute : primitive.attributes) {
        needed = needed || !is_core(attribute.semantic, out_.scene[attribute.stream]);
      }
    });
    for (auto* names : {&out_.scene.extensions_used, &out_.scene.extensions_required}) {
      if (needed &&
          std::find(names->begin(), names->end(), quantization_extension) == names->end()) {
        names->emplace_back(quantization_extension);
      }
    }
  }

  void tell(const Grids& grids) {
    const auto add = [&](std::size_t meshes, const char* why) {
      if (meshes > 0) {
        out_.left_out.push_back(fmt::format("positions of {} {} stay floats: {}", meshes,
                                            meshes == 1 ? "mesh" : "meshes", why));
      }
    };
    add(grids.bound, "their nodes move or deform them, or carry more than a mesh");
    add(grids.large, "16 bits do not reach across them at the error that is asked");
    add(grids.repeated, "their many instances would take more than their few vertices give");
  }

  Scene before_;
  const GeometrySettings& settings_;
  const RunControl& run_;
  std::vector<double> stretches_;  ///< by stream
  Quantised out_;
};

}  // namespace

std::string_view to_string(GeometryForm form) {
  constexpr std::array<std::string_view, 3> names{"plain", "quantised", "packed"};
  return names[static_cast<std::size_t>(form)];
}

Result<void> validate(const GeometrySettings& settings) {
  const auto check = [](const char* name, double value, double low, double high) -> Result<void> {
    if (value >= low && value <= high) {
      return {};
    }
    return Failure(Error{ErrorCode::bad_setting,
                         fmt::format("{} is {}; {} to {} is allowed", name, value, low, high),
                         {}});
  };
  auto done = check("position_error_m", settings.position_error_m, 1e-6, 1);
  done = done ? check("direction_error_deg", settings.direction_error_deg, 0.001, 10) : done;
  done = done ? check("uv_error_texels", settings.uv_error_texels, 0.001, 16) : done;
  return done ? check("color_error", settings.color_error, 1e-5, 0.1) : done;
}

Result<Quantised> quantise(Scene scene,
                           const GeometrySettings& settings,
                           std::span<const NodeId> fixed,
                           const RunControl& run) {
  if (settings.form == GeometryForm::plain) {
    scene.storage = StreamStorage::plain;
    return Quantised{std::move(scene), {}};
  }
  return Quantiser(std::move(scene), settings, run).quantise(fixed);
}

}  // namespace wakuzume
