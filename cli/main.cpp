// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include <CLI/CLI.hpp>
#include <charconv>
#include <cmath>
#include <exception>
#include <functional>
#include <sstream>
#include <tuple>

#include "commands.h"
#include "wakuzume/picture.h"
#include "wakuzume/settings_file.h"
#include "wakuzume/version.h"

namespace wakuzume::cli {
namespace {

void add_common(CLI::App& command, Options& options) {
  command
      .add_option("--settings", options.settings_file,
                  "TOML file with settings, and not the project's wakuzume.toml")
      ->type_name("FILE");
  command.add_option("--threads", options.threads, "Threads; 0: as many as there are processors")
      ->check(CLI::Range(0U, 1024U));
  command.add_flag_callback(
      "--quiet", [&] { options.talk = Talk::quiet; }, "Only errors");
  command.add_flag_callback(
      "--verbose", [&] { options.talk = Talk::verbose; }, "Tell each step and its time");
}

void add_format(CLI::App& command, Options& options, const std::vector<std::string>& names) {
  command
      .add_option_function<std::string>(
          "--format",
          [&](const std::string& name) {
            options.format = name == "json"  ? Format::json
                             : name == "csv" ? Format::csv
                                             : Format::text;
          },
          "Text for people, the rest for programs")
      ->check(CLI::IsMember(names));
}
void add_format(CLI::App& command, Options& options) {
  add_format(command, options, {"text", "json"});
}

/// Options of the settings of a table, each as the settings declare it.
void add_setting_options(CLI::App& command, Options& options, std::string_view table) {
  for (const SettingOption& setting : list_setting_options()) {
    if (setting.table != table) {
      continue;
    }
    CLI::Option* const made = command.add_option_function<std::vector<std::string>>(
        setting.option,
        [&options, name = setting.option](const std::vector<std::string>& values) {
          options.settings[name] = values;
        },
        setting.help);
    made->allow_extra_args(false);
    if (!setting.repeats) {
      made->expected(1)->multi_option_policy(CLI::MultiOptionPolicy::TakeLast);
    }
    if (!setting.value.empty()) {
      made->type_name(setting.value);
    }
    if (!setting.words.empty()) {
      made->type_name("TEXT")->check(CLI::IsMember(setting.words));
    } else if (!setting.repeats) {
      made->check(CLI::Validator(
          [name = setting.option](const std::string& value) {
            Settings scratch;
            const auto done = assign(scratch, name, {value});
            // The option is named before it.
            return done ? std::string() : done.error().message.substr(name.size() + 2);
          },
          ""));
    }
  }
}

void add_view_options(CLI::App& command, Options& options) {
  add_setting_options(command, options, "views");
  command.add_option("--views-file", options.views_file, "Look from these views and no others")
      ->type_name("FILE");
  add_setting_options(command, options, "cost");
}

void add_mend_option(CLI::App& command, Options& options) {
  command
      .add_option_function<std::string>(
          "--mend", [&](const std::string& word) { options.never_mends = word == "never"; },
          "What the proof rejects is taken back and planned again, or never")
      ->check(CLI::IsMember({"always", "never"}));
}

void add_budget_options(CLI::App& command, Options& options) {
  command
      .add_option("--budget", options.budgets,
                  "Fail above a limit, as draws_per_view=2000; may be given again")
      ->type_name("FIGURE=LIMIT")
      ->allow_extra_args(false);
  command.add_option("--tier", options.tier, "Demand this tier of the settings");
}

void add_table_options(CLI::App& command, Options& options) {
  command
      .add_option("--where", options.where,
                  "Rows that hold, as 'triangles>500' or 'node=/hall/*'; all must, given again")
      ->type_name("COLUMN=VALUE")
      ->allow_extra_args(false);
  command.add_option("--sort", options.sort, "A column, with :up or :down after it")
      ->type_name("COLUMN");
  command.add_option("--top", options.top, "So many rows; text prints 20, the others all");
}

void add_survey_options(CLI::App& command, Options& options) {
  command.add_option("--table", options.table, "Print a table: a row a draw, view, finding or key")
      ->check(CLI::IsMember({"draws", "views", "findings", "near"}));
  command.add_option("--by", options.by, "Print draws grouped: by merge key, material ...")
      ->check(CLI::IsMember({"key", "material", "family", "mesh", "level", "subtree"}))
      ->excludes("--table");
  command.add_option("--depth", options.depth, "With --by subtree: steps of the node path")
      ->check(CLI::Range(1, 512))
      ->capture_default_str();
  add_table_options(command, options);
  add_setting_options(command, options, "survey");
  add_view_options(command, options);
  command.add_option("--save-views", options.save_views, "Write the views that were used")
      ->type_name("FILE");
  add_budget_options(command, options);
  command.add_flag("--skip-pixels", options.skip_pixels, "Look at the sizes of images alone");
}

void add_build_options(CLI::App& command, Options& options) {
  command.add_flag("--carry-source", options.carry_source,
                   "The source goes along in the same file, in a scene that is not shown");
  // What makes a plan has it among its settings.
  if (command.get_option_no_throw("--as-asset") == nullptr) {
    command
        .add_option("--as-asset", options.assets,
                    "Write a group as a file of its own too; a wish, may be given again")
        ->type_name("WISH")
        ->allow_extra_args(false);
  }
  command
      .add_option("--asset-pivot", options.asset_pivot,
                  "Origin of what repeats in such a file: its own, or by its box")
      ->check(CLI::IsMember({"own", "centre", "base"}))
      ->capture_default_str();
  command
      .add_option("--cache", options.cache,
                  "Keep what is merged in this folder, and redo only what changed since")
      ->type_name("DIR");
}

void add_earlier_options(CLI::App& command, Options& options) {
  command
      .add_option("--revise", options.revise,
                  "Plan again; what is pinned or kept in this plan stays")
      ->type_name("PLAN");
  command.add_option("--rebase", options.rebase, "Take this plan over to a scene that was changed")
      ->type_name("PLAN")
      ->excludes("--revise");
  command
      .add_option("--why", options.why,
                  "Tell why these nodes went where they went; a wish, or the path of one")
      ->type_name("WISH");
  command.callback([&options] {
    const bool earlier = !options.revise.empty() || !options.rebase.empty();
    if (options.input.empty() && !earlier) {
      throw CLI::RequiredError("scene");
    }
    if (options.output.empty() && options.why.empty() && !options.compares) {
      throw CLI::RequiredError("--output");
    }
  });
}

/// "10000" triangles, or "50%" of them.
void parse_count(const char* option, const std::string& text, ReduceSettings& settings) {
  const bool share = text.ends_with('%');
  const char* const end = text.data() + text.size() - (share ? 1 : 0);
  double number = 0;
  const auto read = std::from_chars(text.data(), end, number);
  if (read.ec != std::errc() || read.ptr != end || number < 0 || (share && number > 100) ||
      (!share && (number < 1 || number != std::floor(number) || number > 4294967295.0))) {
    throw CLI::ValidationError(
        option, "write how many triangles may stay, as 10000 or 50%, not '" + text + "'");
  }
  settings.share = share ? number / 100 : 1;
  settings.triangles = share ? 0 : static_cast<std::uint32_t>(number);
}

/// "0.01" or "0.01m" metres, "2px".
void parse_error(const char* option, const std::string& text, ReduceSettings& settings) {
  double number = 0;
  const auto read = std::from_chars(text.data(), text.data() + text.size(), number);
  const std::string unit(read.ptr, text.data() + text.size());
  if (read.ec != std::errc() || !(number > 0) || (unit != "" && unit != "m" && unit != "px")) {
    throw CLI::ValidationError(option,
                               "write a distance above 0, as 0.01m or 2px, not '" + text + "'");
  }
  settings.error_px = unit == "px" ? number : 0;
  settings.error_m = unit == "px" ? 0 : number;
}

/// How few triangles may stay and how far they may lie off; what is to stay as it is.
/// \param count  name of the first of these options
void add_reduce_wishes(CLI::App& command, Options& options, const char* count) {
  const auto add = [&](const char* name, const char* type, const char* help,
                       void (*parse)(const char*, const std::string&, ReduceSettings&)) {
    command
        .add_option_function<std::string>(
            name,
            [&options, name, parse](const std::string& text) {
              ReduceSettings tried;
              parse(name, text, tried);  // a fault is one of the line
              options.reduce.emplace_back(
                  [name, parse, text](ReduceSettings& settings) { parse(name, text, settings); });
            },
            help)
        ->type_name(type);
  };
  add(count, "COUNT", "So many triangles as drawn may stay, or such a share: 10000, 50%",
      parse_count);
  add("--error", "LENGTH", "How far surfaces may lie off: 0.01m, or 2px of the nearest view",
      parse_error);
  add_setting_options(command, options, "reduce");
}

void add_reduce_options(CLI::App& command, Options& options) {
  add_reduce_wishes(command, options, "--to");
  command
      .add_option_function<double>(
          "--distance",
          [&options](double metres) {
            options.reduce.emplace_back(
                [metres](ReduceSettings& settings) { settings.distance_m = metres; });
          },
          "Pixels as seen from so many metres, and not from the views")
      ->type_name("METRES");
  command.add_flag_function(
      "--old-vertices",
      [&options](std::int64_t) {
        options.reduce.emplace_back(
            [](ReduceSettings& settings) { settings.places = VertexPlaces::old; });
      },
      "Use vertices that are there alone, so that all they carry stays exact");
  command.add_flag("--merge", options.merges,
                   "Then merge all that can be drawn as one, into one mesh where nothing moves");
  add_setting_options(command, options, "materials");
  command.add_option("--top", options.top, "Print so many meshes, those that gave most first")
      ->type_name("ROWS");
}

void add_propose_options(CLI::App& command, Options& options) {
  add_view_options(command, options);
  for (const char* table :
       {"survey", "propose", "geometry", "gpu_pictures", "split", "lightmaps", "materials"}) {
    add_setting_options(command, options, table);
  }
  add_reduce_wishes(command, options, "--reduce");
  // An earlier plan numbers the nodes of its own split, and has a reduction of its own.
  for (const char* earlier : {"--revise", "--rebase"}) {
    if (CLI::Option* const option = command.get_option_no_throw(earlier)) {
      for (const char* decided :
           {"--keep", "--moving", "--helper", "--split", "--reduce", "--error", "--protect",
            "--protect-joints", "--protect-by", "--protect-detail", "--relief"}) {
        command.get_option(decided)->excludes(option);
      }
    }
  }
}

/// "left=right", both not empty.
std::pair<std::string, std::string> cut_pair(const char* option, const std::string& text) {
  const std::size_t at = text.rfind('=');
  if (at == std::string::npos || at == 0 || at + 1 == text.size()) {
    throw CLI::ValidationError(option, "write left=right, not '" + text + "'");
  }
  return {text.substr(0, at), text.substr(at + 1)};
}

/// "base", "centre", "origin", "1,2,3" or the path of a node.
void parse_pivot(const std::string& text, Edit& edit) {
  std::istringstream numbers(text);
  char comma = 0;
  if (text == "base" || text == "centre" || text == "origin") {
    edit.pivot_at = text == "base"     ? PivotAt::bounds_base
                    : text == "centre" ? PivotAt::bounds_centre
                                       : PivotAt::world_origin;
  } else if (text.starts_with("/")) {
    edit.pivot_at = PivotAt::node;
    edit.value = text;
  } else if (numbers >> edit.point[0] >> comma >> edit.point[1] >> comma >> edit.point[2] &&
             numbers.eof()) {
    edit.pivot_at = PivotAt::point;
  } else {
    throw CLI::ValidationError("--pivot",
                               "'" + text + "' is no base, centre, origin, x,y,z or /node/path");
  }
}

void add_edit_options(CLI::App& command, Options& options) {
  const auto add = [&](const char* name, EditKind kind, const char* type, const char* help,
                       auto fill) {
    command
        .add_option_function<std::vector<std::string>>(
            name,
            [&options, kind, fill](const std::vector<std::string>& values) {
              for (const std::string& value : values) {
                Edit edit;
                edit.kind = kind;
                fill(value, edit);
                options.edits.push_back(std::move(edit));
              }
            },
            help)
        ->type_name(type)
        ->allow_extra_args(false)
        ->trigger_on_parse();  // in the order of the line, whatever that of the options is
  };
  const auto nodes = [](const std::string& text, Edit& edit) { edit.nodes = text; };
  const auto group = [](const std::string& text, Edit& edit) { edit.group = text; };
  add("--keep", EditKind::keep, "WISH", "Leave nodes as they are; a wish", nodes);
  add("--release", EditKind::release, "WISH", "Give kept nodes back to the next planning", nodes);
  add("--move", EditKind::move, "WISH=GROUP", "Put nodes into a group",
      [](const std::string& text, Edit& edit) {
        std::tie(edit.nodes, edit.group) = cut_pair("--move", text);
      });
  add("--merge", EditKind::merge, "GROUP", "Merge a group of instances", group);
  add("--instance", EditKind::instance, "GROUP", "Draw what repeats in a group as instances",
      group);
  add("--pivot", EditKind::pivot, "GROUP=PLACE",
      "Origin of a group: base, centre, origin, x,y,z or /node/path",
      [](const std::string& text, Edit& edit) {
        const auto [name, place] = cut_pair("--pivot", text);
        edit.group = name;
        parse_pivot(place, edit);
      });
  add("--rename", EditKind::rename, "GROUP=NAME", "Give a group a name",
      [](const std::string& text, Edit& edit) {
        std::tie(edit.group, edit.value) = cut_pair("--rename", text);
      });
  add("--join", EditKind::join, "GROUP=OBJECT",
      "Make a merged group a primitive of an object, with others of that name",
      [](const std::string& text, Edit& edit) {
        std::tie(edit.group, edit.value) = cut_pair("--join", text);
      });
  add("--unjoin", EditKind::join, "GROUP", "Give a group a mesh of its own again", group);
  add("--collider", EditKind::collide, "GROUP=SHAPE",
      "Collider of a group: triangles, box, hull or none", [](const std::string& text, Edit& edit) {
        const auto [name, word] = cut_pair("--collider", text);
        const auto shape = find_collider_shape(word);
        if (!shape) {
          throw CLI::ValidationError("--collider",
                                     "'" + word + "' is no triangles, box, hull or none");
        }
        edit.group = name;
        edit.collider = *shape;
      });
  command
      .add_option_function<std::vector<std::string>>(
          "--triangles",
          [&options](const std::vector<std::string>& values) {
            for (const std::string& value : values) {
              auto [name, count] = cut_pair("--triangles", value);
              ReduceSettings wanted;
              parse_count("--triangles", count, wanted);
              options.group_triangles.emplace_back(std::move(name), wanted);
            }
          },
          "So many triangles a group may draw, before all other edits: 500, 40%; 100%: as it was")
      ->type_name("GROUP=COUNT")
      ->allow_extra_args(false);
  add("--pin", EditKind::pin, "GROUP", "Leave a group as it is when planning again", group);
  add("--unpin", EditKind::unpin, "GROUP", "Let a group be planned again", group);
}

/// "1280x800"
void parse_size(const std::string& text, Options& options) {
  std::istringstream numbers(text);
  char by = 0;
  if (!(numbers >> options.picture_width >> by >> options.picture_height) || by != 'x' ||
      !numbers.eof() || options.picture_width < 320 || options.picture_width > 8192 ||
      options.picture_height < 240 || options.picture_height > 8192) {
    throw CLI::ValidationError("--size", "'" + text + "' is no size from 320x240 to 8192x8192");
  }
}

void add_picture_options(CLI::App& command, Options& options) {
  std::vector<std::string> words;
  for (std::size_t s = 0; s < showing_count; ++s) {
    words.emplace_back(to_string(static_cast<Showing>(s)));
  }
  command.add_option("--show", options.show, "What the picture shows")
      ->check(CLI::IsMember(words))
      ->capture_default_str();
  CLI::Option* const camera =
      command
          .add_option("--camera", options.camera,
                      "Look through this camera, or from the view of this name")
          ->type_name("NAME");
  CLI::Option* const view =
      command
          .add_option("--view", options.view_number,
                      "Look from this view, counted as --table views lists them; else from outside")
          ->type_name("NUMBER")
          ->excludes(camera);
  command.add_flag("--all-views", options.all_views, "A sheet with every view")
      ->excludes(camera)
      ->excludes(view);
  command.add_option("--with", options.second, "Put this scene beside it, from the same view")
      ->type_name("FILE");
  command.add_option("--plan", options.plan, "Whose groups and routes are shown")
      ->type_name("FILE");
  command
      .add_option("--ledger", options.ledger,
                  "Whose groups and routes are shown, if it is not beside the scene")
      ->type_name("FILE");
  command
      .add_option_function<std::string>(
          "--size", [&](const std::string& text) { parse_size(text, options); },
          "Of the picture in pixels; 1280x800 unless said")
      ->type_name("WIDTHxHEIGHT");
  add_setting_options(command, options, "views");
  command.add_option("--views-file", options.views_file, "Look from these views and no others")
      ->type_name("FILE");
}

std::string check_picture_ending(const std::string& path) {
  for (const char* ending : {".png", ".jpg", ".jpeg", ".webp"}) {
    if (path.ends_with(ending)) {
      return "";
    }
  }
  return path + " must end in .png, .jpg or .webp";
}

CLI::Option* add_input(CLI::App& command, std::string& target, const char* name, const char* help) {
  return command.add_option(name, target, help)->required()->type_name("FILE");
}

std::string check_scene_ending(const std::string& path) {
  return path.ends_with(".glb") || path.ends_with(".gltf") ? ""
                                                           : path + " must end in .glb or .gltf";
}

/// The command line, and which command it asks for.
class Line {
 public:
  Line() {
    app_.set_version_flag("--version", std::string("wakuzume ") + WAKUZUME_VERSION);
    app_.require_subcommand(1);
    app_.footer(exit_help);

    CLI::App& survey =
        add("survey", "What a scene costs and what keeps its draws apart", survey_command);
    survey
        .add_option("scene", options_.inputs,
                    "The scene, .glb, .gltf, .dae or .obj; several are compared")
        ->required()
        ->type_name("FILE");
    survey.add_option("-o,--output", options_.output, "Write there and not to stdout");
    add_survey_options(survey, options_);
    add_format(survey, options_, {"text", "json", "csv"});

    CLI::App& propose =
        add("propose", "Decide what to merge and instance, with reasons and a forecast",
            propose_command);
    propose
        .add_option("scene", options_.input,
                    "The scene, .glb, .gltf, .dae or .obj; an earlier plan names its own")
        ->type_name("FILE");
    propose.add_option("-o,--output", options_.output, "The plan to write");
    add_earlier_options(propose, options_);
    add_propose_options(propose, options_);
    propose.add_flag("--compare", options_.compares,
                     "Show beside it: instances only, merges only, and the best of five grids");
    add_format(propose, options_);

    CLI::App& edit =
        add("edit", "Change a plan by hand; edits are carried out in the order of the line",
            edit_command);
    add_input(edit, options_.revise, "plan", "The plan");
    edit.add_option("-o,--output", options_.output, "The plan to write")->required();
    add_edit_options(edit, options_);
    add_view_options(edit, options_);
    add_format(edit, options_);

    CLI::App& materials =
        add("materials", "Where a plan leads each material, why, and what its pages look like",
            materials_command);
    add_input(materials, options_.input, "plan", "The plan; with --compare a scene, too");
    materials.add_option("--scene", options_.scene, "The source, if it is not where the plan says");
    materials
        .add_option("--sheets", options_.sheets,
                    "Draw each page with the outlines and names of its tiles, as SVG")
        ->type_name("DIR");
    materials.add_flag("--compare", options_.compares,
                       "What each goal would give, in texels a metre, megabytes and draws; also of "
                       "a scene");
    add_table_options(materials, options_);
    add_view_options(materials, options_);
    add_setting_options(materials, options_, "materials");
    add_format(materials, options_, {"text", "json", "csv"});

    CLI::App& build =
        add("build", "Carry a plan out; writes the ledger beside the scene", build_command);
    add_input(build, options_.input, "plan", "The plan");
    build.add_option("-o,--output", options_.output, "The scene to write, .glb or .gltf")
        ->required()
        ->check(check_scene_ending);
    build.add_option("--scene", options_.scene, "The source, if it is not where the plan says");
    add_setting_options(build, options_, "geometry");
    add_setting_options(build, options_, "gpu_pictures");
    add_build_options(build, options_);

    CLI::App& verify =
        add("verify", "Prove that a result still holds all of its source", verify_command);
    add_input(verify, options_.input, "before", "The source scene");
    add_input(verify, options_.second, "after", "The built scene");
    verify.add_option("--ledger", options_.ledger, "The ledger, if it is not beside the result");
    verify.add_option("-o,--output", options_.output, "Write there and not to stdout");
    verify
        .add_option("--pictures", options_.pictures,
                    "Write what was compared there: before, after and where they differ")
        ->type_name("DIR");
    add_view_options(verify, options_);
    add_budget_options(verify, options_);
    add_format(verify, options_);

    CLI::App& restore =
        add("restore", "Put what was merged or instanced back as it was: all, or what is named",
            restore_command);
    add_input(restore, options_.input, "after", "The built scene");
    restore.add_option("-o,--output", options_.output, "The scene to write, .glb or .gltf")
        ->required()
        ->check(check_scene_ending);
    restore
        .add_option("--group", options_.groups,
                    "Only what is in these groups; a glob over the names of their nodes")
        ->type_name("GLOB")
        ->allow_extra_args(false);
    restore
        .add_option("--node", options_.nodes,
                    "Only these nodes of the source and all below them; a wish")
        ->type_name("WISH")
        ->allow_extra_args(false);
    restore.add_option("--ledger", options_.ledger, "The ledger, if it is not beside the scene");
    restore.add_option("--scene", options_.scene, "The source, if it is not where the ledger says");

    CLI::App& picture =
        add("picture", "Look at a scene: shaded, by draw, by merge key, by density and more",
            picture_command);
    add_input(picture, options_.input, "scene", "The scene, .glb, .gltf, .dae or .obj");
    picture.add_option("-o,--output", options_.output, "The picture to write, .png, .jpg or .webp")
        ->required()
        ->check(check_picture_ending);
    add_picture_options(picture, options_);

    CLI::App& reduce =
        add("reduce",
            "Fewer triangles, where they are missed least; seams and what you name stay whole",
            reduce_command);
    add_input(reduce, options_.input, "scene", "The scene, .glb, .gltf, .dae or .obj");
    reduce.add_option("-o,--output", options_.output, "The scene to write, .glb or .gltf")
        ->required()
        ->check(check_scene_ending);
    add_reduce_options(reduce, options_);
    add_view_options(reduce, options_);
    add_format(reduce, options_);

    CLI::App& repaint = add(
        "repaint", "Paint the shared pictures of a result anew after those of its source changed",
        repaint_command);
    add_input(repaint, options_.input, "after", "The built scene; its pictures are written");
    repaint.add_option("--ledger", options_.ledger, "The ledger, if it is not beside the scene");
    repaint.add_option("--scene", options_.scene, "The source, if it is not where the ledger says");

    CLI::App& run =
        add("run", "All of it: scene, plan, ledger, survey and verdict in a folder", run_command);
    add_input(run, options_.input, "scene", "The scene, .glb, .gltf, .dae or .obj");
    run.add_option("-o,--output", options_.output, "The folder")->required();
    add_mend_option(run, options_);
    add_propose_options(run, options_);
    add_build_options(run, options_);
    add_format(run, options_);

    CLI::App& demo =
        add("demo", "The same on the glasshouse, a scene that comes with the tool", demo_command);
    demo.add_option("folder", demo_folder_, "Where to put it")->capture_default_str();
    add_mend_option(demo, options_);
    add_propose_options(demo, options_);
    add_format(demo, options_);

    CLI::App& settings = add("settings", "Print every setting with its value and meaning, as TOML",
                             settings_command);
    settings.add_option("scene", options_.input,
                        "Scene that they are for, or a plan: those of its project count");
    settings.add_flag("--effective", options_.effective,
                      "As they count here, and where each value comes from");
    settings.add_option("-o,--output", options_.output, "Write there and not to stdout");
    for (const char* table : {"split", "survey", "views", "cost", "reduce", "lightmaps",
                              "materials", "propose", "geometry", "gpu_pictures"}) {
      add_setting_options(settings, options_, table);
    }
  }

  int parse_and_run(int argc, const char* const* argv) {
    try {
      app_.parse(argc, argv);
    } catch (const CLI::ParseError& problem) {
      const int code = app_.exit(problem);
      return code == 0 ? 0 : static_cast<int>(Exit::bad_usage);
    }
    if (app_.got_subcommand("demo")) {
      options_.output = demo_folder_;
    }
    return static_cast<int>(chosen_(options_));
  }

 private:
  CLI::App& add(const char* name, const char* help, Exit (*command)(const Options&)) {
    CLI::App* made = app_.add_subcommand(name, help);
    made->preparse_callback([this, command](std::size_t) { chosen_ = command; });
    add_common(*made, options_);
    return *made;
  }

  CLI::App app_{"Fewer draw calls for game levels: merge, instance, prove.", "wakuzume"};
  Options options_;
  std::string demo_folder_ = "wakuzume-demo";
  std::function<Exit(const Options&)> chosen_;
};

}  // namespace
}  // namespace wakuzume::cli

int main(int argc, char** argv) {
  try {
    return wakuzume::cli::Line().parse_and_run(argc, argv);
  } catch (const std::exception& problem) {
    // Only what no command can handle gets here: memory ran out.
    std::fprintf(stderr, "error: %s\n", problem.what());
    return static_cast<int>(wakuzume::cli::Exit::bad_input);
  }
}
