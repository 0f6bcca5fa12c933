// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include "glasshouse.h"

#include <fmt/format.h>

#include <cmath>
#include <numbers>

#include "gardener.h"
#include "materials.h"

namespace wakuzume::demo {
namespace {

// Metres. A wing runs along x from the vestibule, its ridge above z = 0.
constexpr int bays = 6;
constexpr float bay = 4;
constexpr double bay_m = 4;
/// Lightmaps.
constexpr int pages_per_wing = 4;
constexpr float page_px = 128;
constexpr float slab_px = 20;
constexpr float margin_px = 4;
constexpr float half_width = 5;
constexpr float eaves = 3;
constexpr float ridge = 5.5F;
constexpr float plinth = 0.8F;
constexpr float slope_length = 5.5901699F;
const double slope_angle = std::atan2(2.5, 5.0);
constexpr double half_turn = std::numbers::pi;

Trs at(double x, double y, double z) { return {{x, y, z}, {0, 0, 0, 1}, {1, 1, 1}}; }
Trs at(double x, double y, double z, const Vec4d& turn, double scale = 1) {
  return {{x, y, z}, turn, {scale, scale, scale}};
}
Vec4d around_x(double angle) { return make_turn({1, 0, 0}, angle); }
Vec4d around_y(double angle) { return make_turn({0, 1, 0}, angle); }
Vec4d around_z(double angle) { return make_turn({0, 0, 1}, angle); }

/// Meshes that many nodes show.
struct Parts {
  MeshId post, rafter, roof_bar, wall_bar, purlin, plinth;
  MeshId slat, leg, brace;
  std::array<MeshId, 4> pots;
  std::array<MeshId, 3> glazed_pots;
  MeshId fern, palm, aroid;
  MeshId pipe, valve, gauge, lamp, basket, chain, bed;
  std::array<MeshId, 8> plates;
  MeshId panes, gable;
};

class Glasshouse {
 public:
  Scene make() {
    make_parts();
    const NodeId house = maker_.add_node(no_node, "glasshouse");
    add_wing(house, "wing_east", 0);
    add_wing(house, "wing_west", pages_per_wing);
    add_vestibule(house);
    add_garden();
    add_cameras();
    return maker_.finish();
  }

 private:
  double chance() { return hash_noise(next_chance_++, 7, 99); }

  MeshId one(const std::string& name, Shape shape, MaterialId material) {
    return maker_.add_mesh(name, {{std::move(shape), material}});
  }

  static Shape make_pot(float radius, float height) {
    return make_lathe({{0, 0},
                       {radius * 0.68F, 0},
                       {radius * 0.92F, height * 0.8F},
                       {radius, height * 0.8F},
                       {radius, height},
                       {radius * 0.86F, height},
                       {radius * 0.8F, height * 0.85F},
                       {0, height * 0.85F}},
                      16, 2);
  }

  void make_parts() {
    const Materials& m = materials_;
    parts_.post = one("post", make_box({0.14F, eaves, 0.14F}, 0.5F), m.iron_green);
    parts_.rafter = one("rafter", make_box({0.14F, 0.18F, slope_length}, 0.5F), m.iron_green);
    parts_.roof_bar = one("roof_bar", make_box({0.035F, 0.06F, slope_length}, 0.5F), m.iron_white);
    parts_.wall_bar =
        one("wall_bar", make_box({0.035F, eaves - plinth, 0.06F}, 0.5F), m.iron_white);
    parts_.purlin = one("purlin", make_box({bay, 0.07F, 0.07F}, 0.5F), m.iron_white);
    Shape wall = make_box({bay, plinth, 0.3F}, 1);
    for (const Vec2f& uv : wall.uvs) {
      wall.lightmap_uvs.push_back({uv[0] / bay, uv[1] / plinth});
    }
    parts_.plinth = one("plinth", std::move(wall), m.bricks);
    parts_.slat = one("bench_slat", make_box({2.8F, 0.04F, 0.26F}, 0.7F), m.wood);
    parts_.leg = one("bench_leg", make_box({0.07F, 0.78F, 0.07F}, 0.5F), m.iron_black);
    parts_.brace = one("bench_brace", make_box({0.05F, 0.05F, 0.9F}, 0.5F), m.iron_black);
    for (std::size_t size = 0; size < parts_.pots.size(); ++size) {
      const float radius = 0.09F + 0.025F * static_cast<float>(size);
      parts_.pots[size] =
          one(fmt::format("pot_{}", size), make_pot(radius, radius * 1.9F), m.terracotta);
    }
    for (std::size_t glaze = 0; glaze < parts_.glazed_pots.size(); ++glaze) {
      Shape pot = make_pot(0.15F, 0.26F);
      pot.uvs.clear();
      parts_.glazed_pots[glaze] =
          one(fmt::format("glazed_pot_{}", glaze), std::move(pot), m.glazes[glaze]);
    }
    parts_.fern = one("fern", make_tuft(11, 0.42F, 0.17F, 0.30F, 1), m.fronds);
    parts_.palm = one("palm", make_tuft(13, 1.1F, 0.42F, 0.9F, 2), m.fronds);
    parts_.aroid = one("aroid", make_tuft(8, 0.30F, 0.20F, 0.34F, 3), m.broad_leaf);
    make_fittings();
    make_panes();
  }

  void make_fittings() {
    const Materials& m = materials_;
    Shape pipe = make_lathe({{0.045F, -bay / 2}, {0.045F, bay / 2}}, 10, 8);
    parts_.pipe =
        one("pipe", pipe.place({{0, 0, 0}, around_z(half_turn / 2), {1, 1, 1}}), m.copper);
    Shape body = make_lathe({{0, -0.1F}, {0.07F, -0.08F}, {0.07F, 0.08F}, {0, 0.1F}}, 12);
    Shape stem = make_lathe({{0.02F, 0}, {0.02F, 0.2F}}, 8);
    Shape wheel = make_lathe(
        {{0.09F, 0.18F}, {0.12F, 0.18F}, {0.12F, 0.21F}, {0.09F, 0.21F}, {0.09F, 0.18F}}, 16);
    for (int spoke = 0; spoke < 2; ++spoke) {
      Shape bar = make_box({0.2F, 0.02F, 0.02F}, 1);
      wheel.append(bar.place({{0, 0.195, 0}, around_y(spoke * half_turn / 2), {1, 1, 1}}));
    }
    wheel.uvs.clear();
    parts_.valve =
        maker_.add_mesh("valve", {{body, m.brass}, {stem, m.iron_black}, {wheel, m.red_paint}});
    Shape rim = make_lathe({{0, 0}, {0.1F, 0}, {0.1F, 0.05F}, {0.085F, 0.05F}}, 20);
    const Vec4d forward = around_x(half_turn / 2);
    const float r = 0.086F;
    const Shape face =
        make_quad({{{-r, -r, 0.045F}, {r, -r, 0.045F}, {r, r, 0.045F}, {-r, r, 0.045F}}}, {1, 1});
    parts_.gauge = maker_.add_mesh(
        "gauge", {{rim.place({{0, 0, 0}, forward, {1, 1, 1}}), m.brass}, {face, m.dial}});
    Shape shade =
        make_lathe({{0.04F, 0.28F}, {0.07F, 0.2F}, {0.3F, 0}, {0.28F, 0}, {0.06F, 0.19F}}, 20);
    Shape bulb =
        make_lathe({{0, -0.02F}, {0.05F, 0}, {0.07F, 0.06F}, {0.04F, 0.14F}, {0, 0.16F}}, 12);
    shade.uvs.clear();
    bulb.uvs.clear();
    parts_.lamp = maker_.add_mesh("lamp", {{shade, m.lamp_shade}, {bulb, m.bulb}});
    parts_.basket = one(
        "basket",
        make_lathe({{0, -0.2F}, {0.16F, -0.12F}, {0.22F, 0.05F}, {0.19F, 0.05F}, {0, 0}}, 14, 2),
        m.wood);
    parts_.chain = one("chain", make_box({0.015F, 1.2F, 0.015F}, 1), m.iron_black);
    parts_.bed = one("bed", make_box({3.2F, 0.45F, 1.3F}, 1), m.bricks);
    for (std::size_t i = 0; i < parts_.plates.size(); ++i) {
      Shape plate = make_box({0.16F, 0.08F, 0.01F}, 1);
      plate.uvs.clear();
      parts_.plates[i] = one(fmt::format("plate_{}", i), std::move(plate), m.plates[i]);
    }
  }

  void make_panes() {
    Shape panes;
    for (const float side : {-1.0F, 1.0F}) {
      const float z = side * half_width;
      const float x = side * bay / 2;  // keeps the corners counter-clockwise from outside
      panes.append(
          make_quad({{{-x, plinth, z}, {x, plinth, z}, {x, eaves, z}, {-x, eaves, z}}}, {4, 2}));
      panes.append(
          make_quad({{{-x, eaves, z}, {x, eaves, z}, {x, ridge, 0}, {-x, ridge, 0}}}, {4, 5}));
    }
    parts_.panes = one("panes", std::move(panes), materials_.glass);
    Shape gable = make_quad({{{0, plinth, half_width},
                              {0, plinth, -half_width},
                              {0, eaves, -half_width},
                              {0, eaves, half_width}}},
                            {5, 2});
    gable.append(make_quad(
        {{{0, eaves, half_width}, {0, eaves, -half_width}, {0, ridge, 0}, {0, ridge, 0.01F}}},
        {5, 2}));
    parts_.gable = one("gable_pane", std::move(gable), materials_.glass);
  }

  /// A mesh of its own with the same data: as if somebody had pasted the part and not linked it.
  MeshId copy_of(MeshId mesh) {
    Scene& scene = maker_.scene();
    Mesh copy = scene[mesh];
    copy.name += ".copy";
    scene.meshes.push_back(std::move(copy));
    return make_id<MeshId>(scene.meshes.size() - 1);
  }

  void add_wing(NodeId house, const std::string& name, int first_page) {
    Trs placed = at(2, 0, 0);
    if (first_page > 0) {
      placed = {{-2, 0, 0}, {0, 0, 0, 1}, {-1, 1, 1}};
    }
    const NodeId wing = maker_.add_node(house, name, placed);
    add_frame(wing);
    add_floor(wing, first_page);
    add_benches(wing);
    add_pipework(wing);
    add_lamps(wing);
    add_beds(wing);
    const NodeId glazing = maker_.add_node(wing, "glazing");
    for (int i = 0; i < bays; ++i) {
      maker_.add_node(glazing, fmt::format("panes_{}", i), at(bay_m * (i + 0.5), 0, 0),
                      parts_.panes);
    }
    maker_.add_node(glazing, "gable", at(bays * bay_m, 0, 0), parts_.gable);
  }

  void add_frame(NodeId wing) {
    const NodeId frame = maker_.add_node(wing, "frame");
    const double middle_y = (eaves + ridge) / 2;
    for (int i = 0; i <= bays; ++i) {
      const double x = bay_m * i;
      for (const double side : {-1.0, 1.0}) {
        // Every other rib was pasted and not linked.
        const MeshId post = i % 2 == 0 ? parts_.post : copy_of(parts_.post);
        const MeshId rafter = i % 2 == 0 ? parts_.rafter : copy_of(parts_.rafter);
        maker_.add_node(frame, fmt::format("post_{}", i), at(x, eaves / 2, side * half_width),
                        post);
        maker_.add_node(frame, fmt::format("rafter_{}", i),
                        at(x, middle_y, side * half_width / 2, around_x(side * slope_angle)),
                        rafter);
      }
    }
    for (int i = 0; i < bays; ++i) {
      for (const double side : {-1.0, 1.0}) {
        for (int bar = 1; bar <= 5; ++bar) {
          maker_.add_node(frame, fmt::format("roof_bar_{}_{}", i, bar),
                          at(bay_m * (i + bar / 6.0), middle_y, side * half_width / 2,
                             around_x(side * slope_angle)),
                          parts_.roof_bar);
        }
        for (int bar = 1; bar <= 4; ++bar) {
          maker_.add_node(frame, fmt::format("wall_bar_{}_{}", i, bar),
                          at(bay_m * (i + bar / 5.0), (eaves + plinth) / 2, side * half_width),
                          parts_.wall_bar);
        }
        for (const double up : {0.0, 0.5}) {
          maker_.add_node(
              frame, fmt::format("purlin_{}_{}", i, up > 0 ? "mid" : "eaves"),
              at(bay_m * (i + 0.5), eaves + (ridge - eaves) * up, side * half_width * (1 - up)),
              parts_.purlin);
        }
      }
      maker_.add_node(frame, fmt::format("ridge_{}", i), at(bay_m * (i + 0.5), ridge, 0),
                      parts_.purlin);
    }
  }

  /// Slabs and plinths are lit by small pages, four a wing, as a baker with a limit leaves them.
  /// Slabs have a second UV set on the page; plinths are one shape with UVs from 0 to 1, each put
  /// where it belongs on its page by its node.
  void add_floor(NodeId wing, int first_page) {
    const NodeId floor = maker_.add_node(wing, "floor");
    constexpr int columns = 12;
    for (int column = 0; column < columns; ++column) {
      for (int row = 0; row < 5; ++row) {
        const auto x = static_cast<float>(column * 2);
        const auto z = static_cast<float>(row * 2 - 5);
        const int strip = column * pages_per_wing / columns;
        const auto left = static_cast<float>(column % (columns / pages_per_wing));
        Shape slab = make_quad({{{0, 0, 2}, {2, 0, 2}, {2, 0, 0}, {0, 0, 0}}}, {2, 2});
        for (std::size_t v = 0; v < 4; ++v) {
          slab.uvs[v][0] += x;
          slab.uvs[v][1] += z;
          slab.lightmap_uvs.push_back(
              {(margin_px + (left + slab.positions[v][0] / 2) * slab_px) / page_px,
               (margin_px + (static_cast<float>(row) + slab.positions[v][2] / 2) * slab_px) /
                   page_px});
        }
        const std::string name = fmt::format("slab_{}_{}", column, row);
        const NodeId node =
            maker_.add_node(floor, name, at(static_cast<double>(x), 0, static_cast<double>(z)),
                            one(name, std::move(slab), materials_.slabs));
        maker_.mark(node, fmt::format(R"({{"lightmap":{}}})", first_page + strip));
      }
    }
    add_plinths(floor, first_page);
  }

  void add_plinths(NodeId floor, int first_page) {
    std::array<int, pages_per_wing> on_page{};
    for (int i = 0; i < bays; ++i) {
      const int strip = i * pages_per_wing / bays;
      for (const double side : {-1.0, 1.0}) {
        const NodeId node =
            maker_.add_node(floor, fmt::format("plinth_{}_{}", i, side < 0 ? "north" : "south"),
                            at(bay_m * (i + 0.5), plinth / 2, side * half_width), parts_.plinth);
        const int place = on_page[static_cast<std::size_t>(strip)]++;
        const auto left = margin_px + static_cast<float>(place % 2 * 64);
        const auto top = 2 * margin_px + 5 * slab_px + static_cast<float>(place / 2 * 10);
        maker_.mark(node, fmt::format(R"({{"lightmap":{},"lightmap_transform":[{},{},{},{}]}})",
                                      first_page + strip, 56 / page_px, 6 / page_px, left / page_px,
                                      top / page_px));
      }
    }
  }

  void add_benches(NodeId wing) {
    for (int i = 0; i < bays; ++i) {
      for (const int side : {-1, 1}) {
        const NodeId bench = maker_.add_node(
            wing, fmt::format("bench_{}_{}", i, side < 0 ? "north" : "south"),
            at(bay_m * (i + 0.5), 0, side * 3.5, around_y(side < 0 ? 0 : half_turn)));
        for (int slat = 0; slat < 3; ++slat) {
          maker_.add_node(bench, fmt::format("slat_{}", slat), at(0, 0.8, (slat - 1) * 0.31),
                          parts_.slat);
        }
        for (const double x : {-1.3, 1.3}) {
          for (const double z : {-0.4, 0.4}) {
            maker_.add_node(bench, "leg", at(x, 0.39, z), parts_.leg);
          }
          maker_.add_node(bench, "brace", at(x, 0.5, 0), parts_.brace);
        }
        add_pots(bench, i * 2 + (side > 0 ? 1 : 0));
      }
    }
  }

  /// Each is painted and worn in its own way, for shaders that look at extras.
  void add_pots(NodeId bench, int number) {
    constexpr std::array<const char*, 3> paints{"#b5643c", "#8f4a2e", "#c98a5b"};
    for (int place = 0; place < 10; ++place) {
      const double x = (place % 5 - 2) * 0.55 + (chance() - 0.5) * 0.12;
      const double z = (place / 5 - 0.5) * 0.45 + (chance() - 0.5) * 0.08;
      const bool glazed = place == 3;
      const auto size = static_cast<std::size_t>(chance() * 4);
      const MeshId mesh =
          glazed ? parts_.glazed_pots[static_cast<std::size_t>(number) % 3] : parts_.pots[size];
      const NodeId pot = maker_.add_node(bench, fmt::format("pot_{}", place),
                                         at(x, 0.82, z, around_y(chance() * 2 * half_turn)), mesh);
      maker_.mark(pot,
                  fmt::format(R"({{"paint":"{}","wear":{}}})",
                              paints.at(static_cast<std::size_t>(place + number) % paints.size()),
                              (place * 7 + number * 3) % 10 / 10.0));
      const double soil = 0.82 + (glazed ? 0.22 : 0.145 + 0.04 * static_cast<double>(size));
      if (place % 3 != 2) {
        const MeshId plant = (place + number) % 2 == 0 ? parts_.fern : parts_.aroid;
        maker_.add_node(bench, fmt::format("plant_{}", place),
                        at(x, soil, z, around_y(chance() * 2 * half_turn), 0.7 + 0.5 * chance()),
                        plant);
      }
    }
    for (int plate = 0; plate < 5; ++plate) {
      const auto species = static_cast<std::size_t>(number * 5 + plate) % parts_.plates.size();
      maker_.add_node(bench, fmt::format("plate_{}", plate),
                      at((plate - 2) * 0.55, 0.85, 0.46, around_x(-0.5)), parts_.plates[species]);
    }
  }

  void add_pipework(NodeId wing) {
    const NodeId heating = maker_.add_node(wing, "heating");
    for (int i = 0; i < bays; ++i) {
      const double x = bay_m * (i + 0.5);
      for (const double side : {-1.0, 1.0}) {
        for (const double y : {0.22, 0.42}) {
          maker_.add_node(heating, "pipe", at(x, y, side * 4.72), parts_.pipe);
        }
      }
      maker_.add_node(heating, fmt::format("valve_{}", i),
                      at(bay_m * i + 0.6, 0.42, -4.66, around_x(half_turn / 2)), parts_.valve);
      maker_.add_node(heating, fmt::format("gauge_{}", i), at(bay_m * i + 1.1, 0.62, -4.7),
                      parts_.gauge);
    }
  }

  void add_lamps(NodeId wing) {
    const NodeId lamps = maker_.add_node(wing, "lamps");
    for (int i = 0; i < bays; ++i) {
      const NodeId lamp = maker_.add_node(lamps, fmt::format("lamp_{}", i),
                                          at(bay_m * (i + 0.5), 4.0, 0), parts_.lamp);
      maker_.add_node(lamp, "cable", at(0, 0.88, 0), parts_.chain);
      // One lamp has its light on the very node, the others below: both are found in the wild.
      const NodeId holder = i == 0 ? lamp : maker_.add_node(lamp, "light", at(0, -0.1, 0));
      maker_.scene().nodes[to_index(holder)].light =
          maker_.add_point_light(fmt::format("lamp_{}", i), 14, {1, 0.86, 0.66});
    }
  }

  /// Brick beds with palms down the middle, and baskets hanging beside them.
  void add_beds(NodeId wing) {
    const NodeId beds = maker_.add_node(wing, "beds");
    for (int i = 0; i < bays; ++i) {
      const double x = bay_m * (i + 0.5);
      maker_.add_node(beds, fmt::format("bed_{}", i), at(x, 0.225, 0), parts_.bed);
      for (int palm = 0; palm < 3; ++palm) {
        maker_.add_node(beds, fmt::format("palm_{}_{}", i, palm),
                        at(x + (palm - 1) * 1.0, 0.4, (chance() - 0.5) * 0.5,
                           around_y(chance() * 2 * half_turn), 0.6 + 0.5 * chance()),
                        parts_.palm);
      }
      for (const double side : {-1.0, 1.0}) {
        const double z = side * 1.9;
        maker_.add_node(beds, "basket", at(x + side * 0.8, 2.6, z), parts_.basket);
        maker_.add_node(beds, "basket_chain", at(x + side * 0.8, 3.25, z), parts_.chain);
        maker_.add_node(beds, "basket_fern",
                        at(x + side * 0.8, 2.6, z, around_y(chance() * 2 * half_turn), 1.1),
                        parts_.fern);
      }
    }
  }

  /// Between the wings: the entrance with its doors, the sign, the fan and the guest of honour.
  void add_vestibule(NodeId house) {
    const NodeId hall = maker_.add_node(house, "vestibule");
    const Materials& m = materials_;
    Shape floor = make_quad({{{-2, 0, 5}, {2, 0, 5}, {2, 0, -5}, {-2, 0, -5}}}, {4, 10});
    floor.tangents.assign(4, {1, 0, 0, 1});
    maker_.add_node(hall, "floor", {}, one("hall_floor", std::move(floor), m.worn_slabs));
    for (const double z : {-5.0, 5.0}) {
      maker_.add_node(hall, "lintel", at(0, 2.6, z, around_y(half_turn / 2)),
                      one("lintel", make_box({0.16F, 0.2F, 4}, 0.5F), m.iron_green));
    }
    maker_.add_node(hall, "back_wall", at(0, 1.25, -5),
                    one("back_wall", make_box({4, 2.5F, 0.3F}, 1), m.bricks));
    Shape sign = make_quad(
        {{{-1.8F, -0.2F, 0}, {1.8F, -0.2F, 0}, {1.8F, 0.25F, 0}, {-1.8F, 0.25F, 0}}}, {1, 1});
    maker_.add_node(hall, "sign", at(0, 2.98, 5.1), one("sign", std::move(sign), m.sign));
    add_door(hall, "door_left", -1.9, 1);
    add_door(hall, "door_right", 1.9, -1);
    add_fan(hall);
    add_carnivore(hall);
    add_gardener(maker_, m, hall, at(0.95, 0, -2.2, around_y(-0.63 * half_turn)));
    add_crank(maker_, m, hall, at(-1.2, 1.35, -4.8));
  }

  /// Leaf of a door: five parts and a pane that swing around the hinge.
  void add_door(NodeId hall, const std::string& name, double hinge_x, int direction) {
    const NodeId door = maker_.add_node(hall, name, at(hinge_x, 0, 5));
    const Materials& m = materials_;
    const double out = direction;
    const MeshId stile = one(name + "_stile", make_box({0.1F, 2.4F, 0.06F}, 0.5F), m.iron_white);
    const MeshId rail = one(name + "_rail", make_box({1.7F, 0.12F, 0.06F}, 0.5F), m.iron_white);
    const MeshId handle = one(name + "_handle", make_box({0.05F, 0.3F, 0.12F}, 0.5F), m.brass);
    const MeshId pane = one(
        name + "_pane",
        make_quad({{{-0.85F, -1.1F, 0}, {0.85F, -1.1F, 0}, {0.85F, 1.1F, 0}, {-0.85F, 1.1F, 0}}},
                  {2, 2}),
        m.glass);
    maker_.add_node(door, "hinge_stile", at(0.05 * out, 1.25, 0), stile);
    maker_.add_node(door, "lock_stile", at(1.8 * out, 1.25, 0), stile);
    maker_.add_node(door, "top_rail", at(0.925 * out, 2.39, 0), rail);
    maker_.add_node(door, "bottom_rail", at(0.925 * out, 0.12, 0), rail);
    maker_.add_node(door, "handle", at(1.7 * out, 1.1, 0.04), handle);
    maker_.add_node(door, "pane", at(0.925 * out, 1.25, 0), pane);
    std::vector<float> turns;
    for (const double angle : {0.0, 1.2, 1.2, 0.0}) {
      for (const double q : around_y(out * angle)) {
        turns.push_back(static_cast<float>(q));
      }
    }
    maker_.animate(name + "_swing", door, "rotation", {0, 2, 4, 6}, turns, ElementType::vec4);
  }

  void add_fan(NodeId hall) {
    const Materials& m = materials_;
    const NodeId fan = maker_.add_node(hall, "fan", at(0, 3.6, -4.9));
    Shape ring = make_lathe(
        {{0.8F, -0.1F}, {0.9F, -0.1F}, {0.9F, 0.1F}, {0.8F, 0.1F}, {0.8F, -0.1F}}, 32, 6);
    maker_.add_node(fan, "housing", {},
                    one("fan_housing", ring.place({{0, 0, 0}, around_x(half_turn / 2), {1, 1, 1}}),
                        m.iron_green));
    const NodeId rotor = maker_.add_node(fan, "rotor");
    Shape hub = make_lathe({{0, -0.12F}, {0.12F, -0.08F}, {0.12F, 0.08F}, {0, 0.12F}}, 16);
    maker_.add_node(
        rotor, "hub", {},
        one("fan_hub", hub.place({{0, 0, 0}, around_x(half_turn / 2), {1, 1, 1}}), m.brass));
    const MeshId blade = one("fan_blade", make_box({0.2F, 0.66F, 0.02F}, 0.5F), m.iron_white);
    for (int i = 0; i < 5; ++i) {
      const double angle = i * 2 * half_turn / 5;
      maker_.add_node(rotor, fmt::format("blade_{}", i),
                      at(-std::sin(angle) * 0.42, std::cos(angle) * 0.42, 0, around_z(angle)),
                      blade);
    }
    std::vector<float> turns;
    for (int quarter = 0; quarter <= 4; ++quarter) {
      for (const double q : around_z(quarter * half_turn / 2)) {
        turns.push_back(static_cast<float>(q));
      }
    }
    maker_.animate("fan_turns", rotor, "rotation", {0, 0.5F, 1, 1.5F, 2}, turns, ElementType::vec4);
  }

  /// A trap of two lobes whose morph target closes it.
  void add_carnivore(NodeId hall) {
    const NodeId plant = maker_.add_node(hall, "carnivore", at(0, 0, -2.6));
    maker_.add_node(plant, "tub", at(0, 0, 0),
                    one("tub", make_pot(0.5F, 0.6F), materials_.terracotta));
    maker_.add_node(plant, "leaves", at(0, 0.5, 0),
                    one("trap_leaves", make_tuft(9, 0.8F, 0.3F, 0.4F, 8), materials_.broad_leaf));
    Shape lobe = make_lathe({{0, 0}, {0.2F, 0.05F}, {0.34F, 0.2F}, {0.36F, 0.36F}}, 20);
    Shape flesh = make_lathe({{0.34F, 0.35F}, {0.32F, 0.2F}, {0.19F, 0.07F}, {0, 0.02F}}, 20);
    lobe.uvs.clear();
    flesh.uvs.clear();
    std::vector<std::vector<Vec3f>> closings;
    for (const Shape* shape : {&lobe, &flesh}) {
      std::vector<Vec3f>& closing = closings.emplace_back();
      for (const Vec3f& p : shape->positions) {
        closing.push_back({-p[0] * p[1] * 2.4F, p[1] * 0.25F, 0});
      }
    }
    const MeshId trap =
        maker_.add_mesh("trap", {{lobe, materials_.trap_skin}, {flesh, materials_.trap_flesh}});
    Mesh& mesh = maker_.scene().meshes[to_index(trap)];
    for (std::size_t p = 0; p < closings.size(); ++p) {
      mesh.primitives[p].morph_targets.push_back(
          {{"POSITION", maker_.lanes().add_positions(maker_.scene(), closings[p])}});
    }
    mesh.weights = {0};
    const NodeId node = maker_.add_node(plant, "trap", at(0, 1.0, 0), trap);
    Shape stem = make_lathe({{0.06F, 0.45F}, {0.04F, 1.02F}}, 10);
    stem.uvs.clear();
    maker_.add_node(plant, "stem", {}, one("trap_stem", std::move(stem), materials_.trap_skin));
    maker_.animate("trap_snaps", node, "weights", {0, 2, 2.2F, 4, 5}, {0, 0, 1, 1, 0},
                   ElementType::scalar);
  }

  void add_garden() {
    maker_.add_node(
        no_node, "lawn", at(0, -0.03, 0),
        one("lawn", make_quad({{{-45, 0, 30}, {45, 0, 30}, {45, 0, -30}, {-45, 0, -30}}}, {30, 20}),
            materials_.grass));
    Shape path = make_quad({{{-1.5F, 0, 25}, {1.5F, 0, 25}, {1.5F, 0, 0}, {-1.5F, 0, 0}}}, {3, 25});
    path.tangents.assign(4, {1, 0, 0, 1});
    maker_.add_node(no_node, "path", at(0, -0.01, 5),
                    one("path", std::move(path), materials_.worn_slabs));
    Light sun;
    sun.name = "sun";
    sun.type = "directional";
    sun.color = {1, 0.95, 0.86};
    sun.intensity = 3;
    maker_.scene().lights.push_back(sun);
    const NodeId node = maker_.add_node(
        no_node, "sun", {{0, 20, 0}, {-0.4304594, 0.2393418, 0.1196709, 0.8620938}, {1, 1, 1}});
    maker_.scene().nodes[to_index(node)].light = make_id<LightId>(maker_.scene().lights.size() - 1);
  }

  void add_cameras() {
    maker_.add_camera("entrance", {3.2, 1.7, 13}, {0, 2.1, 2}, 0.9);
    maker_.add_camera("east_aisle", {3, 1.7, 1.3}, {26, 1.3, 0.4}, 0.95);
    maker_.add_camera("west_aisle", {-24.5, 2.2, -1.6}, {-2, 1.2, 0.6}, 0.95);
    maker_.add_camera("bench_close", {7.6, 1.75, 1.6}, {8.6, 0.85, 3.6}, 0.8);
    maker_.add_camera("overview", {27, 15, 30}, {2, 0.5, -1}, 0.75);
    maker_.add_camera("carnivore", {1.1, 1.9, 1.6}, {0, 1.7, -4}, 0.95);
  }

  SceneMaker maker_;
  Materials materials_ = make_materials(maker_);
  Parts parts_{};
  std::uint32_t next_chance_ = 0;
};

}  // namespace

Scene make_glasshouse() { return Glasshouse().make(); }

}  // namespace wakuzume::demo
