/// Digests: SHA-256 (FIPS 180-4) of files, so that two results can be told to be of the same run.
///
/// Threads may call these at the same time.

#pragma once

#include <cstdint>
#include <memory>
#include <optional>
#include <string>
#include <string_view>
#include <zerobeat/base/export.hpp>

namespace zerobeat {
inline namespace ZEROBEAT_API v1 {

struct FileDigest {
  std::uint64_t bytes = 0;
  std::string sha256{};  ///< 64 digits, in lower case

  friend bool operator==(const FileDigest&, const FileDigest&) = default;
};

/// Of bytes that come one after another.
class Digest {
 public:
  Digest();
  Digest(Digest&&) noexcept;
  Digest& operator=(Digest&&) noexcept;
  ~Digest();

  void add(std::string_view bytes);
  /// Of all that was added.
  [[nodiscard]] FileDigest value() const;

 private:
  struct State;
  std::unique_ptr<State> state_;
};

/// Of a regular file's bytes, as they are on the disk; unset for what is none (a pipe, a device)
/// and for one that can't be read. Cost: a pass over the file.
[[nodiscard]] std::optional<FileDigest> digest_of_file(const std::string& path);

/// A file that was read or written.
struct UsedFile {
  std::string file{};
  std::optional<FileDigest> digest{};  ///< unset for a database and a pipe
};

}  // namespace v1
}  // namespace zerobeat
