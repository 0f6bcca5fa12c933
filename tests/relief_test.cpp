// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include "wakuzume/relief.h"

#include <gtest/gtest.h>

#include <Eigen/Core>
#include <Eigen/Geometry>
#include <algorithm>
#include <cmath>
#include <numbers>
#include <random>

#include "support/pictures.h"
#include "support/process.h"
#include "support/scene_builder.h"
#include "support/shots.h"
#include "wakuzume/image.h"
#include "wakuzume/io.h"
#include "wakuzume/job.h"
#include "wakuzume/render.h"
#include "wakuzume/settings_file.h"

/// Normals painted for what was reduced, held against the formula that they come from.
namespace wakuzume {
namespace {

using Eigen::Vector3d;

const StandardCodec& codec() {
  static const StandardCodec made;
  return made;
}

/// Waves on a square of the x-y plane from 0 to 1, looking along z.
double wave_height(double x, double y) { return 0.02 * std::sin(25 * x) * std::cos(22 * y); }
Vector3d find_wave_normal(double x, double y) {
  const double dx = 0.02 * 25 * std::cos(25 * x) * std::cos(22 * y);
  const double dy = -0.02 * 22 * std::sin(25 * x) * std::sin(22 * y);
  return Vector3d(-dx, -dy, 1).normalized();
}

/// \param repeats  of the UVs along each side
test::MeshData make_waves(std::uint32_t side, double repeats) {
  test::MeshData out;
  for (std::uint32_t j = 0; j <= side; ++j) {
    for (std::uint32_t i = 0; i <= side; ++i) {
      const double x = static_cast<double>(i) / side;
      const double y = static_cast<double>(j) / side;
      const Vector3d n = find_wave_normal(x, y);
      const Vector3d t = (Vector3d::UnitX() - n.x() * n).normalized();
      for (const double value : {x, y, wave_height(x, y)}) {
        out.positions.push_back(static_cast<float>(value));
      }
      for (int c = 0; c < 3; ++c) {
        out.normals.push_back(static_cast<float>(n[c]));
        out.tangents.push_back(static_cast<float>(t[c]));
      }
      out.tangents.push_back(1);
      out.uvs.push_back(static_cast<float>(repeats * x));
      out.uvs.push_back(static_cast<float>(repeats * (1 - y)));
    }
  }
  for (std::uint32_t j = 0; j < side; ++j) {
    for (std::uint32_t i = 0; i < side; ++i) {
      const std::uint32_t a = j * (side + 1) + i;
      const std::uint32_t c = a + side + 1;
      out.indices.insert(out.indices.end(), {a, a + 1, c, a + 1, c + 1, c});
    }
  }
  return out;
}

struct Made {
  ReducedWithRelief with;
  std::vector<Pixels> pictures;
};

Made make(const Scene& scene, const ReduceSettings& settings, const RunControl& run = {}) {
  const auto plan = propose_reduction(scene, *survey(scene), settings);
  EXPECT_TRUE(plan);
  auto with = reduce_with_relief(scene, *plan, run);
  EXPECT_TRUE(with) << to_string(with.error());
  Made out{std::move(*with), {}};
  for (std::size_t p = 0; p < out.with.relief.pages.size(); ++p) {
    auto pixels =
        paint_relief_page(scene, out.with.reduced.scene, out.with.relief, p, codec(), run);
    EXPECT_TRUE(pixels) << to_string(pixels.error());
    out.pictures.push_back(std::move(*pixels));
  }
  return out;
}

/// Between the four texels around.
Vector3d look_up(const Pixels& picture, const Eigen::Vector2d& uv) {
  const double x = uv.x() * picture.width_px - 0.5;
  const double y = uv.y() * picture.height_px - 0.5;
  Vector3d out = Vector3d::Zero();
  for (int corner = 0; corner < 4; ++corner) {
    const double cx = std::floor(x) + (corner & 1);
    const double cy = std::floor(y) + (corner >> 1);
    const double share = (1 - std::abs(x - cx)) * (1 - std::abs(y - cy));
    const auto at = [](double place, std::uint32_t side) {
      return static_cast<std::size_t>(std::clamp(place, 0.0, side - 1.0));
    };
    const std::uint8_t* const texel =
        &picture
             .rgba[4 * (at(cy, picture.height_px) * picture.width_px + at(cx, picture.width_px))];
    for (int c = 0; c < 3; ++c) {
      out[c] += share * (texel[c] / 127.5 - 1);
    }
  }
  return out;
}

/// A primitive as an engine shades it.
class Shaded {
 public:
  Shaded(const Scene& scene, const Primitive& primitive, const Pixels& picture)
      : picture_(picture), list_(make_list_indices(scene, primitive)) {
    const TextureSlot& slot = scene[primitive.material].normal_texture;
    positions_ = make_floats(scene, primitive.find("POSITION"));
    normals_ = make_floats(scene, primitive.find("NORMAL"));
    tangents_ = make_floats(scene, primitive.find("TANGENT"));
    uvs_ = make_floats(scene, primitive.find("TEXCOORD_" + std::to_string(slot.texcoord)));
  }
  [[nodiscard]] std::size_t triangles() const { return list_.size() / 3; }

  [[nodiscard]] Vector3d find_place(std::size_t t, const Vector3d& shares) const {
    return mix<3>(positions_, t, shares);
  }
  [[nodiscard]] Vector3d find_plain_normal(std::size_t t, const Vector3d& shares) const {
    return mix<3>(normals_, t, shares).normalized();
  }
  [[nodiscard]] Vector3d find_normal(std::size_t t, const Vector3d& shares) const {
    const Vector3d n = find_plain_normal(t, shares);
    const Eigen::Vector4d tangent = mix<4>(tangents_, t, shares);
    const Vector3d along = tangent.head<3>().normalized();
    const Vector3d across = n.cross(along) * (tangent.w() < 0 ? -1 : 1);
    const Vector3d bent = look_up(picture_, mix<2>(uvs_, t, shares));
    return (bent.x() * along + bent.y() * across + bent.z() * n).normalized();
  }

 private:
  template <int width>
  [[nodiscard]] Eigen::Matrix<double, width, 1> mix(const std::vector<float>& values,
                                                    std::size_t t,
                                                    const Vector3d& shares) const {
    Eigen::Matrix<double, width, 1> out = Eigen::Matrix<double, width, 1>::Zero();
    for (int k = 0; k < 3; ++k) {
      const std::size_t v = list_[3 * t + static_cast<std::size_t>(k)];
      out += shares[k] * Eigen::Map<const Eigen::Matrix<float, width, 1>>(&values[width * v])
                             .template cast<double>();
    }
    return out;
  }

  const Pixels& picture_;
  std::vector<std::uint32_t> list_;
  std::vector<float> positions_;
  std::vector<float> normals_;
  std::vector<float> tangents_;
  std::vector<float> uvs_;
};

struct Turned {
  double plain_deg = 0;  ///< mean, of the vertices' normals
  double shown_deg = 0;  ///< mean, of what is shaded
};

/// Against the normals that should be there, at random places.
template <class FindWanted>
Turned measure_turned(const Shaded& shaded, const FindWanted& find_wanted) {
  std::mt19937 random(1);
  std::uniform_real_distribution<double> share(0, 1);
  Turned out;
  constexpr int places = 4000;
  for (int i = 0; i < places; ++i) {
    const std::size_t t = random() % shaded.triangles();
    double a = share(random);
    double b = share(random);
    if (a + b > 1) {
      a = 1 - a;
      b = 1 - b;
    }
    const Vector3d shares(1 - a - b, a, b);
    const Vector3d at = shaded.find_place(t, shares);
    const Vector3d wanted = find_wanted(at.x(), at.y());
    const auto angle = [&](const Vector3d& n) {
      return std::acos(std::clamp(n.dot(wanted), -1.0, 1.0)) * 180 / std::numbers::pi / places;
    };
    out.plain_deg += angle(shaded.find_plain_normal(t, shares));
    out.shown_deg += angle(shaded.find_normal(t, shares));
  }
  return out;
}

class ReliefUvs : public testing::TestWithParam<double> {};

TEST_P(ReliefUvs, ShowTheNormalsThatWentWithTheTriangles) {
  test::SceneBuilder builder;
  const MaterialId stone = builder.add_material("stone");
  builder.add_node("waves", builder.add_mesh("waves", make_waves(120, GetParam()), stone));
  const Scene scene = builder.finish();
  const Made made = make(scene, {.share = 0.03, .relief_px = 512});
  const Scene& out = made.with.reduced.scene;
  ASSERT_EQ(made.with.relief.pages.size(), 1U);
  const ReliefPage& page = made.with.relief.pages.front();
  EXPECT_EQ(page.own_charts, GetParam() > 1) << "repeated UVs are no places of their own";
  EXPECT_EQ(page.uv_set, GetParam() > 1 ? 1U : 0U);
  EXPECT_EQ(page.like, std::vector<MaterialId>{stone});
  const Primitive& primitive = out.meshes[0].primitives[0];
  EXPECT_EQ(primitive.material, page.material);
  EXPECT_LE(count_list_indices(out, primitive), 3 * 28'800U * 3 / 100);
  const Turned turned =
      measure_turned(Shaded(out, primitive, made.pictures.front()), find_wave_normal);
  EXPECT_GT(turned.plain_deg, 3);
  EXPECT_LT(turned.shown_deg, 0.6);
  // The first UVs are as reduce left them.
  const auto plan = propose_reduction(scene, *survey(scene), {.share = 0.03});
  const auto plain = reduce(scene, *plan);
  const Primitive& other = plain->scene.meshes[0].primitives[0];
  const std::vector<float> uvs = make_floats(out, primitive.find("TEXCOORD_0"));
  const std::vector<float> uvs_there = make_floats(plain->scene, other.find("TEXCOORD_0"));
  const std::vector<std::uint32_t> list = make_list_indices(out, primitive);
  const std::vector<std::uint32_t> list_there = make_list_indices(plain->scene, other);
  ASSERT_EQ(list.size(), list_there.size());
  for (std::size_t c = 0; c < list.size(); ++c) {
    ASSERT_EQ(uvs[2 * std::size_t{list[c]}], uvs_there[2 * std::size_t{list_there[c]}]);
    ASSERT_EQ(uvs[2 * std::size_t{list[c]} + 1], uvs_there[2 * std::size_t{list_there[c]} + 1]);
  }
}
INSTANTIATE_TEST_SUITE_P(OnceAndRepeated, ReliefUvs, testing::Values(1.0, 3.0));

TEST(Relief, TakesThePictureOverThatThereWas) {
  test::SceneBuilder builder;
  const MaterialId stone = builder.add_material("stone");
  const Pixels bumps = test::make_normal_picture(64, 64, 3);
  builder.scene.materials[to_index(stone)].normal_texture.texture =
      test::add_picture(builder, bumps);
  builder.add_node("waves", builder.add_mesh("waves", make_waves(120, 1), stone));
  const Made made = make(builder.finish(), {.share = 0.03, .relief_px = 512});
  ASSERT_EQ(made.pictures.size(), 1U);
  const Scene& out = made.with.reduced.scene;
  const Shaded shaded(out, out.meshes[0].primitives[0], made.pictures.front());
  // The picture bends the normals of the formula.
  const Turned turned = measure_turned(shaded, [&](double x, double y) {
    const Vector3d n = find_wave_normal(x, y);
    const Vector3d along = (Vector3d::UnitX() - n.x() * n).normalized();
    const Vector3d bent = look_up(bumps, {x, 1 - y});
    return Vector3d(bent.x() * along + bent.y() * n.cross(along) + bent.z() * n).normalized();
  });
  EXPECT_GT(turned.plain_deg, 10);
  EXPECT_LT(turned.shown_deg, 1);
}

TEST(Relief, LeavesMaterialsToWhatIsShadedAsItWas) {
  test::SceneBuilder builder;
  const MaterialId stone = builder.add_material("stone");
  test::MeshData plane = make_waves(40, 1);
  for (std::size_t v = 0; v < plane.positions.size() / 3; ++v) {
    plane.positions[3 * v + 2] = 0;
    const float up[] = {0, 0, 1, 1, 0, 0};
    std::copy_n(up, 3, &plane.normals[3 * v]);
    std::copy_n(up + 3, 3, &plane.tangents[4 * v]);
  }
  builder.add_node("plane", builder.add_mesh("plane", plane, stone));
  builder.add_node("waves", builder.add_mesh("waves", make_waves(60, 1), stone), test::at(2));
  const Made made = make(builder.finish(), {.share = 0.05, .relief_px = 128});
  ASSERT_EQ(made.with.relief.pages.size(), 1U);
  EXPECT_EQ(made.with.relief.pages.front().parts.size(), 1U);
  EXPECT_EQ(made.with.reduced.scene.meshes[0].primitives[0].material, stone);
  EXPECT_NE(made.with.reduced.scene.meshes[1].primitives[0].material, stone);
}

/// Steps with flat sides and sharp edges, many of them below one texel.
TEST(Relief, MixesNoSidesOfAnEdge) {
  test::MeshData steps;
  constexpr std::uint32_t count = 60;
  constexpr std::uint32_t pieces = 20;
  const auto add_strip = [&](const Vector3d& from, const Vector3d& along, const Vector3d& across) {
    const auto first = static_cast<std::uint32_t>(steps.positions.size() / 3);
    const Vector3d n = along.cross(across).normalized();
    for (std::uint32_t i = 0; i <= pieces; ++i) {
      for (int side = 0; side < 2; ++side) {
        const Vector3d at = from + along * i / pieces + across * side;
        for (int c = 0; c < 3; ++c) {
          steps.positions.push_back(static_cast<float>(at[c]));
          steps.normals.push_back(static_cast<float>(n[c]));
        }
        steps.uvs.insert(steps.uvs.end(), {0, 0});
      }
    }
    for (std::uint32_t i = 0; i < pieces; ++i) {
      const std::uint32_t a = first + 2 * i;
      steps.indices.insert(steps.indices.end(), {a, a + 2, a + 1, a + 1, a + 2, a + 3});
    }
  };
  for (std::uint32_t s = 0; s < count; ++s) {
    const double at = 0.01 * s;
    add_strip({0, at, at}, {1, 0, 0}, {0, 0.01, 0});
    add_strip({0, at + 0.01, at}, {1, 0, 0}, {0, 0.004, 0.01});
  }
  // Waves in the same mesh, or nothing would be painted.
  const test::MeshData waves = make_waves(60, 1);
  const auto first = static_cast<std::uint32_t>(steps.positions.size() / 3);
  for (std::size_t i = 0; i < waves.positions.size(); ++i) {
    steps.positions.push_back(waves.positions[i] + (i % 3 == 0 ? 5.0F : 0.0F));
  }
  steps.normals.insert(steps.normals.end(), waves.normals.begin(), waves.normals.end());
  steps.uvs.resize(steps.positions.size() / 3 * 2);
  for (const std::uint32_t index : waves.indices) {
    steps.indices.push_back(first + index);
  }
  test::SceneBuilder builder;
  builder.add_node("steps", builder.add_mesh("steps", steps, builder.add_material("stone")));
  const Made made = make(builder.finish(), {.share = 0.1, .relief_px = 256});
  ASSERT_EQ(made.pictures.size(), 1U);
  const Scene& out = made.with.reduced.scene;
  const Shaded shaded(out, out.meshes[0].primitives[0], made.pictures.front());
  std::size_t sides = 0;
  for (std::size_t t = 0; t < shaded.triangles(); ++t) {
    for (const Vector3d& shares : {Vector3d(0.9, 0.05, 0.05), Vector3d(0.34, 0.33, 0.33)}) {
      if (shaded.find_place(t, shares).x() < 2) {
        ++sides;
        EXPECT_GT(shaded.find_normal(t, shares).dot(shaded.find_plain_normal(t, shares)),
                  std::cos(2.0 * std::numbers::pi / 180));
      }
    }
  }
  EXPECT_GE(sides, 4 * count);
}

/// Two waves as data, the second turned and moved, and one that is equal; two names of a material.
Scene make_copies() {
  test::SceneBuilder builder;
  const MaterialId stone = builder.add_material("stone");
  const MaterialId again = builder.add_material("stone of another kit");
  const test::MeshData waves = make_waves(60, 3);
  test::MeshData turned = waves;
  for (std::size_t v = 0; v < waves.positions.size() / 3; ++v) {
    const auto turn = [&](const std::vector<float>& from, std::size_t stride, float shift,
                          std::vector<float>& to) {
      to[stride * v] = -from[stride * v + 1] + shift;
      to[stride * v + 1] = from[stride * v];
    };
    turn(waves.positions, 3, 5, turned.positions);
    turn(waves.normals, 3, 0, turned.normals);
    turn(waves.tangents, 4, 0, turned.tangents);
  }
  builder.add_node("first", builder.add_mesh("first", waves, stone));
  builder.add_node("turned", builder.add_mesh("turned", turned, again));
  builder.add_node("equal", builder.add_mesh("equal", waves, again), test::at(0, 3, 0));
  builder.add_node("twice", MeshId{0}, test::at(0, 6, 0));
  return builder.finish();
}

TEST(Relief, GivesCopiesTheSameTexels) {
  const Scene scene = make_copies();
  const Made made = make(scene, {.share = 0.1, .relief_px = 256});
  ASSERT_EQ(made.with.relief.pages.size(), 1U) << "one material by value";
  const ReliefPage& page = made.with.relief.pages.front();
  EXPECT_EQ(page.like.size(), 2U);
  EXPECT_EQ(page.parts.size(), 1U);
  for (const Mesh& mesh : made.with.reduced.scene.meshes) {
    EXPECT_EQ(mesh.primitives[0].material, page.material) << mesh.name;
  }
  // So they are drawn at once.
  Job job{.profile = *read_cost_profile("desk")};
  job.settings.reduce = {.share = 0.1, .relief_px = 256};
  job.settings.propose.repeats = Repeats::only;
  const auto run = run_job(scene, job, {.codec = codec()});
  ASSERT_TRUE(run) << to_string(run.error());
  EXPECT_TRUE(run->verdict.passed);
  EXPECT_EQ(run->verdict.after.draws, 1U);
  EXPECT_EQ(run->built.scene[run->built.ledger.results.at(0).node].instancing->attributes.size(),
            2U);
}

TEST(Relief, IsTheSameForAnyNumberOfThreads) {
  const Scene scene = make_copies();
  const Made one = make(scene, {.share = 0.1, .relief_px = 256}, {.threads = 1});
  const Made two = make(scene, {.share = 0.1, .relief_px = 256}, {.threads = 2});
  EXPECT_EQ(make_content_hash(one.with.reduced.scene), make_content_hash(two.with.reduced.scene));
  ASSERT_EQ(one.pictures.size(), 1U);
  EXPECT_EQ(one.pictures.front().rgba, two.pictures.front().rgba);
}

TEST(Relief, LeavesAloneWhatCanShowNone) {
  test::SceneBuilder builder;
  const MaterialId lit = builder.add_material("lit");
  const MaterialId unlit = builder.add_material("unlit");
  builder.scene.extensions_used.emplace_back("KHR_materials_unlit");
  builder.scene.materials[to_index(unlit)].extra.ensure().extensions.push_back(
      {"KHR_materials_unlit", "{}"});
  test::MeshData flat = make_waves(40, 1);
  flat.normals.clear();
  flat.tangents.clear();
  builder.add_node("unlit", builder.add_mesh("unlit", make_waves(40, 1), unlit));
  builder.add_node("flat", builder.add_mesh("flat", flat, lit));
  const Made made = make(builder.finish(), {.share = 0.1, .relief_px = 64});
  EXPECT_TRUE(made.with.relief.pages.empty());
  EXPECT_EQ(made.with.reduced.scene.materials.size(), 2U);
  EXPECT_EQ(made.with.reduced.meshes.size(), 2U);
}

TEST(Relief, NamesAPictureThatCantBeRead) {
  test::SceneBuilder builder;
  const MaterialId stone = builder.add_material("stone");
  const TextureId bad = test::add_picture(builder, test::make_normal_picture(16, 16, 1));
  builder.scene.images[0].bytes = make_bytes(std::vector<std::byte>(2));
  builder.scene.images[0].view = no_view;
  builder.scene.materials[to_index(stone)].normal_texture.texture = bad;
  builder.add_node("waves", builder.add_mesh("waves", make_waves(40, 1), stone));
  const Scene scene = builder.finish();
  const auto plan = propose_reduction(scene, *survey(scene), {.share = 0.1, .relief_px = 64});
  const auto with = reduce_with_relief(scene, *plan);
  ASSERT_TRUE(with);
  const auto painted = paint_relief(scene, with->reduced.scene, with->relief, codec());
  ASSERT_FALSE(painted);
  EXPECT_EQ(painted.error().code, ErrorCode::bad_image);
}

TEST(Relief, RefusesSidesThatAreNone) {
  for (const std::uint32_t side : {1U, 15U, 8193U}) {
    const auto valid = validate(ReduceSettings{.relief_px = side});
    ASSERT_FALSE(valid);
    EXPECT_NE(valid.error().message.find("relief_px"), std::string::npos);
  }
  EXPECT_TRUE(validate(ReduceSettings{.relief_px = 16}));
}

/// Through whole jobs, with materials kept and shared: proved, nearer to what it was than without,
/// and put back in part and as a whole.
TEST(Relief, GoesThroughWholeJobs) {
  test::SceneBuilder builder;
  const MaterialId materials[] = {builder.add_material("clay"), builder.add_material("tin")};
  builder.scene.materials[to_index(materials[1])].base_color_texture.texture =
      test::add_picture(builder, test::make_flat_picture(64, 64, {180, 190, 200, 255}));
  builder.scene.materials[to_index(materials[0])].base_color = {0.7, 0.5, 0.4, 1};
  for (int n = 0; n < 4; ++n) {
    const MeshId mesh = builder.add_mesh("waves" + std::to_string(n),
                                         make_waves(44 + 4 * static_cast<std::uint32_t>(n), 1 + n),
                                         materials[n % 2]);
    builder.add_node("node" + std::to_string(n), mesh, test::at(1.1 * (n % 2), 1.1 * (n / 2), 0));
  }
  const Scene scene = builder.finish();
  for (const MaterialGoal goal : {MaterialGoal::keep, MaterialGoal::fewest_draws}) {
    Job job{.profile = *read_cost_profile("desk")};
    job.settings.reduce = {.share = 0.05};
    job.settings.materials.goal = goal;
    job.settings.verify.picture_width_px = 320;
    job.settings.verify.picture_height_px = 180;
    Viewpoint front{.name = "front"};
    front.world[12] = 1;
    front.world[13] = 1;
    front.world[14] = 2;
    job.views = {front};
    RenderShots shots(codec());
    const JobTools tools{.codec = codec(), .shots = &shots};
    const auto plain = run_job(scene, job, tools);
    ASSERT_TRUE(plain);
    job.settings.reduce.relief_px = 256;
    const auto made = run_job(scene, job, tools);
    ASSERT_TRUE(made) << to_string(made.error());
    EXPECT_TRUE(made->verdict.passed);
    EXPECT_TRUE(made->verdict.mends.empty());
    const auto worst = [](const Verdict& verdict) {
      double least = 99;
      for (const ViewCheck& view : verdict.views) {
        least = std::min(least, view.psnr_db);
      }
      return least;
    };
    EXPECT_GT(worst(made->verdict), worst(plain->verdict) + 3) << static_cast<int>(goal);
    // The old materials have nothing to show any more.
    EXPECT_LE(made->after.materials.size(), 2U);

    const Ledger ledger = test::write_and_read(made->built.ledger);
    EXPECT_EQ(ledger.reduction.settings, job.settings.reduce);
    const auto source = make_source(scene, ledger, codec());
    ASSERT_TRUE(source);
    Scene after = made->after;
    EXPECT_TRUE(prove(*source, ledger, after, job, tools)->passed);
    const auto part = put_back(scene, ledger, made->after, {.nodes = {"/node2"}});
    ASSERT_TRUE(part) << to_string(part.error());
    const auto source_of_part = make_source(scene, part->ledger, codec());
    ASSERT_TRUE(source_of_part);
    EXPECT_TRUE(prove(*source_of_part, part->ledger, part->scene, job, tools)->passed);
    const auto all = put_back(scene, part->ledger, part->scene, {.everything = true});
    ASSERT_TRUE(all);
    EXPECT_EQ(make_content_hash(all->scene), make_content_hash(scene));
  }
}

/// Values of an attribute, corner by corner.
std::vector<float> list_corner_values(const Scene& scene,
                                      const Primitive& primitive,
                                      const std::vector<Attribute>& attributes,
                                      const char* semantic) {
  const auto found = std::find_if(attributes.begin(), attributes.end(),
                                  [&](const Attribute& a) { return a.semantic == semantic; });
  EXPECT_NE(found, attributes.end()) << semantic;
  const std::vector<float> values = make_floats(scene, found->stream);
  const std::size_t width = component_count(scene[found->stream].element);
  std::vector<float> out;
  for (const std::uint32_t v : make_list_indices(scene, primitive)) {
    const auto from = values.begin() + static_cast<std::ptrdiff_t>(width * v);
    out.insert(out.end(), from, from + static_cast<std::ptrdiff_t>(width));
  }
  return out;
}

/// Charts take vertices apart: all that they carry goes along.
TEST(Relief, KeepsTargetsAndJoints) {
  test::SceneBuilder builder;
  const test::MeshData waves = make_waves(40, 3);
  const std::size_t vertices = waves.positions.size() / 3;
  const MeshId mesh = builder.add_mesh("waves", waves, builder.add_material("stone"));
  test::Floats lifted(3 * vertices, 0.0F);
  std::vector<std::uint16_t> joints(4 * vertices, 0);
  test::Floats weights(4 * vertices, 0.0F);
  for (std::size_t v = 0; v < vertices; ++v) {
    const float x = waves.positions[3 * v];
    lifted[3 * v + 2] = x > 0.7F ? 0.2F * (x - 0.7F) : 0.0F;
    joints[4 * v + 1] = 1;
    weights[4 * v] = x;
    weights[4 * v + 1] = 1 - x;
  }
  const StreamId lift = builder.add_stream(lifted, ElementType::vec3, ComponentType::f32);
  builder.scene.streams[to_index(lift)].bounds = StreamBounds{{0, 0, 0}, {0, 0, 1}};
  const StreamId joint = builder.add_stream(joints, ElementType::vec4, ComponentType::u16);
  const StreamId weight = builder.add_stream(weights, ElementType::vec4, ComponentType::f32);
  Primitive& primitive = builder.scene.meshes[to_index(mesh)].primitives[0];
  primitive.morph_targets.push_back({{"POSITION", lift}});
  primitive.attributes.push_back({"JOINTS_0", joint});
  primitive.attributes.push_back({"WEIGHTS_0", weight});
  builder.scene.meshes[to_index(mesh)].weights = {0};
  const NodeId node = builder.add_node("waves", mesh);
  Skin skin;
  skin.joints = {builder.add_node("left"), builder.add_node("right")};
  builder.scene.skins.push_back(skin);
  builder.scene.nodes[to_index(node)].skin = SkinId{0};
  const Scene scene = builder.finish();
  ASSERT_TRUE(check_scene(scene));

  const auto plan = propose_reduction(scene, *survey(scene), {.share = 0.15, .relief_px = 256});
  const auto plain = reduce(scene, *plan);
  const auto with = reduce_with_relief(scene, *plan);
  ASSERT_TRUE(plain && with);
  ASSERT_TRUE(check_scene(with->reduced.scene));
  ASSERT_EQ(with->relief.pages.size(), 1U);
  EXPECT_TRUE(with->relief.pages.front().own_charts);
  const Primitive& before = plain->scene.meshes[0].primitives[0];
  const Primitive& after = with->reduced.scene.meshes[0].primitives[0];
  EXPECT_GE(count_vertices(with->reduced.scene, after), count_vertices(plain->scene, before));
  for (const char* semantic : {"POSITION", "NORMAL", "JOINTS_0", "WEIGHTS_0", "TEXCOORD_0"}) {
    EXPECT_EQ(list_corner_values(plain->scene, before, before.attributes, semantic),
              list_corner_values(with->reduced.scene, after, after.attributes, semantic))
        << semantic;
  }
  ASSERT_EQ(after.morph_targets.size(), 1U);
  EXPECT_EQ(list_corner_values(plain->scene, before, before.morph_targets[0], "POSITION"),
            list_corner_values(with->reduced.scene, after, after.morph_targets[0], "POSITION"));
}

/// Scenes with all there is: whatever shows a picture is drawn, proved and put back.
TEST(Relief, EndsWellOnScenesOfAllKinds) {
  std::size_t painted = 0;
  for (std::uint32_t seed = 0; seed < 6; ++seed) {
    Scene scene = test::make_random_scene(900 + seed, 25);
    test::SceneBuilder builder;
    builder.scene = std::move(scene);
    const MaterialId stone = builder.add_material("stone");
    const MeshId waves = builder.add_mesh("waves", make_waves(40, 1 + seed % 3), stone);
    for (int n = 0; n < 3; ++n) {
      builder.add_node("waves" + std::to_string(n), waves,
                       test::scaled(n == 1 ? -1 : 1, 1, 1, {2.0 * n, 5, 0}));
    }
    scene = builder.finish();
    Job job{.profile = *read_cost_profile("desk")};
    job.settings.reduce = {.share = 0.3, .relief_px = 128};
    job.settings.materials.goal = static_cast<MaterialGoal>(seed % 3);
    job.settings.verify.picture_width_px = 160;
    job.settings.verify.picture_height_px = 90;
    job.settings.verify.picture_views = 2;
    job.settings.views.count = 6;
    RenderShots shots(codec());
    const JobTools tools{.codec = codec(), .shots = &shots};
    const auto made = run_job(scene, job, tools);
    ASSERT_TRUE(made) << seed << ": " << to_string(made.error());
    EXPECT_TRUE(made->verdict.passed) << seed;
    painted += made->source.source.relief.size();
    const auto part = put_back(scene, made->built.ledger, made->after, {.nodes = {"/waves1"}});
    if (part) {
      const auto source = make_source(scene, part->ledger, codec());
      ASSERT_TRUE(source);
      EXPECT_TRUE(prove(*source, part->ledger, part->scene, job, {.codec = codec()})->passed)
          << seed;
    } else {
      EXPECT_EQ(part.error().code, ErrorCode::bad_setting) << "it was not moved";
    }
    const auto all = put_back(scene, made->built.ledger, made->after, {.everything = true});
    ASSERT_TRUE(all) << seed << ": " << to_string(all.error());
    EXPECT_EQ(make_content_hash(all->scene), make_content_hash(scene)) << seed;
  }
  EXPECT_GE(painted, 5U);
}

/// A ledger that tells of other pictures than its source has.
TEST(Relief, RefusesLedgersThatNameOtherPictures) {
  test::SceneBuilder builder;
  const MaterialId stone = builder.add_material("stone");
  builder.scene.materials[to_index(stone)].base_color_texture.texture =
      test::add_picture(builder, test::make_picture(32, 32, 1));
  const MaterialId tin = builder.add_material("tin");
  builder.scene.materials[to_index(tin)].base_color_texture.texture =
      test::add_picture(builder, test::make_picture(32, 32, 2));
  builder.add_node("waves", builder.add_mesh("waves", make_waves(40, 1), stone));
  builder.add_node("more", builder.add_mesh("more", make_waves(44, 1), tin), test::at(2));
  const Scene scene = builder.finish();
  Job job{.profile = *read_cost_profile("desk")};
  job.settings.reduce = {.share = 0.1, .relief_px = 64};
  job.settings.materials.goal = MaterialGoal::fewest_draws;
  const auto made = run_job(scene, job, {.codec = codec()});
  ASSERT_TRUE(made) << to_string(made.error());
  const auto source = make_source(scene, made->built.ledger, codec());
  ASSERT_TRUE(source);
  for (const bool fewer : {true, false}) {
    Ledger ledger = made->built.ledger;
    Scene after = made->after;
    if (fewer) {
      ledger.page_images.pop_back();
    } else {
      ledger.page_images.emplace_back().fill(no_image);
    }
    const auto proved = prove(*source, ledger, after, job, {.codec = codec()});
    ASSERT_FALSE(proved);
    EXPECT_EQ(proved.error().code, ErrorCode::plan_mismatch);
    EXPECT_EQ(proved.error().place.pointer, "/page_images");
  }
}

/// A picture of normals that changes later is painted anew, and nothing else.
TEST(Relief, FollowsPicturesThatChange) {
  test::SceneBuilder builder;
  const MaterialId stone = builder.add_material("stone");
  builder.scene.materials[to_index(stone)].normal_texture.texture =
      test::add_picture(builder, test::make_normal_picture(32, 32, 1));
  builder.add_node("waves", builder.add_mesh("waves", make_waves(40, 1), stone));
  const Scene scene = builder.finish();
  Job job{.profile = *read_cost_profile("desk")};
  job.settings.reduce = {.share = 0.1, .relief_px = 64};
  const JobTools tools{.codec = codec()};
  const auto made = run_job(scene, job, tools);
  ASSERT_TRUE(made) << to_string(made.error());
  Ledger ledger = made->built.ledger;
  Scene built = made->after;
  const auto source = make_source(scene, ledger, codec());
  ASSERT_TRUE(source);
  ASSERT_EQ(source->relief.size(), 1U);
  EXPECT_TRUE(refresh_pictures(*source, ledger, built, tools)->images.empty());

  Scene other = scene;
  other.images[0].view = no_view;
  other.images[0].bytes = make_bytes(*encode_png(test::make_normal_picture(32, 32, 2)));
  const auto anew = make_source(other, ledger, codec());
  ASSERT_TRUE(anew);
  EXPECT_NE(anew->relief.front().bytes, source->relief.front().bytes);
  const auto changed = refresh_pictures(*anew, ledger, built, tools);
  ASSERT_TRUE(changed) << to_string(changed.error());
  EXPECT_EQ(changed->images.size(), 1U);
  EXPECT_TRUE(prove(*anew, ledger, built, job, tools)->passed);
  const TextureSlot& slot = built.materials.front().normal_texture;
  EXPECT_EQ(encoded_bytes(built, built.textures[to_index(slot.texture)].image),
            anew->relief.front().bytes);
  // Without relief there is nothing that could be painted anew.
  job.settings.reduce.relief_px = 0;
  const auto plain = run_job(scene, job, tools);
  ASSERT_TRUE(plain);
  Ledger of_plain = plain->built.ledger;
  Scene plain_built = plain->after;
  const auto refused =
      refresh_pictures(*make_source(scene, of_plain, codec()), of_plain, plain_built, tools);
  ASSERT_FALSE(refused);
  EXPECT_EQ(refused.error().code, ErrorCode::bad_setting);
}

TEST(Relief, IsToldByTheTool) {
  const auto folder = test::make_scratch();
  test::SceneBuilder builder;
  builder.add_node("waves",
                   builder.add_mesh("waves", make_waves(60, 1), builder.add_material("stone")));
  ASSERT_TRUE(write_scene(builder.finish(), (folder / "waves.glb").string()));
  const auto path = [&](const char* name) { return (folder / name).string(); };
  const test::Outcome done = test::run_tool(
      {"reduce", path("waves.glb"), "-o", path("few.glb"), "--to", "5%", "--relief", "128"});
  EXPECT_EQ(done.exit_code, 0) << done.err;
  EXPECT_NE(done.out.find("Normals painted    into 1 picture, the largest of 1"), std::string::npos)
      << done.out;
  const auto few = read_scene(path("few.glb"));
  ASSERT_TRUE(few);
  const ImageId image = few->textures[to_index(few->materials.back().normal_texture.texture)].image;
  const auto pixels = decode_image(encoded_bytes(*few, image));
  ASSERT_TRUE(pixels);
  EXPECT_LE(std::max(pixels->width_px, pixels->height_px), 128U);
  EXPECT_GT(std::min(pixels->width_px, pixels->height_px), 64U);
  EXPECT_EQ(test::run_tool(
                {"reduce", path("waves.glb"), "-o", path("x.glb"), "--to", "5%", "--relief", "9"})
                .exit_code,
            2);
  EXPECT_FALSE(std::filesystem::exists(path("x.glb")));
}

double find_volume(const Scene& scene, const Primitive& primitive) {
  const std::vector<float> positions = make_floats(scene, primitive.find("POSITION"));
  const std::vector<std::uint32_t> list = make_list_indices(scene, primitive);
  const auto place = [&](std::size_t corner) {
    return Vector3d(Eigen::Map<const Eigen::Vector3f>(&positions[3 * std::size_t{list[corner]}])
                        .cast<double>());
  };
  double volume = 0;
  for (std::size_t i = 0; i < list.size(); i += 3) {
    volume += place(i).cross(place(i + 1)).dot(place(i + 2)) / 6;
  }
  return volume;
}

/// Whose triangles colliders have.
TEST(ReducedColliders, AreOfTheOriginalWhereThatIsAskedFor) {
  test::SceneBuilder builder;
  const MaterialId stone = builder.add_material("stone");
  builder.add_node("a", builder.add_mesh("a", test::make_ball(12, 0.2), stone), test::at(1, 0, 0));
  builder.add_node("b", builder.add_mesh("b", test::make_ball(16, 0.1), stone),
                   test::scaled(-2, 1, 1, {7, 0, 0}));
  const MeshId many = builder.add_mesh("many", test::make_ball(14, 0), builder.add_material("tin"));
  for (int n = 0; n < 5; ++n) {
    builder.add_node("m" + std::to_string(n), many, test::at(n, 0, 20));
  }
  const Scene scene = builder.finish();
  for (const ColliderTriangles whose : {ColliderTriangles::reduced, ColliderTriangles::original}) {
    Job job{.profile = *read_cost_profile("desk")};
    job.settings.reduce = {.share = 0.3, .collider_triangles = whose};
    job.settings.propose.colliders = ColliderShape::triangles;
    job.settings.propose.repeats = Repeats::instance;
    const auto made = run_job(scene, job, {.codec = codec()});
    ASSERT_TRUE(made) << to_string(made.error());
    EXPECT_TRUE(made->verdict.passed);
    const auto expect_colliders = [&](const Built& built, std::uint64_t wanted) {
      std::uint64_t triangles = 0;
      for (const LedgerResult& result : built.ledger.results) {
        ASSERT_NE(result.collider, no_node);
        const Node& node = built.scene[result.collider];
        const Primitive& primitive = built.scene[node.mesh].primitives.front();
        triangles += count_list_indices(built.scene, primitive) / 3;
        // Mirrored parts face outwards, too; balls of a metre lie where they are shown.
        EXPECT_GT(find_volume(built.scene, primitive), 2);
      }
      if (whose == ColliderTriangles::original) {
        EXPECT_EQ(triangles, wanted);
      } else {
        EXPECT_LT(triangles, wanted / 2);
      }
    };
    const std::uint64_t all = 2 * (12 * 12 + 16 * 16 + 14 * 14);
    expect_colliders(made->built, all);
    const auto part = put_back(scene, made->built.ledger, made->after, {.nodes = {"/m0", "/a"}});
    ASSERT_TRUE(part) << to_string(part.error());
    expect_colliders(*part, all - 2 * 12 * 12);
  }
}

/// Around a primitive, in the world.
Box3d find_world_box(const Scene& scene, const Primitive& primitive, const Mat4d& world) {
  const Eigen::Map<const Eigen::Matrix4d> matrix(world.data());
  const std::vector<float> places = make_floats(scene, primitive.find("POSITION"));
  Box3d box;
  for (std::size_t i = 0; i + 2 < places.size(); i += 3) {
    const Vector3d at = Eigen::Map<const Eigen::Vector3f>(&places[i]).cast<double>();
    const Eigen::Vector4d moved = matrix * at.homogeneous();
    box.include(Vec3d{moved.x(), moved.y(), moved.z()});
  }
  return box;
}

/// Boxes and hulls hold what was there before, too.
TEST(ReducedColliders, HoldTheOriginalInBoxesAndHulls) {
  test::SceneBuilder builder;
  const MaterialId stone = builder.add_material("stone");
  for (int n = 0; n < 3; ++n) {
    const MeshId mesh =
        builder.add_mesh("b" + std::to_string(n),
                         test::make_ball(18 + 2 * static_cast<std::uint32_t>(n), 0.1 * n), stone);
    builder.add_node("n" + std::to_string(n), mesh,
                     test::scaled(n == 1 ? -1 : 1, 1 + n, 1, {4.0 * n, 0, 0}));
  }
  const Scene scene = builder.finish();
  for (const ColliderShape shape : {ColliderShape::box, ColliderShape::hull}) {
    double volumes[2] = {0, 0};
    for (const ColliderTriangles whose :
         {ColliderTriangles::reduced, ColliderTriangles::original}) {
      Job job{.profile = *read_cost_profile("desk")};
      job.settings.reduce = {.share = 0.15, .collider_triangles = whose};
      job.settings.propose.colliders = shape;
      job.settings.propose.repeats = Repeats::merge;
      const auto made = run_job(scene, job, {.codec = codec()});
      ASSERT_TRUE(made) << to_string(made.error());
      const std::vector<Mat4d> world = make_world_matrices(made->built.scene);
      for (const LedgerResult& result : made->built.ledger.results) {
        ASSERT_NE(result.collider, no_node);
        const Node& node = made->built.scene[result.collider];
        const Primitive& primitive = made->built.scene[node.mesh].primitives[0];
        volumes[whose == ColliderTriangles::original ? 1 : 0] +=
            find_volume(made->built.scene, primitive);
        if (whose == ColliderTriangles::reduced) {
          continue;
        }
        // It reaches as far as what there was.
        const Box3d box =
            find_world_box(made->built.scene, primitive, world[to_index(result.collider)]);
        Box3d all;
        const std::vector<Mat4d> before = make_world_matrices(scene);
        for (std::size_t n = 0; n < scene.nodes.size(); ++n) {
          const Box3d own =
              find_world_box(scene, scene[scene.nodes[n].mesh].primitives[0], before[n]);
          all.include(own.min);
          all.include(own.max);
        }
        for (std::size_t axis = 0; axis < 3; ++axis) {
          EXPECT_NEAR(box.min[axis], all.min[axis], 1e-4);
          EXPECT_NEAR(box.max[axis], all.max[axis], 1e-4);
        }
      }
    }
    EXPECT_GT(volumes[1], volumes[0]) << "corners that went stuck out";
  }
}

}  // namespace
}  // namespace wakuzume
