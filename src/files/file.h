// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#pragma once

#include <cstdint>
#include <string>
#include <string_view>
#include <utility>
#include <vector>

#include "wakuzume/bytes.h"
#include "wakuzume/result.h"

/// Files: mapped for reading, replaced as a whole for writing.
namespace wakuzume {

/// What a reader gives; an error of it gets the file that was read.
template <class T>
Result<T> of_file(Result<T> read, const std::string& path) {
  if (read) {
    return read;
  }
  Error error = read.error();
  error.place.file = path;
  return Failure(std::move(error));
}

/// \error cannot_open  with the system's reason; a folder or a device is refused
Result<Bytes> map_file(const std::string& path);

/// Bytes in a nameless file of a folder, where they take no memory while nobody looks.
/// \error cannot_open  the folder can't be written to, or is full
Result<Bytes> spill(const std::vector<std::byte>& bytes, const std::string& folder);

/// Writes beside the target and puts the new file in its place at the very end.
class FileWriter {
 public:
  FileWriter() = default;
  ~FileWriter();  ///< gives up a file that was not committed
  FileWriter(const FileWriter&) = delete;
  FileWriter& operator=(const FileWriter&) = delete;
  FileWriter(FileWriter&& other) noexcept;
  FileWriter& operator=(FileWriter&&) = delete;

  /// Makes the folders that lead there.
  Result<void> open(const std::string& path);
  Result<void> write(const void* data, std::size_t size);
  Result<void> write_at(std::uint64_t offset, const void* data, std::size_t size);
  /// Synced to the disk, still under its temporary name.
  Result<void> finish();
  /// The same without the sync.
  Result<void> close();
  /// Renames over the target. \pre finish() or close() succeeded
  Result<void> commit();

  [[nodiscard]] std::uint64_t written() const { return written_; }
  [[nodiscard]] const std::string& path() const { return path_; }
  /// Where it is until it is committed.
  [[nodiscard]] const std::string& temporary() const { return temporary_; }

 private:
  Result<void> fail(const char* what) const;

  std::string path_;
  std::string temporary_;
  int descriptor_ = -1;
  std::uint64_t written_ = 0;
};

}  // namespace wakuzume
