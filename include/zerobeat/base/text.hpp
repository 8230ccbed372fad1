/// Text for people: what is shown of bytes, numbers and lengths of time.
///
/// Threads may call these at the same time.

#pragma once

#include <cstdint>
#include <string>
#include <string_view>
#include <zerobeat/base/export.hpp>

namespace zerobeat {
inline namespace ZEROBEAT_API v1 {

/// `text` with what is not UTF-8 replaced by U+FFFD.
[[nodiscard]] std::string printable(std::string_view text);

/// `text` as it can be shown on a terminal or in a message: control characters, and characters that
/// turn the direction of text, as escapes (\\x1b, \\u202e), what is not UTF-8 as U+FFFD; of more
/// than `most` letters the beginning and an ellipsis.
[[nodiscard]] std::string shown(std::string_view text, std::size_t most = 60);

/// The same for text of several lines: their ends stay, and of a very long line its beginning and
/// end.
[[nodiscard]] std::string shown_lines(std::string_view text);

/// Whether a character, by its code point, moves the cursor or turns the text around it.
[[nodiscard]] constexpr bool is_unprintable(std::uint32_t code) {
  return code < 0x20 || (code >= 0x7f && code < 0xa0) || code == 0x061c || code == 0x200e ||
         code == 0x200f || (code >= 0x2028 && code <= 0x202e) ||
         (code >= 0x2066 && code <= 0x2069) || code == 0xfeff;
}

/// The code point of one well-formed UTF-8 character.
[[nodiscard]] std::uint32_t utf8_code(std::string_view character);

/// The length of the UTF-8 character that `text` starts with, or 0 when it starts with none.
[[nodiscard]] std::size_t utf8_length(std::string_view text);

/// 21600 seconds as "6 h", for people, who do not read on past a few digits.
[[nodiscard]] std::string length_text(double seconds);

/// Texts of the library name options as ‹max_gap›; here they are as a command line has them:
/// --max-gap. What stands in other marks is left as it is.
[[nodiscard]] std::string with_dashes(std::string_view text);

/// An option's name as that of its field: max-gap is max_gap.
[[nodiscard]] std::string with_underscores(std::string_view name);

/// 12345678 as "12,345,678".
[[nodiscard]] std::string grouped(std::int64_t value);

}  // namespace v1
}  // namespace zerobeat
