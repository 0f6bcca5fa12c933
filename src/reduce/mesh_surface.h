// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#pragma once

#include <array>
#include <cstdint>
#include <string>
#include <vector>

#include "reduce/joint_motion.h"
#include "rework/stream_maker.h"
#include "wakuzume/scene.h"
#include "wakuzume/surface.h"

namespace wakuzume {

/// Why a mesh stays as it is whatever is asked; empty: it need not.
std::string find_obstacle_to_reducing(const Scene& scene, const Mesh& mesh);

/// The triangles of a mesh, all primitives together, as one surface; and back.
class MeshSurface {
 public:
  /// A primitive of triangles among them.
  struct Part {
    std::uint32_t primitive = 0;
    std::uint32_t first_vertex = 0;
    std::uint32_t vertices = 0;
    std::uint32_t first_triangle = 0;
    std::uint32_t triangles = 0;
    /// By vertex: its element in the primitive's streams; empty: all of them in their order.
    std::vector<std::uint32_t> elements{};
  };

  /// \param poses  in which its skin's joints stand elsewhere; each is one shape more
  /// \pre nothing stands in the way of it
  MeshSurface(const Scene& scene, const Mesh& mesh, std::span<const JointMotion::Pose> poses = {});

  [[nodiscard]] std::span<const Part> parts() const { return parts_; }
  [[nodiscard]] std::uint64_t triangles() const { return indices_.size() / 3; }
  [[nodiscard]] std::size_t vertices() const { return positions_.size() / 3; }
  [[nodiscard]] std::span<const float> positions() const { return positions_; }
  [[nodiscard]] std::array<std::uint32_t, 3> corners(std::size_t triangle) const {
    return {indices_[3 * triangle], indices_[3 * triangle + 1], indices_[3 * triangle + 2]};
  }
  /// Components of a stream of the part's primitive, of its own vertices alone.
  [[nodiscard]] std::vector<float> read(const Part& part, StreamId stream) const;
  /// How far a move may take it off by the mean, whatever count is wanted: beyond that it is not
  /// the thing any more that it was.
  [[nodiscard]] double shape_limit_m() const { return shape_limit_m_; }
  /// Longest diagonal of separate parts that may go as a whole.
  [[nodiscard]] double speck_limit_m() const { return speck_limit_m_; }
  /// Positions that are no floats stay on the grid that they are on.
  [[nodiscard]] bool has_grid() const { return has_grid_; }
  /// Vertices, triangles and what they carry have the same order in both.
  [[nodiscard]] bool is_ordered_like(const MeshSurface& other) const;
  /// What another's vertices became, as those of this one, which the transform takes the other to.
  /// \pre is_ordered_like(other), without targets
  [[nodiscard]] ReducedSurface take_over(const ReducedSurface& other, const Mat4d& fit) const;
  /// \param held  by vertex, or empty; borrowed like all that it shows
  [[nodiscard]] Surface show(std::span<const float> held) const;
  /// The mesh with what was reduced, its triangles in the order in which they are shaded quickly,
  /// but for blended ones, which keep theirs.
  [[nodiscard]] Mesh write(const ReducedSurface& reduced, StreamMaker& maker) const;

 private:
  /// A semantic of the primitives or of one of their morph targets.
  struct Trait {
    std::uint32_t target = no_index;  ///< no_index: the primitive's own; or a shape's number
    std::string semantic;             ///< empty: made here, and not written
    TraitKind kind = TraitKind::carried;
    std::uint32_t components = 0;
    std::vector<float> values;
  };
  /// Triangles of a part that are left, and the vertices that they show.
  struct Left {
    std::vector<std::uint32_t> indices;
    std::vector<std::uint32_t> vertices;  ///< of the reduced surface
  };

  void add_part(std::uint32_t primitive);
  void add_attributes(const Part& part,
                      const std::vector<Attribute>& attributes,
                      std::uint32_t target);
  Trait& ensure_trait(std::uint32_t target, const std::string& semantic, const Stream& stream);
  void add_motion(const Part& part);
  void add_shape(std::uint32_t number, const Part& part, const std::vector<float>& places);
  [[nodiscard]] Left take(const ReducedSurface& reduced, const Part& part) const;
  [[nodiscard]] std::vector<Attribute> write_attributes(const std::vector<Attribute>& attributes,
                                                        std::uint32_t target,
                                                        const Part& part,
                                                        const ReducedSurface& reduced,
                                                        const Left& left,
                                                        StreamMaker& maker) const;
  [[nodiscard]] std::vector<float> list_values(const Attribute& attribute,
                                               std::uint32_t target,
                                               const Part& part,
                                               const ReducedSurface& reduced,
                                               const Left& left) const;

  const Scene& scene_;
  const Mesh& mesh_;
  std::span<const JointMotion::Pose> poses_;
  std::vector<Part> parts_;
  std::vector<float> positions_;
  std::vector<std::uint32_t> indices_;
  std::vector<Trait> traits_;
  bool has_grid_ = false;
  float least_move_ = 0;
  double shape_limit_m_ = 0;
  double speck_limit_m_ = 0;
};

}  // namespace wakuzume
