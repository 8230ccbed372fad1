#include "io/source/source_text.hpp"

#include <fcntl.h>
#include <sys/mman.h>
#include <sys/stat.h>
#include <unistd.h>

#include <array>
#include <atomic>
#include <cerrno>
#include <cstdint>
#include <cstring>
#include <zerobeat/base/error.hpp>
#include <zerobeat/io/read.hpp>

#include "io/source/stream.hpp"

namespace zerobeat::inline v1::detail {

namespace {

/// Closes a descriptor at the end of the scope.
struct Descriptor {
  explicit Descriptor(int file) : number(file) {}
  Descriptor(const Descriptor&) = delete;
  Descriptor& operator=(const Descriptor&) = delete;
  ~Descriptor() {
    if (number > 0) close(number);
  }

  int number;
};

/// What of the address space is mapped files, for mend_cut_page(), which may take no lock.
struct MappedRange {
  std::atomic<std::uintptr_t> begin{0};
  std::atomic<std::size_t> size{0};
  std::atomic<bool> cut{false};
  std::atomic<bool> used{false};
};
std::array<MappedRange, 16384> mapped_ranges;

struct Mapping {
  Mapping(void* at, std::size_t bytes, std::string file, const struct stat& of)
      : data(at), size(bytes), path(std::move(file)), about(of) {
    for (MappedRange& mapped : mapped_ranges) {
      if (mapped.used.exchange(true)) continue;
      mapped.cut = false;
      mapped.size = bytes;
      mapped.begin = reinterpret_cast<std::uintptr_t>(at);
      range = &mapped;
      return;
    }
  }
  Mapping(const Mapping&) = delete;
  Mapping& operator=(const Mapping&) = delete;
  ~Mapping() {
    if (range != nullptr) {
      range->begin = 0;
      range->used = false;
    }
    munmap(data, size);
  }

  /// The file's size now, as long as its name is still its own. No descriptor is kept for that: a
  /// source may be thousands of files.
  std::size_t size_now() const {
    struct stat now {};
    const bool same =
        stat(path.c_str(), &now) == 0 && now.st_dev == about.st_dev && now.st_ino == about.st_ino;
    return same ? static_cast<std::size_t>(now.st_size) : size;
  }

  void* data;
  std::size_t size;
  std::string path;
  struct stat about;
  MappedRange* range = nullptr;
};

/// What comes through a pipe.
SourceText stream_of(std::shared_ptr<Descriptor> file, const std::string& name) {
  const auto open = [file, name]() -> Stream::Fill {
    return [file, name](std::span<char> out) {
      for (;;) {
        const ssize_t got = ::read(file->number, out.data(), out.size());
        if (got >= 0) return static_cast<std::size_t>(got);
        if (errno != EINTR) fail_input("{}: can't be read: {}", name, std::strerror(errno));
      }
    };
  };
  auto stream = std::make_shared<Stream>(name, open, std::size_t{1} << 40);
  SourceText text;
  text.name = name;
  text.owner = stream;
  text.stream = std::move(stream);
  text.regular = false;
  return text;
}

}  // namespace

std::string_view SourceText::until(std::size_t bytes) const {
  return stream ? stream->until(bytes) : text;
}

bool SourceText::is_whole() const { return !stream || stream->is_whole(); }

void SourceText::release(std::size_t from, std::size_t until) const {
  if (stream) return stream->release(from, until);
  if (!mapped) return;
  constexpr std::size_t page = 4096;
  const std::size_t first = (from + page - 1) / page * page;
  const std::size_t last = until / page * page;
  if (first >= last) return;
  madvise(const_cast<char*>(text.data()) + first, last - first, MADV_DONTNEED);
}

void check_whole(const SourceText& source) {
  if (!source.mapped) return;
  const auto& mapping = *static_cast<const Mapping*>(source.owner.get());
  const std::size_t left = mapping.size_now();
  const bool cut = mapping.range != nullptr && mapping.range->cut;
  if (!cut && left >= mapping.size) return;
  fail_input(
      "{}: was cut short while it was read: it had {} bytes and now has {}; read it again "
      "when nothing writes to it",
      source.name, mapping.size, left);
}

SourceText open_source(const std::string& path) {
  if (path == "-") return stream_of(std::make_shared<Descriptor>(STDIN_FILENO), path);
  auto file = std::make_shared<Descriptor>(open(path.c_str(), O_RDONLY | O_CLOEXEC));
  if (file->number < 0) {
    if (errno == ENOENT) fail_input("{}: there is no such file", path);
    fail_input("{}: can't be opened: {}", path, std::strerror(errno));
  }
  struct stat about {};
  if (fstat(file->number, &about) != 0) fail_input("{}: {}", path, std::strerror(errno));
  if (S_ISDIR(about.st_mode)) fail_input("{}: is a directory; name a file in it", path);
  if (!S_ISREG(about.st_mode)) return stream_of(file, path);
  // What the system keeps no size of (in /proc) is read like a pipe.
  if (about.st_size == 0) {
    SourceText text = stream_of(file, path);
    text.regular = true;
    return text;
  }

  const auto size = static_cast<std::size_t>(about.st_size);
  void* data = mmap(nullptr, size, PROT_READ, MAP_PRIVATE, file->number, 0);
  if (data == MAP_FAILED) return stream_of(file, path);
  auto mapping = std::make_shared<const Mapping>(data, size, path, about);
  return {path, std::move(mapping), {static_cast<const char*>(data), size}, nullptr, true};
}

SourceText source_of(std::string text, const std::string& name) {
  auto owner = std::make_shared<const std::string>(std::move(text));
  const std::string_view view = *owner;
  return {name, std::move(owner), view, nullptr, false};
}

}  // namespace zerobeat::detail

namespace zerobeat::inline v1 {

bool mend_cut_page(void* address) noexcept {
  const auto at = reinterpret_cast<std::uintptr_t>(address);
  for (detail::MappedRange& range : detail::mapped_ranges) {
    const std::uintptr_t begin = range.begin;
    if (begin == 0 || at < begin || at >= begin + range.size) continue;
    constexpr std::uintptr_t page = 4096;
    range.cut = true;
    return mmap(reinterpret_cast<void*>(at / page * page), page, PROT_READ,
                MAP_PRIVATE | MAP_ANONYMOUS | MAP_FIXED, -1, 0) != MAP_FAILED;
  }
  return false;
}

}  // namespace zerobeat
