// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include <algorithm>
#include <chrono>
#include <optional>

#include "job/prepare.h"
#include "job/telling.h"
#include "wakuzume/job.h"

namespace wakuzume {
namespace {

/// Seconds of each step, one after the other.
class Stopwatch {
 public:
  explicit Stopwatch(std::vector<std::pair<std::string, double>>& steps) : steps_(steps) {}
  void stop(const char* step) {
    const auto now = std::chrono::steady_clock::now();
    steps_.emplace_back(step, std::chrono::duration<double>(now - begun_).count());
    begun_ = now;
  }

 private:
  std::vector<std::pair<std::string, double>>& steps_;
  std::chrono::steady_clock::time_point begun_ = std::chrono::steady_clock::now();
};

/// Pictures of joined lightmap pages that nobody has written yet, then those of the source.
class BuiltLightmaps final : public LightmapFiles {
 public:
  BuiltLightmaps(const std::vector<LightmapFile>& built, const LightmapFiles* others)
      : built_(built), others_(others) {}
  [[nodiscard]] Result<LightmapFile> find(const std::string& name) const override {
    for (const LightmapFile& file : built_) {
      for (const char* ending : lightmap_endings) {
        if (file.name == name + ending) {
          return file;
        }
      }
    }
    return others_ == nullptr ? Result<LightmapFile>(LightmapFile{}) : others_->find(name);
  }

 private:
  const std::vector<LightmapFile>& built_;
  const LightmapFiles* others_;
};

/// What a step takes back, as people read it.
std::vector<Mend> tell_mends(const Scene& origin,
                             const Verdict& verdict,
                             const MendStep& step,
                             std::uint32_t round) {
  std::vector<Mend> out;
  for (const MaterialTakenBack& taken : step.materials) {
    const std::string& name = origin[taken.material].name;
    out.push_back(
        {round,
         name.empty() ? fmt::format("material {}", to_index(taken.material)) : "material " + name,
         taken.to == TakenTo::larger ? "a tile as large as its texture"
                                     : "its own material, as it was",
         taken.why});
  }
  for (const DrawRef& draw : step.whole) {
    const auto rejection = std::find_if(verdict.rejected.begin(), verdict.rejected.end(),
                                        [&](const Rejection& of) { return of.draw == draw; });
    out.push_back(
        {round, fmt::format("{} primitive {}", make_node_path(origin, draw.node), draw.primitive),
         "the triangles that it had", rejection == verdict.rejected.end() ? "" : rejection->why});
  }
  for (const TakenBack& taken : step.draws) {
    out.push_back({round,
                   fmt::format("{} primitive {}", make_node_path(origin, taken.draw.node),
                               taken.draw.primitive),
                   taken.from == TakenFrom::repeats ? "its own geometry, no repeat"
                                                    : "a draw of its own, as it was",
                   taken.why});
  }
  return out;
}

/// One job on its way: what is known so far goes into the result, step by step.
class JobRun {
 public:
  JobRun(const Job& job, const JobTools& tools, const RunControl& run)
      : job_(job), tools_(tools), run_(run) {}

  Result<JobResult> go(Scene scene) {
    if (auto proposed = prepare_and_propose(std::move(scene)); !proposed) {
      return Failure(proposed.error());
    }
    // Before anything is delivered: what goes wrong here leaves no half of the results.
    if (auto assessed = assess_source(); !assessed) {
      return Failure(assessed.error());
    }
    if (auto built = build_until_it_holds(); !built) {
      return Failure(built.error());
    }
    return std::move(out_);
  }

 private:
  Result<void> prepare_and_propose(Scene scene) {
    auto prepared = prepare(std::move(scene), job_, tools_, run_);
    if (!prepared) {
      return Failure(prepared.error());
    }
    out_.source = std::move(*prepared);
    auto plan = propose(out_.source, job_, run_);
    if (!plan) {
      return Failure(plan.error());
    }
    out_.plan = std::move(*plan);
    watch_.stop("survey and propose");
    return {};
  }

  Result<void> assess_source() {
    const Prepared& source = out_.source;
    auto assessment =
        assess(source.source.scene, source.survey, source.outlook, job_, tools_, run_);
    if (!assessment) {
      return Failure(assessment.error());
    }
    out_.assessment = std::move(*assessment);
    watch_.stop("assess: views, ladder, findings");
    return {};
  }

  Result<void> build_and_deliver() {
    auto built = build(out_.source.source, out_.plan, job_, tools_, run_);
    if (!built) {
      return Failure(built.error());
    }
    out_.built = std::move(*built);
    tell(run_, "built");
    watch_.stop("build and paint");
    if (tools_.delivery == nullptr) {
      out_.after = out_.built.scene;
      return {};
    }
    auto after = tools_.delivery->deliver(out_.built, run_);
    if (!after) {
      return Failure(after.error());
    }
    out_.after = std::move(*after);
    watch_.stop("write and read again");
    return {};
  }

  Result<void> prove_round(const ProvedBefore* earlier) {
    const BuiltLightmaps lightmaps(out_.built.lightmaps, tools_.lightmaps);
    JobTools tools = tools_;
    if (tools.result_lightmaps == nullptr) {
      tools.result_lightmaps = &lightmaps;
    }
    auto verdict =
        prove(out_.source.source, out_.built.ledger, out_.after, job_, tools, run_, earlier);
    if (!verdict) {
      return Failure(verdict.error());
    }
    out_.verdict = std::move(*verdict);
    tell(run_, "verified");
    watch_.stop("verify: audit, looks and views");
    return {};
  }

  /// Routes and plans once more, without what was taken back before and by a step.
  Result<void> propose_again(const MendStep& step) {
    std::vector<TakenBack> draws = std::move(out_.plan.taken_back);
    Prepared& source = out_.source;
    std::vector<MaterialTakenBack> materials = source.routes.taken_back;
    add_mends(step, draws, materials);
    source.routes.taken_back = materials;
    if (!step.whole.empty()) {
      if (auto reduced = reduce_again(source, step.whole, materials, job_, tools_, run_);
          !reduced) {
        return reduced;
      }
    } else if (!step.materials.empty()) {
      if (auto shared = share_again(source, materials, job_, tools_, run_); !shared) {
        return shared;
      }
    }
    auto plan = propose_without(draws, source, job_, run_);
    if (!plan) {
      return Failure(plan.error());
    }
    out_.plan = std::move(*plan);
    watch_.stop("propose without what was rejected");
    return {};
  }

  Result<void> build_until_it_holds() {
    std::vector<Mend> mends;
    std::optional<ProvedBefore> earlier;
    for (std::uint32_t round = 1;; ++round) {
      if (auto built = build_and_deliver(); !built) {
        return built;
      }
      if (auto proved = prove_round(earlier ? &*earlier : nullptr); !proved) {
        return proved;
      }
      const Source& source = out_.source.source;
      const Scene& origin = source.before_sharing();
      const MendStep step =
          round > job_.settings.verify.mend_rounds
              ? MendStep{}
              : choose_mends(origin, source.before_all(), out_.built.ledger, out_.verdict);
      if (step.empty()) {
        break;
      }
      const std::vector<Mend> told = tell_mends(origin, out_.verdict, step, round);
      mends.insert(mends.end(), told.begin(), told.end());
      tell(run_, "took back {} {} that the proof rejected", told.size(),
           told.size() == 1 ? "thing" : "things");
      if (auto again = propose_again(step); !again) {
        return again;
      }
      earlier = ProvedBefore{std::move(out_.built.ledger), std::move(out_.verdict)};
    }
    if (mends.empty()) {
      return {};
    }
    out_.verdict.mends = std::move(mends);
    // What was taken back left another scene to tell of.
    if (auto assessed = assess_source(); !assessed) {
      return assessed;
    }
    out_.timings_s.back().first = "assess what is left";
    return {};
  }

  const Job& job_;
  const JobTools& tools_;
  const RunControl& run_;
  JobResult out_;
  Stopwatch watch_{out_.timings_s};
};

}  // namespace

Result<JobResult> run_job(Scene scene,
                          const Job& job,
                          const JobTools& tools,
                          const RunControl& run) {
  return JobRun(job, tools, run).go(std::move(scene));
}

}  // namespace wakuzume
