// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include "render/pieces.h"

#include <tbb/parallel_sort.h>

#include <algorithm>
#include <tuple>

#include "scene/running.h"

namespace wakuzume {
namespace {

constexpr std::size_t items_at_once = 1024;
/// Pixels by which lines and points reach beyond their box.
constexpr double around_lines_px = 2;

class PieceLister {
 public:
  PieceLister(const DrawItems& items,
              const GpuGeometry& geometry,
              const Eye& eye,
              const Projector& projector,
              Unseen unseen)
      : items_(items),
        geometry_(geometry),
        eye_(eye),
        projector_(projector),
        all_(unseen == Unseen::drawn) {}

  void list(std::uint32_t number, std::vector<Piece>& out) const {
    const DrawItem& item = items_.items[number];
    const double around = item.place.mode == GL_TRIANGLES ? 0 : around_lines_px;
    for (std::uint32_t i = 0; i < item.instance_count; ++i) {
      const std::uint32_t instance = item.first_instance + i;
      const Eigen::Matrix4d clip =
          projector_.make_clip_matrix(items_.instance_world[instance], eye_.at);
      const ScreenBox whole = projector_.project(clip, item.place.box, around);
      if (whole.empty() && !all_) {
        continue;
      }
      if (item.place.run_count == 1) {
        out.push_back({number, instance, 0, whole});
        continue;
      }
      for (std::uint32_t r = 0; r < item.place.run_count; ++r) {
        const ScreenBox box =
            projector_.project(clip, geometry_.runs[item.place.first_run + r].box, around);
        if (!box.empty() || all_) {
          out.push_back({number, instance, r, box});
        }
      }
    }
  }

 private:
  const DrawItems& items_;
  const GpuGeometry& geometry_;
  const Eye& eye_;
  const Projector& projector_;
  bool all_;
};

GpuRecord make_record(const DrawItems& items, std::uint32_t instance, const Eye& eye) {
  const Mat4d& m = items.instance_world[instance];
  GpuRecord record = items.instance_factors[instance];
  for (std::size_t row = 0; row < 3; ++row) {
    for (std::size_t column = 0; column < 4; ++column) {
      const double value = m[4 * column + row] - (column == 3 ? eye.at[row] : 0.0);
      record.rows[row][column] = static_cast<float>(value);
    }
  }
  return record;
}

}  // namespace

std::uint32_t count_corners(GLenum mode) {
  return mode == GL_TRIANGLES ? 3 : mode == GL_LINES ? 2 : 1;
}

std::uint32_t Records::add(const DrawItems& items,
                           const GpuGeometry& geometry,
                           const Piece& piece,
                           const Eye& eye) {
  const GpuRange& place = items.items[piece.item].place;
  const std::uint32_t first_index = geometry.runs[place.first_run + piece.run].first_index;
  values.push_back(make_record(items, piece.instance, eye));
  of.push_back({piece.item, piece.instance, first_index / count_corners(place.mode), no_index});
  return static_cast<std::uint32_t>(of.size() - 1);
}

std::vector<Piece> list_pieces(const DrawItems& items,
                               const GpuGeometry& geometry,
                               const std::vector<std::uint32_t>& seen,
                               const Eye& eye,
                               const Projector& projector,
                               Unseen unseen,
                               const RunControl& run) {
  const PieceLister lister(items, geometry, eye, projector, unseen);
  std::vector<std::vector<Piece>> parts((seen.size() + items_at_once - 1) / items_at_once);
  for_each_range(seen.size(), items_at_once, {run.threads, nullptr}, "",
                 [&](std::size_t begin, std::size_t end) {
                   for (std::size_t i = begin; i < end; ++i) {
                     lister.list(seen[i], parts[begin / items_at_once]);
                   }
                 });
  std::vector<Piece> out;
  for (const std::vector<Piece>& part : parts) {
    out.insert(out.end(), part.begin(), part.end());
  }
  return out;
}

std::vector<DrawCall> make_calls(const DrawItems& items,
                                 const GpuGeometry& geometry,
                                 const std::vector<Piece>& pieces,
                                 const Eye& eye,
                                 Records& records) {
  std::vector<DrawCall> out;
  const auto joins = [&](const DrawCall& a, const DrawCall& b) {
    return items.items[a.item].group == items.items[b.item].group && a.first_run == b.first_run &&
           a.last_run == b.last_run;
  };
  for (std::size_t p = 0; p < pieces.size();) {
    const Piece& first = pieces[p];
    DrawCall call{first.item, first.run, first.run, records.add(items, geometry, first, eye)};
    for (++p; p < pieces.size() && pieces[p].item == first.item &&
              pieces[p].instance == first.instance && pieces[p].run == call.last_run + 1;
         ++p) {
      ++call.last_run;
    }
    if (!out.empty() && joins(out.back(), call)) {
      ++out.back().instances;
    } else {
      out.push_back(call);
    }
  }
  return out;
}

std::vector<ShownElement> list_shown(const std::vector<std::array<std::uint32_t, 2>>& pixels,
                                     const Records& records,
                                     const RunControl& run) {
  std::vector<ShownElement> out;
  ShownElement last{no_index, no_index};
  for (const auto& [record, element] : pixels) {
    const ShownElement shown{record, element};
    if (record < records.of.size() && shown != last) {
      out.push_back(shown);
    }
    last = shown;
  }
  in_arena({run.threads, nullptr}, [&] {
    tbb::parallel_sort(out.begin(), out.end(), [&](const ShownElement& a, const ShownElement& b) {
      return std::tuple(records.of[a.record].item, a.record, a.element) <
             std::tuple(records.of[b.record].item, b.record, b.element);
    });
  });
  out.erase(std::unique(out.begin(), out.end()), out.end());
  return out;
}

}  // namespace wakuzume
