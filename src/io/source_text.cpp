#include "io/source_text.hpp"

#include <fcntl.h>
#include <sys/mman.h>
#include <sys/stat.h>
#include <unistd.h>

#include <array>
#include <atomic>
#include <cerrno>
#include <cstdint>
#include <cstring>
#include <zerobeat/base/buffer.hpp>
#include <zerobeat/base/error.hpp>
#include <zerobeat/io/read.hpp>

namespace zerobeat::detail {

namespace {

/// Closes a descriptor at the end of the scope.
struct Descriptor {
  int number;
  ~Descriptor() {
    if (number > 0) close(number);
  }
};

/// What of the address space is mapped files, for mend_cut_page(), which may take no lock.
struct MappedRange {
  std::atomic<std::uintptr_t> begin{0};
  std::atomic<std::size_t> size{0};
  std::atomic<bool> cut{false};
  std::atomic<bool> used{false};
};
std::array<MappedRange, 1024> mapped_ranges;

struct Mapping {
  Mapping(void* at, std::size_t bytes, int file) : data(at), size(bytes), descriptor(file) {
    for (MappedRange& own : mapped_ranges) {
      if (own.used.exchange(true)) continue;
      own.cut = false;
      own.size = bytes;
      own.begin = reinterpret_cast<std::uintptr_t>(at);
      range = &own;
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
    close(descriptor);
  }

  void* data;
  std::size_t size;
  int descriptor;
  MappedRange* range = nullptr;
};

SourceText read_all(int descriptor, const std::string& name) {
  auto bytes = std::make_shared<Buffer<char>>();
  constexpr std::size_t block = std::size_t{1} << 20;
  for (;;) {
    const std::size_t used = bytes->size();
    bytes->resize(used + block);
    const ssize_t got = ::read(descriptor, bytes->data() + used, block);
    if (got < 0 && errno != EINTR) fail_input("{}: can't be read: {}", name, std::strerror(errno));
    bytes->resize(used + static_cast<std::size_t>(got > 0 ? got : 0));
    if (got == 0) break;
  }
  const std::string_view text(bytes->data(), bytes->size());
  return {name, std::move(bytes), text, false, false};
}

}  // namespace

void SourceText::release(std::size_t from, std::size_t until) const {
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
  struct stat about {};
  if (fstat(mapping.descriptor, &about) != 0) return;
  const auto left = static_cast<std::size_t>(about.st_size);
  const bool cut = mapping.range != nullptr && mapping.range->cut;
  if (!cut && left >= mapping.size) return;
  fail_input(
      "{}: was cut short while it was read: it had {} bytes and now has {}; read it again "
      "when nothing writes to it",
      source.name, mapping.size, left);
}

SourceText open_source(const std::string& path) {
  if (path == "-") return read_all(STDIN_FILENO, path);
  const Descriptor file{open(path.c_str(), O_RDONLY | O_CLOEXEC)};
  if (file.number < 0) {
    if (errno == ENOENT) fail_input("{}: there is no such file", path);
    fail_input("{}: can't be opened: {}", path, std::strerror(errno));
  }
  struct stat about {};
  if (fstat(file.number, &about) != 0) fail_input("{}: {}", path, std::strerror(errno));
  if (S_ISDIR(about.st_mode)) fail_input("{}: is a directory; name a file in it", path);
  if (!S_ISREG(about.st_mode)) return read_all(file.number, path);
  if (about.st_size == 0) {
    SourceText text = read_all(file.number, path);
    text.regular = true;
    return text;
  }

  const auto size = static_cast<std::size_t>(about.st_size);
  void* data = mmap(nullptr, size, PROT_READ, MAP_PRIVATE, file.number, 0);
  if (data == MAP_FAILED) return read_all(file.number, path);
  const int kept = fcntl(file.number, F_DUPFD_CLOEXEC, 3);
  auto mapping = std::make_shared<const Mapping>(data, size, kept);
  return {path, std::move(mapping), {static_cast<const char*>(data), size}, true};
}

SourceText source_of(std::string text, const std::string& name) {
  auto owner = std::make_shared<const std::string>(std::move(text));
  const std::string_view view = *owner;
  return {name, std::move(owner), view, false};
}

}  // namespace zerobeat::detail

namespace zerobeat {

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
