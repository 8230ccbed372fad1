/// Scanning: where delimiters and line ends stand, 64 bytes at a time.

#pragma once

#include <cstdint>
#include <span>
#include <string_view>
#include <zerobeat/base/buffer.hpp>
#include <zerobeat/base/export.hpp>

namespace zerobeat {
inline namespace ZEROBEAT_API v1 {
namespace detail {

class Scan {
 public:
  /// Where delimiters and newlines stand, ascending.
  std::span<const std::uint32_t> places() const { return marks_.span().subspan(1); }
  /// The first of the places; before it, too, lies one: that of byte -1, so that each cell begins
  /// one after the place before its own.
  const std::uint32_t* first_place() const { return marks_.data() + 1; }
  /// How many of the places are newlines.
  std::size_t lines() const { return lines_; }

  bool has_quote = false;
  bool has_high = false;    ///< bytes past ASCII
  bool has_return = false;  ///< carriage returns

  /// Empty, with room for so many places.
  void begin(std::size_t most);
  void add(std::size_t place, bool is_newline) {
    marks_.push_back(static_cast<std::uint32_t>(place));
    lines_ += is_newline;
  }
  /// Where the next places go, behind those that there are; and that so many were put there.
  std::uint32_t* room() { return marks_.end(); }
  void added(std::size_t places, std::size_t lines) {
    marks_.resize(marks_.size() + places);
    lines_ += lines;
  }

 private:
  Buffer<std::uint32_t> marks_;
  std::size_t lines_ = 0;
};

/// Fills `scan` with the places in `text`, which is shorter than 4 GiB. With '\0' for `quote`,
/// quotes are not looked for. The best instruction set of the machine is found at run time.
void scan_text(std::string_view text, char delimiter, char quote, Scan& scan);

/// The plain loop that scan_text must agree with.
void scan_text_plain(std::string_view text, char delimiter, char quote, Scan& scan);

}  // namespace detail
}  // namespace v1
}  // namespace zerobeat
