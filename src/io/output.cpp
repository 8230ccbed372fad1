#include <fcntl.h>
#include <sys/stat.h>
#include <unistd.h>

#include <array>
#include <atomic>
#include <cerrno>
#include <climits>
#include <cstdio>
#include <cstdlib>
#include <cstring>
#include <filesystem>
#include <utility>
#include <zerobeat/error.hpp>
#include <zerobeat/io/output.hpp>

namespace zerobeat {

namespace {

/// Paths of files being written that have a name, for a signal to remove. A path is in use while
/// its first letter is not '\0'.
struct PendingPath {
  std::atomic<bool> used{false};
  char path[PATH_MAX] = {};
};
std::array<PendingPath, 16> pending_paths;

PendingPath* remember(const std::string& path) {
  for (PendingPath& slot : pending_paths) {
    bool expected = false;
    if (path.size() < sizeof(slot.path) && slot.used.compare_exchange_strong(expected, true)) {
      std::memcpy(slot.path, path.c_str(), path.size() + 1);
      return &slot;
    }
  }
  return nullptr;
}

void forget(PendingPath* slot) {
  if (slot == nullptr) return;
  slot->path[0] = '\0';
  slot->used = false;
}

std::string beside(const std::string& path) {
  const std::filesystem::path target(path);
  const std::string folder = target.has_parent_path() ? target.parent_path().string() : ".";
  return folder + "/." + target.filename().string();
}

mode_t mode_for_new_files() {
  const mode_t mask = umask(0);
  umask(mask);
  return 0666 & ~mask;
}

}  // namespace

struct Output::File {
  std::string path;       ///< as the user named it
  std::string target;     ///< where it goes, links followed
  std::string temporary;  ///< its name while it is written; empty: it has none
  int descriptor = -1;
  bool direct = false;  ///< a pipe, a device, standard output
  bool owned = true;
  mode_t mode = 0644;
  PendingPath* slot = nullptr;

  ~File() {
    if (owned && descriptor >= 0) close(descriptor);
    if (!temporary.empty()) unlink(temporary.c_str());
    forget(slot);
  }

  [[noreturn]] void fail(const char* what) const {
    fail_output("{}: {}: {}", path == "-" ? "standard output" : path, what, std::strerror(errno));
  }

  void open_beside() {
    const std::filesystem::path where(target);
    const std::string folder = where.has_parent_path() ? where.parent_path().string() : ".";
    descriptor = open(folder.c_str(), O_TMPFILE | O_WRONLY | O_CLOEXEC, 0600);
    if (descriptor >= 0) return;
    if (errno != EOPNOTSUPP && errno != EISDIR && errno != EINVAL && errno != ENOENT) {
      fail("can't be written");
    }
    std::string name = beside(target) + ".XXXXXX";
    descriptor = mkostemp(name.data(), O_CLOEXEC);
    if (descriptor < 0) fail("can't be written");
    temporary = name;
    slot = remember(name);
  }

  /// Gives a file that was written under no name one beside its place.
  void name_it() {
    const std::string link = fmt::format("/proc/self/fd/{}", descriptor);
    for (int attempt = 0; attempt < 100; ++attempt) {
      const std::string name = fmt::format("{}.{}-{}", beside(target), getpid(), attempt);
      if (linkat(AT_FDCWD, link.c_str(), AT_FDCWD, name.c_str(), AT_SYMLINK_FOLLOW) == 0) {
        temporary = name;
        slot = remember(name);
        return;
      }
      if (errno != EEXIST) break;
    }
    fail("can't be put in its place");
  }
};

Output::Output(const std::string& path) : file_(std::make_unique<File>()) {
  File& file = *file_;
  file.path = file.target = path;
  if (path == "-") {
    file.descriptor = STDOUT_FILENO;
    file.direct = true;
    file.owned = false;
    return;
  }
  struct stat about {};
  const bool exists = stat(path.c_str(), &about) == 0;
  if (exists && S_ISDIR(about.st_mode)) {
    errno = EISDIR;
    file.fail("can't be written");
  }
  if (exists && !S_ISREG(about.st_mode)) {
    file.direct = true;
    file.descriptor = open(path.c_str(), O_WRONLY | O_CLOEXEC);
    if (file.descriptor < 0) file.fail("can't be written");
    return;
  }
  file.mode = exists ? about.st_mode & 07777 : mode_for_new_files();
  std::error_code ignored;
  if (std::filesystem::is_symlink(path, ignored)) {
    const auto real = std::filesystem::weakly_canonical(path, ignored);
    if (!ignored) file.target = real.string();
  }
  if (exists && access(path.c_str(), W_OK) != 0) file.fail("can't be written");
  file.open_beside();
}

Output::Output(Output&&) noexcept = default;
Output& Output::operator=(Output&&) noexcept = default;
Output::~Output() = default;

void Output::write(std::string_view text) {
  while (!text.empty()) {
    const ssize_t written = ::write(file_->descriptor, text.data(), text.size());
    if (written < 0) {
      if (errno == EINTR) continue;
      if (errno == EPIPE) {
        fail_output("{}: its reader went away before all was written",
                    file_->path == "-" ? "standard output" : file_->path);
      }
      file_->fail("can't be written");
    }
    text.remove_prefix(static_cast<std::size_t>(written));
  }
}

void Output::commit() {
  File& file = *file_;
  if (file.direct) {
    if (file.owned) {
      const int closed = close(file.descriptor);
      file.descriptor = -1;
      if (closed != 0) file.fail("can't be written");
    }
    return;
  }
  if (fchmod(file.descriptor, file.mode) != 0) file.fail("can't be given its permissions");
  if (fsync(file.descriptor) != 0) file.fail("can't be brought to the disk");
  if (file.temporary.empty()) file.name_it();
  if (std::rename(file.temporary.c_str(), file.target.c_str()) != 0) {
    file.fail("can't be put in its place");
  }
  file.temporary.clear();
  forget(std::exchange(file.slot, nullptr));
}

void abandon_outputs() noexcept {
  for (PendingPath& slot : pending_paths) {
    if (slot.used && slot.path[0] != '\0') unlink(slot.path);
  }
}

}  // namespace zerobeat
