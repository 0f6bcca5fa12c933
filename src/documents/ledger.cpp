// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include <fmt/format.h>

#include <algorithm>

#include "documents/document.h"
#include "documents/lightmaps.h"
#include "documents/read_setting.h"
#include "documents/reduction.h"
#include "documents/routes.h"
#include "documents/wishes.h"
#include "json/out.h"
#include "settings/fields.h"
#include "wakuzume/io.h"

namespace wakuzume {
namespace {

constexpr const char* ledger_format = "wakuzume-ledger";
constexpr std::uint32_t ledger_version = 15;

template <class AnyCopy, class Visit>
void for_each_size(AnyCopy& copy, const Visit& visit) {
  visit("meshes", copy.meshes);
  visit("materials", copy.materials);
  visit("streams", copy.streams);
  visit("views", copy.views);
  visit("blocks", copy.blocks);
  visit("levels", copy.levels);
  visit("extensions_used", copy.extensions_used);
  visit("extensions_required", copy.extensions_required);
  visit("skins", copy.skins);
}

void write_split(ReadableJsonOut& out, const SplitSettings& split) {
  JsonOut line;
  line.begin_object();
  line.member("nodes", split.nodes);
  line.member("by", to_text(split.by));
  line.member("cell_size_m", split.cell_size_m);
  line.end_object();
  out.key("split");
  out.line(line);
  write_answers(out, "split_answers", split.answers);
}

template <class AnyFamilies, class Visit>
void for_each_tolerance(AnyFamilies& families, const Visit& visit) {
  visit("tolerance", families.tolerance);
  visit("attribute_tolerance", families.attribute_tolerance);
  visit("direction_tolerance", families.direction_tolerance);
  visit("ignored_attributes", families.ignored_attributes);
}

void write_families(ReadableJsonOut& out, const FamilySettings& families) {
  JsonOut line;
  line.begin_object();
  for_each_tolerance(families,
                     [&](const char* name, const auto& value) { line.member(name, value); });
  line.end_object();
  out.key("families");
  out.line(line);
}

/// \param each  calls a visitor for each setting
template <class Each>
void write_settings(ReadableJsonOut& out, const char* key, const Each& each) {
  JsonOut line;
  line.begin_object();
  each([&](const char*, const char* name, const auto& value, const Meaning&) {
    if constexpr (std::is_enum_v<std::remove_cvref_t<decltype(value)>>) {
      line.member(name, to_text(value));
    } else {
      line.member(name, value);
    }
  });
  line.end_object();
  out.key(key);
  out.line(line);
}

void write_taken_back(ReadableJsonOut& out, const Ledger& ledger) {
  out.begin_array("taken_back");
  for (const TakenBack& taken : ledger.taken_back) {
    JsonOut line;
    line.begin_object();
    line.member("node", taken.draw.node);
    line.member("primitive", taken.draw.primitive);
    line.member("from", to_string(taken.from));
    line.member("why", taken.why);
    line.end_object();
    out.line(line);
  }
  out.end_array();
}

/// -1 stands for one that is not there.
template <class List>
void write_places(ReadableJsonOut& out, const List& ids) {
  JsonOut line;
  line.begin_array();
  for (const auto id : ids) {
    line.value(to_index(id) == no_index ? -1.0 : static_cast<double>(to_index(id)));
  }
  line.end_array();
  out.line(line);
}

void write_copy(ReadableJsonOut& out, const SourceCopy& copy) {
  out.begin_object("source_copy");
  out.member("first_node", copy.first_node);
  for_each_size(copy, [&](const char* name, std::uint32_t size) { out.member(name, size); });
  out.key("node_there");
  write_places(out, copy.node_there);
  for (const auto& [name, list] :
       {std::pair("lost_skins", &copy.lost_skins), std::pair("tracks", &copy.tracks)}) {
    if (!list->empty()) {
      JsonOut line;
      line.begin_array();
      for (const std::uint32_t number : *list) {
        line.value(number);
      }
      line.end_array();
      out.key(name);
      out.line(line);
    }
  }
  out.end_object();
}

/// Numbers as runs of those that follow each other: the first and how many, in turn.
std::vector<std::uint32_t> make_runs(const std::vector<std::uint32_t>& numbers) {
  std::vector<std::uint32_t> out;
  for (std::size_t n = 0; n < numbers.size(); ++n) {
    if (n > 0 && numbers[n] == numbers[n - 1] + 1) {
      ++out.back();
    } else {
      out.push_back(numbers[n]);
      out.push_back(1);
    }
  }
  return out;
}

void write_results(ReadableJsonOut& out, const Ledger& ledger) {
  out.begin_array("results");
  for (const LedgerResult& result : ledger.results) {
    JsonOut line;
    line.begin_object();
    line.member("group", result.group);
    line.member("node", result.node);
    line.member("primitive", result.primitive);
    if (result.below != no_node) {
      line.member("below", result.below);
    }
    if (result.shown.node != no_node) {
      line.member("shown_node", result.shown.node);
      line.member("shown_primitive", result.shown.primitive);
    }
    if (result.collider != no_node) {
      line.member("collider", result.collider);
      line.member("collider_shape", to_string(result.collider_shape));
    }
    if (result.first_instance != no_node) {
      line.member("first_instance", result.first_instance);
      line.member("instances", result.instances);
    }
    if (result.has_backs) {
      line.member("has_backs", true);
    }
    if (result.in_shading_order) {
      line.member("in_shading_order", true);
    }
    if (!result.order.empty()) {
      line.member("order", make_runs(result.order));
    }
    if (!result.joints.empty()) {
      line.member("joints", result.joints);
    }
    if (!result.targets.empty()) {
      line.begin_array("targets");
      for (const CarriedTargets& carried : result.targets) {
        line.begin_object();
        line.member("node", carried.draw.node);
        line.member("primitive", carried.draw.primitive);
        line.member("numbers", carried.number);
        line.end_object();
      }
      line.end_array();
    }
    line.end_object();
    out.line(line);
  }
  out.end_array();
}

/// Where a draw's data begins and ends in its result.
using Range = std::array<std::uint64_t, 4>;

Range find_range(const LedgerRow& row) {
  return {row.first_index, row.index_count, row.first_vertex, row.vertex_count};
}

void write_rows(ReadableJsonOut& out, const Ledger& ledger) {
  out.begin_array("rows");
  for (const LedgerRow& row : ledger.rows) {
    if (row.fate == Fate::instanced) {
      continue;
    }
    JsonOut line;
    line.begin_array();
    line.value(row.source.node);
    line.value(row.source.primitive);
    line.value(to_string(row.fate));
    line.value(row.node);
    line.value(row.primitive);
    line.value(row.instance);
    for (const std::uint64_t number : find_range(row)) {
      line.value(number);
    }
    line.end_array();
    out.line(line);
  }
  out.end_array();
}

/// Of these a scene can have hundreds of thousands, and few ranges.
void write_instances(ReadableJsonOut& out, const Ledger& ledger) {
  Numbering<Range> ranges;
  out.begin_array("instances");
  {
    PackedLines lines(out);
    for (const LedgerRow& row : ledger.rows) {
      if (row.fate != Fate::instanced) {
        continue;
      }
      JsonOut line;
      line.begin_array();
      line.value(row.source.node);
      line.value(row.source.primitive);
      line.value(row.node);
      line.value(row.primitive);
      line.value(row.instance);
      line.value(ranges.number(find_range(row)));
      line.end_array();
      lines.add(line);
    }
  }
  out.end_array();
  out.begin_array("ranges");
  {
    PackedLines lines(out);
    for (const Range& range : ranges.list()) {
      JsonOut line;
      line.value(range);
      lines.add(line);
    }
  }
  out.end_array();
}

class LedgerReader {
 public:
  Result<Ledger> read(const std::string& path) {
    auto ledger = read_document(path, ledger_format, in_, *this, ledger_version);
    if (!ledger) {
      return ledger;
    }
    if (auto added = add_instances(path, ledger->rows); !added) {
      return Failure(added.error());
    }
    return ledger;
  }

  bool member(std::string_view key, JsonValue value, const At& at, Ledger& ledger) {
    if (key == "source_path") {
      return in_.read(value, at, ledger.source_path);
    }
    if (key == "source_content") {
      return read_hash(in_, value, at, ledger.source_hash);
    }
    if (key == "result_content") {
      return read_hash(in_, value, at, ledger.result_hash);
    }
    if (key == "left_out") {
      return in_.read(value, at, ledger.left_out);
    }
    if (key == "split") {
      return read_split(value, at, ledger.split);
    }
    if (key == "split_answers") {
      return read_answers(in_, value, at, ledger.split.answers);
    }
    if (key == "families") {
      return read_families(value, at, ledger.families);
    }
    if (key == "instance_values") {
      return in_.read(value, at, ledger.instance_values);
    }
    if (key == "instance_form") {
      return read_setting_value(in_, value, at, ledger.instances);
    }
    if (key == "geometry") {
      return read_settings(value, at, ledger.geometry, [&](const auto& visit) {
        for_each_geometry_setting(ledger.geometry, visit);
      });
    }
    if (key == "gpu_pictures") {
      return read_settings(value, at, ledger.gpu_pictures, [&](const auto& visit) {
        for_each_gpu_picture_setting(ledger.gpu_pictures, visit);
      });
    }
    if (key == "lightmap_key") {
      return in_.read(value, at, ledger.lightmap_key);
    }
    if (key == "lightmap_transform_key") {
      return in_.read(value, at, ledger.lightmap_transform_key);
    }
    if (key == "lightmap_uv_set") {
      return in_.read(value, at, ledger.lightmap_uv_set);
    }
    if (key == "reduction") {
      return read_reduction(in_, value, at, ledger.reduction);
    }
    if (key == "lightmaps") {
      return read_lightmaps(in_, value, at, ledger.lightmaps);
    }
    if (key == "taken_back") {
      return in_.array(value, at, [&](JsonValue item, const At& a) {
        return read_taken_back(item, a, ledger.taken_back.emplace_back());
      });
    }
    if (key == "materials") {
      return read_routes(in_, value, at, ledger.routes);
    }
    if (key == "page_images") {
      return in_.array(value, at, [&](JsonValue item, const At& a) {
        return read_page_images(item, a, ledger.page_images.emplace_back());
      });
    }
    if (key == "material_from") {
      return read_places(value, at, ledger.material_from);
    }
    if (key == "source_copy") {
      return read_copy(value, at, ledger.source_copy);
    }
    if (key == "results") {
      return in_.array(value, at, [&](JsonValue item, const At& a) {
        return read_result(item, a, ledger.results.emplace_back());
      });
    }
    if (key == "columns" || key == "instance_columns") {
      std::vector<std::string> names;
      return in_.read(value, at, names);
    }
    if (key == "rows") {
      return in_.array(value, at, [&](JsonValue item, const At& a) {
        return read_row(item, a, ledger.rows.emplace_back());
      });
    }
    if (key == "instances") {
      return in_.array(value, at, [&](JsonValue item, const At& a) {
        return read_instance(item, a, instances_.emplace_back());
      });
    }
    if (key == "ranges") {
      return in_.array(value, at, [&](JsonValue item, const At& a) {
        Range& range = ranges_.emplace_back();
        return read_columns(in_, item, a, range[0], range[1], range[2], range[3]);
      });
    }
    return unknown_member(in_, at);
  }

 private:
  struct Instance {
    LedgerRow row;
    std::uint32_t range = 0;
  };

  Result<void> add_instances(const std::string& path, std::vector<LedgerRow>& rows) {
    for (std::size_t i = 0; i < instances_.size(); ++i) {
      const std::uint32_t range = instances_[i].range;
      if (range >= ranges_.size()) {
        return Failure(Error{ErrorCode::index_out_of_range,
                             fmt::format("range {} of {}", range, ranges_.size()),
                             {path, fmt::format("/instances/{}", i)}});
      }
      LedgerRow& row = rows.emplace_back(instances_[i].row);
      row.first_index = ranges_[range][0];
      row.index_count = ranges_[range][1];
      row.first_vertex = ranges_[range][2];
      row.vertex_count = ranges_[range][3];
    }
    std::stable_sort(rows.begin(), rows.end(),
                     [](const LedgerRow& a, const LedgerRow& b) { return a.source < b.source; });
    return {};
  }

  bool read_instance(JsonValue value, const At& at, Instance& out) {
    LedgerRow& row = out.row;
    row.fate = Fate::instanced;
    return read_columns(in_, value, at, row.source.node, row.source.primitive, row.node,
                        row.primitive, row.instance, out.range);
  }

  bool read_result(JsonValue value, const At& at, LedgerResult& result) {
    return in_.object(value, at, [&](std::string_view key, JsonValue item, const At& a) {
      if (key == "group") {
        return in_.read(item, a, result.group);
      }
      if (key == "node") {
        return in_.read(item, a, result.node);
      }
      if (key == "primitive") {
        return in_.read(item, a, result.primitive);
      }
      if (key == "collider") {
        return in_.read(item, a, result.collider);
      }
      if (key == "collider_shape") {
        return read_word(in_, item, a, result.collider_shape, collider_shape_count);
      }
      if (key == "below") {
        return in_.read(item, a, result.below);
      }
      if (key == "first_instance") {
        return in_.read(item, a, result.first_instance);
      }
      if (key == "instances") {
        return in_.read(item, a, result.instances);
      }
      if (key == "has_backs") {
        return in_.read(item, a, result.has_backs);
      }
      if (key == "in_shading_order") {
        return in_.read(item, a, result.in_shading_order);
      }
      if (key == "order") {
        return read_runs(item, a, result.order);
      }
      if (key == "joints") {
        return in_.read(item, a, result.joints);
      }
      if (key == "targets") {
        return in_.array(item, a, [&](JsonValue entry, const At& e) {
          return read_targets(entry, e, result.targets.emplace_back());
        });
      }
      if (key == "shown_node") {
        return in_.read(item, a, result.shown.node);
      }
      if (key == "shown_primitive") {
        return in_.read(item, a, result.shown.primitive);
      }
      return unknown_member(in_, a);
    });
  }

  bool read_targets(JsonValue value, const At& at, CarriedTargets& out) {
    return in_.object(value, at, [&](std::string_view key, JsonValue item, const At& a) {
      return key == "node"        ? in_.read(item, a, out.draw.node)
             : key == "primitive" ? in_.read(item, a, out.draw.primitive)
             : key == "numbers"   ? in_.read(item, a, out.number)
                                  : unknown_member(in_, a);
    });
  }

  /// A few numbers can't ask for more than a primitive can have.
  bool read_runs(JsonValue value, const At& at, std::vector<std::uint32_t>& out) {
    std::vector<std::uint32_t> runs;
    if (!in_.read(value, at, runs)) {
      return false;
    }
    std::uint64_t sum = 0;
    for (std::size_t r = 1; r < runs.size(); r += 2) {
      sum += runs[r];
    }
    constexpr std::uint64_t most = 1U << 30U;
    if (runs.size() % 2 != 0 || sum > most) {
      return in_.fail(ErrorCode::bad_value, at,
                      "expected pairs of a triangle and how many follow from it");
    }
    out.reserve(sum);
    for (std::size_t r = 0; r < runs.size(); r += 2) {
      for (std::uint32_t n = 0; n < runs[r + 1]; ++n) {
        out.push_back(runs[r] + n);
      }
    }
    return true;
  }

  /// \param each  calls a visitor for each setting
  template <class Settings, class Each>
  bool read_settings(JsonValue value, const At& at, const Settings& settings, const Each& each) {
    const bool good = in_.object(value, at, [&](std::string_view key, JsonValue v, const At& a) {
      return read_setting(in_, key, v, a, [&](const auto& visit) {
        each([&](const char*, std::string_view name, auto& member, const Meaning&) {
          visit(name, member);
        });
      });
    });
    const auto valid = validate(settings);
    return good && (valid || in_.fail(ErrorCode::bad_setting, at, valid.error().message));
  }

  bool read_families(JsonValue value, const At& at, FamilySettings& families) {
    const bool good = in_.object(value, at, [&](std::string_view key, JsonValue v, const At& a) {
      bool known = false;
      bool read = false;
      for_each_tolerance(families, [&](std::string_view name, auto& member) {
        if (name == key) {
          known = true;
          read = in_.read(v, a, member);
        }
      });
      return known ? read : unknown_member(in_, a);
    });
    const auto valid = validate(families);
    return good && (valid || in_.fail(ErrorCode::bad_setting, at, valid.error().message));
  }

  bool read_taken_back(JsonValue value, const At& at, TakenBack& taken) {
    return in_.object(value, at, [&](std::string_view key, JsonValue v, const At& a) {
      return key == "node"        ? in_.read(v, a, taken.draw.node)
             : key == "primitive" ? in_.read(v, a, taken.draw.primitive)
             : key == "from"      ? read_word(in_, v, a, taken.from, taken_from_count)
             : key == "why"       ? in_.read(v, a, taken.why)
                                  : unknown_member(in_, a);
    });
  }

  bool read_split(JsonValue value, const At& at, SplitSettings& split) {
    return in_.object(value, at, [&](std::string_view key, JsonValue item, const At& a) {
      if (key == "nodes") {
        return in_.read(item, a, split.nodes);
      }
      if (key == "cell_size_m") {
        return in_.read(item, a, split.cell_size_m);
      }
      std::string word;
      return key == "by" ? in_.read(item, a, word) &&
                               (from_text(word, split.by) ||
                                in_.fail(ErrorCode::bad_value, a, "expected parts or cells"))
                         : unknown_member(in_, a);
    });
  }

  bool read_copy(JsonValue value, const At& at, SourceCopy& copy) {
    return in_.object(value, at, [&](std::string_view key, JsonValue item, const At& a) {
      if (key == "first_node") {
        return in_.read(item, a, copy.first_node);
      }
      if (key == "node_there") {
        return read_places(item, a, copy.node_there);
      }
      if (key == "lost_skins") {
        return in_.read(item, a, copy.lost_skins);
      }
      if (key == "tracks") {
        return in_.read(item, a, copy.tracks);
      }
      bool known = false;
      bool good = false;
      for_each_size(copy, [&](std::string_view name, std::uint32_t& size) {
        if (name == key) {
          known = true;
          good = in_.read(item, a, size);
        }
      });
      return known ? good : unknown_member(in_, a);
    });
  }

  bool read_page_images(JsonValue value, const At& at, std::array<ImageId, channel_count>& images) {
    std::vector<ImageId> list;
    if (!read_places(value, at, list)) {
      return false;
    }
    if (list.size() != images.size()) {
      return in_.fail(ErrorCode::bad_value, at, "a page has 4 pictures, -1 for one it has not");
    }
    std::copy(list.begin(), list.end(), images.begin());
    return true;
  }

  /// -1 stands for one that is not there.
  template <class Id>
  bool read_places(JsonValue value, const At& at, std::vector<Id>& out) {
    std::vector<double> places;
    if (!in_.read(value, at, places)) {
      return false;
    }
    for (const double place : places) {
      if (place != std::floor(place) || place < -1 || place >= no_index) {
        return in_.fail(ErrorCode::bad_value, at, "expected a number of a table, or -1");
      }
      out.push_back(place < 0 ? make_id<Id>(no_index)
                              : make_id<Id>(static_cast<std::size_t>(place)));
    }
    return true;
  }

  /// Rows are arrays: a million of them have to be read in well under a second.
  bool read_row(JsonValue value, const At& at, LedgerRow& row) {
    return wakuzume::read_row(in_, value, at, 10, 10,
                              [&](std::size_t column, JsonValue item, const At& a) {
                                switch (column) {
                                  case 0:
                                    return in_.read(item, a, row.source.node);
                                  case 1:
                                    return in_.read(item, a, row.source.primitive);
                                  case 2:
                                    return read_word(in_, item, a, row.fate, fate_count);
                                  case 3:
                                    return in_.read(item, a, row.node);
                                  case 4:
                                    return in_.read(item, a, row.primitive);
                                  case 5:
                                    return in_.read(item, a, row.instance);
                                  case 6:
                                    return in_.read(item, a, row.first_index);
                                  case 7:
                                    return in_.read(item, a, row.index_count);
                                  case 8:
                                    return in_.read(item, a, row.first_vertex);
                                  default:
                                    return in_.read(item, a, row.vertex_count);
                                }
                              });
  }

  JsonIn in_;
  std::vector<Instance> instances_;
  std::vector<Range> ranges_;
};

}  // namespace

std::string to_json(const Ledger& ledger) {
  ReadableJsonOut out;
  begin_document(out, ledger_format, ledger_version);
  out.member("source_path", ledger.source_path);
  out.member("source_content", to_string(ledger.source_hash));
  out.member("result_content", to_string(ledger.result_hash));
  if (!ledger.split.nodes.empty()) {
    write_split(out, ledger.split);
  }
  if (ledger.reduction.reduces()) {
    write_reduction(out, ledger.reduction);
  }
  if (ledger.lightmaps.joins()) {
    write_lightmaps(out, ledger.lightmaps);
  }
  if (!ledger.routes.empty()) {
    write_routes(out, ledger.routes);
  }
  if (!ledger.page_images.empty()) {
    out.begin_array("page_images");
    for (const auto& page : ledger.page_images) {
      write_places(out, page);
    }
    out.end_array();
  }
  if (!ledger.material_from.empty()) {
    out.key("material_from");
    write_places(out, ledger.material_from);
  }
  write_families(out, ledger.families);
  write_settings(out, "geometry",
                 [&](const auto& visit) { for_each_geometry_setting(ledger.geometry, visit); });
  write_settings(out, "gpu_pictures", [&](const auto& visit) {
    for_each_gpu_picture_setting(ledger.gpu_pictures, visit);
  });
  out.member("instance_form", to_text(ledger.instances));
  if (!ledger.instance_values.empty()) {
    out.member("instance_values", ledger.instance_values);
  }
  out.member("lightmap_key", ledger.lightmap_key);
  out.member("lightmap_transform_key", ledger.lightmap_transform_key);
  out.member("lightmap_uv_set", ledger.lightmap_uv_set);
  if (!ledger.taken_back.empty()) {
    write_taken_back(out, ledger);
  }
  out.member("left_out", ledger.left_out);
  write_results(out, ledger);
  if (ledger.source_copy.first_node != no_node) {
    write_copy(out, ledger.source_copy);
  }
  out.member_line("columns",
                  std::vector<std::string>{"source_node", "source_primitive", "fate", "node",
                                           "primitive", "instance", "first_index", "index_count",
                                           "first_vertex", "vertex_count"});
  write_rows(out, ledger);
  out.member_line("instance_columns",
                  std::vector<std::string>{"source_node", "source_primitive", "node", "primitive",
                                           "instance", "range"});
  write_instances(out, ledger);
  out.end_object();
  return out.take() + "\n";
}

Result<Ledger> read_ledger(const std::string& path) { return LedgerReader().read(path); }

}  // namespace wakuzume
