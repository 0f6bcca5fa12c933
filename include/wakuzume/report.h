// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#pragma once

#include <string>
#include <utility>
#include <vector>

#include "wakuzume/assess.h"
#include "wakuzume/build.h"
#include "wakuzume/bytes.h"
#include "wakuzume/job.h"
#include "wakuzume/picture.h"
#include "wakuzume/picture_codec.h"
#include "wakuzume/propose.h"
#include "wakuzume/scene.h"
#include "wakuzume/survey.h"
#include "wakuzume/verify.h"
#include "wakuzume/verify_views.h"

/// The report page: everything about a run on one page.
///
/// In: what the stages gave. Out: HTML that holds all it shows, loads nothing and opens anywhere.
/// 1. Texts of the scene are data and never markup, whatever they hold.
/// 2. It can be read with ten thousand groups: tables show some rows and search all.
namespace wakuzume {

/// Pictures of one view, encoded as PNG, JPEG or WebP, all of one size.
struct ReportView {
  std::size_t number = 0;  ///< as in Verdict::views
  Bytes shaded_before;
  Bytes shaded_after;
  Bytes draws_before;
  Bytes draws_after;
  Bytes heat;
  Bytes wires_before{};  ///< of a scene whose meshes were reduced; both or none
  Bytes wires_after{};
  /// Of a picture of what is deformed, with the number of Verdict::posed_views: shaded alone.
  std::string pose{};
};

/// A page of tiles or a stack of layers.
struct ReportSheet {
  std::string name;
  std::string about;
  Bytes picture;
};

/// Small pictures of lightmap pages, encoded; those that are not there have no bytes.
struct ReportLightmaps {
  std::vector<Bytes> pages;   ///< as in LightmapPlan::pages
  std::vector<Bytes> joined;  ///< as in LightmapPlan::joined
};

/// All references outlive the call.
struct ReportInput {
  std::string name;              ///< of the scene, as people know it
  const Scene& scene;            ///< that was planned
  const Survey& survey;          ///< of it
  const Assessment& assessment;  ///< of it
  const Plan& plan;
  const Ledger& ledger;
  const Scene& result;
  const Verdict& verdict;
  std::vector<ReportView> views{};
  std::vector<ReportSheet> sheets{};
  ReportLightmaps lightmaps{};
  std::vector<std::pair<std::string, double>> timings_s{};
};

/// Makes the pictures of the views that a job compares, as the page wants them.
class ReportAudience final : public ViewAudience {
 public:
  /// \param threads  1: pictures are made one after the other
  explicit ReportAudience(unsigned threads = 0) : threads_(threads) {}

  void begin(const DrawnScene& before, const DrawnScene& after) override;
  void show(std::size_t number,
            const Viewpoint& view,
            const Shot& before,
            const Shot& after,
            const Pixels& heat) override;
  void show_pose(std::size_t number,
                 const std::string& name,
                 const Shot& before,
                 const Shot& after) override;
  /// And the poses behind them.
  std::vector<ReportView> take_views() { return std::move(views_); }

 private:
  unsigned threads_;
  bool reduced_ = false;  ///< the result has fewer triangles
  DrawClasses before_;
  DrawClasses after_;
  std::vector<ReportView> views_;
};

/// Small pictures of the pages and stacks of a result. \param result  with their bytes
std::vector<ReportSheet> make_sheets(const Scene& result,
                                     const Ledger& ledger,
                                     const PictureCodec& codec);

/// Small pictures of the pages of a job that were joined, and of what they became.
/// \param tools  as the job had them
ReportLightmaps make_lightmap_pictures(const JobResult& job, const LightmapTools& tools);

/// \cost O(draws + groups), and what its pictures take in base64
std::string make_report(const ReportInput& input);
/// The page of a job, with its sheets.
/// \param views  as an audience of the job made them; may be empty
/// \param tools  as the job had them
std::string make_report(const std::string& name,
                        const JobResult& job,
                        std::vector<ReportView> views,
                        const LightmapTools& tools);

}  // namespace wakuzume
