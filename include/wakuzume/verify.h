// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#pragma once

#include <array>
#include <cstdint>
#include <span>
#include <string>
#include <vector>

#include "wakuzume/budget.h"
#include "wakuzume/build.h"
#include "wakuzume/picture_codec.h"
#include "wakuzume/result.h"
#include "wakuzume/routes.h"
#include "wakuzume/run_control.h"
#include "wakuzume/scene.h"
#include "wakuzume/shot.h"
#include "wakuzume/survey.h"

/// verify: prove that a result still holds everything its source held.
///
/// In: both scenes and the ledger between them. Out: a verdict.
/// The audit decodes both scenes afresh, element by element, and follows each ledger row:
/// 1. every source triangle, line and point is in the result exactly once, wound the same way;
/// 2. positions, normals, UVs, colours, tangents and custom attributes agree within tolerance;
///    where an instance shows another's geometry, within that by which the ledger says it was
///    chosen;
/// 3. the material is the same one, and so are the lightmap page, the glTF scenes that show it and
///    what moves it; nothing is drawn that no row accounts for;
/// 4. what is deformed has all its corners in the same places in sampled poses of every animation,
///    and with each morph target by itself.
namespace wakuzume {

/// How far the pixels of draws may differ whose materials took one route.
struct PixelTolerance {
  double steps = 3;       ///< of 255, in any channel \range [0, 255]
  double share = 0.0002;  ///< of the pixels of a view that may differ by more \range [0, 1]
  bool operator==(const PixelTolerance&) const = default;
};

struct VerifySettings {
  /// Allowed distance between a source and a result position, as a share of the output
  /// primitive's extent; half a float ulp of the coordinate comes on top. \range [0, 1]
  double position_tolerance = 1e-6;
  /// Allowed difference of a component of a normal or tangent. \range [0, 2]
  double direction_tolerance = 1e-4;
  /// Of what is deformed: poses of each animation, and of all together, in which all corners are
  /// compared; and by how much places may differ, as a share of the extent. \range [0, 1e4]
  std::uint32_t moments = 8;
  std::uint32_t poses = 100;       ///< \range [0, 1e4]
  double motion_tolerance = 1e-5;  ///< \range [0, 1]
  /// Of what is deformed: poses and morph targets of which pictures are compared. \range [0, 1e4]
  std::uint32_t picture_poses = 8;
  /// Where materials became shared ones: least signal-to-noise ratio of what draws show, over an
  /// area of two texels of the page. \range [0, 100]
  double look_psnr_db = 30;
  /// The same of what was rebaked: its texels lie in other directions than before, which blurs the
  /// finest detail. \range [0, 100]
  double rebaked_look_psnr_db = 24;
  /// By Route. Merging alone changes nothing but roundings; other texels are filtered otherwise.
  std::array<PixelTolerance, route_count> pixels{{{3, 0.0002},    // fold
                                                  {4, 0.0005},    // tint
                                                  {20, 0.01},     // atlas
                                                  {20, 0.01},     // layers
                                                  {28, 0.03},     // rebake
                                                  {3, 0.0002}}};  // stay
  /// Of what was reduced: it is shaded by fewer normals, and textures lie otherwise on it.
  PixelTolerance reduced{48, 0.05};
  /// A draw is wrong when so large a share of its pixels in a view is. \range (0, 1]
  double draw_share = 0.15;
  /// Pixels of a draw from which on that counts. \range [1, 1e6]
  std::uint32_t draw_pixels = 16;
  /// The same where texels lie among others than before, and from afar are averaged with those.
  /// \range [1, 1e6]
  std::uint32_t refiltered_draw_pixels = 400;
  double refiltered_draw_share = 0.4;  ///< as draw_share, of those \range (0, 1]
  /// Steps of 255 by which pixels of repeats may differ whose normals a texture bends and that have
  /// no tangents: an engine makes those from another's shape, which is stretched. \range [0, 255]
  double bent_repeat_steps = 64;
  /// Allowed difference of the distance that a pixel shows, as a share of it. \range [0, 1]
  double distance_tolerance = 1e-4;
  /// Times that a run takes back what its proof rejects, and proves again; 0: never.
  /// \range [0, 16]
  std::uint32_t mend_rounds = 4;
  /// Views that are drawn and compared: cameras first, then overviews, then samples; 0: none.
  /// \range [0, 65536]
  std::uint32_t picture_views = 12;
  /// Time for drawing them, the only thing here that a result can depend on from run to run: no
  /// view is begun after it, and the verdict says how many were left. 0: none. \range [0, 1e6]
  double seconds = 0;
  std::uint32_t picture_width_px = 1280;  ///< \range [16, 8192]
  std::uint32_t picture_height_px = 720;  ///< \range [16, 8192]
  BlendSorting sorting{};                 ///< of blended draws; a job has its cost profile's
};
/// \error bad_setting
Result<void> validate(const VerifySettings& settings);

/// One thing that is wrong, with its place in the source.
struct Mismatch {
  DrawRef draw;  ///< source draw; no_node for something drawn that has no source
  std::string what;
  std::string path{};  ///< of the draw's node; empty without one
};

/// How well a shared material shows what one of the source showed.
struct LookCheck {
  MaterialId material = no_material;  ///< of the source
  /// Of the worst of its channels, as they are encoded; 100 where all is equal.
  double psnr_db = 100;
  std::uint64_t samples = 0;  ///< places on its draws
  /// Texels by which its picture is shifted on the result; 0, 0 where it is in its place.
  Vec2d shift_texels{0, 0};
};

/// A mesh that was reduced, held against the one it was. Distances are of the world, where it is
/// shown largest.
struct ReductionCheck {
  MeshId mesh = no_mesh;  ///< of the scene before
  std::string name;
  std::uint64_t draws = 0;  ///< nodes that show it, times their instances
  std::uint64_t triangles_before = 0;
  std::uint64_t triangles = 0;
  double farthest_m = 0;  ///< of either surface from the other
  double mean_m = 0;
  double farthest_px = 0;  ///< from the view that shows it largest; 0: none does
  double asked_m = 0;      ///< most that farthest_m was to be; 0: any distance
  double turned_deg = 0;   ///< mean of its normals
  double texture = 0;      ///< mean distance in its first UV set
  double color = 0;        ///< mean distance of its vertex colours
  /// A twentieth on top: places are looked at, not all, and others than when it was reduced.
  [[nodiscard]] bool passed() const { return asked_m <= 0 || farthest_m <= 1.05 * asked_m; }
};

/// What is wrong with a pixel.
enum class PixelFault : std::uint8_t {
  color,       ///< the right thing in another colour
  other_draw,  ///< another thing
  moved,       ///< the right thing, nearer or farther
};
inline constexpr std::size_t pixel_fault_count = 3;
std::string_view to_string(PixelFault fault);

/// Source and result from one view.
struct ViewCheck {
  std::string view;          ///< its name
  std::uint32_t number = 0;  ///< its position among the views that were given
  std::uint32_t width_px = 0;
  std::uint32_t height_px = 0;
  bool passed = true;
  std::uint64_t differing = 0;  ///< pixels that are wrong in some way
  std::array<std::uint64_t, pixel_fault_count> faults{};
  /// Where an edge runs through a pixel's centre, rounding decides what it shows.
  std::uint64_t edge_pixels = 0;
  /// Two surfaces of the source are in the same place, and chance decides which one shows.
  std::uint64_t tied_pixels = 0;
  /// The source's blended layers were drawn in a wrong order here, and come nearer to the exact
  /// picture now.
  std::uint64_t righted_pixels = 0;
  /// Edges of reduced meshes went through, no farther than these lie off.
  std::uint64_t shifted_pixels = 0;
  /// Wrong pixels whose blended layers are drawn in a wrong order now, and not as the source's are.
  std::uint64_t disordered_pixels = 0;
  double mean_error = 0;  ///< steps of 255, over all channels
  double psnr_db = 100;   ///< 100 where all is equal
  double likeness = 1;    ///< structural similarity of brightness, 1: the same
  Submitted before;
  Submitted after;
  /// Draws of each pass of the cost profile, before and after.
  std::vector<std::string> passes;
  std::vector<std::uint64_t> pass_draws_before;
  std::vector<std::uint64_t> pass_draws_after;
  double frame_ms_before = 0;  ///< by the cost profile
  double frame_ms_after = 0;
  [[nodiscard]] double differing_share() const {
    return static_cast<double>(differing) / (static_cast<double>(width_px) * height_px);
  }
};

/// A group whose triangles cover wrong pixels.
struct GroupFault {
  std::string group;  ///< its name; empty: a draw that was kept
  std::uint64_t pixels = 0;
  std::uint32_t draws = 0;
  DrawRef worst;                         ///< source draw with the most of them
  std::string node;                      ///< its path
  PixelFault fault = PixelFault::color;  ///< the most frequent
  std::string view;                      ///< that shows most of it
};

enum class RejectedFor : std::uint8_t { shape, look };

/// What a proof does not accept: what became of a draw, or of all that shows a material.
struct Rejection {
  DrawRef draw{no_node, 0};  ///< of the source; no_node: all of the material
  MaterialId material = no_material;
  RejectedFor about = RejectedFor::shape;
  std::string why;  ///< one sentence without its subject
};

/// What was taken back so that a result holds.
struct Mend {
  std::uint32_t round = 0;  ///< from 1 on
  std::string what;         ///< "material moss", "/hall/bench primitive 2"
  std::string became;       ///< "its own tile, as large as its texture"
  std::string why;          ///< what the proof had found
};

/// A file for GPUs against the picture it lies beside.
struct GpuPictureCheck {
  std::string file;    ///< its path from the result's folder
  double psnr_db = 0;  ///< 100: the same
};

struct Verdict {
  bool passed = false;
  Totals before;
  Totals after;
  std::uint64_t triangles_checked = 0;
  std::uint64_t elements_checked = 0;  ///< lines and points
  std::uint64_t mismatch_count = 0;
  std::vector<Mismatch> mismatches;  ///< the first hundred
  double largest_position_error_m = 0;
  /// Source draws that another's geometry stands for, vertex by vertex within the tolerance.
  std::uint64_t fitted_draws = 0;
  std::array<std::uint64_t, fate_count> fates{};  ///< source draws, indexed by Fate
  std::uint32_t poses = 0;                        ///< in which what is deformed was compared
  std::uint64_t places_in_motion = 0;             ///< corners, over all of them
  double largest_motion_error_m = 0;
  std::uint64_t lightmap_lookups = 0;         ///< of verify_lightmaps; all found their texel
  std::vector<GpuPictureCheck> gpu_pictures;  ///< of verify_gpu_pictures; by image
  std::vector<LookCheck> looks;               ///< by material; of verify_looks
  std::vector<ReductionCheck> reductions;     ///< of verify_reduction; the farthest first
  /// Lightmap pages that lit the views of the source and of the result.
  std::array<std::size_t, 2> lit_pages{};
  /// Vertices that a GPU shades for a triangle that is drawn (count_shaded), of the source and of
  /// the result; 0 without triangles.
  std::array<double, 2> shaded_per_triangle{};
  std::string drawn_by;                  ///< what drew the views; empty: nothing did
  std::vector<ViewCheck> views;          ///< of verify_views; the worst first
  std::vector<ViewCheck> posed_views;    ///< of what is deformed, in poses; the worst first
  std::vector<GroupFault> group_faults;  ///< most pixels first; what is blended last
  std::vector<BudgetResult> budgets;     ///< of the result
  std::vector<TierResult> tiers;
  std::vector<std::string> not_checked;  ///< one sentence each, and why
  std::vector<Rejection> rejected;       ///< of all that did not pass, in no order
  std::vector<Mend> mends;               ///< of the runs before this one, by round
};

/// \pre check_scene holds for both
/// \error plan_mismatch  the ledger was written for other scenes
/// \cost O(triangles + vertices) of both scenes, parallel over the source draws
Result<Verdict> verify(const Scene& before,
                       const Scene& after,
                       const Ledger& ledger,
                       const VerifySettings& settings = {},
                       const RunControl& run = {});

/// Holds meshes that were reduced against those that they were, at up to 16 places a triangle of
/// both.
/// \param survey  of `before` \param views  that pixels are of
/// \param after  reduce(before, plan), of which `meshes` tells
/// \error cancelled \cost that of measure_reduction
Result<void> verify_reduction(const Scene& before,
                              const Survey& survey,
                              const Scene& after,
                              std::span<const ReducedMesh> meshes,
                              const ReducePlan& plan,
                              std::span<const Viewpoint> views,
                              Verdict& verdict,
                              const RunControl& run = {});

/// Looks lightmaps up at places strewn over every draw that moved: the four texels around each, at
/// every clean mip level, are those that they were, and no two rectangles share a place.
/// \param before  with its pages apart \param joined  as plans are made for it, which the audit
///        holds the result against
/// \error cancelled
/// \cost 16 places a draw, in parallel
Result<void> verify_lightmaps(const Scene& before,
                              const Scene& joined,
                              const LightmapPlan& plan,
                              Verdict& verdict,
                              const RunControl& run = {});

/// Holds a repainted scene against the one before, material by material: at places strewn over its
/// draws all channels are looked up in both, by what each material says and nothing else, and
/// compared. Adds to the verdict what differs. Mip levels that were written have to show the level
/// before them.
/// \param after  repaint(before, routes) with the pictures of its pages as they were written
/// \param known  checks of materials that look as they did when these were made: taken as they are
/// \error cancelled. A picture that can't be decoded is white in both, and the verdict tells
/// \cost decodes each picture once for each material that shows it, side by side
Result<void> verify_looks(const Scene& before,
                          const Scene& after,
                          const RoutePlan& routes,
                          const PictureCodec& codec,
                          const VerifySettings& settings,
                          Verdict& verdict,
                          const RunControl& run = {},
                          std::span<const LookCheck> known = {});

/// Holds the files for GPUs that textures of a result name against its pictures. Adds to the
/// verdict those that are missing, of another size, or less like their picture than was asked.
///
/// \param after  with the bytes of its pages
/// \param files  beside it; null: there are none, and the verdict tells
/// \error cancelled
Result<void> verify_gpu_pictures(const Scene& after,
                                 const Ledger& ledger,
                                 const LightmapFiles* files,
                                 const PictureCodec& codec,
                                 Verdict& verdict,
                                 const RunControl& run = {});

}  // namespace wakuzume
