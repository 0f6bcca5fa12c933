// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include "wakuzume/words.h"

#include <array>

namespace wakuzume {

std::string group_digits(std::uint64_t number) {
  std::string digits = std::to_string(number);
  for (std::size_t at = digits.size(); at > 3; at -= 3) {
    digits.insert(at - 3, ",");
  }
  return digits;
}

std::string plural(std::uint64_t count, const char* one, const char* many) {
  return group_digits(count) + " " + (count == 1 ? one : many);
}

const char* explain(Rung rung) {
  switch (rung) {
    case Rung::today:
      return "draws today";
    case Rung::instancing:
      return "draw repeats of one shape as instances";
    case Rung::merging:
      return "merge what has the same material and fits together";
    case Rung::moving_together:
      return "merge parts that move together, under their own root";
    case Rung::folding:
      return "fold materials that are equal under other names";
    case Rung::tinting:
      return "share materials that differ by colour alone (tints)";
    case Rung::sharing:
      return "share textures through an atlas or layers";
    case Rung::ordering:
      return "merge blended surfaces where their order can't be seen";
    case Rung::joining:
      return "join lightmap pages, texel by texel as they are";
    case Rung::blending:
      return "merge all blended surfaces, giving up their order";
    case Rung::floor:
      return "the floor: one a pipeline, moving root and level";
  }
  return "";
}

const char* explain(StayRule rule) {
  switch (rule) {
    case StayRule::animated:
      return "moved by an animation, or below a node that is";
    case StayRule::skinned:
      return "deformed by a skin, or carried by a joint";
    case StayRule::morphing:
      return "have morph targets";
    case StayRule::physics:
      return "moved by a physics extension";
    case StayRule::marked_moving:
      return "marked as moving by extras or settings";
    case StayRule::carries_light:
      return "their node carries a light";
    case StayRule::carries_camera:
      return "their node carries a camera";
    case StayRule::collider:
      return "colliders";
    case StayRule::excluded:
      return "kept by your settings";
    case StayRule::instanced:
      return "already instance sets";
    case StayRule::own_extension:
      return "have an extension that a merge would lose";
    case StayRule::not_finite:
      return "have positions that are not finite";
    case StayRule::bound_apart:
      return "bound to their skeleton in a pose of their own";
    case StayRule::none:
      break;
  }
  return "";
}

const char* explain(KeepReason reason) {
  switch (reason) {
    case KeepReason::must_stay:
      break;
    case KeepReason::blended:
      return "blended: with others their order would show";
    case KeepReason::only_one_of_its_key:
      return "nothing else has their merge key";
    case KeepReason::alone_in_its_cell:
      return "alone in their cell of the grid";
    case KeepReason::above_vertex_limit:
      return "have more vertices than a cluster may";
    case KeepReason::not_repeated:
      return "nothing shows the same, and nothing was to be merged";
    case KeepReason::cheaper_alone:
      return "far from what they could merge with: cheaper alone";
    case KeepReason::by_hand:
      return "taken out of the plan by hand";
    case KeepReason::taken_back:
      return "taken back: merged they were not what they were";
  }
  return "";
}

const char* explain(Route route) {
  constexpr const char* texts[route_count] = {
      "equal by value to another", "differ by colour alone",         "tiles of shared pages",
      "layers of texture arrays",  "painted onto another UV layout", "stay as they are"};
  return texts[static_cast<std::size_t>(route)];
}

const char* explain(PixelFault fault) {
  constexpr std::array<const char*, pixel_fault_count> texts{
      "in another colour", "covered, or not covered, by it", "nearer or farther than before"};
  return texts[static_cast<std::size_t>(fault)];
}

}  // namespace wakuzume
