// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include "plan/items.h"

#include <tbb/parallel_sort.h>

#include <Eigen/SVD>
#include <algorithm>
#include <map>
#include <set>

#include "plan/assemblies.h"
#include "plan/blends.h"
#include "scene/matrix.h"
#include "scene/running.h"
#include "survey/draws.h"

namespace wakuzume {
namespace {

/// Families whose members are stretched along axes that are not the prototype's get axes of their
/// own; more than so many are not tried.
constexpr int max_axes = 4;

Mat4d make_inverse(const Mat4d& matrix) { return from_eigen(as_eigen(matrix).inverse()); }

class ItemMaker {
 public:
  explicit ItemMaker(const ItemInput& input) : in_(input) {}

  Items make(const RunControl& run) {
    std::vector<bool> taken(in_.survey.draws.size(), false);
    // An assembly's parts are merged inside.
    const Repeats rule = in_.settings.repeats;
    if (rule == Repeats::by_cost || rule == Repeats::instance) {
      for (const Assembly& assembly : find_assemblies(in_)) {
        add_assembly(assembly, taken);
      }
    }
    std::vector<std::pair<std::uint64_t, std::uint32_t>> rows;  // family and share key, item
    for (const DrawId id : in_.draws) {
      if (!taken[to_index(id)]) {
        const std::uint64_t share = in_.keys.share[to_index(in_.survey[id].key)];
        const std::uint32_t item = add_item({&id, 1});
        if (!in_.itself[to_index(id)]) {
          rows.emplace_back(std::uint64_t{member_of(id).family} << 32U | share, item);
        }
      }
    }
    if (in_.settings.repeats != Repeats::merge) {
      in_arena(run, [&] { tbb::parallel_sort(rows.begin(), rows.end()); });
      find_all_repeats(rows, run);
    }
    find_blend_parts(in_, {run.threads, nullptr}, out_);
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
    item.shape =
        parts.size() > 1 ? no_index : static_cast<std::uint32_t>(in_.survey[parts.front()].shape);
    for (const DrawId id : parts) {
      const Draw& draw = in_.survey[id];
      const ShapeSize& size = in_.sizes[to_index(draw.shape)];
      out_.parts.push_back(id);
      item.box.include(draw.box);
      item.triangles += draw.triangles;
      const std::uint32_t sides = count_sides(in_.scene, draw, in_.settings);
      item.vertices += sides * size.vertices;
      item.bytes_merged += sides * size.bytes;
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
      // Merged in one order, blended parts would have to have that in all occurrences.
      const bool ordered =
          in_.survey[prototype[unit.front()]].blended && in_.settings.blended == Blended::proved;
      if (ordered || unit.size() < 2 || !merges_inside(assembly, unit)) {
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
        place_unit(add_item(parts), assembly, unit, repeats);
      }
    }
  }

  /// Within each occurrence the parts have one merge key, are few enough vertices and lie near
  /// enough to be one group.
  [[nodiscard]] bool merges_inside(const Assembly& assembly,
                                   const std::vector<std::size_t>& unit) const {
    for (std::size_t o = 0; o < assembly.roots.size(); ++o) {
      const auto parts = assembly.parts_of(o);
      const auto key = [&](std::size_t p) {
        return in_.keys.merge[to_index(in_.survey[parts[p]].key)];
      };
      // An instance has one place on its lightmap page.
      const auto place = [&](std::size_t p) {
        return in_.survey.lightmap_places[in_.survey[parts[p]].lightmap_place];
      };
      std::uint64_t vertices = 0;
      Box3d box;
      for (const std::size_t p : unit) {
        box.include(in_.survey[parts[p]].box);
        vertices += in_.sizes[to_index(in_.survey[parts[p]].shape)].vertices;
        if (key(p) != key(unit.front()) || place(p) != place(unit.front())) {
          return false;
        }
      }
      const double extent = in_.settings.max_extent_m;
      if (vertices > in_.settings.max_vertices || (extent > 0 && box.largest_extent() > extent)) {
        return false;
      }
    }
    return true;
  }

  void place_unit(std::uint32_t index,
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
    const auto parts = out_.parts_of(item);
    const bool itself = std::any_of(parts.begin(), parts.end(),
                                    [&](DrawId id) { return in_.itself[to_index(id)]; });
    if (itself || !make_instance_trs(below_root(item, placed), own, allowed(item))) {
      return;
    }
    std::uint32_t& repeat = repeats[linear_determinant(placed) < 0 ? 1 : 0];
    if (repeat == no_index) {
      Repeat made;
      for (const std::size_t p : unit) {
        made.prototype.push_back(assembly.parts_of(0)[p]);
      }
      made.axes = axes;
      repeat = add_repeat(std::move(made), linear_determinant(placed) < 0, item.bytes_merged);
    }
    join(item, repeat, fit);
  }

  // ---- families ------------------------------------------------------------------------------

  /// Instances stand below what moves them: there a triple has to hold them.
  [[nodiscard]] NodeId root_of(const Item& item) const {
    return in_.survey[in_.survey[out_.parts[item.first_part]].key].moving_root;
  }
  [[nodiscard]] Mat4d below_root(const Item& item, const Mat4d& world) const {
    const NodeId root = root_of(item);
    return root == no_node ? world : make_product(make_inverse(in_.world[to_index(root)]), world);
  }

  /// In the metres of the space the instance stands in.
  [[nodiscard]] double allowed(const Item& item) const {
    const NodeId root = root_of(item);
    const double scale =
        root == no_node
            ? 1
            : as_eigen(in_.world[to_index(root)]).topLeftCorner<3, 3>().colwise().norm().maxCoeff();
    return triple_share * in_.settings.families.tolerance * find_diagonal(item.box) / scale;
  }

  /// What is found of a family before it gets a number.
  struct Found {
    ShapeId prototype{};
    Eigen::Matrix3d axes;
    bool mirrored = false;
    std::vector<std::uint32_t> items;
  };

  /// \param rows  ascending
  void find_all_repeats(const std::vector<std::pair<std::uint64_t, std::uint32_t>>& rows,
                        const RunControl& run) {
    std::vector<std::size_t> begins;
    for (std::size_t r = 0; r < rows.size(); ++r) {
      if (r == 0 || rows[r].first != rows[r - 1].first) {
        begins.push_back(r);
      }
    }
    std::vector<std::vector<Found>> found(begins.size());
    for_each_index(begins.size(), {run.threads, nullptr}, "", [&](std::size_t f) {
      const std::size_t end = f + 1 < begins.size() ? begins[f + 1] : rows.size();
      std::vector<std::uint32_t> items;
      for (std::size_t r = begins[f]; r < end; ++r) {
        items.push_back(rows[r].second);
      }
      found[f] = find_repeats(in_.families.prototypes[rows[begins[f]].first >> 32U], items);
    });
    for (const auto& of_family : found) {
      for (const Found& one : of_family) {
        add_found(one);
      }
    }
  }

  /// Items of one family and share key become repeats, by axes and by the side that faces out.
  [[nodiscard]] std::vector<Found> find_repeats(ShapeId prototype,
                                                std::vector<std::uint32_t> items) const {
    std::vector<Found> out;
    for (int round = 0; round < max_axes && items.size() > 1; ++round) {
      Eigen::Matrix3d axes = Eigen::Matrix3d::Identity();
      std::vector<std::uint32_t> held = list_held(prototype, items, axes);
      if (held.size() < items.size()) {
        // Axes along which the first that does not fit is stretched may suit the others too.
        const Eigen::Matrix3d stretched = find_axes(find_misfit(items, held));
        std::vector<std::uint32_t> other = list_held(prototype, items, stretched);
        if (other.size() > held.size()) {
          axes = stretched;
          held = std::move(other);
        }
      }
      if (held.empty()) {
        break;
      }
      split_mirrored({prototype, axes, false, held}, out);
      std::vector<std::uint32_t> rest;
      std::set_difference(items.begin(), items.end(), held.begin(), held.end(),
                          std::back_inserter(rest));
      items = std::move(rest);
    }
    return out;
  }

  /// Of the items, ascending, those that an instance could hold with the prototype stored along
  /// these axes.
  [[nodiscard]] std::vector<std::uint32_t> list_held(ShapeId prototype,
                                                     const std::vector<std::uint32_t>& items,
                                                     const Eigen::Matrix3d& axes) const {
    const Box3d box =
        make_transformed_box(from_eigen(make_affine(axes.transpose())), in_.survey[prototype].box);
    std::vector<std::uint32_t> held;
    std::copy_if(items.begin(), items.end(), std::back_inserter(held), [&](std::uint32_t i) {
      const Item& item = out_.items[i];
      return make_instance_trs(below_root(item, make_placed(item, axes)), box, allowed(item))
          .has_value();
    });
    return held;
  }

  /// The first item that is not held. \pre there is one; both lists ascend
  [[nodiscard]] const Item& find_misfit(const std::vector<std::uint32_t>& items,
                                        const std::vector<std::uint32_t>& held) const {
    const auto [at, other] = std::mismatch(items.begin(), items.end(), held.begin(), held.end());
    return out_.items[*at];
  }

  /// The axes along which an item's prototype is stretched.
  [[nodiscard]] Eigen::Matrix3d find_axes(const Item& item) const {
    const Mat4d placed = make_placed(item, Eigen::Matrix3d::Identity());
    const Eigen::Matrix3d linear = as_eigen(placed).topLeftCorner<3, 3>();
    const Eigen::JacobiSVD<Eigen::Matrix3d> svd(linear, Eigen::ComputeFullV);
    Eigen::Matrix3d axes = svd.matrixV();
    axes.col(2) *= axes.determinant() < 0 ? -1 : 1;
    return axes;
  }

  void split_mirrored(const Found& held, std::vector<Found>& out) const {
    Found sides[2] = {held, held};
    sides[0].items.clear();
    sides[1].items.clear();
    sides[1].mirrored = true;
    for (const std::uint32_t i : held.items) {
      const bool mirrored = linear_determinant(make_placed(out_.items[i], held.axes)) < 0;
      sides[mirrored ? 1 : 0].items.push_back(i);
    }
    for (Found& side : sides) {
      if (!side.items.empty()) {
        out.push_back(std::move(side));
      }
    }
  }

  void add_found(const Found& found) {
    const ShapeSize& size = in_.sizes[to_index(found.prototype)];
    Repeat made;
    made.prototype = {size.first};
    made.axes = from_eigen(make_affine(found.axes));
    const std::uint32_t repeat = add_repeat(std::move(made), found.mirrored, size.bytes);
    for (const std::uint32_t i : found.items) {
      Item& item = out_.items[i];
      join(item, repeat, member_of(out_.parts[item.first_part]).fit);
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

  // ---- repeats -------------------------------------------------------------------------------

  std::uint32_t add_repeat(Repeat repeat, bool mirrored, double bytes) {
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

  const ItemInput& in_;
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
      nearest[4 * static_cast<std::size_t>(column) + static_cast<std::size_t>(row)] =
          near(row, column);
    }
  }
  return worst <= allowed_m && decompose(nearest, trs) == Decomposed::exact ? std::optional(trs)
                                                                            : std::nullopt;
}

std::vector<ShapeSize> make_shape_sizes(const Scene& scene, const Survey& survey) {
  std::vector<ShapeSize> out(survey.shapes.size());
  // A part that is given tangents, for its normal texture or beside one that has them, may need a
  // vertex a corner.
  std::set<MaterialId> with_tangents;
  for (const Shape& shape : survey.shapes) {
    const bool bumpy =
        shape.material != no_material && scene[shape.material].normal_texture.texture != no_texture;
    if (bumpy || has_tangents(primitive_of(scene, shape))) {
      with_tangents.insert(shape.material);
    }
  }
  for (std::size_t s = 0; s < out.size(); ++s) {
    const Shape& shape = survey.shapes[s];
    const Primitive& primitive = primitive_of(scene, shape);
    const std::uint64_t corners = count_list_indices(scene, primitive);
    const bool unwelds = shape.topology == Topology::triangles &&
                         (primitive.find("NORMAL") == no_stream ||
                          (!has_tangents(primitive) && with_tangents.contains(shape.material)));
    out[s].vertices = unwelds ? corners : std::min(corners, shape.vertices);
    std::uint64_t stride = 0;
    for (const Attribute& attribute : primitive.attributes) {
      const Stream& stream = scene[attribute.stream];
      stride += element_bytes(stream.component, stream.element);
    }
    out[s].bytes = static_cast<double>(std::min(corners, shape.vertices) * stride + corners * 2);
  }
  for (std::size_t d = 0; d < survey.draws.size(); ++d) {
    ShapeSize& size = out[to_index(survey.draws[d].shape)];
    size.first = size.uses++ == 0 ? make_id<DrawId>(d) : size.first;
  }
  return out;
}

Mat4d make_placement(const ItemInput& input, DrawId draw) {
  const Draw& row = input.survey[draw];
  const FamilyMember& member = input.families.members[to_index(row.shape)];
  const Mat4d& world = input.world[to_index(row.node)];
  return member.likeness == Likeness::shape ? make_product(world, member.fit.matrix) : world;
}

Items make_items(const ItemInput& input, const RunControl& run) {
  return ItemMaker(input).make(run);
}

}  // namespace wakuzume
