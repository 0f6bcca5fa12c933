// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include <fmt/format.h>

#include <algorithm>

#include "files/file.h"
#include "settings/shipped_profiles.h"
#include "wakuzume/settings_file.h"
// After the settings: the reader's words are found by the types they are for.
#include "settings/toml_in.h"

namespace wakuzume {
namespace {

constexpr PassKind pass_kinds[] = {PassKind::main, PassKind::depth, PassKind::sun_shadow,
                                   PassKind::light_shadows};

/// Every key of a profile and what it means.
template <class Visit>
void for_each_field(CostProfile& profile, const Visit& visit) {
  visit("name", profile.name, "name of the profile; a text");
  visit("about", profile.about, "sentence that tells what it stands for; a text");
  visit("sorts_by_state", profile.sorts_by_state,
        "habit of sorting opaque draws by pipeline and material; true or false");
  visit("instances_repeats", profile.instances_repeats,
        "habit of instancing equal primitives unasked; true or false");
  visit("batches_up_to_vertices", profile.batches_up_to_vertices,
        "most vertices of a draw that is batched on the CPU; 0: never");
  visit("sorts_blended_by", profile.sorts_blended.by,
        "what blended draws are sorted by, the farthest first: depth or distance");
  visit("sorts_blended_at", profile.sorts_blended.at,
        "point of a blended draw that is sorted by: box_centre or origin");
  visit("sun_direction", profile.sun_direction,
        "direction of sunlight where the scene has none; three numbers");
  visit("light_reach_m", profile.light_reach_m,
        "reach of lights that state none; metres, 0: without end");
  visit("draw_us", profile.draw_us, "CPU time of a draw; microseconds from 0");
  visit("instance_us", profile.instance_us, "CPU time of an instance; microseconds from 0");
  visit("pipeline_switch_us", profile.pipeline_switch_us,
        "CPU time of a pipeline switch; microseconds from 0");
  visit("material_switch_us", profile.material_switch_us,
        "CPU time of a material switch; microseconds from 0");
  visit("triangle_ns", profile.triangle_ns, "GPU time of a triangle; nanoseconds from 0");
  visit("vertex_ns", profile.vertex_ns, "GPU time of a vertex; nanoseconds from 0");
  visit("skinned_vertex_ns", profile.skinned_vertex_ns,
        "GPU time on top of a vertex that a skin deforms; nanoseconds from 0");
  visit("texture_megabyte_us", profile.texture_megabyte_us,
        "GPU time of a million bytes of texture; microseconds from 0");
  visit("texture_bytes_per_texel", profile.texture_bytes_per_texel,
        "size of a texel as the hardware holds it; bytes from 0");
  visit("geometry_megabyte_us", profile.geometry_megabyte_us,
        "price of a million bytes of geometry kept in memory; microseconds a frame from 0");
  visit("gpu_growth", profile.gpu_growth,
        "times today's GPU time that any view may take in a plan; 0: any, or 1 to 1e6");
  visit("few_gpu_ms", profile.few_gpu_ms,
        "GPU time of a view below which its growth is not looked at; milliseconds from 0");
  visit("faster_share", profile.faster_share,
        "share of the faster one's time, of CPU and GPU, that plans are charged too; 0 to 1");
}

template <class Visit>
void for_each_field(PassSpec& pass, std::string& kind, const Visit& visit) {
  visit("name", pass.name, "name of the pass; a text");
  visit("kind", kind, "kind of the pass: main, depth, sun_shadow or light_shadows");
  visit("from_m", pass.from_m, "near end of the slice that is shadowed; metres from 0");
  visit("to_m", pass.to_m, "far end of the slice that is shadowed; metres above from_m");
  visit("casters_m", pass.casters_m, "distance towards the sun that casters are looked for");
  visit("lights", pass.lights, "most lights that throw shadows; a whole number from 0");
}

class ProfileReader {
 public:
  explicit ProfileReader(const std::string& name) : in_(name) {}

  Result<CostProfile> read(const toml::table& root) {
    CostProfile profile;
    profile.name.clear();
    read_fields(root, "", {"pass"}, [&](const auto& visit) { for_each_field(profile, visit); });
    if (const toml::array* passes = root["pass"].as_array()) {
      for (const toml::node& item : *passes) {
        read_pass(item, profile);
      }
    }
    if (profile.name.empty()) {
      in_.fail(root, "a profile needs a name = \"...\"");
    }
    if (auto valid = validate(profile); !valid) {
      in_.fail(valid.error());
    }
    return in_.error() ? Result<CostProfile>(Failure(*in_.error())) : profile;
  }

 private:
  /// Reads the fields that `list(visit)` names from a table; others are errors.
  template <class List>
  void read_fields(const toml::table& table,
                   const std::string& before,
                   std::vector<std::string_view> known,
                   const List& list) {
    list([&](const char* key, auto& member, const char* meaning) {
      known.emplace_back(key);
      if (const toml::node* node = table.get(key)) {
        in_.read(*node, before + key, meaning, member);
      }
    });
    for (const auto& [key, value] : table) {
      if (std::find(known.begin(), known.end(), key.str()) == known.end()) {
        in_.fail(value, fmt::format("there is no {}{}; did you mean {}{}?", before, key.str(),
                                    before, find_nearest_word(key.str(), known)));
      }
    }
  }

  void read_pass(const toml::node& item, CostProfile& profile) {
    const toml::table* table = item.as_table();
    if (table == nullptr) {
      return in_.fail(item, "passes are written as [[pass]]");
    }
    PassSpec pass;
    std::string kind;
    read_fields(*table, "pass.", {}, [&](const auto& visit) { for_each_field(pass, kind, visit); });
    const auto hit = std::find_if(std::begin(pass_kinds), std::end(pass_kinds),
                                  [&](PassKind known) { return to_string(known) == kind; });
    if (hit == std::end(pass_kinds)) {
      return in_.fail(item, fmt::format("pass.kind is \"{}\"; it must be main, depth, sun_shadow "
                                        "or light_shadows",
                                        kind));
    }
    pass.kind = *hit;
    if (pass.name.empty()) {
      pass.name = kind;
    }
    profile.passes.push_back(std::move(pass));
  }

  TomlIn in_;
};

}  // namespace

Result<CostProfile> parse_cost_profile(std::string_view text, const std::string& name) {
  return parse_toml<CostProfile>(
      text, name, [&](const toml::table& root) { return ProfileReader(name).read(root); });
}

const std::vector<CostProfile>& shipped_profiles() {
  static const std::vector<CostProfile> profiles = [] {
    std::vector<CostProfile> out;
    for (const std::string_view text : shipped_profile_texts) {
      if (auto profile = parse_cost_profile(text, "a profile of the library")) {
        out.push_back(std::move(*profile));
      }
    }
    return out;
  }();
  return profiles;
}

Result<CostProfile> read_cost_profile(const std::string& name_or_path) {
  for (const CostProfile& profile : shipped_profiles()) {
    if (profile.name == name_or_path) {
      return profile;
    }
  }
  const auto file = map_file(name_or_path);
  if (!file) {
    Error error = file.error();
    error.message =
        "is neither a cost profile that ships (pocket, headset, couch, desk) nor a "
        "file: " +
        error.message;
    return Failure(std::move(error));
  }
  const auto data = file->data();
  return parse_cost_profile({reinterpret_cast<const char*>(data.data()), data.size()},
                            name_or_path);
}

}  // namespace wakuzume
