// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include <fmt/format.h>

#include <map>

#include "documents/document.h"
#include "documents/lightmaps.h"
#include "documents/plan.h"
#include "documents/read_setting.h"
#include "documents/reduction.h"
#include "documents/routes.h"
#include "documents/wishes.h"
#include "settings/fields.h"
#include "wakuzume/io.h"

namespace wakuzume {
namespace {

class PlanReader {
 public:
  Result<Plan> read(const std::string& path) {
    auto plan = read_document(path, plan_format, in_, *this, plan_version);
    if (plan) {
      for (std::size_t g = 0; g < plan->groups.size(); ++g) {
        const std::string what = put_fits(fits_of_[g], plan->groups[g]);
        if (!what.empty()) {
          return Failure(Error{ErrorCode::bad_value, what, {path, fmt::format("/groups/{}", g)}});
        }
      }
      for (DrawMark& mark : plan->marks) {
        const auto known = paths_.find(mark.draw);
        mark.path = known == paths_.end() ? "" : known->second;
      }
    }
    return plan;
  }

  bool member(std::string_view key, JsonValue value, const At& at, Plan& plan) {
    if (key == "scene") {
      return read_scene_ref(value, at, plan);
    }
    if (key == "settings") {
      return read_settings(value, at, plan);
    }
    if (key == "answers") {
      return read_answers(in_, value, at, plan.survey_settings.answers);
    }
    if (key == "split_answers") {
      return read_answers(in_, value, at, plan.split.answers);
    }
    if (key == "wishes") {
      return in_.array(value, at, [&](JsonValue item, const At& a) {
        return read_use(item, a, plan.wishes.emplace_back());
      });
    }
    if (key == "profile") {
      return in_.read(value, at, plan.profile);
    }
    if (key == "view_count") {
      return in_.read(value, at, plan.view_count);
    }
    if (key == "sight") {
      return read_sight(value, at, plan.sight);
    }
    if (key == "forecast") {
      return in_.object(value, at, [&](std::string_view side, JsonValue v, const At& a) {
        return side == "before"       ? read_outcome(v, a, plan.forecast.before)
               : side == "after"      ? read_outcome(v, a, plan.forecast.after)
               : side == "gpu_growth" ? in_.read(v, a, plan.forecast.gpu_growth)
                                      : unknown_member(in_, a);
      });
    }
    if (key == "marks") {
      return read_marks(value, at, plan.marks);
    }
    if (key == "reduction") {
      return read_reduction(in_, value, at, plan.reduction);
    }
    if (key == "lightmaps") {
      return read_lightmaps(in_, value, at, plan.lightmaps);
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
    if (key == "fits") {
      return in_.array(value, at, [&](JsonValue item, const At& a) {
        return in_.read(item, a, fits_.emplace_back());
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

  bool read_use(JsonValue value, const At& at, WishUse& use) {
    return in_.object(value, at, [&](std::string_view key, JsonValue v, const At& a) {
      return key == "setting" ? in_.read(v, a, use.setting)
             : key == "wish"  ? in_.read(v, a, use.wish)
             : key == "value" ? in_.read(v, a, use.value)
             : key == "draws" ? in_.read(v, a, use.draws)
                              : unknown_member(in_, a);
    });
  }

  bool read_sight(JsonValue value, const At& at, BlendSight& sight) {
    return in_.object(value, at, [&](std::string_view key, JsonValue v, const At& a) {
      if (key == "eyes") {
        return in_.array(v, a, [&](JsonValue item, const At& b) {
          return read_eye(item, b, sight.eyes.emplace_back());
        });
      }
      return key == "sorted_by"   ? read_setting_value(in_, v, a, sight.sorting.by)
             : key == "sorted_at" ? read_setting_value(in_, v, a, sight.sorting.at)
                                  : unknown_member(in_, a);
    });
  }

  bool read_eye(JsonValue value, const At& at, OrderEye& eye) {
    return in_.object(value, at, [&](std::string_view key, JsonValue v, const At& a) {
      return key == "at"            ? in_.read(v, a, eye.at)
             : key == "axis"        ? in_.read(v, a, eye.axis)
             : key == "perspective" ? in_.read(v, a, eye.perspective)
                                    : unknown_member(in_, a);
    });
  }

  bool read_settings(JsonValue value, const At& at, Plan& plan) {
    Settings settings;
    const bool good =
        in_.object(value, at, [&](std::string_view table, JsonValue inner, const At& a) {
          return in_.object(inner, a, [&](std::string_view key, JsonValue v, const At& b) {
            return read_setting(in_, key, v, b, [&](const auto& visit) {
              for_each_setting(settings, [&](std::string_view t, std::string_view k, auto& member,
                                             const Meaning&) {
                if (t == table && is_planned(t)) {
                  visit(k, member);
                }
              });
            });
          });
        });
    // Answers stand beside the settings.
    settings.split.answers = std::move(plan.split.answers);
    settings.survey.answers = std::move(plan.survey_settings.answers);
    plan.split = settings.split;
    plan.survey_settings = settings.survey;
    plan.settings = settings.propose;
    if (good) {
      for (const auto& valid :
           {validate(settings.split), validate(settings.survey), validate(settings.propose)}) {
        if (!valid) {
          return in_.fail(ErrorCode::bad_setting, at, valid.error().message);
        }
      }
    }
    return good;
  }

  bool read_marks(JsonValue value, const At& at, std::vector<DrawMark>& out) {
    std::vector<std::uint32_t> geometry;
    std::vector<std::uint32_t> looks;
    const bool good = in_.object(value, at, [&](std::string_view key, JsonValue v, const At& a) {
      if (key == "draws") {
        return in_.array(
            v, a, [&](JsonValue item, const At& b) { return read_node_marks(item, b, out); });
      }
      return key == "geometry" ? in_.read(v, a, geometry)
             : key == "looks"  ? in_.read(v, a, looks)
                               : unknown_member(in_, a);
    });
    return good && look_up(geometry, &DrawMark::geometry, at, out) &&
           look_up(looks, &DrawMark::look, at, out);
  }

  /// Node and place, then primitive, geometry and look of each of its draws.
  bool read_node_marks(JsonValue value, const At& at, std::vector<DrawMark>& out) {
    DrawMark node;
    std::size_t columns = 0;
    const bool good = in_.array(value, at, [&](JsonValue v, const At& a) {
      const std::size_t column = columns++;
      if (column < 2) {
        return column == 0 ? in_.read(v, a, node.draw.node) : in_.read(v, a, node.place);
      }
      if (column % 3 == 2) {
        return in_.read(v, a, out.emplace_back(node).draw.primitive);
      }
      return column % 3 == 0 ? in_.read(v, a, out.back().geometry)
                             : in_.read(v, a, out.back().look);
    });
    return good && ((columns > 2 && columns % 3 == 2) ||
                    in_.fail(ErrorCode::bad_value, at,
                             "a row has a node, a place, and three values for each draw"));
  }

  /// Puts hashes where their numbers were read.
  bool look_up(const std::vector<std::uint32_t>& hashes,
               std::uint32_t DrawMark::*number,
               const At& at,
               std::vector<DrawMark>& marks) {
    for (DrawMark& mark : marks) {
      if (mark.*number >= hashes.size()) {
        return in_.fail(ErrorCode::index_out_of_range, at,
                        fmt::format("a mark of node {} names hash {} of {}",
                                    to_index(mark.draw.node), mark.*number, hashes.size()));
      }
      mark.*number = hashes[mark.*number];
    }
    return true;
  }

  /// The first columns of a draw's row. The number decides; by its path a draw is found again in a
  /// scene that changed.
  bool read_draw_column(std::size_t column, JsonValue v, const At& a, DrawRef& out) {
    if (column < 2) {
      return column == 0 ? in_.read(v, a, out.node) : in_.read(v, a, out.primitive);
    }
    return in_.read(v, a, paths_[out]);
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
  bool read_value(JsonValue value, const At& at, BlendOrder& out) {
    return read_word(in_, value, at, out, blend_order_count);
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
                        field("view_bytes", out.view_bytes), field("frame_draws", out.frame_draws),
                        field("frame_ms", out.frame_ms), field("mean_ms", out.mean_ms),
                        field("price_ms", out.price_ms));
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
    std::vector<std::pair<std::size_t, std::uint32_t>>& fit_of = fits_of_.emplace_back();
    return in_.object(value, at, [&](std::string_view key, JsonValue v, const At& a) {
      if (key == "members") {
        return in_.array(
            v, a, [&](JsonValue item, const At& b) { return read_member(item, b, out, fit_of); });
      }
      if (key == "prototype") {
        return in_.array(v, a, [&](JsonValue item, const At& b) {
          DrawRef& ref = out.prototype.emplace_back();
          return read_row(in_, item, b, 2, 3, [&](std::size_t column, JsonValue w, const At& c) {
            return read_draw_column(column, w, c, ref);
          });
        });
      }
      if (key == "values") {
        return in_.array(v, a, [&](JsonValue item, const At& b) {
          ValueRange& range = out.values.emplace_back();
          return in_.object(item, b, [&](std::string_view name, JsonValue w, const At& c) {
            return read_field(name, w, c, field("name", range.name), field("min", range.min),
                              field("max", range.max), field("without", range.without));
          });
        });
      }
      return read_group_member(key, v, a, out);
    });
  }

  bool read_group_member(std::string_view key, JsonValue v, const At& a, Group& out) {
    return read_field(
        key, v, a, field("id", out.id), field("name", out.name), field("object", out.object),
        field("kind", out.kind), field("collider", out.collider), field("order", out.order),
        field("pinned", out.pinned), field("material", out.material), field("tint", out.tint),
        field("pivot_at", out.pivot_at), field("pivot_node", out.pivot_node),
        field("pivot", out.pivot), field("reason", out.reason), field("triangles", out.triangles),
        field("vertices", out.vertices), field("bytes", out.bytes), field("saved_us", out.saved_us),
        field("axes", out.axes), field("residual", out.residual));
  }

  bool read_member(JsonValue value,
                   const At& at,
                   Group& out,
                   std::vector<std::pair<std::size_t, std::uint32_t>>& fit_of) {
    const std::size_t position = out.members.size();
    DrawRef& ref = out.members.emplace_back();
    return read_row(in_, value, at, 2, 4, [&](std::size_t column, JsonValue v, const At& a) {
      return column == 3 ? in_.read(v, a, fit_of.emplace_back(position, 0).second)
                         : read_draw_column(column, v, a, ref);
    });
  }

  /// \return what is wrong with them; empty: nothing
  [[nodiscard]] std::string put_fits(
      const std::vector<std::pair<std::size_t, std::uint32_t>>& fit_of, Group& out) const {
    if (fit_of.empty()) {
      return "";
    }
    const std::size_t parts = std::max<std::size_t>(1, out.prototype.size());
    out.fits.assign((out.members.size() + parts - 1) / parts, identity_matrix);
    for (const auto& [member, fit] : fit_of) {
      if (member % parts != 0) {
        return fmt::format("member {} has a fit, but only the first draw of each instance has one",
                           member);
      }
      if (fit >= fits_.size()) {
        return fmt::format("member {} has fit {} of {}", member, fit, fits_.size());
      }
      out.fits[member / parts] = fits_[fit];
    }
    return "";
  }

  bool read_kept(JsonValue value, const At& at, KeptDraw& out) {
    return read_row(in_, value, at, 4, 5, [&](std::size_t column, JsonValue v, const At& a) {
      return column == 3   ? read_word(in_, v, a, out.reason, keep_reason_count)
             : column == 4 ? read_word(in_, v, a, out.rule, stay_rule_count)
                           : read_draw_column(column, v, a, out.draw);
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
  std::map<DrawRef, std::string> paths_;
  std::vector<Mat4d> fits_;
  /// By group: positions of members and of their fits, which may come after the groups.
  std::vector<std::vector<std::pair<std::size_t, std::uint32_t>>> fits_of_;
};

}  // namespace

Result<Plan> read_plan(const std::string& path) { return PlanReader().read(path); }

}  // namespace wakuzume
