/// The bytes of a source: a mapped file, or all of a pipe.

#pragma once

#include <memory>
#include <string>
#include <string_view>
#include <zerobeat/base/export.hpp>

namespace zerobeat {
inline namespace ZEROBEAT_API v1 {
namespace detail {

class Stream;

struct SourceText {
  std::string name;  ///< as the user named it
  std::shared_ptr<const void> owner;
  std::string_view text;             ///< of a stream, as much as look() found
  std::shared_ptr<Stream> stream{};  ///< what arrives; null: all is there
  bool mapped = false;
  bool regular = true;  ///< a file, that can be read again; false: a pipe or a device

  /// The text, once it is so many bytes or everything.
  std::string_view until(std::size_t bytes) const;
  std::string_view all() const { return until(static_cast<std::size_t>(-1)); }
  /// Whether nothing more will come.
  bool is_whole() const;

  /// Lets go of the memory of a part that has been read; it comes back from the file when it is
  /// looked at again. Does nothing for what is not mapped.
  void release(std::size_t from, std::size_t until) const;
};

/// Throws Error of kind input when the file was cut short since it was mapped.
void check_whole(const SourceText& source);

/// Opens a file, or standard input for "-". Throws Error of kind input.
SourceText open_source(const std::string& path);

SourceText source_of(std::string text, const std::string& name);

}  // namespace detail
}  // namespace v1
}  // namespace zerobeat
