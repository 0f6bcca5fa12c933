// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include "support/pictures.h"

#include <fmt/format.h>
#include <gtest/gtest.h>

#include <cmath>
#include <random>

#include "wakuzume/survey.h"

namespace wakuzume::test {

Pixels make_flat_picture(std::uint32_t width, std::uint32_t height, const Rgba& color) {
  Pixels out{width, height, {}};
  for (std::size_t i = 0; i < std::size_t{width} * height; ++i) {
    out.rgba.insert(out.rgba.end(), color.begin(), color.end());
  }
  return out;
}

Pixels make_picture(std::uint32_t width, std::uint32_t height, std::uint32_t seed) {
  Pixels out = make_flat_picture(width, height, {0, 0, 0, 255});
  std::mt19937 random(seed);
  double waves[6][4];
  for (auto& wave : waves) {
    for (double& value : wave) {
      value = static_cast<double>(random() % 1000) / 1000;
    }
  }
  for (std::uint32_t y = 0; y < height; ++y) {
    for (std::uint32_t x = 0; x < width; ++x) {
      for (std::size_t c = 0; c < 3; ++c) {
        double sum = 0;
        for (std::size_t w = 0; w < 2; ++w) {
          const auto& wave = waves[2 * c + w];
          sum += std::sin(0.9 * wave[0] * x + 0.7 * wave[1] * y + 6 * wave[2]);
        }
        out.rgba[4 * (std::size_t{y} * width + x) + c] =
            static_cast<std::uint8_t>(127.5 + 55 * sum);
      }
    }
  }
  return out;
}

Pixels make_normal_picture(std::uint32_t width, std::uint32_t height, std::uint32_t seed) {
  Pixels out = make_picture(width, height, seed);
  for (std::size_t i = 0; i < out.rgba.size(); i += 4) {
    const double x = (out.rgba[i] - 127.5) / 255;
    const double y = (out.rgba[i + 1] - 127.5) / 255;
    const double z = std::sqrt(1 - x * x - y * y);
    out.rgba[i] = static_cast<std::uint8_t>(std::lround((x + 1) * 127.5));
    out.rgba[i + 1] = static_cast<std::uint8_t>(std::lround((y + 1) * 127.5));
    out.rgba[i + 2] = static_cast<std::uint8_t>(std::lround((z + 1) * 127.5));
  }
  return out;
}

Pixels make_mask_picture(std::uint32_t size, std::uint32_t seed) {
  Pixels out = make_picture(size, size, seed);
  for (std::uint32_t y = 0; y < size; ++y) {
    for (std::uint32_t x = 0; x < size; ++x) {
      const double away = std::hypot(x - size / 2.0, y - size / 2.0) / size;
      out.rgba[4 * (std::size_t{y} * size + x) + 3] = away < 0.35 ? 255 : 0;
    }
  }
  return out;
}

TextureId add_picture(SceneBuilder& builder,
                      const Pixels& pixels,
                      std::uint32_t wrap_s,
                      std::uint32_t wrap_t) {
  Scene& scene = builder.scene;
  Image image;
  image.name = fmt::format("picture_{}", scene.images.size());
  image.mime_type = "image/png";
  image.bytes = make_bytes(*encode_png(pixels));
  scene.images.push_back(std::move(image));
  Sampler sampler;
  sampler.mag_filter = 9729;
  sampler.min_filter = 9987;
  sampler.wrap_s = wrap_s;
  sampler.wrap_t = wrap_t;
  scene.samplers.push_back(sampler);
  Texture texture;
  texture.image = make_id<ImageId>(scene.images.size() - 1);
  texture.sampler = make_id<SamplerId>(scene.samplers.size() - 1);
  scene.textures.push_back(texture);
  return make_id<TextureId>(scene.textures.size() - 1);
}

MeshData make_patch(double u0, double v0, double u1, double v1) {
  constexpr std::uint32_t steps = 3;
  MeshData data;
  for (std::uint32_t y = 0; y <= steps; ++y) {
    for (std::uint32_t x = 0; x <= steps; ++x) {
      const double s = static_cast<double>(x) / steps;
      const double t = static_cast<double>(y) / steps;
      for (const double p : {s, 1 - t, 0.0}) {
        data.positions.push_back(static_cast<float>(p));
      }
      for (const float n : {0.0F, 0.0F, 1.0F}) {
        data.normals.push_back(n);
      }
      data.uvs.push_back(static_cast<float>(u0 + (u1 - u0) * s));
      data.uvs.push_back(static_cast<float>(v0 + (v1 - v0) * t));
    }
  }
  for (std::uint32_t y = 0; y < steps; ++y) {
    for (std::uint32_t x = 0; x < steps; ++x) {
      const std::uint32_t a = y * (steps + 1) + x;
      const std::uint32_t b = a + steps + 1;
      data.indices.insert(data.indices.end(), {a, b, a + 1, a + 1, b, b + 1});
    }
  }
  return data;
}

Scene make_gallery(std::uint32_t seed, std::size_t materials) {
  std::mt19937 random(seed);
  SceneBuilder builder;
  const std::uint32_t sides[] = {16, 24, 32, 64, 100};
  const std::uint32_t wraps[] = {10497, 33071, 33648};
  const auto unit = [&] { return static_cast<double>(random() % 1000) / 999; };
  for (std::size_t m = 0; m < materials; ++m) {
    const MaterialId id = builder.add_material(fmt::format("kit_{}", m));
    Material& material = builder.scene.materials[to_index(id)];
    material.roughness = 0.2 + 0.8 * unit();
    material.metallic = unit();
    const std::uint32_t width = sides[random() % std::size(sides)];
    const std::uint32_t height = sides[random() % std::size(sides)];
    const std::uint32_t wrap_s = wraps[random() % 3];
    const std::uint32_t wrap_t = wraps[random() % 3];
    const auto picture = [&](auto make) {
      return add_picture(builder, make(width, height, static_cast<std::uint32_t>(random())), wrap_s,
                         wrap_t);
    };
    if (random() % 6 != 0) {
      material.base_color_texture.texture = picture(make_picture);
    }
    material.base_color = {0.3 + 0.7 * unit(), 0.3 + 0.7 * unit(), 0.3 + 0.7 * unit(), 1};
    if (random() % 3 == 0) {
      material.metallic_roughness_texture.texture = picture(make_picture);
    }
    if (random() % 3 == 0) {
      material.normal_texture.texture = picture(make_normal_picture);
      material.normal_texture.factor = random() % 2 == 0 ? 1 : 0.6;
    }
    if (random() % 4 == 0) {
      material.occlusion_texture.texture = picture(make_picture);
      material.occlusion_texture.factor = 0.3 + 0.7 * unit();
    }
    if (random() % 4 == 0) {
      material.emissive_texture.texture = picture(make_picture);
      material.emissive = {unit(), unit(), unit()};
    }
    const double u = std::floor(unit() * 5) - 2 + 0.5 * unit();
    const double v = std::floor(unit() * 5) - 2 + 0.5 * unit();
    const MeshData patch =
        make_patch(u, v, u + 0.3 + 0.9 * unit(), v + (random() % 2 == 0 ? 0.5 : -0.4));
    builder.add_node(fmt::format("square_{}", m),
                     builder.add_mesh(fmt::format("mesh_{}", m), patch, id),
                     at(2.0 * static_cast<double>(m)));
  }
  return builder.finish();
}

double find_psnr(const Pixels& a, const Pixels& b) {
  EXPECT_EQ(a.rgba.size(), b.rgba.size());
  double squares = 0;
  for (std::size_t i = 0; i < std::min(a.rgba.size(), b.rgba.size()); ++i) {
    squares += (a.rgba[i] - b.rgba[i]) * (a.rgba[i] - b.rgba[i]);
  }
  const double mean = squares / static_cast<double>(a.rgba.size()) / 255 / 255;
  return mean > 0 ? -10 * std::log10(mean) : 100;
}

RoutePlan route(const Scene& scene, const MaterialSettings& settings) {
  const auto found = survey(scene);
  const auto images = read_image_facts(scene, ImageDepth::detail);
  EXPECT_TRUE(found && images);
  auto routes = propose_routes(scene, *found, *images, settings);
  EXPECT_TRUE(routes) << (routes ? "" : to_string(routes.error()));
  return routes ? *routes : RoutePlan{};
}

Painted paint(const Scene& scene, const MaterialSettings& settings) {
  const RoutePlan routes = route(scene, settings);
  auto repainted = repaint(scene, routes);
  EXPECT_TRUE(repainted) << (repainted ? "" : to_string(repainted.error()));
  const auto done =
      paint_pages(scene, routes, repainted->images, StandardCodec(), repainted->scene);
  EXPECT_TRUE(done) << (done ? "" : to_string(done.error()));
  EXPECT_TRUE(check_scene(repainted->scene));
  return {routes, std::move(*repainted)};
}

}  // namespace wakuzume::test
