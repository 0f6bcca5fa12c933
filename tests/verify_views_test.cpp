// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include "wakuzume/verify_views.h"

#include <gtest/gtest.h>

#include <cmath>
#include <functional>
#include <set>

#include "support/parts.h"
#include "support/pictures.h"
#include "support/process.h"
#include "support/scene_builder.h"
#include "support/shots.h"
#include "wakuzume/image.h"
#include "wakuzume/io.h"
#include "wakuzume/restore.h"

namespace wakuzume {
namespace {

/// The picture moved by so many texels, what leaves on one side comes back on the other.
Pixels roll(const Pixels& from, std::uint32_t right) {
  Pixels out = from;
  for (std::size_t y = 0; y < from.height_px; ++y) {
    for (std::size_t x = 0; x < from.width_px; ++x) {
      const std::size_t to = y * from.width_px + (x + right) % from.width_px;
      std::copy_n(&from.rgba[4 * (y * from.width_px + x)], 4, &out.rgba[4 * to]);
    }
  }
  return out;
}

/// Parts of two textured materials on two shelves, a lamp that swings, and a camera close by.
Scene make_shelves() {
  test::SceneBuilder builder;
  std::array<MaterialId, 2> materials{};
  for (std::uint32_t m = 0; m < 2; ++m) {
    materials[m] = builder.add_material(m == 0 ? "oak" : "slate");
    Material& material = builder.scene.materials[to_index(materials[m])];
    material.metallic = 0;
    material.roughness = 0.8;
    material.base_color_texture.texture = test::add_picture(builder, test::make_picture(64, 64, m));
  }
  for (std::uint32_t i = 0; i < 12; ++i) {
    test::MeshData part = test::make_part(i);
    const double size = 0.25 / test::find_diagonal(part);
    builder.add_node("part_" + std::to_string(i),
                     builder.add_mesh("part_" + std::to_string(i), part, materials[i % 2]),
                     test::scaled(size, size, size, {0.3 * (i % 6), 0.4 * (i / 6), 0}));
  }
  const MaterialId brass = builder.add_material("brass");
  builder.scene.materials[to_index(brass)].base_color = {0.8, 0.6, 0.3, 1};
  const MeshId peg = builder.add_mesh("peg", test::make_prism(6), brass);
  for (std::uint32_t i = 0; i < 6; ++i) {
    builder.add_node("peg_" + std::to_string(i), peg,
                     test::scaled(0.05, 0.1, 0.05, {0.3 * i, -0.3, 0}));
  }
  const NodeId lamp =
      builder.add_node("lamp", builder.add_mesh("lamp", test::make_part(40), materials[1]),
                       test::scaled(0.1, 0.1, 0.1, {0.8, 0.8, 0}));
  builder.animate(lamp);
  const NodeId eye = builder.add_node("eye", no_mesh, test::at(0.75, 0.2, 1.3));
  Camera camera;
  camera.name = "close";
  camera.yfov = 1;
  camera.aspect_ratio = 16.0 / 9;
  camera.znear = 0.05;
  camera.zfar = 50;
  builder.scene.cameras.push_back(camera);
  builder.scene.nodes[to_index(eye)].camera = CameraId{0};
  return builder.finish();
}

class BrokenPictures : public testing::Test {
 protected:
  BrokenPictures() : source_(make_shelves()) {
    const auto plan = propose(source_, *survey(source_), {.repeats = Repeats::by_cost});
    built_ = *build(source_, *plan);
  }

  [[nodiscard]] const LedgerRow& row_of(const std::string& name) const {
    for (const LedgerRow& row : built_.ledger.rows) {
      if (source_[row.source.node].name == name) {
        return row;
      }
    }
    ADD_FAILURE() << name;
    return built_.ledger.rows.front();
  }
  [[nodiscard]] std::string group_of(const LedgerRow& row) const {
    for (const LedgerResult& result : built_.ledger.results) {
      if (result.node == row.node && result.primitive == row.primitive) {
        return result.group;
      }
    }
    return "";
  }
  Primitive& result_of(const LedgerRow& row) {
    return built_.scene.meshes[to_index(built_.scene[row.node].mesh)].primitives[row.primitive];
  }
  /// Elements of a stream of the result, from one on.
  template <class T>
  void change(StreamId id,
              std::size_t first,
              std::size_t count,
              const std::function<void(T*)>& edit) {
    const Stream& stream = built_.scene[id];
    const BlockView& view = built_.scene[stream.view];
    Block& block = built_.scene.blocks[to_index(view.block)];
    std::vector<std::byte> bytes(block.bytes.data().begin(), block.bytes.data().end());
    const std::size_t step =
        view.stride != 0 ? view.stride : element_bytes(stream.component, stream.element);
    for (std::size_t i = first; i < first + count; ++i) {
      edit(reinterpret_cast<T*>(bytes.data() + view.offset + stream.offset + i * step));
    }
    block.bytes = make_bytes(std::move(bytes));
  }

  /// By pixels alone: what drawing finds without the audit.
  void expect_found(const std::string& group, const std::string& node, PixelFault fault) {
    const Verdict verdict = test::compare(source_, built_.scene, built_.ledger, 5);
    EXPECT_FALSE(verdict.passed);
    EXPECT_FALSE(verdict.views.front().passed) << "the worst first";
    ASSERT_FALSE(verdict.group_faults.empty());
    const GroupFault& worst = verdict.group_faults.front();
    EXPECT_EQ(worst.group, group);
    EXPECT_EQ(worst.node, node);
    EXPECT_EQ(to_string(worst.fault), to_string(fault));
    EXPECT_GT(worst.pixels, 16U);
  }

  Scene source_;
  Built built_;
};

TEST_F(BrokenPictures, PassWhereNothingIsBroken) {
  ASSERT_EQ(row_of("part_0").fate, Fate::merged);
  ASSERT_EQ(row_of("lamp").fate, Fate::kept);
  const Verdict verdict = test::compare(source_, built_.scene, built_.ledger, 12);
  EXPECT_TRUE(verdict.passed);
  EXPECT_EQ(verdict.views.size(), 12U);
  EXPECT_TRUE(verdict.group_faults.empty());
  for (const ViewCheck& view : verdict.views) {
    EXPECT_LE(view.differing, 6U) << view.view;
    EXPECT_GT(view.psnr_db, 55) << view.view;
    EXPECT_GT(view.likeness, 0.999) << view.view;
    EXPECT_LE(view.after.draws, view.before.draws) << view.view;
  }
}

/// Counts what it is shown.
class Counter : public ViewAudience {
 public:
  void begin(const DrawnScene&, const DrawnScene&) override {}
  void show(
      std::size_t number, const Viewpoint&, const Shot&, const Shot&, const Pixels&) override {
    shown.push_back(number);
  }
  std::vector<std::size_t> shown;
};

TEST_F(BrokenPictures, AreNotDrawnWhereTheirChecksAreKnown) {
  test::Drawn before(source_, {.width_px = 320, .height_px = 180});
  test::Drawn after(built_.scene, {.width_px = 320, .height_px = 180});
  const auto views = choose_views(*make_views(before.scene, before.survey, {.count = 16}), 4);
  ViewCheck known;
  known.view = "as it was";
  known.number = 2;
  known.psnr_db = 51.5;
  Counter counter;
  Verdict verdict;
  verdict.passed = true;
  ASSERT_TRUE(verify_views(before.get(), after.get(), built_.ledger, views, {}, verdict, &counter,
                           {}, std::span(&known, 1)));
  std::sort(counter.shown.begin(), counter.shown.end());
  EXPECT_EQ(counter.shown, (std::vector<std::size_t>{0, 1, 3}));
  EXPECT_TRUE(verdict.passed);
  ASSERT_EQ(verdict.views.size(), 4U);
  const auto taken = std::find_if(verdict.views.begin(), verdict.views.end(),
                                  [](const ViewCheck& view) { return view.number == 2; });
  EXPECT_EQ(taken->view, "as it was");
  EXPECT_EQ(taken->psnr_db, 51.5);
}

TEST_F(BrokenPictures, AreDrawnInTheOrderOfTheirWorthWhileThereIsTime) {
  test::Drawn before(source_, {.width_px = 320, .height_px = 180});
  test::Drawn after(built_.scene, {.width_px = 320, .height_px = 180});
  const auto views = choose_views(*make_views(before.scene, before.survey, {.count = 16}), 12);
  Counter counter;
  Verdict verdict;
  verdict.passed = true;
  // So little that the first view alone is begun.
  ASSERT_TRUE(verify_views(before.get(), after.get(), built_.ledger, views, {.seconds = 1e-9},
                           verdict, &counter));
  ASSERT_EQ(counter.shown.size(), 1U);
  const ViewSource first = views[counter.shown.front()].source;
  EXPECT_TRUE(first == ViewSource::camera || first == ViewSource::overview);
  EXPECT_EQ(verdict.views.size(), 1U);
  ASSERT_EQ(verdict.not_checked.size(), 1U);
  EXPECT_NE(verdict.not_checked.front().find("11 of 12 views"), std::string::npos)
      << verdict.not_checked.front();
}

/// Stops at a share of the whole, and keeps what it was told.
class Stopper : public Observer {
 public:
  explicit Stopper(double at) : at_(at) {}
  bool advance(std::string_view stage, double done) override {
    stages.emplace_back(stage);
    least_step = std::min(least_step, done < last_ ? -1 : done - last_);
    last_ = done;
    return done < at_;
  }
  std::vector<std::string> stages;
  double least_step = 1;

 private:
  double at_;
  double last_ = 0;
};

TEST_F(BrokenPictures, TellWhichViewIsDrawnAndStopInTheMiddle) {
  test::Drawn before(source_, {.width_px = 320, .height_px = 180});
  test::Drawn after(built_.scene, {.width_px = 320, .height_px = 180});
  const auto views = choose_views(*make_views(before.scene, before.survey, {.count = 16}), 4);
  Verdict verdict;
  Stopper never(2);
  ASSERT_TRUE(verify_views(before.get(), after.get(), built_.ledger, views, {}, verdict, nullptr,
                           {.observer = &never}));
  EXPECT_GE(never.least_step, 0) << "progress went back";
  for (std::size_t v = 0; v < views.size(); ++v) {
    const std::string stage = "drawing view " + std::to_string(v + 1) + " of 4, " + views[v].name;
    EXPECT_GE(std::count(never.stages.begin(), never.stages.end(), stage), 4) << stage;
  }
  Verdict half;
  Stopper stopper(0.5);
  const auto stopped = verify_views(before.get(), after.get(), built_.ledger, views, {}, half,
                                    nullptr, {.observer = &stopper});
  ASSERT_FALSE(stopped);
  EXPECT_EQ(stopped.error().code, ErrorCode::cancelled);
  EXPECT_LT(stopper.stages.size(), never.stages.size());
}

TEST_F(BrokenPictures, ShowAPartMovedByACentimetre) {
  const LedgerRow row = row_of("part_3");
  change<float>(result_of(row).find("POSITION"), row.first_vertex, row.vertex_count,
                [](float* p) { p[2] += 0.01F; });
  expect_found(group_of(row), "/part_3", PixelFault::moved);
}

TEST_F(BrokenPictures, ShowAPartThatIsWoundTheWrongWay) {
  const LedgerRow row = row_of("part_4");
  change<std::uint16_t>(result_of(row).indices, row.first_index, row.index_count,
                        [](std::uint16_t*) {});
  const Primitive& primitive = result_of(row);
  ASSERT_EQ(built_.scene[primitive.indices].component, ComponentType::u16);
  std::vector<std::uint32_t> list = make_indices(built_.scene, primitive);
  std::size_t at = row.first_index;
  change<std::uint16_t>(primitive.indices, row.first_index, row.index_count, [&](std::uint16_t* i) {
    // a b c becomes a c b
    const std::size_t corner = at % 3;
    *i = static_cast<std::uint16_t>(list[corner == 0 ? at : corner == 1 ? at + 1 : at - 1]);
    ++at;
  });
  expect_found(group_of(row), "/part_4", PixelFault::moved);
}

TEST_F(BrokenPictures, ShowSwappedMaterials) {
  for (Mesh& mesh : built_.scene.meshes) {
    for (Primitive& primitive : mesh.primitives) {
      primitive.material = primitive.material == MaterialId{0}   ? MaterialId{1}
                           : primitive.material == MaterialId{1} ? MaterialId{0}
                                                                 : primitive.material;
    }
  }
  const Verdict verdict = test::compare(source_, built_.scene, built_.ledger, 5);
  EXPECT_FALSE(verdict.passed);
  EXPECT_GE(verdict.group_faults.size(), 2U) << "all that was swapped";
  for (const GroupFault& fault : verdict.group_faults) {
    EXPECT_EQ(fault.fault, PixelFault::color) << fault.node;
  }
}

TEST_F(BrokenPictures, ShowATextureShiftedByATexel) {
  // In the result alone; the encoded bytes are shared no more.
  Image& image = built_.scene.images[0];
  const Pixels pixels = *decode_image(encoded_bytes(built_.scene, ImageId{0}));
  image.bytes = make_bytes(*encode_png(roll(pixels, 1)));
  image.view = no_view;
  const Verdict verdict = test::compare(source_, built_.scene, built_.ledger, 5);
  EXPECT_FALSE(verdict.passed);
  ASSERT_FALSE(verdict.group_faults.empty());
  EXPECT_EQ(verdict.group_faults.front().fault, PixelFault::color);
  const DrawRef worst = verdict.group_faults.front().worst;
  EXPECT_EQ(source_[source_[worst.node].mesh].primitives[worst.primitive].material, MaterialId{0})
      << "what shows that picture";
}

/// Four walls of one colour each, before them glass as large as all of them, and all to be seen
/// from every side. \return the walls' materials are the first four
Scene make_glazed_walls() {
  test::SceneBuilder builder;
  for (std::uint32_t m = 0; m < 4; ++m) {
    const MaterialId paint = builder.add_material("paint_" + std::to_string(m));
    builder.scene.materials[m].base_color = {0.2 + 0.1 * m, 0.3, 0.4, 1};
    builder.add_node("wall_" + std::to_string(m),
                     builder.add_mesh("wall", test::make_square(), paint), test::at(1.1 * m));
  }
  const MaterialId glass = builder.add_material("glass", AlphaMode::blend);
  builder.scene.materials[4].base_color = {0.6, 0.8, 0.7, 0.3};
  builder.add_node("pane", builder.add_mesh("pane", test::make_square(), glass),
                   test::scaled(4.4, 1, 1, {0, 0, 0.2}));
  for (Material& material : builder.scene.materials) {
    material.double_sided = true;
  }
  return builder.finish();
}

/// Whose pixels are wrong through the glass, by name, and which draws are rejected for it.
std::pair<std::vector<std::string>, std::set<std::string>> find_blamed(std::size_t material) {
  const Scene source = make_glazed_walls();
  Built built = *build(source, *propose(source, *survey(source), {.repeats = Repeats::merge}));
  built.scene.materials[material].base_color = {0.9, 0.1, 0.1, material == 4 ? 0.6 : 1.0};
  const Verdict verdict = test::compare(source, built.scene, built.ledger, 5);
  EXPECT_FALSE(verdict.passed);
  std::vector<std::string> nodes;
  for (const GroupFault& fault : verdict.group_faults) {
    nodes.push_back(fault.node);
  }
  std::set<std::string> rejected;
  for (const Rejection& one : verdict.rejected) {
    rejected.insert(source[one.draw.node].name);
  }
  return {nodes, rejected};
}

TEST(BrokenPanes, AreNotBlamedForTheColourOfWhatIsBehind) {
  for (std::size_t m = 0; m < 4; ++m) {
    const std::string wall = "wall_" + std::to_string(m);
    const auto [nodes, rejected] = find_blamed(m);
    EXPECT_EQ(nodes, (std::vector<std::string>{"/" + wall}));
    EXPECT_EQ(rejected, (std::set<std::string>{wall}));
  }
}

TEST(BrokenPanes, AreBlamedForTheirOwnColour) {
  const auto [nodes, rejected] = find_blamed(4);
  EXPECT_EQ(nodes, (std::vector<std::string>{"/pane"}));
  EXPECT_EQ(rejected, (std::set<std::string>{"pane"}));
}

TEST_F(BrokenPictures, ShowAKeptDrawThatMoved) {
  built_.scene.nodes[to_index(row_of("lamp").node)].trs.translation[0] += 0.05;
  expect_found("", "/lamp", PixelFault::moved);
}

TEST_F(BrokenPictures, ShowAPartThatIsMissing) {
  const LedgerRow row = row_of("part_8");
  change<float>(result_of(row).find("POSITION"), row.first_vertex, row.vertex_count,
                [](float* p) { p[0] = p[1] = p[2] = 0; });
  expect_found(group_of(row), "/part_8", PixelFault::other_draw);
}

TEST_F(BrokenPictures, ShowAnInstanceThatMoved) {
  const auto plan = propose(source_, *survey(source_), {.repeats = Repeats::instance});
  built_ = *build(source_, *plan);
  const LedgerRow row = row_of("peg_2");
  ASSERT_EQ(row.fate, Fate::instanced);
  for (const Attribute& attribute : built_.scene[row.node].instancing->attributes) {
    if (attribute.semantic == "TRANSLATION") {
      change<float>(attribute.stream, row.instance, 1, [](float* p) { p[2] += 0.01F; });
    }
  }
  expect_found(group_of(row), "/peg_2", PixelFault::moved);
}

// ---- Through files, with all of the proof
// --------------------------------------------------------

/// A built result on disk, which a test then breaks.
class BrokenFiles : public testing::Test {
 protected:
  BrokenFiles() : folder_(test::make_scratch()) {
    EXPECT_TRUE(write_scene(make_shelves(), path("shelves.glb")));
    test::write_all(folder_ / "small.toml",
                    "[verify]\npicture_width_px = 320\npicture_height_px = 180\n");
  }
  [[nodiscard]] std::string path(const std::string& name) const {
    return (folder_ / name).string();
  }
  void run(const std::vector<std::string>& more) {
    std::vector<std::string> line{"run",        path("shelves.glb"), "-o",     path("out"),
                                  "--settings", path("small.toml"),  "--quiet"};
    line.insert(line.end(), more.begin(), more.end());
    const test::Outcome outcome = test::run_tool(line);
    ASSERT_EQ(outcome.exit_code, 0) << outcome.out << outcome.err;
  }
  test::Outcome verify_changed(const std::function<void(Scene&, const Ledger&)>& change) {
    auto result = read_scene(path("out/shelves.glb"));
    const auto ledger = read_ledger(path("out/shelves.ledger.json"));
    EXPECT_TRUE(result && ledger);
    change(*result, *ledger);
    EXPECT_TRUE(write_scene(*result, path("broken.glb")));
    return test::run_tool({"verify", path("shelves.glb"), path("broken.glb"), "--ledger",
                           path("out/shelves.ledger.json"), "--settings", path("small.toml")});
  }
  std::filesystem::path folder_;
};

TEST_F(BrokenFiles, PassUnchangedWithEachKindOfMaterials) {
  for (const char* route : {"*=atlas", "*=layers", "*=rebake"}) {
    run({"--materials", "fewest_draws", "--route", route});
    const test::Outcome outcome = verify_changed([](Scene&, const Ledger&) {});
    EXPECT_EQ(outcome.exit_code, 0) << route << outcome.out;
    EXPECT_NE(outcome.out.find("all look the same"), std::string::npos) << outcome.out;
  }
}

TEST_F(BrokenFiles, TellThatAPageIsShiftedByATexel) {
  // On tiles, and on charts that lie on their page in all directions.
  for (const char* route : {"*=atlas", "*=rebake"}) {
    run({"--materials", "fewest_draws", "--route", route});
    const test::Outcome outcome = verify_changed([](Scene& result, const Ledger& ledger) {
      ASSERT_FALSE(ledger.page_images.empty());
      const ImageId page = ledger.page_images[0][0];
      Image& image = result.images[to_index(page)];
      const Pixels pixels = *decode_image(encoded_bytes(result, page));
      image.view = no_view;
      image.bytes = make_bytes(*encode_png(roll(pixels, 1)));
    });
    EXPECT_EQ(outcome.exit_code, 1) << route;
    EXPECT_NE(outcome.out.find("the picture of material 0 (oak) is shifted by 1 texels along u"),
              std::string::npos)
        << route << outcome.out;
  }
}

TEST_F(BrokenFiles, TellThatALayerIsShiftedByATexel) {
  run({"--materials", "fewest_draws", "--route", "*=layers"});
  const test::Outcome outcome = verify_changed([](Scene& result, const Ledger& ledger) {
    ASSERT_FALSE(ledger.page_images.empty());
    const ImageId stack = ledger.page_images[0][0];
    const StandardCodec codec;
    TextureArray array = *codec.decode_array(encoded_bytes(result, stack), 0);
    ASSERT_EQ(array.layers.size(), 2U);
    array.layers[1] = roll(array.layers[1], 1);
    result.images[to_index(stack)].view = no_view;
    result.images[to_index(stack)].bytes = make_bytes(*codec.encode_array(array, {}, {}));
  });
  EXPECT_EQ(outcome.exit_code, 1);
  EXPECT_NE(outcome.out.find("(slate) is shifted by 1 texels along u"), std::string::npos)
      << outcome.out;
  EXPECT_EQ(outcome.out.find("(oak) is shifted"), std::string::npos) << outcome.out;
}

TEST_F(BrokenFiles, NameTheGroupWhoseTrianglesCoverWrongPixels) {
  run({});
  const test::Outcome outcome = verify_changed([](Scene& result, const Ledger& ledger) {
    result.nodes[to_index(ledger.results.front().node)].trs.translation[0] += 0.05;
  });
  EXPECT_EQ(outcome.exit_code, 1);
  const auto ledger = read_ledger(path("out/shelves.ledger.json"));
  EXPECT_NE(outcome.out.find("group " + ledger->results.front().group + ", /"), std::string::npos)
      << outcome.out;
  EXPECT_NE(outcome.out.find("stands 0.05 m from its place"), std::string::npos) << outcome.out;
}

TEST_F(BrokenFiles, WriteWhatWasCompared) {
  run({});
  const test::Outcome outcome =
      test::run_tool({"verify", path("shelves.glb"), path("out/shelves.glb"), "--settings",
                      path("small.toml"), "--pictures", path("shots"), "--views", "2"});
  EXPECT_EQ(outcome.exit_code, 0) << outcome.err;
  const auto files = test::list_folder(folder_ / "shots");
  ASSERT_EQ(files.size(), 6U) << "the samples look past the shelves";
  EXPECT_EQ(files[0], "01_camera_eye_after.png");
  EXPECT_EQ(files[3], "02_overview_1_after.png");
  const std::string bytes = test::read_all(folder_ / "shots" / files[1]);
  const auto heat = decode_image(make_bytes(std::vector<char>(bytes.begin(), bytes.end())));
  ASSERT_TRUE(heat);
  EXPECT_EQ(heat->width_px, 320U);
}

TEST_F(BrokenFiles, AreLookedAtFromEveryViewThatIsListed) {
  run({});
  ASSERT_EQ(test::run_tool({"survey", path("shelves.glb"), "--views", "20", "--save-views",
                            path("views.json"), "--quiet"})
                .exit_code,
            0);
  const auto views = read_views(path("views.json"));
  ASSERT_TRUE(views);
  ASSERT_GT(views->size(), 12U);
  const test::Outcome outcome =
      test::run_tool({"verify", path("shelves.glb"), path("out/shelves.glb"), "--settings",
                      path("small.toml"), "--views-file", path("views.json")});
  EXPECT_EQ(outcome.exit_code, 0) << outcome.out;
  EXPECT_NE(outcome.out.find(std::to_string(views->size()) + " views drawn"), std::string::npos)
      << outcome.out;
}

// ---- The judge alone, on shots made by hand
// ------------------------------------------------------

/// Shows what it is given, whatever the view.
class StillShots final : public ShotMaker {
 public:
  Result<Shot> make_shot(const Viewpoint&, const ShotRequest&) override { return shot; }
  Shot shot;
};

/// Two squares of one scene, as their own result: nothing is merged.
class Judge : public testing::Test {
 protected:
  static constexpr std::uint32_t side = 40;
  Judge() {
    test::SceneBuilder builder;
    for (int i = 0; i < 2; ++i) {
      builder.add_node("square_" + std::to_string(i), builder.add_mesh("m", test::make_square()),
                       test::at(i));
    }
    scene_ = builder.finish();
    survey_ = *survey(scene_);
    ledger_ = make_untouched(scene_).ledger;
    Shot shot;
    shot.width_px = shot.height_px = side;
    shot.picture = test::make_flat_picture(side, side, {100, 100, 100, 255});
    shot.hits.resize(std::size_t{side} * side);
    for (std::size_t p = 0; p < shot.hits.size(); ++p) {
      shot.hits[p] = {p % side < side / 2 ? DrawId{0} : DrawId{1}, 0, 0, 5};
    }
    before_.shot = after_.shot = shot;
  }
  ViewCheck check() {
    Verdict verdict;
    verdict.passed = true;
    const std::vector<Viewpoint> views{make_viewpoint("v", {0, 0, 5}, {0, 0, 0})};
    EXPECT_TRUE(verify_views({scene_, survey_, before_}, {scene_, survey_, after_}, ledger_, views,
                             settings_, verdict));
    EXPECT_EQ(verdict.passed, verdict.views.front().passed);
    return verdict.views.front();
  }
  void set_color(std::size_t x, std::size_t y, std::uint8_t value) {
    std::fill_n(&after_.shot.picture.rgba[4 * (y * side + x)], 3, value);
  }
  Hit& hit(std::size_t x, std::size_t y) { return after_.shot.hits[y * side + x]; }

  VerifySettings settings_;
  Scene scene_;
  Survey survey_;
  Ledger ledger_;
  StillShots before_;
  StillShots after_;
};

TEST_F(Judge, CountsEqualShotsAsEqual) {
  const ViewCheck view = check();
  EXPECT_TRUE(view.passed);
  EXPECT_EQ(view.differing, 0U);
  EXPECT_EQ(view.psnr_db, 100);
  EXPECT_EQ(view.likeness, 1);
  EXPECT_EQ(view.mean_error, 0);
}

TEST_F(Judge, MeasuresWhatDiffers) {
  for (std::size_t x = 0; x < 10; ++x) {
    set_color(x, 5, 130);
  }
  const ViewCheck view = check();
  EXPECT_EQ(view.differing, 10U);
  EXPECT_EQ(view.faults[static_cast<std::size_t>(PixelFault::color)], 10U);
  EXPECT_NEAR(view.mean_error, 30.0 * 10 / (side * side), 1e-9);
  EXPECT_NEAR(view.psnr_db, 10 * std::log10(255.0 * 255 / (900.0 * 10 / (side * side))), 1e-9);
  EXPECT_FALSE(view.passed);
  EXPECT_LT(view.likeness, 1);
}

TEST_F(Judge, AllowsStepsByTheSettings) {
  for (std::size_t x = 0; x < side; ++x) {
    set_color(x, 5, 103);
  }
  EXPECT_EQ(check().differing, 0U) << "three steps of 255";
  settings_.pixels[static_cast<std::size_t>(Route::stay)] = {2, 0.0002};
  EXPECT_EQ(check().differing, side);
  settings_.pixels[static_cast<std::size_t>(Route::stay)] = {2, 0.05};
  EXPECT_TRUE(check().passed) << "a fortieth of the pixels";
}

TEST_F(Judge, ForgivesAnEdgeThatRoundingMoved) {
  hit(side / 2, 7).draw = DrawId{0};
  set_color(side / 2, 7, 200);
  const ViewCheck view = check();
  EXPECT_EQ(view.differing, 0U);
  EXPECT_EQ(view.edge_pixels, 1U);
  EXPECT_TRUE(view.passed);
}

TEST_F(Judge, DoesNotForgiveAnotherDrawInTheMiddle) {
  for (std::size_t x = 28; x < 34; ++x) {
    for (std::size_t y = 10; y < 16; ++y) {
      hit(x, y) = {DrawId{0}, 0, 0, 4};
    }
  }
  const ViewCheck view = check();
  EXPECT_EQ(view.faults[static_cast<std::size_t>(PixelFault::other_draw)], 36U);
  EXPECT_FALSE(view.passed);
}

TEST_F(Judge, LeavesSurfacesInOnePlaceToChance) {
  for (std::size_t x = 28; x < 34; ++x) {
    hit(x, 20).draw = DrawId{0};
    set_color(x, 20, 20);
  }
  const ViewCheck view = check();
  EXPECT_EQ(view.tied_pixels, 6U);
  EXPECT_EQ(view.differing, 0U);
}

/// A patch of two blended layers: how the source draws it, how it should be, how the result does.
struct Patch {
  std::uint8_t was;
  std::uint8_t exact;
  std::uint8_t is;
  std::uint16_t misplaced_before;
  std::uint16_t misplaced_after;
};

class LayeredJudge : public Judge {
 protected:
  ViewCheck check_patch(const Patch& patch) {
    const std::size_t pixels = std::size_t{side} * side;
    for (Shot* shot : {&before_.shot, &after_.shot}) {
      shot->layers.assign(pixels, 0);
      shot->misplaced.assign(pixels, 0);
      shot->exact = shot->picture;
    }
    for (std::size_t y = 10; y < 16; ++y) {
      for (std::size_t x = 28; x < 34; ++x) {
        const std::size_t p = y * side + x;
        before_.shot.layers[p] = after_.shot.layers[p] = 2;
        before_.shot.misplaced[p] = patch.misplaced_before;
        after_.shot.misplaced[p] = patch.misplaced_after;
        std::fill_n(&before_.shot.picture.rgba[4 * p], 3, patch.was);
        std::fill_n(&before_.shot.exact.rgba[4 * p], 3, patch.exact);
        std::fill_n(&after_.shot.picture.rgba[4 * p], 3, patch.is);
        std::fill_n(&after_.shot.exact.rgba[4 * p], 3, patch.exact);
      }
    }
    return check();
  }
};

TEST_F(LayeredJudge, CountsAnOrderThatBecameRightAsBetter) {
  const ViewCheck view = check_patch({100, 140, 140, 1, 0});
  EXPECT_TRUE(view.passed);
  EXPECT_EQ(view.righted_pixels, 36U);
  EXPECT_EQ(view.disordered_pixels, 0U);
  EXPECT_EQ(view.differing, 0U);
}

TEST_F(LayeredJudge, FailsAnOrderThatBecameWrong) {
  const ViewCheck view = check_patch({140, 140, 100, 0, 1});
  EXPECT_FALSE(view.passed);
  EXPECT_EQ(view.disordered_pixels, 36U);
  EXPECT_EQ(view.righted_pixels, 0U);
}

TEST_F(LayeredJudge, FailsAnOrderThatIsFartherFromTheRightOne) {
  EXPECT_FALSE(check_patch({110, 140, 60, 1, 3}).passed);
  EXPECT_TRUE(check_patch({110, 140, 60, 3, 1}).passed) << "fewer pairs are wrong, whatever shows";
  EXPECT_TRUE(check_patch({110, 140, 165, 1, 2}).passed) << "nearer to it by what shows";
}

TEST_F(Judge, SeesWhatCameNearer) {
  for (std::size_t x = 2; x < 12; ++x) {
    for (std::size_t y = 2; y < 12; ++y) {
      hit(x, y).distance_m = 4.99F;
    }
  }
  const ViewCheck view = check();
  EXPECT_EQ(view.faults[static_cast<std::size_t>(PixelFault::moved)], 100U);
  EXPECT_FALSE(view.passed);
  settings_.distance_tolerance = 0.01;
  EXPECT_TRUE(check().passed);
}

/// A small draw can be all wrong and still be few pixels of a view.
TEST_F(Judge, FailsASmallDrawThatIsAllWrong) {
  settings_.pixels[static_cast<std::size_t>(Route::stay)] = {3, 0.5};
  for (std::size_t p = 0; p < before_.shot.hits.size(); ++p) {
    const bool inside = p % side >= 30 && p % side < 35 && p / side >= 30 && p / side < 35;
    before_.shot.hits[p].draw = after_.shot.hits[p].draw = inside ? DrawId{1} : DrawId{0};
    if (inside) {
      set_color(p % side, p / side, 120);
    }
  }
  EXPECT_FALSE(check().passed);
  settings_.draw_pixels = 26;
  EXPECT_TRUE(check().passed) << "25 pixels are too few to count then";
}

TEST(Likeness, TellsStructureFromBrightness) {
  const Pixels a = test::make_picture(64, 64, 1);
  Pixels lighter = a;
  for (std::uint8_t& value : lighter.rgba) {
    value = static_cast<std::uint8_t>(std::min(255, value + 6));
  }
  const double same = find_likeness(a, a);
  const double brighter = find_likeness(a, lighter);
  const double other = find_likeness(a, test::make_picture(64, 64, 2));
  EXPECT_EQ(same, 1);
  EXPECT_GT(brighter, 0.97);
  EXPECT_LT(other, 0.4);
  EXPECT_EQ(find_likeness(a, test::make_picture(32, 32, 1)), 0) << "other sizes";
}

TEST(Views, AreChosenCamerasFirst) {
  std::vector<Viewpoint> views(20);
  for (std::size_t v = 0; v < views.size(); ++v) {
    views[v].name = std::to_string(v);
    views[v].source = v < 3    ? ViewSource::camera
                      : v < 16 ? ViewSource::sample
                               : ViewSource::overview;
  }
  const auto names = [&](std::size_t count) {
    std::string out;
    for (const Viewpoint& view : choose_views(views, count)) {
      out += view.name + " ";
    }
    return out;
  };
  EXPECT_EQ(names(2), "0 1 ");
  EXPECT_EQ(names(7), "0 1 2 16 17 18 19 ");
  EXPECT_EQ(names(9), "0 1 2 3 9 16 17 18 19 ");
  EXPECT_EQ(choose_views(views, 100).size(), 20U);
  EXPECT_TRUE(choose_views(views, 0).empty());
}

TEST(Views, ThatSeeNothingAreNotChosenUnlessSomeoneAskedForThem) {
  test::SceneBuilder builder;
  builder.add_node("square", builder.add_mesh("square", test::make_square()));
  const Scene scene = builder.finish();
  const Survey found = *survey(scene);
  std::vector<Viewpoint> views;
  for (int v = 0; v < 12; ++v) {
    // Every third one looks at the square, the others away from it.
    Viewpoint view =
        make_viewpoint(std::to_string(v), {0.5, 0.5, 3}, {0.5, 0.5, v % 3 == 0 ? 0.0 : 10.0});
    view.source = v < 2 ? ViewSource::camera : ViewSource::sample;
    views.push_back(view);
  }
  std::string names;
  for (const Viewpoint& view : choose_views(views, 12, found)) {
    names += view.name + " ";
  }
  EXPECT_EQ(names, "0 1 3 6 9 ") << "camera 1 sees nothing, and stays";
  EXPECT_EQ(choose_views(views, 3, found).size(), 3U);
}

}  // namespace
}  // namespace wakuzume
