// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#pragma once

#include <cstdint>
#include <set>
#include <span>
#include <string>
#include <utility>
#include <vector>

#include "reduce/cut_borders.h"
#include "reduce/mesh_surface.h"
#include "survey/wish.h"
#include "wakuzume/reduce.h"

namespace wakuzume {

/// What settings say of a scene: which nodes are reduced, and what of their meshes stays.
class Protection {
 public:
  /// \error bad_setting  joints or an attribute that nothing has
  /// \error plan_mismatch  terms that have no answer in the settings
  /// \param detail  borrowed
  static Result<Protection> make(const Scene& scene,
                                 const ReduceSettings& settings,
                                 std::span<const DetailMask> detail);

  /// Nodes that show a mesh and are reduced, by mesh; ascending.
  [[nodiscard]] std::span<const NodeId> nodes_of(MeshId mesh) const {
    return nodes_of_[to_index(mesh)];
  }
  /// All nodes that show a mesh are.
  [[nodiscard]] bool has_all_nodes_of(MeshId mesh) const {
    return nodes_of_[to_index(mesh)].size() == shown_by_[to_index(mesh)];
  }
  /// By vertex of a mesh's surface: 0 free to 1 held; empty: nothing is.
  [[nodiscard]] std::vector<float> list_held(MeshId mesh, const MeshSurface& surface) const;

 private:
  Protection(const Scene& scene, const ReduceSettings& settings, std::span<const DetailMask> detail)
      : scene_(scene), settings_(settings), detail_(detail), cuts_(scene) {}

  Result<void> choose_nodes();
  Result<std::vector<bool>> find_chosen() const;
  Result<void> find_protected();
  void hold_matches(const Wish& glob);
  Result<void> find_joints();
  Result<void> find_attribute();
  void hold_by_attribute(const Primitive& primitive,
                         const MeshSurface& surface,
                         const MeshSurface::Part& part,
                         std::vector<float>& held) const;
  void hold_by_joints(MeshId mesh,
                      const Primitive& primitive,
                      const MeshSurface& surface,
                      const MeshSurface::Part& part,
                      std::vector<float>& held) const;
  void hold_by_detail(const Primitive& primitive,
                      const MeshSurface& surface,
                      const MeshSurface::Part& part,
                      std::vector<float>& held) const;
  void hold_cuts(MeshId mesh, const MeshSurface::Part& part, std::vector<float>& held) const;
  void hold_by_boxes(MeshId mesh, const MeshSurface& surface, std::vector<float>& held) const;

  const Scene& scene_;
  const ReduceSettings& settings_;
  std::span<const DetailMask> detail_;
  std::vector<std::vector<NodeId>> nodes_of_;
  std::vector<std::size_t> shown_by_;
  std::vector<bool> mesh_held_;      // by mesh: by its name, or a node that shows it
  std::vector<bool> material_held_;  // by material
  std::set<std::pair<MeshId, std::uint32_t>> primitive_held_;
  std::vector<bool> joint_held_;  // by node
  std::string semantic_;
  std::size_t component_ = 0;
  std::vector<Mat4d> world_;
  CutBorders cuts_;
};

}  // namespace wakuzume
