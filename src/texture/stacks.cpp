// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include "texture/stacks.h"

#include <algorithm>
#include <bit>
#include <cmath>
#include <map>
#include <numeric>
#include <optional>

#include "scene/hasher.h"
#include "survey/textures.h"
#include "texture/material_rules.h"
#include "texture/uv_source.h"

namespace wakuzume {

std::uint32_t count_spare_halvings(const ImageFacts& facts) {
  std::uint32_t spare = 0;
  while (spare < facts.halving_peaks.size() && facts.halving_peaks[spare] <= invisible_peak) {
    ++spare;
  }
  return spare;
}

std::uint32_t LayerStack::Layers::count() const {
  return of_member.empty() ? 0 : *std::max_element(of_member.begin(), of_member.end()) + 1;
}

std::size_t LayerStack::Layers::find_member(std::uint32_t layer) const {
  return static_cast<std::size_t>(std::find(of_member.begin(), of_member.end(), layer) -
                                  of_member.begin());
}

std::uint64_t count_stack_bytes(const LayerStack& stack, const MaterialSettings& settings) {
  const std::uint64_t pixels_a_byte = settings.layer_format == TexelFormat::astc_4x4   ? 1
                                      : settings.layer_format == TexelFormat::astc_6x6 ? 2
                                                                                       : 0;
  std::uint64_t bytes = 0;
  for (const LayerStack::Layers& layers : stack.channels) {
    const std::uint64_t pixels =
        std::uint64_t{layers.count()} * layers.size.width_px * layers.size.height_px;
    bytes += (pixels_a_byte == 0 ? 4 * pixels : pixels / pixels_a_byte) * 4 / 3;
  }
  return bytes;
}

namespace {

constexpr std::uint32_t least_px = 4;
/// With full_resolution: times its own texels that a member's copies may take.
constexpr std::uint64_t most_copied = 4;

using Copies = std::array<std::uint32_t, 2>;

/// How often `part` goes into `whole`, where that is a power of two.
std::optional<std::uint32_t> find_copies(std::uint32_t whole, std::uint32_t part) {
  if (part == 0 || whole % part != 0 || !std::has_single_bit(whole / part)) {
    return std::nullopt;
  }
  return whole / part;
}

/// What a member brings into a stack.
struct Candidate {
  std::size_t member = 0;
  std::array<RectSize, channel_count> sizes{};       ///< 0 x 0: nothing, or one colour
  std::array<std::uint32_t, channel_count> spare{};  ///< halvings that lose nothing
  std::array<bool, channel_count> textured{};        ///< has a picture, of one colour or not
  std::array<bool, 2> repeats{};                     ///< its sampler does, along u and v
  [[nodiscard]] std::uint64_t texels() const {
    std::uint64_t sum = 0;
    for (const RectSize& size : sizes) {
      sum += std::uint64_t{size.width_px} * size.height_px;
    }
    return sum;
  }
};

/// A stack that is being filled.
struct OpenStack {
  std::vector<const Candidate*> members;
  std::vector<Copies> copies;
  std::array<RectSize, channel_count> sizes{};  ///< 0 x 0: not decided
};

class StackMaker {
 public:
  StackMaker(const Scene& scene,
             std::span<const ImageFacts> images,
             std::span<const ContentHash> contents,
             const std::vector<StackMember>& members,
             const MaterialSettings& settings)
      : scene_(scene),
        images_(images),
        contents_(contents),
        members_(members),
        settings_(settings),
        most_bytes_(std::uint64_t{settings.max_stack_megabytes} << 20U) {}

  std::vector<LayerStack> run() {
    std::vector<Candidate> candidates;
    for (std::size_t m = 0; m < members_.size(); ++m) {
      candidates.push_back(make_candidate(m));
    }
    std::vector<const Candidate*> order;
    for (const Candidate& candidate : candidates) {
      order.push_back(&candidate);
    }
    // The largest first: they decide how large layers are.
    std::stable_sort(order.begin(), order.end(), [](const Candidate* a, const Candidate* b) {
      return a->texels() > b->texels();
    });
    std::vector<OpenStack> open;
    for (const Candidate* candidate : order) {
      const bool joined = std::any_of(open.begin(), open.end(),
                                      [&](OpenStack& stack) { return join(stack, *candidate); });
      if (!joined) {
        join(open.emplace_back(), *candidate);
      }
    }
    std::erase_if(open, [](const OpenStack& stack) { return stack.members.size() < 2; });
    std::vector<LayerStack> out;
    for (OpenStack& stack : open) {
      out.push_back(make(stack));
    }
    return out;
  }

 private:
  [[nodiscard]] const Material& material(std::size_t m) const {
    return scene_[members_[m].material];
  }

  [[nodiscard]] Candidate make_candidate(std::size_t m) const {
    Candidate out;
    out.member = m;
    const TextureId first = find_first_texture(material(m));
    const Sampler sampler = first == no_texture ? Sampler{} : find_sampler(scene_, first);
    out.repeats = {sampler.wrap_s == wrap_repeat, sampler.wrap_t == wrap_repeat};
    for (std::size_t c = 0; c < channel_count; ++c) {
      // Where alpha decides what is seen, nothing is too little to be seen.
      const bool cut =
          static_cast<Channel>(c) == Channel::color && material(m).alpha_mode != AlphaMode::opaque;
      std::uint32_t spare = cut ? 0 : 3;
      for (const TextureSlot* slot : list_slots_of(material(m), static_cast<Channel>(c))) {
        const ImageFacts& facts = images_[to_index(find_image(scene_, slot->texture))];
        out.textured[c] = true;
        if (!facts.one_color) {
          spare = std::min(spare, count_spare_halvings(facts));
          out.sizes[c] = {std::max(out.sizes[c].width_px, facts.width_px),
                          std::max(out.sizes[c].height_px, facts.height_px)};
        }
      }
      // Less by hand or by density is taken in halvings, so that what fits still fits.
      for (double scale = members_[m].scale; scale <= 0.75 && may_halve(out.sizes[c]); scale *= 2) {
        out.sizes[c] = halve(out.sizes[c]);
      }
      out.spare[c] = spare;
    }
    return out;
  }

  static bool may_halve(const RectSize& size) {
    return size.width_px % 2 == 0 && size.height_px % 2 == 0 &&
           std::min(size.width_px, size.height_px) > least_px;
  }
  static RectSize halve(const RectSize& size) { return {size.width_px / 2, size.height_px / 2}; }

  /// Takes a member in where it fits. \return whether it does
  bool join(OpenStack& stack, const Candidate& candidate) const {
    if (stack.members.size() >= settings_.max_layers) {
      return false;
    }
    OpenStack grown = stack;
    if (!grow(grown, candidate)) {
      return false;
    }
    const auto copies = fit(grown, candidate);
    if (!copies) {
      return false;
    }
    grown.members.push_back(&candidate);
    grown.copies.push_back(*copies);
    if (grown.members.size() > 1 &&
        (count_stack_bytes(make(grown), settings_) > most_bytes_ || is_wasteful(grown))) {
      return false;
    }
    stack = std::move(grown);
    return true;
  }

  /// Makes the layers large enough for a member, if those that are there can stand in them more
  /// often.
  [[nodiscard]] bool grow(OpenStack& stack, const Candidate& candidate) const {
    for (std::size_t c = 0; c < channel_count; ++c) {
      const RectSize& have = stack.sizes[c];
      const RectSize& need = candidate.sizes[c];
      if (have.width_px == 0 || need.width_px == 0) {
        continue;
      }
      Copies factor{1, 1};
      if (need.width_px > have.width_px || need.height_px > have.height_px) {
        const auto along_u = find_copies(std::max(need.width_px, have.width_px), have.width_px);
        const auto along_v = find_copies(std::max(need.height_px, have.height_px), have.height_px);
        if (!along_u || !along_v) {
          return false;
        }
        factor = {*along_u, *along_v};
      }
      return multiply(stack, factor);
    }
    return true;
  }

  [[nodiscard]] bool multiply(OpenStack& stack, const Copies& factor) const {
    for (std::size_t i = 0; i < stack.members.size(); ++i) {
      for (std::size_t axis = 0; axis < 2; ++axis) {
        const bool flat = stack.members[i]->texels() == 0;
        if (factor[axis] > 1 && !flat && !stack.members[i]->repeats[axis]) {
          return false;
        }
        stack.copies[i][axis] *= flat ? 1 : factor[axis];
      }
    }
    for (RectSize& size : stack.sizes) {
      size = {size.width_px * factor[0], size.height_px * factor[1]};
      if (std::max(size.width_px, size.height_px) > std::max(settings_.max_page_px, 1U)) {
        return false;
      }
    }
    return true;
  }

  /// How often a member stands in each layer; decides the size of channels that had none.
  [[nodiscard]] std::optional<Copies> fit(OpenStack& stack, const Candidate& candidate) const {
    std::optional<Copies> copies;
    for (std::size_t c = 0; c < channel_count; ++c) {
      if (stack.sizes[c].width_px == 0 || candidate.sizes[c].width_px == 0) {
        continue;
      }
      const auto here = fit_channel(stack.sizes[c], candidate.sizes[c], candidate.spare[c], copies);
      if (!here) {
        return std::nullopt;
      }
      copies = here;
    }
    const Copies found = copies.value_or(Copies{1, 1});
    for (std::size_t axis = 0; axis < 2; ++axis) {
      if (found[axis] > 1 && !candidate.repeats[axis]) {
        return std::nullopt;
      }
    }
    for (std::size_t c = 0; c < channel_count; ++c) {
      if (stack.sizes[c].width_px == 0 && candidate.sizes[c].width_px > 0) {
        stack.sizes[c] = {candidate.sizes[c].width_px * found[0],
                          candidate.sizes[c].height_px * found[1]};
      }
    }
    return found;
  }

  /// \param wanted  what another channel asks for
  [[nodiscard]] static std::optional<Copies> fit_channel(const RectSize& layer,
                                                         RectSize own,
                                                         std::uint32_t spare,
                                                         const std::optional<Copies>& wanted) {
    while (true) {
      const auto along_u = find_copies(layer.width_px, own.width_px);
      const auto along_v = find_copies(layer.height_px, own.height_px);
      if (along_u && along_v && (!wanted || *wanted == Copies{*along_u, *along_v})) {
        return Copies{*along_u, *along_v};
      }
      if (spare == 0 || !may_halve(own)) {
        return std::nullopt;
      }
      --spare;
      own = halve(own);
    }
  }

  [[nodiscard]] bool is_wasteful(const OpenStack& stack) const {
    return settings_.goal != MaterialGoal::fewest_draws &&
           std::any_of(stack.copies.begin(), stack.copies.end(), [](const Copies& copies) {
             return std::uint64_t{copies[0]} * copies[1] > most_copied;
           });
  }

  /// What a member shows in a channel; equal for equal layers.
  [[nodiscard]] ContentHash find_look(std::size_t m, Channel channel) const {
    const Material& shown = material(m);
    ValueHasher hasher;
    const auto slots = list_slots_of(shown, channel);
    hasher.add(slots.size());
    for (const TextureSlot* slot : slots) {
      hasher.add(contents_[to_index(find_image(scene_, slot->texture))]);
      hasher.add(slot == &shown.occlusion_texture);
      hasher.add(slot->factor);
    }
    if (slots.empty() || channel != Channel::normal) {
      hasher.add(find_plain_value(shown, channel));
    }
    return hasher.finish();
  }

  [[nodiscard]] LayerStack make(const OpenStack& from) const {
    // In the order of their places.
    std::vector<std::size_t> order(from.members.size());
    std::iota(order.begin(), order.end(), std::size_t{0});
    std::sort(order.begin(), order.end(), [&](std::size_t a, std::size_t b) {
      return from.members[a]->member < from.members[b]->member;
    });
    LayerStack stack;
    for (const std::size_t i : order) {
      stack.members.push_back(members_[from.members[i]->member].material);
      stack.copies.push_back(from.copies[i]);
    }
    for (std::size_t c = 0; c < channel_count; ++c) {
      const auto channel = static_cast<Channel>(c);
      LayerStack::Layers layers;
      std::map<ContentHash, std::uint32_t, LessHash> known;
      bool textured = false;
      for (const std::size_t i : order) {
        textured = textured || from.members[i]->textured[c];
        const auto layer = static_cast<std::uint32_t>(known.size());
        layers.of_member.push_back(
            known.try_emplace(find_look(from.members[i]->member, channel), layer).first->second);
      }
      if (textured || (known.size() > 1 && channel != Channel::normal)) {
        layers.size = {std::max(1U, from.sizes[c].width_px), std::max(1U, from.sizes[c].height_px)};
        stack.channels[c] = std::move(layers);
      }
    }
    return stack;
  }

  const Scene& scene_;
  std::span<const ImageFacts> images_;
  std::span<const ContentHash> contents_;
  const std::vector<StackMember>& members_;
  const MaterialSettings& settings_;
  std::uint64_t most_bytes_;
};

}  // namespace

std::vector<LayerStack> make_stacks(const Scene& scene,
                                    std::span<const ImageFacts> images,
                                    std::span<const ContentHash> contents,
                                    const std::vector<StackMember>& members,
                                    const MaterialSettings& settings) {
  return StackMaker(scene, images, contents, members, settings).run();
}

double find_kept_share(const Scene& scene,
                       std::span<const ImageFacts> images,
                       const LayerStack& stack,
                       MaterialId member) {
  double kept = 1;
  const auto at = static_cast<std::size_t>(
      std::find(stack.members.begin(), stack.members.end(), member) - stack.members.begin());
  for (std::size_t c = 0; c < channel_count; ++c) {
    for (const TextureSlot* slot : list_slots_of(scene[member], static_cast<Channel>(c))) {
      const ImageFacts& facts = images[to_index(find_image(scene, slot->texture))];
      if (!facts.one_color) {
        const RectSize& size = stack.channels[c].size;
        kept = std::min(
            {kept, static_cast<double>(size.width_px) / stack.copies[at][0] / facts.width_px,
             static_cast<double>(size.height_px) / stack.copies[at][1] / facts.height_px});
      }
    }
  }
  return kept;
}

}  // namespace wakuzume
