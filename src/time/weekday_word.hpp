/// Weekdays as words of options: sun, mon … sat.

#pragma once

#include <cstddef>
#include <string_view>
#include <zerobeat/base/export.hpp>

namespace zerobeat {
inline namespace ZEROBEAT_API v1 {
namespace detail {

/// Sunday is 0. Throws Error naming the nearest when it is none.
std::size_t weekday_from(std::string_view word);
std::string_view weekday_word(std::size_t day);

}  // namespace detail
}  // namespace v1
}  // namespace zerobeat
