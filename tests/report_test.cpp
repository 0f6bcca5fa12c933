// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include "wakuzume/report.h"

#include <fmt/format.h>
#include <gtest/gtest.h>
#include <simdjson.h>

#include <algorithm>
#include <cmath>
#include <fstream>
#include <sstream>

#include "glasshouse.h"
#include "support/engine.h"
#include "support/pictures.h"
#include "support/process.h"
#include "support/rig_scene.h"
#include "support/scene_builder.h"
#include "support/shots.h"
#include "wakuzume/image.h"
#include "wakuzume/io.h"
#include "wakuzume/quantise.h"
#include "wakuzume/settings_file.h"
#include "wakuzume/spread.h"

/// The report page, and a real engine as the judge of what verify says. Both take a browser.
namespace wakuzume {
namespace {

constexpr const char* script_name =
    "</script><script>alert(1)</script><img src=x onerror=alert(2)>";

simdjson::dom::element ask_page(simdjson::dom::parser& parser,
                                const std::string& file,
                                const std::string& search) {
  const test::Outcome outcome =
      test::run_program({WAKUZUME_NODE, WAKUZUME_JUDGES "/page.mjs", file, search});
  EXPECT_EQ(outcome.exit_code, 0) << outcome.err;
  simdjson::dom::element found;
  EXPECT_EQ(parser.parse(outcome.out).get(found), simdjson::SUCCESS) << outcome.out;
  return found;
}

std::string text_of(simdjson::dom::element of, const char* name) {
  std::string_view text;
  EXPECT_EQ(of[name].get(text), simdjson::SUCCESS) << name;
  return std::string(text);
}
std::int64_t number_of(simdjson::dom::element of, const char* name) {
  std::int64_t number = -1;
  EXPECT_EQ(of[name].get(number), simdjson::SUCCESS) << name;
  return number;
}
std::vector<double> list_of(simdjson::dom::element of, const char* name) {
  std::vector<double> out;
  for (const auto value : of[name].get_array()) {
    out.push_back(value.get_double());
  }
  return out;
}

void expect_quiet(simdjson::dom::element found) {
  EXPECT_EQ(found["problems"].get_array().size(), 0U) << simdjson::minify(found["problems"]);
  EXPECT_EQ(found["requests"].get_array().size(), 1U) << "the page itself and nothing else";
  EXPECT_EQ(number_of(found, "broken"), 0) << "pictures that can't be shown";
  EXPECT_LE(number_of(found, "wide"), 1280) << "nothing to scroll sideways";
}

TEST(ReportPage, ShowsARunOfTheDemo) {
  const auto folder = test::make_scratch();
  test::write_all(folder / "small.toml",
                  "[verify]\npicture_views = 3\npicture_width_px = 320\npicture_height_px = "
                  "200\n[budget]\ndraws = 100\n");
  const test::Outcome run =
      test::run_tool({"demo", (folder / "demo").string(), "--materials", "fewest_draws",
                      "--lightmaps", "join", "--settings", (folder / "small.toml").string()});
  ASSERT_EQ(run.exit_code, 0) << run.out << run.err;
  const std::string page = (folder / "demo/result/glasshouse.report.html").string();
  EXPECT_NE(run.out.find("Open " + page + " in a browser"), std::string::npos);
  simdjson::dom::parser parser;
  const auto found = ask_page(parser, page, "SET_POT");
  expect_quiet(found);
  EXPECT_EQ(text_of(found, "verdict"), "Proof passed");
  EXPECT_EQ(text_of(found, "title"), "glasshouse.glb: 1,561 to 37 draws");
  std::size_t charts = 0;
  for (const auto drawn : found["charts"].get_array()) {
    charts += drawn.get_bool().value() ? 1U : 0U;
  }
  EXPECT_EQ(charts, 5U);
  const auto down = list_of(found, "down");
  const auto up = list_of(found, "up");
  EXPECT_GT(down.size(), 8U);
  EXPECT_TRUE(std::is_sorted(down.rbegin(), down.rend())) << "most draws first";
  EXPECT_TRUE(std::is_sorted(up.begin(), up.end())) << "and the other way after a click";
  EXPECT_EQ(text_of(found, "sorted"), "ascending");
  EXPECT_GT(found["hits"].get_array().size(), 0U);
  for (const auto hit : found["hits"].get_array()) {
    EXPECT_NE(std::string(hit.get_string().value()).find("set_pot"), std::string::npos);
  }
  EXPECT_EQ(number_of(found, "none"), 0);
  EXPECT_EQ(number_of(found, "views"), 3);
  EXPECT_EQ(number_of(found, "lightmapPictures"), 9) << "eight pages, and what they became";
  EXPECT_EQ(number_of(found, "movedRectangles"), 16) << "each where it was and where it is";
  EXPECT_EQ(number_of(found, "pointedAt"), 2) << "both are told apart from the others";
  EXPECT_TRUE(found["slides"].get_bool().value());
  EXPECT_TRUE(found["heat"].get_bool().value());
  EXPECT_TRUE(found["turnsDark"].get_bool().value());
}

/// Values as the stages would give them, made by hand where only numbers count.
struct Reported {
  Scene scene;
  Survey survey;
  Assessment assessment;
  Plan plan;
  Ledger ledger;
  Verdict verdict;

  explicit Reported(Scene from) : scene(std::move(from)), survey(*wakuzume::survey(scene)) {
    AssessSettings settings;
    settings.profile = shipped_profiles().front();
    settings.views.count = 2;
    assessment = *assess(scene, survey, {}, settings);
    plan = *propose(scene, survey);
    verdict.before = verdict.after = count_totals(scene);
  }
  void write(const std::string& file, const std::string& name) const {
    ASSERT_TRUE(write_text(file, make_report({.name = name,
                                              .scene = scene,
                                              .survey = survey,
                                              .assessment = assessment,
                                              .plan = plan,
                                              .ledger = ledger,
                                              .result = scene,
                                              .verdict = verdict})));
  }
};

TEST(ReportPage, ShowsNamesThatLookLikeMarkupAsText) {
  test::SceneBuilder builder;
  const MaterialId material = builder.add_material(script_name);
  for (int i = 0; i < 4; ++i) {
    builder.add_node(script_name, builder.add_mesh(script_name, test::make_square(), material),
                     test::at(i));
  }
  Reported made(builder.finish());
  ASSERT_FALSE(made.plan.groups.empty());
  made.plan.groups.front().name = script_name;
  made.verdict.mismatches.push_back({{NodeId{0}, 0}, script_name});
  made.verdict.mismatch_count = 1;
  made.verdict.not_checked = {script_name};
  made.verdict.mends = {{1, script_name, script_name, script_name}};
  const std::string file = (test::make_scratch() / "page.html").string();
  made.write(file, script_name);
  simdjson::dom::parser parser;
  const auto found = ask_page(parser, file, "alert");
  expect_quiet(found);
  EXPECT_EQ(text_of(found, "verdict"), "Proof failed");
  EXPECT_EQ(found["hits"].at(0).get_string().value(), script_name) << "whole, as text";
  EXPECT_EQ(number_of(found, "views"), 0);
}

TEST(ReportPage, KeepsItsTablesShortWithTenThousandGroups) {
  Reported made(demo::make_glasshouse());
  ASSERT_FALSE(made.plan.groups.empty());
  const Group first = made.plan.groups.front();
  made.plan.groups.clear();
  for (int g = 0; g < 10'000; ++g) {
    made.plan.groups.push_back(first);
    made.plan.groups.back().name = "group_" + std::to_string(g);
    made.plan.groups.back().members.resize(2 + static_cast<std::size_t>(g * 7919 % 10'000));
  }
  const std::string file = (test::make_scratch() / "page.html").string();
  made.write(file, "many.glb");
  simdjson::dom::parser parser;
  const auto found = ask_page(parser, file, "group_777");
  expect_quiet(found);
  EXPECT_EQ(number_of(found, "rows"), 50);
  EXPECT_EQ(list_of(found, "down").front(), 10'001) << "of all, not of the rows shown";
  EXPECT_EQ(list_of(found, "up").front(), 2);
  EXPECT_EQ(text_of(found, "count"), "11 of 10,000 rows");
}

// ---- Another engine ----------------------------------------------------------------------------

/// Share of the pixels in which some channel differs by more than so many steps.
double find_share(const Pixels& a, const Pixels& b, int steps) {
  EXPECT_EQ(a.rgba.size(), b.rgba.size());
  std::size_t beyond = 0;
  for (std::size_t p = 0; p + 3 < std::min(a.rgba.size(), b.rgba.size()); p += 4) {
    int most = 0;
    for (std::size_t c = 0; c < 3; ++c) {
      most = std::max(most, std::abs(a.rgba[p + c] - b.rgba[p + c]));
    }
    beyond += most > steps ? 1U : 0U;
  }
  return static_cast<double>(beyond) / (static_cast<double>(a.rgba.size()) / 4);
}

/// A head whose eight targets move a part of it each, one after the other.
Scene make_face() {
  constexpr std::size_t targets = 8;
  test::SceneBuilder builder;
  const test::MeshData head = test::make_ball(64, 0.02);
  const MaterialId skin = builder.add_material("skin");
  builder.scene.materials.back().base_color_texture.texture =
      test::add_picture(builder, test::make_picture(128, 128, 5));
  Primitive primitive = builder.make_primitive(head, skin);
  for (std::size_t t = 0; t < targets; ++t) {
    const double around = 0.7 * static_cast<double>(t) - 2.4;
    const Vec3d middle{std::cos(around), std::sin(around), t % 2 == 0 ? 0.3 : -0.2};
    test::Floats moves;
    for (std::size_t v = 0; v < head.positions.size(); v += 3) {
      double off2 = 0;
      for (std::size_t k = 0; k < 3; ++k) {
        off2 += std::pow(head.positions[v + k] - middle[k], 2);
      }
      const double push = off2 < 0.2 ? 0.25 * std::pow(1 - off2 / 0.2, 2) : 0;
      for (std::size_t k = 0; k < 3; ++k) {
        moves.push_back(static_cast<float>(push * middle[k]));
      }
    }
    primitive.morph_targets.push_back(
        {{"POSITION", builder.add_stream(moves, ElementType::vec3, ComponentType::f32)}});
    Stream& stream = builder.scene.streams.back();
    stream.bounds = StreamBounds{{-1, -1, -1}, {1, 1, 1}};
    for (std::size_t k = 0; k < 3; ++k) {
      stream.bounds.ensure().min[k] = stream.bounds.ensure().max[k] = 0;
      for (std::size_t i = k; i < moves.size(); i += 3) {
        stream.bounds.ensure().min[k] = std::min<double>(stream.bounds->min[k], moves[i]);
        stream.bounds.ensure().max[k] = std::max<double>(stream.bounds->max[k], moves[i]);
      }
    }
  }
  const MeshId mesh = builder.add_mesh("head", {primitive});
  builder.scene.meshes.back().weights.assign(targets, 0.0);
  const NodeId node = builder.add_node("head", mesh);
  test::Floats seconds;
  test::Floats weights;
  for (std::size_t k = 0; k <= targets; ++k) {
    seconds.push_back(static_cast<float>(k));
    for (std::size_t t = 0; t < targets; ++t) {
      weights.push_back(t == k ? 1.0F : 0.0F);
    }
  }
  AnimationSampler sampler;
  sampler.input = builder.add_stream(seconds, ElementType::scalar, ComponentType::f32);
  builder.scene.streams.back().bounds = StreamBounds{{0}, {8}};
  sampler.output = builder.add_stream(weights, ElementType::scalar, ComponentType::f32);
  Animation animation;
  animation.samplers.push_back(std::move(sampler));
  AnimationChannel channel;
  channel.node = node;
  channel.path = "weights";
  animation.channels.push_back(std::move(channel));
  builder.scene.animations.push_back(std::move(animation));
  return builder.finish();
}

TEST(AnotherEngine, PlaysAFaceAlikeBeforeAndAfterItGaveTriangles) {
  const auto folder = test::make_scratch();
  ASSERT_TRUE(write_scene(make_face(), (folder / "source.glb").string()));
  const test::Outcome reduced = test::run_tool({"reduce", (folder / "source.glb").string(), "-o",
                                                (folder / "half.glb").string(), "--to", "50%"});
  ASSERT_EQ(reduced.exit_code, 0) << reduced.err;
  const auto half = read_scene((folder / "half.glb").string());
  ASSERT_TRUE(half);
  ASSERT_EQ(half->meshes[0].primitives[0].morph_targets.size(), 8U);
  std::vector<Viewpoint> views{make_viewpoint("side", {3, -0.6, 0.4}, {0, 0, 0}),
                               make_viewpoint("other side", {-2.4, 1.8, 0.2}, {0, 0, 0})};
  constexpr std::size_t frames = 16;
  std::string times = "--times=";
  for (std::size_t f = 0; f < frames; ++f) {
    times += (f > 0 ? "," : "") + std::to_string(0.5 * static_cast<double>(f));
  }
  const auto shots =
      test::ask_engine(folder, views, 480, {"source.glb", "half.glb"}, {times}, frames);
  double least_move = 100;
  for (std::size_t f = 0; f < views.size() * frames; ++f) {
    EXPECT_EQ(shots[1][f].calls, 1U);
    EXPECT_LE(shots[1][f].triangles, shots[0][f].triangles / 2);
    EXPECT_GE(test::find_psnr(shots[0][f].picture, shots[1][f].picture), 44) << f;
    if (f % frames > 0) {
      least_move =
          std::min(least_move, test::find_psnr(shots[0][f - 1].picture, shots[0][f].picture));
    }
  }
  EXPECT_LT(least_move, 32) << "the face moves";
}

/// Figures with mirrored parts, shifted skins and shapes, by an engine that plays their animations.
TEST(AnotherEngine, SeesFiguresMoveAlikeBeforeAndAfterTheyAreMerged) {
  constexpr std::size_t frames = 5;
  std::string times = "--times=";
  for (std::size_t f = 0; f < frames; ++f) {
    times += (f > 0 ? "," : "") + std::to_string(0.05 + 0.41 * static_cast<double>(f));
  }
  std::size_t draws = 0;
  std::size_t calls = 0;
  for (std::uint32_t seed = 40; seed < 45; ++seed) {
    SCOPED_TRACE(seed);
    const auto folder = test::make_scratch();
    // Of more than four influences, and of weights of nodes, this engine knows nothing.
    Scene source = test::make_random_rig(seed, {.sets = 1, .weights_of_nodes = false});
    source.animations.resize(1);  // the engine would play both at once, and mix them
    const Survey found = *survey(source);
    const Built built = *build(
        source,
        *propose(source, found, {.repeats = Repeats::merge, .rigid_parts = RigidParts::skin}));
    ASSERT_TRUE(write_scene(source, (folder / "source.glb").string()));
    ASSERT_TRUE(write_scene(built.scene, (folder / "merged.glb").string()));
    std::vector<Viewpoint> views = *make_views(source, found, {.count = 16});
    std::erase_if(views, [](const Viewpoint& v) { return v.source != ViewSource::overview; });
    ASSERT_EQ(views.size(), 2U);
    const auto shots =
        test::ask_engine(folder, views, 480, {"source.glb", "merged.glb"}, {times}, frames);
    for (std::size_t f = 0; f < shots[0].size(); ++f) {
      EXPECT_GE(test::find_psnr(shots[0][f].picture, shots[1][f].picture), 50) << f;
      draws += shots[0][f].calls;
      calls += shots[1][f].calls;
    }
  }
  EXPECT_LT(3 * calls, draws);
}

/// Pages, places in extras and places on instances, by a shader of another engine.
TEST(AnotherEngine, IsLitAlikeBeforeAndAfterPagesAreJoined) {
  const auto folder = test::make_scratch();
  const Scene source = demo::make_glasshouse();
  ASSERT_TRUE(write_scene(source, (folder / "source.glb").string()));
  test::write_all(folder / "a.toml",
                  "[verify]\npicture_views = 0\n[propose]\nmin_instances = 2\n"
                  "repeats = \"instance\"\n");
  const test::Outcome run = test::run_tool({"run", (folder / "source.glb").string(), "-o",
                                            (folder / "joined").string(), "--lightmaps", "join",
                                            "--settings", (folder / "a.toml").string(), "--quiet"});
  ASSERT_EQ(run.exit_code, 0) << run.err;
  const auto joined = read_scene((folder / "joined/source.glb").string());
  ASSERT_TRUE(joined);
  std::size_t placed_sets = 0;
  for (const Node& node : joined->nodes) {
    for (const Attribute& attribute :
         node.instancing ? node.instancing->attributes : std::vector<Attribute>{}) {
      placed_sets += attribute.semantic == lightmap_semantic ? 1U : 0U;
    }
  }
  EXPECT_GT(placed_sets, 0U);
  const std::vector<Viewpoint> views = *make_views(source, *survey(source), {.count = 0});
  const std::vector<std::string> scenes{"source.glb", "joined/source.glb"};
  const auto lit = test::ask_engine(folder, views, 320, scenes, {"--lit"});
  const auto plain = test::ask_engine(folder, views, 320, {scenes[0]});
  ASSERT_GE(views.size(), 6U);
  double darkest = 100;
  for (std::size_t v = 0; v < views.size(); ++v) {
    EXPECT_GE(test::find_psnr(lit[0][v].picture, lit[1][v].picture), 50) << views[v].name;
    EXPECT_LT(lit[1][v].calls, lit[0][v].calls) << views[v].name;
    darkest = std::min(darkest, test::find_psnr(lit[0][v].picture, plain[0][v].picture));
  }
  EXPECT_LT(darkest, 35) << "light makes a difference";
}

/// Source and result of the demo, by our renderer and by three.js, from the same views.
TEST(AnotherEngine, CountsTheDrawsAndSeesTheDifferencesThatVerifySees) {
  const auto folder = test::make_scratch();
  const Scene source = demo::make_glasshouse();
  const Built built = *build(source, *propose(source, *survey(source)));
  Scene broken = built.scene;
  // Two materials change places; the ledger does not know.
  std::map<MaterialId, std::uint64_t> uses;
  for (const Mesh& mesh : broken.meshes) {
    for (const Primitive& primitive : mesh.primitives) {
      ++uses[primitive.material];
    }
  }
  const auto find = [&](const char* name) {
    const auto hit = std::find_if(source.materials.begin(), source.materials.end(),
                                  [&](const Material& m) { return m.name == name; });
    return make_id<MaterialId>(static_cast<std::size_t>(hit - source.materials.begin()));
  };
  const MaterialId bricks = find("bricks");
  const MaterialId wood = find("bench_wood");
  for (Mesh& mesh : broken.meshes) {
    for (Primitive& primitive : mesh.primitives) {
      primitive.material = primitive.material == bricks ? wood
                           : primitive.material == wood ? bricks
                                                        : primitive.material;
    }
  }
  ASSERT_TRUE(write_scene(source, (folder / "source.glb").string()));
  ASSERT_TRUE(write_scene(built.scene, (folder / "result.glb").string()));
  ASSERT_TRUE(write_scene(broken, (folder / "broken.glb").string()));
  for (const GeometryForm form : {GeometryForm::quantised, GeometryForm::packed}) {
    const auto stored = quantise(built.scene, {.form = form});
    ASSERT_TRUE(stored);
    const std::string name = std::string(to_string(form)) + ".glb";
    ASSERT_TRUE(write_scene(stored->scene, (folder / name).string()));
  }
  const Scene read = *read_scene((folder / "source.glb").string());
  const RenderSettings how{.width_px = 480, .height_px = 480};
  test::Drawn a(read, how);
  test::Drawn b(*read_scene((folder / "result.glb").string()), how);
  test::Drawn c(*read_scene((folder / "broken.glb").string()), how);
  const auto views = choose_views(*make_views(a.scene, a.survey, {.count = 8}), 6);
  const auto engine =
      test::ask_engine(folder, views, 480,
                       {"source.glb", "result.glb", "broken.glb", "quantised.glb", "packed.glb"});
  Verdict good;
  Verdict bad;
  good.passed = bad.passed = true;
  ASSERT_TRUE(verify_views(a.get(), b.get(), built.ledger, views, {}, good));
  ASSERT_TRUE(verify_views(a.get(), c.get(), built.ledger, views, {}, bad));
  EXPECT_TRUE(good.passed);
  EXPECT_FALSE(bad.passed);
  for (std::size_t v = 0; v < views.size(); ++v) {
    const auto of = [&](const Verdict& verdict) {
      return *std::find_if(verdict.views.begin(), verdict.views.end(),
                           [&](const ViewCheck& check) { return check.view == views[v].name; });
    };
    EXPECT_EQ(of(good).before.draws, engine[0][v].calls) << views[v].name;
    EXPECT_EQ(of(good).after.draws, engine[1][v].calls) << views[v].name;
    EXPECT_EQ(of(good).before.triangles, engine[0][v].triangles) << views[v].name;
    EXPECT_EQ(of(good).after.triangles, engine[1][v].triangles) << views[v].name;
    // Its lights are other ones, so that only where things differ can be compared.
    EXPECT_LT(find_share(engine[0][v].picture, engine[1][v].picture, 8), 0.002) << views[v].name;
    for (std::size_t stored = 3; stored < 5; ++stored) {
      EXPECT_EQ(engine[stored][v].calls, engine[1][v].calls) << views[v].name;
      EXPECT_EQ(engine[stored][v].triangles, engine[1][v].triangles) << views[v].name;
      EXPECT_GT(test::find_psnr(engine[0][v].picture, engine[stored][v].picture), 36)
          << views[v].name;
    }
    const double theirs = find_share(engine[0][v].picture, engine[2][v].picture, 8);
    const double ours = of(bad).differing_share();
    EXPECT_NEAR(ours, theirs, 0.02 + 0.35 * theirs) << views[v].name;
  }
}

/// Babylon.js reads its files by code of its own, culls by nothing of ours, and draws equal meshes
/// in one call by itself.
TEST(SecondEngine, CountsTheDrawsOfResultsOfEveryForm) {
  const auto folder = test::make_scratch();
  const Scene source = demo::make_glasshouse();
  const Survey found = *survey(source);
  std::vector<std::string> files{"source.glb"};
  ASSERT_TRUE(write_scene(source, (folder / files[0]).string()));
  for (const InstanceForm instances : {InstanceForm::extension, InstanceForm::nodes}) {
    ProposeSettings settings;
    settings.instances = instances;
    settings.repeats = Repeats::instance;
    Outlook outlook;
    outlook.profile.instances_repeats = true;
    Built built = *build(source, *propose(source, found, settings, outlook));
    built.ledger.instances = instances;
    spread_instances(built.scene, built.ledger);
    for (const GeometryForm form :
         {GeometryForm::plain, GeometryForm::quantised, GeometryForm::packed}) {
      const auto stored = quantise(built.scene, {.form = form});
      ASSERT_TRUE(stored);
      files.push_back(fmt::format("{}_{}.glb", instances == InstanceForm::nodes ? "nodes" : "sets",
                                  to_string(form)));
      ASSERT_TRUE(write_scene(stored->scene, (folder / files.back()).string()));
    }
  }
  const auto views = choose_views(*make_views(source, found, {.count = 8}), 4);
  const auto engine = test::ask_engine(folder, views, 320, files, {"--babylon"});
  AssessSettings assessed;
  assessed.listed_views = views;
  assessed.profile.passes = {{"main", PassKind::main}};
  assessed.profile.instances_repeats = true;
  for (std::size_t f = 0; f < files.size(); ++f) {
    const Scene read = *read_scene((folder / files[f]).string());
    const auto forecast = assess(read, *survey(read), {}, assessed);
    ASSERT_TRUE(forecast);
    std::uint64_t calls = 0;
    for (std::size_t v = 0; v < views.size(); ++v) {
      // Of what a kit copied as data it can't know, so that counts of the source are other ones.
      if (f > 0) {
        EXPECT_EQ(forecast->frames.views[v].total.draws, engine[f][v].calls)
            << files[f] << " from " << views[v].name;
      }
      calls += engine[f][v].calls;
      // Its lights are its own; what was quantised may be off by its errors.
      EXPECT_GT(test::find_psnr(engine[0][v].picture, engine[f][v].picture), 36)
          << files[f] << " from " << views[v].name;
    }
    EXPECT_GT(calls, 100U) << "the views see something";
  }
  // An engine that instances nothing by itself draws each node.
  const auto each = test::ask_engine(folder, views, 320, {"nodes_plain.glb"});
  const Scene read = *read_scene((folder / "nodes_plain.glb").string());
  assessed.profile.instances_repeats = false;
  const auto forecast = assess(read, *survey(read), {}, assessed);
  ASSERT_TRUE(forecast);
  std::uint64_t calls = 0;
  for (std::size_t v = 0; v < views.size(); ++v) {
    EXPECT_EQ(forecast->frames.views[v].total.draws, each[0][v].calls) << views[v].name;
    calls += each[0][v].calls;
  }
  EXPECT_GT(calls, 500U) << "hundreds of repeats stand in view";
}

/// Without light there is one right colour for each pixel: textures, factors, vertex colours,
/// tints.
TEST(AnotherEngine, ShowsUnlitScenesInTheSameColours) {
  const auto folder = test::make_scratch();
  Scene scene = demo::make_glasshouse();
  scene.extensions_used.emplace_back("KHR_materials_unlit");
  for (Material& material : scene.materials) {
    material.extra.ensure().extensions.push_back({"KHR_materials_unlit", "{}"});
  }
  const Built built = *build(scene, *propose(scene, *survey(scene)));
  ASSERT_TRUE(write_scene(scene, (folder / "source.glb").string()));
  ASSERT_TRUE(write_scene(built.scene, (folder / "result.glb").string()));
  const RenderSettings how{.width_px = 480, .height_px = 480};
  test::Drawn a(*read_scene((folder / "source.glb").string()), how);
  test::Drawn b(*read_scene((folder / "result.glb").string()), how);
  const auto views = choose_views(*make_views(a.scene, a.survey, {.count = 4}), 6);
  const auto engine = test::ask_engine(folder, views, 480, {"source.glb", "result.glb"});
  for (std::size_t v = 0; v < views.size(); ++v) {
    for (const auto& [drawn, theirs] :
         {std::pair(&a, &engine[0][v]), std::pair(&b, &engine[1][v])}) {
      const Shot shot = drawn->shoot(views[v]);
      // Its background is another one, and what is blended it mixes as it is encoded, not as light.
      Pixels ours = shot.picture;
      Pixels other = theirs->picture;
      for (std::size_t p = 0; p < shot.hits.size(); ++p) {
        const DrawId draw = shot.hits[p].draw;
        if (draw == no_draw || drawn->survey[draw].blended) {
          std::fill_n(&ours.rgba[4 * p], 4, std::uint8_t{0});
          std::fill_n(&other.rgba[4 * p], 4, std::uint8_t{0});
        }
      }
      EXPECT_LT(find_share(ours, other, 8), 0.01) << views[v].name;
      EXPECT_GT(test::find_psnr(ours, other), 36) << views[v].name;
    }
  }
}

}  // namespace
}  // namespace wakuzume
