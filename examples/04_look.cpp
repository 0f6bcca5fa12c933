// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
//
// EXAMPLE: 04_look SCENE OUT.png
// SHOWS: drawing source and result from the same views, comparing them, a picture with its legend.
// READ FIRST: 01_read_plan_build.cpp

#include <cstdio>
#include <fstream>

#include "example.h"
#include "wakuzume/picture.h"
#include "wakuzume/render.h"
#include "wakuzume/verify_views.h"
#include "wakuzume/wakuzume.h"

int main(int argc, char** argv) {
  if (argc != 3) {
    return fail_usage("04_look SCENE OUT.png");
  }
  const auto source = wakuzume::read_scene(argv[1]);
  if (!source) {
    return fail(source.error());
  }
  const auto before = wakuzume::survey(*source);
  const auto plan = wakuzume::propose(*source, *before);
  const auto built = wakuzume::build(*source, *plan);
  if (!built) {
    return fail(built.error());
  }
  const auto after = wakuzume::survey(built->scene);

  // One device draws both: pictures that they share are there once. Your own engine can stand here
  // too, behind ShotMaker.
  const auto device = wakuzume::open_render_device();
  if (!device) {
    return fail(device.error());
  }
  const wakuzume::StandardCodec codec;
  const wakuzume::PictureSettings look{
      .showing = wakuzume::Showing::draws, .width_px = 640, .height_px = 400, .title = "before"};
  const auto [width, height] = find_room(look);
  const wakuzume::RenderSettings size{.width_px = width, .height_px = height};
  const auto shots_before = wakuzume::Renderer::make({*source, *before}, *device, codec, size);
  const auto shots_after = wakuzume::Renderer::make({built->scene, *after}, *device, codec, size);
  if (!shots_before || !shots_after) {
    return fail(shots_before ? shots_after.error() : shots_before.error());
  }

  const auto views = wakuzume::make_views(*source, *before, {.count = 0});
  wakuzume::Verdict verdict;
  verdict.passed = true;
  const auto compared =
      verify_views({*source, *before, **shots_before}, {built->scene, *after, **shots_after},
                   built->ledger, *views, {}, verdict);
  if (!compared) {
    return fail(compared.error());
  }
  for (const wakuzume::Viewpoint& view : *views) {
    for (const wakuzume::ViewCheck& check : verdict.views) {
      if (check.view == view.name) {
        std::printf("%-18s %5llu -> %3llu draws, %s\n", check.view.c_str(),
                    static_cast<unsigned long long>(check.before.draws),
                    static_cast<unsigned long long>(check.after.draws),
                    check.passed ? "looks the same" : "differs");
      }
    }
  }

  const auto classes = make_classes(*source, *before, look.showing);
  const auto pixels = make_picture(*before, **shots_before, views->front(), *classes, look);
  if (!pixels) {
    return fail(pixels.error());
  }
  const auto png = wakuzume::encode_png(*pixels);
  std::ofstream(argv[2], std::ios::binary)
      .write(reinterpret_cast<const char*>(png->data()), static_cast<std::streamsize>(png->size()));
  std::printf("a picture of %u x %u pixels\n", pixels->width_px, pixels->height_px);
  return verdict.passed ? 0 : 1;
}
