/// The next and the last rows that have a reading, or none: 64 rows a step.

#pragma once

#include <algorithm>
#include <bit>
#include <cstdint>
#include <zerobeat/base/export.hpp>

namespace zerobeat {
inline namespace ZEROBEAT_API v1 {
namespace detail {

/// The first row in [from, until) whose bit is set (`set`), or is not; `until` when there is none.
inline std::size_t next_row(const std::uint64_t* bits, std::size_t from, std::size_t until,
                            bool set) {
  while (from < until) {
    const std::uint64_t own = (set ? bits[from / 64] : ~bits[from / 64]) >> (from % 64);
    if (own != 0) return std::min(until, from + static_cast<std::size_t>(std::countr_zero(own)));
    from += 64 - from % 64;
  }
  return until;
}

/// One past the last row in [from, until) whose bits are set in both; `from` when there is none. No
/// bits at all: all are set.
inline std::size_t past_last_row(const std::uint64_t* bits, const std::uint64_t* also,
                                 std::size_t from, std::size_t until) {
  while (until > from) {
    const std::size_t word = (until - 1) / 64;
    std::uint64_t own = bits != nullptr ? bits[word] : ~std::uint64_t{0};
    if (also != nullptr) own &= also[word];
    own <<= 63 - (until - 1) % 64;
    if (own != 0) return std::max(from, until - static_cast<std::size_t>(std::countl_zero(own)));
    until = word * 64;
  }
  return from;
}

/// The first row in [from, until) whose bits are set in both; `until` when there is none.
inline std::size_t next_row_of_both(const std::uint64_t* bits, const std::uint64_t* also,
                                    std::size_t from, std::size_t until) {
  while (from < until) {
    std::uint64_t own = bits != nullptr ? bits[from / 64] : ~std::uint64_t{0};
    if (also != nullptr) own &= also[from / 64];
    own >>= from % 64;
    if (own != 0) return std::min(until, from + static_cast<std::size_t>(std::countr_zero(own)));
    from += 64 - from % 64;
  }
  return until;
}

}  // namespace detail
}  // namespace v1
}  // namespace zerobeat
