#include "time/civil_parts.hpp"
#include "time/civil_text.hpp"

namespace zerobeat::inline v1::detail {

using enum TimeVerdict;

namespace {

/// Three numbers of a date, in whatever order they stand.
struct Numbers {
  int value[3]{};
  std::size_t digits[3]{};

  /// Whether they can stand in that order at all, by their digits.
  bool has_shape(DateOrder order) const {
    const std::size_t year = order == DateOrder::ymd ? 0 : 2;
    for (std::size_t i = 0; i < 3; ++i) {
      if (i == year ? digits[i] != 2 && digits[i] != 4 : digits[i] > 2) return false;
    }
    return true;
  }

  std::optional<std::chrono::sys_days> day(DateOrder order) const {
    const bool year_first = order == DateOrder::ymd;
    const std::size_t at = year_first ? 0 : 2;
    const int year = digits[at] == 2 ? full_year(value[at]) : value[at];
    const int month = order == DateOrder::mdy ? value[0] : value[1];
    const int day = year_first ? value[2] : order == DateOrder::mdy ? value[1] : value[0];
    return day_of(year, month, day);
  }
};

DateProof proof_of(const Numbers& numbers) {
  DateProof proof;
  std::optional<std::chrono::sys_days> days[3];
  for (std::size_t i = 0; i < 3; ++i) {
    const auto order = static_cast<DateOrder>(i);
    if (numbers.has_shape(order)) days[i] = numbers.day(order);
    if (days[i]) proof.fits |= static_cast<std::uint8_t>(1U << i);
  }
  constexpr std::size_t pairs[3][2] = {{0, 1}, {0, 2}, {1, 2}};
  for (std::size_t i = 0; i < 3; ++i) {
    const auto& a = days[pairs[i][0]];
    const auto& b = days[pairs[i][1]];
    if (a && b && *a != *b) proof.differ |= static_cast<std::uint8_t>(1U << i);
  }
  return proof;
}

}  // namespace

TimeVerdict read_dated(std::string_view text, DateOrder order, Civil& civil, DateProof& proof) {
  proof = {};
  Cursor at{text};
  Numbers numbers;
  char separator = 0;
  for (std::size_t i = 0; i < 3; ++i) {
    numbers.digits[i] = at.digits_ahead();
    if (numbers.digits[i] > 4 || !at.number(1, 4, numbers.value[i])) return unreadable;
    char own = 0;
    if (i < 2 && !at.take_any("/-. ", own)) return unreadable;
    if (i == 1 && own != separator) return unreadable;
    separator = own;
  }
  Civil clock;
  TimeVerdict clock_verdict = ok;
  if (!at.at_end()) {
    char between = 0;
    if (!at.take_any(" Tt,", between) || at.at_end()) return unreadable;
    clock_verdict = read_free_clock(at, clock);
    if (clock_verdict == unreadable) return unreadable;
  }
  proof = proof_of(numbers);
  if (!numbers.has_shape(order)) return unreadable;
  const auto day = numbers.day(order);
  if (!day) return impossible;
  civil = clock;
  civil.seconds += seconds_of(*day);
  return clock_verdict;
}

}  // namespace zerobeat::detail
