#include "io/source_text.hpp"

#include <fcntl.h>
#include <sys/mman.h>
#include <sys/stat.h>
#include <unistd.h>

#include <cerrno>
#include <cstring>
#include <zerobeat/error.hpp>
#include <zerobeat/table/buffer.hpp>

namespace zerobeat::detail {

namespace {

/// Closes a descriptor at the end of the scope.
struct Descriptor {
  int number;
  ~Descriptor() {
    if (number > 0) close(number);
  }
};

struct Mapping {
  Mapping(void* at, std::size_t bytes) : data(at), size(bytes) {}
  Mapping(const Mapping&) = delete;
  Mapping& operator=(const Mapping&) = delete;
  ~Mapping() { munmap(data, size); }

  void* data;
  std::size_t size;
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
  return {name, std::move(bytes), text, false};
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
  if (!S_ISREG(about.st_mode) || about.st_size == 0) return read_all(file.number, path);

  const auto size = static_cast<std::size_t>(about.st_size);
  void* data = mmap(nullptr, size, PROT_READ, MAP_PRIVATE, file.number, 0);
  if (data == MAP_FAILED) return read_all(file.number, path);
  auto mapping = std::make_shared<const Mapping>(data, size);
  return {path, std::move(mapping), {static_cast<const char*>(data), size}, true};
}

SourceText source_of(std::string text, const std::string& name) {
  auto owner = std::make_shared<const std::string>(std::move(text));
  const std::string_view view = *owner;
  return {name, std::move(owner), view, false};
}

}  // namespace zerobeat::detail
