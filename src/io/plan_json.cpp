// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include <fmt/format.h>

#include "io/document.h"
#include "io/file.h"
#include "io/json_out.h"
#include "io/settings_fields.h"
#include "wakuzume/io.h"

namespace wakuzume {
namespace {

constexpr const char* plan_format = "wakuzume-plan";

void write_draw(JsonOut& out, const Scene& scene, const DrawRef& ref) {
  out.member("node", ref.node);
  out.member("primitive", ref.primitive);
  out.member("path", make_node_path(scene, ref.node));
}

/// Tables of the settings that a plan depends on.
bool is_planned(std::string_view table) { return table == "survey" || table == "propose"; }

void write_settings(ReadableJsonOut& out, const Plan& plan) {
  Settings settings;
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

void write_group(ReadableJsonOut& out, const Scene& scene, const Group& group) {
  out.begin_object();
  out.member("id", group.id);
  out.member("name", group.name);
  out.member("kind", to_string(group.kind));
  if (group.material != no_material) {
    out.member("material", group.material);
  }
  out.member_line("pivot", group.pivot);
  out.member("reason", group.reason);
  out.member("triangles", group.triangles);
  out.member("vertices", group.vertices);
  out.begin_array("members");
  for (const DrawRef& ref : group.members) {
    JsonOut line;
    line.begin_object();
    write_draw(line, scene, ref);
    line.end_object();
    out.line(line);
  }
  out.end_array();
  out.end_object();
}

class PlanReader {
 public:
  Result<Plan> read(const std::string& path) {
    return read_document(path, plan_format, in_, *this);
  }

  bool member(std::string_view key, JsonValue value, const At& at, Plan& plan) {
    if (key == "scene") {
      return read_scene_ref(value, at, plan);
    }
    if (key == "settings") {
      return read_settings(value, at, plan);
    }
    if (key == "cell_size_m") {
      return in_.read(value, at, plan.cell_size_m);
    }
    if (key == "forecast") {
      return read_forecast(value, at, plan.forecast);
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
    plan.survey_settings = settings.survey;
    plan.settings = settings.propose;
    if (good) {
      if (auto valid = validate(settings.propose); !valid) {
        return in_.fail(ErrorCode::bad_setting, at, valid.error().message);
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

  bool read_forecast(JsonValue value, const At& at, Forecast& out) {
    return in_.object(value, at, [&](std::string_view key, JsonValue v, const At& a) {
      if (key == "draws_before") {
        return in_.read(v, a, out.draws_before);
      }
      if (key == "draws_after") {
        return in_.read(v, a, out.draws_after);
      }
      if (key == "vertices_stored_before") {
        return in_.read(v, a, out.vertices_stored_before);
      }
      return key == "vertices_stored_after" ? in_.read(v, a, out.vertices_stored_after)
                                            : unknown_member(in_, a);
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
    return in_.object(value, at, [&](std::string_view key, JsonValue v, const At& a) {
      if (key == "id") {
        return in_.read(v, a, out.id);
      }
      if (key == "name") {
        return in_.read(v, a, out.name);
      }
      if (key == "kind") {
        return read_word(in_, v, a, out.kind, 2);
      }
      if (key == "material") {
        return in_.read(v, a, out.material);
      }
      if (key == "pivot") {
        return in_.read(v, a, out.pivot);
      }
      if (key == "reason") {
        return in_.read(v, a, out.reason);
      }
      if (key == "triangles") {
        return in_.read(v, a, out.triangles);
      }
      if (key == "vertices") {
        return in_.read(v, a, out.vertices);
      }
      if (key != "members") {
        return unknown_member(in_, a);
      }
      return in_.array(v, a, [&](JsonValue item, const At& b) {
        DrawRef& ref = out.members.emplace_back();
        return in_.object(item, b, [&](std::string_view name, JsonValue inner, const At& c) {
          return read_draw_member(name, inner, c, ref);
        });
      });
    });
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

  JsonIn in_;
};

}  // namespace

std::string to_json(const Scene& scene, const Plan& plan) {
  ReadableJsonOut out;
  out.begin_object();
  out.member("format", plan_format);
  out.member("version", 1U);
  out.begin_object("scene");
  out.member("path", plan.scene_path);
  out.member("content", to_string(plan.scene_hash));
  out.end_object();
  write_settings(out, plan);
  out.member("cell_size_m", plan.cell_size_m);
  out.begin_object("forecast");
  out.member("draws_before", plan.forecast.draws_before);
  out.member("draws_after", plan.forecast.draws_after);
  out.member("vertices_stored_before", plan.forecast.vertices_stored_before);
  out.member("vertices_stored_after", plan.forecast.vertices_stored_after);
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
  out.end_object();
  return out.take() + "\n";
}

Result<Plan> read_plan(const std::string& path) { return PlanReader().read(path); }

}  // namespace wakuzume
