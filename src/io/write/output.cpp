#include <fcntl.h>
#include <fmt/format.h>
#include <sys/stat.h>
#include <unistd.h>

#include <algorithm>
#include <atomic>
#include <cerrno>
#include <climits>
#include <cstdio>
#include <cstring>
#include <filesystem>
#include <mutex>
#include <set>
#include <utility>
#include <vector>
#include <zerobeat/base/error.hpp>
#include <zerobeat/io/output.hpp>

#include "io/write/packer.hpp"

namespace zerobeat::inline v1 {

namespace {

/// Held while names are made and files are put in place: what abandon_outputs() waits for.
std::mutex& places_mutex() {
  static std::mutex mutex;
  return mutex;
}

/// Whether abandon_outputs() was called; looked at and set while places are held.
std::atomic<bool>& abandoned() {
  static std::atomic<bool> is_abandoned = false;
  return is_abandoned;
}

/// Holds the places, unless all outputs were abandoned.
std::unique_lock<std::mutex> held_places() {
  std::unique_lock lock(places_mutex());
  if (abandoned()) fail_output("outputs were abandoned: nothing more is written");
  return lock;
}

std::vector<std::string>& temporary_paths() {
  static std::vector<std::string> paths;
  return paths;
}

void forget(const std::string& path) {
  auto& paths = temporary_paths();
  const auto at = std::ranges::find(paths, path);
  if (at != paths.end()) paths.erase(at);
}

std::string folder_of(const std::string& path) {
  const std::filesystem::path where(path);
  return where.has_parent_path() ? where.parent_path().string() : ".";
}

/// A name beside `target` that no file has yet. Short, so that it fits wherever the target's does.
std::string name_beside(const std::string& target) {
  static std::atomic<unsigned> number = 0;
  return fmt::format("{}/.zerobeat-{}-{}", folder_of(target), getpid(), number++);
}

/// Where a chain of links ends, whether there is a file or not.
std::string followed(std::string path) {
  constexpr int most_links = 40;
  for (int links = 0; links < most_links; ++links) {
    char text[PATH_MAX];
    const ssize_t length = readlink(path.c_str(), text, sizeof(text));
    if (length < 0) return path;
    const std::filesystem::path next(std::string(text, static_cast<std::size_t>(length)));
    path = next.is_absolute() ? next.string() : folder_of(path) + "/" + next.string();
  }
  return path;
}

/// Swaps two files, where the system can.
bool swap_files(const std::string& a, const std::string& b) {
  return renameat2(AT_FDCWD, a.c_str(), AT_FDCWD, b.c_str(), RENAME_EXCHANGE) == 0;
}

}  // namespace

TemporaryName::TemporaryName(std::string path) : path_(std::move(path)) {
  temporary_paths().push_back(path_);
}
TemporaryName TemporaryName::in(const std::string& folder, std::string_view ending, unsigned mode) {
  const auto lock = held_places();
  std::string name = name_beside(folder + "/x");
  name += ending;
  const int descriptor = open(name.c_str(), O_WRONLY | O_CREAT | O_EXCL | O_CLOEXEC, mode);
  if (descriptor < 0) {
    fail_output("{}: no file can be made in it: {}", folder, std::strerror(errno));
  }
  close(descriptor);
  return TemporaryName(name);
}
TemporaryName::TemporaryName(TemporaryName&& other) noexcept
    : path_(std::exchange(other.path_, {})) {}
TemporaryName& TemporaryName::operator=(TemporaryName&& other) noexcept {
  std::swap(path_, other.path_);
  return *this;
}
void TemporaryName::remove() noexcept {
  if (path_.empty()) return;
  const std::lock_guard lock(places_mutex());
  unlink(path_.c_str());
  forget(path_);
  path_.clear();
}
void TemporaryName::release() noexcept {
  forget(path_);
  path_.clear();
}

struct Output::File {
  std::string path;         ///< as the user named it
  std::string target;       ///< where it goes, links followed
  TemporaryName temporary;  ///< its name while it is written, when it has one
  int descriptor = -1;
  bool direct = false;  ///< a pipe, a device, standard output
  bool owned = true;
  bool reader_gone = false;
  detail::Pack pack{};  ///< what packs its bytes
  struct stat old {};   ///< of the file that it replaces
  bool replaces = false;
  std::optional<Digest> digest{};  ///< of what is written

  ~File() {
    if (owned && descriptor >= 0) close(descriptor);
  }

  [[noreturn]] void fail(const char* what) const {
    fail_output("{}: {}: {}", path == "-" ? "standard output" : path, what, std::strerror(errno));
  }

  void open_beside() {
    descriptor = open(folder_of(target).c_str(), O_TMPFILE | O_WRONLY | O_CLOEXEC, 0666);
    if (descriptor >= 0) return;
    if (errno != EOPNOTSUPP && errno != EISDIR && errno != EINVAL && errno != ENOENT) {
      fail("can't be written");
    }
    const auto lock = held_places();
    const std::string name = name_beside(target);
    descriptor = open(name.c_str(), O_WRONLY | O_CREAT | O_EXCL | O_CLOEXEC, 0666);
    if (descriptor < 0) fail("can't be written");
    temporary = TemporaryName(name);
  }

  void write(std::string_view text) {
    if (digest) digest->add(text);
    while (!text.empty() && !reader_gone) {
      const ssize_t written = ::write(descriptor, text.data(), text.size());
      if (written < 0) {
        if (errno == EINTR) continue;
        if (errno == EPIPE) {
          reader_gone = true;
          return;
        }
        fail("can't be written");
      }
      text.remove_prefix(static_cast<std::size_t>(written));
    }
  }

  /// Writes what the packing still holds.
  void finish_packing() {
    if (!pack) return;
    pack({}, true, [this](std::string_view bytes) { write(bytes); });
    pack = {};
  }

  /// All bytes on the disk, with the mode and owner that the file is to have.
  void finish() {
    if (replaces) {
      // Whoever may not give files away keeps them.
      [[maybe_unused]] const int ignored = fchown(descriptor, old.st_uid, old.st_gid);
      if (fchmod(descriptor, old.st_mode & 07777) != 0) fail("can't be given its permissions");
    }
    if (fsync(descriptor) != 0) fail("can't be brought to the disk");
  }

  /// Gives a file that was written under no name one beside its place.
  void name_it() {
    if (!temporary.path().empty()) return;
    const std::string link = fmt::format("/proc/self/fd/{}", descriptor);
    const std::string name = name_beside(target);
    if (linkat(AT_FDCWD, link.c_str(), AT_FDCWD, name.c_str(), AT_SYMLINK_FOLLOW) != 0) {
      fail("can't be put in its place");
    }
    temporary = TemporaryName(name);
  }

  void close_direct() {
    if (!owned || descriptor < 0) return;
    const int closed = close(std::exchange(descriptor, -1));
    if (closed != 0 && !reader_gone) fail("can't be written");
  }
};

namespace {

/// A file that was put in place, and how to put back what was there.
struct Placed {
  enum class How { made, exchanged, linked };
  std::string target;
  std::string old;  ///< where the old file is
  How how;

  void put_back() const {
    switch (how) {
      case How::made:
        unlink(target.c_str());
        return;
      case How::exchanged:
        swap_files(old, target);
        return;
      case How::linked:
        std::rename(old.c_str(), target.c_str());
    }
  }
};

/// Brings a folder's names to the disk. Systems that can't do that of a folder say so; nothing is
/// lost by it.
void sync_folder(const std::string& folder) {
  const int descriptor = open(folder.c_str(), O_RDONLY | O_DIRECTORY | O_CLOEXEC);
  if (descriptor < 0) return;  // a folder that may be written to and not be read
  const int result = fsync(descriptor);
  const int why = errno;
  close(descriptor);
  if (result == 0 || why == EINVAL || why == ENOTSUP || why == EROFS) return;
  fail_output("{}: the names of the files in it can't be brought to the disk: {}", folder,
              std::strerror(why));
}

}  // namespace

Output::Output(const std::string& path) : file_(std::make_unique<File>()) {
  File& file = *file_;
  file.path = file.target = path;
  if (path == "-") {
    file.descriptor = STDOUT_FILENO;
    file.direct = true;
    file.owned = false;
    return;
  }
  const bool exists = stat(path.c_str(), &file.old) == 0;
  if (!exists && errno != ENOENT) file.fail("can't be written");
  if (exists && S_ISDIR(file.old.st_mode)) {
    errno = EISDIR;
    file.fail("can't be written");
  }
  if (exists && !S_ISREG(file.old.st_mode)) {
    file.direct = true;
    file.descriptor = open(path.c_str(), O_WRONLY | O_CLOEXEC);
    if (file.descriptor < 0) file.fail("can't be written");
    return;
  }
  file.replaces = exists;
  file.target = followed(path);
  if (exists && access(path.c_str(), W_OK) != 0) file.fail("can't be written");
  file.open_beside();
}

Output::Output(Output&&) noexcept = default;
Output& Output::operator=(Output&&) noexcept = default;
Output::~Output() = default;

Output::File& Output::file() const {
  if (file_ == nullptr) fail_usage("the output was moved from, and takes no more");
  return *file_;
}

bool Output::is_direct() const { return file().direct; }
bool Output::reader_gone() const { return file().reader_gone; }

void Output::keep_digest() { file().digest.emplace(); }

std::optional<FileDigest> Output::digest() {
  file().finish_packing();
  if (!file().digest) return std::nullopt;
  return file().digest->value();
}

void Output::compress(Compression compression) { file().pack = detail::packer_of(compression); }

void Output::write(std::string_view text) {
  if (!file().pack) return file_->write(text);
  if (!text.empty()) {
    file_->pack(text, false, [this](std::string_view bytes) { file_->write(bytes); });
  }
}

Compression compression_of(const std::string& path) {
  const auto ends = [&](std::string_view ending) {
    if (path.size() <= ending.size()) return false;
    return std::equal(ending.rbegin(), ending.rend(), path.rbegin(), [](char a, char b) {
      return a == (b >= 'A' && b <= 'Z' ? static_cast<char>(b - 'A' + 'a') : b);
    });
  };
  if (ends(".gz")) return Compression::gzip;
  if (ends(".zst")) return Compression::zstd;
  return Compression::none;
}

void Output::commit() { commit_all(std::span<Output>(this, 1)); }

void commit_all(std::span<Output> outputs, const std::function<void()>& between) {
  for (Output& output : outputs) {
    output.file().finish_packing();
    if (!output.file_->direct) output.file_->finish();
  }
  {
    const auto lock = held_places();
    for (Output& output : outputs) {
      if (!output.file_->direct) output.file_->name_it();
    }
  }
  if (between) between();
  std::vector<Placed> placed;
  {
    const auto lock = held_places();
    try {
      for (Output& output : outputs) {
        Output::File& file = *output.file_;
        if (file.direct) continue;
        const std::string& temporary = file.temporary.path();
        struct stat now {};
        const bool is_there = lstat(file.target.c_str(), &now) == 0;
        if (is_there && S_ISDIR(now.st_mode)) {
          errno = EISDIR;
          file.fail("can't be put in its place");
        }
        if (!is_there) {
          if (std::rename(temporary.c_str(), file.target.c_str()) != 0) {
            file.fail("can't be put in its place");
          }
          placed.push_back({file.target, {}, Placed::How::made});
        } else if (swap_files(temporary, file.target)) {
          placed.push_back({file.target, temporary, Placed::How::exchanged});
        } else {
          // A system that can't exchange keeps the old file under a second name meanwhile.
          const std::string old = name_beside(file.target);
          const bool kept = link(file.target.c_str(), old.c_str()) == 0;
          if (std::rename(temporary.c_str(), file.target.c_str()) != 0) {
            const int why = errno;
            if (kept) unlink(old.c_str());
            errno = why;
            file.fail("can't be put in its place");
          }
          if (kept) placed.push_back({file.target, old, Placed::How::linked});
        }
      }
      // Before the old files are let go of, so that they can still be put back.
      std::set<std::string> folders;
      for (const Output& output : outputs) {
        if (!output.file_->direct) folders.insert(folder_of(output.file_->target));
      }
      for (const auto& folder : folders) sync_folder(folder);
    } catch (const Error&) {
      for (auto at = placed.rbegin(); at != placed.rend(); ++at) at->put_back();
      throw;
    }
    for (Output& output : outputs) {
      if (!output.file_->direct) output.file_->temporary.release();
    }
    for (const Placed& file : placed) {
      if (!file.old.empty()) unlink(file.old.c_str());
    }
  }
  for (Output& output : outputs) {
    if (output.file_->direct) output.file_->close_direct();
  }
}

void abandon_outputs() noexcept {
  const std::lock_guard lock(places_mutex());
  abandoned() = true;
  for (const auto& path : temporary_paths()) unlink(path.c_str());
}

bool outputs_abandoned() noexcept { return abandoned(); }

}  // namespace zerobeat
