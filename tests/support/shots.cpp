// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include "support/shots.h"

#include <gtest/gtest.h>

#include "support/process.h"
#include "wakuzume/image.h"
#include "wakuzume/io.h"

namespace wakuzume::test {

std::shared_ptr<RenderDevice> find_device() {
  static const auto device = open_render_device();
  EXPECT_TRUE(device) << to_string(device.error());
  return *device;
}

Drawn::Drawn(Scene shown, const RenderSettings& settings)
    : scene(std::move(shown)), survey(*wakuzume::survey(scene)) {
  auto made = Renderer::make({scene, survey}, find_device(), StandardCodec(), settings);
  EXPECT_TRUE(made) << to_string(made.error());
  renderer = std::move(*made);
}

Drawn::Drawn(Scene shown,
             const SurveySettings& rules,
             const LightmapFiles* files,
             const RenderSettings& settings)
    : scene(std::move(shown)), survey(*wakuzume::survey(scene, rules)) {
  const StandardCodec codec;
  const auto pages = read_lit_pages(scene, survey, {}, {codec, files});
  EXPECT_TRUE(pages) << to_string(pages.error());
  auto made = Renderer::make({scene, survey, *pages}, find_device(), codec, settings);
  EXPECT_TRUE(made) << to_string(made.error());
  renderer = std::move(*made);
}

Shot Drawn::shoot(const Viewpoint& view, const ShotRequest& request) {
  auto shot = renderer->make_shot(view, request);
  EXPECT_TRUE(shot) << to_string(shot.error());
  return std::move(*shot);
}

Verdict compare(const Scene& before,
                const Scene& after,
                const Ledger& ledger,
                std::size_t views,
                const VerifySettings& settings) {
  const RenderSettings how{.width_px = 320, .height_px = 180};
  Drawn a(before, how);
  Drawn b(after, how);
  const auto all = make_views(a.scene, a.survey, {.count = 16});
  Verdict verdict;
  verdict.passed = true;
  const auto done =
      verify_views(a.get(), b.get(), ledger, choose_views(*all, views), settings, verdict);
  EXPECT_TRUE(done) << to_string(done.error());
  return verdict;
}

Viewpoint make_flat_view(double half_width_m, const Vec3d& eye) {
  Viewpoint view = make_viewpoint("flat", eye, {eye[0], eye[1], eye[2] - 1});
  view.perspective = false;
  view.xmag = half_width_m;
  view.ymag = half_width_m;
  view.zfar_m = 100;
  return view;
}

std::array<int, 3> find_pixel(const Shot& shot, std::size_t x, std::size_t y) {
  const std::uint8_t* const at = &shot.picture.rgba[4 * (y * shot.width_px + x)];
  return {at[0], at[1], at[2]};
}

Ledger write_and_read(const Ledger& ledger) {
  const auto file = make_scratch() / "l.json";
  write_all(file, to_json(ledger));
  auto read = read_ledger(file.string());
  EXPECT_TRUE(read) << to_string(read.error());
  return *read;
}

}  // namespace wakuzume::test
