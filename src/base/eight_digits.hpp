/// Eight digits at once, as a number, in three multiplications (Lemire 2018).

#pragma once

#include <cstdint>
#include <cstring>
#include <zerobeat/base/export.hpp>

namespace zerobeat {
inline namespace ZEROBEAT_API v1 {
namespace detail {

/// Eight bytes, the first in the lowest.
inline std::uint64_t load8(const char* p) {
  std::uint64_t value;
  std::memcpy(&value, p, 8);
  return value;
}

/// The number that the bytes of `x` are, all of them digits; false when they are not.
[[gnu::always_inline]] inline bool eight_digits(std::uint64_t x, std::uint64_t& out) {
  x ^= 0x3030303030303030ULL;
  if (((x | (x + 0x0606060606060606ULL)) & 0xf0f0f0f0f0f0f0f0ULL) != 0) return false;
  x = x * 10 + (x >> 8);  // pairs
  x = (((x & 0x000000ff000000ffULL) * 0x000f424000000064ULL) +
       (((x >> 16) & 0x000000ff000000ffULL) * 0x0000271000000001ULL)) >>
      32;
  out = x & 0xffffffffULL;
  return true;
}

}  // namespace detail
}  // namespace v1
}  // namespace zerobeat
