// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include <gtest/gtest.h>

#include <algorithm>
#include <set>

#include "support/lit_scene.h"
#include "support/process.h"
#include "support/scene_builder.h"
#include "wakuzume/image.h"
#include "wakuzume/io.h"
#include "wakuzume/job.h"
#include "wakuzume/settings_file.h"

/// Joined lightmap pages through whole jobs: merged, instanced and kept draws look where they
/// should, what is put back looks where it did.
namespace wakuzume {
namespace {

const StandardCodec& codec() {
  static const StandardCodec codec;
  return codec;
}

Job make_job(const test::LitScene& lit) {
  Job job;
  job.settings.survey = lit.rules;
  job.settings.lightmaps.goal = LightmapGoal::join;
  job.settings.views.count = 4;
  job.profile = *read_cost_profile("desk");
  return job;
}

/// Where each source draw's corners look now: page and UV, by the ledger alone.
struct Look {
  std::string page;
  std::vector<Vec2d> uvs;
};

LightmapPlace read_place(const std::string& extras, const std::string& key) {
  LightmapPlace place;
  const std::size_t at = key.empty() ? std::string::npos : extras.find("\"" + key + "\":[");
  if (at != std::string::npos) {
    std::sscanf(extras.c_str() + at + key.size() + 4, "%lf,%lf,%lf,%lf", &place.scale[0],
                &place.scale[1], &place.offset[0], &place.offset[1]);
  }
  return place;
}

std::string read_page(const std::string& extras) {
  const std::size_t at = extras.find("\"lightmap\":");
  return at == std::string::npos ? ""
                                 : extras.substr(at + 11, extras.find_first_of(",}", at) - at - 11);
}

Look find_look(const Scene& scene, const LedgerRow& row, const std::string& key) {
  const Node& node = scene[row.node];
  const Primitive& primitive = scene[node.mesh].primitives[row.primitive];
  const std::string extras = node.extra ? node.extra->extras : "";
  LightmapPlace place = read_place(extras, key);
  for (const Attribute& attribute :
       node.instancing ? node.instancing->attributes : std::vector<Attribute>{}) {
    if (attribute.semantic == "_LIGHTMAP") {
      const std::vector<double> all = make_doubles(scene, attribute.stream);
      const double* const one = &all[std::size_t{4} * row.instance];
      place = {{one[0], one[1]}, {one[2], one[3]}};
    }
  }
  Look out{read_page(extras), {}};
  const std::vector<double> uvs = make_doubles(scene, primitive.find("TEXCOORD_1"));
  const std::vector<std::uint32_t> list = make_list_indices(scene, primitive);
  const std::size_t first = row.fate == Fate::merged ? row.first_index : 0;
  const std::size_t count = row.fate == Fate::merged ? row.index_count : list.size();
  for (std::size_t i = first; i < first + count; ++i) {
    out.uvs.push_back(place.apply({uvs[2 * list[i]], uvs[2 * list[i] + 1]}));
  }
  return out;
}

/// Every corner of every draw of a result looks at the texel that it looked at.
/// \return draws by fate, whose page is another
std::array<std::size_t, fate_count> expect_same_texels(const Scene& source,
                                                       const Ledger& ledger,
                                                       const Scene& after,
                                                       const std::string& key) {
  const Ledger whole = make_untouched(source).ledger;
  const LightmapPlan& plan = ledger.lightmaps;
  std::array<std::size_t, fate_count> moved{};
  for (std::size_t r = 0; r < ledger.rows.size(); ++r) {
    const LedgerRow& row = ledger.rows[r];
    const Look was = find_look(source, whole.rows[r], key);
    const Look is = find_look(after, row, key);
    EXPECT_EQ(was.uvs.size(), is.uvs.size());
    if (was.page == is.page) {
      continue;
    }
    ++moved[static_cast<std::size_t>(row.fate)];
    const auto move =
        std::find_if(plan.moves.begin(), plan.moves.end(), [&](const LightmapMove& one) {
          return plan.pages[one.from].name == was.page && plan.joined[one.to].name == is.page &&
                 std::binary_search(one.draws.begin(), one.draws.end(), row.source);
        });
    EXPECT_NE(move, plan.moves.end());
    if (move == plan.moves.end()) {
      continue;
    }
    const RectSize& from = plan.pages[move->from].size;
    const RectSize& to = plan.joined[move->to].size;
    for (std::size_t c = 0; c < was.uvs.size(); ++c) {
      const double x = was.uvs[c][0] * from.width_px - static_cast<double>(move->rect.x) + move->x;
      const double y = was.uvs[c][1] * from.height_px - static_cast<double>(move->rect.y) + move->y;
      EXPECT_NEAR(is.uvs[c][0] * to.width_px, x, 1e-3);
      EXPECT_NEAR(is.uvs[c][1] * to.height_px, y, 1e-3);
    }
  }
  return moved;
}

struct Case {
  const char* name;
  test::LitSceneSettings scene;
  MaterialGoal goal;
  Repeats repeats;
};
void PrintTo(const Case& one, std::ostream* out) { *out << one.name; }

class LightmapJobs : public testing::TestWithParam<Case> {};

TEST_P(LightmapJobs, LookAtTheTexelsTheyLookedAt) {
  const Case& how = GetParam();
  const test::LitScene lit = test::make_lit_scene(how.scene);
  const test::Album album(how.scene.pages, {how.scene.page_px, how.scene.page_px});
  const JobTools tools{.codec = codec(), .lightmaps = &album};
  Job job = make_job(lit);
  job.settings.materials.goal = how.goal;
  job.settings.propose.repeats = how.repeats;
  const auto made = run_job(lit.scene, job, tools);
  ASSERT_TRUE(made) << to_string(made.error());
  EXPECT_TRUE(made->verdict.passed)
      << (made->verdict.mismatches.empty() ? "" : made->verdict.mismatches[0].what);
  const Ledger& ledger = made->built.ledger;
  ASSERT_TRUE(ledger.lightmaps.joins());
  const auto moved =
      expect_same_texels(lit.scene, ledger, made->after, lit.rules.lightmap_transform_key);
  const Fate most = how.repeats == Repeats::only ? Fate::instanced : Fate::merged;
  EXPECT_GT(moved[static_cast<std::size_t>(most)], how.scene.draws / 2);
  for (const Node& node : made->after.nodes) {
    EXPECT_EQ(node.extra ? node.extra->extras.find(own_transform_key) : std::string::npos,
              std::string::npos)
        << node.name << " has a key that is ours alone";
  }
  // The picture holds what the pages held.
  ASSERT_EQ(made->built.lightmaps.size(), ledger.lightmaps.joined.size());
  const auto grid = unpack_texels(made->built.lightmaps[0].bytes);
  ASSERT_TRUE(grid);
  EXPECT_EQ(grid->size, ledger.lightmaps.joined[0].size);
  TexelGrid wanted = *grid;
  for (const LightmapMove& move : ledger.lightmaps.moves) {
    if (move.to == 0) {
      move_texels(album.grids[std::stoul(ledger.lightmaps.pages[move.from].name)], move, wanted);
    }
  }
  EXPECT_EQ(wanted.texels, grid->texels);

  const auto whole = put_back(lit.scene, ledger, made->after, {.everything = true});
  ASSERT_TRUE(whole);
  EXPECT_EQ(make_content_hash(whole->scene), make_content_hash(lit.scene));
  const auto part = put_back(lit.scene, ledger, made->after, {.nodes = {"/part_3"}});
  ASSERT_TRUE(part) << to_string(part.error());
  const NodeId back = part->ledger.rows[3].node;
  EXPECT_EQ(part->scene[back].extra->extras, lit.scene.nodes[3].extra->extras);
  EXPECT_EQ(find_look(part->scene, part->ledger.rows[3], lit.rules.lightmap_transform_key).uvs,
            find_look(lit.scene, make_untouched(lit.scene).ledger.rows[3],
                      lit.rules.lightmap_transform_key)
                .uvs);
  const auto source = make_source(lit.scene, part->ledger);
  ASSERT_TRUE(source);
  const auto proved = prove(*source, part->ledger, part->scene, job, tools);
  ASSERT_TRUE(proved) << to_string(proved.error());
  EXPECT_TRUE(proved->passed);
}

const Case cases[] = {
    {"merged", {.draws = 40}, MaterialGoal::keep, Repeats::merge},
    {"merged_by_transform",
     {.draws = 40, .by_transform = true},
     MaterialGoal::keep,
     Repeats::merge},
    {"instanced",
     {.draws = 40, .by_transform = true, .shared_mesh = true, .materials = 1},
     MaterialGoal::keep,
     Repeats::only},
    {"instanced_page_in_mesh",
     {.draws = 60, .shared_mesh = true, .materials = 1},
     MaterialGoal::keep,
     Repeats::only},
    {"shared",
     {.draws = 40, .by_transform = true, .materials = 3},
     MaterialGoal::fewest_draws,
     Repeats::merge},
};
INSTANTIATE_TEST_SUITE_P(Ways, LightmapJobs, testing::ValuesIn(cases));

TEST(LightmapJobs, GiveKeptDrawsUvsOfTheirOwnWhereNoKeyIsSet) {
  test::LitScene lit = test::make_lit_scene({.draws = 12});
  for (Material& material : lit.scene.materials) {
    material.alpha_mode = AlphaMode::blend;
  }
  const JobTools tools{.codec = codec()};
  Job job = make_job(lit);
  job.settings.propose.blended = Blended::keep;
  job.settings.survey.keep_nodes = {"/part_1"};
  job.settings.lightmaps.source_page_px = 32;
  for (const char* key : {"", "place", default_lightmap_transform_key}) {
    job.settings.survey.lightmap_transform_key = key;
    const auto made = run_job(lit.scene, job, tools);
    ASSERT_TRUE(made) << to_string(made.error());
    EXPECT_TRUE(made->verdict.passed);
    const auto moved = expect_same_texels(lit.scene, made->built.ledger, made->after, key);
    EXPECT_GT(moved[static_cast<std::size_t>(Fate::kept)], 0U);
    EXPECT_EQ(made->after.nodes[1].extra->extras, lit.scene.nodes[1].extra->extras)
        << "what is left alone stays on its page";
    const Node& kept = made->after.nodes[0];
    const bool told = kept.extra->extras.find("\"place\":[") != std::string::npos;
    EXPECT_EQ(told, key == std::string("place")) << kept.extra->extras;
    EXPECT_TRUE(made->built.lightmaps.empty()) << "there were no pictures";
  }
}

TEST(LightmapJobs, AreTheSameForAnyNumberOfThreads) {
  const test::LitScene lit = test::make_lit_scene({.draws = 80, .by_transform = true});
  std::set<std::string> seen;
  for (const std::uint32_t threads : {1U, 2U}) {
    const auto made = run_job(lit.scene, make_job(lit), {.codec = codec()}, {threads, nullptr});
    ASSERT_TRUE(made);
    seen.insert(to_json(made->built.ledger) + to_json(made->source.source.scene, made->plan));
  }
  EXPECT_EQ(seen.size(), 1U);
}

TEST(LightmapJobs, AreWrittenAsTheirSchemasSayAndReadBack) {
  const auto folder = test::make_scratch();
  const test::LitScene lit = test::make_lit_scene({.draws = 40, .by_transform = true});
  const test::Album album(4, {32, 32});
  const auto made = run_job(lit.scene, make_job(lit), {.codec = codec(), .lightmaps = &album});
  ASSERT_TRUE(made);
  Ledger ledger = made->built.ledger;
  ledger.lightmaps.untouched = {{NodeId{2}, 0}};
  std::vector<std::string> command{WAKUZUME_NODE, WAKUZUME_JUDGES "/schema.mjs"};
  const std::pair<const char*, std::string> documents[] = {
      {"plan", to_json(made->source.source.scene, made->plan)},
      {"ledger", to_json(ledger)},
      {"lightmaps", to_json(made->plan.lightmaps)}};
  for (const auto& [name, json] : documents) {
    command.push_back(std::string(WAKUZUME_SCHEMAS) + "/" + name + ".schema.json");
    command.push_back((folder / name).string());
    ASSERT_TRUE(write_text(command.back(), json));
  }
  const test::Outcome outcome = test::run_program(command);
  EXPECT_EQ(outcome.exit_code, 0) << outcome.out << outcome.err;
  const auto plan = read_plan((folder / "plan").string());
  ASSERT_TRUE(plan) << to_string(plan.error());
  EXPECT_EQ(plan->lightmaps, made->plan.lightmaps);
  const auto again = read_ledger((folder / "ledger").string());
  ASSERT_TRUE(again) << to_string(again.error());
  EXPECT_EQ(again->lightmaps, ledger.lightmaps);
  EXPECT_EQ(to_json(*again), to_json(ledger));

  const auto spoilt = [&](const std::string& from, const std::string& to) {
    std::string text = to_json(ledger);
    const std::size_t at = text.find(from);
    EXPECT_NE(at, std::string::npos) << from;
    text.replace(at, from.size(), to);
    EXPECT_TRUE(write_text((folder / "spoilt").string(), text));
    const auto read = read_ledger((folder / "spoilt").string());
    return read ? ErrorCode{} : read.error().code;
  };
  EXPECT_EQ(spoilt("\"from\": 0", "\"from\": 99"), ErrorCode::index_out_of_range);
  EXPECT_EQ(spoilt("\"at\": [", "\"at\": [99"), ErrorCode::bad_value);
  EXPECT_EQ(spoilt("\"clean_mips\": 2", "\"clean_mips\": 12"), ErrorCode::bad_setting);
}

TEST(LightmapJobs, FollowTheLevelWhenItIsBakedAnew) {
  const test::LitScene lit = test::make_lit_scene({.draws = 40});
  Job job = make_job(lit);
  job.settings.lightmaps.source_page_px = 32;
  const auto made = run_job(lit.scene, job, {.codec = codec()});
  ASSERT_TRUE(made);
  Ledger ledger = made->built.ledger;
  Scene built = made->after;
  const auto source = make_source(lit.scene, ledger);
  const auto refresh = [&](const LightmapFiles* files) {
    return refresh_pictures(*source, ledger, built, {.codec = codec(), .lightmaps = files});
  };
  EXPECT_TRUE(refresh(nullptr)->files.empty()) << "there are no pictures yet";
  // Baked twice as fine, rectangles are twice as large.
  for (const std::uint32_t times : {1U, 2U, 3U}) {
    const test::Album album(4, {32 * times, 32 * times});
    const auto fresh = refresh(&album);
    ASSERT_TRUE(fresh) << to_string(fresh.error());
    ASSERT_EQ(fresh->files.size(), 1U);
    EXPECT_EQ(fresh->files[0].name, "lightmap_4.png");
    const auto grid = unpack_texels(fresh->files[0].bytes);
    ASSERT_TRUE(grid);
    const RectSize size = ledger.lightmaps.joined[0].size;
    EXPECT_EQ(grid->size, (RectSize{size.width_px * times, size.height_px * times}));
    const LightmapMove& move = ledger.lightmaps.moves[1];
    const TexelGrid& page = album.grids[std::stoul(ledger.lightmaps.pages[move.from].name)];
    for (std::uint32_t y = 8 * times; y < 20 * times; ++y) {
      const std::size_t from = std::size_t{4} * (y * page.size.width_px + 9 * times);
      const auto column = static_cast<std::uint32_t>(9 - move.rect.x + move.x) * times;
      const auto row =
          y + static_cast<std::uint32_t>(static_cast<std::int64_t>(move.y) - move.rect.y) * times;
      const std::size_t to = std::size_t{4} * (row * grid->size.width_px + column);
      ASSERT_TRUE(std::equal(&page.texels[from], &page.texels[from] + 4, &grid->texels[to]));
    }
  }
  const test::Album odd(4, {48, 48});
  const auto refused = refresh(&odd);
  ASSERT_FALSE(refused);
  EXPECT_EQ(refused.error().code, ErrorCode::plan_mismatch);
}

TEST(LightmapJobs, JoinWhatMaterialsAreLitBy) {
  const Scene scene = test::make_lit_by_materials(3, 12);
  const auto found = survey(scene);
  ASSERT_TRUE(found);
  EXPECT_EQ(found->keys.size(), 3U);
  EXPECT_EQ(found->keys[1].lightmap, "image 1");
  Job job = make_job({});
  for (const Repeats repeats : {Repeats::merge, Repeats::only}) {
    job.settings.propose.repeats = repeats;
    const auto made = run_job(scene, job, {.codec = codec()});
    ASSERT_TRUE(made) << to_string(made.error());
    EXPECT_TRUE(made->verdict.passed);
    const Ledger& ledger = made->built.ledger;
    ASSERT_EQ(ledger.lightmaps.joined.size(), 1U);
    EXPECT_EQ(made->plan.groups.size(), 1U) << "the lightmap was all that held them apart";
    // Through the result's own material: texture, image, UVs and places.
    std::size_t looked = 0;
    for (std::size_t r = 0; r < ledger.rows.size(); ++r) {
      const LedgerRow& row = ledger.rows[r];
      const Primitive& primitive =
          made->after[made->after[row.node].mesh].primitives[row.primitive];
      const std::string& json = made->after[primitive.material].extra->extensions[0].json;
      EXPECT_EQ(json.find("KHR_texture_transform"), std::string::npos);
      EXPECT_NE(json.find("\"intensity\":1.5"), std::string::npos);
      const std::size_t texture = std::stoul(json.substr(json.find("\"index\":") + 8));
      const ImageId image = made->after.textures[texture].image;
      const auto grid = unpack_texels(encoded_bytes(made->after, image));
      ASSERT_TRUE(grid);
      const TexelGrid page = test::make_numbered_page(r % 3, {32, 32});
      const Look is = find_look(made->after, row, "");
      const Look was = find_look(scene, make_untouched(scene).ledger.rows[r], "");
      for (std::size_t c = 0; c < was.uvs.size(); ++c) {
        const auto at = [](const TexelGrid& of, const Vec2d& uv) {
          const auto x = static_cast<std::size_t>(uv[0] * of.size.width_px);
          const auto y = static_cast<std::size_t>(uv[1] * of.size.height_px);
          const std::byte* const texel = &of.texels[4 * (y * of.size.width_px + x)];
          return std::vector<std::byte>(texel, texel + 4);
        };
        const Vec2d uv{was.uvs[c][0] * 0.5 + 0.25, was.uvs[c][1] * 0.5};
        EXPECT_EQ(at(page, uv), at(*grid, is.uvs[c]));
        ++looked;
      }
    }
    EXPECT_EQ(looked, 12U * 6U);
    const auto whole = put_back(scene, ledger, made->after, {.everything = true});
    ASSERT_TRUE(whole);
    EXPECT_EQ(make_content_hash(whole->scene), make_content_hash(scene));
  }
}

TEST(LightmapFindings, TellWhatKeepsApartOverlapsOrCanNotBeLookedUp) {
  const auto count = [](const Scene& scene, const SurveySettings& rules, FindingCode code) {
    const auto found = find_findings(scene, *survey(scene, rules), {});
    const auto hit = std::find_if(found->begin(), found->end(),
                                  [&](const Finding& one) { return one.code == code; });
    return hit == found->end() ? std::pair<std::size_t, std::uint64_t>{}
                               : std::pair(hit->draws.size(), hit->draw_cost);
  };
  const Scene scene = test::make_lit_by_materials(3, 12);
  using Cost = std::pair<std::size_t, std::uint64_t>;
  EXPECT_EQ(count(scene, {}, FindingCode::lightmap_pages_small), (Cost{12, 2}))
      << "materials differ by nothing but their lightmap";
  Scene painted = scene;
  painted.materials[1].roughness = 0.25;
  EXPECT_EQ(count(painted, {}, FindingCode::lightmap_pages_small), (Cost{12, 1}));
  EXPECT_EQ(count(scene, {}, FindingCode::lightmap_outside), Cost{}) << "the transform counts";
  EXPECT_EQ(count(scene, {}, FindingCode::lightmap_overlap).first, 9U)
      << "four copies look at the same place of each page";
  test::LitScene lit =
      test::make_lit_scene({.pages = 5, .draws = 5, .by_transform = true, .materials = 1});
  EXPECT_EQ(count(lit.scene, lit.rules, FindingCode::lightmap_pages_small), (Cost{5, 4}));
  EXPECT_EQ(count(lit.scene, lit.rules, FindingCode::lightmap_overlap), Cost{});
  lit.scene.nodes[1].extra.ensure().extras = R"({"lightmap":1,"lightmap_place":"here"})";
  lit.scene.nodes[2].extra.ensure().extras = R"({"lightmap":2,"lightmap_place":[1,1,0.5,0]})";
  EXPECT_EQ(count(lit.scene, lit.rules, FindingCode::lightmap_wrong), (Cost{1, 0}));
  EXPECT_EQ(count(lit.scene, lit.rules, FindingCode::lightmap_outside), (Cost{1, 0}));
}

/// Pages are kept, and nodes have places; UVs that another texture is looked up in stay.
TEST(LightmapJobs, LeaveUvsOfOtherTexturesWhereTheyAre) {
  test::LitScene lit = test::make_lit_scene(
      {.pages = 2, .draws = 16, .by_transform = true, .shared_mesh = true, .materials = 1});
  lit.scene.images.emplace_back().bytes =
      make_bytes(*encode_png({1, 1, std::vector<std::uint8_t>{1, 2, 3, 255}}));
  lit.scene.textures.emplace_back().image = ImageId{0};
  TextureSlot& occlusion = lit.scene.materials[0].occlusion_texture;
  occlusion.texture = TextureId{0};
  occlusion.texcoord = 1;
  // Three that look at one place.
  for (const std::size_t n : {5U, 7U, 9U}) {
    lit.scene.nodes[n].extra = lit.scene.nodes[3].extra;
  }
  Job job = make_job(lit);
  job.settings.lightmaps.goal = LightmapGoal::keep;
  for (const Repeats repeats : {Repeats::merge, Repeats::only}) {
    job.settings.propose.repeats = repeats;
    job.settings.propose.min_instances = 2;
    const auto made = run_job(lit.scene, job, {.codec = codec()});
    ASSERT_TRUE(made) << to_string(made.error());
    EXPECT_TRUE(made->verdict.passed);
    EXPECT_TRUE(made->verdict.mends.empty());
    const Ledger whole = make_untouched(lit.scene).ledger;
    std::size_t together = 0;
    for (std::size_t r = 0; r < whole.rows.size(); ++r) {
      const LedgerRow& row = made->built.ledger.rows[r];
      together += row.fate == Fate::kept ? 0U : 1U;
      const Look was = find_look(lit.scene, whole.rows[r], "lightmap_place");
      const Look is = find_look(made->after, row, "lightmap_place");
      EXPECT_EQ(was.page, is.page);
      EXPECT_EQ(was.uvs, is.uvs) << "row " << r;
      const Look own = find_look(lit.scene, whole.rows[r], "");
      EXPECT_EQ(own.uvs, find_look(made->after, row, "").uvs) << "of the other texture";
    }
    EXPECT_EQ(together, 4U) << "those of one place";
  }
}

TEST(LightmapJobs, PutPicturesOfTheSceneIntoTheResult) {
  test::LitScene lit = test::make_lit_scene({.draws = 40});
  for (std::size_t p = 0; p < 4; ++p) {
    Image image;
    image.name = "lightmap_" + std::to_string(p);
    image.mime_type = "image/png";
    TexelGrid grid = lit.grids[p];
    grid.format = "image/png rgba 8";
    image.bytes = make_bytes(*pack_texels(grid));
    lit.scene.images.push_back(std::move(image));
  }
  lit.scene.textures.emplace_back().image = ImageId{2};
  Job job = make_job(lit);
  const auto made = run_job(lit.scene, job, {.codec = codec()});
  ASSERT_TRUE(made) << to_string(made.error());
  EXPECT_TRUE(made->verdict.passed);
  ASSERT_EQ(made->after.images.size(), 1U) << "pages that nothing is on any more are gone";
  EXPECT_EQ(made->after.images[0].name, "lightmap_4");
  ASSERT_EQ(made->after.textures.size(), 1U);
  EXPECT_EQ(made->after.textures[0].image, ImageId{0});
  EXPECT_EQ(unpack_texels(encoded_bytes(made->after, ImageId{0}))->size,
            made->built.ledger.lightmaps.joined[0].size);
  const auto whole = put_back(lit.scene, made->built.ledger, made->after, {.everything = true});
  ASSERT_TRUE(whole) << to_string(whole.error());
  EXPECT_EQ(make_content_hash(whole->scene), make_content_hash(lit.scene));
  // The same where materials are shared, after which images have other numbers.
  job.settings.materials.goal = MaterialGoal::fewest_draws;
  const auto shared = run_job(lit.scene, job, {.codec = codec()});
  ASSERT_TRUE(shared) << to_string(shared.error());
  EXPECT_TRUE(shared->verdict.passed);
  for (const Image& image : shared->after.images) {
    EXPECT_FALSE(image.name == "lightmap_0" || image.name == "lightmap_3") << image.name;
  }
  // A draw that is on its own page again has its picture again.
  const auto part = put_back(lit.scene, made->built.ledger, made->after, {.nodes = {"/part_0"}});
  ASSERT_TRUE(part) << to_string(part.error());
  std::set<std::string> names;
  for (const Image& image : part->scene.images) {
    names.insert(image.name);
    EXPECT_GT(encoded_bytes(part->scene, ImageId{0}).size(), 0U);
  }
  EXPECT_EQ(names, (std::set<std::string>{"lightmap_0", "lightmap_4"}));
}

/// Whatever else a scene holds: modes, strips, several primitives, mirrored and animated parts.
TEST(LightmapJobs, JoinThePagesOfRandomScenes) {
  std::size_t moved = 0;
  for (std::uint32_t seed = 0; seed < 60; ++seed) {
    const Scene scene = test::make_random_scene(seed, 60);
    Job job = make_job({});
    job.settings.lightmaps.source_page_px = 32U << seed % 4;
    job.settings.propose.repeats = seed % 2 == 0 ? Repeats::by_cost : Repeats::only;
    if (seed % 3 == 0) {
      job.settings.survey.lightmap_transform_key = "place";
    }
    const auto made = run_job(scene, job, {.codec = codec()});
    ASSERT_TRUE(made) << "seed " << seed << ": " << to_string(made.error());
    EXPECT_TRUE(made->verdict.passed)
        << "seed " << seed << ": "
        << (made->verdict.mismatches.empty() ? "" : made->verdict.mismatches[0].what);
    const LightmapPlan& plan = made->built.ledger.lightmaps;
    for (const LightmapMove& move : plan.moves) {
      moved += move.draws.size();
    }
    if (!plan.joins()) {
      continue;
    }
    const auto whole = put_back(scene, made->built.ledger, made->after, {.everything = true});
    ASSERT_TRUE(whole) << to_string(whole.error());
    EXPECT_EQ(make_content_hash(whole->scene), make_content_hash(scene)) << "seed " << seed;
    // Some of what moved comes back, the rest stays proved.
    const DrawRef some = plan.moves[0].draws[0];
    const auto part = put_back(scene, made->built.ledger, made->after,
                               {.nodes = {make_node_path(scene, some.node)}});
    if (!part) {
      EXPECT_EQ(part.error().code, ErrorCode::bad_setting) << "it is kept as it is";
      continue;
    }
    const auto source = make_source(scene, part->ledger);
    ASSERT_TRUE(source);
    const auto proved = prove(*source, part->ledger, part->scene, job, {.codec = codec()});
    ASSERT_TRUE(proved) << to_string(proved.error());
    EXPECT_TRUE(proved->passed) << "seed " << seed;
  }
  EXPECT_GT(moved, 100U);
}

TEST(LightmapJobs, KeepPagesByDefault) {
  const test::LitScene lit = test::make_lit_scene({.draws = 40});
  Job job = make_job(lit);
  job.settings.lightmaps = {};
  const auto made = run_job(lit.scene, job, {.codec = codec()});
  ASSERT_TRUE(made);
  EXPECT_FALSE(made->built.ledger.lightmaps.joins());
  std::set<std::string> pages;
  for (const Node& node : made->after.nodes) {
    pages.insert(read_page(node.extra->extras));
  }
  EXPECT_EQ(pages.size(), 4U);
}

}  // namespace
}  // namespace wakuzume
