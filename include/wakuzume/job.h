// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#pragma once

#include <optional>
#include <span>
#include <string>
#include <utility>
#include <vector>

#include "wakuzume/assess.h"
#include "wakuzume/build.h"
#include "wakuzume/mend.h"
#include "wakuzume/picture_codec.h"
#include "wakuzume/propose.h"
#include "wakuzume/repaint.h"
#include "wakuzume/restore.h"
#include "wakuzume/result.h"
#include "wakuzume/run_control.h"
#include "wakuzume/scene.h"
#include "wakuzume/settings.h"
#include "wakuzume/split.h"
#include "wakuzume/survey.h"
#include "wakuzume/verify_views.h"

/// job: the whole way from a scene to a proved result, and its steps, as calls on values.
///
/// In: a scene, settings, and what the core does not know: how pictures are read, what draws, where
/// results go. Out: plain values of every step.
/// 1. Nothing is printed, and no file is touched but by what the caller hands in.
/// 2. What is proved is what the delivery gives back: the result as others will read it.
/// 3. What the proof rejects is taken back and planned again, as often as the settings allow.
/// 4. Same scene, same settings: the same values, but for times, for any number of threads.
namespace wakuzume {

/// What is wanted. The parts of a job read of it what is theirs.
struct Job {
  Settings settings{};
  CostProfile profile{};           ///< the one that settings.profile names
  std::vector<Viewpoint> views{};  ///< where not empty: from these and no others
  /// How much of the images is looked at for what is told of a scene.
  ImageDepth depth = ImageDepth::pixels;
  /// Its origin and page_images are those of the source, whatever they are here.
  BuildSettings build{};
};

/// Where a result goes. FileDelivery of wakuzume/delivery.h, or your own.
class Delivery {
 public:
  Delivery() = default;
  Delivery(const Delivery&) = delete;
  Delivery& operator=(const Delivery&) = delete;
  virtual ~Delivery() = default;
  /// Takes a result with its assets and its ledger to where it belongs; once a round of a job.
  /// \param built  may learn where its source is
  /// \return the scene as others will read it
  virtual Result<Scene> deliver(Built& built, const RunControl& run) = 0;
};

/// What a job asks of the outside. All are borrowed.
struct JobTools {
  const PictureCodec& codec;
  ShotMakers* shots = nullptr;       ///< null: nothing is drawn, and the verdict tells so
  Delivery* delivery = nullptr;      ///< null: the result stays in memory and is proved as it is
  ViewAudience* audience = nullptr;  ///< is shown the views that were compared
  const LightmapFiles* lightmaps = nullptr;  ///< beside the source; null: there are none
  /// For the proof: beside the result, and beside the source for pages that stayed. Null: what was
  /// just built, then `lightmaps`.
  const LightmapFiles* result_lightmaps = nullptr;
};

/// A picture of normals, and its image in the scenes from the reduction on.
struct ReliefPicture {
  ImageId image = no_image;
  RectSize size;
  Bytes bytes;  ///< PNG; empty where nothing was painted
};

/// A scene as plans are made for it: split, its meshes reduced, its lightmap pages joined, its
/// materials shared.
struct Source {
  Scene scene;
  std::optional<Scene> unreduced{};  ///< before its meshes were reduced; nothing: they were not
  std::optional<Scene>
      unjoined{};                 ///< before its lightmap pages were joined; nothing: they were not
  std::optional<Scene> origin{};  ///< before it was repainted; nothing: it was not
  PageImages
      images{};  ///< of its pages, then of painted normals, of joined lightmaps; without bytes
  std::vector<SplitRow> split{};        ///< draws that were taken to pieces
  std::vector<ReducedMesh> reduced{};   ///< what became of the meshes that were
  std::vector<ReliefPicture> relief{};  ///< normals that they had; in `images`, too

  /// As it looked before anything was shared or joined.
  [[nodiscard]] const Scene& before_sharing() const {
    return unjoined ? *unjoined : origin ? *origin : scene;
  }
  /// As it looked before its meshes were reduced, too; with the same nodes and draws.
  [[nodiscard]] const Scene& before_all() const {
    return unreduced ? *unreduced : before_sharing();
  }
  /// One of its scenes from the reduction on, with the bytes of painted normals.
  [[nodiscard]] Scene with_relief(Scene shown) const {
    for (const ReliefPicture& picture : relief) {
      shown.images[to_index(picture.image)].bytes = picture.bytes;
    }
    return shown;
  }
};

/// A source with what plans are made from.
struct Prepared : SourceSteps {
  Source source;
  Survey survey;                     ///< of source.scene, as all that follows
  Outlook outlook;                   ///< with the sizes of images
  std::vector<ImageFacts> images{};  ///< before it was; empty: they were not needed
  std::vector<WishUse> wishes{};     ///< what came of those of all settings
};

/// Splits, reduces, joins lightmap pages and repaints as a plan or a ledger says.
/// \error as split, reduce, join_lightmaps, repaint
Result<Source> make_source(Scene scene, const SourceSteps& steps, const RunControl& run = {});
/// The same, and paints the normals of what was reduced where the steps ask for them.
/// \error as paint_relief
Result<Source> make_source(Scene scene,
                           const SourceSteps& steps,
                           const PictureCodec& codec,
                           const RunControl& run = {});

/// Splits, reduces, joins lightmap pages and shares materials by the settings, surveys what came of
/// it.
/// \error as validate, split, survey, propose_reduction, propose_lightmaps, propose_routes,
///        make_views; of a picture that routes need
Result<Prepared> prepare(Scene scene,
                         const Job& job,
                         const JobTools& tools,
                         const RunControl& run = {});

/// The same for a plan that is there: by its own steps and rules.
/// \param route_anew  for a scene that changed since: proposes other routes by these settings, if
///                    the plan has any; null: keeps its own
Result<Prepared> prepare_for(const Plan& plan,
                             Scene scene,
                             const Job& job,
                             const JobTools& tools,
                             const RunControl& run = {},
                             const MaterialSettings* route_anew = nullptr);

/// Answers wishes with terms by a source as it was before it was repainted, joined or reduced, into
/// its survey: names and counts are those that people know.
/// \error as validate_wish; cancelled \cost none without open terms, else up to a survey
Result<void> answer_wishes(std::span<const std::string> wishes,
                           Prepared& source,
                           const RunControl& run = {});

/// Views and prices for a scene. Without images.
/// \error as make_views
Result<Outlook> make_outlook(const Scene& scene, const Survey& survey, const Job& job);

/// A plan with the steps that its source was prepared by, and a forecast from before them.
Result<Plan> propose(const Prepared& source, const Job& job, const RunControl& run = {});

/// All that is told of a scene, by the settings of a job.
Result<Assessment> assess(const Scene& scene,
                          const Survey& survey,
                          Outlook outlook,
                          const Job& job,
                          const JobTools& tools,
                          const RunControl& run = {});

/// Carries a plan out and paints its pages, into the scene and its assets.
/// \error as build, paint_pages; bad_setting where the source can't go along
Result<Built> build(const Source& source,
                    const Plan& plan,
                    const Job& job,
                    const JobTools& tools,
                    const RunControl& run = {});

/// A result of the same source that was proved before.
struct ProvedBefore {
  Ledger ledger;
  Verdict verdict;
};

/// The audit; where materials are shared also how they look; the same views drawn of both; budgets.
/// \param after  with the bytes of its pages
/// \param earlier  of which looks and views are taken over that show what they did; may be null
/// \error as verify; a scene that can't be drawn is none: the verdict tells
Result<Verdict> prove(const Source& source,
                      const Ledger& ledger,
                      Scene after,
                      const Job& job,
                      const JobTools& tools,
                      const RunControl& run = {},
                      const ProvedBefore* earlier = nullptr);

/// What each goal for materials would give, all else as the settings say.
/// \error as prepare \cost that of three plans
Result<std::vector<MaterialChoice>> list_material_choices(const Scene& scene,
                                                          const Job& job,
                                                          const JobTools& tools,
                                                          const RunControl& run = {});

struct JobResult {
  Prepared source;
  Assessment assessment;  ///< of the source
  Plan plan;
  Built built;  ///< as the last round made it
  Scene after;  ///< as it was delivered, and proved
  Verdict verdict;
  std::vector<std::pair<std::string, double>> timings_s;  ///< of each step, in their order
};

/// All of it: prepare, propose, assess; then build, deliver and prove, until the proof holds or
/// nothing is left that could be taken back.
/// \error as the steps; what goes wrong before the first delivery leaves nothing behind
/// \cost that of the steps; a round more for each that the proof rejects
Result<JobResult> run_job(Scene scene,
                          const Job& job,
                          const JobTools& tools,
                          const RunControl& run = {});

/// Puts back what is chosen of a result; where all is, the source itself.
/// \param source  as it was read; nothing: the result carries it along
/// \param built  with the bytes of its pages
/// \error as restore, make_source; plan_mismatch where a source that should go along does not
Result<Built> put_back(std::optional<Scene> source,
                       const Ledger& ledger,
                       Scene built,
                       const RestoreChoice& choice,
                       const RunControl& run = {});

/// What pictures became anew.
struct Refreshed {
  std::vector<ImageId> images;      ///< of the result: those that changed, ascending
  std::vector<LightmapFile> files;  ///< pictures of joined lightmap pages that are files
};

/// Takes over pictures of a source that changed since a result was built, and paints its pages
/// anew; meshes are as they were.
/// \param ledger  becomes that of the result as it then is
/// Pictures of joined lightmap pages are made of those that there are now, which may be new ones.
/// \error bad_setting    the result shares no materials and joins no lightmap pages
/// \error plan_mismatch  more than pictures changed
Result<Refreshed> refresh_pictures(const Source& source,
                                   Ledger& ledger,
                                   Scene& built,
                                   const JobTools& tools,
                                   const RunControl& run = {});

}  // namespace wakuzume
