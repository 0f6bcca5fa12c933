// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include <fmt/format.h>

#include <algorithm>
#include <map>
#include <tuple>

#include "plan/proposer.h"
#include "scene/hasher.h"
#include "scene/running.h"
#include "survey/parts.h"
#include "wakuzume/revise.h"

namespace wakuzume {
namespace {

/// Draws by the path of their node, the order among nodes of one path, and the primitive.
using Anchor = std::tuple<std::string, std::uint32_t, std::uint32_t>;

std::map<Anchor, std::size_t> make_anchors(const std::vector<DrawMark>& marks) {
  std::map<std::string, std::pair<NodeId, std::uint32_t>> order;
  std::map<Anchor, std::size_t> anchors;
  for (std::size_t m = 0; m < marks.size(); ++m) {
    const DrawMark& mark = marks[m];
    const auto [slot, added] = order.try_emplace(mark.path, mark.draw.node, 0U);
    if (!added && slot->second.first != mark.draw.node) {
      slot->second = {mark.draw.node, slot->second.second + 1};
    }
    anchors[{mark.path, slot->second.second, mark.draw.primitive}] = m;
  }
  return anchors;
}

std::string describe(const DrawMark& then, const DrawMark& now) {
  std::string text;
  const auto add = [&](bool changed, const char* what) {
    if (changed) {
      text += text.empty() ? what : fmt::format(", {}", what);
    }
  };
  add(then.place != now.place, "moved");
  add(then.geometry != now.geometry, "its geometry changed");
  add(then.look != now.look, "its material changed");
  add(text.empty() && then.draw != now.draw, "has another number");
  return text;
}

}  // namespace

std::vector<DrawMark> make_marks(const Scene& scene, const Survey& survey, const RunControl& run) {
  const std::vector<Mat4d> world = make_world_matrices(scene);
  const MaterialParts materials(scene, {});
  std::vector<std::uint32_t> looks;
  for (const Shape& shape : survey.shapes) {
    const PartHashes parts = materials.find(shape.material);
    looks.push_back(static_cast<std::uint32_t>(
        hash_without(parts, [](KeyPart part) { return part == KeyPart::material_name; }).low));
  }
  std::vector<DrawMark> marks(survey.draws.size());
  for_each_range(
      marks.size(), 4096, {run.threads, nullptr}, "", [&](std::size_t begin, std::size_t end) {
        for (std::size_t d = begin; d < end; ++d) {
          const Draw& draw = survey.draws[d];
          const Mat4d& matrix = world[to_index(draw.node)];
          DrawMark& mark = marks[d];
          mark.draw = {draw.node, draw.primitive};
          mark.path = make_node_path(scene, draw.node);
          mark.place = static_cast<std::uint32_t>(XXH3_64bits(matrix.data(), sizeof matrix));
          mark.geometry =
              static_cast<std::uint32_t>(survey.families[to_index(survey[draw.shape].family)].low);
          mark.look = looks[to_index(draw.shape)];
        }
      });
  return marks;
}

std::vector<NodeMove> match_marks(const std::vector<DrawMark>& then,
                                  const std::vector<DrawMark>& now) {
  const std::map<Anchor, std::size_t> anchors = make_anchors(now);
  const std::map<Anchor, std::size_t> before = make_anchors(then);
  std::vector<NodeMove> moves(then.size());
  for (const auto& [anchor, m] : before) {
    const auto hit = anchors.find(anchor);
    moves[m].then = m;
    moves[m].now = hit == anchors.end() ? no_index : static_cast<std::uint32_t>(hit->second);
  }
  return moves;
}

std::vector<PlanChange> list_changes(const Scene& scene, const Survey& survey, const Plan& plan) {
  const std::vector<DrawMark> now = make_marks(scene, survey, {});
  std::vector<bool> known(now.size(), false);
  std::vector<PlanChange> out;
  for (const NodeMove& move : match_marks(plan.marks, now)) {
    const DrawMark& then = plan.marks[move.then];
    if (move.now == no_index) {
      out.push_back({then.path, "gone"});
      continue;
    }
    known[move.now] = true;
    if (std::string what = describe(then, now[move.now]); !what.empty()) {
      out.push_back({then.path, std::move(what)});
    }
  }
  for (std::size_t d = 0; d < now.size(); ++d) {
    if (!known[d]) {
      out.push_back({now[d].path, "new"});
    }
  }
  return out;
}

}  // namespace wakuzume
