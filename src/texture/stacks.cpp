// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include "texture/stacks.h"

#include <algorithm>
#include <bit>
#include <cmath>
#include <map>
#include <numeric>
#include <set>

#include "scene/hasher.h"
#include "survey/textures.h"
#include "texture/material_rules.h"

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
    if (settings_.goal == MaterialGoal::fewest_draws) {
      std::vector<std::size_t> all(members_.size());
      std::iota(all.begin(), all.end(), std::size_t{0});
      cut(all, [&](LayerStack& stack) { shrink(stack); });
      return std::move(out_);
    }
    // Of one size to the next power of two, so that little is blown up.
    std::map<std::pair<int, int>, std::vector<std::size_t>> classes;
    for (std::size_t m = 0; m < members_.size(); ++m) {
      RectSize largest;
      for (std::size_t c = 0; c < channel_count; ++c) {
        const RectSize size = find_size(m, static_cast<Channel>(c));
        largest = {std::max(largest.width_px, size.width_px),
                   std::max(largest.height_px, size.height_px)};
      }
      const auto step = [](std::uint32_t px) { return std::bit_width(std::max(px, 1U) - 1); };
      classes[{step(largest.width_px), step(largest.height_px)}].push_back(m);
    }
    for (const auto& [size, members] : classes) {
      cut(members, [](const LayerStack&) {});
    }
    return std::move(out_);
  }

 private:
  /// Cuts a list into stacks that hold the limits.
  template <class Fit>
  void cut(const std::vector<std::size_t>& members, const Fit& fit) {
    std::vector<std::size_t> now;
    LayerStack last;
    const auto close = [&] {
      if (now.size() > 1) {
        out_.push_back(std::move(last));
      }
      now.clear();
    };
    const bool whole = settings_.goal == MaterialGoal::fewest_draws;
    for (const std::size_t m : members) {
      now.push_back(m);
      if (whole && now.size() < settings_.max_layers && m != members.back()) {
        continue;  // it will be fitted when it is complete
      }
      LayerStack stack = make(now);
      fit(stack);
      const bool too_much =
          !whole && now.size() > 1 && count_stack_bytes(stack, settings_) > most_bytes_;
      if (too_much || now.size() > settings_.max_layers) {
        now.pop_back();
        close();
        now.push_back(m);
        stack = make(now);
      }
      last = std::move(stack);
      if (whole && now.size() == settings_.max_layers) {
        close();
      }
    }
    close();
  }

  [[nodiscard]] const Material& material(std::size_t m) const {
    return scene_[members_[m].material];
  }

  /// 0 x 0 without a texture.
  [[nodiscard]] RectSize find_size(std::size_t m, Channel channel) const {
    RectSize out;
    for (const TextureSlot* slot : list_slots_of(material(m), channel)) {
      const ImageFacts& facts = images_[to_index(find_image(scene_, slot->texture))];
      const std::uint32_t spare = count_spare_halvings(facts);
      const auto side = [&](std::uint32_t px) {
        const double wanted = px * members_[m].scale * std::exp2(-static_cast<double>(spare));
        return facts.one_color ? 1U
                               : std::max(std::min(px, least_px),
                                          static_cast<std::uint32_t>(std::lround(wanted)));
      };
      out = {std::max(out.width_px, side(facts.width_px)),
             std::max(out.height_px, side(facts.height_px))};
    }
    return out;
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

  [[nodiscard]] LayerStack make(const std::vector<std::size_t>& members) const {
    LayerStack stack;
    for (const std::size_t m : members) {
      stack.members.push_back(members_[m].material);
    }
    for (std::size_t c = 0; c < channel_count; ++c) {
      const auto channel = static_cast<Channel>(c);
      LayerStack::Layers layers;
      std::map<ContentHash, std::uint32_t, LessHash> known;
      for (const std::size_t m : members) {
        const RectSize size = find_size(m, channel);
        layers.size = {std::max(layers.size.width_px, size.width_px),
                       std::max(layers.size.height_px, size.height_px)};
        const auto layer = static_cast<std::uint32_t>(known.size());
        layers.of_member.push_back(known.try_emplace(find_look(m, channel), layer).first->second);
      }
      const bool textured = layers.size.width_px > 0;
      if (textured || (known.size() > 1 && channel != Channel::normal)) {
        layers.size = {std::max(1U, layers.size.width_px), std::max(1U, layers.size.height_px)};
        stack.channels[c] = std::move(layers);
      }
    }
    return stack;
  }

  /// Halves the channel that takes most until all is within the limit.
  void shrink(LayerStack& stack) const {
    while (count_stack_bytes(stack, settings_) > most_bytes_) {
      LayerStack::Layers* largest = nullptr;
      std::uint64_t most = 0;
      for (LayerStack::Layers& layers : stack.channels) {
        const std::uint64_t pixels =
            std::uint64_t{layers.count()} * layers.size.width_px * layers.size.height_px;
        if (pixels > most && std::max(layers.size.width_px, layers.size.height_px) > least_px) {
          largest = &layers;
          most = pixels;
        }
      }
      if (largest == nullptr) {
        return;
      }
      largest->size = {std::max(1U, largest->size.width_px / 2),
                       std::max(1U, largest->size.height_px / 2)};
    }
  }

  const Scene& scene_;
  std::span<const ImageFacts> images_;
  std::span<const ContentHash> contents_;
  const std::vector<StackMember>& members_;
  const MaterialSettings& settings_;
  std::uint64_t most_bytes_;
  std::vector<LayerStack> out_;
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
  for (std::size_t c = 0; c < channel_count; ++c) {
    for (const TextureSlot* slot : list_slots_of(scene[member], static_cast<Channel>(c))) {
      const ImageFacts& facts = images[to_index(find_image(scene, slot->texture))];
      if (!facts.one_color) {
        const RectSize& size = stack.channels[c].size;
        kept = std::min({kept, static_cast<double>(size.width_px) / facts.width_px,
                         static_cast<double>(size.height_px) / facts.height_px});
      }
    }
  }
  return kept;
}

}  // namespace wakuzume
