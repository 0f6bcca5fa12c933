// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include <algorithm>
#include <filesystem>
#include <optional>

#include "command.h"
#include "text.h"
#include "wakuzume/delivery.h"
#include "wakuzume/picture.h"
#include "wakuzume/render.h"

namespace wakuzume::cli {
namespace {

namespace fs = std::filesystem;

/// A scene with what draws it and what its draws belong to. Not moved once it is prepared: the
/// parts refer to each other.
struct Subject {
  Scene scene;
  Survey survey;
  DrawClasses classes;
  std::unique_ptr<Renderer> renderer;
};

Result<Showing> find_showing(const std::string& word) {
  for (std::size_t s = 0; s < showing_count; ++s) {
    if (word == to_string(static_cast<Showing>(s))) {
      return static_cast<Showing>(s);
    }
  }
  return Failure(Error{ErrorCode::bad_setting, "--show: nothing is called " + word, {}});
}

/// What was asked for with --plan or --ledger, or lies beside a scene.
struct Documents {
  std::optional<Plan> plan;
  std::optional<Ledger> ledger;
  bool ledger_is_of_first = false;  ///< it lies beside the scene itself
};

Result<Documents> read_documents(const Options& options, Showing showing) {
  Documents out;
  if (showing != Showing::clusters && showing != Showing::routes) {
    return out;
  }
  if (!options.plan.empty()) {
    auto plan = read_plan(options.plan);
    if (!plan) {
      return Failure(plan.error());
    }
    out.plan = std::move(*plan);
  }
  const std::string beside_second =
      options.second.empty() ? "" : beside(options.second, ".ledger.json");
  const std::string beside_first = beside(options.input, ".ledger.json");
  std::string path = options.ledger;
  if (path.empty() && fs::exists(beside_second)) {
    path = beside_second;
  } else if (path.empty() && !out.plan && fs::exists(beside_first)) {
    path = beside_first;
    out.ledger_is_of_first = true;
  }
  if (!path.empty()) {
    auto ledger = read_ledger(path);
    if (!ledger) {
      return Failure(ledger.error());
    }
    // One that was named is of the scene itself unless the scene is its source.
    out.ledger = std::move(*ledger);
    if (!options.ledger.empty() && options.second.empty()) {
      std::error_code ignored;
      out.ledger_is_of_first = !fs::equivalent(find_scene(out.ledger->source_path, options.ledger),
                                               options.input, ignored);
    }
  }
  if (!out.plan && !out.ledger) {
    return Failure(Error{ErrorCode::bad_setting,
                         fmt::format("--show {} needs a plan or a ledger: name one with --plan or "
                                     "--ledger",
                                     to_string(showing)),
                         {}});
  }
  return out;
}

Result<Viewpoint> choose_view(const Options& options, const std::vector<Viewpoint>& views) {
  if (options.view_number) {
    const std::uint32_t n = *options.view_number;
    if (n < 1 || n > views.size()) {
      return Failure(Error{ErrorCode::bad_setting,
                           fmt::format("--view {}: there are views 1 to {}; --table views of the "
                                       "survey lists them",
                                       n, views.size()),
                           {}});
    }
    return views[n - 1];
  }
  std::string names;
  for (const Viewpoint& view : views) {
    if (!options.camera.empty() &&
        (view.name == options.camera || view.name == "camera " + options.camera)) {
      return view;
    }
    if (view.source == ViewSource::camera) {
      names += (names.empty() ? "" : ", ") +
               view.name.substr(std::min<std::size_t>(7, view.name.size()));
    }
  }
  if (!options.camera.empty()) {
    return Failure(Error{ErrorCode::bad_setting,
                         fmt::format("--camera {}: {}", options.camera,
                                     names.empty() ? "the scene has no cameras"
                                                   : "the scene's cameras are " + names),
                         {}});
  }
  const auto overview = std::find_if(views.begin(), views.end(), [](const Viewpoint& v) {
    return v.source == ViewSource::overview;
  });
  if (views.empty()) {
    return Failure(Error{ErrorCode::bad_value, "there is nothing to look at", {options.input, ""}});
  }
  return overview == views.end() ? views.front() : *overview;
}

std::string name_of(const std::string& path) { return fs::path(path).filename().string(); }

Result<std::vector<std::byte>> encode_for(const std::string& path, const Pixels& pixels) {
  const std::string ending = fs::path(path).extension().string();
  return ending == ".png"
             ? encode_png(pixels)
             : encode_image(pixels, ending == ".webp" ? PictureType::webp : PictureType::jpeg);
}

class PictureMaker {
 public:
  explicit PictureMaker(Command& command) : command_(command), options_(command.options()) {}

  Result<Pixels> make() {
    const auto showing = find_showing(options_.show);
    if (!showing) {
      return Failure(showing.error());
    }
    settings_ = {*showing, options_.picture_width, options_.picture_height,
                 options_.second.empty()
                     ? name_of(options_.input)
                     : name_of(options_.input) + " and " + name_of(options_.second),
                 command_.job().profile.sorts_blended};
    auto documents = read_documents(options_, *showing);
    if (!documents) {
      return Failure(documents.error());
    }
    documents_ = std::move(*documents);
    if (auto read = read_scenes(); !read) {
      return Failure(read.error());
    }
    auto outlook = make_outlook(first_.scene, first_.survey, command_.job());
    if (!outlook) {
      return Failure(outlook.error());
    }
    views_ = std::move(outlook->views);
    if (!options_.all_views) {
      auto view = choose_view(options_, views_);
      if (!view) {
        return Failure(view.error());
      }
      views_ = {*view};
    }
    return draw();
  }

 private:
  Result<void> read_scenes() {
    for (const auto& [subject, path] :
         {std::pair(&first_, options_.input), std::pair(&second_, options_.second)}) {
      if (path.empty()) {
        continue;
      }
      auto read = command_.read_and_survey(path);
      if (!read) {
        return Failure(read.error());
      }
      subject->scene = std::move(read->scene);
      subject->survey = std::move(read->survey);
      ClassSource from;
      from.plan = subject == &first_ && documents_.plan ? &*documents_.plan : nullptr;
      from.ledger = documents_.ledger ? &*documents_.ledger : nullptr;
      from.of_source = subject == &first_ && !documents_.ledger_is_of_first;
      auto classes = make_classes(subject->scene, subject->survey, settings_.showing, from);
      if (!classes) {
        return Failure(classes.error());
      }
      subject->classes = std::move(*classes);
    }
    return {};
  }

  Result<Pixels> draw() {
    const bool both = !options_.second.empty();
    const std::size_t entries = views_.size() * (both ? 2 : 1);
    const bool sheet = both || options_.all_views;
    const ShotRoom room = sheet ? find_room(settings_, entries) : find_room(settings_);
    auto device = open_render_device();
    if (!device) {
      return Failure(device.error());
    }
    for (Subject* const subject : {&first_, &second_}) {
      if (subject == &second_ && !both) {
        continue;
      }
      const FolderLightmaps files(subject == &second_ ? std::vector{options_.second, options_.input}
                                                      : std::vector{options_.input});
      const auto pages =
          read_lit_pages(subject->scene, subject->survey, command_.settings().lightmaps,
                         {StandardCodec(), &files}, command_.run());
      if (!pages) {
        return Failure(pages.error());
      }
      auto made = Renderer::make(
          {subject->scene, subject->survey, *pages}, *device, StandardCodec(),
          {.width_px = std::max(16U, room.width_px), .height_px = std::max(16U, room.height_px)},
          command_.run());
      if (!made) {
        return Failure(made.error());
      }
      subject->renderer = std::move(*made);
      if (subject->renderer->losses().unread_pictures > 0) {
        command_.console().warn(fmt::format(
            "{} could not be read and are shown white",
            plural(subject->renderer->losses().unread_pictures, "picture", "pictures")));
      }
    }
    command_.console().tell("ready to draw by " + to_string(**device));
    return sheet ? draw_sheet(both)
                 : make_picture(first_.survey, *first_.renderer, views_.front(), first_.classes,
                                settings_);
  }

  Result<Pixels> draw_sheet(bool both) {
    std::vector<SheetEntry> entries;
    for (const Viewpoint& view : views_) {
      entries.push_back({&first_.survey, first_.renderer.get(), &first_.classes, view,
                         both ? "before: " + view.name : view.name});
      if (both) {
        entries.push_back({&second_.survey, second_.renderer.get(), &second_.classes, view,
                           "after: " + view.name});
      }
    }
    return make_sheet(entries, settings_);
  }

  Command& command_;
  const Options& options_;
  PictureSettings settings_;
  Documents documents_;
  Subject first_;
  Subject second_;
  std::vector<Viewpoint> views_;
};

}  // namespace

Exit picture_command(const Options& options) {
  Command command(options);
  if (auto loaded = command.load_job(); !loaded) {
    return command.fail(loaded.error());
  }
  const auto pixels = PictureMaker(command).make();
  if (!pixels) {
    return command.fail(pixels.error());
  }
  const auto encoded = encode_for(options.output, *pixels);
  if (!encoded) {
    return command.fail(encoded.error());
  }
  const std::string text(reinterpret_cast<const char*>(encoded->data()), encoded->size());
  if (auto written = command.write(options.output, text); !written) {
    return command.fail(written.error());
  }
  command.print(fmt::format("Picture in {}\n", options.output));
  return Exit::done;
}

}  // namespace wakuzume::cli
