/// Numbers of sixteen bits.

#pragma once

#include <cmath>
#include <cstdint>
#include <zerobeat/base/export.hpp>

namespace zerobeat {
inline namespace ZEROBEAT_API v1 {
namespace detail {

/// A number of sixteen bits (IEEE 754 binary16) as one of 64.
inline double half_to_double(std::uint16_t half) {
  const int exponent = half >> 10 & 31;
  const double fraction = half & 1023;
  double size = 0;
  if (exponent == 0) {
    size = std::ldexp(fraction, -24);
  } else if (exponent == 31) {
    size = fraction == 0 ? HUGE_VAL : std::nan("");
  } else {
    size = std::ldexp(1024 + fraction, exponent - 25);
  }
  return (half & 0x8000) != 0 ? -size : size;
}

}  // namespace detail
}  // namespace v1
}  // namespace zerobeat
