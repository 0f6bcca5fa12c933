// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include <fmt/format.h>

#include <algorithm>
#include <filesystem>
#include <set>

#include "plan_command.h"
#include "wakuzume/io.h"

namespace wakuzume::cli {
namespace {

namespace fs = std::filesystem;

/// Of the slots that have one, in their order.
std::vector<TextureId> list_material_textures(const Material& material) {
  std::vector<TextureId> out;
  for (const TextureSlot* slot :
       {&material.base_color_texture, &material.metallic_roughness_texture,
        &material.normal_texture, &material.occlusion_texture, &material.emissive_texture}) {
    if (slot->texture != no_texture) {
      out.push_back(slot->texture);
    }
  }
  return out;
}

Bytes find_bytes(const Scene& scene, ImageId image) { return encoded_bytes(scene, image); }

/// Takes over a picture of the source that a result shows as it is. \return whether it changed
bool take_picture(const Scene& source, ImageId from, Scene& built, ImageId to) {
  const Bytes fresh = find_bytes(source, from);
  const Bytes old = find_bytes(built, to);
  if (fresh.size() == 0 ||
      std::equal(fresh.data().begin(), fresh.data().end(), old.data().begin(), old.data().end())) {
    return false;
  }
  Image& image = built.images[to_index(to)];
  image.bytes = fresh;
  image.view = no_view;
  return true;
}

/// Pictures of materials that went into the result with their own number.
std::set<ImageId> take_plain_pictures(const Scene& source, const Ledger& ledger, Scene& built) {
  std::set<ImageId> changed;
  for (std::size_t m = 0; m < built.materials.size(); ++m) {
    const MaterialId from =
        m < ledger.material_from.size() ? ledger.material_from[m] : make_id<MaterialId>(m);
    if (to_index(from) >= source.materials.size()) {
      continue;
    }
    const std::vector<TextureId> here = list_material_textures(built.materials[m]);
    const std::vector<TextureId> there = list_material_textures(source[from]);
    for (std::size_t t = 0; t < std::min(here.size(), there.size()); ++t) {
      const ImageId to = built.textures[to_index(here[t])].image;
      const ImageId image = source.textures[to_index(there[t])].image;
      if (to != no_image && image != no_image && take_picture(source, image, built, to)) {
        changed.insert(to);
      }
    }
  }
  return changed;
}

/// Files of their own are written alone; what is embedded goes with its whole scene.
Result<std::size_t> write_pictures(Command& command,
                                   const Scene& built,
                                   const std::set<ImageId>& changed,
                                   const std::string& path,
                                   const std::vector<std::string>& inputs) {
  const bool embedded = std::any_of(changed.begin(), changed.end(), [&](ImageId id) {
    return built.images[to_index(id)].uri.empty();
  });
  if (embedded || fs::path(path).extension() == ".glb") {
    auto report = write_scene(built, path, inputs, command.run());
    return report ? Result<std::size_t>(1) : Failure(report.error());
  }
  for (const ImageId id : changed) {
    const Image& image = built.images[to_index(id)];
    const Bytes bytes = find_bytes(built, id);
    const std::string file = (fs::path(path).parent_path() / image.uri).string();
    if (auto done =
            write_text(file, {reinterpret_cast<const char*>(bytes.data().data()), bytes.size()});
        !done) {
      return Failure(done.error());
    }
    command.console().tell("wrote " + file);
  }
  return changed.size();
}

}  // namespace

Exit repaint_command(const Options& options) {
  Command command(options);
  auto built = command.read(options.input);
  if (!built) {
    return command.fail(built.error());
  }
  const std::string ledger_path =
      options.ledger.empty() ? beside(options.input, ".ledger.json") : options.ledger;
  auto ledger = read_ledger(ledger_path);
  if (!ledger) {
    return command.fail(ledger.error());
  }
  if (ledger->routes.empty()) {
    return command.fail(Error{ErrorCode::bad_setting,
                              "this result has no shared materials; build it again instead",
                              {options.input, ""}});
  }
  const std::string source_path =
      options.scene.empty() ? find_scene(ledger->source_path, ledger_path) : options.scene;
  const auto source = read_source(command, source_path, ledger->split, ledger->routes);
  if (!source) {
    return command.fail(source.error());
  }
  // A ledger of what is there now: with it the audit tells whether only pictures changed.
  std::set<ImageId> changed = take_plain_pictures(*source->origin, *ledger, *built);
  const std::vector<Bytes> before = take_pages(ledger->page_images, *built);
  ledger->source_hash = make_content_hash(source->scene, command.run());
  ledger->result_hash = make_content_hash(*built, command.run());
  const auto verdict =
      verify(source->scene, *built, *ledger, command.settings().verify, command.run());
  if (!verdict) {
    return command.fail(verdict.error());
  }
  if (!verdict->passed) {
    return command.fail(
        Error{ErrorCode::plan_mismatch,
              fmt::format(
                  "more than pictures changed: {}; build it again",
                  verdict->mismatches.empty() ? "it does not match" : verdict->mismatches[0].what),
              {source_path, ""}});
  }
  if (auto painted = paint_pages(*source->origin, ledger->routes, ledger->page_images,
                                 StandardCodec(), *built, command.run());
      !painted) {
    Error error = painted.error();
    error.place.file = source_path;
    return command.fail(error);
  }
  std::size_t next = 0;
  for (const auto& page : ledger->page_images) {
    for (const ImageId id : page) {
      if (to_index(id) < built->images.size()) {
        const Bytes fresh = find_bytes(*built, id);
        const Bytes& old = before[next++];
        if (!std::equal(fresh.data().begin(), fresh.data().end(), old.data().begin(),
                        old.data().end())) {
          changed.insert(id);
        }
      }
    }
  }
  if (!changed.empty()) {
    const auto written = write_pictures(command, *built, changed, options.input,
                                        list_files(*source->origin, source_path));
    if (!written) {
      return command.fail(written.error());
    }
    if (auto done = write_document(ledger_path, to_json(*ledger)); !done) {
      return command.fail(done.error());
    }
  }
  command.print(fmt::format("{} of {} pictures changed and were written; meshes are as they were\n",
                            changed.size(), built->images.size()));
  return Exit::done;
}

}  // namespace wakuzume::cli
