// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include "command.h"

#include <algorithm>
#include <charconv>
#include <filesystem>

#include "text.h"
#include "wakuzume/settings_file.h"
#include "wakuzume/wishes.h"

namespace wakuzume::cli {
namespace {

/// "draws_per_view=2000"
Result<Budget> parse_budget(const std::string& text) {
  const std::size_t at = text.find('=');
  Budget budget;
  budget.figure = text.substr(0, at);
  const std::string limit = at == std::string::npos ? "" : text.substr(at + 1);
  const char* end = limit.data() + limit.size();
  const auto read = std::from_chars(limit.data(), end, budget.limit);
  if (limit.empty() || read.ec != std::errc() || read.ptr != end) {
    return Failure(Error{ErrorCode::bad_setting,
                         fmt::format("--budget {}: write figure=limit, the limit a number", text),
                         {}});
  }
  return budget;
}

}  // namespace

std::optional<ColliderShape> find_collider_shape(const std::string& word) {
  for (std::size_t s = 0; s < collider_shape_count; ++s) {
    if (word == to_string(static_cast<ColliderShape>(s))) {
      return static_cast<ColliderShape>(s);
    }
  }
  return std::nullopt;
}

Result<void> Command::apply_line(Settings& settings) const {
  for (const auto& [option, values] : options_.settings) {
    if (auto done = assign(settings, option, values); !done) {
      return done;
    }
  }
  for (const auto& change : options_.reduce) {
    change(settings.reduce);
  }
  return {};
}

std::string Command::spill_folder() const {
  const std::filesystem::path output(options_.output);
  std::error_code problem;
  const std::filesystem::path folder =
      std::filesystem::is_directory(output, problem) ? output : output.parent_path();
  return folder.empty() ? "." : folder.string();
}

void Command::apply_build() {
  job_.depth = options_.skip_pixels ? ImageDepth::sizes : ImageDepth::pixels;
  BuildSettings& build = job_.build;
  build.carry_source = options_.carry_source ? CarrySource::hidden : CarrySource::no;
  build.assets = options_.assets;
  build.asset_pivot = options_.asset_pivot == "base"     ? PivotAt::bounds_base
                      : options_.asset_pivot == "centre" ? PivotAt::bounds_centre
                                                         : PivotAt::world_origin;
}

JobTools& Command::tools() {
  if (!tools_) {
    codec_.emplace(ImageLimits{}, spill_folder());
    shots_.emplace(*codec_);
    tools_.emplace(JobTools{*codec_, &*shots_});
  }
  return *tools_;
}

Result<Scene> Command::read_source(const std::string& path) {
  lightmaps_.emplace(std::vector{path});
  tools().lightmaps = &*lightmaps_;
  return read(path);
}

Result<void> Command::load_job() {
  if (auto loaded = load_settings(); !loaded) {
    return loaded;
  }
  auto profile = read_cost_profile(settings().profile);
  if (!profile) {
    return Failure(profile.error());
  }
  job_.profile = std::move(*profile);
  if (!options_.views_file.empty()) {
    auto views = read_views(options_.views_file);
    if (!views) {
      return Failure(views.error());
    }
    job_.views = std::move(*views);
  }
  return {};
}

Result<void> Command::load_settings() {
  // Of a plan those of its folder count; the demo brings all it needs.
  const std::string scene = !options_.input.empty()    ? options_.input
                            : !options_.inputs.empty() ? options_.inputs.front()
                            : !options_.revise.empty() ? options_.revise
                                                       : options_.rebase;
  const std::string file = !options_.settings_file.empty()        ? options_.settings_file
                           : scene.empty() && !options_.effective ? ""
                                                                  : find_project_settings(scene);
  if (!file.empty()) {
    auto read = read_settings_for(file, scene);
    if (!read) {
      return Failure(read.error());
    }
    console_.tell(fmt::format("settings: {}", fmt::join(read->files, ", ")));
    effective_ = std::move(*read);
  }
  job_.settings = effective_.settings;
  Settings& settings = job_.settings;
  if (auto applied = apply_line(settings); !applied) {
    return applied;
  }
  note_line();
  for (const std::string& text : options_.budgets) {
    auto budget = parse_budget(text);
    if (!budget) {
      return Failure(budget.error());
    }
    settings.budgets.push_back(std::move(*budget));
  }
  if (options_.never_mends) {
    settings.verify.mend_rounds = 0;
  }
  if (auto valid = validate(settings); !valid) {
    return valid;
  }
  return choose_tier();
}

void Command::note_line() {
  for (const SettingOption& option : list_setting_options()) {
    if (options_.settings.count(option.option) > 0) {
      effective_.set_origin(option.table + "." + option.key, "the line, " + option.option);
    }
  }
}

EffectiveSettings Command::take_effective() {
  effective_.settings = job_.settings;
  return std::move(effective_);
}

Result<void> Command::choose_tier() {
  if (options_.tier.empty()) {
    return {};
  }
  Settings& settings = job_.settings;
  const auto hit = std::find_if(settings.tiers.begin(), settings.tiers.end(),
                                [&](const Tier& tier) { return tier.name == options_.tier; });
  if (hit == settings.tiers.end()) {
    return Failure(
        Error{ErrorCode::bad_setting,
              fmt::format("--tier {}: the settings have no [[tier]] of that name", options_.tier),
              {}});
  }
  settings.budgets.insert(settings.budgets.end(), hit->budgets.begin(), hit->budgets.end());
  return {};
}

Result<void> Command::refuse_input(const std::string& path) const {
  std::vector<std::string> inputs = options_.inputs;
  inputs.insert(inputs.end(), {options_.input, options_.second, options_.ledger, options_.scene,
                               options_.settings_file, options_.views_file});
  for (const std::string& input : inputs) {
    std::error_code ignored;
    if (!input.empty() && std::filesystem::equivalent(input, path, ignored)) {
      return Failure(Error{ErrorCode::cannot_write,
                           "is an input; inputs are never written to, choose another name",
                           {path, ""}});
    }
  }
  return {};
}

Result<void> Command::write(const std::string& path, const std::string& text) {
  const auto allowed = refuse_input(path);
  return allowed ? write_text(path, text) : allowed;
}

Result<void> Command::write_json(const std::string& path, const std::string& json) {
  const auto allowed = refuse_input(path);
  return allowed ? write_document(path, json) : allowed;
}

Result<Surveyed> Command::read_and_survey(const std::string& path) {
  auto scene = read(path);
  if (!scene) {
    return Failure(scene.error());
  }
  auto found = survey(*scene, settings().survey, run_);
  if (!found) {
    return Failure(found.error());
  }
  console_.tell(fmt::format("surveyed: {} draws", found->totals.draws));
  for (const std::string& idle : list_idle(found->wishes)) {
    console_.warn(idle);
  }
  return Surveyed{std::move(*scene), std::move(*found)};
}

Result<std::vector<ImageFacts>> Command::read_images(const Scene& scene) {
  auto images = read_image_facts(scene, job_.depth, {}, run_);
  if (images) {
    console_.tell(fmt::format("read {} images", images->size()));
  }
  return images;
}

}  // namespace wakuzume::cli
