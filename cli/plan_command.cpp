// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include "plan_command.h"

#include <fmt/format.h>

#include <algorithm>
#include <filesystem>
#include <utility>

#include "edit_reduction.h"
#include "layout_sheets.h"
#include "print_looks.h"
#include "print_plan.h"
#include "text.h"
#include "wakuzume/delivery.h"
#include "wakuzume/revise.h"

namespace wakuzume::cli {
namespace {

namespace fs = std::filesystem;

constexpr std::size_t max_changes = 12;
constexpr std::size_t max_reasons = 12;
constexpr std::size_t max_listed = 200;

/// A source with a plan for it.
struct Proposal {
  Prepared source;
  Plan plan;

  [[nodiscard]] const Scene& scene() const { return source.source.scene; }
};

Result<Proposal> make_proposal(Command& command, const std::string& path) {
  auto scene = command.read_source(path);
  if (!scene) {
    return Failure(scene.error());
  }
  auto source = prepare(std::move(*scene), command.job(), command.tools(), command.run());
  if (!source) {
    return Failure(source.error());
  }
  auto plan = propose(*source, command.job(), command.run());
  return plan ? Result<Proposal>(Proposal{std::move(*source), std::move(*plan)})
              : Failure(plan.error());
}

/// An earlier plan with its scene, surveyed by the plan's own rules. For another scene, materials
/// are routed anew, as the plan's settings and the line say.
Result<Proposal> read_earlier(Command& command, const std::string& file) {
  auto plan = read_plan(file);
  if (!plan) {
    return Failure(plan.error());
  }
  const std::string& named = command.options().input;
  auto scene = command.read_source(named.empty() ? find_scene(plan->scene_path, file) : named);
  if (!scene) {
    return Failure(scene.error());
  }
  Settings settings;
  settings.materials = plan->routes.settings;
  if (auto applied = command.apply_line(settings); !applied) {
    return Failure(applied.error());
  }
  auto source = prepare_for(*plan, std::move(*scene), command.job(), command.tools(), command.run(),
                            command.options().rebase.empty() ? nullptr : &settings.materials);
  if (!source) {
    return Failure(source.error());
  }
  static_cast<SourceSteps&>(*plan) = *source;
  return Proposal{std::move(*source), std::move(*plan)};
}

/// A plan whose groups draw other numbers of triangles: all else is taken over to what came of it.
Result<Proposal> reduce_groups(Command& command, Proposal earlier) {
  auto reduction = edit_reduction(earlier.source.source.before_all(), earlier.plan,
                                  command.options().group_triangles);
  if (!reduction) {
    return Failure(reduction.error());
  }
  Plan plan = std::move(earlier.plan);
  plan.reduction = std::move(*reduction);
  // The scene is split already.
  const SplitSettings split = std::exchange(plan.split, {});
  auto source = prepare_for(plan, earlier.source.source.before_all(), command.job(),
                            command.tools(), command.run());
  if (!source) {
    return Failure(source.error());
  }
  source->split = plan.split = split;
  auto moved = rebase(source->source.scene, source->survey, plan, source->outlook, command.run());
  if (!moved) {
    return Failure(moved.error());
  }
  return Proposal{std::move(*source), std::move(*moved)};
}

/// Settings of the earlier plan, what the line says over them.
Result<ProposeSettings> settle(const Command& command, const Plan& earlier) {
  Settings settings = command.settings();
  if (command.options().settings_file.empty()) {
    settings.propose = earlier.settings;
  }
  auto applied = command.apply_line(settings);
  return applied ? Result<ProposeSettings>(settings.propose) : Failure(applied.error());
}

Result<Proposal> make_from_earlier(Command& command, const std::string& file) {
  auto made = read_earlier(command, file);
  if (!made) {
    return made;
  }
  const bool rebases = !command.options().rebase.empty();
  if (rebases) {
    for (const PlanChange& change : list_changes(made->scene(), made->source.survey, made->plan)) {
      command.console().tell(fmt::format("{}: {}", change.path, change.what));
    }
  }
  const auto settings = settle(command, made->plan);
  if (!settings) {
    return Failure(settings.error());
  }
  const Scene& scene = made->scene();
  const Survey& found = made->source.survey;
  const Outlook& outlook = made->source.outlook;
  auto plan = rebases ? rebase(scene, found, made->plan, outlook, command.run())
                      : revise(scene, found, made->plan, *settings, outlook, command.run());
  if (!plan) {
    Error error = plan.error();
    error.place.file = file;
    tell_changes(command, scene, made->plan, error);
    return Failure(error);
  }
  made->plan = std::move(*plan);
  made->plan.wishes = made->source.wishes;
  return made;
}

std::string scene_of(const Command& command, const Plan& earlier, const std::string& file) {
  return command.options().input.empty() ? find_scene(earlier.scene_path, file)
                                         : command.options().input;
}

Exit write_plan(Command& command, Proposal& proposal, const std::string& scene_path) {
  const Options& options = command.options();
  proposal.plan.scene_path = make_relative(scene_path, options.output);
  const std::string json = to_json(proposal.scene(), proposal.plan);
  if (auto done = command.write_json(options.output, json); !done) {
    return command.fail(done.error());
  }
  if (auto done = write_faulty_layouts(command, proposal.source, options.output); !done) {
    return command.fail(done.error());
  }
  if (options.format == Format::json) {
    if (!options.compares) {  // which has printed its own
      command.print(json);
    }
    return Exit::done;
  }
  const auto visibility =
      make_visibility(proposal.source.survey, proposal.source.outlook.views, command.run());
  if (!visibility) {
    return command.fail(visibility.error());
  }
  const BlendSight sight = make_sight(proposal.source.outlook);
  const auto ladder = make_ladder(proposal.scene(), proposal.source.survey, *visibility, {}, {},
                                  sight, command.run());
  if (!ladder) {
    return command.fail(ladder.error());
  }
  command.print(to_text(proposal.source) + to_text(proposal.scene(), proposal.plan) + "\n" +
                compare_with_ladder(proposal.plan, *ladder) +
                fmt::format("\nPlan in {}\n", options.output));
  return Exit::done;
}

/// Plans on several terms, side by side.
Exit compare(Command& command, const Proposal& proposal) {
  const auto list =
      list_alternatives(proposal.scene(), proposal.source.survey, proposal.plan.settings,
                        proposal.source.outlook, command.run());
  if (!list) {
    return command.fail(list.error());
  }
  command.print(command.options().format == Format::json
                    ? to_json(*list)
                    : to_text(*list, proposal.source.outlook.profile.name));
  return Exit::done;
}

Exit answer_why(Command& command, Proposal& proposal) {
  const std::string& nodes = command.options().why;
  if (auto done = answer_wishes(std::span(&nodes, 1), proposal.source, command.run()); !done) {
    return command.fail(done.error());
  }
  const auto reasons = explain(proposal.scene(), proposal.source.survey, proposal.plan, nodes,
                               proposal.source.outlook);
  if (!reasons) {
    return command.fail(reasons.error());
  }
  if (reasons->empty()) {
    return command.fail(Error{
        ErrorCode::bad_setting, fmt::format("--why {}: nothing that is drawn matches", nodes), {}});
  }
  std::string out;
  for (std::size_t r = 0; r < std::min(max_reasons, reasons->size()); ++r) {
    out += to_text(proposal.scene(), (*reasons)[r]) + "\n";
  }
  if (reasons->size() > max_reasons) {
    out += fmt::format("and {} more draws\n", group_digits(reasons->size() - max_reasons));
    const std::size_t listed = std::min(max_listed, reasons->size());
    for (std::size_t r = max_reasons; r < listed; ++r) {
      const DrawRef& draw = (*reasons)[r].draw;
      out += fmt::format("  {} primitive {}\n",
                         cut(make_node_path(proposal.scene(), draw.node), 100), draw.primitive);
    }
    if (listed < reasons->size()) {
      out += fmt::format("  and {} more\n", group_digits(reasons->size() - listed));
    }
  }
  command.print(out);
  return Exit::done;
}

}  // namespace

void tell_changes(Command& command, const Scene& scene, const Plan& plan, Error& error) {
  if (error.code != ErrorCode::plan_mismatch) {
    return;
  }
  const auto found = survey(scene, plan.survey_settings, command.run());
  if (!found) {
    return;
  }
  const std::vector<PlanChange> changes = list_changes(scene, *found, plan);
  for (std::size_t c = 0; c < std::min(max_changes, changes.size()); ++c) {
    command.console().warn(fmt::format("{}: {}", changes[c].path, changes[c].what));
  }
  if (changes.size() > max_changes) {
    command.console().warn(fmt::format("and {} more changes", changes.size() - max_changes));
  }
  error.message += changes.empty() ? "; no draw changed, but something around them did"
                                   : "; `wakuzume propose --rebase` takes it over";
}

Exit propose_command(const Options& options) {
  Command command(options);
  if (auto loaded = command.load_job(); !loaded) {
    return command.fail(loaded.error());
  }
  const std::string& earlier = options.rebase.empty() ? options.revise : options.rebase;
  const bool only_asks = !options.why.empty() && options.output.empty();
  auto proposal = earlier.empty() ? make_proposal(command, options.input)
                  : only_asks     ? read_earlier(command, earlier)
                                  : make_from_earlier(command, earlier);
  if (!proposal) {
    return command.fail(proposal.error());
  }
  if (options.compares) {
    if (const Exit compared = compare(command, *proposal); compared != Exit::done) {
      return compared;
    }
  }
  if (!options.output.empty()) {
    const std::string scene =
        earlier.empty() ? options.input : scene_of(command, proposal->plan, earlier);
    if (const Exit written = write_plan(command, *proposal, scene); written != Exit::done) {
      return written;
    }
  }
  return options.why.empty() ? Exit::done : answer_why(command, *proposal);
}

Exit edit_command(const Options& options) {
  Command command(options);
  if (auto loaded = command.load_job(); !loaded) {
    return command.fail(loaded.error());
  }
  auto earlier = read_earlier(command, options.revise);
  if (!earlier) {
    return command.fail(earlier.error());
  }
  if (!options.group_triangles.empty()) {
    earlier = reduce_groups(command, std::move(*earlier));
    if (!earlier) {
      return command.fail(earlier.error());
    }
  }
  std::vector<Edit> edits = options.edits;
  for (Edit& edit : edits) {
    // Nodes of pivots come by their path.
    if (edit.kind == EditKind::pivot && edit.pivot_at == PivotAt::node) {
      for (std::size_t n = 0; n < earlier->scene().nodes.size(); ++n) {
        if (make_node_path(earlier->scene(), make_id<NodeId>(n)) == edit.value) {
          edit.pivot_node = make_id<NodeId>(n);
          break;
        }
      }
      if (edit.pivot_node == no_node) {
        return command.fail(Error{ErrorCode::bad_setting,
                                  fmt::format("--pivot: no node has the path {}", edit.value),
                                  {}});
      }
    }
  }
  std::vector<std::string> wishes;
  std::transform(edits.begin(), edits.end(), std::back_inserter(wishes),
                 [](const Edit& edit) { return edit.nodes; });
  if (auto done = answer_wishes(wishes, earlier->source, command.run()); !done) {
    return command.fail(done.error());
  }
  auto plan = edit_plan(earlier->scene(), earlier->source.survey, earlier->plan, edits,
                        earlier->source.outlook, command.run());
  if (!plan) {
    Error error = plan.error();
    error.place.file = options.revise;
    tell_changes(command, earlier->scene(), earlier->plan, error);
    return command.fail(error);
  }
  const std::string scene = find_scene(earlier->plan.scene_path, options.revise);
  earlier->plan = std::move(*plan);
  return write_plan(command, *earlier, scene);
}

}  // namespace wakuzume::cli
