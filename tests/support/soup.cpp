// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include "support/soup.h"

#include <algorithm>
#include <cmath>

namespace wakuzume::test {
namespace {

Vec3d apply(const Mat4d& m, double x, double y, double z) {
  return {m[0] * x + m[4] * y + m[8] * z + m[12], m[1] * x + m[5] * y + m[9] * z + m[13],
          m[2] * x + m[6] * y + m[10] * z + m[14]};
}

/// What a material looks like, whatever its name. Good to a thousandth.
std::string describe(const Scene& scene, MaterialId id, const Vec3d& tint) {
  if (id == no_material) {
    return "default";
  }
  const Material& material = scene[id];
  std::string text;
  const auto add = [&](double value) { text += std::to_string(std::lround(value * 1000)) + " "; };
  for (std::size_t c = 0; c < 3; ++c) {
    add(material.base_color[c] * tint[c]);
    add(material.emissive[c]);
  }
  add(material.base_color[3]);
  add(material.metallic);
  add(material.roughness);
  add(material.double_sided ? 1 : 0);
  add(static_cast<double>(material.alpha_mode));
  const TextureId texture = material.base_color_texture.texture;
  if (texture != no_texture) {
    add(static_cast<double>(scene.textures[to_index(texture)].image));
  }
  return text;
}

/// The tint of each instance; one neutral one where there are none.
std::vector<Vec3d> make_tints(const Scene& scene, const Node& node, std::size_t count) {
  std::vector<Vec3d> tints(count, {1, 1, 1});
  if (node.instancing) {
    for (const Attribute& attribute : node.instancing->attributes) {
      if (attribute.semantic == "_COLOR_0") {
        const auto values = make_doubles(scene, attribute.stream);
        const std::size_t width = component_count(scene[attribute.stream].element);
        for (std::size_t i = 0; i < count; ++i) {
          tints[i] = {values[i * width], values[i * width + 1], values[i * width + 2]};
        }
      }
    }
  }
  return tints;
}

/// Every matrix a node's mesh is drawn with.
std::vector<Mat4d> make_matrices(const Scene& scene, const Node& node, const Mat4d& world) {
  if (!node.instancing) {
    return {world};
  }
  std::vector<std::vector<double>> lanes(3);
  std::size_t count = 0;
  for (const Attribute& attribute : node.instancing->attributes) {
    if (attribute.semantic.starts_with("_")) {
      continue;
    }
    const std::size_t lane = attribute.semantic == "TRANSLATION" ? 0
                             : attribute.semantic == "ROTATION"  ? 1
                                                                 : 2;
    lanes[lane] = make_doubles(scene, attribute.stream);
    count = scene[attribute.stream].count;
  }
  std::vector<Mat4d> out;
  for (std::size_t i = 0; i < count; ++i) {
    Trs trs;
    const auto take = [&](const std::vector<double>& lane, auto& to) {
      if (!lane.empty()) {
        std::copy_n(lane.begin() + static_cast<std::ptrdiff_t>(i * to.size()), to.size(),
                    to.begin());
      }
    };
    take(lanes[0], trs.translation);
    take(lanes[1], trs.rotation);
    take(lanes[2], trs.scale);
    out.push_back(make_product(world, make_matrix(trs)));
  }
  return out;
}

std::vector<double> values_of(const Scene& scene, const Primitive& primitive, const char* name) {
  const StreamId id = primitive.find(name);
  return id == no_stream ? std::vector<double>() : make_doubles(scene, id);
}

std::size_t corners_of(PrimitiveMode mode) {
  return mode == PrimitiveMode::points ? 1 : mode >= PrimitiveMode::triangles ? 3 : 2;
}

void add_primitive(const Scene& scene,
                   const Primitive& primitive,
                   const Mat4d& matrix,
                   const Vec3d& tint,
                   std::vector<SoupElement>& out) {
  const auto positions = values_of(scene, primitive, "POSITION");
  const auto uvs = values_of(scene, primitive, "TEXCOORD_0");
  const auto colors = values_of(scene, primitive, "COLOR_0");
  const std::size_t color_width = colors.empty() ? 4 : colors.size() / (positions.size() / 3);
  const std::vector<std::uint32_t> list = make_list_indices(scene, primitive);
  const std::size_t width = corners_of(primitive.mode);
  const std::string material = describe(scene, primitive.material, tint);
  for (std::size_t i = 0; i + width <= list.size(); i += width) {
    SoupElement element;
    element.material = material;
    for (std::size_t c = 0; c < width; ++c) {
      const std::size_t v = list[i + c];
      SoupCorner corner;
      corner.position = apply(matrix, positions[v * 3], positions[v * 3 + 1], positions[v * 3 + 2]);
      if (!uvs.empty()) {
        corner.uv = {uvs[v * 2], uvs[v * 2 + 1]};
      }
      for (std::size_t k = 0; k < color_width && !colors.empty(); ++k) {
        corner.color[k] = colors[v * color_width + k];
      }
      element.corners.push_back(corner);
    }
    if (width == 3 && linear_determinant(matrix) < 0) {
      std::swap(element.corners[1], element.corners[2]);
    }
    out.push_back(std::move(element));
  }
}

bool near(const SoupCorner& a, const SoupCorner& b, double tolerance, double of_values) {
  for (std::size_t i = 0; i < 3; ++i) {
    if (!(std::abs(a.position[i] - b.position[i]) <= tolerance)) {
      return false;
    }
  }
  for (std::size_t i = 0; i < 2; ++i) {
    if (!(std::abs(a.uv[i] - b.uv[i]) <= of_values)) {
      return false;
    }
  }
  for (std::size_t i = 0; i < 4; ++i) {
    if (!(std::abs(a.color[i] - b.color[i]) <= of_values)) {
      return false;
    }
  }
  return true;
}

bool same(const SoupElement& a, const SoupElement& b, double tolerance, double of_values) {
  if (a.material != b.material || a.corners.size() != b.corners.size()) {
    return false;
  }
  const std::size_t n = a.corners.size();
  for (std::size_t turn = 0; turn < n; ++turn) {
    bool good = true;
    for (std::size_t i = 0; i < n && good; ++i) {
      good = near(a.corners[i], b.corners[(i + turn) % n], tolerance, of_values);
    }
    if (good) {
      return true;
    }
  }
  return false;
}

}  // namespace

std::vector<SoupElement> make_soup(const Scene& scene) {
  std::vector<SoupElement> out;
  const std::vector<Mat4d> world = make_world_matrices(scene);
  for (std::size_t i = 0; i < scene.nodes.size(); ++i) {
    const Node& node = scene.nodes[i];
    if (node.mesh == no_mesh) {
      continue;
    }
    const std::vector<Mat4d> matrices = make_matrices(scene, node, world[i]);
    const std::vector<Vec3d> tints = make_tints(scene, node, matrices.size());
    for (std::size_t m = 0; m < matrices.size(); ++m) {
      for (const Primitive& primitive : scene[node.mesh].primitives) {
        add_primitive(scene, primitive, matrices[m], tints[m], out);
      }
    }
  }
  return out;
}

std::size_t count_unmatched(const std::vector<SoupElement>& a,
                            const std::vector<SoupElement>& b,
                            double tolerance,
                            double of_values) {
  std::vector<bool> taken(b.size(), false);
  std::size_t unmatched = 0;
  for (const SoupElement& element : a) {
    bool found = false;
    for (std::size_t i = 0; i < b.size() && !found; ++i) {
      if (!taken[i] && same(element, b[i], tolerance, of_values)) {
        taken[i] = true;
        found = true;
      }
    }
    unmatched += found ? 0 : 1;
  }
  return unmatched;
}

}  // namespace wakuzume::test
