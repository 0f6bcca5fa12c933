// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include "collada/meshes.h"

#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <optional>
#include <unordered_map>

#include "files/text_lines.h"
#include "kits/ears.h"

namespace wakuzume::collada {
namespace {

/// A <source>: elements of so many numbers.
struct Source {
  std::vector<double> values;
  std::size_t offset = 0;
  std::size_t stride = 1;
  std::size_t count = 0;
  std::vector<std::size_t> components;  ///< which numbers of an element count

  /// \pre element < count
  [[nodiscard]] double get(std::size_t element, std::size_t component, double missing) const {
    return component < components.size() ? values[offset + element * stride + components[component]]
                                         : missing;
  }
};

enum class Use { position, normal, uv, color };

struct Input {
  Use use = Use::position;
  std::uint32_t set = 0;
  std::uint32_t offset = 0;  ///< of its index in a corner
  const Source* source = nullptr;
};

/// The corners of a primitive element: 1 a point, 2 a line, 3 a triangle; positions in its indices.
struct Corners {
  std::vector<std::uint32_t> indices;  ///< of all <p>, `stride` a corner
  std::size_t stride = 1;
  std::vector<std::uint32_t> list;  ///< numbers of corners
};

class MeshReader {
 public:
  MeshReader(Document& document, const Axes& axes, KitScene& kit, const pugi::xml_node& mesh)
      : document_(document), axes_(axes), kit_(kit), mesh_(mesh) {}

  std::vector<Part> run() {
    std::vector<Part> parts;
    for (const pugi::xml_node& element : mesh_.children()) {
      const std::string_view name = element.name();
      if (name == "triangles" || name == "polylist" || name == "polygons" || name == "trifans" ||
          name == "tristrips" || name == "lines" || name == "linestrips") {
        if (auto part = read(element)) {
          parts.push_back(std::move(*part));
        }
      } else if (name != "source" && name != "vertices" && name != "extra") {
        document_.skip(element, "elements of meshes that are no triangles or lines", "left out",
                       fmt::format("<{}>", begin_of(name)));
      }
    }
    return parts;
  }

 private:
  const Source* find_source(const pugi::xml_node& input) {
    const pugi::xml_node node = document_.follow(input, "source", "source");
    if (!node) {
      return nullptr;
    }
    const auto [slot, added] = sources_.try_emplace(node.offset_debug());
    if (added) {
      slot->second = read_source(node);
    }
    return &slot->second;
  }

  Source read_source(const pugi::xml_node& node) {
    Source out;
    const pugi::xml_node accessor = node.child("technique_common").child("accessor");
    pugi::xml_node array = document_.find(accessor.attribute("source").value());
    array = array ? array : node.child("float_array");
    out.values = document_.read_numbers(array);
    out.offset = accessor.attribute("offset").as_ullong(0);
    out.stride = std::max<std::size_t>(1, accessor.attribute("stride").as_ullong(1));
    std::size_t number = 0;
    for (const pugi::xml_node& param : accessor.children("param")) {
      // One without a name is there to be passed over.
      if (param.attribute("name") && number < out.stride) {
        out.components.push_back(number);
      }
      ++number;
    }
    for (std::size_t i = 0; number == 0 && i < std::min<std::size_t>(4, out.stride); ++i) {
      out.components.push_back(i);
    }
    const std::size_t asked = accessor.attribute("count").as_ullong(0);
    const std::size_t there =
        out.values.size() > out.offset ? (out.values.size() - out.offset) / out.stride : 0;
    out.count = std::min(asked, there);
    if (asked > there) {
      document_.skip(accessor, "sources that are cut short", "what asks for the rest is left out",
                     fmt::format("{} elements of {} numbers are asked for, there are {}", asked,
                                 out.stride, there));
    }
    return out;
  }

  void add_input(const pugi::xml_node& input, std::uint32_t offset, std::vector<Input>& out) {
    static constexpr std::pair<std::string_view, Use> uses[] = {{"POSITION", Use::position},
                                                                {"NORMAL", Use::normal},
                                                                {"TEXCOORD", Use::uv},
                                                                {"COLOR", Use::color}};
    const std::string_view semantic = input.attribute("semantic").value();
    const auto* hit = std::find_if(std::begin(uses), std::end(uses),
                                   [&](const auto& use) { return use.first == semantic; });
    if (hit == std::end(uses)) {
      document_.skip(input, "streams of vertices that have no place here", "left out",
                     fmt::format("the semantic {}", begin_of(semantic)));
    } else if (const Source* source = find_source(input)) {
      out.push_back({hit->second, input.attribute("set").as_uint(0), offset, source});
    }
  }

  std::vector<Input> list_inputs(const pugi::xml_node& element) {
    std::vector<Input> out;
    for (const pugi::xml_node& input : element.children("input")) {
      const std::uint32_t offset = input.attribute("offset").as_uint(0);
      if (std::string_view(input.attribute("semantic").value()) != "VERTEX") {
        add_input(input, offset, out);
        continue;
      }
      const pugi::xml_node vertices = document_.follow(input, "source", "vertices");
      for (const pugi::xml_node& inner : vertices.children("input")) {
        add_input(inner, offset, out);
      }
    }
    // In the order of the standard's attributes; of sets by their numbers.
    std::stable_sort(out.begin(), out.end(), [](const Input& a, const Input& b) {
      return std::pair(a.use, a.set) < std::pair(b.use, b.set);
    });
    // A primitive has one place and one normal a vertex.
    out.erase(std::unique(out.begin(), out.end(),
                          [](const Input& a, const Input& b) {
                            return a.use == b.use && (a.use < Use::uv || a.set == b.set);
                          }),
              out.end());
    return out;
  }

  std::optional<Part> read(const pugi::xml_node& element) {
    const std::vector<Input> inputs = list_inputs(element);
    if (inputs.empty() || inputs.front().use != Use::position) {
      document_.skip(element, "parts without places of vertices", "left out",
                     fmt::format("<{}>", element.name()));
      return {};
    }
    Corners corners;
    for (const pugi::xml_node& input : element.children("input")) {
      constexpr std::size_t most_inputs = 256;
      corners.stride =
          std::max(corners.stride,
                   std::min<std::size_t>(most_inputs, input.attribute("offset").as_uint(0)) + 1);
    }
    list_corners(element, inputs, corners);
    if (corners.list.empty()) {
      return {};
    }
    Part part;
    part.symbol = element.attribute("material").value();
    part.primitive.mode = std::string_view(element.name()).starts_with("line")
                              ? PrimitiveMode::lines
                              : PrimitiveMode::triangles;
    add_streams(inputs, corners, part);
    return part;
  }

  /// Whether all that a corner asks for is there.
  static bool is_sound(const std::vector<Input>& inputs,
                       const Corners& corners,
                       std::uint32_t corner) {
    return std::all_of(inputs.begin(), inputs.end(), [&](const Input& input) {
      const std::size_t at = corner * corners.stride + input.offset;
      return input.offset < corners.stride && at < corners.indices.size() &&
             corners.indices[at] < input.source->count;
    });
  }

  void list_corners(const pugi::xml_node& element,
                    const std::vector<Input>& inputs,
                    Corners& corners) {
    const std::string_view kind = element.name();
    const std::vector<std::uint32_t> sizes = document_.read_counts(element.child("vcount"));
    std::size_t size_number = 0;
    const auto read_indices = [&](const pugi::xml_node& p) {
      const auto first = static_cast<std::uint32_t>(corners.indices.size() / corners.stride);
      const std::vector<std::uint32_t> more = document_.read_counts(p);
      corners.indices.insert(corners.indices.end(), more.begin(),
                             more.begin() + static_cast<std::ptrdiff_t>(
                                                more.size() / corners.stride * corners.stride));
      const auto end = static_cast<std::uint32_t>(corners.indices.size() / corners.stride);
      if (kind == "polygons") {
        add_polygon(element, inputs, first, end - first, corners);
      } else if (kind == "polylist") {
        std::uint32_t at = first;
        for (; size_number < sizes.size() && sizes[size_number] <= end - at; ++size_number) {
          add_polygon(element, inputs, at, sizes[size_number], corners);
          at += sizes[size_number];
        }
        if (size_number < sizes.size()) {
          document_.skip(element, "faces whose corners are not there", "left out",
                         fmt::format("face {} of {}", size_number + 1, sizes.size()));
        }
      } else {
        add_run(element, inputs, first, end, corners);
      }
    };
    for (const pugi::xml_node& p : element.children("p")) {
      read_indices(p);
    }
    for (const pugi::xml_node& ph : element.children("ph")) {
      read_indices(ph.child("p"));
      document_.skip(ph, "holes in faces", "filled", "<h>");
    }
  }

  /// Triangles and lines, one by one, in strips or fans.
  void add_run(const pugi::xml_node& element,
               const std::vector<Input>& inputs,
               std::uint32_t first,
               std::uint32_t end,
               Corners& corners) {
    const std::string_view kind = element.name();
    const auto add = [&](std::initializer_list<std::uint32_t> shape) {
      if (std::all_of(shape.begin(), shape.end(),
                      [&](std::uint32_t c) { return is_sound(inputs, corners, c); })) {
        corners.list.insert(corners.list.end(), shape);
      } else {
        skip_face(element, *shape.begin());
      }
    };
    if (kind == "triangles") {
      for (std::uint32_t i = first; i + 2 < end; i += 3) {
        add({i, i + 1, i + 2});
      }
    } else if (kind == "trifans") {
      for (std::uint32_t i = first + 1; i + 1 < end; ++i) {
        add({first, i, i + 1});
      }
    } else if (kind == "tristrips") {
      for (std::uint32_t i = first; i + 2 < end; ++i) {
        const std::uint32_t odd = (i - first) % 2;
        add({i, i + 1 + odd, i + 2 - odd});
      }
    } else {
      for (std::uint32_t i = first; i + 1 < end; i += kind == "lines" ? 2U : 1U) {
        add({i, i + 1});
      }
    }
  }

  void skip_face(const pugi::xml_node& element, std::uint32_t corner) {
    document_.skip(element, "faces with an index that can't be", "left out",
                   fmt::format("corner {} of a <{}>", corner, element.name()));
  }

  void add_polygon(const pugi::xml_node& element,
                   const std::vector<Input>& inputs,
                   std::uint32_t first,
                   std::uint32_t size,
                   Corners& corners) {
    if (size < 3) {
      return document_.skip(element, "faces with fewer than three corners", "left out",
                            fmt::format("a face with {} corners", size));
    }
    places_.clear();
    for (std::uint32_t i = first; i < first + size; ++i) {
      if (!is_sound(inputs, corners, i)) {
        return skip_face(element, i);
      }
      places_.push_back(find_place(inputs.front(), corners, i));
    }
    for (const std::uint32_t corner : cut_polygon(places_)) {
      corners.list.push_back(first + corner);
    }
  }

  [[nodiscard]] static std::size_t find_index(const Input& input,
                                              const Corners& corners,
                                              std::uint32_t corner) {
    return corners.indices[corner * corners.stride + input.offset];
  }
  [[nodiscard]] static Vec3d find_place(const Input& input,
                                        const Corners& corners,
                                        std::uint32_t corner) {
    const std::size_t at = find_index(input, corners, corner);
    return {input.source->get(at, 0, 0), input.source->get(at, 1, 0), input.source->get(at, 2, 0)};
  }

  void add_streams(const std::vector<Input>& inputs, const Corners& corners, Part& part) {
    std::vector<std::uint32_t> offsets;
    for (const Input& input : inputs) {
      if (std::find(offsets.begin(), offsets.end(), input.offset) == offsets.end()) {
        offsets.push_back(input.offset);
      }
    }
    std::unordered_map<std::u32string, std::uint32_t> known;  // looked up only
    std::vector<std::uint32_t> vertices;                      // a corner each
    std::vector<std::uint32_t> indices;
    std::u32string key(offsets.size(), 0);
    for (const std::uint32_t corner : corners.list) {
      for (std::size_t o = 0; o < offsets.size(); ++o) {
        key[o] = corners.indices[corner * corners.stride + offsets[o]];
      }
      const auto [slot, added] =
          known.try_emplace(key, static_cast<std::uint32_t>(vertices.size()));
      if (added) {
        vertices.push_back(corner);
      }
      indices.push_back(slot->second);
    }
    std::uint32_t colors = 0;
    for (const Input& input : inputs) {
      add_attribute(input, corners, vertices, colors, part);
    }
    part.primitive.indices = kit_.add_indices(indices);
  }

  void add_attribute(const Input& input,
                     const Corners& corners,
                     const std::vector<std::uint32_t>& vertices,
                     std::uint32_t& colors,
                     Part& part) {
    std::vector<float> values;
    for (const std::uint32_t corner : vertices) {
      const std::size_t at = find_index(input, corners, corner);
      if (input.use == Use::uv) {  // v goes up
        values.push_back(static_cast<float>(input.source->get(at, 0, 0)));
        values.push_back(static_cast<float>(1 - input.source->get(at, 1, 0)));
      } else if (input.use == Use::color) {
        for (std::size_t c = 0; c < 4; ++c) {
          values.push_back(static_cast<float>(input.source->get(at, c, 1)));
        }
      } else {
        const Vec3d read = find_place(input, corners, corner);
        const Vec3d to = input.use == Use::position ? axes_.place(read) : axes_.turn(read);
        std::transform(to.begin(), to.end(), std::back_inserter(values),
                       [](double value) { return static_cast<float>(value); });
      }
    }
    switch (input.use) {
      case Use::position:
        part.primitive.attributes.push_back({"POSITION", kit_.add_positions(values)});
        break;
      case Use::normal:
        part.primitive.attributes.push_back(
            {"NORMAL", kit_.add_stream(values, 3, ElementType::vec3, ComponentType::f32)});
        break;
      case Use::uv:
        part.primitive.attributes.push_back(
            {fmt::format("TEXCOORD_{}", part.uv_sets.size()),
             kit_.add_stream(values, 2, ElementType::vec2, ComponentType::f32)});
        part.uv_sets.push_back(input.set);
        break;
      case Use::color:
        part.primitive.attributes.push_back(
            {fmt::format("COLOR_{}", colors++),
             kit_.add_stream(values, 4, ElementType::vec4, ComponentType::f32)});
        break;
    }
  }

  Document& document_;
  const Axes& axes_;
  KitScene& kit_;
  const pugi::xml_node& mesh_;
  std::map<std::ptrdiff_t, Source> sources_;  ///< by where they begin
  std::vector<Vec3d> places_;
};

}  // namespace

const std::vector<Part>& Meshes::find(const pugi::xml_node& geometry) {
  const auto [slot, added] = known_.try_emplace(geometry.attribute("id").value());
  if (added) {
    const pugi::xml_node mesh = geometry.child("mesh");
    if (!mesh) {
      document_.skip(geometry, "shapes that are no meshes", "left out",
                     fmt::format("geometry {}", begin_of(find_name(geometry))));
    }
    slot->second = MeshReader(document_, axes_, kit_, mesh).run();
  }
  return slot->second;
}

}  // namespace wakuzume::collada
