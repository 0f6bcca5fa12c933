// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include "wakuzume/stream_codec.h"

#include <fmt/format.h>
#include <gtest/gtest.h>

#include <algorithm>
#include <cmath>
#include <cstring>
#include <random>
#include <sstream>

#include "support/process.h"

// Packed streams against themselves, and against the decoder that a real engine ships.
namespace wakuzume {
namespace {

using ByteList = std::vector<std::byte>;

class Dice {
 public:
  explicit Dice(std::uint32_t seed) : engine_(seed) {}
  std::uint32_t below(std::uint32_t end) { return static_cast<std::uint32_t>(engine_() % end); }
  std::byte byte() { return static_cast<std::byte>(engine_()); }
  void append(ByteList& out, std::size_t count) {
    for (std::size_t i = 0; i < count; ++i) {
      out.push_back(byte());
    }
  }

 private:
  std::mt19937 engine_;
};

struct Case {
  PackLayout layout;
  ByteList packed;
};

/// Elements that wander, jump and stand still.
ByteList make_elements(Dice& dice, const PackLayout& layout) {
  ByteList out(layout.count * layout.stride);
  const std::uint32_t jumps = dice.below(4);
  for (std::size_t i = 0; i < out.size(); ++i) {
    const std::byte before = i < layout.stride ? std::byte{0} : out[i - layout.stride];
    const std::uint32_t step = i % layout.stride % 3 == 0 ? 0
                               : dice.below(10) < jumps   ? dice.below(256)
                                                          : dice.below(4);
    out[i] = static_cast<std::byte>(static_cast<std::uint32_t>(before) + step);
  }
  return out;
}

template <class T>
ByteList make_bytes_of(const std::vector<std::uint32_t>& values) {
  ByteList out(values.size() * sizeof(T));
  for (std::size_t i = 0; i < values.size(); ++i) {
    const auto value = static_cast<T>(values[i]);
    std::memcpy(out.data() + i * sizeof(T), &value, sizeof value);
  }
  return out;
}

ByteList make_bytes_of(const std::vector<std::uint32_t>& values, std::uint32_t stride) {
  return stride == 2 ? make_bytes_of<std::uint16_t>(values) : make_bytes_of<std::uint32_t>(values);
}

std::uint32_t index_at(const ByteList& bytes, std::uint32_t stride, std::size_t i) {
  std::uint32_t value = 0;
  std::memcpy(&value, bytes.data() + i * stride, stride);
  return value;
}

/// A grid's triangles, some of them shuffled: strips of shared edges, and corners from far away.
std::vector<std::uint32_t> make_triangles(Dice& dice, std::uint32_t count) {
  std::vector<std::uint32_t> out;
  const std::uint32_t width = 2 + dice.below(20);
  for (std::uint32_t t = 0; t < count; ++t) {
    const std::uint32_t cell = t / 2;
    const std::uint32_t at = cell / width * (width + 1) + cell % width;
    std::uint32_t corners[3] = {at, at + 1, at + width + 1};
    if (t % 2 == 1) {
      corners[0] = at + width + 2;
      std::swap(corners[1], corners[2]);
    }
    if (dice.below(7) == 0) {
      corners[dice.below(3)] = dice.below(60'000);
    }
    std::rotate(corners, corners + dice.below(3), corners + 3);
    out.insert(out.end(), corners, corners + 3);
  }
  return out;
}

ByteList unpack(const Case& one) {
  ByteList out(one.layout.count * one.layout.stride);
  const auto done = unpack_stream(one.packed, one.layout, out);
  EXPECT_TRUE(done) << (done ? "" : to_string(done.error()));
  return out;
}

TEST(PackStream, GivesAttributesBackBitForBit) {
  Dice dice(1);
  for (const std::uint32_t stride : {4U, 8U, 12U, 20U, 64U, 256U}) {
    for (const std::uint64_t count : {0U, 1U, 15U, 16U, 17U, 255U, 256U, 257U, 3000U}) {
      const PackLayout layout{PackMode::attributes, PackFilter::none, stride, count};
      const ByteList plain = make_elements(dice, layout);
      const ByteList packed = pack_stream(plain, layout);
      EXPECT_GE(packed.size(), find_least_packed(layout));
      EXPECT_EQ(unpack({layout, packed}), plain) << stride << " x " << count;
    }
  }
}

TEST(PackStream, GivesIndicesBackBitForBit) {
  Dice dice(2);
  for (const std::uint32_t stride : {2U, 4U}) {
    std::vector<std::uint32_t> indices(1000);
    for (std::uint32_t& index : indices) {
      index = dice.below(stride == 2 ? 0x1'0000U : 0x4000'0000U);
    }
    const PackLayout layout{PackMode::indices, PackFilter::none, stride, indices.size()};
    const ByteList plain = make_bytes_of(indices, stride);
    EXPECT_EQ(unpack({layout, pack_stream(plain, layout)}), plain);
  }
}

TEST(PackStream, TurnsTrianglesAndNoMore) {
  Dice dice(3);
  for (int round = 0; round < 200; ++round) {
    const std::uint32_t stride = round % 2 == 0 ? 2 : 4;
    const std::vector<std::uint32_t> triangles = make_triangles(dice, dice.below(400));
    const PackLayout layout{PackMode::triangles, PackFilter::none, stride, triangles.size()};
    const ByteList packed = pack_stream(make_bytes_of(triangles, stride), layout);
    const ByteList plain = unpack({layout, packed});
    for (std::size_t t = 0; t < triangles.size(); t += 3) {
      std::uint32_t was[3] = {triangles[t], triangles[t + 1], triangles[t + 2]};
      std::uint32_t is[3];
      for (std::size_t c = 0; c < 3; ++c) {
        is[c] = index_at(plain, stride, t + c);
      }
      int turns = 0;
      for (; turns < 3 && !std::equal(was, was + 3, is); ++turns) {
        std::rotate(is, is + 1, is + 3);
      }
      ASSERT_LT(turns, 3) << "triangle " << t / 3 << " of round " << round;
    }
    // What was turned once stays so.
    EXPECT_EQ(unpack({layout, pack_stream(plain, layout)}), plain);
  }
}

TEST(PackStream, TakesLittleForAGrid) {
  Dice dice(4);
  std::vector<std::uint32_t> grid;
  for (std::uint32_t y = 0; y < 100; ++y) {
    for (std::uint32_t x = 0; x < 5; ++x) {
      const std::uint32_t at = y * 6 + x;
      grid.insert(grid.end(), {at, at + 1, at + 6, at + 6, at + 1, at + 7});
    }
  }
  const PackLayout layout{PackMode::triangles, PackFilter::none, 4, grid.size()};
  const std::size_t packed = pack_stream(make_bytes_of(grid, 4), layout).size();
  EXPECT_LT(packed, grid.size() / 3 * 13 / 8) << "under thirteen bits a triangle";
}

/// A number that the streams of indices and triangles tell, in one to five bytes.
void append_number(Dice& dice, ByteList& out) {
  for (std::uint32_t more = dice.below(3); more > 0; --more) {
    out.push_back(dice.byte() | std::byte{0x80});
  }
  out.push_back(dice.byte() & std::byte{0x7F});
}

/// Codes of all kinds, as no writer of ours makes them.
Case make_random_triangles(Dice& dice) {
  Case out{{PackMode::triangles, PackFilter::none, dice.below(2) == 0 ? 2U : 4U, 0}, {}};
  const std::uint32_t triangles = dice.below(300);
  out.layout.count = 3ULL * triangles;
  out.packed.push_back(std::byte{0xE1});
  ByteList data;
  for (std::uint32_t t = 0; t < triangles; ++t) {
    const std::uint32_t code = dice.below(256);
    out.packed.push_back(static_cast<std::byte>(code));
    if (code < 0xF0) {
      if ((code & 15U) == 15) {
        append_number(dice, data);
      }
    } else if (code >= 0xFE) {
      const auto pair = dice.below(5) == 0 ? 0U : dice.below(256);
      data.push_back(static_cast<std::byte>(pair));
      for (const bool told : {code == 0xFF, pair >> 4U == 15, (pair & 15U) == 15}) {
        if (told) {
          append_number(dice, data);
        }
      }
    }
  }
  out.packed.insert(out.packed.end(), data.begin(), data.end());
  for (int i = 0; i < 16; ++i) {
    out.packed.push_back(
        static_cast<std::byte>(i < 14 ? dice.below(15) << 4U | dice.below(15) : 0));
  }
  return out;
}

Case make_random_indices(Dice& dice) {
  Case out{{PackMode::indices, PackFilter::none, dice.below(2) == 0 ? 2U : 4U, dice.below(500)},
           {}};
  out.packed.push_back(std::byte{0xD1});
  for (std::uint64_t i = 0; i < out.layout.count; ++i) {
    append_number(dice, out.packed);
  }
  out.packed.resize(out.packed.size() + 4);
  return out;
}

/// Groups of all kinds. \param fill  makes the bytes of elements that a filter is made for
Case make_random_attributes(Dice& dice) {
  Case out{{PackMode::attributes, PackFilter::none, 4 + 4 * dice.below(12), 1 + dice.below(900)},
           {}};
  const std::uint32_t stride = out.layout.stride;
  out.packed.push_back(std::byte{0xA0});
  const std::uint64_t block = std::min<std::uint64_t>(8192 / stride / 16 * 16, 256);
  for (std::uint64_t begin = 0; begin < out.layout.count; begin += block) {
    const std::size_t groups = (std::min(block, out.layout.count - begin) + 15) / 16;
    for (std::uint32_t plane = 0; plane < stride; ++plane) {
      ByteList header((groups + 3) / 4);
      ByteList data;
      for (std::size_t g = 0; g < groups; ++g) {
        const std::uint32_t kind = dice.below(4);
        header[g / 4] |= static_cast<std::byte>(kind << (g % 4 * 2));
        const std::uint32_t bits = kind == 1 ? 2 : 4;
        const std::size_t from = data.size();
        dice.append(data, kind == 0 ? 0U : kind == 3 ? 16U : 2 * bits);
        std::size_t own = 0;
        for (std::size_t i = from; kind % 3 != 0 && i < data.size(); ++i) {
          for (std::uint32_t at = 0; at < 8; at += bits) {
            const std::uint32_t all = (1U << bits) - 1;
            own += (static_cast<std::uint32_t>(data[i]) >> at & all) == all ? 1U : 0U;
          }
        }
        dice.append(data, own);
      }
      out.packed.insert(out.packed.end(), header.begin(), header.end());
      out.packed.insert(out.packed.end(), data.begin(), data.end());
    }
  }
  out.packed.resize(out.packed.size() + (stride < 32 ? 32 - stride : 0));
  dice.append(out.packed, stride);
  return out;
}

template <class T>
void put(ByteList& out, int value) {
  const auto stored = static_cast<T>(value);
  const auto* const bytes = reinterpret_cast<const std::byte*>(&stored);
  out.insert(out.end(), bytes, bytes + sizeof stored);
}

/// Elements that a filter is made for.
ByteList make_filtered(Dice& dice, const PackLayout& layout) {
  ByteList out;
  for (std::uint64_t i = 0; i < layout.count; ++i) {
    if (layout.filter == PackFilter::exponential) {
      for (std::uint32_t c = 0; c < layout.stride; c += 4) {
        dice.append(out, 3);
        out.push_back(static_cast<std::byte>(static_cast<int>(dice.below(200)) - 100));
      }
      continue;
    }
    const int one = layout.stride == 4 ? 127 : (1 << (3 + dice.below(13))) - 1;
    const auto along = [&] {
      return static_cast<int>(dice.below(2 * static_cast<std::uint32_t>(one) + 1)) - one;
    };
    if (layout.filter == PackFilter::quaternion) {
      for (int c = 0; c < 3; ++c) {
        put<std::int16_t>(out, along());
      }
      put<std::int16_t>(out, (std::max(one, 7) & ~3) | static_cast<int>(dice.below(4)));
    } else if (layout.stride == 4) {
      for (const int value : {along(), along(), one, static_cast<int>(dice.below(256)) - 128}) {
        put<std::int8_t>(out, value);
      }
    } else {
      for (const int value : {along(), along(), one, along()}) {
        put<std::int16_t>(out, value);
      }
    }
  }
  return out;
}

std::string to_hex(const ByteList& bytes) {
  std::string out;
  for (const std::byte byte : bytes) {
    out += fmt::format("{:02x}", static_cast<unsigned>(byte));
  }
  return out;
}

/// Ours is what the engine's own decoder makes of the same bytes.
TEST(UnpackStream, AgreesWithAnEngineBitForBit) {
  Dice dice(5);
  std::vector<Case> cases;
  for (int round = 0; round < 150; ++round) {
    cases.push_back(make_random_triangles(dice));
    cases.push_back(make_random_indices(dice));
    cases.push_back(make_random_attributes(dice));
    const PackLayout filtered[] = {
        {PackMode::attributes, PackFilter::octahedral, 4, dice.below(100)},
        {PackMode::attributes, PackFilter::octahedral, 8, dice.below(100)},
        {PackMode::attributes, PackFilter::quaternion, 8, dice.below(100)},
        {PackMode::attributes, PackFilter::exponential, 12, dice.below(100)}};
    for (const PackLayout& layout : filtered) {
      cases.push_back({layout, pack_stream(make_filtered(dice, layout), layout)});
    }
    const auto triangles = make_triangles(dice, dice.below(200));
    const PackLayout layout{PackMode::triangles, PackFilter::none, 4, triangles.size()};
    cases.push_back({layout, pack_stream(make_bytes_of(triangles, 4), layout)});
  }
  std::string text;
  for (const Case& one : cases) {
    text +=
        fmt::format("{} {} {} {} {}\n", to_string(one.layout.mode), to_string(one.layout.filter),
                    one.layout.stride, one.layout.count, to_hex(one.packed));
  }
  const auto folder = test::make_scratch();
  test::write_all(folder / "cases.txt", text);
  const test::Outcome outcome = test::run_program(
      {WAKUZUME_NODE, WAKUZUME_JUDGES "/packed.mjs", (folder / "cases.txt").string()});
  ASSERT_EQ(outcome.exit_code, 0) << outcome.err;
  std::istringstream lines(outcome.out);
  for (const Case& one : cases) {
    std::string line;
    ASSERT_TRUE(std::getline(lines, line));
    ASSERT_EQ(to_hex(unpack(one)), line)
        << to_string(one.layout.mode) << " " << to_string(one.layout.filter) << " "
        << one.layout.stride << " x " << one.layout.count;
  }
}

TEST(UnpackStream, EndsDamagedBytesInAnErrorOrInElements) {
  Dice dice(6);
  int refused = 0;
  for (int round = 0; round < 12'000; ++round) {
    Case one = round % 3 == 0   ? make_random_triangles(dice)
               : round % 3 == 1 ? make_random_indices(dice)
                                : make_random_attributes(dice);
    const std::uint32_t kind = dice.below(3);
    if (kind == 0) {
      one.packed.resize(dice.below(static_cast<std::uint32_t>(one.packed.size())));
    } else if (kind == 1) {
      one.packed[dice.below(static_cast<std::uint32_t>(one.packed.size()))] = dice.byte();
    } else {
      dice.append(one.packed, 1 + dice.below(40));
    }
    // In memory of its own, so that a sanitizer sees what is read or written beyond.
    const ByteList packed(one.packed.begin(), one.packed.end());
    ByteList out(one.layout.count * one.layout.stride);
    const auto done = unpack_stream(packed, one.layout, out);
    if (!done) {
      ++refused;
      ASSERT_EQ(done.error().code, ErrorCode::bad_value);
      ASSERT_FALSE(done.error().message.empty());
    }
  }
  EXPECT_GT(refused, 6'000) << "most of what is cut or prolonged can be seen to be";
}

TEST(CheckLayout, RefusesWhatTheExtensionDoesNotAllow) {
  const PackLayout wrong[] = {
      {PackMode::attributes, PackFilter::none, 6, 1},
      {PackMode::attributes, PackFilter::none, 260, 1},
      {PackMode::attributes, PackFilter::none, 0, 1},
      {PackMode::attributes, PackFilter::octahedral, 12, 1},
      {PackMode::attributes, PackFilter::quaternion, 4, 1},
      {PackMode::triangles, PackFilter::none, 4, 4},
      {PackMode::triangles, PackFilter::exponential, 4, 3},
      {PackMode::indices, PackFilter::none, 1, 3},
  };
  for (const PackLayout& layout : wrong) {
    EXPECT_FALSE(check_layout(layout)) << to_string(layout.mode) << " " << layout.stride;
  }
  const auto huge = check_layout({PackMode::attributes, PackFilter::none, 256, ~0ULL});
  ASSERT_FALSE(huge);
  EXPECT_EQ(huge.error().code, ErrorCode::too_large);
}

TEST(MakeExponential, HoldsFloatsOfOneGridExactlyAndNoOthers) {
  std::vector<float> grid;
  for (int i = -400; i < 400; ++i) {
    grid.insert(grid.end(), {static_cast<float>(i) / 2048, 1000.0F + static_cast<float>(i), 0});
  }
  ByteList plain(grid.size() * sizeof(float));
  std::memcpy(plain.data(), grid.data(), plain.size());
  const auto made = make_exponential(plain, 12);
  ASSERT_TRUE(made);
  const PackLayout layout{PackMode::attributes, PackFilter::exponential, 12, grid.size() / 3};
  const ByteList packed = pack_stream(*made, layout);
  EXPECT_EQ(unpack({layout, packed}), plain);
  const PackLayout without{PackMode::attributes, PackFilter::none, 12, grid.size() / 3};
  EXPECT_LT(2 * packed.size(), pack_stream(plain, without).size());

  const float large = 1e7F;
  const float none[] = {0.1F, large, -0.0F, std::nanf(""), HUGE_VALF, 1e-40F};
  ByteList both(2 * sizeof(float));
  std::memcpy(both.data(), &large, sizeof large);
  for (const float value : none) {
    std::memcpy(both.data() + 4, &value, sizeof value);
    EXPECT_EQ(make_exponential(both, 4).has_value(), value == large) << value;
  }
}

}  // namespace
}  // namespace wakuzume
