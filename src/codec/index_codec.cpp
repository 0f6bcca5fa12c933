// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include <algorithm>
#include <array>
#include <cstdlib>
#include <cstring>
#include <numeric>

#include "codec/codecs.h"
#include "wakuzume/ids.h"

// Triangles and other indices. A triangle is told by an edge of one of the last 16 that were
// written and its third corner; that is a new vertex, one of the last 16, or a number.
namespace wakuzume {
namespace {

constexpr std::uint8_t triangles_head = 0xE1;
constexpr std::uint8_t indices_head = 0xD1;
constexpr std::size_t pair_table_bytes = 16;
constexpr std::size_t indices_tail = 4;
/// What a triangle takes at most beside its code: a byte and three numbers of five.
constexpr std::size_t triangle_data = 16;

// How a corner is told, in four bits.
constexpr std::uint32_t new_vertex = 0;
constexpr std::uint32_t one_less = 13;  ///< than the last that was told by a number
constexpr std::uint32_t one_more = 14;
constexpr std::uint32_t by_number = 15;
// Codes of triangles that share no edge with an earlier one; below them, 14 by table.
constexpr std::uint32_t first_in_table = 0xF0;
constexpr std::uint32_t begins_new = 0xFE;
constexpr std::uint32_t begins_by_number = 0xFF;
constexpr std::size_t table_size = 14;

struct Edge {
  std::uint32_t from = 0;
  std::uint32_t to = 0;
  bool operator==(const Edge&) const = default;
};

/// The last 16 of something; 0 is the newest.
template <class T>
class Recent {
 public:
  explicit Recent(const T& none) { items_.fill(none); }
  void push(const T& item) { items_[at_++ & 15U] = item; }
  void push_if(const T& item, bool wanted) {
    items_[at_ & 15U] = item;
    at_ += wanted ? 1 : 0;
  }
  const T& operator[](std::uint32_t age) const { return items_[(at_ - 1 - age) & 15U]; }
  /// 16 where it is not among them.
  [[nodiscard]] std::uint32_t find(const T& item) const {
    std::uint32_t age = 0;
    while (age < 16 && !((*this)[age] == item)) {
      ++age;
    }
    return age;
  }

 private:
  std::array<T, 16> items_{};
  std::uint32_t at_ = 0;
};

using Corners = std::array<std::uint32_t, 3>;

/// What both sides know of the triangles so far.
struct Known {
  Recent<Edge> edges{{no_index, no_index}};
  Recent<std::uint32_t> vertices{no_index};
  std::uint32_t next = 0;  ///< vertex that would be new
  std::uint32_t last = 0;  ///< that was told by a number

  /// After a triangle told by an edge: that one is not among the new edges.
  void push_edges(const Corners& t) {
    edges.push({t[2], t[1]});
    edges.push({t[0], t[2]});
  }
  void push_all_edges(const Corners& t) {
    edges.push({t[1], t[0]});
    push_edges(t);
  }
};

template <class Index>
void store(std::byte* to, std::uint32_t value) {
  const auto index = static_cast<Index>(value);
  std::memcpy(to, &index, sizeof index);
}
template <class Index>
std::uint32_t load(const std::byte* from) {
  Index index = 0;
  std::memcpy(&index, from, sizeof index);
  return index;
}

class TriangleReader {
 public:
  TriangleReader(const std::byte* data, const std::byte* table) : data_(data), table_(table) {}

  [[nodiscard]] const std::byte* data() const { return data_; }

  Corners read(std::uint32_t code) {
    return code < first_in_table ? read_by_edge(code)
           : code < begins_new   ? read_by_table(code)
                                 : read_alone(code);
  }

 private:
  std::uint32_t take_by_number() { return known_.last += unfold_sign(take_number(data_)); }

  Corners read_by_edge(std::uint32_t code) {
    const Edge edge = known_.edges[code >> 4U];
    const std::uint32_t how = code & 15U;
    Corners t{edge.from, edge.to, 0};
    if (how < one_less) {
      const bool fresh = how == new_vertex;
      t[2] = fresh ? known_.next : known_.vertices[how];
      known_.next += fresh ? 1 : 0;
      known_.vertices.push_if(t[2], fresh);
    } else {
      t[2] = how == by_number ? take_by_number() : known_.last + (how == one_more ? 1U : ~0U);
      known_.last = t[2];
      known_.vertices.push(t[2]);
    }
    known_.push_edges(t);
    return t;
  }

  /// A corner of a triangle without a known edge. Ages are from before its first corner.
  std::uint32_t read_corner(std::uint32_t how) {
    return how == new_vertex ? known_.next++ : known_.vertices[how - 1];
  }

  Corners read_by_table(std::uint32_t code) {
    const auto pair = static_cast<std::uint32_t>(table_[code & 15U]);
    const std::uint32_t second = pair >> 4U;
    const std::uint32_t third = pair & 15U;
    Corners t{known_.next++, 0, 0};
    t[1] = read_corner(second);
    t[2] = read_corner(third);
    known_.vertices.push(t[0]);
    known_.vertices.push_if(t[1], second == new_vertex);
    known_.vertices.push_if(t[2], third == new_vertex);
    known_.push_all_edges(t);
    return t;
  }

  Corners read_alone(std::uint32_t code) {
    const auto pair = static_cast<std::uint32_t>(*data_++);
    const std::uint32_t second = pair >> 4U;
    const std::uint32_t third = pair & 15U;
    if (pair == 0) {
      known_.next = 0;  // another mesh begins
    }
    Corners t{};
    t[0] = code == begins_new ? known_.next++ : 0;
    t[1] = read_corner(second);
    t[2] = read_corner(third);
    if (code == begins_by_number) {
      t[0] = take_by_number();
    }
    if (second == by_number) {
      t[1] = take_by_number();
    }
    if (third == by_number) {
      t[2] = take_by_number();
    }
    known_.vertices.push(t[0]);
    known_.vertices.push_if(t[1], second == new_vertex || second == by_number);
    known_.vertices.push_if(t[2], third == new_vertex || third == by_number);
    known_.push_all_edges(t);
    return t;
  }

  const std::byte* data_;
  const std::byte* table_;
  Known known_;
};

template <class Index>
Result<void> unpack_triangles_as(PackedBytes packed,
                                 std::uint64_t triangles,
                                 std::span<std::byte> out) {
  const std::byte* const codes = packed.data() + 1;
  // The table is as long as what one triangle takes, so reading stays within the bytes as long as
  // each triangle begins before it.
  static_assert(triangle_data <= pair_table_bytes);
  const std::byte* const table = packed.data() + packed.size() - pair_table_bytes;
  TriangleReader reader(codes + triangles, table);
  std::byte* to = out.data();
  for (std::uint64_t t = 0; t < triangles; ++t) {
    if (reader.data() > table) {
      return packed_wrong(fmt::format("the bytes end in triangle {} of {}", t, triangles));
    }
    for (const std::uint32_t corner : reader.read(static_cast<std::uint32_t>(codes[t]))) {
      store<Index>(to, corner);
      to += sizeof(Index);
    }
  }
  return reader.data() == table
             ? Result<void>()
             : packed_wrong(fmt::format("{} bytes too {} for {} triangles",
                                        std::abs(table - reader.data()),
                                        reader.data() < table ? "many" : "few", triangles));
}

/// Writes triangles, each with the corner first by which it takes fewest bytes.
class TriangleWriter {
 public:
  explicit TriangleWriter(std::size_t triangles) { codes_.reserve(triangles); }

  void write(Corners t) {
    for (std::uint32_t age = 0; age < 15; ++age) {
      for (std::size_t turn = 0; turn < 3; ++turn) {
        if (known_.edges[age] == Edge{t[turn], t[(turn + 1) % 3]}) {
          std::rotate(t.begin(), t.begin() + static_cast<std::ptrdiff_t>(turn), t.end());
          return write_by_edge(age, t);
        }
      }
    }
    const auto fresh = std::find(t.begin(), t.end(), known_.next);
    if (fresh != t.end()) {
      std::rotate(t.begin(), fresh, t.end());
    }
    write_alone(t);
  }

  std::vector<std::byte> finish() {
    const std::array<std::byte, pair_table_bytes> table = make_table();
    std::vector<std::byte> out;
    out.reserve(1 + codes_.size() + data_.size() + table.size());
    out.push_back(std::byte{triangles_head});
    std::vector<std::byte> data;
    data.reserve(data_.size());
    auto from = data_.begin();
    for (const Code& code : codes_) {
      std::uint32_t shown = code.code;
      const auto pair = static_cast<std::byte>(code.pair);
      if (code.has_pair) {
        const auto place = shown == begins_new
                               ? std::find(table.begin(), table.begin() + table_size, pair)
                               : table.end();
        // Other pairs of these four bits are told in full.
        if (place < table.begin() + table_size) {
          shown = first_in_table + static_cast<std::uint32_t>(place - table.begin());
        } else {
          data.push_back(pair);
        }
      }
      out.push_back(static_cast<std::byte>(shown));
      data.insert(data.end(), from, from + code.data_bytes);
      from += code.data_bytes;
    }
    out.insert(out.end(), data.begin(), data.end());
    out.insert(out.end(), table.begin(), table.end());
    return out;
  }

 private:
  struct Code {
    std::uint8_t code = 0;
    std::uint8_t pair = 0;
    bool has_pair = false;
    std::uint8_t data_bytes = 0;
  };

  void put(std::uint32_t vertex) {
    put_number(data_, fold_sign(vertex - known_.last));
    known_.last = vertex;
  }

  void write_by_edge(std::uint32_t age, const Corners& t) {
    const std::size_t before = data_.size();
    const std::uint32_t vertex = t[2];
    const std::uint32_t seen = known_.vertices.find(vertex);
    std::uint32_t how = by_number;
    if (vertex == known_.next) {
      how = new_vertex;
      ++known_.next;
    } else if (seen >= 1 && seen < one_less) {
      how = seen;
    } else if (vertex + 1 == known_.last || vertex == known_.last + 1) {
      how = vertex == known_.last + 1 ? one_more : one_less;
      known_.last = vertex;
    } else {
      put(vertex);
    }
    known_.vertices.push_if(vertex, how == new_vertex || how >= one_less);
    known_.push_edges(t);
    codes_.push_back({static_cast<std::uint8_t>(age << 4U | how), 0, false,
                      static_cast<std::uint8_t>(data_.size() - before)});
  }

  std::uint32_t find_how(std::uint32_t vertex) {
    if (vertex == known_.next) {
      ++known_.next;
      return new_vertex;
    }
    const std::uint32_t seen = known_.vertices.find(vertex);
    return seen < 14 ? seen + 1 : by_number;
  }

  void write_alone(const Corners& t) {
    const std::size_t before = data_.size();
    const bool fresh = t[0] == known_.next;
    known_.next += fresh ? 1 : 0;
    std::uint32_t second = find_how(t[1]);
    std::uint32_t third = find_how(t[2]);
    if (!fresh && second == new_vertex && third == new_vertex) {
      // This pair would mean that another mesh begins.
      second = third = by_number;
      known_.next -= 2;
    }
    if (!fresh) {
      put(t[0]);
    }
    if (second == by_number) {
      put(t[1]);
    }
    if (third == by_number) {
      put(t[2]);
    }
    known_.vertices.push(t[0]);
    known_.vertices.push_if(t[1], second == new_vertex || second == by_number);
    known_.vertices.push_if(t[2], third == new_vertex || third == by_number);
    known_.push_all_edges(t);
    codes_.push_back({static_cast<std::uint8_t>(fresh ? begins_new : begins_by_number),
                      static_cast<std::uint8_t>(second << 4U | third), true,
                      static_cast<std::uint8_t>(data_.size() - before)});
  }

  /// The pairs that most triangles without a known edge have. The first is always that of two new
  /// vertices, which can't be told in full.
  [[nodiscard]] std::array<std::byte, pair_table_bytes> make_table() const {
    std::array<std::uint32_t, 256> count{};
    for (const Code& code : codes_) {
      count[code.pair] += code.has_pair && code.code == begins_new ? 1U : 0U;
    }
    std::array<std::uint32_t, 256> pairs{};
    std::iota(pairs.begin(), pairs.end(), 0U);
    const auto can_stand = [](std::uint32_t pair) {
      return pair != 0 && pair >> 4U != by_number && (pair & 15U) != by_number;
    };
    std::stable_sort(pairs.begin(), pairs.end(), [&](std::uint32_t a, std::uint32_t b) {
      return std::pair(can_stand(a), count[a]) > std::pair(can_stand(b), count[b]);
    });
    std::array<std::byte, pair_table_bytes> table{};
    for (std::size_t i = 1; i < table_size; ++i) {
      table[i] = static_cast<std::byte>(pairs[i - 1]);
    }
    return table;
  }

  Known known_;
  std::vector<Code> codes_;
  std::vector<std::byte> data_;
};

}  // namespace

std::vector<std::byte> pack_triangles(std::span<const std::byte> plain, const PackLayout& layout) {
  TriangleWriter writer(layout.count / 3);
  const auto corner = [&](std::uint64_t i) {
    return layout.stride == 2 ? load<std::uint16_t>(plain.data() + 2 * i)
                              : load<std::uint32_t>(plain.data() + 4 * i);
  };
  for (std::uint64_t i = 0; i < layout.count; i += 3) {
    writer.write({corner(i), corner(i + 1), corner(i + 2)});
  }
  return writer.finish();
}

Result<void> unpack_triangles(PackedBytes packed,
                              const PackLayout& layout,
                              std::span<std::byte> out) {
  if (auto head = check_head(packed, triangles_head, find_least_packed(layout)); !head) {
    return head;
  }
  return layout.stride == 2 ? unpack_triangles_as<std::uint16_t>(packed, layout.count / 3, out)
                            : unpack_triangles_as<std::uint32_t>(packed, layout.count / 3, out);
}

std::vector<std::byte> pack_indices(std::span<const std::byte> plain, const PackLayout& layout) {
  std::vector<std::byte> out;
  out.reserve(1 + 2 * layout.count + indices_tail);
  out.push_back(std::byte{indices_head});
  // Each follows one of two trails, whichever is nearer.
  std::array<std::uint32_t, 2> last{};
  for (std::uint64_t i = 0; i < layout.count; ++i) {
    const std::uint32_t index = layout.stride == 2 ? load<std::uint16_t>(plain.data() + 2 * i)
                                                   : load<std::uint32_t>(plain.data() + 4 * i);
    const std::array<std::uint32_t, 2> step{fold_sign(index - last[0]), fold_sign(index - last[1])};
    // The trail takes the top bit's place: what needs it can't be told.
    const std::size_t trail = step[1] < step[0] ? 1 : 0;
    put_number(out, step[trail] << 1U | static_cast<std::uint32_t>(trail));
    last[trail] = index;
  }
  out.resize(out.size() + indices_tail);
  return out;
}

Result<void> unpack_indices(PackedBytes packed,
                            const PackLayout& layout,
                            std::span<std::byte> out) {
  if (auto head = check_head(packed, indices_head, find_least_packed(layout)); !head) {
    return head;
  }
  const std::byte* at = packed.data() + 1;
  const std::byte* const end = packed.data() + packed.size() - indices_tail;
  std::array<std::uint32_t, 2> last{};
  for (std::uint64_t i = 0; i < layout.count; ++i) {
    if (at >= end) {
      return packed_wrong(fmt::format("the bytes end in index {} of {}", i, layout.count));
    }
    const std::uint32_t number = take_number(at);
    std::uint32_t& trail = last[number & 1U];
    trail += unfold_sign(number >> 1U);
    if (layout.stride == 2) {
      store<std::uint16_t>(out.data() + 2 * i, trail);
    } else {
      store<std::uint32_t>(out.data() + 4 * i, trail);
    }
  }
  return at == end ? Result<void>()
                   : packed_wrong(fmt::format("{} bytes too {} for {} indices", std::abs(end - at),
                                              at < end ? "many" : "few", layout.count));
}

}  // namespace wakuzume
