// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include "files/file.h"

#include <fcntl.h>
#include <fmt/format.h>
#include <sys/mman.h>
#include <sys/stat.h>
#include <unistd.h>

#include <algorithm>
#include <cerrno>
#include <cstring>
#include <filesystem>
#include <utility>

namespace wakuzume {
namespace {

Failure cannot_open(const std::string& path, const std::string& why) {
  return Failure(Error{ErrorCode::cannot_open, "can't be read: " + why, {path, ""}});
}

}  // namespace

namespace {

/// Drops the pages of a mapped file; they are read again when somebody looks.
void let_pages_go(std::span<const std::byte> bytes) {
  constexpr std::size_t worth_a_call = 64U << 10U;
  if (bytes.size() < worth_a_call) {
    return;
  }
  const auto page = static_cast<std::uintptr_t>(::sysconf(_SC_PAGESIZE));
  const std::uintptr_t begin = reinterpret_cast<std::uintptr_t>(bytes.data()) / page * page;
  const std::uintptr_t end = reinterpret_cast<std::uintptr_t>(bytes.data()) + bytes.size();
  ::madvise(reinterpret_cast<void*>(begin), end - begin, MADV_DONTNEED);
}

Bytes keep_mapping(void* address, std::size_t size) {
  const std::shared_ptr<const void> keeper(
      address, [size](const void* mapped) { ::munmap(const_cast<void*>(mapped), size); });
  return {keeper, {static_cast<const std::byte*>(address), size}, &let_pages_go};
}

}  // namespace

Result<Bytes> map_file(const std::string& path) {
  const int descriptor = ::open(path.c_str(), O_RDONLY | O_CLOEXEC);
  if (descriptor < 0) {
    return cannot_open(path, std::strerror(errno));
  }
  struct stat status {};
  if (::fstat(descriptor, &status) != 0 || !S_ISREG(status.st_mode)) {
    ::close(descriptor);
    return cannot_open(path, "not a regular file");
  }
  const auto size = static_cast<std::size_t>(status.st_size);
  if (size == 0) {
    ::close(descriptor);
    return Bytes{};
  }
  void* address = ::mmap(nullptr, size, PROT_READ, MAP_PRIVATE, descriptor, 0);
  const int reason = errno;
  ::close(descriptor);
  if (address == MAP_FAILED) {
    return cannot_open(path, std::strerror(reason));
  }
  return keep_mapping(address, size);
}

Result<Bytes> spill(const std::vector<std::byte>& bytes, const std::string& folder) {
  std::string name = folder + (folder.empty() ? "" : "/") + ".spill-XXXXXX";
  const int descriptor = ::mkstemp(name.data());
  if (descriptor < 0) {
    return cannot_open(name, std::strerror(errno));
  }
  ::unlink(name.c_str());  // it lives as long as its mapping
  std::size_t done = 0;
  while (done < bytes.size()) {
    const ssize_t count = ::write(descriptor, bytes.data() + done, bytes.size() - done);
    if (count <= 0 && errno != EINTR) {
      break;
    }
    done += count > 0 ? static_cast<std::size_t>(count) : 0;
  }
  void* address = done < bytes.size() || bytes.empty()
                      ? MAP_FAILED
                      : ::mmap(nullptr, bytes.size(), PROT_READ, MAP_PRIVATE, descriptor, 0);
  const int reason = errno;
  ::close(descriptor);
  return address == MAP_FAILED ? cannot_open(name, std::strerror(reason))
                               : Result<Bytes>(keep_mapping(address, bytes.size()));
}

FileWriter::FileWriter(FileWriter&& other) noexcept
    : path_(std::move(other.path_)),
      temporary_(std::exchange(other.temporary_, {})),
      descriptor_(std::exchange(other.descriptor_, -1)),
      written_(other.written_) {}

FileWriter::~FileWriter() {
  if (descriptor_ >= 0) {
    ::close(descriptor_);
  }
  if (!temporary_.empty()) {
    ::unlink(temporary_.c_str());
  }
}

Result<void> FileWriter::fail(const char* what) const {
  return Failure(
      Error{ErrorCode::cannot_write,
            fmt::format("{}: {}; what stood there before is untouched", what, std::strerror(errno)),
            {path_, ""}});
}

Result<void> FileWriter::open(const std::string& path) {
  path_ = path;
  const std::filesystem::path target(path);
  std::error_code problem;
  if (target.has_parent_path()) {
    std::filesystem::create_directories(target.parent_path(), problem);
  }
  if (problem) {
    return Failure(Error{
        ErrorCode::cannot_write, "its folder can't be made: " + problem.message(), {path_, ""}});
  }
  temporary_ =
      (target.parent_path() / fmt::format(".{}.{}.part", target.filename().string(), ::getpid()))
          .string();
  descriptor_ = ::open(temporary_.c_str(), O_WRONLY | O_CREAT | O_TRUNC | O_CLOEXEC, 0666);
  if (descriptor_ < 0) {
    temporary_.clear();
    return fail("can't be written");
  }
  return {};
}

Result<void> FileWriter::write(const void* data, std::size_t size) {
  if (auto done = write_at(written_, data, size); !done) {
    return done;
  }
  written_ += size;
  return {};
}

Result<void> FileWriter::write_at(std::uint64_t offset, const void* data, std::size_t size) {
  const char* from = static_cast<const char*>(data);
  while (size > 0) {
    const ssize_t count = ::pwrite(descriptor_, from, std::min<std::size_t>(size, 1U << 30U),
                                   static_cast<off_t>(offset));
    if (count < 0 && errno == EINTR) {
      continue;
    }
    if (count <= 0) {
      return fail("writing stopped");
    }
    from += count;
    offset += static_cast<std::uint64_t>(count);
    size -= static_cast<std::size_t>(count);
  }
  return {};
}

Result<void> FileWriter::finish() {
  if (::fsync(descriptor_) != 0) {
    return fail("can't be synced to the disk");
  }
  return close();
}

Result<void> FileWriter::close() {
  const int closed = ::close(std::exchange(descriptor_, -1));
  return closed == 0 ? Result<void>{} : fail("can't be closed");
}

Result<void> FileWriter::commit() {
  if (::rename(temporary_.c_str(), path_.c_str()) != 0) {
    return fail("can't be put in its place");
  }
  temporary_.clear();
  // The rename itself must survive a power cut too; a file system that can't do it has done its
  // best, so the outcome is not an error.
  const std::string folder = std::filesystem::path(path_).parent_path().string();
  const int descriptor = ::open(folder.empty() ? "." : folder.c_str(), O_RDONLY | O_CLOEXEC);
  if (descriptor >= 0) {
    ::fsync(descriptor);
    ::close(descriptor);
  }
  return {};
}

}  // namespace wakuzume
