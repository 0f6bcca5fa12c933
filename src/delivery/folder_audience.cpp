// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include <fmt/format.h>

#include <algorithm>
#include <cctype>
#include <filesystem>

#include "wakuzume/delivery.h"
#include "wakuzume/image.h"
#include "wakuzume/io.h"

namespace wakuzume {
namespace {

/// A name that every file system takes.
std::string to_file_name(const std::string& text) {
  std::string out = text;
  std::replace_if(
      out.begin(), out.end(), [](unsigned char c) { return std::isalnum(c) == 0; }, '_');
  return out.substr(0, 60);
}

}  // namespace

void FolderAudience::begin(const DrawnScene&, const DrawnScene&) {
  std::error_code problem;
  std::filesystem::create_directories(folder_, problem);
  if (problem) {
    done_ = Failure(Error{
        ErrorCode::cannot_write, "the folder can't be made: " + problem.message(), {folder_, ""}});
  }
}

void FolderAudience::show(std::size_t number,
                          const Viewpoint& view,
                          const Shot& before,
                          const Shot& after,
                          const Pixels& heat) {
  const std::string name = fmt::format("{:02}_{}", number + 1, to_file_name(view.name));
  write(name + "_before.png", before.picture);
  write(name + "_after.png", after.picture);
  write(name + "_heat.png", heat);
}

void FolderAudience::write(const std::string& name, const Pixels& pixels) {
  if (!done_) {
    return;
  }
  const auto encoded = encode_png(pixels);
  if (!encoded) {
    done_ = Failure(encoded.error());
    return;
  }
  done_ = write_text((std::filesystem::path(folder_) / name).string(),
                     {reinterpret_cast<const char*>(encoded->data()), encoded->size()});
}

}  // namespace wakuzume
