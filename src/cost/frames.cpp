// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include <tbb/enumerable_thread_specific.h>

#include <algorithm>
#include <bit>
#include <cmath>
#include <limits>
#include <map>
#include <optional>

#include "cost/shadows.h"
#include "cost/stamps.h"
#include "scene/matrix.h"
#include "scene/running.h"
#include "scene/tree.h"
#include "survey/draws.h"
#include "survey/textures.h"
#include "wakuzume/cost.h"

namespace wakuzume {
namespace {

enum class Order : std::uint8_t { opaque, masked, blended };
enum class Buffers : std::uint8_t { depth, color };

/// What an engine binds for a draw; depth passes bind less.
struct State {
  std::uint32_t pipeline = 0;
  std::uint32_t material = 0;
};

/// A draw as the counting sees it: all numbers, in the order of the culling boxes.
struct CountedDraw {
  std::uint64_t triangles = 0;
  std::uint64_t vertices = 0;
  std::uint32_t instances = 0;
  std::uint32_t state = 0;        ///< in the main pass
  std::uint32_t depth_state = 0;  ///< in depth and shadow passes
  std::uint32_t stack = 0;        ///< draws that an engine can instance by itself share it
  std::uint32_t draw = 0;         ///< position in the survey
  Order order = Order::opaque;
};

/// States by number, in first-seen order.
class StateLexicon {
 public:
  std::uint32_t add(std::uint32_t pipeline, std::uint32_t material) {
    const auto [slot, added] =
        known_.try_emplace({pipeline, material}, static_cast<std::uint32_t>(states_.size()));
    if (added) {
      states_.push_back({pipeline, material});
    }
    return slot->second;
  }
  const State& operator[](std::uint32_t id) const { return states_[id]; }
  [[nodiscard]] std::size_t size() const { return states_.size(); }

 private:
  std::map<std::pair<std::uint32_t, std::uint32_t>, std::uint32_t> known_;
  std::vector<State> states_;
};

/// What is worked with for one view at a time; reused by a thread.
struct Scratch {
  Stamps states;
  Stamps pipelines;
  Stamps stacks;
  Stamps images;
  Stamps frame_images;
  std::vector<std::uint64_t> small_vertices;  ///< by state
  std::vector<std::uint32_t> small_states;
  std::vector<std::uint64_t> seen;
  std::vector<std::pair<float, std::uint32_t>> sorted;  ///< blended: distance, place
  std::vector<std::uint32_t> in_order;
};

struct BlockSum {
  std::uint64_t places = 0;  ///< bits of the places that hold a draw
  std::uint64_t triangles = 0;
  std::uint64_t vertices = 0;
  std::uint64_t instances = 0;
  bool has_blended = false;
};

/// What the shadow map of a light takes, all its faces together.
struct LightCost {
  PassCost cost;
  std::vector<std::uint32_t> images;
};

class FrameCounter {
 public:
  FrameCounter(const Scene& scene,
               const Survey& survey,
               std::span<const Viewpoint> views,
               const Visibility& visibility,
               std::span<const ImageFacts> images,
               const CostProfile& profile)
      : scene_(scene), survey_(survey), views_(views), visibility_(visibility), profile_(profile) {
    measure_images(images);
    describe_states();
    arrange_draws();
    sum_blocks();
    draws_count_singly_ =
        profile.sorts_by_state && !profile.instances_repeats && profile.batches_up_to_vertices == 0;
    sun_ = find_sun(scene, profile);
    if (profile.sorts_blended.at == SortAt::origin) {
      for (const Mat4d& world : make_world_matrices(scene)) {
        origins_.push_back({world[12], world[13], world[14]});
      }
    }
  }

  Result<Frames> count(const RunControl& run) {
    prepare_lights();
    Frames frames;
    frames.profile = profile_;
    frames.views.resize(views_.size());
    tbb::enumerable_thread_specific<Scratch> scratch;
    const bool finished = for_each_index(views_.size(), run, "counting frames", [&](std::size_t v) {
      frames.views[v] = count_view(v, scratch.local());
    });
    return finished ? Result<Frames>(std::move(frames)) : Failure(make_cancelled());
  }

 private:
  void measure_images(std::span<const ImageFacts> images) {
    image_bytes_.assign(scene_.images.size(), 0);
    for (std::size_t i = 0; i < images.size(); ++i) {
      const double texels =
          static_cast<double>(images[i].width_px) * static_cast<double>(images[i].height_px);
      // A full mip chain adds a third.
      image_bytes_[i] = static_cast<std::uint64_t>(
          std::llround(texels * profile_.texture_bytes_per_texel * 4 / 3));
    }
    for (const Material& material : scene_.materials) {
      std::vector<std::uint32_t> list;
      for (const ImageId image : list_images(scene_, material)) {
        list.push_back(static_cast<std::uint32_t>(image));
      }
      material_images_.push_back(std::move(list));
    }
    material_images_.emplace_back();  // the default material
  }

  [[nodiscard]] std::uint32_t number_of(MaterialId material) const {
    return material == no_material ? static_cast<std::uint32_t>(scene_.materials.size())
                                   : static_cast<std::uint32_t>(material);
  }

  void describe_states() {
    for (const Shape& shape : survey_.shapes) {
      const PipelineKey& pipeline = survey_[shape.pipeline];
      shape_states_.push_back(
          states_.add(static_cast<std::uint32_t>(shape.pipeline), number_of(shape.material)));
      // Depth alone needs no material unless its texture cuts holes.
      const bool masked = pipeline.alpha_mode == AlphaMode::mask;
      const std::uint32_t depth_pipeline = (pipeline.double_sided ? 1U : 0U) + (masked ? 2U : 0U) +
                                           4U * static_cast<std::uint32_t>(pipeline.topology);
      shape_depth_states_.push_back(depth_states_.add(
          depth_pipeline, masked ? number_of(shape.material) : number_of(no_material)));
    }
  }

  void arrange_draws() {
    const CullingBoxes& boxes = visibility_.boxes();
    draws_.resize(boxes.size());
    for (std::size_t place = 0; place < draws_.size(); ++place) {
      CountedDraw& counted = draws_[place];
      counted.draw = boxes.index_at(place);
      const Draw& draw = survey_.draws[counted.draw];
      const Shape& shape = survey_[draw.shape];
      counted.triangles = draw.triangles;
      counted.vertices = draw.vertices * draw.instances;
      counted.instances = static_cast<std::uint32_t>(
          std::min<std::uint64_t>(draw.instances, std::numeric_limits<std::uint32_t>::max()));
      counted.state = shape_states_[to_index(draw.shape)];
      counted.depth_state = shape_depth_states_[to_index(draw.shape)];
      const bool repeats = draw.instances == 1 && !draw.deformed;
      counted.stack =
          repeats ? 2 * static_cast<std::uint32_t>(draw.shape) + (draw.mirrored ? 1 : 0) : no_index;
      const AlphaMode alpha = survey_[shape.pipeline].alpha_mode;
      counted.order = alpha == AlphaMode::blend  ? Order::blended
                      : alpha == AlphaMode::mask ? Order::masked
                                                 : Order::opaque;
    }
  }

  FrameCost count_view(std::size_t v, Scratch& scratch) const {
    FrameCost frame;
    scratch.frame_images.start(scene_.images.size());
    const auto seen = visibility_.of_view(v);
    const Viewpoint& view = views_[v];
    for (const PassSpec& pass : profile_.passes) {
      PassCost cost;
      switch (pass.kind) {
        case PassKind::main:
          cost = count_seen(seen, Buffers::color, view, scratch);
          break;
        case PassKind::depth:
          cost = count_seen(seen, Buffers::depth, view, scratch);
          break;
        case PassKind::sun_shadow:
          scratch.seen.resize(visibility_.boxes().word_count());
          visibility_.boxes().find_seen(make_cascade(views_[v], pass, sun_), scratch.seen);
          cost = count_seen(scratch.seen, Buffers::depth, view, scratch);
          break;
        case PassKind::light_shadows:
          cost = count_lights(views_[v], pass, scratch);
          break;
      }
      add(cost, frame.total);
      price(cost);
      frame.passes.push_back(cost);
    }
    frame.total.texture_bytes = sum_bytes(scratch.frame_images);
    price(frame.total);
    return frame;
  }

  static void add(const PassCost& cost, PassCost& total) {
    total.draws += cost.draws;
    total.instances += cost.instances;
    total.triangles += cost.triangles;
    total.vertices += cost.vertices;
    total.pipeline_switches += cost.pipeline_switches;
    total.material_switches += cost.material_switches;
  }

  [[nodiscard]] std::uint64_t sum_bytes(const Stamps& images) const {
    std::uint64_t bytes = 0;
    for (const std::uint32_t image : images.list()) {
      bytes += image_bytes_[image];
    }
    return bytes;
  }

  void price(PassCost& cost) const {
    cost.cpu_ms = (static_cast<double>(cost.draws) * profile_.draw_us +
                   static_cast<double>(cost.instances) * profile_.instance_us +
                   static_cast<double>(cost.pipeline_switches) * profile_.pipeline_switch_us +
                   static_cast<double>(cost.material_switches) * profile_.material_switch_us) /
                  1e3;
    cost.gpu_ms =
        static_cast<double>(cost.triangles) * profile_.triangle_ns / 1e6 +
        static_cast<double>(cost.vertices) * profile_.vertex_ns / 1e6 +
        static_cast<double>(cost.texture_bytes) / 1e6 * profile_.texture_megabyte_us / 1e3;
  }

  void touch_images(std::uint32_t material, Scratch& scratch) const {
    for (const std::uint32_t image : material_images_[material]) {
      scratch.images.add(image);
      scratch.frame_images.add(image);
    }
  }

  /// What the draws of each block add up to, for blocks that are seen as a whole.
  void sum_blocks() {
    blocks_.resize(visibility_.boxes().word_count());
    for (std::size_t place = 0; place < draws_.size(); ++place) {
      const CountedDraw& draw = draws_[place];
      BlockSum& block = blocks_[place / 64];
      block.places |= 1ULL << (place % 64);
      block.has_blended = block.has_blended || draw.order == Order::blended;
      block.triangles += draw.triangles;
      block.vertices += draw.vertices;
      block.instances += draw.instances;
    }
  }

  /// Adds a block at once where its draws can't differ from what was counted: all are seen, none is
  /// blended, each is a draw of its own, and every state there is has been met already.
  bool add_whole(std::uint64_t word, std::size_t b, const Stamps& states, PassCost& cost) const {
    const BlockSum& block = blocks_[b];
    if (word != block.places || block.has_blended || !states.full() || !draws_count_singly_) {
      return false;
    }
    cost.draws += static_cast<std::uint64_t>(std::popcount(word));
    cost.triangles += block.triangles;
    cost.vertices += block.vertices;
    cost.instances += block.instances;
    return true;
  }

  /// Calls `visit(place)` for what is seen, but for blocks that could be added whole.
  template <class Visit>
  void for_each_counted(std::span<const std::uint64_t> seen,
                        const Stamps& states,
                        PassCost& cost,
                        const Visit& visit) const {
    for (std::size_t b = 0; b < seen.size(); ++b) {
      if (seen[b] != 0 && !add_whole(seen[b], b, states, cost)) {
        for (std::uint64_t word = seen[b]; word != 0; word &= word - 1) {
          visit(b * 64 + static_cast<std::size_t>(std::countr_zero(word)));
        }
      }
    }
  }

  void start_pass(const StateLexicon& states, Scratch& scratch) const {
    scratch.states.start(states.size());
    scratch.pipelines.start(std::max<std::size_t>(survey_.pipelines.size(), 12));
    scratch.stacks.start(2 * survey_.shapes.size());
    scratch.images.start(scene_.images.size());
    scratch.small_vertices.resize(std::max(states_.size(), depth_states_.size()));
    scratch.small_states.clear();
    scratch.in_order.clear();
  }

  /// Adds one draw to what a pass issues; batches are closed by finish_batches.
  void issue(const CountedDraw& draw, std::uint32_t state, PassCost& cost, Scratch& scratch) const {
    cost.triangles += draw.triangles;
    cost.vertices += draw.vertices;
    cost.instances += draw.instances;
    if (draw.vertices <= profile_.batches_up_to_vertices && draw.order != Order::blended) {
      if (scratch.small_vertices[state] == 0) {
        scratch.small_states.push_back(state);
      }
      scratch.small_vertices[state] += std::max<std::uint64_t>(1, draw.vertices);
      return;
    }
    const bool repeated = profile_.instances_repeats && draw.stack != no_index &&
                          draw.order != Order::blended && !scratch.stacks.add(draw.stack);
    cost.draws += repeated ? 0U : 1U;
  }

  static void finish_batches(PassCost& cost, Scratch& scratch) {
    constexpr std::uint64_t vertices_a_batch = 65'535;
    for (const std::uint32_t state : scratch.small_states) {
      cost.draws += (scratch.small_vertices[state] + vertices_a_batch - 1) / vertices_a_batch;
      scratch.small_vertices[state] = 0;
    }
  }

  /// Counts the switches of draws that come sorted by state: one a distinct state.
  void count_sorted_switches(const StateLexicon& states, PassCost& cost, Scratch& scratch) const {
    for (const std::uint32_t id : scratch.states.list()) {
      const State& state = states[id];
      cost.pipeline_switches += scratch.pipelines.add(state.pipeline) ? 1U : 0U;
      ++cost.material_switches;
      touch_images(state.material, scratch);
    }
  }

  /// And of draws that come as they are.
  void count_ordered_switches(const std::vector<std::uint32_t>& ids,
                              const StateLexicon& states,
                              PassCost& cost,
                              Scratch& scratch) const {
    std::optional<State> bound;
    for (const std::uint32_t id : ids) {
      const State& state = states[id];
      const bool other_pipeline = !bound || bound->pipeline != state.pipeline;
      cost.pipeline_switches += other_pipeline ? 1U : 0U;
      cost.material_switches += other_pipeline || bound->material != state.material ? 1U : 0U;
      bound = state;
      if (scratch.states.add(id)) {
        touch_images(state.material, scratch);
      }
    }
  }

  /// What a pass issues of the draws that are seen. Depth alone leaves out what is blended.
  PassCost count_seen(std::span<const std::uint64_t> seen,
                      Buffers buffers,
                      const Viewpoint& view,
                      Scratch& scratch) const {
    PassCost cost;
    const bool colors = buffers == Buffers::color;
    const StateLexicon& states = colors ? states_ : depth_states_;
    const auto state_of = [&](const CountedDraw& draw) {
      return colors ? draw.state : draw.depth_state;
    };
    start_pass(states, scratch);
    scratch.sorted.clear();
    for_each_counted(seen, scratch.states, cost, [&](std::size_t place) {
      const CountedDraw& draw = draws_[place];
      if (draw.order == Order::blended && !colors) {
        return;
      }
      issue(draw, state_of(draw), cost, scratch);
      if (draw.order == Order::blended) {
        scratch.sorted.emplace_back(-find_distance(draw, view), static_cast<std::uint32_t>(place));
      } else if (profile_.sorts_by_state) {
        scratch.states.add(state_of(draw));
      } else {
        scratch.in_order.push_back(static_cast<std::uint32_t>(place));
      }
    });
    finish_batches(cost, scratch);
    if (profile_.sorts_by_state) {
      count_sorted_switches(states, cost, scratch);
    }
    sort_by_node(scratch.in_order);
    // Far to near, so that what is behind is there when what is before is blended over it.
    std::sort(scratch.sorted.begin(), scratch.sorted.end());
    for (const auto& [distance, place] : scratch.sorted) {
      scratch.in_order.push_back(place);
    }
    for (std::uint32_t& place : scratch.in_order) {
      place = state_of(draws_[place]);
    }
    count_ordered_switches(scratch.in_order, states, cost, scratch);
    cost.texture_bytes = sum_bytes(scratch.images);
    return cost;
  }

  void sort_by_node(std::vector<std::uint32_t>& places) const {
    std::sort(places.begin(), places.end(),
              [&](std::uint32_t a, std::uint32_t b) { return draws_[a].draw < draws_[b].draw; });
  }

  [[nodiscard]] float find_distance(const CountedDraw& draw, const Viewpoint& view) const {
    const Draw& row = survey_.draws[draw.draw];
    if (!origins_.empty()) {
      return find_sorting_distance(profile_.sorts_blended, origins_[to_index(row.node)],
                                   view.world);
    }
    return row.box.empty()
               ? 0
               : find_sorting_distance(profile_.sorts_blended, row.box.centre(), view.world);
  }

  /// Faces of the lights of the scene, counted once: they look the same from every view.
  void prepare_lights() {
    const bool asked =
        std::any_of(profile_.passes.begin(), profile_.passes.end(),
                    [](const PassSpec& p) { return p.kind == PassKind::light_shadows; });
    if (!asked) {
      return;
    }
    Scratch scratch;
    lights_ = list_shadow_lights(scene_, profile_);
    std::transform(lights_.begin(), lights_.end(), std::back_inserter(light_costs_),
                   [&](const ShadowLight& light) { return count_light(light, scratch); });
  }

  [[nodiscard]] LightCost count_light(const ShadowLight& light, Scratch& scratch) const {
    LightCost out;
    scratch.frame_images.start(scene_.images.size());
    scratch.seen.resize(visibility_.boxes().word_count());
    for (const Viewpoint& face : light.faces) {
      visibility_.boxes().find_seen(make_frustum(face), scratch.seen);
      add(count_seen(scratch.seen, Buffers::depth, face, scratch), out.cost);
    }
    out.images = scratch.frame_images.list();
    return out;
  }

  PassCost count_lights(const Viewpoint& view, const PassSpec& pass, Scratch& scratch) const {
    PassCost cost;
    scratch.images.start(scene_.images.size());
    for (const std::size_t i : choose_shadow_lights(lights_, view, pass.lights)) {
      add(light_costs_[i].cost, cost);
      for (const std::uint32_t image : light_costs_[i].images) {
        scratch.images.add(image);
        scratch.frame_images.add(image);
      }
    }
    cost.texture_bytes = sum_bytes(scratch.images);
    return cost;
  }

  const Scene& scene_;
  const Survey& survey_;
  std::span<const Viewpoint> views_;
  const Visibility& visibility_;
  const CostProfile& profile_;
  std::vector<std::uint64_t> image_bytes_;
  std::vector<std::vector<std::uint32_t>> material_images_;
  StateLexicon states_;
  StateLexicon depth_states_;
  std::vector<std::uint32_t> shape_states_;
  std::vector<std::uint32_t> shape_depth_states_;
  std::vector<CountedDraw> draws_;
  std::vector<BlockSum> blocks_;
  bool draws_count_singly_ = false;
  Vec3d sun_{};
  std::vector<Vec3d> origins_;  ///< by node; empty where nothing is sorted by them
  std::vector<ShadowLight> lights_;
  std::vector<LightCost> light_costs_;  ///< one a light
};

}  // namespace

Result<Frames> measure_frames(const Scene& scene,
                              const Survey& survey,
                              std::span<const Viewpoint> views,
                              const Visibility& visibility,
                              std::span<const ImageFacts> images,
                              const CostProfile& profile,
                              const RunControl& run) {
  if (auto valid = validate(profile); !valid) {
    return Failure(valid.error());
  }
  return FrameCounter(scene, survey, views, visibility, images, profile).count(run);
}

}  // namespace wakuzume
