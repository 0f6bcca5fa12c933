// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include <algorithm>
#include <array>
#include <cstring>

#include "codec/codecs.h"

// Attributes. Of each byte of an element the difference to that of the element before is kept, in
// planes: all first bytes of a block, then all second ones. Sixteen of a plane are a group.
namespace wakuzume {
namespace {

constexpr std::uint8_t attributes_head = 0xA0;
constexpr std::size_t group_size = 16;
constexpr std::size_t largest_block = 256;
/// Most that a group takes. As much follows the last one, so it need not be asked how long one is.
constexpr std::size_t largest_group = 24;
constexpr std::size_t least_tail = 32;

std::uint8_t fold_byte(std::uint8_t difference) {
  return static_cast<std::uint8_t>((difference << 1U) ^ (0U - (difference >> 7U)));
}

/// Four bytes at once: the inverse of fold_byte.
std::uint32_t unfold_bytes(std::uint32_t folded) {
  return ((folded >> 1U) & 0x7F7F'7F7FU) ^ ((folded & 0x0101'0101U) * 0xFFU);
}
/// Four sums of bytes, none of which carries into the next.
std::uint32_t add_bytes(std::uint32_t a, std::uint32_t b) {
  return ((a & 0x7F7F'7F7FU) + (b & 0x7F7F'7F7FU)) ^ ((a ^ b) & 0x8080'8080U);
}

/// The numbers of `bits` bits in each byte, the highest bits first.
template <unsigned bits>
constexpr auto make_small_numbers() {
  std::array<std::array<std::uint8_t, 8 / bits>, 256> table{};
  for (unsigned byte = 0; byte < 256; ++byte) {
    for (unsigned n = 0; n < 8 / bits; ++n) {
      table[byte][n] =
          static_cast<std::uint8_t>(byte >> (8 - bits - n * bits) & ((1U << bits) - 1));
    }
  }
  return table;
}
template <unsigned bits>
constexpr auto small_numbers = make_small_numbers<bits>();

/// Sixteen numbers of `bits` bits; those of all ones stand for a byte of its own, which follow.
template <unsigned bits>
const std::byte* take_small(const std::byte* from, std::byte* to) {
  constexpr std::uint8_t all = (1U << bits) - 1;
  constexpr std::size_t in_a_byte = 8 / bits;
  std::array<std::uint8_t, group_size> numbers;
  unsigned any = 0;
  for (std::size_t i = 0; i < group_size / in_a_byte; ++i, ++from) {
    const auto& four = small_numbers<bits>[static_cast<std::size_t>(*from)];
    std::memcpy(numbers.data() + i * in_a_byte, four.data(), in_a_byte);
  }
  for (const std::uint8_t number : numbers) {
    any |= number == all ? 1U : 0U;
  }
  if (any != 0) {
    for (std::uint8_t& number : numbers) {
      const bool own = number == all;
      number = own ? static_cast<std::uint8_t>(*from) : number;
      from += own ? 1 : 0;
    }
  }
  std::memcpy(to, numbers.data(), group_size);
  return from;
}

/// \return where the next plane begins; null where the bytes end
const std::byte* take_plane(const std::byte* from,
                            const std::byte* end,
                            std::size_t groups,
                            std::byte* to) {
  const std::byte* const header = from;
  const std::size_t header_size = (groups + 3) / 4;
  if (static_cast<std::size_t>(end - from) < header_size) {
    return nullptr;
  }
  from += header_size;
  for (std::size_t g = 0; g < groups; ++g, to += group_size) {
    if (static_cast<std::size_t>(end - from) < largest_group) {
      return nullptr;
    }
    switch (static_cast<unsigned>(header[g / 4]) >> (g % 4 * 2) & 3U) {
      case 0:
        std::memset(to, 0, group_size);
        break;
      case 1:
        from = take_small<2>(from, to);
        break;
      case 2:
        from = take_small<4>(from, to);
        break;
      default:
        std::memcpy(to, from, group_size);
        from += group_size;
    }
  }
  return from;
}

/// Puts four planes of differences together, from the element before on.
void put_together(const std::array<std::array<std::byte, largest_block>, 4>& planes,
                  std::size_t count,
                  std::uint32_t stride,
                  std::byte* before,
                  std::byte* to) {
  std::uint32_t sum = 0;
  std::memcpy(&sum, before, sizeof sum);
  for (std::size_t i = 0; i < count; ++i, to += stride) {
    const std::array<std::byte, 4> bytes{planes[0][i], planes[1][i], planes[2][i], planes[3][i]};
    std::uint32_t folded = 0;
    std::memcpy(&folded, bytes.data(), sizeof folded);
    sum = add_bytes(sum, unfold_bytes(folded));
    std::memcpy(to, &sum, sizeof sum);
  }
  std::memcpy(before, &sum, sizeof sum);
}

class AttributeWriter {
 public:
  AttributeWriter(std::span<const std::byte> plain, std::uint32_t stride)
      : plain_(plain), stride_(stride) {
    out_.reserve(plain.size() / 2 + stride + least_tail);
    out_.push_back(std::byte{attributes_head});
  }

  std::vector<std::byte> write() {
    const std::size_t count = plain_.size() / stride_;
    // The first element is the one that the first block begins from, so all its differences are 0.
    std::vector<std::byte> first(stride_);
    if (count > 0) {
      std::copy_n(plain_.begin(), stride_, first.begin());
    }
    const std::size_t block = find_block_size(stride_);
    for (std::size_t begin = 0; begin < count; begin += block) {
      const std::size_t size = std::min(block, count - begin);
      for (std::uint32_t byte = 0; byte < stride_; ++byte) {
        const std::byte before = begin == 0 ? first[byte] : plain_[(begin - 1) * stride_ + byte];
        write_plane(plain_.data() + begin * stride_ + byte, size, before);
      }
    }
    out_.resize(out_.size() + (stride_ < least_tail ? least_tail - stride_ : 0));
    out_.insert(out_.end(), first.begin(), first.end());
    return std::move(out_);
  }

 private:
  void write_plane(const std::byte* from, std::size_t count, std::byte before) {
    std::array<std::uint8_t, largest_block> folded{};
    auto last = static_cast<std::uint8_t>(before);
    for (std::size_t i = 0; i < count; ++i) {
      const auto value = static_cast<std::uint8_t>(from[i * stride_]);
      folded[i] = fold_byte(static_cast<std::uint8_t>(value - last));
      last = value;
    }
    const std::size_t groups = (count + group_size - 1) / group_size;
    const std::size_t header = out_.size();
    out_.resize(header + (groups + 3) / 4);
    for (std::size_t g = 0; g < groups; ++g) {
      const unsigned kind = write_group(folded.data() + g * group_size);
      out_[header + g / 4] |= static_cast<std::byte>(kind << (g % 4 * 2));
    }
  }

  /// In whichever way takes fewest bytes.
  unsigned write_group(const std::uint8_t* group) {
    std::size_t above[3] = {0, 0, 0};
    for (std::size_t i = 0; i < group_size; ++i) {
      above[0] += group[i] > 0 ? 1U : 0U;
      above[1] += group[i] >= 3 ? 1U : 0U;
      above[2] += group[i] >= 15 ? 1U : 0U;
    }
    if (above[0] == 0) {
      return 0;
    }
    const std::size_t two = group_size / 4 + above[1];
    const std::size_t four = group_size / 2 + above[2];
    if (std::min(two, four) >= group_size) {
      const auto* const bytes = reinterpret_cast<const std::byte*>(group);
      out_.insert(out_.end(), bytes, bytes + group_size);
      return 3;
    }
    if (two <= four) {
      write_small<2>(group);
      return 1;
    }
    write_small<4>(group);
    return 2;
  }

  template <unsigned bits>
  void write_small(const std::uint8_t* group) {
    constexpr std::uint32_t all = (1U << bits) - 1;
    constexpr std::size_t in_a_byte = 8 / bits;
    for (std::size_t i = 0; i < group_size; i += in_a_byte) {
      std::uint32_t byte = 0;
      for (std::size_t n = 0; n < in_a_byte; ++n) {
        byte = byte << bits | std::min<std::uint32_t>(group[i + n], all);
      }
      out_.push_back(static_cast<std::byte>(byte));
    }
    for (std::size_t i = 0; i < group_size; ++i) {
      if (group[i] >= all) {
        out_.push_back(static_cast<std::byte>(group[i]));
      }
    }
  }

  std::span<const std::byte> plain_;
  std::uint32_t stride_;
  std::vector<std::byte> out_;
};

}  // namespace

std::vector<std::byte> pack_attributes(std::span<const std::byte> plain, const PackLayout& layout) {
  return AttributeWriter(plain, layout.stride).write();
}

Result<void> unpack_attributes(PackedBytes packed,
                               const PackLayout& layout,
                               std::span<std::byte> out) {
  if (auto head = check_head(packed, attributes_head, find_least_packed(layout)); !head) {
    return head;
  }
  const std::uint32_t stride = layout.stride;
  std::array<std::byte, 256> before{};
  std::copy(packed.end() - stride, packed.end(), before.begin());
  const std::byte* from = packed.data() + 1;
  const std::byte* const end = packed.data() + packed.size();
  const std::size_t block = find_block_size(stride);
  std::array<std::array<std::byte, largest_block>, 4> planes;
  for (std::uint64_t begin = 0; begin < layout.count; begin += block) {
    const std::size_t size = std::min<std::uint64_t>(block, layout.count - begin);
    for (std::uint32_t byte = 0; byte < stride; byte += 4) {
      for (auto& plane : planes) {
        from = take_plane(from, end, (size + group_size - 1) / group_size, plane.data());
        if (from == nullptr) {
          return packed_wrong(
              fmt::format("the bytes end in the elements from {} of {} on", begin, layout.count));
        }
      }
      put_together(planes, size, stride, before.data() + byte, out.data() + begin * stride + byte);
    }
  }
  const auto tail = static_cast<std::size_t>(end - from);
  const std::size_t expected = std::max<std::size_t>(stride, least_tail);
  return tail == expected
             ? Result<void>()
             : packed_wrong(fmt::format("{} bytes follow the last element, {} are expected", tail,
                                        expected));
}

}  // namespace wakuzume
