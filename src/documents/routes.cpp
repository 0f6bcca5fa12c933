// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include "documents/routes.h"

#include <fmt/format.h>

#include "documents/document.h"
#include "documents/read_setting.h"
#include "documents/texels.h"
#include "settings/fields.h"

namespace wakuzume {
namespace {

void write_route(ReadableJsonOut& out, const MaterialRoute& route) {
  JsonOut line;
  line.begin_object();
  line.member("material", route.material);
  line.member("route", to_string(route.route));
  if (route.onto != no_material) {
    line.member("onto", route.onto);
  }
  if (route.tinted) {
    line.member("tinted", true);
  }
  if (route.page != no_index) {
    line.member("page", route.page);
    line.member("tile", route.tile);
  }
  if (route.stack != no_index) {
    line.member("stack", route.stack);
    line.member("member", route.member);
  }
  line.member("draws", route.draws);
  line.member("texels_per_metre", route.texels_per_metre);
  line.member("texels_per_metre_after", route.texels_per_metre_after);
  if (route.lost_steps > 0) {
    line.member("lost_steps", route.lost_steps);
  }
  line.member("reason", route.reason);
  line.end_object();
  out.line(line);
}

void write_tile(ReadableJsonOut& out, const Tile& tile) {
  JsonOut line;
  line.begin_object();
  line.member("material", tile.material);
  if (!tile.solid()) {
    line.member("texture", as_pair(tile.texture));
    line.member("used", as_numbers(tile.used));
  }
  line.member("at", std::array{static_cast<double>(tile.x), static_cast<double>(tile.y)});
  line.member("size", as_pair(tile.size));
  line.member("gutter", tile.gutter);
  if (tile.turned) {
    line.member("turned", true);
  }
  if (tile.baked()) {
    line.member("texels_per_unit", tile.texels_per_unit);
    line.begin_array("shapes");
    for (const PrimitiveRef& shape : tile.shapes) {
      line.begin_array();
      line.value(shape.mesh);
      line.value(shape.primitive);
      line.end_array();
    }
    line.end_array();
  }
  line.end_object();
  out.line(line);
}

void write_taken_back(ReadableJsonOut& out, const std::vector<MaterialTakenBack>& list) {
  write_rows(out, "taken_back", list, [&](JsonOut& line, const MaterialTakenBack& taken) {
    line.member("material", taken.material);
    line.member("to", to_string(taken.to));
    line.member("why", taken.why);
  });
}

void write_faults(ReadableJsonOut& out, const std::vector<LayoutFault>& faults) {
  write_rows(out, "faults", faults, [&](JsonOut& line, const LayoutFault& fault) {
    const auto write_shape = [&](const char* name, const PrimitiveRef& shape) {
      line.member(name, std::array<std::uint32_t, 2>{static_cast<std::uint32_t>(shape.mesh),
                                                     shape.primitive});
    };
    line.member("page", fault.page);
    write_shape("shape", fault.shape);
    if (fault.other.mesh != no_mesh) {
      write_shape("other", fault.other);
      line.member("texels", fault.texels);
    }
    line.member("set", fault.range.set);
    line.member("min", fault.range.min);
    line.member("max", fault.range.max);
  });
}

void write_cutouts(ReadableJsonOut& out, const std::vector<Cutout>& cutouts) {
  write_rows(out, "cutouts", cutouts, [&](JsonOut& line, const Cutout& cutout) {
    line.member("material", cutout.material);
    line.member("draws", cutout.draws);
    line.member("between", cutout.between);
    line.member("lost_steps", cutout.lost_steps);
    if (cutout.opaque) {
      line.member("opaque", true);
    }
    if (!cutout.obstacle.empty()) {
      line.member("obstacle", cutout.obstacle);
    }
  });
}

void write_groups(ReadableJsonOut& out, const MaterialGroups& grouped) {
  out.begin_object("grouped");
  write_rows(out, "groups", grouped.groups, [&](JsonOut& line, const MaterialGroup& group) {
    line.member("name", group.name);
    line.member("by_hand", group.by_hand);
    line.member("materials", group.materials);
    if (group.layout_set != no_index) {
      line.member("layout_set", group.layout_set);
      line.member("size", group.size);
    }
  });
  out.begin_array("copies");
  for (const MaterialCopy& copy : grouped.copies) {
    out.begin_object();
    out.member("from", copy.from);
    out.member("to", copy.to);
    write_draws(out, "draws", copy.draws);
    out.end_object();
  }
  out.end_array();
  out.end_object();
}

void write_stack(ReadableJsonOut& out, const LayerStack& stack) {
  out.begin_object();
  out.member("name", stack.name);
  out.member("uv_set", stack.uv_set);
  out.member_line("members", stack.members);
  out.member_line("copies", stack.copies);
  out.begin_object("channels");
  for (std::size_t c = 0; c < channel_count; ++c) {
    const auto channel = static_cast<Channel>(c);
    if (stack.has(channel)) {
      out.begin_object(to_string(channel));
      out.member_line("size", as_pair(stack[channel].size));
      out.member_line("layers", stack[channel].of_member);
      out.end_object();
    }
  }
  out.end_object();
  out.end_object();
}

void write_page(ReadableJsonOut& out, const AtlasPage& page) {
  out.begin_object();
  out.member("name", page.name);
  out.member_line("size", as_pair(page.size));
  out.member("uv_set", page.uv_set);
  if (page.layout_set != no_index) {
    out.member("layout_set", page.layout_set);
  }
  out.begin_object("halvings");
  for (std::size_t c = 0; c < channel_count; ++c) {
    if (page.has(static_cast<Channel>(c))) {
      out.member(to_string(static_cast<Channel>(c)), page.halvings[c]);
    }
  }
  out.end_object();
  out.begin_array("tiles");
  for (const Tile& tile : page.tiles) {
    write_tile(out, tile);
  }
  out.end_array();
  out.end_object();
}

class RoutesReader {
 public:
  explicit RoutesReader(JsonIn& in) : in_(in) {}

  bool read(JsonValue value, const At& at, RoutePlan& routes) {
    return in_.object(value, at, [&](std::string_view key, JsonValue v, const At& a) {
      if (key == "settings") {
        return read_settings(in_, v, a, routes.settings, [](auto& settings, const auto& visit) {
          for_each_material_setting(settings, visit);
        });
      }
      if (key == "routes") {
        return in_.array(v, a, [&](JsonValue item, const At& b) {
          return read_route(item, b, routes.routes.emplace_back());
        });
      }
      if (key == "grouped") {
        return read_groups(v, a, routes.grouped);
      }
      if (key == "cutouts") {
        return in_.array(v, a, [&](JsonValue item, const At& b) {
          return read_cutout(item, b, routes.cutouts.emplace_back());
        });
      }
      if (key == "pages") {
        return in_.array(v, a, [&](JsonValue item, const At& b) {
          return read_page(item, b, routes.pages.emplace_back());
        });
      }
      if (key == "faults") {
        return in_.array(v, a, [&](JsonValue item, const At& b) {
          return read_fault(item, b, routes.faults.emplace_back());
        });
      }
      if (key == "taken_back") {
        return in_.array(v, a, [&](JsonValue item, const At& b) {
          return read_taken_back(item, b, routes.taken_back.emplace_back());
        });
      }
      if (key == "stacks") {
        return in_.array(v, a, [&](JsonValue item, const At& b) {
          return read_stack(item, b, routes.stacks.emplace_back());
        });
      }
      if (key == "untouched") {
        return read_draws(in_, v, a, routes.untouched);
      }
      return key == "left_alone" ? read_draws(in_, v, a, routes.left_alone)
                                 : unknown_member(in_, a);
    });
  }

 private:
  bool read_groups(JsonValue value, const At& at, MaterialGroups& out) {
    return in_.object(value, at, [&](std::string_view list, JsonValue v, const At& a) {
      if (list == "groups") {
        return in_.array(v, a, [&](JsonValue item, const At& b) {
          MaterialGroup& group = out.groups.emplace_back();
          return in_.object(item, b, [&](std::string_view key, JsonValue w, const At& c) {
            return key == "name"         ? in_.read(w, c, group.name)
                   : key == "by_hand"    ? in_.read(w, c, group.by_hand)
                   : key == "materials"  ? in_.read(w, c, group.materials)
                   : key == "layout_set" ? in_.read(w, c, group.layout_set)
                   : key == "size"       ? in_.read(w, c, group.size)
                                         : unknown_member(in_, c);
          });
        });
      }
      return list == "copies" ? in_.array(v, a,
                                          [&](JsonValue item, const At& b) {
                                            return read_copy(item, b, out.copies.emplace_back());
                                          })
                              : unknown_member(in_, a);
    });
  }

  bool read_copy(JsonValue value, const At& at, MaterialCopy& copy) {
    return in_.object(value, at, [&](std::string_view key, JsonValue v, const At& a) {
      return key == "from"    ? in_.read(v, a, copy.from)
             : key == "to"    ? in_.read(v, a, copy.to)
             : key == "draws" ? read_draws(in_, v, a, copy.draws)
                              : unknown_member(in_, a);
    });
  }

  bool read_route(JsonValue value, const At& at, MaterialRoute& out) {
    return in_.object(value, at, [&](std::string_view key, JsonValue v, const At& a) {
      return key == "material"                 ? in_.read(v, a, out.material)
             : key == "route"                  ? read_word(in_, v, a, out.route, route_count)
             : key == "onto"                   ? in_.read(v, a, out.onto)
             : key == "tinted"                 ? in_.read(v, a, out.tinted)
             : key == "page"                   ? in_.read(v, a, out.page)
             : key == "tile"                   ? in_.read(v, a, out.tile)
             : key == "stack"                  ? in_.read(v, a, out.stack)
             : key == "member"                 ? in_.read(v, a, out.member)
             : key == "draws"                  ? in_.read(v, a, out.draws)
             : key == "texels_per_metre"       ? in_.read(v, a, out.texels_per_metre)
             : key == "texels_per_metre_after" ? in_.read(v, a, out.texels_per_metre_after)
             : key == "lost_steps"             ? in_.read(v, a, out.lost_steps)
             : key == "reason"                 ? in_.read(v, a, out.reason)
                                               : unknown_member(in_, a);
    });
  }

  bool read_cutout(JsonValue value, const At& at, Cutout& out) {
    return in_.object(value, at, [&](std::string_view key, JsonValue v, const At& a) {
      return key == "material"     ? in_.read(v, a, out.material)
             : key == "draws"      ? in_.read(v, a, out.draws)
             : key == "between"    ? in_.read(v, a, out.between)
             : key == "lost_steps" ? in_.read(v, a, out.lost_steps)
             : key == "opaque"     ? in_.read(v, a, out.opaque)
             : key == "obstacle"   ? in_.read(v, a, out.obstacle)
                                   : unknown_member(in_, a);
    });
  }

  bool read_page(JsonValue value, const At& at, AtlasPage& out) {
    return in_.object(value, at, [&](std::string_view key, JsonValue v, const At& a) {
      if (key == "tiles") {
        return in_.array(v, a, [&](JsonValue item, const At& b) {
          return read_tile(item, b, out.tiles.emplace_back());
        });
      }
      if (key == "halvings") {
        return in_.object(v, a, [&](std::string_view channel, JsonValue item, const At& b) {
          for (std::size_t c = 0; c < channel_count; ++c) {
            if (channel == to_string(static_cast<Channel>(c))) {
              return in_.read(item, b, out.halvings[c]);
            }
          }
          return unknown_member(in_, b);
        });
      }
      return key == "name"         ? in_.read(v, a, out.name)
             : key == "size"       ? read_size(in_, v, a, out.size)
             : key == "uv_set"     ? in_.read(v, a, out.uv_set)
             : key == "layout_set" ? in_.read(v, a, out.layout_set)
                                   : unknown_member(in_, a);
    });
  }

  bool read_tile(JsonValue value, const At& at, Tile& out) {
    return in_.object(value, at, [&](std::string_view key, JsonValue v, const At& a) {
      if (key == "used") {
        return read_rect(in_, v, a, out.used);
      }
      if (key == "at") {
        RectSize corner;
        const bool good = read_size(in_, v, a, corner);
        out.x = corner.width_px;
        out.y = corner.height_px;
        return good;
      }
      if (key == "shapes") {
        return in_.array(v, a, [&](JsonValue item, const At& b) {
          std::array<std::uint32_t, 2> pair{};
          const bool good = read_pair(in_, item, b, pair);
          out.shapes.push_back({make_id<MeshId>(pair[0]), pair[1]});
          return good;
        });
      }
      if (key == "texels_per_unit") {
        return in_.read(v, a, out.texels_per_unit);
      }
      return key == "material"  ? in_.read(v, a, out.material)
             : key == "texture" ? read_size(in_, v, a, out.texture)
             : key == "size"    ? read_size(in_, v, a, out.size)
             : key == "gutter"  ? in_.read(v, a, out.gutter)
             : key == "turned"  ? in_.read(v, a, out.turned)
                                : unknown_member(in_, a);
    });
  }

  bool read_fault(JsonValue value, const At& at, LayoutFault& out) {
    std::array<std::uint32_t, 2> shape{};
    std::array<std::uint32_t, 2> other{static_cast<std::uint32_t>(no_mesh), 0};
    const bool good = in_.object(value, at, [&](std::string_view key, JsonValue v, const At& a) {
      return key == "page"     ? in_.read(v, a, out.page)
             : key == "shape"  ? read_pair(in_, v, a, shape)
             : key == "other"  ? read_pair(in_, v, a, other)
             : key == "texels" ? in_.read(v, a, out.texels)
             : key == "set"    ? in_.read(v, a, out.range.set)
             : key == "min"    ? in_.read(v, a, out.range.min)
             : key == "max"    ? in_.read(v, a, out.range.max)
                               : unknown_member(in_, a);
    });
    out.shape = {MeshId{shape[0]}, shape[1]};
    out.other = {MeshId{other[0]}, other[1]};
    return good;
  }

  bool read_taken_back(JsonValue value, const At& at, MaterialTakenBack& out) {
    return in_.object(value, at, [&](std::string_view key, JsonValue v, const At& a) {
      return key == "material" ? in_.read(v, a, out.material)
             : key == "to"     ? read_word(in_, v, a, out.to, taken_to_count)
             : key == "why"    ? in_.read(v, a, out.why)
                               : unknown_member(in_, a);
    });
  }

  bool read_stack(JsonValue value, const At& at, LayerStack& out) {
    return in_.object(value, at, [&](std::string_view key, JsonValue v, const At& a) {
      return key == "name"      ? in_.read(v, a, out.name)
             : key == "uv_set"  ? in_.read(v, a, out.uv_set)
             : key == "members" ? in_.read(v, a, out.members)
             : key == "copies"
                 ? in_.array(v, a,
                             [&](JsonValue item, const At& b) {
                               return read_pair(in_, item, b, out.copies.emplace_back());
                             })
             : key == "channels" ? read_channels(v, a, out)
                                 : unknown_member(in_, a);
    });
  }

  bool read_channels(JsonValue value, const At& at, LayerStack& out) {
    return in_.object(value, at, [&](std::string_view channel, JsonValue item, const At& b) {
      for (std::size_t c = 0; c < channel_count; ++c) {
        if (channel == to_string(static_cast<Channel>(c))) {
          LayerStack::Layers& layers = out.channels[c];
          return in_.object(item, b, [&](std::string_view key, JsonValue v, const At& a) {
            return key == "size"     ? read_size(in_, v, a, layers.size)
                   : key == "layers" ? in_.read(v, a, layers.of_member)
                                     : unknown_member(in_, a);
          });
        }
      }
      return unknown_member(in_, b);
    });
  }

  JsonIn& in_;
};

}  // namespace

void write_routes(ReadableJsonOut& out, const RoutePlan& routes) {
  out.begin_object("materials");
  write_settings(out, routes.settings, [](const auto& settings, const auto& visit) {
    for_each_material_setting(settings, visit);
  });
  if (!routes.grouped.groups.empty()) {
    write_groups(out, routes.grouped);
  }
  if (!routes.cutouts.empty()) {
    write_cutouts(out, routes.cutouts);
  }
  out.begin_array("routes");
  for (const MaterialRoute& route : routes.routes) {
    write_route(out, route);
  }
  out.end_array();
  out.begin_array("pages");
  for (const AtlasPage& page : routes.pages) {
    write_page(out, page);
  }
  out.end_array();
  if (!routes.taken_back.empty()) {
    write_taken_back(out, routes.taken_back);
  }
  if (!routes.faults.empty()) {
    write_faults(out, routes.faults);
  }
  out.begin_array("stacks");
  for (const LayerStack& stack : routes.stacks) {
    write_stack(out, stack);
  }
  out.end_array();
  write_draws(out, "untouched", routes.untouched);
  write_draws(out, "left_alone", routes.left_alone);
  out.end_object();
}

bool read_routes(JsonIn& in, JsonValue value, const At& at, RoutePlan& routes) {
  return RoutesReader(in).read(value, at, routes);
}

}  // namespace wakuzume
