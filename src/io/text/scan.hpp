/// Scanning: where delimiters and line ends stand, 64 bytes at a time.

#pragma once

#include <cstdint>
#include <string_view>
#include <zerobeat/base/buffer.hpp>
#include <zerobeat/base/export.hpp>

namespace zerobeat {
inline namespace ZEROBEAT_API v1 {
namespace detail {

struct Scan {
  Buffer<std::uint32_t> places;  ///< of delimiters and newlines, ascending
  Buffer<std::uint32_t> ends;    ///< which of the places are newlines, ascending
  bool has_quote = false;
  bool has_high = false;  ///< bytes past ASCII
};

/// Fills `scan` with the places in `text`, which is shorter than 4 GiB. With '\0' for `quote`,
/// quotes are not looked for. The best instruction set of the machine is found at run time.
void scan_text(std::string_view text, char delimiter, char quote, Scan& scan);

/// The plain loop that scan_text must agree with.
void scan_text_plain(std::string_view text, char delimiter, char quote, Scan& scan);

}  // namespace detail
}  // namespace v1
}  // namespace zerobeat
