// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include <tbb/parallel_sort.h>

#include <algorithm>
#include <cctype>
#include <cmath>
#include <map>

#include "findings/collector.h"
#include "scene/hasher.h"
#include "scene/running.h"
#include "scene/tree.h"

namespace wakuzume {
namespace {

std::string to_lower(std::string text) {
  std::transform(text.begin(), text.end(), text.begin(),
                 [](unsigned char c) { return static_cast<char>(std::tolower(c)); });
  return text;
}

class NodeFinder {
 public:
  explicit NodeFinder(FindingCollector& all)
      : all_(all), scene_(all.scene), survey_(all.survey), world_(all.world) {
    for (const std::string& word : all.settings.helper_words) {
      if (!word.empty()) {
        helper_words_.push_back(to_lower(word));
      }
    }
  }

  void find() {
    find_transforms();
    find_placed_twice();
    find_large();
    find_far();
    find_helpers();
    find_empty();
    find_constant();
  }

 private:
  /// Marks every draw with what `look` sees in it, side by side.
  template <class Look>
  std::vector<std::uint8_t> mark_draws(const Look& look) const {
    std::vector<std::uint8_t> marks(survey_.draws.size(), 0);
    for_each_range(marks.size(), 4096, all_.run, "", [&](std::size_t begin, std::size_t end) {
      for (std::size_t d = begin; d < end; ++d) {
        marks[d] = look(survey_.draws[d]);
      }
    });
    return marks;
  }

  static std::vector<DrawId> list_marked(const std::vector<std::uint8_t>& marks,
                                         std::uint8_t mark) {
    std::vector<DrawId> draws;
    for (std::size_t d = 0; d < marks.size(); ++d) {
      if ((marks[d] & mark) != 0) {
        draws.push_back(make_id<DrawId>(d));
      }
    }
    return draws;
  }

  void find_transforms() {
    constexpr std::uint8_t mirrored = 1;
    constexpr std::uint8_t sheared = 2;
    constexpr std::uint8_t flattened = 4;
    constexpr std::uint8_t broken = 8;
    const auto marks = mark_draws([&](const Draw& draw) -> std::uint8_t {
      const Mat4d& matrix = world_[to_index(draw.node)];
      if (!std::all_of(matrix.begin(), matrix.end(), [](double v) { return std::isfinite(v); })) {
        return broken;
      }
      Trs ignored;
      const Decomposed kind = decompose(matrix, ignored);
      const std::uint8_t shape = kind == Decomposed::sheared      ? sheared
                                 : kind == Decomposed::degenerate ? flattened
                                                                  : std::uint8_t{0};
      return draw.mirrored ? static_cast<std::uint8_t>(shape | mirrored) : shape;
    });
    std::vector<DrawId> not_finite = list_marked(marks, broken);
    const std::uint64_t count = not_finite.size();
    all_.add_for_draws(FindingCode::not_finite, Severity::serious, std::move(not_finite), count,
                       "the transform is NaN or infinite", "mend the node or its parents");
    all_.add_for_draws(FindingCode::transform_mirrored, Severity::minor,
                       list_marked(marks, mirrored), 0,
                       "mirrored by the transform, which turns the winding round",
                       "merging turns it back; as instances they need a set of their own");
    all_.add_for_draws(FindingCode::transform_sheared, Severity::costly,
                       list_marked(marks, sheared), 0,
                       "sheared, by a rotation below a non-uniform scale",
                       "can be merged but not instanced; apply the parent's scale");
    all_.add_for_draws(FindingCode::transform_flattened, Severity::serious,
                       list_marked(marks, flattened), 0, "flattened: an axis has no length",
                       "give the axis a scale, or remove it");
  }

  /// What draws over each other have in common; that of sets and of what moves is its own.
  [[nodiscard]] ContentHash hash_place(const Draw& draw, std::size_t index) const {
    if (draw.instances != 1 || survey_[draw.key].moving_root != no_node || draw.box.empty()) {
      return {0, index};
    }
    struct Place {
      Mat4d world;
      FamilyId family;
      KeyId key;
    };
    static_assert(sizeof(Place) == sizeof(Mat4d) + 8, "all of it is hashed");
    const Place place{world_[to_index(draw.node)], survey_[draw.shape].family, draw.key};
    return hash_bytes(std::as_bytes(std::span(&place, 1)));
  }

  /// The same shape at the same place for the same levels: drawn over itself.
  void find_placed_twice() {
    std::vector<std::pair<ContentHash, DrawId>> places(survey_.draws.size());
    for_each_range(places.size(), 4096, all_.run, "", [&](std::size_t begin, std::size_t end) {
      for (std::size_t d = begin; d < end; ++d) {
        const Draw& draw = survey_.draws[d];
        places[d] = {hash_place(draw, d), make_id<DrawId>(d)};
      }
    });
    in_arena(all_.run, [&] {
      tbb::parallel_sort(places.begin(), places.end(), [](const auto& a, const auto& b) {
        return a.first == b.first ? a.second < b.second : LessHash()(a.first, b.first);
      });
    });
    std::vector<DrawId> again;
    for (std::size_t i = 1; i < places.size(); ++i) {
      if (places[i].first == places[i - 1].first) {
        again.push_back(places[i].second);
      }
    }
    std::sort(again.begin(), again.end());
    const std::uint64_t count = again.size();
    all_.add_for_draws(FindingCode::placed_twice, Severity::serious, std::move(again), count,
                       "drawn a second time at the very same place", "delete the copies");
  }

  void find_large() {
    const double extent = survey_.bounds.largest_extent();
    std::vector<DrawId> large;
    for (std::size_t d = 0; d < survey_.draws.size(); ++d) {
      const auto id = make_id<DrawId>(d);
      const Draw& draw = survey_[id];
      if (survey_.draws.size() < 2 || draw.box.empty() ||
          draw.triangles < all_.settings.large_triangles ||
          draw.box.largest_extent() < all_.settings.large_share * extent) {
        continue;
      }
      const std::uint64_t parts = all_.scans[to_index(draw.shape)].separate_parts;
      if (parts >= all_.settings.separate_parts) {
        all_.add_for_draws(
            FindingCode::merged_too_coarsely, Severity::costly, {id}, 0,
            fmt::format("{} triangles in {} separate parts across {:.3g} m are one draw",
                        draw.triangles, parts, draw.box.largest_extent()),
            "split it by parts or cells, so that what is out of sight is not drawn");
      } else {
        large.push_back(id);
      }
    }
    all_.add_for_draws(
        FindingCode::too_large_to_cull, Severity::minor, std::move(large), 0,
        fmt::format("across {:.0f} % of the scene or more, with {} triangles or more",
                    100 * all_.settings.large_share, all_.settings.large_triangles),
        "split what can be split: it is drawn in nearly every view");
  }

  void find_far() {
    std::vector<DrawId> far;
    for (std::size_t d = 0; d < survey_.draws.size(); ++d) {
      const Box3d& box = survey_.draws[d].box;
      if (box.empty()) {
        continue;
      }
      const Vec3d centre = box.centre();
      if (std::hypot(centre[0], centre[1], centre[2]) > all_.settings.far_m) {
        far.push_back(make_id<DrawId>(d));
      }
    }
    all_.add_for_draws(
        FindingCode::far_from_origin, Severity::costly, std::move(far), 0,
        fmt::format("more than {:.0f} m from the origin, where single precision shakes",
                    all_.settings.far_m),
        "move the scene to the origin, or delete what was lost out there");
  }

  [[nodiscard]] bool names_helper(const std::string& name) const {
    const std::string lower = to_lower(name);
    return std::any_of(helper_words_.begin(), helper_words_.end(), [&](const std::string& word) {
      return lower.find(word) != std::string::npos;
    });
  }

  /// Alpha zero, and no texture that could bring it back.
  [[nodiscard]] bool is_invisible(MaterialId id) const {
    if (id == no_material) {
      return false;
    }
    const Material& material = scene_[id];
    return material.base_color[3] <= 0 && material.alpha_mode != AlphaMode::opaque;
  }

  void find_helpers() {
    std::vector<bool> meshes;
    std::vector<bool> materials{false};  // the default material is first
    for (const Mesh& mesh : scene_.meshes) {
      meshes.push_back(names_helper(mesh.name));
    }
    for (std::size_t m = 0; m < scene_.materials.size(); ++m) {
      materials.push_back(is_invisible(make_id<MaterialId>(m)) ||
                          names_helper(scene_.materials[m].name));
    }
    const auto marks = mark_draws([&](const Draw& draw) -> std::uint8_t {
      const std::size_t material = draw.material == no_material ? 0 : to_index(draw.material) + 1;
      const bool helper = meshes[to_index(draw.mesh)] || materials[material] ||
                          names_helper(scene_[draw.node].name);
      return draw.stay != StayRule::collider && helper ? 1 : 0;
    });
    std::vector<DrawId> helpers = list_marked(marks, 1);
    const std::uint64_t count = helpers.size();
    all_.add_for_draws(
        FindingCode::helper_drawn, Severity::costly, std::move(helpers), count,
        "by its name or alpha a collider or helper that nobody should see, yet drawn",
        "name them in survey.collider_nodes, or mark them in their extras");
  }

  /// Nodes with nothing in or below them that anything could use.
  void find_empty() {
    std::vector<bool> needed(scene_.nodes.size(), false);
    for (const Skin& skin : scene_.skins) {
      for (const NodeId joint : skin.joints) {
        needed[to_index(joint)] = true;
      }
    }
    for (const Animation& animation : scene_.animations) {
      for (const AnimationChannel& channel : animation.channels) {
        if (channel.node != no_node) {
          needed[to_index(channel.node)] = true;
        }
      }
    }
    const std::vector<NodeId> order = make_tree_order(scene_);
    for (auto id = order.rbegin(); id != order.rend(); ++id) {
      const Node& node = scene_[*id];
      const bool own = node.mesh != no_mesh || node.camera != no_camera || node.skin != no_skin ||
                       node.light != no_light || node.extra;
      const bool below = std::any_of(node.children.begin(), node.children.end(),
                                     [&](NodeId child) { return needed[to_index(child)]; });
      needed[to_index(*id)] = needed[to_index(*id)] || own || below;
    }
    const auto count = static_cast<std::uint64_t>(std::count(needed.begin(), needed.end(), false));
    if (count == 0) {
      return;
    }
    const auto first =
        static_cast<std::size_t>(std::find(needed.begin(), needed.end(), false) - needed.begin());
    Finding finding;
    finding.code = FindingCode::node_empty;
    finding.subject = make_node_path(scene_, make_id<NodeId>(first));
    finding.what = count == 1 ? "holds nothing, nor does anything below it"
                              : fmt::format("and {} hold nothing",
                                            count_of(count - 1, "other node", "other nodes"));
    finding.remedy = "delete it, unless its place is what you need";
    all_.add(std::move(finding));
  }

  void find_constant() {
    std::map<NodeId, std::vector<DrawId>> caught;
    for (const NodeId node : survey_.constant_nodes) {
      caught[node];
    }
    for (std::size_t d = 0; d < survey_.draws.size() && !caught.empty(); ++d) {
      const std::uint32_t cause = survey_.draws[d].cause;
      const auto hit = cause == no_index ? caught.end() : caught.find(survey_.causes[cause].at);
      if (hit != caught.end()) {
        hit->second.push_back(make_id<DrawId>(d));
      }
    }
    for (auto& [node, draws] : caught) {
      Finding finding;
      finding.code = FindingCode::track_constant;
      finding.severity = draws.empty() ? Severity::minor : Severity::costly;
      finding.subject = make_node_path(scene_, node);
      finding.what = "is animated, and all its tracks hold one value";
      finding.remedy = "delete the tracks, or set survey.constant_tracks to \"stand_still\"";
      finding.draw_cost = draws.size();
      finding.draws = std::move(draws);
      all_.add(std::move(finding));
    }
  }

  FindingCollector& all_;
  const Scene& scene_;
  const Survey& survey_;
  const std::vector<Mat4d>& world_;
  std::vector<std::string> helper_words_;  ///< in lower case
};

}  // namespace

void find_node_findings(FindingCollector& all) { NodeFinder(all).find(); }

}  // namespace wakuzume
