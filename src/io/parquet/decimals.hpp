/// Decimals as numbers: whole numbers of any size with a point within them.

#pragma once

#include <cstdint>
#include <string_view>
#include <zerobeat/base/export.hpp>

namespace zerobeat {
inline namespace ZEROBEAT_API v1 {
namespace detail {

/// The number nearest to a decimal, and whether its digits can be read back from it.
struct DecimalNumber {
  double number = 0;
  bool exact = true;
};

/// value · 10^-scale.
DecimalNumber decimal_number(std::int64_t value, int scale);
/// The same of a two's complement in bytes, the highest first; of no bytes 0.
DecimalNumber decimal_number(std::string_view big_endian, int scale);

}  // namespace detail
}  // namespace v1
}  // namespace zerobeat
