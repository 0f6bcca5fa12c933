// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include "wakuzume/split.h"

#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <cmath>
#include <cstring>
#include <map>
#include <numeric>
#include <optional>

#include "scene/index_data.h"
#include "scene/matrix.h"
#include "scene/places.h"
#include "scene/running.h"
#include "survey/draws.h"
#include "survey/wish.h"

namespace wakuzume {
namespace {

constexpr std::size_t max_pieces = 16'777'216;

using Elements = std::vector<std::uint32_t>;  ///< list indices, `each` an element

/// Puts elements of one label together, labels in the order of their first elements.
std::vector<Elements> gather(const Elements& list,
                             std::size_t each,
                             const std::vector<std::uint32_t>& labels) {
  std::vector<std::uint32_t> piece_of(labels.size(), no_index);
  std::vector<Elements> pieces;
  for (std::size_t e = 0; e < labels.size(); ++e) {
    std::uint32_t& piece = piece_of[labels[e]];
    if (piece == no_index) {
      piece = static_cast<std::uint32_t>(pieces.size());
      pieces.emplace_back();
    }
    const auto from = list.begin() + static_cast<std::ptrdiff_t>(e * each);
    pieces[piece].insert(pieces[piece].end(), from, from + static_cast<std::ptrdiff_t>(each));
  }
  return pieces;
}

std::vector<Elements> split_by_parts(const Scene& scene, const Primitive& primitive) {
  const Elements list = make_list_indices(scene, primitive);
  const std::size_t each = count_corners(find_topology(primitive.mode));
  const std::vector<float> positions = make_floats(scene, primitive.find("POSITION"));
  // Seams of normals and UVs do not part a surface.
  const std::vector<std::uint32_t> places = weld_places(positions);
  DisjointSets parts(places.size());
  for (std::size_t i = 0; i + each <= list.size(); i += each) {
    for (std::size_t c = 1; c < each; ++c) {
      parts.join(places[list[i]], places[list[i + c]]);
    }
  }
  // Labels count the parts that some element is of.
  std::vector<std::uint32_t> label_of(places.size(), no_index);
  std::vector<std::uint32_t> labels(list.size() / each);
  std::uint32_t next = 0;
  for (std::size_t e = 0; e < labels.size(); ++e) {
    std::uint32_t& label = label_of[parts.find(places[list[e * each]])];
    label = label == no_index ? next++ : label;
    labels[e] = label;
  }
  return gather(list, each, labels);
}

std::vector<Elements> split_by_cells(const Scene& scene,
                                     const Primitive& primitive,
                                     const Mat4d& world,
                                     double cell_size_m) {
  const Elements list = make_list_indices(scene, primitive);
  const std::size_t each = count_corners(find_topology(primitive.mode));
  const std::vector<float> positions = make_floats(scene, primitive.find("POSITION"));
  using Cell = std::array<std::int64_t, 3>;
  std::map<Cell, std::uint32_t> known;
  std::vector<std::uint32_t> labels;
  for (std::size_t i = 0; i + each <= list.size(); i += each) {
    Eigen::Vector3d centre{0, 0, 0};
    for (std::size_t c = 0; c < each; ++c) {
      centre += Eigen::Map<const Eigen::Vector3f>(&positions[3 * std::size_t{list[i + c]}])
                    .cast<double>();
    }
    centre = (as_eigen(world) * (centre / static_cast<double>(each)).homogeneous()).head<3>();
    Cell cell{};
    for (std::size_t c = 0; c < 3; ++c) {
      const double at = std::floor(centre[static_cast<Eigen::Index>(c)] / cell_size_m);
      // What is nowhere is in the first cell.
      cell[c] = std::isfinite(at) ? static_cast<std::int64_t>(std::clamp(at, -9e18, 9e18)) : 0;
    }
    labels.push_back(
        known.try_emplace(cell, static_cast<std::uint32_t>(known.size())).first->second);
  }
  return gather(list, each, labels);
}

/// Why a node that matches stays whole; empty: it does not.
std::string find_obstacle(const Scene& scene, const Node& node, SplitBy by) {
  if (node.skin != no_skin) {
    return "deformed by a skin";
  }
  if (node.instancing) {
    return "already an instance set";
  }
  for (const Primitive& primitive : scene[node.mesh].primitives) {
    if (!primitive.morph_targets.empty()) {
      return "has morph targets";
    }
    if (primitive.extra && !primitive.extra->extensions.empty()) {
      return "its mesh has " + primitive.extra->extensions.front().name;
    }
    if (by == SplitBy::parts && primitive.mode == PrimitiveMode::points) {
      return "points have no parts";
    }
  }
  const Mesh& mesh = scene[node.mesh];
  return mesh.extra && !mesh.extra->extensions.empty()
             ? "its mesh has " + mesh.extra->extensions.front().name
             : "";
}

/// The new index data of a split, in one block.
class IndexWriter {
 public:
  explicit IndexWriter(Scene& out) : out_(out), block_(make_id<BlockId>(out.blocks.size())) {}

  StreamId add(const Elements& indices) {
    const std::uint32_t most = *std::max_element(indices.begin(), indices.end());
    Stream stream;
    stream.component = find_index_type(std::uint64_t{most} + 1);
    stream.count = indices.size();
    const std::size_t size = component_bytes(stream.component);
    BlockView view;
    view.block = block_;
    view.offset = bytes_.size();
    view.length = indices.size() * size;
    view.target = 34963;
    bytes_.resize((view.offset + view.length + 3) / 4 * 4);
    store_indices(indices, stream.component, &bytes_[view.offset]);
    stream.view = make_id<ViewId>(out_.views.size());
    out_.views.push_back(view);
    out_.streams.push_back(std::move(stream));
    return make_id<StreamId>(out_.streams.size() - 1);
  }

  void finish() {
    if (!bytes_.empty()) {
      out_.blocks.emplace_back().bytes = make_bytes(std::move(bytes_));
    }
  }

 private:
  Scene& out_;
  BlockId block_;
  std::vector<std::byte> bytes_;
};

class Splitter {
 public:
  Splitter(const Scene& scene, const SplitSettings& settings) : scene_(scene), settings_(settings) {
    out_.scene = scene;
    writer_.emplace(out_.scene);
  }

  Result<Split> run(const RunControl& run) {
    if (auto chosen = choose(run); !chosen) {
      return Failure(chosen.error());
    }
    if (!cut(run)) {
      return Failure(make_cancelled());
    }
    std::size_t total = 0;
    for (const std::vector<Elements>& pieces : cuts_) {
      total += pieces.size();
    }
    if (total > max_pieces) {
      return Failure(Error{ErrorCode::too_large,
                           fmt::format("the split gives {} pieces, the most is {}; name fewer "
                                       "nodes or larger cells",
                                       total, max_pieces),
                           {}});
    }
    for (const NodeId node : nodes_) {
      split_node(node);
    }
    writer_->finish();
    return std::move(out_);
  }

 private:
  /// A primitive to cut: once a mesh by parts, once a node by cells.
  struct Task {
    MeshId mesh = no_mesh;
    std::uint32_t primitive = 0;
    NodeId node = no_node;
    auto operator<=>(const Task&) const = default;
  };

  [[nodiscard]] Task make_task(NodeId node, std::uint32_t primitive) const {
    return {scene_[node].mesh, primitive, settings_.by == SplitBy::cells ? node : no_node};
  }

  Result<void> choose(const RunControl& run) {
    auto wishes = WishList::parse(settings_.nodes);
    if (!wishes) {
      return Failure(wishes.error());
    }
    std::optional<Survey> found;
    for (std::size_t w = 0; w < wishes->size(); ++w) {
      auto chosen = (*wishes)[w].has_terms() ? list_by_terms((*wishes)[w], found, run)
                                             : list_by_path((*wishes)[w]);
      if (!chosen) {
        return Failure(chosen.error());
      }
      const std::uint64_t draws = std::accumulate(
          chosen->begin(), chosen->end(), std::uint64_t{0}, [&](std::uint64_t sum, NodeId id) {
            return sum + scene_[scene_[id].mesh].primitives.size();
          });
      out_.wishes.push_back({"split.nodes", settings_.nodes[w], "", draws});
      nodes_.insert(nodes_.end(), chosen->begin(), chosen->end());
    }
    std::sort(nodes_.begin(), nodes_.end());
    nodes_.erase(std::unique(nodes_.begin(), nodes_.end()), nodes_.end());
    std::erase_if(nodes_, [&](NodeId id) {
      const std::string why = find_obstacle(scene_, scene_[id], settings_.by);
      if (!why.empty()) {
        out_.left_as.push_back(fmt::format("{} is not split: {}", make_node_path(scene_, id), why));
      }
      return !why.empty();
    });
    return {};
  }

  [[nodiscard]] Result<std::vector<NodeId>> list_by_path(const Wish& wish) const {
    std::vector<NodeId> out;
    for (std::size_t n = 0; n < scene_.nodes.size(); ++n) {
      const NodeId id = make_id<NodeId>(n);
      if (scene_[id].mesh != no_mesh && wish.matches(make_node_path(scene_, id))) {
        out.push_back(id);
      }
    }
    return out;
  }

  /// \param found  made when it is needed first
  [[nodiscard]] Result<std::vector<NodeId>> list_by_terms(const Wish& wish,
                                                          std::optional<Survey>& found,
                                                          const RunControl& run) const {
    const WishAnswer* known = find_answer(settings_.answers, wish.text());
    if (known == nullptr && !found) {
      auto made = survey(scene_, {}, run);
      if (!made) {
        return Failure(made.error());
      }
      found = std::move(*made);
    }
    if (known == nullptr) {
      if (auto done = answer_wishes(scene_, std::span(&wish.text(), 1), *found, run); !done) {
        return Failure(done.error());
      }
      known = find_answer(found->settings.answers, wish.text());
    }
    std::vector<NodeId> out;
    for (const DrawRef& draw : known->draws) {
      if (to_index(draw.node) < scene_.nodes.size() && scene_[draw.node].mesh != no_mesh) {
        out.push_back(draw.node);
      }
    }
    return out;
  }

  bool cut(const RunControl& run) {
    std::vector<Task> tasks;
    const MeshDraws drawn(scene_);
    for (const NodeId node : nodes_) {
      for (const std::uint32_t primitive : drawn[scene_[node].mesh].primitives) {
        const auto [slot, added] = task_of_.try_emplace(make_task(node, primitive), tasks.size());
        if (added) {
          tasks.push_back(slot->first);
        }
      }
    }
    cuts_.resize(tasks.size());
    meshes_.resize(tasks.size());
    const std::vector<Mat4d> world = make_world_matrices(scene_);
    return for_each_index(tasks.size(), run, "splitting", [&](std::size_t t) {
      const Primitive& primitive = scene_[tasks[t].mesh].primitives[tasks[t].primitive];
      cuts_[t] = settings_.by == SplitBy::parts
                     ? split_by_parts(scene_, primitive)
                     : split_by_cells(scene_, primitive, world[to_index(tasks[t].node)],
                                      settings_.cell_size_m);
    });
  }

  void split_node(NodeId id) {
    const Mesh& mesh = scene_[scene_[id].mesh];
    Mesh rest = mesh;
    rest.primitives.clear();
    for (std::uint32_t p = 0; p < mesh.primitives.size(); ++p) {
      const auto task = task_of_.find(make_task(id, p));
      if (task == task_of_.end() || cuts_[task->second].size() < 2) {
        rest.primitives.push_back(mesh.primitives[p]);
      } else {
        out_.rows.push_back({id, p, {}});
        add_pieces(id, p, task->second);
      }
    }
    if (rest.primitives.size() < mesh.primitives.size()) {
      out_.scene.nodes[to_index(id)].mesh =
          rest.primitives.empty() ? no_mesh : add_mesh(std::move(rest));
    }
  }

  MeshId add_mesh(Mesh mesh) {
    out_.scene.meshes.push_back(std::move(mesh));
    return make_id<MeshId>(out_.scene.meshes.size() - 1);
  }

  void add_pieces(NodeId id, std::uint32_t primitive, std::size_t task) {
    const Node& whole = scene_[id];
    const Mesh& mesh = scene_[whole.mesh];
    const std::string inner = mesh.primitives.size() > 1 ? fmt::format(".{}", primitive) : "";
    const char* const kind = settings_.by == SplitBy::parts ? "part" : "cell";
    const bool first = meshes_[task].empty();
    for (std::size_t i = 0; i < cuts_[task].size(); ++i) {
      const std::string ending = fmt::format("{}.{}_{:03}", inner, kind, i + 1);
      if (first) {
        Mesh piece;
        piece.name = mesh.name + ending;
        piece.extra = mesh.extra;
        piece.primitives.push_back(mesh.primitives[primitive]);
        Primitive& shown = piece.primitives.back();
        const Topology topology = find_topology(shown.mode);
        shown.mode = topology == Topology::triangles ? PrimitiveMode::triangles
                     : topology == Topology::lines   ? PrimitiveMode::lines
                                                     : PrimitiveMode::points;
        shown.indices = writer_->add(cuts_[task][i]);
        meshes_[task].push_back(add_mesh(std::move(piece)));
      }
      Node node;
      node.name = whole.name + ending;
      node.parent = id;
      node.mesh = meshes_[task][i];
      // What the extras of the node say of its draws, such as their lightmap page, holds on.
      if (whole.extra && !whole.extra->extras.empty()) {
        node.extra.ensure().extras = whole.extra->extras;
      }
      const NodeId piece = make_id<NodeId>(out_.scene.nodes.size());
      out_.scene.nodes.push_back(std::move(node));
      out_.scene.nodes[to_index(id)].children.push_back(piece);
      out_.rows.back().pieces.push_back(piece);
    }
  }

  const Scene& scene_;
  const SplitSettings& settings_;
  Split out_;
  std::optional<IndexWriter> writer_;
  std::vector<NodeId> nodes_;
  std::map<Task, std::size_t> task_of_;
  std::vector<std::vector<Elements>> cuts_;  ///< by task
  std::vector<std::vector<MeshId>> meshes_;  ///< by task, once they are made
};

/// Elements in an order of their own.
std::vector<std::array<std::uint32_t, 3>> sort_elements(const Elements& list, std::size_t each) {
  std::vector<std::array<std::uint32_t, 3>> out;
  for (std::size_t i = 0; i + each <= list.size(); i += each) {
    std::array<std::uint32_t, 3> element{};
    std::copy_n(list.begin() + static_cast<std::ptrdiff_t>(i), each, element.begin());
    out.push_back(element);
  }
  std::sort(out.begin(), out.end());
  return out;
}

bool same_streams(const Primitive& a, const Primitive& b) {
  return a.material == b.material &&
         std::equal(a.attributes.begin(), a.attributes.end(), b.attributes.begin(),
                    b.attributes.end(), [](const Attribute& x, const Attribute& y) {
                      return x.semantic == y.semantic && x.stream == y.stream;
                    });
}

}  // namespace

Result<void> validate(const SplitSettings& settings) {
  if (!(settings.cell_size_m > 0 && settings.cell_size_m <= 1e9)) {
    return Failure(
        Error{ErrorCode::bad_setting, "split.cell_size_m must be above 0, up to 1e9", {}});
  }
  const auto wishes = WishList::parse(settings.nodes);
  return wishes ? Result<void>()
                : Failure(Error{
                      ErrorCode::bad_setting, "split.nodes has " + wishes.error().message, {}});
}

Result<Split> split(const Scene& scene, const SplitSettings& settings, const RunControl& run) {
  if (auto valid = validate(settings); !valid) {
    return Failure(valid.error());
  }
  if (settings.nodes.empty()) {
    return Split{scene, {}, {}, {}};
  }
  return Splitter(scene, settings).run(run);
}

bool is_whole(const Scene& source, const Split& split) {
  return std::all_of(split.rows.begin(), split.rows.end(), [&](const SplitRow& row) {
    const Primitive& whole = primitive_of(source, row);
    const std::size_t each = count_corners(find_topology(whole.mode));
    Elements all;
    for (const NodeId piece : row.pieces) {
      const Node& node = split.scene[piece];
      const Primitive& shown = split.scene[node.mesh].primitives.front();
      if (node.parent != row.node || make_local_matrix(node) != identity_matrix ||
          !same_streams(whole, shown)) {
        return false;
      }
      const Elements list = make_list_indices(split.scene, shown);
      all.insert(all.end(), list.begin(), list.end());
    }
    return sort_elements(make_list_indices(source, whole), each) == sort_elements(all, each);
  });
}

}  // namespace wakuzume
