/// Text that arrives: a pipe, or what a compressed file holds. It is read as it comes and stands as
/// one stretch of memory that grows, so that whoever reads records sees no seams.
///
/// The first part lies in memory; what comes after goes through a file without a name in the
/// system's folder for such (TMPDIR), mapped in its place, so that memory stays bounded however
/// much arrives, and what was read can be looked at again.

#pragma once

#include <atomic>
#include <cstddef>
#include <functional>
#include <memory>
#include <mutex>
#include <span>
#include <string>
#include <string_view>
#include <zerobeat/base/export.hpp>

namespace zerobeat {
inline namespace ZEROBEAT_API v1 {
namespace detail {

class Stream {
 public:
  /// Puts the next bytes into a place and returns how many; 0 at the end. Throws Error.
  using Fill = std::function<std::size_t(std::span<char>)>;
  /// Opens the source anew, from its first byte.
  using Open = std::function<Fill()>;

  /// At most `most` bytes have room. `open` is called when the first bytes are asked for.
  Stream(std::string name, Open open, std::size_t most);
  Stream(const Stream&) = delete;
  Stream& operator=(const Stream&) = delete;
  ~Stream();

  /// All that is there, once that is so many bytes or everything. For any thread.
  std::string_view until(std::size_t bytes);
  /// Everything.
  std::string_view all() { return until(static_cast<std::size_t>(-1)); }
  /// Whether the end has come; then what until() gave is all.
  bool is_whole() const;

  /// Lets go of the source until more is asked for; it is opened anew then.
  void rest();
  /// Lets go of the memory of a part; it comes back when it is looked at again.
  void release(std::size_t from, std::size_t until) const;

 private:
  void grow(std::size_t bytes);
  void open();

  std::string name_;
  Open open_;
  Fill fill_{};
  char* base_ = nullptr;
  std::size_t reserved_ = 0;
  std::size_t mapped_ = 0;  // bytes that can be written to
  std::atomic<std::size_t> filled_ = 0;
  std::atomic<bool> whole_ = false;
  int file_ = -1;
  std::mutex mutex_{};  // held while more is fetched
};

}  // namespace detail
}  // namespace v1
}  // namespace zerobeat
