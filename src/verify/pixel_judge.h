// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#pragma once

#include <array>
#include <cstdint>
#include <vector>

#include "wakuzume/restore.h"
#include "wakuzume/verify_views.h"

/// Pixels of a result against those of its source.
namespace wakuzume {

/// Wrong pixels of one draw of the source in one view.
struct DrawFault {
  std::uint32_t draw = no_index;
  std::uint32_t seen = 0;  ///< its pixels
  std::array<std::uint32_t, pixel_fault_count> pixels{};
  bool too_many = false;  ///< for a draw of its size
  bool to_blame = false;  ///< without it and those like it the view would pass
  [[nodiscard]] std::uint32_t sum() const { return pixels[0] + pixels[1] + pixels[2]; }
};

/// A wrong pixel of a blended draw, for which what is behind it may be to blame.
struct PanePixel {
  std::uint32_t pixel = 0;
  std::uint32_t draw = no_index;
  PixelFault fault = PixelFault::color;
};

struct JudgedView {
  ViewCheck check;
  std::vector<DrawFault> draws;  ///< that have wrong pixels
  std::vector<PanePixel> panes;  ///< of a view that fails
  Pixels heat;
};

class PixelJudge {
 public:
  /// All are borrowed.
  /// \param reductions  how far off draws may lie whose meshes were reduced
  PixelJudge(const DrawnScene& before,
             const DrawnScene& after,
             const Ledger& ledger,
             std::span<const ReductionCheck> reductions,
             const VerifySettings& settings);

  /// \pre shots of one size from the view, with pictures and hits
  [[nodiscard]] JudgedView judge(const Viewpoint& view,
                                 const Shot& before,
                                 const Shot& after,
                                 const RunControl& run) const;

  /// Gives the wrong pixels of panes to the opaque draws behind them where those are wrong too.
  /// \pre shots of the same view without what is blended
  void look_behind_panes(const Viewpoint& seen_from,
                         const Shot& before,
                         const Shot& after,
                         const RunControl& run,
                         JudgedView& view) const;

 private:
  /// A row's source draw, by its number in the survey of the source.
  static constexpr std::uint32_t unknown = no_index - 1;
  enum class Kind : std::uint8_t { same, color, other_draw, moved, edge, tied, righted, shifted };
  struct Pair;

  [[nodiscard]] static bool is_wrong(Kind kind);
  [[nodiscard]] static PixelFault find_fault(Kind kind);

  void find_slacks(const Survey& survey,
                   const Ledger& ledger,
                   std::span<const ReductionCheck> reductions);
  [[nodiscard]] Pair make_pair(const Viewpoint& view,
                               const Shot& before,
                               const Shot& after,
                               const RunControl& run) const;
  [[nodiscard]] std::vector<std::uint32_t> find_sources(const Shot& after,
                                                        const RunControl& run) const;
  [[nodiscard]] Kind judge_pixel(const Pair& pair, std::size_t p) const;
  [[nodiscard]] bool is_no_farther(const Pair& pair, std::size_t p) const;
  [[nodiscard]] bool is_off(std::uint32_t draw) const;
  [[nodiscard]] bool may_be_off(std::uint32_t draw) const;
  [[nodiscard]] bool may_show_reduced(std::uint32_t draw) const;
  [[nodiscard]] bool is_shifted_edge(const Pair& pair, std::size_t p) const;
  [[nodiscard]] Kind judge_same_draw(const Pair& pair, std::size_t p) const;
  [[nodiscard]] Route find_route(std::uint32_t draw) const;
  [[nodiscard]] double find_steps(std::uint32_t draw) const;
  [[nodiscard]] std::uint32_t find_owner(const Pair& pair, std::size_t p) const;
  [[nodiscard]] DrawFault judge_fault(DrawFault fault) const;
  void blame(std::size_t pixels, std::vector<DrawFault>& draws) const;
  void count(const Pair& pair, const std::vector<Kind>& kinds, JudgedView& out) const;
  [[nodiscard]] bool passes(const Pair& pair, const std::vector<Kind>& kinds) const;

  const Survey& before_;
  const Survey& after_;
  const Ledger& ledger_;
  const VerifySettings& settings_;
  LedgerIndex index_;
  std::vector<std::uint32_t> draw_of_row_;
  std::vector<Route> route_of_draw_;
  std::vector<float> slack_of_draw_;  ///< metres by which a repeat may be out of its place
  std::vector<float> off_of_draw_;    ///< metres by which its mesh may lie off; 0: by none
  float most_off_ = 0;
  float quantised_m_ = 0;      ///< what of it all draws may
  double turned_steps_ = 0;    ///< of 255, by which light may differ as normals were quantised
  std::vector<bool> reduced_;  ///< by draw: its mesh was
  bool any_reduced_ = false;
  std::vector<bool> bent_;    ///< by draw: a repeat for which an engine makes tangents
  std::vector<bool> masked_;  ///< by draw: its material cuts out
  Route loosest_ = Route::stay;
};

}  // namespace wakuzume
