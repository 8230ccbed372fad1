#include "io/source/stream.hpp"

#include <fcntl.h>
#include <sys/mman.h>
#include <unistd.h>

#include <algorithm>
#include <cerrno>
#include <cstdlib>
#include <cstring>
#include <zerobeat/base/error.hpp>

namespace zerobeat::inline v1::detail {

namespace {

constexpr std::size_t in_memory = std::size_t{64} << 20;
constexpr std::size_t file_step = std::size_t{64} << 20;
constexpr std::size_t block = std::size_t{256} << 10;

std::string temporary_folder() {
  const char* const told = std::getenv("TMPDIR");
  return told != nullptr && *told != '\0' ? told : "/tmp";
}

/// A file without a name.
int open_nameless(const std::string& folder) {
  const int file = open(folder.c_str(), O_TMPFILE | O_RDWR | O_CLOEXEC, 0600);
  if (file >= 0) return file;
  std::string name = folder + "/zerobeat-XXXXXX";
  const int named = mkostemp(name.data(), O_CLOEXEC);
  if (named >= 0) unlink(name.c_str());
  return named;
}

}  // namespace

Stream::Stream(std::string name, Open open, std::size_t most)
    : name_(std::move(name)), open_(std::move(open)) {
  for (reserved_ = most; reserved_ >= in_memory; reserved_ /= 2) {
    void* const at =
        mmap(nullptr, reserved_, PROT_NONE, MAP_PRIVATE | MAP_ANONYMOUS | MAP_NORESERVE, -1, 0);
    if (at == MAP_FAILED) continue;
    base_ = static_cast<char*>(at);
    return;
  }
  fail_input("{}: there is no memory to read it into", name_);
}

Stream::~Stream() {
  munmap(base_, reserved_);
  if (file_ >= 0) close(file_);
}

void Stream::grow(std::size_t bytes) {
  if (bytes <= mapped_) return;
  if (mapped_ == 0) {
    if (mprotect(base_, in_memory, PROT_READ | PROT_WRITE) != 0) {
      fail_input("{}: there is no memory to read it into", name_);
    }
    mapped_ = in_memory;
    return;
  }
  if (mapped_ + file_step > reserved_) {
    fail_input("{}: holds more than {} GiB; take it apart first", name_, reserved_ >> 30);
  }
  const std::string folder = temporary_folder();
  if (file_ < 0) file_ = open_nameless(folder);
  const auto offset = static_cast<off_t>(mapped_ - in_memory);
  const int error = file_ < 0 ? errno : posix_fallocate(file_, offset, file_step);
  const bool no_room = error != 0;
  if (no_room || mmap(base_ + mapped_, file_step, PROT_READ | PROT_WRITE, MAP_SHARED | MAP_FIXED,
                      file_, offset) == MAP_FAILED) {
    fail_input(
        "{}: {} has no room for it, after {} MiB: {}; name another folder in the environment: "
        "TMPDIR=FOLDER",
        name_, folder, mapped_ >> 20, std::strerror(no_room ? error : errno));
  }
  mapped_ += file_step;
}

void Stream::open() {
  fill_ = open_();
  // Opened once more: what is here already is passed over.
  std::string again(block, '\0');
  for (std::size_t passed = 0; passed < filled_;) {
    const std::size_t most = std::min(again.size(), filled_ - passed);
    const std::size_t got = fill_({again.data(), most});
    if (got == 0) fail_input("{}: changed while it was read", name_);
    passed += got;
  }
}

std::string_view Stream::until(std::size_t bytes) {
  // What is here is given at once, whoever is fetching more.
  const bool whole = whole_;  // looked at first: what is filled then is all
  const std::size_t filled = filled_;
  if (whole || filled >= bytes) return {base_, filled};
  const std::lock_guard lock(mutex_);
  while (!whole_ && filled_ < bytes) {
    if (!fill_) open();
    grow(filled_ + block);
    const std::size_t got = fill_({base_ + filled_, std::min(block, mapped_ - filled_)});
    filled_ += got;
    if (got > 0) continue;
    whole_ = true;
    fill_ = {};
  }
  return {base_, filled_};
}

bool Stream::is_whole() const { return whole_; }

void Stream::rest() {
  const std::lock_guard lock(mutex_);
  fill_ = {};
}

void Stream::release(std::size_t from, std::size_t until) const {
  // Of what lies in memory nothing can come back.
  from = std::max(from, in_memory);
  if (from >= until) return;
  constexpr std::size_t page = 4096;
  const std::size_t first = (from + page - 1) / page * page;
  const std::size_t last = until / page * page;
  if (first < last) madvise(base_ + first, last - first, MADV_DONTNEED);
}

}  // namespace zerobeat::detail
