/// Short decimals, eight bytes at once: a sign and up to eight of digits and one
/// point. Made to be inlined into a reader's loop; whatever is not that is for
/// read_number.

#pragma once

#include <cstdint>
#include <cstring>
#include <zerobeat/base/export.hpp>

#include "base/eight_digits.hpp"

namespace zerobeat {
inline namespace ZEROBEAT_API v1 {
namespace detail {

struct ShortNumber {
  bool whole = false;        ///< no point
  std::int64_t integer = 0;  ///< its digits without the point, signed
  int fraction_digits = 0;
  bool negative = false;

  /// At most eight digits over a power of ten that is exact: one rounding (Clinger 1990).
  double value() const {
    constexpr double places[] = {1e0, 1e1, 1e2, 1e3, 1e4, 1e5, 1e6, 1e7};
    const double size = static_cast<double>(integer) / places[fraction_digits];
    return negative && integer == 0 ? -0.0 : size;
  }
};

/// Reads n bytes at p. At least eight bytes before p + n can be looked at.
[[gnu::always_inline]] inline bool read_short_number(const char* p, std::size_t n,
                                                     ShortNumber& out) {
  if (n == 0) return false;
  out.negative = *p == '-';
  const std::size_t digits_and_point = n - out.negative;
  if (digits_and_point == 0 || digits_and_point > 8) return false;

  std::uint64_t v;
  std::memcpy(&v, p + n - 8, 8);
  // What stands before the number becomes zeros.
  constexpr std::uint64_t zeros = 0x3030303030303030ULL;
  const std::uint64_t own = ~std::uint64_t{0} << (8 * (8 - digits_and_point));
  v = (v & own) | (zeros & ~own);
  // The point: the lowest byte that is one. What stands before it moves up over it.
  const std::uint64_t apart = v ^ 0x2e2e2e2e2e2e2e2eULL;
  const std::uint64_t found = (apart - 0x0101010101010101ULL) & ~apart & 0x8080808080808080ULL;
  out.whole = found == 0;
  out.fraction_digits = 0;
  if (!out.whole) {
    const int bit = __builtin_ctzll(found) - 7;
    const std::uint64_t below = (std::uint64_t{1} << bit) - 1;
    const std::uint64_t above = bit == 56 ? 0 : ~std::uint64_t{0} << (bit + 8);
    v = (v & above) | ((v & below) << 8) | 0x30;
    out.fraction_digits = 7 - bit / 8;
    if (digits_and_point == 1) return false;
  }
  std::uint64_t digits = 0;
  if (!eight_digits(v, digits)) return false;
  const auto size = static_cast<std::int64_t>(digits);
  out.integer = out.negative ? -size : size;
  // A negative whole zero is a number, not an integer.
  if (out.whole && out.negative && size == 0) out.whole = false;
  return true;
}

}  // namespace detail
}  // namespace v1
}  // namespace zerobeat
