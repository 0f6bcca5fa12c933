// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include "plan/items.h"

#include <algorithm>
#include <map>
#include <tuple>

#include "plan/assemblies.h"
#include "scene/matrix.h"
#include "survey/draws.h"

namespace wakuzume {
namespace {

/// Families whose members are stretched along axes that are not the prototype's get axes of their
/// own; more than so many are not tried.
constexpr int max_axes = 4;

Mat4d make_inverse(const Mat4d& matrix) { return from_eigen(as_eigen(matrix).inverse()); }

class ItemMaker {
 public:
  ItemMaker(const AssemblyInput& input, const std::vector<ShapeSize>& sizes)
      : in_(input), sizes_(sizes) {}

  Items make() {
    std::vector<bool> taken(in_.survey.draws.size(), false);
    if (in_.settings.repeats != Repeats::merge) {
      for (const Assembly& assembly : find_assemblies(in_)) {
        add_assembly(assembly, taken);
      }
    }
    std::map<std::pair<std::uint32_t, std::uint32_t>, std::vector<std::uint32_t>> families;
    for (const DrawId id : in_.draws) {
      if (!taken[to_index(id)]) {
        const Draw& draw = in_.survey[id];
        families[{member_of(id).family, in_.keys.share[to_index(draw.key)]}].push_back(
            add_item({&id, 1}));
      }
    }
    if (in_.settings.repeats != Repeats::merge) {
      for (const auto& [key, items] : families) {
        if (items.size() > 1) {
          find_repeats(in_.families.prototypes[key.first], key.second, items);
        }
      }
    }
    drop_small_repeats();
    return std::move(out_);
  }

 private:
  [[nodiscard]] const FamilyMember& member_of(DrawId id) const {
    return in_.families.members[to_index(in_.survey[id].shape)];
  }

  std::uint32_t add_item(std::span<const DrawId> parts) {
    Item item;
    item.first_part = static_cast<std::uint32_t>(out_.parts.size());
    item.part_count = static_cast<std::uint32_t>(parts.size());
    item.merge = in_.keys.merge[to_index(in_.survey[parts.front()].key)];
    for (const DrawId id : parts) {
      const Draw& draw = in_.survey[id];
      const ShapeSize& size = sizes_[to_index(draw.shape)];
      out_.parts.push_back(id);
      item.box.include(draw.box);
      item.triangles += draw.triangles;
      item.vertices += size.vertices;
      item.bytes_merged += size.bytes;
      item.bytes_alone += parts.size() > 1 ? size.bytes : size.bytes / size.uses;
    }
    out_.items.push_back(item);
    return static_cast<std::uint32_t>(out_.items.size() - 1);
  }

  // ---- assemblies ----------------------------------------------------------------------------

  /// The parts of each key become one item an occurrence.
  void add_assembly(const Assembly& assembly, std::vector<bool>& taken) {
    std::map<std::uint32_t, std::vector<std::size_t>> units;
    const auto prototype = assembly.parts_of(0);
    for (std::size_t p = 0; p < prototype.size(); ++p) {
      units[in_.keys.share[to_index(in_.survey[prototype[p]].key)]].push_back(p);
    }
    for (const auto& [share, unit] : units) {
      if (unit.size() < 2 || !merges_inside(assembly, unit)) {
        continue;
      }
      // Repeats by the side that faces out: a mirrored occurrence can't be in one set with others.
      std::array<std::uint32_t, 2> repeats{no_index, no_index};
      for (std::size_t o = 0; o < assembly.roots.size(); ++o) {
        std::vector<DrawId> parts;
        for (const std::size_t p : unit) {
          parts.push_back(assembly.parts_of(o)[p]);
          taken[to_index(parts.back())] = true;
        }
        place_unit(add_item(parts), share, assembly, unit, repeats);
      }
    }
  }

  /// Within each occurrence the parts have one merge key, and they are few enough vertices.
  [[nodiscard]] bool merges_inside(const Assembly& assembly,
                                   const std::vector<std::size_t>& unit) const {
    for (std::size_t o = 0; o < assembly.roots.size(); ++o) {
      const auto parts = assembly.parts_of(o);
      const auto key = [&](std::size_t p) {
        return in_.keys.merge[to_index(in_.survey[parts[p]].key)];
      };
      std::uint64_t vertices = 0;
      for (const std::size_t p : unit) {
        vertices += sizes_[to_index(in_.survey[parts[p]].shape)].vertices;
        if (key(p) != key(unit.front())) {
          return false;
        }
      }
      if (vertices > in_.settings.max_vertices) {
        return false;
      }
    }
    return true;
  }

  void place_unit(std::uint32_t index,
                  std::uint32_t share,
                  const Assembly& assembly,
                  const std::vector<std::size_t>& unit,
                  std::array<std::uint32_t, 2>& repeats) {
    Item& item = out_.items[index];
    const DrawId first = out_.parts[item.first_part];
    const DrawId prototype = assembly.parts_of(0)[unit.front()];
    const Mat4d& prototype_world = in_.world[to_index(in_.survey[prototype].node)];
    const Mat4d& root = in_.world[to_index(assembly.roots.front())];
    const Mat4d axes = make_product(make_inverse(prototype_world), root);
    Fit fit;
    if (member_of(first).fit.matrix != member_of(prototype).fit.matrix) {
      fit.matrix =
          make_product(member_of(first).fit.matrix, make_inverse(member_of(prototype).fit.matrix));
    }
    for (const std::size_t p : unit) {
      fit.residual = std::max(fit.residual, member_of(assembly.parts_of(0)[p]).fit.residual);
    }
    const Mat4d placed =
        make_product(make_product(in_.world[to_index(in_.survey[first].node)], fit.matrix), axes);
    Box3d box;
    for (const std::size_t p : unit) {
      box.include(in_.survey[assembly.parts_of(0)[p]].box);
    }
    const Box3d own = make_transformed_box(make_inverse(root), box);
    if (!make_instance_trs(placed, own, allowed(item))) {
      return;
    }
    std::uint32_t& repeat = repeats[linear_determinant(placed) < 0 ? 1 : 0];
    if (repeat == no_index) {
      Repeat made;
      for (const std::size_t p : unit) {
        made.prototype.push_back(assembly.parts_of(0)[p]);
      }
      made.axes = axes;
      repeat =
          add_repeat(std::move(made), share, linear_determinant(placed) < 0, item.bytes_merged);
    }
    join(item, repeat, fit);
  }

  // ---- families ------------------------------------------------------------------------------

  [[nodiscard]] double allowed(const Item& item) const {
    return triple_share * in_.settings.families.tolerance * find_diagonal(item.box);
  }

  /// Items of one family and share key become repeats, by axes and by the side that faces out.
  void find_repeats(ShapeId prototype, std::uint32_t share, std::vector<std::uint32_t> items) {
    const Shape& shape = in_.survey[prototype];
    const DrawId prototype_draw = find_first_draw(prototype);
    std::vector<Eigen::Matrix3d> candidates{Eigen::Matrix3d::Identity()};
    for (int round = 0; round < max_axes && items.size() > 1; ++round) {
      const auto holds = [&](const Eigen::Matrix3d& axes, std::uint32_t i) {
        const Item& item = out_.items[i];
        const Box3d box =
            make_transformed_box(from_eigen(make_affine(axes.transpose())), shape.box);
        return make_instance_trs(make_placed(item, axes), box, allowed(item)).has_value();
      };
      const auto count = [&](const Eigen::Matrix3d& axes) {
        return std::count_if(items.begin(), items.end(),
                             [&](std::uint32_t i) { return holds(axes, i); });
      };
      // Axes along which the first that does not fit is stretched may suit the others too.
      Eigen::Matrix3d axes = candidates.front();
      const auto misfit = std::find_if_not(items.begin(), items.end(),
                                           [&](std::uint32_t i) { return holds(axes, i); });
      if (misfit != items.end()) {
        const Mat4d placed = make_placed(out_.items[*misfit], Eigen::Matrix3d::Identity());
        const Eigen::Matrix3d linear = as_eigen(placed).topLeftCorner<3, 3>();
        const Eigen::JacobiSVD<Eigen::Matrix3d> svd(linear, Eigen::ComputeFullV);
        Eigen::Matrix3d stretched = svd.matrixV();
        stretched.col(2) *= stretched.determinant() < 0 ? -1 : 1;
        axes = count(stretched) > count(axes) ? stretched : axes;
      }
      std::vector<std::uint32_t> rest;
      std::array<std::uint32_t, 2> repeats{no_index, no_index};
      for (const std::uint32_t i : items) {
        if (!holds(axes, i)) {
          rest.push_back(i);
          continue;
        }
        Item& item = out_.items[i];
        const bool mirrored = linear_determinant(make_placed(item, axes)) < 0;
        std::uint32_t& repeat = repeats[mirrored ? 1 : 0];
        if (repeat == no_index) {
          Repeat made;
          made.prototype = {prototype_draw};
          made.axes = from_eigen(make_affine(axes));
          repeat = add_repeat(std::move(made), share, mirrored, sizes_[to_index(prototype)].bytes);
        }
        join(item, repeat, member_of(out_.parts[item.first_part]).fit);
      }
      items = std::move(rest);
      if (repeats[0] == no_index && repeats[1] == no_index) {
        return;
      }
    }
  }

  [[nodiscard]] Mat4d make_placed(const Item& item, const Eigen::Matrix3d& axes) const {
    const Mat4d placement = make_placement(in_, out_.parts[item.first_part]);
    return axes.isIdentity(0) ? placement : make_product(placement, from_eigen(make_affine(axes)));
  }

  static Eigen::Matrix4d make_affine(const Eigen::Matrix3d& linear) {
    Eigen::Matrix4d out = Eigen::Matrix4d::Identity();
    out.topLeftCorner<3, 3>() = linear;
    return out;
  }

  /// The draw that shows a shape first; any scene order gives the same one.
  DrawId find_first_draw(ShapeId shape) {
    if (first_draws_.empty()) {
      first_draws_.assign(in_.survey.shapes.size(), no_draw);
      for (std::size_t d = in_.survey.draws.size(); d-- > 0;) {
        first_draws_[to_index(in_.survey.draws[d].shape)] = make_id<DrawId>(d);
      }
    }
    return first_draws_[to_index(shape)];
  }

  // ---- repeats -------------------------------------------------------------------------------

  std::uint32_t add_repeat(Repeat repeat, std::uint32_t share, bool mirrored, double bytes) {
    repeat.share = share;
    repeat.mirrored = mirrored;
    repeat.bytes = bytes;
    out_.repeats.push_back(std::move(repeat));
    return static_cast<std::uint32_t>(out_.repeats.size() - 1);
  }

  void join(Item& item, std::uint32_t repeat, const Fit& fit) {
    item.repeat = repeat;
    ++out_.repeats[repeat].items;
    if (fit.matrix != identity_matrix || fit.residual > 0) {
      item.fit = static_cast<std::uint32_t>(out_.fits.size());
      out_.fits.push_back(fit);
    }
  }

  /// A repeat of one is none.
  void drop_small_repeats() {
    for (Item& item : out_.items) {
      if (item.repeat != no_index &&
          out_.repeats[item.repeat].items < std::max(2U, in_.settings.min_instances)) {
        item.repeat = no_index;
      }
    }
  }

  const AssemblyInput& in_;
  const std::vector<ShapeSize>& sizes_;
  std::vector<DrawId> first_draws_;  ///< by shape
  Items out_;
};

}  // namespace

std::optional<Trs> make_instance_trs(const Mat4d& world, const Box3d& box, double allowed_m) {
  Trs trs;
  if (decompose(world, trs) == Decomposed::exact) {
    return trs;
  }
  const Eigen::Matrix3d linear = as_eigen(world).topLeftCorner<3, 3>();
  const Eigen::Matrix3d near = make_scaled_rotation(linear);
  // What is lost is linear in the place, so the corners of the box have the most of it.
  double worst = 0;
  for (unsigned corner = 0; corner < 8; ++corner) {
    Eigen::Vector3d at;
    for (unsigned c = 0; c < 3; ++c) {
      at[c] = (corner >> c & 1U) != 0 ? box.max[c] : box.min[c];
    }
    worst = std::max(worst, ((linear - near) * at).norm());
  }
  Mat4d nearest = world;
  for (int column = 0; column < 3; ++column) {
    for (int row = 0; row < 3; ++row) {
      nearest[static_cast<std::size_t>(4 * column + row)] = near(row, column);
    }
  }
  return worst <= allowed_m && decompose(nearest, trs) == Decomposed::exact ? std::optional(trs)
                                                                            : std::nullopt;
}

std::vector<ShapeSize> make_shape_sizes(const Scene& scene, const Survey& survey) {
  std::vector<ShapeSize> out(survey.shapes.size());
  for (std::size_t s = 0; s < out.size(); ++s) {
    const Shape& shape = survey.shapes[s];
    const Primitive& primitive = scene[shape.mesh].primitives[shape.primitive];
    const std::uint64_t corners = count_list_indices(scene, primitive);
    const bool unwelds =
        shape.topology == Topology::triangles && primitive.find("NORMAL") == no_stream;
    out[s].vertices = unwelds ? corners : std::min(corners, shape.vertices);
    std::uint64_t stride = 0;
    for (const Attribute& attribute : primitive.attributes) {
      const Stream& stream = scene[attribute.stream];
      stride += element_bytes(stream.component, stream.element);
    }
    out[s].bytes = static_cast<double>(std::min(corners, shape.vertices) * stride + corners * 2);
  }
  for (const Draw& draw : survey.draws) {
    ++out[to_index(draw.shape)].uses;
  }
  return out;
}

Items make_items(const Scene& scene,
                 const Survey& survey,
                 const PlanKeys& keys,
                 const Families& families,
                 const std::vector<Mat4d>& world,
                 const std::vector<DrawId>& draws,
                 const ProposeSettings& settings,
                 const CostProfile& profile) {
  const std::vector<ShapeSize> sizes = make_shape_sizes(scene, survey);
  std::vector<double> bytes(survey.draws.size());
  std::transform(survey.draws.begin(), survey.draws.end(), bytes.begin(),
                 [&](const Draw& draw) { return sizes[to_index(draw.shape)].bytes; });
  const AssemblyInput input{scene, survey, keys, families, world, draws, settings, profile, bytes};
  return ItemMaker(input, sizes).make();
}

}  // namespace wakuzume
