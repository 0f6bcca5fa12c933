// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include "support/proof_table.h"

#include <fmt/format.h>
#include <gtest/gtest.h>

#include <algorithm>
#include <map>
#include <optional>
#include <random>

#include "support/parts.h"
#include "support/pictures.h"
#include "support/shots.h"
#include "wakuzume/image.h"
#include "wakuzume/propose.h"
#include "wakuzume/repaint.h"
#include "wakuzume/verify.h"

namespace wakuzume::test {
namespace {

// ---- Scenes ----------------------------------------------------------------------------------

class KitMaker {
 public:
  KitMaker(std::uint32_t seed, Recipe recipe) : random_(seed * 7919 + 3), recipe_(recipe) {}

  Scene make() {
    add_materials();
    const std::size_t shapes = 4 + random_() % 3;
    for (std::size_t s = 0; s < shapes; ++s) {
      kit_.push_back(make_shape());
    }
    const std::size_t objects = 16 + random_() % 16;
    for (std::size_t i = 0; i < objects; ++i) {
      add_object(i);
    }
    add_floor(objects);
    const NodeId fan = builder_.add_node("fan", no_mesh, at(1, 2, 1));
    builder_.animate(fan);
    builder_.add_node("blade", builder_.add_mesh("blade", make_part(3), materials_.back()),
                      scaled(0.1, 0.1, 0.1), fan);
    add_camera();
    return builder_.finish();
  }

 private:
  double unit() { return static_cast<double>(random_() % 10'000) / 10'000; }
  std::uint32_t pick(std::uint32_t count) { return static_cast<std::uint32_t>(random_()) % count; }
  std::uint32_t seed() { return static_cast<std::uint32_t>(random_()); }

  void add_materials() {
    const std::uint32_t sides[] = {32, 64, 64, 128};
    const std::uint32_t count = 4 + pick(4);
    const std::uint32_t common = seed();
    for (std::uint32_t m = 0; m < count; ++m) {
      // Every other one is equal to the one before, under another name.
      const bool twin = recipe_ == Recipe::fold && m % 2 == 1;
      const bool cutout = !twin && recipe_ != Recipe::tint && recipe_ != Recipe::rebake && m == 2;
      const MaterialId id = builder_.add_material(fmt::format("kit_{}", m),
                                                  cutout ? AlphaMode::mask : AlphaMode::opaque);
      materials_.push_back(id);
      if (twin) {
        const std::string name = builder_.scene[id].name;
        Material copy = builder_.scene[materials_[m - 1]];
        copy.name = name;
        builder_.scene.materials[to_index(id)] = copy;
        continue;
      }
      const std::uint32_t side = sides[pick(4)];
      const std::uint32_t picture = recipe_ == Recipe::tint ? common : seed();
      const TextureId texture =
          cutout ? add_picture(builder_, make_mask_picture(side, picture))
                 : add_picture(builder_,
                               make_picture(side, recipe_ == Recipe::tint ? 64 : side, picture));
      Material& material = builder_.scene.materials[to_index(id)];
      material.metallic = 0;
      material.roughness = recipe_ == Recipe::tint ? 0.8 : 0.4 + 0.6 * unit();
      material.base_color_texture.texture =
          recipe_ == Recipe::tint && m > 0
              ? builder_.scene[materials_[0]].base_color_texture.texture
              : texture;
      if (recipe_ == Recipe::tint) {
        material.base_color = {0.3 + 0.7 * unit(), 0.3 + 0.7 * unit(), 0.3 + 0.7 * unit(), 1};
      } else if (m % 3 == 1 && recipe_ != Recipe::rebake) {
        material.normal_texture.texture =
            add_picture(builder_, make_normal_picture(side, side, seed()));
      }
    }
    if (recipe_ != Recipe::tint && recipe_ != Recipe::layers) {
      const MaterialId plain = builder_.add_material("plain");
      builder_.scene.materials[to_index(plain)].base_color = {unit(), unit(), 0.2, 1};
      materials_.push_back(plain);
    }
  }

  MeshData make_shape() {
    MeshData data = make_part(seed());
    data.lightmap_uvs = data.uvs;
    // Where textures go round a part several times, they can't be unrolled into pages.
    const float times = recipe_ == Recipe::layers ? 6.0F : 1.0F;
    for (float& uv : data.uvs) {
      uv *= times;
    }
    return data;
  }

  void add_object(std::size_t i) {
    const std::uint32_t shape = pick(static_cast<std::uint32_t>(kit_.size()));
    const std::uint32_t material = recipe_ == Recipe::instances
                                       ? shape % static_cast<std::uint32_t>(materials_.size())
                                       : pick(static_cast<std::uint32_t>(materials_.size()));
    Trs trs = make_random_trs(seed(), Scaling::none);
    const double size = 0.12 + 0.1 * unit();
    trs.scale = {pick(4) == 0 ? -size : size, size, size};
    trs.translation = {0.7 * static_cast<double>(i % columns), 0.45,
                       0.7 * static_cast<double>(i / columns)};
    const bool frozen = pick(3) == 0;
    MeshId mesh = no_mesh;
    if (frozen) {
      MeshData data = transform_part(kit_[shape], trs);
      mesh = builder_.add_mesh(fmt::format("frozen_{}", i), data, materials_[material]);
    } else {
      const auto [slot, added] = meshes_.try_emplace({shape, material}, no_mesh);
      if (added) {
        slot->second = builder_.add_mesh(fmt::format("shape_{}_{}", shape, material), kit_[shape],
                                         materials_[material]);
      }
      mesh = slot->second;
    }
    const NodeId node = builder_.add_node(fmt::format("object_{}", i), mesh, frozen ? Trs{} : trs);
    builder_.set_extras(node, fmt::format(R"({{"lightmap":{}}})", i % columns < columns / 2));
  }

  void add_floor(std::size_t objects) {
    MeshData slab = make_patch(0, 0, recipe_ == Recipe::layers ? 5 : 1, 1);
    slab.lightmap_uvs = slab.uvs;
    const MeshId mesh = builder_.add_mesh("slab", slab, materials_[0]);
    const std::size_t rows = objects / columns + 1;
    for (std::size_t i = 0; i < 3 * rows; ++i) {
      Trs trs;
      trs.rotation = {-0.7071067811865476, 0, 0, 0.7071067811865476};
      trs.scale = {2, 2, 2};
      trs.translation = {-1 + 2 * static_cast<double>(i % 3), 0,
                         1 + 2 * static_cast<double>(i / 3) - 1};
      const NodeId node = builder_.add_node(fmt::format("slab_{}", i), mesh, trs);
      builder_.set_extras(node, R"({"lightmap":0})");
    }
  }

  void add_camera() {
    Camera camera;
    camera.name = "close";
    camera.yfov = 0.9;
    camera.aspect_ratio = 16.0 / 9;
    camera.znear = 0.05;
    camera.zfar = 50;
    builder_.scene.cameras.push_back(camera);
    const NodeId eye = builder_.add_node("eye", no_mesh, at(1.8, 0.9, 4.2));
    builder_.scene.nodes[to_index(eye)].camera = CameraId{0};
  }

  static constexpr std::size_t columns = 6;
  std::mt19937 random_;
  Recipe recipe_;
  SceneBuilder builder_;
  std::vector<MaterialId> materials_;
  std::vector<MeshData> kit_;
  std::map<std::pair<std::uint32_t, std::uint32_t>, MeshId> meshes_;
};

// ---- Proofs ----------------------------------------------------------------------------------

/// Draws the same view of the same scene once.
class KeptShots : public ShotMaker {
 public:
  explicit KeptShots(ShotMaker& maker) : maker_(maker) {}
  Result<Shot> make_shot(const Viewpoint& view, const ShotRequest& request) override {
    const auto hit = shots_.find(view.name);
    if (hit != shots_.end()) {
      return hit->second;
    }
    auto shot = maker_.make_shot(view, request);
    if (shot) {
      shots_[view.name] = *shot;
    }
    return shot;
  }

 private:
  ShotMaker& maker_;
  std::map<std::string, Shot> shots_;
};

struct Proof {
  bool audit = true;
  bool looks = true;
  bool views = true;
  double worst_psnr_db = 100;
  std::string why;
  [[nodiscard]] bool passed() const { return audit && looks && views; }
};

MaterialSettings settle_materials(Recipe recipe) {
  MaterialSettings settings;
  settings.goal = recipe == Recipe::merges || recipe == Recipe::instances
                      ? MaterialGoal::keep
                      : MaterialGoal::fewest_draws;
  if (settings.goal == MaterialGoal::fewest_draws && recipe != Recipe::shared) {
    settings.routes = {fmt::format("*={}", to_string(recipe))};
  }
  settings.max_page_px = 2048;
  return settings;
}

/// One scene on its way through all stages.
class ProofJob {
 public:
  ProofJob(const Scene& origin, Recipe recipe, const TableSettings& settings)
      : recipe_(recipe),
        settings_(settings),
        before_(origin, how(settings)),
        kept_(*before_.renderer) {
    const auto all = make_views(before_.scene, before_.survey, {.count = 16});
    EXPECT_TRUE(all);
    views_ = choose_views(*all, settings.views);
    const MaterialSettings materials = settle_materials(recipe);
    repainted_.scene = before_.scene;
    if (materials.goal != MaterialGoal::keep) {
      const auto images = read_image_facts(before_.scene, ImageDepth::detail);
      EXPECT_TRUE(images) << to_string(images.error());
      auto routes =
          propose_routes(before_.scene, before_.survey, *images, materials, {}, {views_, {}});
      EXPECT_TRUE(routes) << to_string(routes.error());
      routes_ = std::move(*routes);
      auto repainted = repaint(before_.scene, routes_);
      EXPECT_TRUE(repainted) << to_string(repainted.error());
      repainted_ = std::move(*repainted);
    }
    built_ = build_of(repainted_.scene);
    if (shares()) {
      Scene painted = built_.scene;
      const auto done =
          paint_pages(before_.scene, routes_, built_.ledger.page_images, codec_, painted);
      EXPECT_TRUE(done) << to_string(done.error());
      pages_ = take_pages(built_.ledger.page_images, painted);
    }
  }

  Proof prove() { return prove(repainted_.scene, built_, pages_); }

  /// \param what  says what is broken; empty where nothing could be
  Proof prove_broken(Fault fault, std::uint32_t seed, std::string& what) {
    const bool in_picture = fault == Fault::materials_swapped || fault == Fault::uvs_shifted;
    if (shares() && in_picture) {
      return prove_broken_picture(fault, seed, what);
    }
    Built broken = built_;
    what = break_result(repainted_.scene, fault, seed, broken.scene, broken.ledger);
    return what.empty() ? Proof{} : prove(repainted_.scene, broken, pages_);
  }

 private:
  static RenderSettings how(const TableSettings& settings) {
    return {.width_px = settings.width_px, .height_px = settings.height_px};
  }
  [[nodiscard]] bool shares() const { return !routes_.pages.empty() || !routes_.stacks.empty(); }

  [[nodiscard]] Built build_of(const Scene& scene) const {
    const auto found = survey(scene);
    EXPECT_TRUE(found);
    const Repeats repeats = recipe_ == Recipe::instances ? Repeats::instance
                            : recipe_ == Recipe::merges  ? Repeats::merge
                                                         : Repeats::by_cost;
    const auto plan = propose(scene, *found, {.repeats = repeats});
    EXPECT_TRUE(plan) << to_string(plan.error());
    BuildSettings settings;
    settings.page_images = repainted_.images;
    settings.origin = routes_.empty() ? nullptr : &before_.scene;
    auto built = build(scene, *plan, settings);
    EXPECT_TRUE(built) << to_string(built.error());
    built->ledger.routes = routes_;
    return std::move(*built);
  }

  /// Mistakes that are made before anything is built: what is audited agrees, what is seen does
  /// not.
  Proof prove_broken_picture(Fault fault, std::uint32_t seed, std::string& what) {
    if (fault == Fault::uvs_shifted) {
      Scene shifted = repainted_.scene;
      what = shift_shared_uvs(before_.scene, routes_, repainted_.images, seed, shifted);
      return what.empty() ? Proof{} : prove(shifted, build_of(shifted), pages_);
    }
    Scene painted = built_.scene;
    give(built_.ledger.page_images, pages_, painted);
    what = swap_shared_pictures(routes_, built_.ledger.page_images, painted);
    return what.empty()
               ? Proof{}
               : prove(repainted_.scene, built_, take_pages(built_.ledger.page_images, painted));
  }

  static void give(const PageImages& images, const std::vector<Bytes>& pages, Scene& scene) {
    std::size_t next = 0;
    for (const auto& page : images) {
      for (const ImageId id : page) {
        if (id != no_image) {
          scene.images[to_index(id)].bytes = pages[next++];
        }
      }
    }
  }

  Proof prove(const Scene& source, const Built& built, const std::vector<Bytes>& pages) {
    const VerifySettings settings;
    Proof out;
    auto verdict = verify(source, built.scene, built.ledger, settings);
    EXPECT_TRUE(verdict) << to_string(verdict.error());
    out.audit = verdict->passed;
    Scene after = built.scene;
    if (shares()) {
      Scene painted = source;
      give(repainted_.images, pages, painted);
      give(built.ledger.page_images, pages, after);
      verdict->passed = true;
      EXPECT_TRUE(verify_looks(before_.scene, painted, routes_, codec_, settings, *verdict));
      out.looks = verdict->passed;
    }
    Drawn drawn(std::move(after), how(settings_));
    verdict->passed = true;
    const auto done = verify_views({before_.scene, before_.survey, kept_}, drawn.get(),
                                   built.ledger, views_, settings, *verdict);
    EXPECT_TRUE(done) << to_string(done.error());
    out.views = verdict->passed;
    for (const ViewCheck& view : verdict->views) {
      out.worst_psnr_db = std::min(out.worst_psnr_db, view.psnr_db);
    }
    out.why = !verdict->mismatches.empty() ? verdict->mismatches.front().what
              : !verdict->rejected.empty() ? verdict->rejected.front().why
                                           : "";
    return out;
  }

  Recipe recipe_;
  TableSettings settings_;
  Drawn before_;
  KeptShots kept_;
  StandardCodec codec_;
  std::vector<Viewpoint> views_;
  RoutePlan routes_;
  Repainted repainted_;
  Built built_;
  std::vector<Bytes> pages_;
};

}  // namespace

std::string_view to_string(Recipe recipe) {
  constexpr std::array<std::string_view, recipe_count> words{
      "merges", "instances", "fold", "tint", "atlas", "layers", "rebake", "shared"};
  return words[static_cast<std::size_t>(recipe)];
}

Scene make_kit_scene(std::uint32_t seed, Recipe recipe) { return KitMaker(seed, recipe).make(); }

void ProofTable::add(const std::string& name,
                     const Scene& scene,
                     Recipe recipe,
                     std::uint32_t seed) {
  ProofJob job(scene, recipe, settings_);
  RightCount& right = right_[static_cast<std::size_t>(recipe)];
  const Proof proof = job.prove();
  ++right.results;
  right.worst_psnr_db = std::min(right.worst_psnr_db, proof.worst_psnr_db);
  if (!proof.passed()) {
    ++right.rejected;
    wrong_.push_back(
        fmt::format("{} ({}) is right and rejected: {}", name, to_string(recipe), proof.why));
  }
  for (std::size_t f = 0; f < fault_count; ++f) {
    const auto fault = static_cast<Fault>(f);
    std::string what;
    const Proof of_broken = job.prove_broken(fault, seed, what);
    if (what.empty()) {
      continue;
    }
    BrokenCount& count = broken_[static_cast<std::size_t>(recipe)][f];
    ++count.results;
    count.seen_by_audit += of_broken.audit ? 0 : 1;
    count.seen_by_looks += of_broken.looks ? 0 : 1;
    count.seen_by_views += of_broken.views ? 0 : 1;
    if (of_broken.passed()) {
      ++count.accepted;
      wrong_.push_back(
          fmt::format("{} ({}) is broken and accepted: {}", name, to_string(recipe), what));
    }
  }
}

const RightCount& ProofTable::right(Recipe recipe) const {
  return right_[static_cast<std::size_t>(recipe)];
}

const BrokenCount& ProofTable::broken(Recipe recipe, Fault fault) const {
  return broken_[static_cast<std::size_t>(recipe)][static_cast<std::size_t>(fault)];
}

std::string ProofTable::print() const {
  std::string out =
      fmt::format("{:<12}{:>8}{:>10}{:>10}\n", "Right", "results", "rejected", "worst dB");
  for (std::size_t r = 0; r < recipe_count; ++r) {
    const RightCount& count = right_[r];
    if (count.results > 0) {
      out += fmt::format("{:<12}{:>8}{:>10}{:>10.1f}\n", to_string(static_cast<Recipe>(r)),
                         count.results, count.rejected, count.worst_psnr_db);
    }
  }
  out += fmt::format("\n{:<12}{:<18}{:>8}{:>10}{:>10}{:>10}{:>10}\n", "Broken", "", "results",
                     "accepted", "audit", "looks", "views");
  for (std::size_t r = 0; r < recipe_count; ++r) {
    for (std::size_t f = 0; f < fault_count; ++f) {
      const BrokenCount& count = broken_[r][f];
      if (count.results > 0) {
        out += fmt::format("{:<12}{:<18}{:>8}{:>10}{:>10}{:>10}{:>10}\n",
                           to_string(static_cast<Recipe>(r)), to_string(static_cast<Fault>(f)),
                           count.results, count.accepted, count.seen_by_audit, count.seen_by_looks,
                           count.seen_by_views);
      }
    }
  }
  return out;
}

}  // namespace wakuzume::test
