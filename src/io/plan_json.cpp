// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include <fmt/format.h>

#include "io/document.h"
#include "io/file.h"
#include "io/json_out.h"
#include "io/routes_json.h"
#include "io/settings_fields.h"
#include "wakuzume/io.h"

namespace wakuzume {
namespace {

constexpr const char* plan_format = "wakuzume-plan";
constexpr std::uint32_t plan_version = 5;

void write_draw(JsonOut& out, const Scene& scene, const DrawRef& ref) {
  out.member("node", ref.node);
  out.member("primitive", ref.primitive);
  out.member("path", make_node_path(scene, ref.node));
}

/// Tables of the settings that a plan depends on.
bool is_planned(std::string_view table) {
  return table == "split" || table == "survey" || table == "propose" || table == "families";
}

void write_settings(ReadableJsonOut& out, const Plan& plan) {
  Settings settings;
  settings.split = plan.split;
  settings.survey = plan.survey_settings;
  settings.propose = plan.settings;
  std::string open;
  out.begin_object("settings");
  for_each_setting(settings,
                   [&](std::string_view table, const char* key, const auto& member, const char*) {
                     if (!is_planned(table)) {
                       return;
                     }
                     if (open != table) {
                       if (!open.empty()) {
                         out.end_object();
                       }
                       out.begin_object(table);
                       open = table;
                     }
                     if constexpr (std::is_enum_v<std::remove_cvref_t<decltype(member)>>) {
                       out.member(key, to_text(member));
                     } else {
                       out.member_line(key, member);
                     }
                   });
  out.end_object();
  out.end_object();
}

void write_line(ReadableJsonOut& out, const Scene& scene, const DrawRef& ref, const Fit* fit) {
  JsonOut line;
  line.begin_object();
  write_draw(line, scene, ref);
  if (fit != nullptr && fit->matrix != identity_matrix) {
    line.member("fit", fit->matrix);
  }
  line.end_object();
  out.line(line);
}

void write_set(ReadableJsonOut& out, const Scene& scene, const Group& group) {
  if (!group.tint.empty()) {
    out.member("tint", group.tint);
  }
  out.begin_array("prototype");
  for (const DrawRef& ref : group.prototype) {
    write_line(out, scene, ref, nullptr);
  }
  out.end_array();
  if (group.axes != identity_matrix) {
    out.member_line("axes", group.axes);
  }
  out.member("residual", group.residual);
}

void write_group(ReadableJsonOut& out, const Scene& scene, const Group& group) {
  out.begin_object();
  out.member("id", group.id);
  out.member("name", group.name);
  if (!group.object.empty()) {
    out.member("object", group.object);
  }
  out.member("kind", to_string(group.kind));
  if (group.collider != ColliderShape::none) {
    out.member("collider", to_string(group.collider));
  }
  if (group.pinned) {
    out.member("pinned", true);
  }
  if (group.material != no_material) {
    out.member("material", group.material);
  }
  out.member("pivot_at", to_string(group.pivot_at));
  if (group.pivot_node != no_node) {
    out.member("pivot_node", group.pivot_node);
  }
  out.member_line("pivot", group.pivot);
  out.member("reason", group.reason);
  out.member("triangles", group.triangles);
  out.member("vertices", group.vertices);
  out.member("bytes", group.bytes);
  out.member("saved_us", group.saved_us);
  if (group.kind == GroupKind::instance_set) {
    write_set(out, scene, group);
  }
  const std::size_t parts = std::max<std::size_t>(1, group.prototype.size());
  out.begin_array("members");
  for (std::size_t m = 0; m < group.members.size(); ++m) {
    Fit fit;
    const bool has_fit = m % parts == 0 && m / parts < group.fits.size();
    fit.matrix = has_fit ? group.fits[m / parts] : identity_matrix;
    write_line(out, scene, group.members[m], &fit);
  }
  out.end_array();
  out.end_object();
}

void write_spread(ReadableJsonOut& out, const char* name, const Spread& spread) {
  JsonOut line;
  line.begin_object();
  line.member("median", spread.median);
  line.member("p95", spread.p95);
  line.member("worst", spread.worst);
  line.end_object();
  out.key(name);
  out.line(line);
}

void write_outcome(ReadableJsonOut& out, const char* name, const Outcome& outcome) {
  out.begin_object(name);
  out.member("draws", outcome.draws);
  out.member("triangles", outcome.triangles);
  out.member("vertices", outcome.vertices);
  out.member("bytes", outcome.bytes);
  write_spread(out, "view_draws", outcome.view_draws);
  write_spread(out, "view_triangles", outcome.view_triangles);
  write_spread(out, "frame_draws", outcome.frame_draws);
  write_spread(out, "frame_ms", outcome.frame_ms);
  out.member("mean_ms", outcome.mean_ms);
  out.end_object();
}

void write_families(ReadableJsonOut& out, const Scene& scene, const Plan& plan) {
  out.begin_array("families");
  for (const PlannedFamily& family : plan.families) {
    out.begin_object();
    JsonOut prototype;
    prototype.begin_object();
    write_draw(prototype, scene, family.prototype);
    prototype.end_object();
    out.key("prototype");
    out.line(prototype);
    out.member("draws", family.draws);
    out.begin_array("members");
    for (const PlannedFamily::Member& member : family.members) {
      JsonOut line;
      line.begin_object();
      write_draw(line, scene, member.draw);
      line.member("draws", member.draws);
      line.member("likeness", to_string(member.likeness));
      line.member("residual", member.fit.residual);
      line.member("fit", member.fit.matrix);
      line.end_object();
      out.line(line);
    }
    out.end_array();
    out.end_object();
  }
  out.end_array();
}

void write_taken_back(ReadableJsonOut& out, const Scene& scene, const Plan& plan) {
  out.begin_array("taken_back");
  for (const TakenBack& taken : plan.taken_back) {
    JsonOut line;
    line.begin_object();
    write_draw(line, scene, taken.draw);
    line.member("from", to_string(taken.from));
    line.member("why", taken.why);
    line.end_object();
    out.line(line);
  }
  out.end_array();
}

/// A row a draw: most of a plan's text for a large scene, so without names.
void write_marks(ReadableJsonOut& out, const Plan& plan) {
  out.begin_array("marks");
  for (const DrawMark& mark : plan.marks) {
    JsonOut line;
    line.begin_array();
    line.value(mark.draw.node);
    line.value(mark.draw.primitive);
    line.value(mark.place);
    line.value(mark.geometry);
    line.value(mark.look);
    line.value(mark.path);
    line.end_array();
    out.line(line);
  }
  out.end_array();
}

class PlanReader {
 public:
  Result<Plan> read(const std::string& path) {
    return read_document(path, plan_format, in_, *this, plan_version);
  }

  bool member(std::string_view key, JsonValue value, const At& at, Plan& plan) {
    if (key == "scene") {
      return read_scene_ref(value, at, plan);
    }
    if (key == "settings") {
      return read_settings(value, at, plan);
    }
    if (key == "profile") {
      return in_.read(value, at, plan.profile);
    }
    if (key == "view_count") {
      return in_.read(value, at, plan.view_count);
    }
    if (key == "forecast") {
      return in_.object(value, at, [&](std::string_view side, JsonValue v, const At& a) {
        return side == "before"  ? read_outcome(v, a, plan.forecast.before)
               : side == "after" ? read_outcome(v, a, plan.forecast.after)
                                 : unknown_member(in_, a);
      });
    }
    if (key == "marks") {
      return in_.array(value, at, [&](JsonValue item, const At& a) {
        return read_mark(item, a, plan.marks.emplace_back());
      });
    }
    if (key == "materials") {
      return read_routes(in_, value, at, plan.routes);
    }
    if (key == "families") {
      return in_.array(value, at, [&](JsonValue item, const At& a) {
        return read_family(item, a, plan.families.emplace_back());
      });
    }
    if (key == "groups") {
      return in_.array(value, at, [&](JsonValue item, const At& a) {
        return read_group(item, a, plan.groups.emplace_back());
      });
    }
    if (key == "kept") {
      return in_.array(value, at, [&](JsonValue item, const At& a) {
        return read_kept(item, a, plan.kept.emplace_back());
      });
    }
    if (key == "taken_back") {
      return in_.array(value, at, [&](JsonValue item, const At& a) {
        return read_taken_back(item, a, plan.taken_back.emplace_back());
      });
    }
    return unknown_member(in_, at);
  }

 private:
  bool read_scene_ref(JsonValue value, const At& at, Plan& plan) {
    return in_.object(value, at, [&](std::string_view key, JsonValue v, const At& a) {
      if (key == "path") {
        return in_.read(v, a, plan.scene_path);
      }
      return key == "content" ? read_hash(in_, v, a, plan.scene_hash) : unknown_member(in_, a);
    });
  }

  bool read_settings(JsonValue value, const At& at, Plan& plan) {
    Settings settings;
    const bool good =
        in_.object(value, at, [&](std::string_view table, JsonValue inner, const At& a) {
          return in_.object(inner, a, [&](std::string_view key, JsonValue v, const At& b) {
            bool known = false;
            bool read = true;
            for_each_setting(
                settings, [&](std::string_view t, std::string_view k, auto& member, const char*) {
                  if (t == table && k == key && is_planned(t)) {
                    known = true;
                    read = read_setting(v, b, member);
                  }
                });
            return known ? read : unknown_member(in_, b);
          });
        });
    plan.split = settings.split;
    plan.survey_settings = settings.survey;
    plan.settings = settings.propose;
    if (good) {
      for (const auto& valid : {validate(settings.split), validate(settings.propose)}) {
        if (!valid) {
          return in_.fail(ErrorCode::bad_setting, at, valid.error().message);
        }
      }
    }
    return good;
  }

  template <class T>
  bool read_setting(JsonValue value, const At& at, T& out) {
    if constexpr (std::is_enum_v<T>) {
      std::string text;
      return in_.read(value, at, text) &&
             (from_text(text, out) ||
              in_.fail(ErrorCode::bad_value, at,
                       fmt::format("\"{}\" is not one of the words it takes", text)));
    } else {
      return in_.read(value, at, out);
    }
  }

  bool read_mark(JsonValue value, const At& at, DrawMark& out) {
    std::size_t column = 0;
    const bool good = in_.array(value, at, [&](JsonValue v, const At& a) {
      switch (column++) {
        case 0:
          return in_.read(v, a, out.draw.node);
        case 1:
          return in_.read(v, a, out.draw.primitive);
        case 2:
          return in_.read(v, a, out.place);
        case 3:
          return in_.read(v, a, out.geometry);
        case 4:
          return in_.read(v, a, out.look);
        case 5:
          return in_.read(v, a, out.path);
        default:
          return in_.fail(ErrorCode::bad_value, at, "a mark has 6 values");
      }
    });
    return good && (column == 6 || in_.fail(ErrorCode::bad_value, at, "a mark has 6 values"));
  }

  bool read_spread(JsonValue value, const At& at, Spread& out) {
    return in_.object(value, at, [&](std::string_view key, JsonValue v, const At& a) {
      return key == "median"  ? in_.read(v, a, out.median)
             : key == "p95"   ? in_.read(v, a, out.p95)
             : key == "worst" ? in_.read(v, a, out.worst)
                              : unknown_member(in_, a);
    });
  }

  // ---- members by name ----

  bool read_value(JsonValue value, const At& at, Spread& out) {
    return read_spread(value, at, out);
  }
  bool read_value(JsonValue value, const At& at, GroupKind& out) {
    return read_word(in_, value, at, out, 2);
  }
  bool read_value(JsonValue value, const At& at, ColliderShape& out) {
    return read_word(in_, value, at, out, collider_shape_count);
  }
  bool read_value(JsonValue value, const At& at, PivotAt& out) {
    return read_word(in_, value, at, out, pivot_at_count);
  }
  template <class T>
  bool read_value(JsonValue value, const At& at, T& out) {
    return in_.read(value, at, out);
  }

  template <class T>
  static std::pair<std::string_view, T*> field(std::string_view name, T& target) {
    return {name, &target};
  }
  /// Reads the one of the fields that has this name.
  template <class... T>
  bool read_field(std::string_view key,
                  JsonValue value,
                  const At& at,
                  std::pair<std::string_view, T*>... fields) {
    bool known = false;
    bool good = false;
    const auto look = [&](const auto& one) {
      if (one.first == key) {
        known = true;
        good = read_value(value, at, *one.second);
      }
    };
    (look(fields), ...);
    return known ? good : unknown_member(in_, at);
  }

  bool read_outcome(JsonValue value, const At& at, Outcome& out) {
    return in_.object(value, at, [&](std::string_view key, JsonValue v, const At& a) {
      return read_field(key, v, a, field("draws", out.draws), field("triangles", out.triangles),
                        field("vertices", out.vertices), field("bytes", out.bytes),
                        field("view_draws", out.view_draws),
                        field("view_triangles", out.view_triangles),
                        field("frame_draws", out.frame_draws), field("frame_ms", out.frame_ms),
                        field("mean_ms", out.mean_ms));
    });
  }

  bool read_ref(JsonValue value, const At& at, DrawRef& out) {
    return in_.object(value, at, [&](std::string_view key, JsonValue v, const At& a) {
      return read_draw_member(key, v, a, out);
    });
  }

  bool read_family(JsonValue value, const At& at, PlannedFamily& out) {
    return in_.object(value, at, [&](std::string_view key, JsonValue v, const At& a) {
      if (key == "prototype") {
        return read_ref(v, a, out.prototype);
      }
      if (key == "draws") {
        return in_.read(v, a, out.draws);
      }
      if (key != "members") {
        return unknown_member(in_, a);
      }
      return in_.array(v, a, [&](JsonValue item, const At& b) {
        return read_family_member(item, b, out.members.emplace_back());
      });
    });
  }

  bool read_family_member(JsonValue value, const At& at, PlannedFamily::Member& out) {
    return in_.object(value, at, [&](std::string_view key, JsonValue v, const At& a) {
      return key == "draws"      ? in_.read(v, a, out.draws)
             : key == "likeness" ? read_word(in_, v, a, out.likeness, likeness_count)
             : key == "residual" ? in_.read(v, a, out.fit.residual)
             : key == "fit"      ? in_.read(v, a, out.fit.matrix)
                                 : read_draw_member(key, v, a, out.draw);
    });
  }

  bool read_draw_member(std::string_view key, JsonValue value, const At& at, DrawRef& out) {
    if (key == "node") {
      return in_.read(value, at, out.node);
    }
    if (key == "primitive") {
      return in_.read(value, at, out.primitive);
    }
    std::string path;  // for people; the number decides
    return key == "path" ? in_.read(value, at, path) : unknown_member(in_, at);
  }

  bool read_group(JsonValue value, const At& at, Group& out) {
    // The prototype may come after the members, so fits are put in order at the end.
    std::vector<std::pair<std::size_t, Mat4d>> fits;
    const bool good = in_.object(value, at, [&](std::string_view key, JsonValue v, const At& a) {
      if (key == "members") {
        return in_.array(
            v, a, [&](JsonValue item, const At& b) { return read_member(item, b, out, fits); });
      }
      if (key == "prototype") {
        return in_.array(v, a, [&](JsonValue item, const At& b) {
          return read_ref(item, b, out.prototype.emplace_back());
        });
      }
      return read_group_member(key, v, a, out);
    });
    return good && put_fits(fits, at, out);
  }

  bool read_group_member(std::string_view key, JsonValue v, const At& a, Group& out) {
    return read_field(
        key, v, a, field("id", out.id), field("name", out.name), field("object", out.object),
        field("kind", out.kind), field("collider", out.collider), field("pinned", out.pinned),
        field("material", out.material), field("tint", out.tint), field("pivot_at", out.pivot_at),
        field("pivot_node", out.pivot_node), field("pivot", out.pivot), field("reason", out.reason),
        field("triangles", out.triangles), field("vertices", out.vertices),
        field("bytes", out.bytes), field("saved_us", out.saved_us), field("axes", out.axes),
        field("residual", out.residual));
  }

  bool read_member(JsonValue value,
                   const At& at,
                   Group& out,
                   std::vector<std::pair<std::size_t, Mat4d>>& fits) {
    const std::size_t position = out.members.size();
    DrawRef& ref = out.members.emplace_back();
    return in_.object(value, at, [&](std::string_view key, JsonValue v, const At& a) {
      if (key == "fit") {
        return in_.read(v, a, fits.emplace_back(position, identity_matrix).second);
      }
      return read_draw_member(key, v, a, ref);
    });
  }

  bool put_fits(const std::vector<std::pair<std::size_t, Mat4d>>& fits, const At& at, Group& out) {
    if (fits.empty()) {
      return true;
    }
    const std::size_t parts = std::max<std::size_t>(1, out.prototype.size());
    out.fits.assign((out.members.size() + parts - 1) / parts, identity_matrix);
    for (const auto& [member, fit] : fits) {
      if (member % parts != 0) {
        return in_.fail(ErrorCode::bad_value, at,
                        fmt::format("member {} has a fit, but only the first draw of each "
                                    "instance has one",
                                    member));
      }
      out.fits[member / parts] = fit;
    }
    return true;
  }

  bool read_kept(JsonValue value, const At& at, KeptDraw& out) {
    return in_.object(value, at, [&](std::string_view key, JsonValue v, const At& a) {
      if (key == "reason") {
        return read_word(in_, v, a, out.reason, keep_reason_count);
      }
      if (key == "rule") {
        return read_word(in_, v, a, out.rule, stay_rule_count);
      }
      return read_draw_member(key, v, a, out.draw);
    });
  }

  bool read_taken_back(JsonValue value, const At& at, TakenBack& out) {
    return in_.object(value, at, [&](std::string_view key, JsonValue v, const At& a) {
      return key == "from"  ? read_word(in_, v, a, out.from, taken_from_count)
             : key == "why" ? in_.read(v, a, out.why)
                            : read_draw_member(key, v, a, out.draw);
    });
  }

  JsonIn in_;
};

}  // namespace

std::string to_json(const Scene& scene, const Plan& plan) {
  ReadableJsonOut out;
  out.begin_object();
  out.member("format", plan_format);
  out.member("version", plan_version);
  out.begin_object("scene");
  out.member("path", plan.scene_path);
  out.member("content", to_string(plan.scene_hash));
  out.end_object();
  write_settings(out, plan);
  if (!plan.routes.empty()) {
    write_routes(out, plan.routes);
  }
  out.member("profile", plan.profile);
  out.member("view_count", plan.view_count);
  out.begin_object("forecast");
  write_outcome(out, "before", plan.forecast.before);
  write_outcome(out, "after", plan.forecast.after);
  out.end_object();
  out.begin_array("groups");
  for (const Group& group : plan.groups) {
    write_group(out, scene, group);
  }
  out.end_array();
  out.begin_array("kept");
  for (const KeptDraw& kept : plan.kept) {
    JsonOut line;
    line.begin_object();
    write_draw(line, scene, kept.draw);
    line.member("reason", to_string(kept.reason));
    if (kept.reason == KeepReason::must_stay) {
      line.member("rule", to_string(kept.rule));
    }
    line.end_object();
    out.line(line);
  }
  out.end_array();
  if (!plan.taken_back.empty()) {
    write_taken_back(out, scene, plan);
  }
  write_families(out, scene, plan);
  write_marks(out, plan);
  out.end_object();
  return out.take() + "\n";
}

Result<Plan> read_plan(const std::string& path) { return PlanReader().read(path); }

}  // namespace wakuzume
