// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include <ImfChannelList.h>
#include <ImfFrameBuffer.h>
#include <ImfHeader.h>
#include <ImfIO.h>
#include <ImfInputFile.h>
#include <ImfOutputFile.h>
#include <fmt/format.h>

#include <algorithm>
#include <cstring>
#include <exception>
#include <string_view>

#include "pictures/texels.h"

namespace wakuzume {
namespace {

constexpr std::string_view exr_lead = "image/x-exr";

Failure bad_openexr(std::string_view what) {
  return Failure(Error{ErrorCode::bad_image, fmt::format("OpenEXR: {}", what), {}});
}

class MemoryIn final : public Imf::IStream {
 public:
  explicit MemoryIn(std::span<const std::byte> bytes) : IStream("memory"), bytes_(bytes) {}
  bool read(char* to, int count) override {
    const auto wanted = static_cast<std::size_t>(count);
    if (wanted > bytes_.size() - std::min<std::size_t>(at_, bytes_.size())) {
      throw std::runtime_error("cut short");
    }
    std::memcpy(to, bytes_.data() + at_, wanted);
    at_ += wanted;
    return at_ < bytes_.size();
  }
  std::uint64_t tellg() override { return at_; }
  void seekg(std::uint64_t to) override { at_ = to; }

 private:
  std::span<const std::byte> bytes_;
  std::uint64_t at_ = 0;
};

class MemoryOut final : public Imf::OStream {
 public:
  MemoryOut() : OStream("memory") {}
  void write(const char* from, int count) override {
    const auto size = static_cast<std::size_t>(count);
    bytes_.resize(std::max<std::size_t>(bytes_.size(), at_ + size));
    std::memcpy(bytes_.data() + at_, from, size);
    at_ += size;
  }
  std::uint64_t tellp() override { return at_; }
  void seekp(std::uint64_t to) override { at_ = to; }
  [[nodiscard]] std::vector<std::byte> take() { return std::move(bytes_); }

 private:
  std::vector<std::byte> bytes_;
  std::uint64_t at_ = 0;
};

struct PixelKind {
  Imf::PixelType type;
  const char* word;
  std::uint32_t bytes;
};
constexpr PixelKind pixel_kinds[] = {
    {Imf::HALF, "half", 2}, {Imf::FLOAT, "float", 4}, {Imf::UINT, "uint", 4}};

float read_sample(const PixelKind& kind, const std::byte* from) {
  if (kind.type == Imf::HALF) {
    half value;
    std::memcpy(&value, from, sizeof value);
    return value;
  }
  if (kind.type == Imf::FLOAT) {
    float value = 0;
    std::memcpy(&value, from, sizeof value);
    return value;
  }
  std::uint32_t value = 0;
  std::memcpy(&value, from, sizeof value);
  return static_cast<float>(value);
}

/// Channels one after the other in each texel.
struct Channels {
  std::string format{exr_lead};
  std::vector<std::pair<std::string, PixelKind>> list;
  std::uint32_t texel_bytes = 0;

  void add(const std::string& name, const PixelKind& kind) {
    format += fmt::format(" {}:{}", name, kind.word);
    list.emplace_back(name, kind);
    texel_bytes += kind.bytes;
  }
  [[nodiscard]] Imf::FrameBuffer make_frame(char* first, std::size_t width) const {
    Imf::FrameBuffer frame;
    for (const auto& [name, kind] : list) {
      frame.insert(name, Imf::Slice(kind.type, first, texel_bytes, width * texel_bytes));
      first += kind.bytes;
    }
    return frame;
  }
};

Result<Channels> list_channels(const Imf::ChannelList& channels) {
  Channels out;
  for (auto channel = channels.begin(); channel != channels.end(); ++channel) {
    const auto* const kind =
        std::find_if(std::begin(pixel_kinds), std::end(pixel_kinds),
                     [&](const PixelKind& one) { return one.type == channel.channel().type; });
    if (channel.channel().xSampling != 1 || channel.channel().ySampling != 1 ||
        kind == std::end(pixel_kinds)) {
      return bad_openexr("channels of fewer samples than texels are not read");
    }
    out.add(channel.name(), *kind);
  }
  return out.list.empty() ? bad_openexr("it has no channels") : Result<Channels>(std::move(out));
}

/// The way back from a format's name.
Result<Channels> read_channels(std::string_view format) {
  Channels out;
  format.remove_prefix(exr_lead.size());
  while (!format.empty()) {
    format.remove_prefix(1);
    const std::string_view word = format.substr(0, format.find(' '));
    const std::size_t colon = word.rfind(':');
    const auto* const kind =
        std::find_if(std::begin(pixel_kinds), std::end(pixel_kinds), [&](const PixelKind& one) {
          return colon != std::string_view::npos && word.substr(colon + 1) == one.word;
        });
    if (kind == std::end(pixel_kinds)) {
      return bad_openexr("no such channels");
    }
    out.add(std::string(word.substr(0, colon)), *kind);
    format.remove_prefix(word.size());
  }
  return out;
}

Result<TexelGrid> unpack(const Bytes& encoded, ImageDepth depth, const ImageLimits& limits) {
  MemoryIn stream(encoded.data());
  Imf::InputFile file(stream, 1);
  const auto channels = list_channels(file.header().channels());
  if (!channels) {
    return Failure(channels.error());
  }
  const auto& window = file.header().dataWindow();
  const auto side = [](int min, int max) {
    return static_cast<std::uint64_t>(std::max<std::int64_t>(0, std::int64_t{max} - min + 1));
  };
  auto grid = make_grid(side(window.min.x, window.max.x), side(window.min.y, window.max.y),
                        channels->format, channels->texel_bytes, depth, limits);
  if (!grid || depth == ImageDepth::sizes) {
    return grid;
  }
  // The library counts from where its window begins.
  const std::ptrdiff_t first = (std::ptrdiff_t{window.min.y} * grid->size.width_px + window.min.x) *
                               static_cast<std::ptrdiff_t>(grid->texel_bytes);
  file.setFrameBuffer(channels->make_frame(reinterpret_cast<char*>(grid->texels.data()) - first,
                                           grid->size.width_px));
  file.readPixels(window.min.y, window.max.y);
  return grid;
}

}  // namespace

// The library throws; nothing of that leaves this file.

Result<TexelGrid> unpack_openexr(const Bytes& encoded,
                                 ImageDepth depth,
                                 const ImageLimits& limits) {
  try {
    return unpack(encoded, depth, limits);
  } catch (const std::bad_alloc&) {
    throw;
  } catch (const std::exception& problem) {
    return bad_openexr(problem.what());
  }
}

Result<std::vector<std::byte>> pack_openexr(const TexelGrid& grid) {
  const auto channels = read_channels(grid.format);
  if (!channels) {
    return Failure(channels.error());
  }
  if (channels->texel_bytes != grid.texel_bytes) {
    return bad_openexr("its channels take other bytes than its texels");
  }
  try {
    Imf::Header header(static_cast<int>(grid.size.width_px), static_cast<int>(grid.size.height_px));
    header.compression() = Imf::ZIP_COMPRESSION;
    for (const auto& [name, kind] : channels->list) {
      header.channels().insert(name, Imf::Channel(kind.type));
    }
    MemoryOut stream;
    {
      Imf::OutputFile file(stream, header, 1);
      // The library's frames are of chars that it may write, but here it reads them.
      file.setFrameBuffer(
          channels->make_frame(const_cast<char*>(reinterpret_cast<const char*>(grid.texels.data())),
                               grid.size.width_px));
      file.writePixels(static_cast<int>(grid.size.height_px));
    }
    return stream.take();
  } catch (const std::bad_alloc&) {
    throw;
  } catch (const std::exception& problem) {
    return bad_openexr(problem.what());
  }
}

Result<LightPixels> make_openexr_light(const TexelGrid& grid) {
  const auto channels = read_channels(grid.format);
  if (!channels) {
    return Failure(channels.error());
  }
  struct Sample {
    const PixelKind* kind = nullptr;
    std::size_t offset = 0;
  };
  std::array<Sample, 3> samples{};
  std::size_t offset = 0;
  for (const auto& [name, kind] : channels->list) {
    for (std::size_t c = 0; c < samples.size(); ++c) {
      if (name == "Y" || name == std::string(1, "RGB"[c])) {
        samples[c] = {&kind, offset};
      }
    }
    offset += kind.bytes;
  }
  if (std::any_of(samples.begin(), samples.end(),
                  [](const Sample& s) { return s.kind == nullptr; })) {
    return bad_openexr("without channels R, G and B, or Y, it tells no light");
  }
  LightPixels out{grid.size.width_px, grid.size.height_px, {}};
  out.rgb.reserve(3 * (grid.texels.size() / grid.texel_bytes));
  for (std::size_t at = 0; at < grid.texels.size(); at += grid.texel_bytes) {
    for (const Sample& sample : samples) {
      out.rgb.push_back(read_sample(*sample.kind, &grid.texels[at + sample.offset]));
    }
  }
  return out;
}

}  // namespace wakuzume
