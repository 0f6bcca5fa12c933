// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include <algorithm>
#include <ctime>
#include <numeric>

#include "render/renderer.h"

namespace wakuzume {
namespace {

/// Draws that are timed, in runs that keep the order in which states follow each other.
constexpr std::size_t timed_runs = 16;
constexpr std::size_t timed_run = 64;

double read_thread_ms() {
  timespec now{};
  clock_gettime(CLOCK_THREAD_CPUTIME_ID, &now);
  return static_cast<double>(now.tv_sec) * 1e3 + static_cast<double>(now.tv_nsec) / 1e6;
}

}  // namespace

/// What an engine gives to the driver: all draws in sight, one call each, with what has to be
/// switched between them.
Submitted Renderer::Impl::count_submitted(const ShotRequest& request) const {
  Submitted out;
  StateTrack track;
  for (const std::uint32_t i : seen) {
    const DrawItem& item = items.items[i];
    const BoundMaterial& bound = items.materials[item.material];
    const VertexLayout& layout = geometry.arenas[item.place.arena].layout;
    const StateChanges changes = track.change_to(
        make_program_key(bound, layout, item, request, bound.blended ? Pass::blend : Pass::shade),
        item, bound.blended);
    const bool switched = changes.program || changes.arena || changes.facing || changes.blending;
    out.pipeline_switches += switched ? 1U : 0U;
    out.material_switches += changes.material ? 1U : 0U;
    ++out.draws;
    out.instances += item.instance_count;
    out.triangles += item.place.mode == GL_TRIANGLES
                         ? std::uint64_t{item.place.index_count} / 3 * item.instance_count
                         : 0;
  }
  return out;
}

/// Records of a view, and the numbers from nought on by which vertices find theirs.
void Renderer::Impl::make_room(const Records& list) {
  if (record_room > 0 && list.values.size() <= record_room) {
    return;
  }
  record_room = std::max({std::size_t{1}, list.values.size(), record_room * 2});
  std::vector<std::uint32_t> counting(record_room);
  std::iota(counting.begin(), counting.end(), 0U);
  numbers = make_buffer(static_cast<GLsizeiptr>(record_room * 4), counting.data());
  records = make_buffer(static_cast<GLsizeiptr>(record_room * sizeof(GpuRecord)), nullptr);
  for (const Arena& arena : geometry.arenas) {
    glVertexArrayVertexBuffer(arena.vertex_array.id(), 1, numbers.id(), 0, 4);
  }
}

/// \param from  records before it are there already
void Renderer::Impl::upload(const Records& list, std::size_t from) {
  if (list.values.size() > record_room) {
    from = 0;
  }
  make_room(list);
  glBindBufferBase(GL_SHADER_STORAGE_BUFFER, 0, records.id());
  if (from < list.values.size()) {
    glNamedBufferSubData(records.id(), static_cast<GLintptr>(from * sizeof(GpuRecord)),
                         static_cast<GLsizeiptr>((list.values.size() - from) * sizeof(GpuRecord)),
                         &list.values[from]);
  }
}

Result<void> Renderer::Impl::issue(const std::vector<DrawCall>& calls, DrawState& state) {
  for (const DrawCall& call : calls) {
    const DrawItem& item = items.items[call.item];
    if (auto set =
            state.set(item, items.materials[item.material], geometry.arenas[item.place.arena]);
        !set) {
      return set;
    }
    const ElementRun& first = geometry.runs[item.place.first_run + call.first_run];
    const ElementRun& last = geometry.runs[item.place.first_run + call.last_run];
    glDrawElementsInstancedBaseVertexBaseInstance(
        item.place.mode,
        static_cast<GLsizei>(last.first_index + last.index_count - first.first_index),
        GL_UNSIGNED_INT,
        reinterpret_cast<const void*>((item.place.first_index + first.first_index) * 4),
        static_cast<GLsizei>(call.instances), static_cast<GLint>(item.place.base_vertex),
        call.first_record);
  }
  return {};
}

/// Calls of one group follow each other.
Result<void> Renderer::Impl::issue(const ElementCalls& list, const Records& of, DrawState& state) {
  if (list.calls.empty()) {
    return {};
  }
  element_indices =
      make_buffer(static_cast<GLsizeiptr>(4 * list.indices.size()), list.indices.data());
  element_calls = make_buffer(static_cast<GLsizeiptr>(list.calls.size() * sizeof(IndirectCall)),
                              list.calls.data());
  for (const Arena& arena : geometry.arenas) {
    glVertexArrayElementBuffer(arena.vertex_array.id(), element_indices.id());
  }
  glBindBuffer(GL_DRAW_INDIRECT_BUFFER, element_calls.id());
  const auto item_of = [&](std::size_t call) -> const DrawItem& {
    return items.items[of.of[list.calls[call].first_record].item];
  };
  for (std::size_t begin = 0; begin < list.calls.size();) {
    const DrawItem& item = item_of(begin);
    std::size_t end = begin + 1;
    while (end < list.calls.size() && item_of(end).group == item.group) {
      ++end;
    }
    if (auto set =
            state.set(item, items.materials[item.material], geometry.arenas[item.place.arena]);
        !set) {
      return set;
    }
    glMultiDrawElementsIndirect(item.place.mode, GL_UNSIGNED_INT,
                                reinterpret_cast<const void*>(begin * sizeof(IndirectCall)),
                                static_cast<GLsizei>(end - begin), 0);
    begin = end;
  }
  for (const Arena& arena : geometry.arenas) {
    glVertexArrayElementBuffer(arena.vertex_array.id(), arena.indices.id());
  }
  return {};
}

/// Some of the draws in sight, one call each with its first element alone, as if they were all.
Result<double> Renderer::Impl::time_submission(const Eye& eye, const ShotRequest& request) {
  if (seen.empty()) {
    return 0.0;
  }
  std::vector<std::uint32_t> timed;
  const std::size_t runs = std::max<std::size_t>(1, std::min(timed_runs, seen.size() / timed_run));
  for (std::size_t r = 0; r < runs; ++r) {
    const std::size_t begin = r * seen.size() / runs;
    const std::size_t end = runs == 1 ? seen.size() : begin + timed_run;
    for (std::size_t s = begin; s < std::min(end, seen.size()); ++s) {
      timed.push_back(seen[s]);
    }
  }
  glViewport(0, 0, 1, 1);
  double ms = 0;
  // The first time programs are made.
  for (int time = 0; time < 2; ++time) {
    DrawState state(*device, eye, request, material_buffer(), Pass::shade);
    glFinish();
    const double before = read_thread_ms();
    for (const std::uint32_t i : timed) {
      const DrawItem& item = items.items[i];
      if (auto set =
              state.set(item, items.materials[item.material], geometry.arenas[item.place.arena]);
          !set) {
        return Failure(set.error());
      }
      const std::uint32_t corners = count_corners(item.place.mode);
      glDrawElementsInstancedBaseVertexBaseInstance(
          item.place.mode, static_cast<GLsizei>(std::min(corners, item.place.index_count)),
          GL_UNSIGNED_INT, reinterpret_cast<const void*>(item.place.first_index * 4), 1,
          static_cast<GLint>(item.place.base_vertex), 0);
    }
    ms = read_thread_ms() - before;
    glFinish();
  }
  return ms * static_cast<double>(seen.size()) / static_cast<double>(timed.size());
}

}  // namespace wakuzume
