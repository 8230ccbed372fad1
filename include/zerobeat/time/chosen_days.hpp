/// Weekdays and months that are chosen, singly and in ranges.
///
/// Values: threads may share them, and what they return is a copy.

#pragma once

#include <bitset>
#include <string>
#include <string_view>
#include <zerobeat/base/export.hpp>
#include <zerobeat/base/option.hpp>

namespace zerobeat {
inline namespace ZEROBEAT_API v1 {

/// Some of the seven; Sunday is 0.
struct Weekdays {
  std::bitset<7> days{};

  friend bool operator==(const Weekdays&, const Weekdays&) = default;
};

/// Some of the twelve; January is 1, and 0 is never set.
struct Months {
  std::bitset<13> months{};

  friend bool operator==(const Months&, const Months&) = default;
};

template <>
inline constexpr bool takes_lists<Weekdays> = true;
template <>
inline constexpr bool takes_lists<Months> = true;

/// Reads "mon-fri,sun": words and ranges, also past the week's end: sat-mon. Throws Error when one
/// is no weekday.
void from_text(std::string_view text, Weekdays& out);
[[nodiscard]] std::string to_text(const Weekdays& weekdays);

/// Reads "5-8,12": numbers and ranges, also past the year's end: 11-2. Throws Error when one is no
/// month.
void from_text(std::string_view text, Months& out);
[[nodiscard]] std::string to_text(const Months& months);

}  // namespace v1
}  // namespace zerobeat
