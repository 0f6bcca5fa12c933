// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include "gltf/pack.h"

#include <algorithm>
#include <optional>

#include "scene/running.h"

namespace wakuzume {
namespace {

/// What shows a view.
struct ViewUse {
  bool other = false;  ///< what is no stream of elements
  bool indices = false;
  bool triangles = false;     ///< these are lists of them
  bool floats = true;         ///< whatever shows it
  std::uint32_t element = 0;  ///< bytes; 0: nothing shows it
  std::uint64_t first = 0;    ///< where the first begins
};

std::vector<ViewUse> find_uses(const Scene& scene) {
  std::vector<ViewUse> uses(scene.views.size());
  const auto mark = [&](ViewId view) {
    if (view != no_view) {
      uses[to_index(view)].other = true;
    }
  };
  for (const Stream& stream : scene.streams) {
    if (stream.sparse) {
      mark(stream.sparse->index_view);
      mark(stream.sparse->value_view);
    }
    if (stream.view == no_view) {
      continue;
    }
    ViewUse& use = uses[to_index(stream.view)];
    const std::uint32_t element = element_bytes(stream.component, stream.element);
    // Without a stride, streams that differ lie one behind the other.
    use.other = use.other || (use.element != 0 && scene[stream.view].stride == 0 &&
                              (use.element != element || stream.offset % element != 0));
    use.element = element;
    use.first = std::max(use.first, stream.offset);
    use.floats = use.floats && stream.component == ComponentType::f32;
  }
  for (const Image& image : scene.images) {
    mark(image.view);
  }
  for (const Mesh& mesh : scene.meshes) {
    for (const std::vector<Primitive>* list : {&mesh.primitives, &mesh.plain}) {
      for (const Primitive& primitive : *list) {
        if (primitive.indices == no_stream || scene[primitive.indices].view == no_view) {
          continue;
        }
        ViewUse& use = uses[to_index(scene[primitive.indices].view)];
        use.triangles =
            (use.triangles || !use.indices) && primitive.mode == PrimitiveMode::triangles;
        use.indices = true;
      }
    }
  }
  return uses;
}

/// As what a view could be packed; without counting its elements where it can't.
PackLayout find_layout(const BlockView& view, const ViewUse& use) {
  PackLayout layout;
  if (use.other || use.element == 0) {
    return layout;
  }
  layout.stride = view.stride != 0 ? view.stride : use.element;
  if (use.indices) {
    layout.mode = PackMode::indices;
    if (use.first != 0) {
      return layout;
    }
    if (use.triangles && view.length % (std::uint64_t{3} * layout.stride) == 0) {
      layout.mode = PackMode::triangles;
    }
  }
  if (check_layout(layout) && view.length % layout.stride == 0) {
    layout.count = view.length / layout.stride;
  }
  return layout;
}

/// Packs what is unpacked bit for bit, or nothing.
std::vector<std::byte> pack_exactly(std::span<const std::byte> plain,
                                    std::span<const std::byte> filtered,
                                    const PackLayout& layout) {
  std::vector<std::byte> packed = pack_stream(filtered, layout);
  std::vector<std::byte> again(plain.size());
  const bool same =
      unpack_stream(packed, layout, again) && std::equal(plain.begin(), plain.end(), again.begin());
  return same ? packed : std::vector<std::byte>{};
}

PackedBlock pack_view(const Scene& scene, const BlockView& view, const ViewUse& use) {
  PackedBlock best{find_layout(view, use), {}};
  if (best.layout.count == 0) {
    return best;
  }
  const auto plain = scene[view.block].bytes.data().subspan(view.offset, view.length);
  std::size_t smallest = view.length;
  const auto try_layout = [&](const PackLayout& layout, std::span<const std::byte> filtered) {
    std::vector<std::byte> packed = pack_exactly(plain, filtered, layout);
    if (!packed.empty() && packed.size() < smallest) {
      smallest = packed.size();
      best = {layout, make_bytes(std::move(packed))};
    }
  };
  PackLayout layout = best.layout;
  try_layout(layout, plain);
  if (layout.mode == PackMode::triangles && best.bytes.size() == 0) {
    // Where each triangle must keep its first corner.
    layout.mode = PackMode::indices;
    try_layout(layout, plain);
  }
  if (layout.mode == PackMode::attributes && use.floats) {
    if (const auto filtered = make_exponential(plain, layout.stride)) {
      layout.filter = PackFilter::exponential;
      try_layout(layout, *filtered);
    }
  }
  return best;
}

}  // namespace

Result<std::vector<PackedBlock>> pack_views(const Scene& scene, const RunControl& run) {
  const std::vector<ViewUse> uses = find_uses(scene);
  std::vector<PackedBlock> out(scene.views.size());
  const bool done = for_each_index(out.size(), run, "packing", [&](std::size_t v) {
    out[v] = pack_view(scene, scene.views[v], uses[v]);
  });
  return done ? Result<std::vector<PackedBlock>>(std::move(out)) : Failure(make_cancelled());
}

}  // namespace wakuzume
