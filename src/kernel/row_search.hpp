/// Finding rows in ascending times, from a guess.

#pragma once

#include <algorithm>
#include <cstddef>
#include <zerobeat/base/export.hpp>

namespace zerobeat {
inline namespace ZEROBEAT_API v1 {
namespace detail {

/// The first row of [from, until) that is not `before`, a condition that holds up to some row and
/// not after it; `until` when all are. `guess` is where it may be. Cost: the logarithm of how far
/// the guess is off.
template <typename Before>
std::size_t first_not(std::size_t from, std::size_t until, std::size_t guess, Before&& before) {
  guess = std::min(std::max(from, guess), until);
  std::size_t low = from, high = until;  // the answer is in [low, high]
  if (guess < until && before(guess)) {
    low = guess + 1;
    for (std::size_t leap = 1; low + leap < until; leap *= 2) {
      if (!before(low + leap)) {
        high = low + leap;
        break;
      }
      low += leap + 1;
    }
    low = std::min(low, until);
  } else {
    high = guess;
    for (std::size_t leap = 1; high - from > leap; leap *= 2) {
      if (before(high - leap)) {
        low = high - leap + 1;
        break;
      }
      high -= leap;
    }
  }
  while (low < high) {
    const std::size_t middle = low + (high - low) / 2;
    if (before(middle)) {
      low = middle + 1;
    } else {
      high = middle;
    }
  }
  return low;
}

}  // namespace detail
}  // namespace v1
}  // namespace zerobeat
