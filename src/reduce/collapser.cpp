// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include "reduce/collapser.h"

#include <algorithm>
#include <cmath>

#include "scene/running.h"

namespace wakuzume {
namespace {

/// A triangle may not turn farther, and not become thinner than this or half of what it was: twice
/// its area by the sum of its squared sides.
constexpr double least_cosine = 0.2;
constexpr double good_shape = 0.0005;

}  // namespace

bool Collapser::keeps_sides(std::uint32_t point, std::uint32_t without, const Vec3d& there) {
  SurfaceNet& net = field_.net;
  const Vec3d here = field_.place(point);
  bool keeps = true;
  net.for_each_corner(point, [&](std::uint32_t c) {
    const std::uint32_t a = net.point_at(SurfaceNet::next(c));
    const std::uint32_t b = net.point_at(SurfaceNet::previous(c));
    if (a == without || b == without || !keeps) {
      return;
    }
    const Vec3d at_a = field_.place(a);
    const Vec3d at_b = field_.place(b);
    const Vec3d before = cross(at_a - here, at_b - here);
    const Vec3d after = cross(at_a - there, at_b - there);
    const double side2 = length2(at_b - at_a);
    const double size_before = std::sqrt(length2(before));
    const double size_after = std::sqrt(length2(after));
    const double shape_before = size_before / (side2 + length2(at_a - here) + length2(at_b - here));
    const double shape_after = size_after / (side2 + length2(at_a - there) + length2(at_b - there));
    keeps = shape_after > std::min(good_shape, 0.5 * shape_before) &&
            (shape_before < 1e-6 || dot(before, after) > least_cosine * size_before * size_after);
  });
  return keeps;
}

/// The neighbours that both ends have are those of the triangles that go, and no two triangles
/// become one. \pre shared_, surviving_ and thirds_ are those of the move
bool Collapser::hangs_together(const Move& move) {
  SurfaceNet& net = field_.net;
  std::vector<std::uint8_t>& marks = field_.marks;
  const auto mark = [&](std::uint8_t value) {
    for (const std::uint32_t c : surviving_) {
      marks[net.point_at(SurfaceNet::next(c))] = value;
      marks[net.point_at(SurfaceNet::previous(c))] = value;
    }
    for (const std::uint32_t third : thirds_) {
      marks[third] = value;
    }
  };
  mark(1);
  std::size_t common = 0;
  bool alone = surviving_.empty();
  bool doubled = false;
  net.for_each_corner(move.to, [&](std::uint32_t c) {
    const std::uint32_t a = net.point_at(SurfaceNet::next(c));
    const std::uint32_t b = net.point_at(SurfaceNet::previous(c));
    for (const std::uint32_t p : {a, b}) {
      if (marks[p] == 1) {
        marks[p] = 2;
        ++common;
      }
    }
    if (a == move.from || b == move.from) {
      return;
    }
    alone = false;
    doubled = doubled || std::any_of(surviving_.begin(), surviving_.end(), [&](std::uint32_t s) {
                const std::uint32_t sa = net.point_at(SurfaceNet::next(s));
                const std::uint32_t sb = net.point_at(SurfaceNet::previous(s));
                return (sa == a && sb == b) || (sa == b && sb == a);
              });
  });
  mark(0);
  return common == thirds_.size() && !alone && !doubled;
}

/// No wedge has two to choose from, and where values stay exact each has one.
bool Collapser::pairs_up(const Move& move) {
  field_.pair_wedges(move.from, move.to, pairs_);
  for (auto pair = pairs_.begin(); pair != pairs_.end(); ++pair) {
    if ((pair->second == no_index && field_.vertex_places == VertexPlaces::old) ||
        std::any_of(pairs_.begin(), pair,
                    [&](const auto& other) { return other.first == pair->first; })) {
      return false;
    }
  }
  return true;
}

bool Collapser::is_allowed(std::uint32_t edge, const Move& move) {
  SurfaceNet& net = field_.net;
  shared_.clear();
  surviving_.clear();
  thirds_.clear();
  net.for_each_corner(move.from, [&](std::uint32_t c) {
    const std::uint32_t a = net.point_at(SurfaceNet::next(c));
    const std::uint32_t b = net.point_at(SurfaceNet::previous(c));
    if (a != move.to && b != move.to) {
      surviving_.push_back(c);
      return;
    }
    shared_.push_back(c);
    const std::uint32_t third = a == move.to ? b : a;
    if (std::find(thirds_.begin(), thirds_.end(), third) == thirds_.end()) {
      thirds_.push_back(third);
    }
  });
  if (shared_.empty()) {
    net.ends[edge] = {no_index, no_index};
    return false;
  }
  const Vec3d there = move.best ? field_.place(move.to) + move.by : field_.place(move.to);
  return hangs_together(move) && pairs_up(move) && keeps_sides(move.from, move.to, there) &&
         (!move.best || keeps_sides(move.to, move.from, there));
}

void Collapser::join_data(const Move& move) {
  const Vec3d gap = field_.place(move.to) - field_.place(move.from);
  field_.quadrics[move.to] = field_.join(move.from, move.to, pairs_, !move.best);
  for (const auto& [wedge, there] : pairs_) {
    if (there == no_index) {
      take_along(wedge, move, gap);
    } else {
      join_wedges(wedge, there, move, gap);
    }
  }
}

/// A wedge that nothing answers to where it goes: it gets the values that fit best there.
void Collapser::take_along(std::uint32_t wedge, const Move& move, const Vec3d& gap) {
  const std::size_t n = field_.counted;
  float* record = field_.gradients(wedge);
  const double area = record[4 * n];
  for (std::size_t j = 0; j < n; ++j) {
    const Vec3d g{record[4 * j], record[4 * j + 1], record[4 * j + 2]};
    const double foretold = dot(g, gap) + record[4 * j + 3];
    float& value = field_.values[wedge * n + j];
    const float old = value;
    if (!move.best && area > 0) {
      value = static_cast<float>(old + foretold / area);
    }
    record[4 * j + 3] = static_cast<float>(foretold - area * (double{value} - old));
  }
  field_.net.point_of[wedge] = move.to;
  field_.moved[wedge] = 1;
  field_.lone_wedge[move.to] = no_index;
}

void Collapser::join_wedges(std::uint32_t wedge,
                            std::uint32_t there,
                            const Move& move,
                            const Vec3d& gap) {
  const std::size_t n = field_.counted;
  const float* from = field_.gradients(wedge);
  float* to = field_.gradients(there);
  for (std::size_t j = 0; j < n; ++j) {
    const Vec3d g{from[4 * j], from[4 * j + 1], from[4 * j + 2]};
    const double step = double{field_.values[there * n + j]} - field_.values[wedge * n + j];
    to[4 * j + 3] += static_cast<float>(dot(g, gap) + from[4 * j + 3] - from[4 * n] * step);
    for (std::size_t k = 0; k < 3; ++k) {
      to[4 * j + k] += from[4 * j + k];
    }
  }
  to[4 * n] += from[4 * n];
  const double gap2 = dot(gap, gap);
  if (!move.best || !(gap2 > 0)) {
    return;
  }
  const auto share = static_cast<float>(std::clamp(-dot(move.by, gap) / gap2, 0.0, 1.0));
  const std::size_t carried = field_.carried;
  const std::size_t mixed = carried - field_.labels;
  for (std::size_t k = 0; k < carried; ++k) {
    float& value = field_.along[there * carried + k];
    const float other = field_.along[wedge * carried + k];
    const float nearer = share > 0.5F ? other : value;
    value = k < mixed ? value + share * (other - value) : nearer;
  }
}

/// Moves what stays to its best place, and its wedges to the values that fit best there.
void Collapser::move_point(const Move& move) {
  float* at = &field_.places[3 * std::size_t{move.to}];
  Vec3d by{};
  for (std::size_t k = 0; k < 3; ++k) {
    const float old = at[k];
    at[k] = static_cast<float>(old + move.by[k]);
    by[k] = double{at[k]} - old;
  }
  Quadric& q = field_.quadrics[move.to];
  q.shift(by);
  const std::size_t n = field_.counted;
  std::uint32_t last = no_index;
  std::vector<std::uint32_t>& done = thirds_;
  done.clear();
  field_.net.for_each_corner(move.to, [&](std::uint32_t c) {
    const std::uint32_t wedge = field_.net.wedge_of[c];
    if (wedge == last || std::find(done.begin(), done.end(), wedge) != done.end()) {
      return;
    }
    last = wedge;
    done.push_back(wedge);
    field_.moved[wedge] = 1;
    float* record = field_.gradients(wedge);
    const double area = record[4 * n];
    for (std::size_t j = 0; j < n && area > 0; ++j) {
      const Vec3d g{record[4 * j], record[4 * j + 1], record[4 * j + 2]};
      const double foretold = dot(g, by) + record[4 * j + 3];
      float& value = field_.values[wedge * n + j];
      const float old = value;
      value = static_cast<float>(old + foretold / area);
      const double step = double{value} - old;
      q.b = q.b - step * g;
      q.c += step * (area * step - 2 * foretold);
      record[4 * j + 3] = static_cast<float>(foretold - area * step);
    }
  });
}

/// One triangle goes, and two of its edges become one.
void Collapser::drop_triangle(std::uint32_t corner, std::uint32_t to) {
  SurfaceNet& net = field_.net;
  const std::uint32_t next = SurfaceNet::next(corner);
  const std::uint32_t previous = SurfaceNet::previous(corner);
  const bool to_is_next = net.point_at(next) == to;
  const std::uint32_t gone = to_is_next ? net.edge_of[previous] : net.edge_of[corner];
  const std::uint32_t kept = net.edge_of[next];
  net.kind_of[kept] = std::max(net.kind_of[kept], net.kind_of[gone]);
  net.ends[gone] = {no_index, no_index};
  replaced_.emplace_back(gone, kept);
  net.wedge_of[corner] = net.wedge_of[next] = net.wedge_of[previous] = no_index;
  ++dropped_;
}

void Collapser::join_corners(const Move& move) {
  SurfaceNet& net = field_.net;
  replaced_.clear();
  for (const std::uint32_t c : shared_) {
    drop_triangle(c, move.to);
  }
  const auto follow = [&](std::uint32_t& edge) {
    for (const auto& [gone, kept] : replaced_) {
      if (edge == gone) {
        edge = kept;
      }
    }
    for (std::uint32_t& end : net.ends[edge]) {
      end = end == move.from ? move.to : end;
    }
  };
  for (const std::uint32_t c : surviving_) {
    const auto pair = std::find_if(pairs_.begin(), pairs_.end(),
                                   [&](const auto& of) { return of.first == net.wedge_of[c]; });
    if (pair->second != no_index) {
      net.wedge_of[c] = pair->second;
    }
    follow(net.edge_of[c]);
    follow(net.edge_of[SurfaceNet::previous(c)]);
    net.next_at_point[c] = net.first_corner[move.to];
    net.first_corner[move.to] = c;
  }
  net.first_corner[move.from] = no_index;
}

void Collapser::apply(std::uint32_t edge, const Move& move) {
  join_data(move);
  const bool rim = field_.on_feature[move.from] != 0 || field_.on_feature[move.to] != 0;
  join_corners(move);
  field_.net.ends[edge] = {no_index, no_index};
  field_.versions[move.to] += field_.versions[move.from] + 1;
  if (rim) {
    field_.mark_feature(move.to);
    for (const std::uint32_t third : thirds_) {
      field_.mark_feature(third);
    }
  }
  if (move.best) {
    move_point(move);
  }
  error_m_ = std::max(error_m_, std::sqrt(move.error));
  cost_ = std::max(cost_, move.cost);
  ++collapses_;
  revive(move.to);
}

void Collapser::queue(std::span<const float> costs) {
  for (std::size_t i = piece_.edges.size(); i-- > 0;) {
    if (costs[i] >= 0) {
      queue_.push(piece_.edges[i], costs[i]);
    } else {
      field_.tried[piece_.edges[i]] |= CollapseField::rests;
    }
  }
}

bool Collapser::takes(std::uint32_t edge) const {
  const auto [a, b] = field_.net.ends[edge];
  return a != no_index && (piece_.deep_in.empty() || (piece_.deep_in[a] == piece_.number &&
                                                      piece_.deep_in[b] == piece_.number));
}

void Collapser::requeue(std::uint32_t edge) {
  const auto [a, b] = field_.net.ends[edge];
  field_.judged_at[edge] = field_.versions[a] + field_.versions[b];
  const Move move = field_.judge(edge, pairs_);
  if (move.from == no_index) {
    field_.tried[edge] |= CollapseField::rests;
  } else {
    queue_.push(edge, static_cast<float>(move.cost));
  }
}

/// Edges that nothing could be done with are tried again once something changed beside them.
void Collapser::revive(std::uint32_t point) {
  SurfaceNet& net = field_.net;
  net.for_each_corner(point, [&](std::uint32_t c) {
    for (const std::uint32_t edge : {net.edge_of[c], net.edge_of[SurfaceNet::previous(c)]}) {
      if ((field_.tried[edge] & CollapseField::rests) != 0 && takes(edge)) {
        field_.tried[edge] = 0;
        requeue(edge);
      }
    }
  });
}

bool Collapser::revive_all() {
  bool any = false;
  for (const std::uint32_t e : piece_.edges) {
    if (takes(e) && field_.tried[e] != CollapseField::rests) {
      field_.tried[e] = 0;
      requeue(e);
      any = any || (field_.tried[e] & CollapseField::rests) == 0;
    }
  }
  return any;
}

/// What can't be taken away now waits for what else happens.
void Collapser::try_edge(std::uint32_t edge, double limit2) {
  const auto [a, b] = field_.net.ends[edge];
  const std::uint32_t version = field_.versions[a] + field_.versions[b];
  const bool stale = field_.judged_at[edge] != version;
  if (stale) {
    field_.tried[edge] = 0;
    field_.judged_at[edge] = version;
  }
  const Move move = field_.judge(edge, pairs_);
  if (move.from == no_index) {
    field_.tried[edge] |= CollapseField::rests;
  } else if (move.error > limit2) {
    field_.tried[edge] = CollapseField::rests;
    too_far_ = true;
  } else if (stale && !queue_.is_next(static_cast<float>(move.cost))) {
    queue_.push(edge, static_cast<float>(move.cost));
  } else if (is_allowed(edge, move)) {
    apply(edge, move);
  } else if (field_.net.ends[edge][0] != no_index) {
    field_.tried[edge] |= move.best        ? CollapseField::both_move
                          : move.from == a ? CollapseField::first_goes
                                           : CollapseField::second_goes;
    requeue(edge);
  }
}

bool Collapser::collapse(const Limits& limits, const RunControl& run) {
  constexpr std::uint64_t told_every = 1U << 14U;
  constexpr std::uint64_t most_rounds = 8;
  constexpr std::uint64_t noted_share = 32;  // of what is still to go
  const double limit2 = limits.error_m * limits.error_m;
  std::uint64_t round = 0;
  std::uint64_t collapses_before = collapses_;
  const auto note = [&] { steps_.push_back({dropped_, cost_}); };
  std::uint64_t next_note = dropped_;
  for (std::uint64_t step = 1; dropped_ < limits.dropped; ++step) {
    if (step % told_every == 0 &&
        !goes_on(run, "reducing",
                 static_cast<double>(dropped_) / static_cast<double>(limits.dropped))) {
      return false;
    }
    if (dropped_ >= next_note) {
      note();
      next_note = dropped_ + std::max<std::uint64_t>((limits.dropped - dropped_) / noted_share, 1);
    }
    const std::uint32_t edge = queue_.pop(limits.cost);
    if (edge != no_index) {
      if (field_.net.ends[edge][0] != no_index) {
        try_edge(edge, limit2);
      }
    } else if (!queue_.empty() || collapses_ == collapses_before || ++round > most_rounds ||
               !revive_all()) {
      break;
    } else {
      collapses_before = collapses_;
    }
  }
  note();
  return true;
}

}  // namespace wakuzume
