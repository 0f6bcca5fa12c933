// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include "collada/materials.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "files/text_encoding.h"
#include "files/text_lines.h"
#include "json/out.h"
#include "kits/gloss.h"
#include "scene/percent.h"

namespace wakuzume::collada {
namespace {

constexpr const char* unlit_extension = "KHR_materials_unlit";

pugi::xml_node find_param(const pugi::xml_node& profile, std::string_view sid) {
  for (const pugi::xml_node& owner : {profile, profile.parent()}) {
    for (const pugi::xml_node& param : owner.children("newparam")) {
      if (param.attribute("sid").value() == sid) {
        return param;
      }
    }
  }
  return {};
}

std::uint32_t find_wrap(const pugi::xml_node& sampler, const char* name) {
  const std::string_view mode = sampler.child(name).text().get();
  if (mode == "MIRROR") {
    return wrap_mirrored;
  }
  return mode == "CLAMP" || mode == "BORDER" || mode == "NONE" ? wrap_clamp : wrap_repeat;
}

/// Both sides are drawn where some program's extras say so; the standard has no word for it.
bool is_double_sided(const pugi::xml_node& profile) {
  for (const pugi::xml_node& owner : {profile, profile.parent(), profile.child("technique")}) {
    for (const pugi::xml_node& extra : owner.children("extra")) {
      for (const pugi::xml_node& technique : extra.children("technique")) {
        if (technique.child("double_sided").text().as_bool(false)) {
          return true;
        }
      }
    }
  }
  return false;
}

pugi::xml_node find_bump(const pugi::xml_node& technique, const pugi::xml_node& profile) {
  for (const pugi::xml_node& owner : {technique, profile}) {
    for (const pugi::xml_node& extra : owner.children("extra")) {
      for (const pugi::xml_node& inner : extra.children("technique")) {
        if (const pugi::xml_node bump = inner.child("bump").child("texture")) {
          return bump;
        }
      }
    }
  }
  return {};
}

pugi::xml_node find_shading(const pugi::xml_node& technique) {
  for (const char* name : {"phong", "blinn", "lambert", "constant"}) {
    if (const pugi::xml_node shading = technique.child(name)) {
      return shading;
    }
  }
  return {};
}

Vec3d to_color(const Vec4d& color) {
  Vec3d out{};
  std::transform(color.begin(), color.begin() + 3, out.begin(),
                 [](double value) { return std::clamp(value, 0.0, 1.0); });
  return out;
}

/// What glTF has no place for stays with the material as text.
void keep_others(const pugi::xml_node& shading, Material& material) {
  JsonOut out;
  out.begin_object();
  out.begin_object("collada");
  bool any = false;
  for (const char* name :
       {"ambient", "specular", "reflective", "reflectivity", "index_of_refraction"}) {
    if (const pugi::xml_node value = shading.child(name).first_child()) {
      const std::string_view text = std::string_view(value.name()) == "texture"
                                        ? value.attribute("texture").value()
                                        : value.text().get();
      out.member(name, to_utf8(text));
      any = true;
    }
  }
  out.end_object();
  out.end_object();
  if (any) {
    material.extra.ensure().extras = out.take();
  }
}

}  // namespace

MaterialId Materials::find(const pugi::xml_node& material,
                           const std::string& name,
                           const UvNames& uvs) {
  const auto [slot, added] =
      known_.try_emplace({name, uvs}, make_id<MaterialId>(kit_.scene.materials.size()));
  if (added) {
    Material made;
    made.name = material ? find_name(material) : to_utf8(name);
    made.metallic = 0;
    const pugi::xml_node use = material.child("instance_effect");
    if (const pugi::xml_node effect =
            use ? document_.follow(use, "url", "effect") : pugi::xml_node()) {
      read_effect(effect, uvs, made);
    }
    kit_.scene.materials.push_back(std::move(made));
  }
  return slot->second;
}

void Materials::read_effect(const pugi::xml_node& effect, const UvNames& uvs, Material& material) {
  const pugi::xml_node profile = effect.child("profile_COMMON");
  const pugi::xml_node technique = profile.child("technique");
  const pugi::xml_node shading = find_shading(technique);
  if (!shading) {
    return document_.skip(effect, "effects without a look that all programs share",
                          "their materials have a name and no more",
                          fmt::format("effect {}", begin_of(find_name(effect))));
  }
  const bool unlit = std::string_view(shading.name()) == "constant";
  const Look emission = read_look(shading.child("emission"), profile);
  const Look diffuse = unlit ? emission : read_look(shading.child("diffuse"), profile);
  if (diffuse.given) {
    const Vec3d color = to_color(diffuse.color);
    std::copy(color.begin(), color.end(), material.base_color.begin());
  }
  material.base_color_texture =
      make_slot(diffuse.texture, uvs, material.name, unlit ? "the emission" : "the diffuse map");
  if (unlit) {
    material.extra.ensure().extensions.push_back({unlit_extension, "{}"});
    auto& used = kit_.scene.extensions_used;
    if (std::find(used.begin(), used.end(), unlit_extension) == used.end()) {
      used.emplace_back(unlit_extension);
    }
  } else {
    material.emissive = to_color(emission.color);
    material.emissive_texture = make_slot(emission.texture, uvs, material.name, "the emission");
  }
  if (const pugi::xml_node bump = find_bump(technique, profile)) {
    material.normal_texture =
        make_slot(read_texture(bump, profile), uvs, material.name, "the normal map");
  }
  material.roughness = find_roughness(read_number(shading.child("shininess"), profile, -1));
  material.double_sided = is_double_sided(profile);
  read_transparency(shading, profile, diffuse, material);
  keep_others(shading, material);
}

/// \source Collada 1.4.1, "Determining transparency (opacity) in FX elements"
void Materials::read_transparency(const pugi::xml_node& shading,
                                  const pugi::xml_node& profile,
                                  const Look& diffuse,
                                  Material& material) {
  const pugi::xml_node node = shading.child("transparent");
  const Look transparent = read_look(node, profile);
  const double amount = read_number(shading.child("transparency"), profile, 1);
  const std::string_view mode = node.attribute("opaque").as_string("A_ONE");
  const Vec4d& color = transparent.color;
  const double luminance = 0.212671 * color[0] + 0.715160 * color[1] + 0.072169 * color[2];
  const double share = mode.starts_with("RGB") ? luminance : color[3];
  double alpha = mode.ends_with("ZERO") ? 1 - share * amount : share * amount;
  if (!transparent.texture.file.empty()) {
    // Alpha of the very picture that gives the colour is alpha in glTF as well.
    if (transparent.texture.file == diffuse.texture.file) {
      material.alpha_mode = AlphaMode::mask;
    } else {
      document_.skip(node, "pictures of transparency beside those of colour", "left out",
                     fmt::format("{} of material {}", begin_of(transparent.texture.file),
                                 begin_of(material.name)));
    }
    alpha = mode.ends_with("ZERO") ? 1 : amount;
  }
  if (alpha <= 0) {
    // Many programs write the amount the other way round; nobody models what can't be seen.
    document_.skip(shading, "materials that would be invisible", "opaque",
                   fmt::format("material {}", begin_of(material.name)));
    return;
  }
  if (alpha < 1) {
    material.base_color[3] = alpha;
    material.alpha_mode = AlphaMode::blend;
  }
}

Materials::Look Materials::read_look(const pugi::xml_node& owner, const pugi::xml_node& profile) {
  Look out;
  if (const pugi::xml_node texture = owner.child("texture")) {
    out.given = true;
    out.color = {1, 1, 1, 1};
    out.texture = read_texture(texture, profile);
    return out;
  }
  pugi::xml_node color = owner.child("color");
  if (const pugi::xml_node param = owner.child("param")) {
    color = find_param(profile, param.attribute("ref").value()).first_child();
  }
  const std::vector<double> numbers = document_.read_numbers(color);
  out.given = numbers.size() >= 3;
  std::copy_n(numbers.begin(), std::min<std::size_t>(4, numbers.size()), out.color.begin());
  return out;
}

double Materials::read_number(const pugi::xml_node& owner,
                              const pugi::xml_node& profile,
                              double missing) {
  pugi::xml_node value = owner.child("float");
  if (const pugi::xml_node param = owner.child("param")) {
    value = find_param(profile, param.attribute("ref").value()).child("float");
  }
  const std::vector<double> numbers = document_.read_numbers(value);
  return numbers.empty() || !std::isfinite(numbers[0]) ? missing : numbers[0];
}

/// A texture names a sampler, that a surface, and that an image; some programs name the image.
Materials::Texture Materials::read_texture(const pugi::xml_node& texture,
                                           const pugi::xml_node& profile) {
  Texture out;
  const std::string_view name = texture.attribute("texture").value();
  out.uv_name = texture.attribute("texcoord").value();
  pugi::xml_node image;
  if (const pugi::xml_node sampler = find_param(profile, name).child("sampler2D")) {
    out.wrap_s = find_wrap(sampler, "wrap_s");
    out.wrap_t = find_wrap(sampler, "wrap_t");
    if (const pugi::xml_node use = sampler.child("instance_image")) {
      image = document_.find(use.attribute("url").value());
    } else {
      const pugi::xml_node surface =
          find_param(profile, sampler.child("source").text().get()).child("surface");
      image = document_.find(fmt::format("#{}", surface.child("init_from").text().get()));
    }
  } else {
    image = document_.find(fmt::format("#{}", name));
  }
  out.file = find_file(image);
  if (out.file.empty()) {
    document_.skip(texture, "references to what is not there", "left out",
                   fmt::format("the texture \"{}\" leads to no picture", begin_of(name)));
  }
  return out;
}

std::string Materials::find_file(const pugi::xml_node& image) {
  const pugi::xml_node from = image.child("init_from");
  const pugi::xml_node ref = from.child("ref");
  std::string_view uri = ref ? ref.text().get() : from.text().get();
  constexpr std::string_view scheme = "file://";
  if (uri.starts_with(scheme)) {
    uri.remove_prefix(scheme.size());
  }
  return decode_percent(uri);
}

TextureSlot Materials::make_slot(const Texture& texture,
                                 const UvNames& uvs,
                                 const std::string& material,
                                 const char* what) {
  TextureSlot slot;
  if (!texture.file.empty()) {
    slot.texture = kit_.add_texture(texture.file, texture.wrap_s, texture.wrap_t,
                                    fmt::format("{} of material {}", what, material));
    const auto hit = uvs.find(texture.uv_name);
    slot.texcoord = hit == uvs.end() ? 0 : hit->second;
  }
  return slot;
}

}  // namespace wakuzume::collada
