/// Weekdays as words of options: sun, mon … sat.

#pragma once

#include <cstddef>
#include <string_view>

namespace zerobeat::detail {

/// Sunday is 0. Throws Error naming the nearest when it is none.
std::size_t weekday_from(std::string_view word);
std::string_view weekday_word(std::size_t day);

}  // namespace zerobeat::detail
