// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include "survey/shapes.h"

#include <algorithm>
#include <cmath>
#include <limits>
#include <map>
#include <unordered_map>

#include "scene/elements.h"
#include "scene/hasher.h"
#include "scene/running.h"
#include "scene/semantics.h"
#include "survey/draws.h"

namespace wakuzume {
namespace {

constexpr double infinite = std::numeric_limits<double>::infinity();

/// Smallest and largest of the first three components, and whether all are finite.
struct Range {
  Vec3d min{infinite, infinite, infinite};
  Vec3d max{-infinite, -infinite, -infinite};
  bool finite = true;

  void include(std::size_t component, double value) {
    min[component] = std::min(min[component], value);
    max[component] = std::max(max[component], value);
  }
};

/// What is asked of a stream whatever shows it.
struct StreamFacts {
  ContentHash content;
  Range range;
};

bool is_ranged(const std::string& semantic) {
  return semantic == "POSITION" || find_uv_number(semantic);
}

/// Bytes that stay in a core's cache between two walks over them.
constexpr std::size_t floats_at_once = 1 << 14;

/// Smallest and largest in each place of a pattern that repeats after all widths of elements, so
/// that compilers can take several floats at once.
class RangeFinder {
 public:
  explicit RangeFinder(std::size_t width) : width_(width) {
    low_.fill(std::numeric_limits<float>::infinity());
    high_.fill(-std::numeric_limits<float>::infinity());
  }

  void add(std::span<const float> values) {
    // Copies, so that nothing but the values has to be read and written between two steps.
    Places low = low_;
    Places high = high_;
    Places zeros = zeros_;
    const auto add_one = [&](std::size_t k, float value) {
      low[k] = value < low[k] ? value : low[k];
      high[k] = value > high[k] ? value : high[k];
      zeros[k] += value * 0;
    };
    std::size_t i = 0;
    for (; i + pattern <= values.size(); i += pattern) {
      for (std::size_t k = 0; k < pattern; ++k) {
        add_one(k, values[i + k]);
      }
    }
    for (std::size_t k = 0; i + k < values.size(); ++k) {
      add_one(k, values[i + k]);
    }
    low_ = low;
    high_ = high;
    zeros_ = zeros;
  }

  [[nodiscard]] Range finish() const {
    Range range;
    for (std::size_t k = 0; k < pattern; ++k) {
      // What times zero is not zero is no finite number.
      range.finite = range.finite && zeros_[k] == 0;
      if (k % width_ < 3) {
        range.min[k % width_] = std::min(range.min[k % width_], static_cast<double>(low_[k]));
        range.max[k % width_] = std::max(range.max[k % width_], static_cast<double>(high_[k]));
      }
    }
    return range;
  }

  /// A multiple of every width of elements but those of matrices.
  static constexpr std::size_t pattern = 12;

 private:
  using Places = std::array<float, pattern>;

  std::size_t width_;
  Places low_{};
  Places high_{};
  Places zeros_{};
};

/// Equal decoded values hash alike, however they are stored.
StreamFacts make_stream_facts(const Scene& scene, StreamId id) {
  std::vector<float> decoded;
  std::span<const float> values = find_packed_floats(scene, id);
  if (values.empty()) {
    decoded = make_floats(scene, id);
    values = decoded;
  }
  const std::size_t width = component_count(scene[id].element);
  const bool ranged = RangeFinder::pattern % width == 0;
  RangeFinder finder(ranged ? width : 1);
  XXH3_state_t state;
  XXH3_128bits_reset(&state);
  // Whole patterns at a time.
  constexpr std::size_t step = floats_at_once / RangeFinder::pattern * RangeFinder::pattern;
  for (std::size_t at = 0; at < values.size(); at += step) {
    const auto part = values.subspan(at, std::min(step, values.size() - at));
    XXH3_128bits_update(&state, part.data(), part.size_bytes());
    finder.add(part);
  }
  const XXH128_hash_t hash = XXH3_128bits_digest(&state);
  StreamFacts facts;
  ValueHasher hasher;
  hasher.add(width);
  hasher.add(ContentHash{hash.high64, hash.low64});
  facts.content = hasher.finish();
  facts.range = finder.finish();
  return facts;
}

/// The range over the vertices that are used, where a stream has many more.
Range make_used_range(const Scene& scene, StreamId id, const std::vector<std::uint32_t>& indices) {
  Range range;
  const ElementReader reader(scene, id);
  const std::size_t ranged = std::min<std::size_t>(reader.width(), 3);
  std::array<double, 16> value{};
  for (const std::uint32_t index : indices) {
    reader.load(index, value.data());
    for (std::size_t c = 0; c < ranged; ++c) {
      range.include(c, value[c]);
      range.finite = range.finite && std::isfinite(value[c]);
    }
  }
  return range;
}

class ShapeMaker {
 public:
  ShapeMaker(const Scene& scene, const std::vector<DrawRef>& draws) : scene_(scene) {
    std::size_t slots = 0;
    for (const Mesh& mesh : scene.meshes) {
      out_.first_slot.push_back(slots);
      slots += mesh.primitives.size();
    }
    out_.slots.assign(slots, no_index);
    for (const DrawRef& ref : draws) {
      const MeshId mesh = scene[ref.node].mesh;
      std::uint32_t& slot = out_.slots[out_.first_slot[to_index(mesh)] + ref.primitive];
      if (slot == no_index) {
        slot = static_cast<std::uint32_t>(out_.shapes.size());
        add_shape(mesh, ref.primitive);
      }
    }
  }

  Result<Shapes> make(const RunControl& run) {
    facts_.resize(streams_.size());
    contents_.resize(out_.shapes.size());
    const bool finished =
        for_each_index(
            streams_.size(), run, "measuring",
            [&](std::size_t i) { facts_[i] = make_stream_facts(scene_, streams_[i]); }) &&
        for_each_index(out_.shapes.size(), run, "comparing",
                       [&](std::size_t i) { measure(out_.shapes[i], contents_[i]); });
    if (!finished) {
      return Failure(make_cancelled());
    }
    find_families();
    return std::move(out_);
  }

 private:
  void add_shape(MeshId mesh, std::uint32_t primitive) {
    Shape shape;
    shape.mesh = mesh;
    shape.primitive = primitive;
    const Primitive& source = primitive_of(scene_, shape);
    shape.material = source.material;
    shape.topology = find_topology(source.mode);
    for (const Attribute& attribute : source.attributes) {
      add_stream(attribute.stream);
    }
    for (const auto& target : source.morph_targets) {
      for (const Attribute& attribute : target) {
        add_stream(attribute.stream);
      }
    }
    out_.shapes.push_back(std::move(shape));
  }

  void add_stream(StreamId id) {
    if (fact_of_.try_emplace(id, streams_.size()).second) {
      streams_.push_back(id);
    }
  }

  [[nodiscard]] const StreamFacts& facts_of(StreamId id) const { return facts_[fact_of_.at(id)]; }

  void measure(Shape& shape, ContentHash& content) const {
    const Primitive& source = primitive_of(scene_, shape);
    const std::vector<std::uint32_t> indices = make_list_indices(scene_, source);
    shape.vertices = count_vertices(scene_, source);
    if (shape.topology == Topology::triangles) {
      shape.triangles = indices.size() / 3;
    }
    shape.bytes = source.indices == no_stream ? 0 : bytes_of(source.indices);
    for (const Attribute& attribute : source.attributes) {
      shape.bytes += bytes_of(attribute.stream);
      shape.attributes_finite = shape.attributes_finite && facts_of(attribute.stream).range.finite;
      if (is_ranged(attribute.semantic)) {
        set_range(shape, attribute,
                  shape.vertices > indices.size()
                      ? make_used_range(scene_, attribute.stream, indices)
                      : facts_of(attribute.stream).range);
      }
    }
    content = make_content(source, shape, indices);
  }

  [[nodiscard]] std::uint64_t bytes_of(StreamId id) const {
    const Stream& stream = scene_[id];
    return stream.count * element_bytes(stream.component, stream.element);
  }

  static void set_range(Shape& shape, const Attribute& attribute, const Range& range) {
    if (attribute.semantic == "POSITION") {
      shape.finite = range.finite;
      shape.box = {range.min, range.max};
      return;
    }
    UvRange uv;
    uv.set = *find_uv_number(attribute.semantic);
    uv.min = {range.min[0], range.min[1]};
    uv.max = {range.max[0], range.max[1]};
    uv.finite = range.finite;
    shape.uvs.push_back(uv);
  }

  /// Attributes by name, not in the order of the file.
  void add_attributes(ValueHasher& hasher, std::vector<Attribute> attributes) const {
    std::sort(attributes.begin(), attributes.end(),
              [](const Attribute& a, const Attribute& b) { return a.semantic < b.semantic; });
    hasher.add(attributes.size());
    for (const Attribute& attribute : attributes) {
      hasher.add(attribute.semantic);
      if (!is_fillable(attribute.semantic)) {
        // Shaders read these as they are stored.
        hasher.add(scene_[attribute.stream].component);
        hasher.add(scene_[attribute.stream].normalized);
      }
      hasher.add(facts_of(attribute.stream).content);
    }
  }

  [[nodiscard]] ContentHash make_content(const Primitive& source,
                                         const Shape& shape,
                                         const std::vector<std::uint32_t>& indices) const {
    ValueHasher hasher;
    hasher.add(shape.topology);
    add_attributes(hasher, source.attributes);
    hasher.add(source.morph_targets.size());
    for (const auto& target : source.morph_targets) {
      add_attributes(hasher, target);
    }
    hasher.add(hash_bytes(std::as_bytes(std::span(indices))));
    return hasher.finish();
  }

  void find_families() {
    std::map<ContentHash, FamilyId, LessHash> known;
    for (std::size_t i = 0; i < out_.shapes.size(); ++i) {
      const auto [slot, added] =
          known.try_emplace(contents_[i], make_id<FamilyId>(out_.families.size()));
      if (added) {
        out_.families.push_back(contents_[i]);
      }
      out_.shapes[i].family = slot->second;
    }
  }

  const Scene& scene_;
  Shapes out_;
  std::vector<ContentHash> contents_;
  std::unordered_map<StreamId, std::size_t> fact_of_;  // looked up only, never walked
  std::vector<StreamId> streams_;
  std::vector<StreamFacts> facts_;
};

}  // namespace

namespace {
constexpr double tile_slack = 1e-4;  // exporters overshoot the edge by rounding
}  // namespace

double UvRange::count_tiles() const {
  return !finite || min[0] > max[0]
             ? 1
             : std::max(1.0, max[0] - min[0]) * std::max(1.0, max[1] - min[1]);
}

bool UvRange::inside_tile() const {
  return !finite || min[0] > max[0] ||
         (min[0] >= -tile_slack && min[1] >= -tile_slack && max[0] <= 1 + tile_slack &&
          max[1] <= 1 + tile_slack);
}

bool UvRange::shift_fixes() const {
  UvRange shifted = *this;
  for (std::size_t axis = 0; axis < 2; ++axis) {
    const double tile = std::floor(min[axis] + tile_slack);
    shifted.min[axis] -= tile;
    shifted.max[axis] -= tile;
  }
  return !inside_tile() && shifted.inside_tile();
}

Result<Shapes> make_shapes(const Scene& scene,
                           const std::vector<DrawRef>& draws,
                           const RunControl& run) {
  return ShapeMaker(scene, draws).make(run);
}

}  // namespace wakuzume
