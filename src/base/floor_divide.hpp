/// Division towards the past: -1 / 7 is -1.

#pragma once

#include <zerobeat/base/export.hpp>

namespace zerobeat {
inline namespace ZEROBEAT_API v1 {
namespace detail {

template <typename Number>
constexpr Number floor_divide(Number a, Number b) {
  const Number quotient = a / b;
  return a % b != 0 && (a < 0) != (b < 0) ? quotient - 1 : quotient;
}

}  // namespace detail
}  // namespace v1
}  // namespace zerobeat
