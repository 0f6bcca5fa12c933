// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include "survey/draw_columns.h"

#include <fmt/format.h>

#include <algorithm>
#include <iterator>
#include <vector>

#include "survey/rules.h"

namespace wakuzume {

std::string column_name(const Scene& scene, MaterialId id) {
  if (id == no_material) {
    return "(default)";
  }
  const std::string& name = scene[id].name;
  return name.empty() ? fmt::format("#{}", to_index(id)) : name;
}

std::string column_name(const Scene& scene, MeshId id) {
  const std::string& name = scene[id].name;
  return name.empty() ? fmt::format("#{}", to_index(id)) : name;
}

std::string describe_levels(const Scene& scene, const MergeKey& key) {
  std::vector<std::string> names;
  for (const LevelId id : key.levels) {
    const std::string& name = scene.levels[to_index(id)].name;
    names.push_back(name.empty() ? fmt::format("scene {}", to_index(id)) : name);
  }
  std::string text = fmt::format("{}", fmt::join(names, "+"));
  return key.level.empty() ? text : text + (text.empty() ? "" : "/") + key.level;
}

namespace {

double as_number(std::uint64_t value) { return static_cast<double>(value); }

const Draw& draw_of(const DrawRow& row) { return row.survey.draws[row.index]; }
const Shape& shape_of(const DrawRow& row) { return row.survey[draw_of(row).shape]; }
const MergeKey& key_of(const DrawRow& row) { return row.survey[draw_of(row).key]; }

std::string list_uvs(const Shape& shape) {
  std::string out;
  for (const UvRange& uv : shape.uvs) {
    out += fmt::format("{}{}: {:.4g}..{:.4g} x {:.4g}..{:.4g}", out.empty() ? "" : "; ", uv.set,
                       uv.min[0], uv.max[0], uv.min[1], uv.max[1]);
  }
  return out;
}

/// Of the set that repeats most.
double count_tiles(const Shape& shape) {
  double tiles = 0;
  for (const UvRange& uv : shape.uvs) {
    tiles = std::max(tiles, uv.count_tiles());
  }
  return tiles;
}

/// The value alone where nobody said what it is.
std::string list_tags(const MergeKey& key) {
  const bool plain = key.tags.size() == 1 && key.tags.front().word == key.tags.front().key;
  return plain ? key.tags.front().value : to_string(key.tags);
}

std::string describe_root(const DrawRow& row) {
  const NodeId root = key_of(row).moving_root;
  return root == no_node ? "" : make_node_path(row.scene, root);
}

std::string describe_cause(const DrawRow& row) {
  const std::uint32_t cause = draw_of(row).cause;
  if (cause == no_index) {
    return "";
  }
  const Cause& found = row.survey.causes[cause];
  return found.at == draw_of(row).node
             ? found.why
             : fmt::format("{}: {}", make_node_path(row.scene, found.at), found.why);
}

struct DrawField {
  Column column;
  Cell (*make)(const DrawRow& row);
};
const DrawField draw_fields[] = {
    {{"draw", true}, [](const DrawRow& r) -> Cell { return as_number(r.index); }},
    {{"node"}, [](const DrawRow& r) -> Cell { return make_node_path(r.scene, draw_of(r).node); }},
    {{"material"},
     [](const DrawRow& r) -> Cell { return column_name(r.scene, draw_of(r).material); }},
    {{"rule"},
     [](const DrawRow& r) -> Cell {
       return draw_of(r).stay == StayRule::none ? "" : std::string(to_string(draw_of(r).stay));
     }},
    {{"key", true}, [](const DrawRow& r) -> Cell { return as_number(to_index(draw_of(r).key)); }},
    {{"family", true},
     [](const DrawRow& r) -> Cell { return as_number(to_index(shape_of(r).family)); }},
    {{"triangles", true}, [](const DrawRow& r) -> Cell { return as_number(draw_of(r).triangles); }},
    {{"vertices", true}, [](const DrawRow& r) -> Cell { return as_number(draw_of(r).vertices); }},
    {{"mesh"}, [](const DrawRow& r) -> Cell { return column_name(r.scene, draw_of(r).mesh); }},
    {{"primitive", true}, [](const DrawRow& r) -> Cell { return as_number(draw_of(r).primitive); }},
    {{"instances", true}, [](const DrawRow& r) -> Cell { return as_number(draw_of(r).instances); }},
    {{"bytes", true}, [](const DrawRow& r) -> Cell { return as_number(shape_of(r).bytes); }},
    {{"size_m", true}, [](const DrawRow& r) -> Cell { return draw_of(r).box.largest_extent(); }},
    {{"uv_ranges"}, [](const DrawRow& r) -> Cell { return list_uvs(shape_of(r)); }},
    {{"uv_tiles", true}, [](const DrawRow& r) -> Cell { return count_tiles(shape_of(r)); }},
    {{"lightmap"}, [](const DrawRow& r) -> Cell { return key_of(r).lightmap; }},
    {{"moving_root"}, [](const DrawRow& r) -> Cell { return describe_root(r); }},
    {{"why"}, [](const DrawRow& r) -> Cell { return describe_cause(r); }},
    {{"level"}, [](const DrawRow& r) -> Cell { return describe_levels(r.scene, key_of(r)); }},
    {{"static"},
     [](const DrawRow& r) -> Cell { return key_of(r).moving_root == no_node ? "yes" : "no"; }},
    {{"tag"}, [](const DrawRow& r) -> Cell { return list_tags(key_of(r)); }},
    {{"alpha"},
     [](const DrawRow& r) -> Cell {
       constexpr const char* names[] = {"opaque", "mask", "blend"};
       return names[static_cast<std::size_t>(r.survey[shape_of(r).pipeline].alpha_mode)];
     }},
    {{"mirrored"}, [](const DrawRow& r) -> Cell { return draw_of(r).mirrored ? "yes" : "no"; }},
};

}  // namespace

std::span<const Column> list_wish_columns() {
  static const std::vector<Column> columns = [] {
    std::vector<Column> out;
    std::transform(std::begin(draw_fields), std::end(draw_fields), std::back_inserter(out),
                   [](const DrawField& field) { return field.column; });
    return out;
  }();
  return columns;
}

Cell make_draw_cell(const DrawRow& row, std::size_t column) {
  return draw_fields[column].make(row);
}

std::string find_extra_above(const Scene& scene, NodeId node, const std::string& key) {
  std::string found;
  for (; node != no_node && found.empty(); node = scene[node].parent) {
    found = find_extra(scene[node].extra, key);
  }
  return found;
}

std::string find_json_above(const Scene& scene, NodeId node, const std::string& key) {
  while (node != no_node && find_extra(scene[node].extra, key).empty()) {
    node = scene[node].parent;
  }
  return node == no_node ? "" : find_member_json(scene[node].extra->extras, key);
}

}  // namespace wakuzume
