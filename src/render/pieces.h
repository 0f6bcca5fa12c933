// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#pragma once

#include <array>
#include <compare>
#include <cstdint>
#include <vector>

#include "render/eye.h"
#include "render/items.h"
#include "render/unseen.h"
#include "wakuzume/render.h"
#include "wakuzume/run_control.h"

/// What is drawn of a scene from one view, in pieces small enough to be left out one by one.
namespace wakuzume {

/// A run of elements of one instance.
struct Piece {
  std::uint32_t item = 0;
  std::uint32_t instance = 0;  ///< among those of all items
  std::uint32_t run = 0;       ///< among those of its geometry
  ScreenBox box;
};

/// One call to the driver: pieces that lie together, for instances whose records follow each other.
struct DrawCall {
  std::uint32_t item = 0;
  std::uint32_t first_run = 0;
  std::uint32_t last_run = 0;
  std::uint32_t first_record = 0;
  std::uint32_t instances = 1;
};

/// By record: what it is drawn with.
struct RecordOf {
  std::uint32_t item = 0;
  std::uint32_t instance = 0;             ///< among those of all items
  std::uint32_t first_element = 0;        ///< where its elements begin in those of the whole draw
  std::uint32_t first_listed = no_index;  ///< of those that are listed one by one
};

/// What instances stand for: the values that the device reads, and where they come from.
struct Records {
  std::vector<GpuRecord> values;
  std::vector<RecordOf> of;
  std::vector<std::uint32_t> listed;  ///< elements, from the first of their record

  /// \param number  of an element among those that are drawn for a record
  [[nodiscard]] std::uint32_t find_element(std::uint32_t record, std::uint32_t number) const {
    const RecordOf& one = of[record];
    return one.first_element +
           (one.first_listed == no_index ? number : listed[one.first_listed + number]);
  }
  /// \return the number of the new one
  std::uint32_t add(const DrawItems& items,
                    const GpuGeometry& geometry,
                    const Piece& piece,
                    const Eye& eye);
};

/// An element that some pixel shows.
struct ShownElement {
  std::uint32_t record = 0;
  std::uint32_t element = 0;  ///< from the first of its record
  auto operator<=>(const ShownElement&) const = default;
};

/// As the driver reads it.
struct IndirectCall {
  std::uint32_t index_count = 0;
  std::uint32_t instances = 1;
  std::uint32_t first_index = 0;
  std::int32_t base_vertex = 0;
  std::uint32_t first_record = 0;
};

std::uint32_t count_corners(GLenum mode);

/// Pieces of the items in the order of the items, instances, runs: those that can cover some
/// pixel's centre, or all. \param seen  positions of items \param run  its threads alone
std::vector<Piece> list_pieces(const DrawItems& items,
                               const GpuGeometry& geometry,
                               const std::vector<std::uint32_t>& seen,
                               const Eye& eye,
                               const Projector& projector,
                               Unseen unseen,
                               const RunControl& run);

/// As few calls as draw the pieces in their order; those of one group come in the order of their
/// instances, if they follow each other. \param records  theirs are added to it
std::vector<DrawCall> make_calls(const DrawItems& items,
                                 const GpuGeometry& geometry,
                                 const std::vector<Piece>& pieces,
                                 const Eye& eye,
                                 Records& records);

/// Elements that pixels show, each once, by item and record.
/// \param pixels  record and element of each; records beyond those that are there: nothing
std::vector<ShownElement> list_shown(const std::vector<std::array<std::uint32_t, 2>>& pixels,
                                     const Records& records,
                                     const RunControl& run);

}  // namespace wakuzume
