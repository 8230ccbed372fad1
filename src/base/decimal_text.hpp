/// Whole numbers as decimal text, two and eight digits at once.

#pragma once

#include <array>
#include <bit>
#include <cstdint>
#include <cstring>
#include <zerobeat/base/export.hpp>

namespace zerobeat {
inline namespace ZEROBEAT_API v1 {
namespace detail {

/// "00" to "99", one after the other.
inline constexpr std::array<char, 200> digit_pairs = [] {
  std::array<char, 200> pairs{};
  for (std::size_t i = 0; i < 100; ++i) {
    pairs[2 * i] = static_cast<char>('0' + i / 10);
    pairs[2 * i + 1] = static_cast<char>('0' + i % 10);
  }
  return pairs;
}();

/// Writes `value`, below 100, as two digits; returns their end.
inline char* write_two_digits(char* out, std::uint32_t value) {
  std::memcpy(out, &digit_pairs[2 * value], 2);
  return out + 2;
}

/// The eight digits of `value`, below 10^8, as bytes from 0 to 9, the first in the lowest: halves,
/// pairs and digits are told apart side by side by multiplications (Mula 2011).
inline std::uint64_t eight_digit_bytes(std::uint32_t value) {
  const std::uint64_t high = value / 10'000, low = value % 10'000;
  const std::uint64_t halves = high | low << 32;
  const std::uint64_t hundreds = ((halves * 10'486) >> 20) & 0x0000007f0000007fULL;
  const std::uint64_t pairs = hundreds | (halves - 100 * hundreds) << 16;
  const std::uint64_t tens = ((pairs * 103) >> 10) & 0x000f000f000f000fULL;
  return tens | (pairs - 10 * tens) << 8;
}

inline constexpr std::uint64_t eight_zeros = 0x3030303030303030ULL;

/// Writes `value`, below 10^8, without needless zeros; eight bytes of `out` are written to. Without
/// a branch: how long numbers are changes from one to the next, and nobody guesses it.
[[gnu::always_inline]] inline char* write_to_eight_digits(char* out, std::uint32_t value) {
  const std::uint64_t digits = eight_digit_bytes(value);
  const int needless = std::countr_zero(digits | std::uint64_t{1} << 56) / 8;
  const std::uint64_t text = (digits | eight_zeros) >> (8 * needless);
  std::memcpy(out, &text, 8);
  return out + (8 - needless);
}

/// Writes `value`, above 0 and below 10^8, as the eight digits behind a decimal point; zeros at the
/// end are left out. Eight bytes of `out` are written to.
[[gnu::always_inline]] inline char* write_eight_decimals(char* out, std::uint32_t value) {
  const std::uint64_t digits = eight_digit_bytes(value);
  const std::uint64_t text = digits | eight_zeros;
  std::memcpy(out, &text, 8);
  return out + (8 - std::countl_zero(digits) / 8);
}

}  // namespace detail
}  // namespace v1
}  // namespace zerobeat
