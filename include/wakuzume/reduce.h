// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#pragma once

#include <cstdint>
#include <span>
#include <string>
#include <vector>

#include "wakuzume/deviation.h"
#include "wakuzume/geometry.h"
#include "wakuzume/ids.h"
#include "wakuzume/picture_codec.h"
#include "wakuzume/result.h"
#include "wakuzume/run_control.h"
#include "wakuzume/scene.h"
#include "wakuzume/surface.h"
#include "wakuzume/survey.h"
#include "wakuzume/views.h"

/// reduce: fewer triangles for a scene, where they are missed least.
///
/// In: a scene and how few triangles it may draw, or how far things may lie off. Out: a scene with
/// the same nodes, draws and materials, whose meshes have fewer triangles.
/// 1. A mesh is reduced once, whoever shows it; meshes of equal content are reduced alike, and so
///    are copies that were turned, moved or scaled as data, with their vertices in the same order.
/// 2. Primitives of a mesh are reduced together: they still touch where they touched.
/// 3. What is protected stays bit for bit; a count that can't be met ends as near as can be.
///    Vertices stay where pieces meet that were cut out of one mesh.
/// 4. Every target, weight and joint that a mesh has it keeps; attributes keep their types.
/// 5. Same scene, same plan: the same scene out, for any number of threads.
namespace wakuzume {

/// Whose triangles colliders have.
enum class ColliderTriangles : std::uint8_t {
  reduced,  ///< those that are shown
  original  ///< those that were there before
};

struct ReduceSettings {
  /// Most triangles as drawn, of the nodes that are chosen. \default 0: any number
  std::uint32_t triangles = 0;
  /// Of the triangles that they draw today. Whatever count is wanted, a mesh gives no more where
  /// moves would lie off by three twentieths of its extent, by the mean. \range [0, 1]
  double share = 1;
  /// How far surfaces may lie off where they lie farthest, metres in the world, as far as vertices
  /// and up to 16 places a triangle tell; 0: any distance, where a count is wanted.
  /// \range [0, 1e9]
  double error_m = 0;
  /// The same in pixels, of the view that shows a mesh largest. \range [0, 1e4]
  double error_px = 0;
  /// Height of pictures that pixels are of. \range [1, 65536]
  std::uint32_t height_px = 1080;
  /// From where pixels are seen; 0: from the views, or without any from where a mesh fills half the
  /// height. \range [0, 1e9]
  double distance_m = 0;
  /// Nodes whose meshes are reduced: wishes over their paths, see wakuzume/wishes.h. \default all
  std::vector<std::string> nodes{};
  /// What stays as it is: wishes; globs are over paths of nodes, names of meshes and of materials.
  /// \default none
  std::vector<std::string> protect{};
  /// Globs over paths of joints: what these move, or what hangs below them, stays. \default none
  std::vector<std::string> protect_joints{};
  /// Attribute whose component says what stays: 0 goes as anything, 1 stays, in between it goes
  /// later, such as "COLOR_1.r" or "_KEEP". \default none
  std::string protect_attribute{};
  /// What lies in one of these boxes of the world stays. \default none
  std::vector<Box3d> protect_boxes{};
  /// What carries lettering or detail as fine in its picture stays: where the picture, shown at a
  /// quarter of its size, is off by so many steps of 255 by the mean. About 20 for print.
  /// \range 0 (nothing stays for that), to 255
  double protect_detail = 0;
  VertexPlaces places = VertexPlaces::best;
  /// Longest side of the pictures that normals of what went are painted into, one a material; those
  /// that need less are smaller: see wakuzume/relief.h. \range 0 (none are painted), [16, 8192]
  std::uint32_t relief_px = 0;
  ColliderTriangles collider_triangles = ColliderTriangles::reduced;
  /// What terms among the wishes spoke of when they were asked. \default none: propose_reduction
  /// asks
  std::vector<WishAnswer> answers{};

  /// Anything that would take triangles away.
  [[nodiscard]] bool asks() const {
    return triangles > 0 || share < 1 || error_m > 0 || error_px > 0;
  }
  /// A count is wanted, whatever error is allowed.
  [[nodiscard]] bool counts() const { return triangles > 0 || share < 1; }
  bool operator==(const ReduceSettings&) const = default;
};
/// \error bad_setting  names the member and its range
Result<void> validate(const ReduceSettings& settings);

/// What wishes of settings speak of. \pre `survey` is of `scene`
/// \error bad_setting  terms that can't be read
/// \error cancelled
/// \cost that of find_draws for each
Result<std::vector<WishUse>> count_wishes(const Scene& scene,
                                          const Survey& survey,
                                          const ReduceSettings& settings,
                                          const RunControl& run = {});

/// Where a picture has fine detail: rows of cells from the top, as many a row as there are rows.
struct DetailMask {
  static constexpr std::uint32_t cells = 64;
  ImageId image = no_image;
  std::vector<bool> fine;  ///< cells x cells
  bool operator==(const DetailMask&) const = default;
};

/// Of the base colour and emissive pictures that are finer somewhere; a picture that can't be read
/// has none. \param steps  ReduceSettings::protect_detail
/// \error cancelled \cost decodes each picture once, in parallel
Result<std::vector<DetailMask>> find_fine_detail(const Scene& scene,
                                                 const PictureCodec& codec,
                                                 double steps,
                                                 const RunControl& run = {});

/// What a mesh is taken to.
struct MeshTarget {
  MeshId mesh = no_mesh;
  std::uint64_t triangles = 0;  ///< of its primitives together
  double error_m = 0;           ///< in its own space; 0: any
  double edge_m = 0;            ///< SurfaceSettings::edge_m
  /// The mesh that it is a copy of, but for a transform from there: it gives the same triangles.
  MeshId like = no_mesh;
  Mat4d fit = identity_matrix;
  bool operator==(const MeshTarget&) const = default;
};

struct ReducePlan {
  ReduceSettings settings;
  std::vector<MeshTarget> meshes;    ///< ascending
  std::vector<std::string> left_as;  ///< meshes that stay as they are, and why
  std::vector<DrawRef> untouched{};  ///< draws that were put back, ascending
  std::vector<DetailMask> detail{};  ///< what settings.protect_detail protects

  [[nodiscard]] bool reduces() const { return !meshes.empty(); }
};

/// Spreads a count over meshes by what it costs them and by how large views show them, or takes
/// each as far as the error allows.
/// \pre `survey` is of `scene`
/// \param views  without any all is seen alike
/// \param detail  of find_fine_detail; goes into the plan
/// \error bad_setting  of the settings, or joints or an attribute that nothing has
/// \error cancelled
/// \cost with a count that of a reduction of every mesh that is chosen
Result<ReducePlan> propose_reduction(const Scene& scene,
                                     const Survey& survey,
                                     const ReduceSettings& settings,
                                     std::span<const Viewpoint> views = {},
                                     const RunControl& run = {},
                                     std::vector<DetailMask> detail = {});

/// What became of a mesh.
struct ReducedMesh {
  MeshId mesh = no_mesh;
  MeshId result = no_mesh;  ///< of the new scene: another where nodes that were not chosen show it
  std::uint64_t draws = 0;  ///< nodes that show it, times their instances
  std::uint64_t triangles_before = 0;
  std::uint64_t triangles = 0;
  std::uint64_t held = 0;    ///< of these, protected
  std::uint64_t specks = 0;  ///< separate parts that went as a whole
  /// In its own space: where an error was wanted the farthest, else the mean of the move that had
  /// the largest.
  double error_m = 0;
  ReducedTo why = ReducedTo::count;
  [[nodiscard]] bool gave() const { return triangles < triangles_before; }
};

struct Reduced {
  Scene scene;
  std::vector<ReducedMesh> meshes;  ///< as the plan's
};

/// \pre check_scene(scene)
/// \error plan_mismatch  a mesh that the scene does not have, or terms without an answer
/// \error cancelled
/// \cost that of reduce_surface for each mesh, in parallel
Result<Reduced> reduce(const Scene& scene, const ReducePlan& plan, const RunControl& run = {});

/// How large a mesh is shown.
struct ShownSize {
  double scale = 0;     ///< largest of the nodes that show it
  double px_per_m = 0;  ///< of the world, in the view that shows it largest; 0: none does
  double weight = 0;    ///< pixels a metre of its own space to the fourth, over draws and views
};

/// By mesh. Without views weights are those of scales alone.
/// \param survey  of the scene \cost O(draws x views)
std::vector<ShownSize> find_shown_sizes(const Scene& scene,
                                        const Survey& survey,
                                        std::span<const Viewpoint> views,
                                        std::uint32_t height_px);

/// How far a reduced mesh lies off, in its own space.
struct MeshDeviation {
  Deviation surface;      ///< of its triangles
  double turned_deg = 0;  ///< mean of its normals; 0 without any
  double texture = 0;     ///< mean distance in its first UV set; 0 without one
  double color = 0;       ///< mean distance of its vertex colours; 0 without any
};

/// Measures each reduced mesh against the one it was, at up to 16 places a triangle. \pre both
/// scenes and the list are those of `reduce` \error cancelled \cost that of measure_deviation for
/// each mesh, in parallel
Result<std::vector<MeshDeviation>> measure_reduction(const Scene& before,
                                                     const Scene& after,
                                                     std::span<const ReducedMesh> meshes,
                                                     const DeviationSettings& settings = {},
                                                     const RunControl& run = {});

}  // namespace wakuzume
