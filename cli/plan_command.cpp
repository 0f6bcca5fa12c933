// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include "plan_command.h"

#include <fmt/format.h>

#include <algorithm>
#include <filesystem>
#include <utility>

#include "print_looks.h"
#include "print_plan.h"
#include "text.h"
#include "wakuzume/revise.h"

namespace wakuzume::cli {
namespace {

namespace fs = std::filesystem;

constexpr std::size_t max_changes = 12;
constexpr std::size_t max_reasons = 12;

/// Repaints a scene by what settings say of its materials, and surveys what comes of it.
/// \param images  of the scene, measured where they are not yet
/// \param routes  what they take back holds; become those of the scene
Result<void> share_materials(Command& command,
                             const MaterialSettings& settings,
                             const SurveySettings& rules,
                             Source& source,
                             Survey& found,
                             std::vector<ImageFacts>& images,
                             RoutePlan& routes) {
  if (settings.goal == MaterialGoal::keep) {
    return {};
  }
  if (images.empty()) {
    auto read = command.read_images_in_detail(source.scene);
    if (!read) {
      return Failure(read.error());
    }
    images = std::move(*read);
  }
  const auto outlook = command.make_outlook(source.scene, found);
  if (!outlook) {
    return Failure(outlook.error());
  }
  auto proposed = propose_routes(source.scene, found, images, settings, command.run(),
                                 {outlook->views, routes.taken_back});
  if (!proposed) {
    return Failure(proposed.error());
  }
  auto repainted = repaint(source.scene, *proposed, command.run());
  if (!repainted) {
    return Failure(repainted.error());
  }
  routes = std::move(*proposed);
  command.console().tell(fmt::format("routed {} materials", routes.routes.size()));
  source.origin = std::move(source.scene);
  source.scene = std::move(repainted->scene);
  source.images = std::move(repainted->images);
  auto again = survey(source.scene, rules, command.run());
  if (!again) {
    return Failure(again.error());
  }
  found = std::move(*again);
  return {};
}

/// An earlier plan with its scene, surveyed by the plan's own rules. For another scene, materials
/// are routed anew, as the plan's settings and the line say.
Result<Proposal> read_earlier(Command& command, const std::string& file) {
  auto plan = read_plan(file);
  if (!plan) {
    return Failure(plan.error());
  }
  const std::string& named = command.options().input;
  const std::string path = named.empty() ? find_scene(plan->scene_path, file) : named;
  const bool anew = !command.options().rebase.empty() && !plan->routes.empty();
  auto source = read_source(command, path, plan->split, anew ? RoutePlan{} : plan->routes);
  if (!source) {
    return Failure(source.error());
  }
  auto found = survey(source->scene, plan->survey_settings, command.run());
  if (!found) {
    return Failure(found.error());
  }
  if (anew) {
    MaterialSettings settings = plan->routes.settings;
    command.apply_materials(settings);
    plan->routes = {};
    std::vector<ImageFacts> images;
    if (auto shared = share_materials(command, settings, plan->survey_settings, *source, *found,
                                      images, plan->routes);
        !shared) {
      return Failure(shared.error());
    }
  }
  auto outlook = command.make_outlook(source->scene, *found);
  if (!outlook) {
    return Failure(outlook.error());
  }
  if (auto added = command.add_images(source->scene, *outlook); !added) {
    return Failure(added.error());
  }
  return Proposal{std::move(*source), std::move(*found), std::move(*outlook), std::move(*plan)};
}

/// Settings of the earlier plan, what the line says over them.
ProposeSettings settle(const Command& command, const Plan& earlier) {
  const bool fresh = !command.options().settings_file.empty();
  ProposeSettings settings = fresh ? command.settings().propose : earlier.settings;
  command.apply_line(settings);
  return settings;
}

Result<Proposal> make_from_earlier(Command& command, const std::string& file) {
  auto made = read_earlier(command, file);
  if (!made) {
    return made;
  }
  const bool rebases = !command.options().rebase.empty();
  if (rebases) {
    for (const PlanChange& change : list_changes(made->source.scene, made->survey, made->plan)) {
      command.console().tell(fmt::format("{}: {}", change.path, change.what));
    }
  }
  auto plan =
      rebases ? rebase(made->source.scene, made->survey, made->plan, made->outlook, command.run())
              : revise(made->source.scene, made->survey, made->plan, settle(command, made->plan),
                       made->outlook, command.run());
  if (!plan) {
    Error error = plan.error();
    error.place.file = file;
    tell_changes(command, made->source.scene, made->plan, error);
    return Failure(error);
  }
  made->plan = std::move(*plan);
  return made;
}

std::string scene_of(const Command& command, const Plan& earlier, const std::string& file) {
  return command.options().input.empty() ? find_scene(earlier.scene_path, file)
                                         : command.options().input;
}

Exit write_plan(Command& command, Proposal& proposal, const std::string& scene_path) {
  const Options& options = command.options();
  proposal.plan.scene_path = make_relative(scene_path, options.output);
  const std::string json = to_json(proposal.source.scene, proposal.plan);
  if (auto done = command.write_json(options.output, json); !done) {
    return command.fail(done.error());
  }
  if (options.format == Format::json) {
    if (!options.compares) {  // which has printed its own
      command.print(json);
    }
    return Exit::done;
  }
  const auto visibility = make_visibility(proposal.survey, proposal.outlook.views, command.run());
  if (!visibility) {
    return command.fail(visibility.error());
  }
  const auto ladder =
      make_ladder(proposal.source.scene, proposal.survey, *visibility, {}, {}, command.run());
  if (!ladder) {
    return command.fail(ladder.error());
  }
  command.print(command.split_note() + to_text(proposal.source, proposal.plan.routes) +
                to_text(proposal.source.scene, proposal.plan) + "\n" +
                compare_with_ladder(proposal.plan, *ladder) +
                fmt::format("\nPlan in {}\n", options.output));
  return Exit::done;
}

/// Plans on several terms, side by side.
Exit compare(Command& command, const Proposal& proposal) {
  const auto list = list_alternatives(proposal.source.scene, proposal.survey,
                                      proposal.plan.settings, proposal.outlook, command.run());
  if (!list) {
    return command.fail(list.error());
  }
  command.print(command.options().format == Format::json
                    ? to_json(*list)
                    : to_text(*list, proposal.outlook.profile.name));
  return Exit::done;
}

Exit answer_why(Command& command, const Proposal& proposal) {
  const std::string& nodes = command.options().why;
  const std::vector<Reason> reasons =
      explain(proposal.source.scene, proposal.survey, proposal.plan, nodes, proposal.outlook);
  if (reasons.empty()) {
    return command.fail(Error{ErrorCode::bad_setting,
                              fmt::format("--why {}: no node that is drawn has such a path", nodes),
                              {}});
  }
  std::string out;
  for (std::size_t r = 0; r < std::min(max_reasons, reasons.size()); ++r) {
    out += to_text(proposal.source.scene, reasons[r]) + "\n";
  }
  if (reasons.size() > max_reasons) {
    out += fmt::format("and {} more draws\n", group_digits(reasons.size() - max_reasons));
  }
  command.print(out);
  return Exit::done;
}

}  // namespace

Result<Proposal> make_proposal(Command& command, const std::string& path) {
  const SplitSettings& split = command.settings().split;
  auto read = command.read_and_survey(path, split);
  if (!read) {
    return Failure(read.error());
  }
  Source source{std::move(read->scene), std::nullopt, {}};
  RoutePlan routes;
  std::vector<ImageFacts> images;
  if (auto shared =
          share_materials(command, command.settings().materials, command.settings().survey, source,
                          read->survey, images, routes);
      !shared) {
    return Failure(shared.error());
  }
  auto outlook = command.make_outlook(source.scene, read->survey);
  if (!outlook) {
    return Failure(outlook.error());
  }
  if (auto added = command.add_images(source.scene, *outlook); !added) {
    return Failure(added.error());
  }
  auto plan =
      propose(source.scene, read->survey, command.settings().propose, *outlook, command.run());
  if (!plan) {
    return Failure(plan.error());
  }
  plan->split = split;
  plan->routes = std::move(routes);
  command.console().tell(fmt::format("proposed: {} groups", plan->groups.size()));
  return Proposal{std::move(source), std::move(read->survey), std::move(*outlook), std::move(*plan),
                  std::move(images)};
}

Result<void> propose_without(Command& command, const MendStep& step, Proposal& proposal) {
  std::vector<TakenBack> draws = std::move(proposal.plan.taken_back);
  RoutePlan routes = std::move(proposal.plan.routes);
  add_mends(step, draws, routes.taken_back);
  const SurveySettings& rules = command.settings().survey;
  Source& source = proposal.source;
  if (!step.materials.empty()) {
    source.scene = std::move(*source.origin);
    source.origin.reset();
    auto found = survey(source.scene, rules, command.run());
    if (!found) {
      return Failure(found.error());
    }
    proposal.survey = std::move(*found);
    const MaterialSettings settings = routes.settings;
    if (auto shared = share_materials(command, settings, rules, source, proposal.survey,
                                      proposal.images, routes);
        !shared) {
      return shared;
    }
    if (auto added = command.add_images(source.scene, proposal.outlook); !added) {
      return added;
    }
  }
  auto plan =
      wakuzume::propose_without(draws, source.scene, proposal.survey, command.settings().propose,
                                proposal.outlook, command.run());
  if (!plan) {
    return Failure(plan.error());
  }
  plan->split = proposal.plan.split;
  plan->routes = std::move(routes);
  plan->scene_path = proposal.plan.scene_path;
  proposal.plan = std::move(*plan);
  return {};
}

std::string beside(const std::string& path, const char* ending) {
  return fs::path(path).replace_extension(ending).string();
}

std::string make_relative(const std::string& scene, const std::string& plan) {
  std::error_code ignored;
  const fs::path base = fs::absolute(plan, ignored).parent_path();
  const fs::path relative = fs::absolute(scene, ignored).lexically_relative(base);
  return relative.empty() ? fs::absolute(scene, ignored).string() : relative.generic_string();
}

std::string find_scene(const std::string& relative, const std::string& file) {
  return (fs::path(file).parent_path() / relative).lexically_normal().string();
}

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
  if (auto loaded = command.load_settings(); !loaded) {
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
  if (auto loaded = command.load_settings(); !loaded) {
    return command.fail(loaded.error());
  }
  auto earlier = read_earlier(command, options.revise);
  if (!earlier) {
    return command.fail(earlier.error());
  }
  std::vector<Edit> edits = options.edits;
  for (Edit& edit : edits) {
    // Nodes of pivots come by their path.
    if (edit.kind == EditKind::pivot && edit.pivot_at == PivotAt::node) {
      for (std::size_t n = 0; n < earlier->source.scene.nodes.size(); ++n) {
        if (make_node_path(earlier->source.scene, make_id<NodeId>(n)) == edit.value) {
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
  auto plan = edit_plan(earlier->source.scene, earlier->survey, earlier->plan, edits,
                        earlier->outlook, command.run());
  if (!plan) {
    Error error = plan.error();
    error.place.file = options.revise;
    tell_changes(command, earlier->source.scene, earlier->plan, error);
    return command.fail(error);
  }
  const std::string scene = find_scene(earlier->plan.scene_path, options.revise);
  earlier->plan = std::move(*plan);
  return write_plan(command, *earlier, scene);
}

}  // namespace wakuzume::cli
