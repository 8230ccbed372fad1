/// Outputs: files that appear whole or not at all, several of them together or none.

#pragma once

#include <functional>
#include <memory>
#include <optional>
#include <span>
#include <string>
#include <string_view>
#include <zerobeat/base/export.hpp>
#include <zerobeat/io/digest.hpp>

namespace zerobeat {
inline namespace ZEROBEAT_API v1 {

/// How an output's bytes are packed.
enum class Compression { none, gzip, zstd };

/// What a path's last ending says: .gz or .zst, in any case.
[[nodiscard]] Compression compression_of(const std::string& path);

/// Bytes packed as an output with that ending has them.
[[nodiscard]] std::string packed(std::string_view bytes, Compression compression);

/// A file being written, or standard output for "-".
///
/// A regular file is written beside its place, under no name where the system can do that, and
/// gets its name when it is committed; if it never is, nothing is left. A link is followed; a file
/// that is replaced keeps its mode and, where the system allows it, its owner. A pipe or a device
/// is written to directly. Not for several threads at once.
class Output {
 public:
  /// Throws Error of kind output when the place can't be written.
  explicit Output(const std::string& path);
  Output(Output&&) noexcept;
  Output& operator=(Output&&) noexcept;
  ~Output();

  /// Whether it is a pipe or a device, or standard output, whose bytes can't be taken back.
  [[nodiscard]] bool is_direct() const;

  /// What is written from now on is packed. The same text gives the same bytes on every run.
  void compress(Compression compression);

  /// Throws Error of kind output when the device is full. When the reader of a pipe has gone away,
  /// what is written from then on is lost, and reader_gone() says so. (A program that does not
  /// ignore SIGPIPE is ended by it.)
  void write(std::string_view text);
  [[nodiscard]] bool reader_gone() const;

  /// From now on what is written is digested, too.
  void keep_digest();
  /// Of what was written since, packed as it is in the file: nothing more can be written after it.
  /// Unset when it was not kept.
  [[nodiscard]] std::optional<FileDigest> digest();

  /// Puts the file in its place. Throws Error of kind output; then the old file is untouched.
  void commit();

 private:
  friend void commit_all(std::span<Output> outputs, const std::function<void()>& between);
  struct File;
  File& file() const;
  std::unique_ptr<File> file_;
};

/// Puts all files in their places: every one is brought to the disk first, and if one can't be put
/// in place, those already there are put back. Then the folders are brought to the disk, too.
/// Throws Error of kind output; then the old files are untouched.
/// `between` is called when all are on the disk and none is in its place: what it throws keeps them
/// from it.
void commit_all(std::span<Output> outputs, const std::function<void()>& between = {});

/// The name of a file that is there for a while; abandon_outputs() removes it.
class TemporaryName {
 public:
  TemporaryName() = default;
  /// Makes an empty file in a folder, of a name that no other has and this ending, with this mode
  /// less what the process takes from it. Throws Error of kind output.
  static TemporaryName in(const std::string& folder, std::string_view ending, unsigned mode = 0600);
  TemporaryName(TemporaryName&& other) noexcept;
  TemporaryName& operator=(TemporaryName&& other) noexcept;
  ~TemporaryName() { remove(); }

  [[nodiscard]] const std::string& path() const { return path_; }
  /// Removes the file.
  void remove() noexcept;
  /// It has another name now, and is no more to be removed.
  void release() noexcept;

 private:
  friend class Output;
  explicit TemporaryName(std::string path);

  std::string path_{};
};

/// Removes what is being written under a name and lets nothing more be put in place: the program is
/// about to end. Waits for outputs that are just being put in their places; from then on every
/// output is refused with an Error of kind output. For the thread that waits for signals; not for a
/// signal handler.
void abandon_outputs() noexcept;
/// Whether that was done.
[[nodiscard]] bool outputs_abandoned() noexcept;

}  // namespace v1
}  // namespace zerobeat
