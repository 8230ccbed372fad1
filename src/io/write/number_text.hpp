/// Numbers as the shortest text that reads back the same.

#pragma once

#include <cstdint>
#include <zerobeat/base/export.hpp>

namespace zerobeat {
inline namespace ZEROBEAT_API v1 {
namespace detail {

/// The longest text that NumberText and write_integer write.
inline constexpr std::size_t longest_number = 32;

/// Writes numbers one after the other as the package for text formatting does: the fewest digits
/// that read back as the same double, with an exponent from 1e16 on and below 1e-4. One thread.
///
/// Readings mostly have a few decimals, as many as the one before. Where number times 10^d is
/// near a whole number below 10^15 that divided by 10^d gives the number again, that is the
/// shortest text, but for zeros at its end: decimals of up to 15 digits are told apart as doubles
/// are (IEEE 754), so no other of them stands for the same number. All others go the longer way.
class NumberText {
 public:
  /// Writes `number`, which is no NaN; `out` has room for longest_number characters. Returns the
  /// end of the text.
  char* write(char* out, double number);

 private:
  static constexpr std::uint32_t most_tries = 16;

  /// Null when `size` has more decimals.
  static char* write_decimals(char* out, double size, std::uint32_t decimals);
  [[gnu::noinline]] char* write_longer(char* out, double number, double size);

  std::uint32_t decimals_ = 0;        ///< of the number before
  std::uint32_t tries_ = most_tries;  ///< how often other decimals are still looked for
};

/// Writes a whole number; `out` has room for longest_number characters.
char* write_integer(char* out, std::int64_t number);

}  // namespace detail
}  // namespace v1
}  // namespace zerobeat
