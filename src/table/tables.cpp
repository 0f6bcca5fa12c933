// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <map>
#include <set>

#include "survey/draw_columns.h"
#include "wakuzume/table.h"

namespace wakuzume {
namespace {

double number(std::uint64_t value) { return static_cast<double>(value); }

// ---- draws -----------------------------------------------------------------------------------

class DrawTable : public Table {
 public:
  DrawTable(const Scene& scene, const Survey& survey, std::span<const Finding> findings)
      : scene_(scene), survey_(survey), codes_(survey.draws.size(), 0) {
    for (const Finding& finding : findings) {
      for (const DrawId draw : finding.draws) {
        codes_[to_index(draw)] |= std::uint64_t{1} << static_cast<unsigned>(finding.code);
      }
    }
  }

  [[nodiscard]] std::span<const Column> columns() const override;
  [[nodiscard]] std::size_t row_count() const override { return survey_.draws.size(); }
  [[nodiscard]] Cell cell(std::size_t row, std::size_t column) const override;

  [[nodiscard]] bool has_extras() const override { return true; }
  [[nodiscard]] std::string find_extra(std::size_t row, const std::string& key) const override {
    return find_extra_above(scene_, survey_.draws[row].node, key);
  }

 private:
  static_assert(finding_code_count <= 64);
  [[nodiscard]] std::string list_codes(std::size_t row) const {
    std::string out;
    for (std::size_t code = 0; code < finding_code_count; ++code) {
      if ((codes_[row] >> code & 1U) != 0) {
        out += out.empty() ? "" : " ";
        out += to_string(static_cast<FindingCode>(code));
      }
    }
    return out;
  }

  const Scene& scene_;
  const Survey& survey_;
  std::vector<std::uint64_t> codes_;  ///< a bit a finding code, by draw
};

std::span<const Column> DrawTable::columns() const {
  static const std::vector<Column> columns = [] {
    const auto known = list_wish_columns();
    std::vector<Column> out(known.begin(), known.end());
    out.push_back({"findings"});
    return out;
  }();
  return columns;
}

Cell DrawTable::cell(std::size_t row, std::size_t column) const {
  return column < list_wish_columns().size() ? make_draw_cell({scene_, survey_, row}, column)
                                             : Cell(list_codes(row));
}

// ---- tables whose rows are few: made as a whole ----------------------------------------------

class StoredTable : public Table {
 public:
  explicit StoredTable(std::vector<Column> columns) : columns_(std::move(columns)) {}

  void add(std::vector<Cell> row) { rows_.push_back(std::move(row)); }
  [[nodiscard]] std::span<const Column> columns() const override { return columns_; }
  [[nodiscard]] std::size_t row_count() const override { return rows_.size(); }
  [[nodiscard]] Cell cell(std::size_t row, std::size_t column) const override {
    return rows_[row][column];
  }

 private:
  std::vector<Column> columns_;
  std::vector<std::vector<Cell>> rows_;
};

// ---- groups ----------------------------------------------------------------------------------

struct GroupSum {
  std::string name;
  std::uint64_t draws = 0;
  std::uint64_t staying = 0;
  std::uint64_t triangles = 0;
  std::uint64_t vertices = 0;
  std::uint64_t bytes = 0;  ///< each shape once
  std::set<ShapeId> shapes;
  std::set<KeyId> keys;
  std::set<MaterialId> materials;
  std::set<FamilyId> families;
};

class Grouper {
 public:
  Grouper(const Scene& scene, const Survey& survey, GroupBy by, std::size_t depth)
      : scene_(scene), survey_(survey), by_(by), depth_(depth) {}

  std::vector<GroupSum> group() {
    for (const Draw& draw : survey_.draws) {
      add(draw, groups_[slot_of(draw)]);
    }
    std::stable_sort(groups_.begin(), groups_.end(),
                     [](const GroupSum& a, const GroupSum& b) { return a.draws > b.draws; });
    return std::move(groups_);
  }

 private:
  std::size_t slot_of(const Draw& draw) {
    // Groups by number are found by number: names may repeat.
    const std::uint64_t id = number_of(draw);
    if (id != no_index) {
      const auto [slot, added] = by_number_.try_emplace(id, groups_.size());
      if (added) {
        groups_.push_back({describe(draw), 0, 0, 0, 0, 0, {}, {}, {}, {}});
      }
      return slot->second;
    }
    const std::string name = describe(draw);
    const auto [slot, added] = by_name_.try_emplace(name, groups_.size());
    if (added) {
      groups_.push_back({name, 0, 0, 0, 0, 0, {}, {}, {}, {}});
    }
    return slot->second;
  }

  [[nodiscard]] std::uint64_t number_of(const Draw& draw) const {
    switch (by_) {
      case GroupBy::key:
        return to_index(draw.key);
      case GroupBy::material:
        return draw.material == no_material ? no_index + 1ULL : to_index(draw.material);
      case GroupBy::family:
        return to_index(survey_[draw.shape].family);
      case GroupBy::mesh:
        return to_index(draw.mesh);
      default:
        return no_index;
    }
  }

  [[nodiscard]] std::string describe(const Draw& draw) const {
    switch (by_) {
      case GroupBy::key:
        return fmt::format("{}: {}", to_index(draw.key), to_string(scene_, survey_[draw.key]));
      case GroupBy::material:
        return column_name(scene_, draw.material);
      case GroupBy::family:
        return fmt::format("{}: {}", to_index(survey_[draw.shape].family),
                           column_name(scene_, draw.mesh));
      case GroupBy::mesh:
        return column_name(scene_, draw.mesh);
      case GroupBy::level:
        return describe_levels(scene_, survey_[draw.key]);
      case GroupBy::subtree:
        break;
    }
    const std::string path = make_node_path(scene_, draw.node);
    std::size_t end = 0;
    for (std::size_t step = 0; step < depth_ && end != std::string::npos; ++step) {
      end = path.find('/', end + 1);
    }
    return path.substr(0, end);
  }

  void add(const Draw& draw, GroupSum& sum) const {
    const Shape& shape = survey_[draw.shape];
    ++sum.draws;
    sum.staying += draw.stay == StayRule::none ? 0U : 1U;
    sum.triangles += draw.triangles;
    sum.vertices += draw.vertices * draw.instances;
    if (sum.shapes.insert(draw.shape).second) {
      sum.bytes += shape.bytes;
    }
    sum.keys.insert(draw.key);
    sum.materials.insert(draw.material);
    sum.families.insert(shape.family);
  }

  const Scene& scene_;
  const Survey& survey_;
  GroupBy by_;
  std::size_t depth_;
  std::vector<GroupSum> groups_;
  std::map<std::uint64_t, std::size_t> by_number_;
  std::map<std::string, std::size_t> by_name_;
};

std::string_view to_string(GroupBy by) {
  constexpr std::string_view names[] = {"key", "material", "family", "mesh", "level", "subtree"};
  return names[static_cast<std::size_t>(by)];
}

}  // namespace

std::unique_ptr<Table> make_draw_table(const Scene& scene,
                                       const Survey& survey,
                                       std::span<const Finding> findings) {
  return std::make_unique<DrawTable>(scene, survey, findings);
}

std::unique_ptr<Table> make_group_table(const Scene& scene,
                                        const Survey& survey,
                                        GroupBy by,
                                        std::size_t depth) {
  auto table = std::make_unique<StoredTable>(std::vector<Column>{{to_string(by)},
                                                                 {"draws", true},
                                                                 {"staying", true},
                                                                 {"triangles", true},
                                                                 {"vertices", true},
                                                                 {"bytes", true},
                                                                 {"keys", true},
                                                                 {"materials", true},
                                                                 {"families", true}});
  for (const GroupSum& sum : Grouper(scene, survey, by, depth).group()) {
    table->add({sum.name, number(sum.draws), number(sum.staying), number(sum.triangles),
                number(sum.vertices), number(sum.bytes), number(sum.keys.size()),
                number(sum.materials.size()), number(sum.families.size())});
  }
  return table;
}

std::unique_ptr<Table> make_view_table(const Assessment& assessment) {
  auto table = std::make_unique<StoredTable>(std::vector<Column>{{"view"},
                                                                 {"pass"},
                                                                 {"draws", true},
                                                                 {"cpu_ms", true},
                                                                 {"gpu_ms", true},
                                                                 {"triangles", true},
                                                                 {"pipeline_switches", true},
                                                                 {"material_switches", true},
                                                                 {"instances", true},
                                                                 {"vertices", true},
                                                                 {"texture_bytes", true}});
  const auto add = [&](const std::string& view, const std::string& pass, const PassCost& cost) {
    table->add({view, pass, number(cost.draws), cost.cpu_ms, cost.gpu_ms, number(cost.triangles),
                number(cost.pipeline_switches), number(cost.material_switches),
                number(cost.instances), number(cost.vertices), number(cost.texture_bytes)});
  };
  const Frames& frames = assessment.frames;
  for (std::size_t v = 0; v < frames.views.size(); ++v) {
    const std::string& name = assessment.views[v].name;
    for (std::size_t p = 0; p < frames.profile.passes.size(); ++p) {
      add(name, frames.profile.passes[p].name, frames.views[v].passes[p]);
    }
    add(name, "all", frames.views[v].total);
  }
  return table;
}

std::unique_ptr<Table> make_finding_table(const Assessment& assessment) {
  auto table = std::make_unique<StoredTable>(std::vector<Column>{{"finding"},
                                                                 {"draws", true},
                                                                 {"subject"},
                                                                 {"what"},
                                                                 {"remedy"},
                                                                 {"severity"},
                                                                 {"draw_cost", true},
                                                                 {"byte_cost", true}});
  for (const Finding& finding : assessment.findings) {
    table->add({std::string(to_string(finding.code)), number(finding.draws.size()), finding.subject,
                finding.what, finding.remedy, std::string(to_string(finding.severity)),
                number(finding.draw_cost), number(finding.byte_cost)});
  }
  return table;
}

std::unique_ptr<Table> make_near_table(const Scene& scene,
                                       const Survey& survey,
                                       const Assessment& assessment) {
  auto table = std::make_unique<StoredTable>(std::vector<Column>{
      {"key"}, {"draws", true}, {"near"}, {"near_draws", true}, {"differing"}, {"parts", true}});
  std::vector<double> draws(survey.keys.size(), 0);
  for (const KeyUse& use : survey.key_uses) {
    draws[to_index(use.key)] = static_cast<double>(use.draws);
  }
  const auto describe = [&](KeyId key) {
    return fmt::format("{}: {}", to_index(key), to_string(scene, survey[key]));
  };
  for (const NearKey& near : assessment.apart.nearest) {
    std::vector<std::string_view> parts;
    std::transform(near.differing.begin(), near.differing.end(), std::back_inserter(parts),
                   [](KeyPart part) { return to_string(part); });
    table->add({describe(near.key), draws[to_index(near.key)], describe(near.near),
                draws[to_index(near.near)], fmt::format("{}", fmt::join(parts, " ")),
                number(parts.size())});
  }
  return table;
}

std::unique_ptr<Table> make_route_table(const Scene& scene, const RoutePlan& routes) {
  auto table = std::make_unique<StoredTable>(std::vector<Column>{{"material"},
                                                                 {"route"},
                                                                 {"draws", true},
                                                                 {"onto"},
                                                                 {"page"},
                                                                 {"texels"},
                                                                 {"tile"},
                                                                 {"texels_per_metre", true},
                                                                 {"texels_per_metre_after", true},
                                                                 {"why"}});
  const auto name_of = [&](MaterialId id) {
    return id == no_material        ? std::string()
           : scene[id].name.empty() ? fmt::format("#{}", to_index(id))
                                    : scene[id].name;
  };
  for (const MaterialRoute& route : routes.routes) {
    std::string page;
    std::string texels;
    std::string size;
    if (route.page != no_index) {
      const Tile& tile = routes.pages[route.page].tiles[route.tile];
      page = routes.pages[route.page].name;
      size = fmt::format("{} x {}{}", tile.size.width_px, tile.size.height_px,
                         tile.turned ? ", turned" : "");
      texels = tile.solid() ? "" : fmt::format("{} x {}", tile.used.width, tile.used.height);
    } else if (route.stack != no_index) {
      const LayerStack& stack = routes.stacks[route.stack];
      page = stack.name;
      for (const LayerStack::Layers& layers : stack.channels) {
        if (size.empty() && layers.size.width_px > 0) {
          size = fmt::format("layer {}, {} x {}", layers.of_member[route.member],
                             layers.size.width_px, layers.size.height_px);
        }
      }
    }
    table->add({name_of(route.material), std::string(to_string(route.route)), number(route.draws),
                name_of(route.onto), page, texels, size, route.texels_per_metre,
                route.texels_per_metre_after, route.reason});
  }
  return table;
}

std::unique_ptr<Table> make_choice_table(std::span<const MaterialChoice> choices) {
  auto table = std::make_unique<StoredTable>(std::vector<Column>{{"goal"},
                                                                 {"materials", true},
                                                                 {"pages", true},
                                                                 {"draws", true},
                                                                 {"view_draws", true},
                                                                 {"megabytes", true},
                                                                 {"texels_per_m", true},
                                                                 {"least_per_m", true},
                                                                 {"kept", true}});
  for (const MaterialChoice& choice : choices) {
    table->add({choice.name, number(choice.materials), number(choice.pages), number(choice.draws),
                choice.view_draws, choice.megabytes, choice.usual_texels_per_metre,
                choice.least_texels_per_metre, choice.least_kept});
  }
  return table;
}

}  // namespace wakuzume
