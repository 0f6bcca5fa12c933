// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include <fmt/format.h>

#include <algorithm>
#include <charconv>
#include <cmath>
#include <cstring>
#include <span>
#include <string_view>

#include "pictures/texels.h"

// Our own, since what reads this format otherwise turns it into floats, and the texels of a
// lightmap have to stay the bytes they are.
namespace wakuzume {
namespace {

constexpr std::size_t rgbe_bytes = 4;

Failure bad_radiance(const char* what) {
  return Failure(Error{ErrorCode::bad_image, fmt::format("Radiance HDR: {}", what), {}});
}

/// Reads header lines, then rows.
class RadianceReader {
 public:
  explicit RadianceReader(std::span<const std::byte> bytes) : bytes_(bytes) {}

  Result<TexelGrid> read(ImageDepth depth, const ImageLimits& limits) {
    bool is_rgbe = true;
    std::string_view line;
    do {
      if (!read_line(line)) {
        return bad_radiance("the header does not end");
      }
      is_rgbe = is_rgbe && (!line.starts_with("FORMAT=") || line == "FORMAT=32-bit_rle_rgbe");
    } while (!line.empty());
    if (!is_rgbe) {
      return bad_radiance("only FORMAT=32-bit_rle_rgbe is read");
    }
    std::uint32_t width = 0;
    std::uint32_t height = 0;
    if (!read_line(line) || !read_size(line, width, height)) {
      return bad_radiance("its size is not told as \"-Y height +X width\"");
    }
    auto grid = make_grid(width, height, radiance_format, rgbe_bytes, depth, limits);
    if (!grid || depth == ImageDepth::sizes) {
      return grid;
    }
    const std::size_t row_bytes = std::size_t{width} * rgbe_bytes;
    for (std::uint32_t y = 0; y < height; ++y) {
      if (!read_row(std::span(grid->texels).subspan(y * row_bytes, row_bytes))) {
        return bad_radiance("the texels are damaged or cut short");
      }
    }
    return grid;
  }

 private:
  bool read_line(std::string_view& line) {
    const auto* const from = reinterpret_cast<const char*>(bytes_.data());
    const std::string_view rest(from + at_, bytes_.size() - at_);
    const std::size_t end = rest.find('\n');
    if (end == std::string_view::npos) {
      return false;
    }
    line = rest.substr(0, end);
    at_ += end + 1;
    return true;
  }

  static bool read_size(std::string_view line, std::uint32_t& width, std::uint32_t& height) {
    const auto number = [&](std::string_view word, std::uint32_t& out) {
      if (!line.starts_with(word)) {
        return false;
      }
      const char* const begin = line.data() + word.size();
      const auto [end, problem] = std::from_chars(begin, line.data() + line.size(), out);
      line.remove_prefix(static_cast<std::size_t>(end - line.data()));
      return problem == std::errc();
    };
    return number("-Y ", height) && number(" +X ", width) && line.empty();
  }

  [[nodiscard]] std::uint8_t peek(std::size_t ahead) const {
    return static_cast<std::uint8_t>(bytes_[at_ + ahead]);
  }
  [[nodiscard]] bool has(std::size_t count) const { return bytes_.size() - at_ >= count; }

  bool read_row(std::span<std::byte> row) {
    const std::size_t width = row.size() / rgbe_bytes;
    if (!has(rgbe_bytes)) {
      return false;
    }
    const bool by_channel = peek(0) == 2 && peek(1) == 2 && peek(2) < 128 &&
                            (std::size_t{peek(2)} << 8U | peek(3)) == width;
    if (by_channel && width >= 8 && width < 32768) {
      at_ += rgbe_bytes;
      for (std::size_t c = 0; c < rgbe_bytes; ++c) {
        if (!read_runs(row, c, width)) {
          return false;
        }
      }
      return true;
    }
    return read_plain(row, width);
  }

  /// One channel of a row, in runs of one value and stretches of many.
  bool read_runs(std::span<std::byte> row, std::size_t channel, std::size_t width) {
    for (std::size_t x = 0; x < width;) {
      if (!has(2)) {
        return false;
      }
      const std::size_t code = peek(0);
      const bool run = code > 128;
      const std::size_t count = run ? code - 128 : code;
      if (count == 0 || count > width - x || !has(run ? 2 : 1 + count)) {
        return false;
      }
      for (std::size_t i = 0; i < count; ++i) {
        row[(x + i) * rgbe_bytes + channel] = bytes_[at_ + 1 + (run ? 0 : i)];
      }
      at_ += run ? 2 : 1 + count;
      x += count;
    }
    return true;
  }

  /// Texel by texel; {1, 1, 1, n} says that the one before comes n times more.
  bool read_plain(std::span<std::byte> row, std::size_t width) {
    std::size_t shift = 0;
    for (std::size_t x = 0; x < width;) {
      if (!has(rgbe_bytes)) {
        return false;
      }
      const bool repeats = peek(0) == 1 && peek(1) == 1 && peek(2) == 1;
      const std::size_t count = repeats ? std::size_t{peek(3)} << shift : 1;
      if (count > width - x || (repeats && (x == 0 || shift > 24))) {
        return false;
      }
      for (std::size_t i = 0; i < count; ++i) {
        std::memcpy(&row[(x + i) * rgbe_bytes], repeats ? &row[(x - 1) * rgbe_bytes] : &bytes_[at_],
                    rgbe_bytes);
      }
      shift = repeats ? shift + 8 : 0;
      x += count;
      at_ += rgbe_bytes;
    }
    return true;
  }

  std::span<const std::byte> bytes_;
  std::size_t at_ = 0;
};

void append(std::vector<std::byte>& out, std::string_view text) {
  const auto bytes = std::as_bytes(std::span(text.data(), text.size()));
  out.insert(out.end(), bytes.begin(), bytes.end());
}

/// Runs of at least three, and what is between them.
void append_runs(std::span<const std::byte> row,
                 std::size_t channel,
                 std::size_t width,
                 std::vector<std::byte>& out) {
  constexpr std::size_t longest_run = 127;
  constexpr std::size_t longest_stretch = 128;
  constexpr std::size_t worth_it = 3;
  const auto at = [&](std::size_t x) { return row[x * rgbe_bytes + channel]; };
  const auto run_at = [&](std::size_t x) {
    std::size_t count = 1;
    while (x + count < width && count < longest_run && at(x + count) == at(x)) {
      ++count;
    }
    return count;
  };
  for (std::size_t x = 0; x < width;) {
    if (const std::size_t run = run_at(x); run >= worth_it) {
      out.push_back(static_cast<std::byte>(128 + run));
      out.push_back(at(x));
      x += run;
      continue;
    }
    std::size_t end = x + 1;
    while (end < width && end - x < longest_stretch && run_at(end) < worth_it) {
      ++end;
    }
    out.push_back(static_cast<std::byte>(end - x));
    for (; x < end; ++x) {
      out.push_back(at(x));
    }
  }
}

}  // namespace

Result<TexelGrid> unpack_radiance(const Bytes& encoded,
                                  ImageDepth depth,
                                  const ImageLimits& limits) {
  return RadianceReader(encoded.data()).read(depth, limits);
}

std::vector<std::byte> pack_radiance(const TexelGrid& grid) {
  const std::size_t width = grid.size.width_px;
  const std::size_t row_bytes = width * rgbe_bytes;
  std::vector<std::byte> out;
  append(out, fmt::format("#?RADIANCE\nFORMAT=32-bit_rle_rgbe\n\n-Y {} +X {}\n",
                          grid.size.height_px, width));
  const bool by_channel = width >= 8 && width < 32768;
  for (std::size_t y = 0; y < grid.size.height_px; ++y) {
    const auto row = std::span(grid.texels).subspan(y * row_bytes, row_bytes);
    if (!by_channel) {
      out.insert(out.end(), row.begin(), row.end());
      continue;
    }
    for (const std::size_t first : {std::size_t{2}, std::size_t{2}, width >> 8U, width & 0xFFU}) {
      out.push_back(static_cast<std::byte>(first));
    }
    for (std::size_t c = 0; c < rgbe_bytes; ++c) {
      append_runs(row, c, width, out);
    }
  }
  return out;
}

LightPixels make_radiance_light(const TexelGrid& grid) {
  LightPixels out{grid.size.width_px, grid.size.height_px, {}};
  out.rgb.reserve(3 * (grid.texels.size() / rgbe_bytes));
  for (std::size_t at = 0; at < grid.texels.size(); at += rgbe_bytes) {
    const int exponent = static_cast<int>(grid.texels[at + 3]);
    // Eight bits of a fraction, whose exponent is shared and counted from 128.
    const float scale = exponent == 0 ? 0.0F : std::ldexp(1.0F, exponent - 136);
    for (std::size_t c = 0; c < 3; ++c) {
      out.rgb.push_back(scale * static_cast<float>(grid.texels[at + c]));
    }
  }
  return out;
}

}  // namespace wakuzume
