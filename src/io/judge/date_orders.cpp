#include "io/judge/date_orders.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <chrono>
#include <optional>
#include <set>
#include <zerobeat/base/text.hpp>

namespace zerobeat::inline v1::detail {

namespace {

using std::chrono::sys_days;
using std::chrono::year_month_day;

constexpr std::array<std::string_view, 12> month_names{
    "January", "February", "March",     "April",   "May",      "June",
    "July",    "August",   "September", "October", "November", "December"};

std::string_view words_of(DateOrder order) {
  switch (order) {
    case DateOrder::dmy:
      return "day/month";
    case DateOrder::mdy:
      return "month/day";
    case DateOrder::ymd:
      break;
  }
  return "year/month/day";
}

std::vector<sys_days> days_of(const std::vector<std::string>& texts, DateOrder order) {
  TimestampReader reader({.format = format_of(TimeFormat::Kind::dated, order),
                          .repeated = Repeated::earlier,
                          .skipped = Skipped::forward});
  std::vector<sys_days> days;
  for (const auto& text : texts) {
    const TimeReading reading = reader.read(text);
    if (reading.verdict != TimeVerdict::ok) continue;
    days.push_back(std::chrono::floor<std::chrono::days>(reading.instant));
  }
  return days;
}

/// What nine in ten of the steps from one day to the next other are.
std::optional<std::string_view> beat_of(const std::vector<sys_days>& days) {
  std::int64_t steps = 0, daily = 0, weekly = 0, monthly = 0, yearly = 0;
  for (std::size_t i = 1; i < days.size(); ++i) {
    if (days[i] == days[i - 1]) continue;
    const year_month_day from(days[i - 1]), to(days[i]);
    const auto months = (to.year() / to.month() - from.year() / from.month()).count();
    ++steps;
    daily += (days[i] - days[i - 1]).count() == 1;
    weekly += (days[i] - days[i - 1]).count() == 7;
    monthly += months == 1 && to.day() == from.day();
    yearly += months == 12 && to.day() == from.day();
  }
  if (steps == 0) return "one day";
  const auto most = [&](std::int64_t n) { return n * 10 >= steps * 9; };
  if (most(daily)) return "daily";
  if (most(weekly)) return "weekly";
  if (most(monthly)) return "monthly";
  if (most(yearly)) return "yearly";
  return std::nullopt;
}

/// Whether days of several years lie in one and the same month.
bool are_of_one_month(const std::vector<sys_days>& days) {
  std::set<int> years;
  std::set<unsigned> months;
  for (const sys_days own : days) {
    const year_month_day day(own);
    years.insert(static_cast<int>(day.year()));
    months.insert(static_cast<unsigned>(day.month()));
  }
  return years.size() > 1 && months.size() == 1;
}

/// In which part of the calendar days lie that have no beat.
std::string spread_of(const std::vector<sys_days>& days) {
  std::set<unsigned> months, month_days;
  std::int64_t back = 0;
  for (std::size_t i = 0; i < days.size(); ++i) {
    const year_month_day day(days[i]);
    months.insert(static_cast<unsigned>(day.month()));
    month_days.insert(static_cast<unsigned>(day.day()));
    back += i > 0 && days[i] < days[i - 1];
  }
  const auto [first, last] = std::ranges::minmax(days);
  const std::string order =
      back == 0 ? "in order" : fmt::format("{} of them earlier than the one before", grouped(back));
  if (months.size() == 1) {
    return fmt::format("{} days of each {}, {}", month_days.size(),
                       month_names[*months.begin() - 1], order);
  }
  const year_month_day from(first), to(last);
  return fmt::format("from {:04}-{:02}-{:02} to {:04}-{:02}-{:02}, {}",
                     static_cast<int>(from.year()), static_cast<unsigned>(from.month()),
                     static_cast<unsigned>(from.day()), static_cast<int>(to.year()),
                     static_cast<unsigned>(to.month()), static_cast<unsigned>(to.day()), order);
}

}  // namespace

std::string made_by_orders(const std::vector<std::string>& texts,
                           std::span<const DateOrder> orders) {
  std::string all;
  for (const DateOrder order : orders) {
    const auto days = days_of(texts, order);
    all += fmt::format("{}as {} ", all.empty() ? "" : "; ", words_of(order));
    if (days.empty()) {
      all += "none is a date";
      continue;
    }
    const auto beat = are_of_one_month(days) ? std::nullopt : beat_of(days);
    all += fmt::format("they are {}, {} of {}", beat ? std::string(*beat) : spread_of(days),
                       grouped(static_cast<std::int64_t>(days.size())),
                       grouped(static_cast<std::int64_t>(texts.size())));
  }
  return all;
}

}  // namespace zerobeat::detail
