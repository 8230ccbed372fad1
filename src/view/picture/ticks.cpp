#include "view/picture/ticks.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "time/civil_names.hpp"

namespace zerobeat::inline v1::detail {

namespace {

using namespace std::chrono;

std::string date_label(local_days day, bool with_weekday, bool with_year, bool year_apart) {
  const year_month_day date(day);
  std::string label;
  if (with_weekday)
    label = fmt::format("{} ", short_name(weekday_names[weekday(day).c_encoding()]));
  label += fmt::format("{} {}", static_cast<unsigned>(date.day()),
                       short_name(month_names[static_cast<unsigned>(date.month()) - 1]));
  if (with_year)
    label += fmt::format("{}{}", year_apart ? "\\n" : " ", static_cast<int>(date.year()));
  return label;
}

/// Whether a whole day lies where instants are; ticks stop at the first and the last such.
bool is_within_instants(local_days day) {
  constexpr int furthest = 106'750;  // days from 1970, each way
  const int number = static_cast<int>(day.time_since_epoch().count());
  return number > -furthest && number < furthest;
}

/// Ticks at every so many nanoseconds of the local day.
std::vector<Tick> within_days(Instant first, Instant last, const Zone& zone, Nanoseconds step) {
  std::vector<Tick> ticks;
  local_days day = std::max(floor<days>(zone.local_of(first)), local_days(days(-106'749)));
  local_days labelled{};
  const std::int64_t ns = step.count();
  for (;; day += days(1)) {
    if (!is_within_instants(day)) break;
    const Instant midnight = zone.first_instant(local_time<Nanoseconds>(day));
    if (midnight > last) break;
    // Days are long beside small steps; the first tick is found, not counted to.
    std::int64_t k = 0;
    if (midnight < first) {
      const auto into = (zone.local_of(first) - local_time<Nanoseconds>(day)).count();
      k = std::max<std::int64_t>(0, into / ns - 1);
    }
    const std::int64_t day_ns = Nanoseconds(days(1)).count();
    for (; k * ns < day_ns; ++k) {
      const auto local = local_time<Nanoseconds>(day) + Nanoseconds(k * ns);
      const Instant at = zone.first_instant(local);
      if (at > last) return ticks;
      if (at < first || (!ticks.empty() && at <= ticks.back().at)) continue;
      const std::int64_t into = k * ns;
      std::string clock =
          fmt::format("{:02}:{:02}", into / 3'600'000'000'000, into / 60'000'000'000 % 60);
      if (ns % 60'000'000'000 != 0) {
        clock += fmt::format(":{:02}", into / 1'000'000'000 % 60);
        if (ns < 1'000'000'000) {
          const int digits = ns >= 1'000'000 ? 3 : ns >= 1'000 ? 6 : 9;
          clock += "." + fmt::format("{:09}", into % 1'000'000'000)
                             .substr(0, static_cast<std::size_t>(digits));
        }
      }
      const bool new_day = day != labelled;
      std::string label = clock + "\\n";
      if (new_day) label += date_label(day, true, ticks.empty(), false);
      labelled = day;
      ticks.push_back({at, label});
    }
  }
  return ticks;
}

std::vector<Tick> by_days(Instant first, Instant last, const Zone& zone, int step) {
  std::vector<Tick> ticks;
  local_days day = floor<days>(zone.local_of(first));
  // Steps of a week start on Mondays, others count from 1970.
  const int origin = step % 7 == 0 ? 4 : 0;
  const int since = static_cast<int>(day.time_since_epoch().count()) - origin;
  day -= days(((since % step) + step) % step);
  for (;; day += days(step)) {
    if (!is_within_instants(day)) break;
    const Instant at = zone.first_instant(local_time<Nanoseconds>(day));
    if (at > last) break;
    if (at >= first) ticks.push_back({at, date_label(day, step < 7, ticks.empty(), true)});
  }
  return ticks;
}

std::vector<Tick> by_months(Instant first, Instant last, const Zone& zone, int step) {
  std::vector<Tick> ticks;
  const year_month_day start(floor<days>(zone.local_of(first)));
  year_month month = start.year() / (step >= 12 ? January : start.month());
  if (step < 12) {
    const unsigned number = static_cast<unsigned>(start.month()) - 1;
    month =
        start.year() /
        std::chrono::month(number / static_cast<unsigned>(step) * static_cast<unsigned>(step) + 1);
  } else {
    const int y = static_cast<int>(start.year());
    month = year(y - y % (step / 12)) / January;
  }
  for (;; month += std::chrono::months(step)) {
    if (!is_within_instants(local_days(month / 1))) {
      if (month.year() > year(1970)) break;
      continue;
    }
    const Instant at = zone.first_instant(local_time<Nanoseconds>(local_days(month / 1)));
    if (at > last) break;
    if (at < first) continue;
    const bool whole_year = step >= 12;
    const bool with_year = ticks.empty() || month.month() == January;
    std::string label(short_name(month_names[static_cast<unsigned>(month.month()) - 1]));
    if (with_year) label += fmt::format("\\n{}", static_cast<int>(month.year()));
    ticks.push_back({at, whole_year ? fmt::format("{}", static_cast<int>(month.year())) : label});
  }
  return ticks;
}

}  // namespace

std::vector<Tick> time_ticks(Instant first, Instant last, const Zone& zone, int most) {
  const double span =
      static_cast<double>(nanoseconds_of(last)) - static_cast<double>(nanoseconds_of(first));
  constexpr std::int64_t us = 1'000, ms = 1'000'000, s = 1'000'000'000, min = 60 * s, h = 60 * min;
  for (const std::int64_t scale : {us, 10 * us, 100 * us, ms, 10 * ms, 100 * ms}) {
    for (const std::int64_t factor : {1, 2, 5}) {
      // Their labels are twice as long as others.
      if (span / static_cast<double>(scale * factor) <= most * 0.55) {
        return within_days(first, last, zone, Nanoseconds(scale * factor));
      }
    }
  }
  for (const std::int64_t step : {s, 2 * s, 5 * s, 10 * s, 15 * s, 30 * s, min, 2 * min, 5 * min,
                                  10 * min, 15 * min, 30 * min, h, 2 * h, 3 * h, 6 * h, 12 * h}) {
    if (span / static_cast<double>(step) <= most)
      return within_days(first, last, zone, Nanoseconds(step));
  }
  const double days_long = span / static_cast<double>(24 * h);
  for (const int step : {1, 2, 3, 7, 14}) {
    if (days_long / step <= most) return by_days(first, last, zone, step);
  }
  for (const int step : {1, 2, 3, 6, 12, 24, 60, 120, 240, 600}) {
    if (days_long / 30.4 / step <= most) return by_months(first, last, zone, step);
  }
  return by_months(first, last, zone, 1200);
}

DrawnAxis time_axis(const Canvas& canvas, const Zone& zone, const Axis& axis,
                    const std::string& time_name) {
  DrawnAxis out;
  out.low = canvas.x(canvas.first);
  out.high = canvas.x(canvas.last);
  if (!axis.is_instants()) {
    const std::string since = since_text(axis);
    out.name = since.empty() ? time_name : since;
    if (axis.is_count()) {
      out.ticks = [low = out.low, high = out.high](int most) {
        auto ticks = round_ticks(low, high, most);
        std::erase_if(ticks, [](const AxisTick& tick) { return tick.at != std::round(tick.at); });
        return ticks;
      };
    }
    return out;
  }
  out.name = zone.is_utc() ? "UTC" : "local time, " + zone.name();
  out.ticks = [canvas, zone](int most) {
    std::vector<AxisTick> ticks;
    for (const Tick& tick : time_ticks(canvas.first, canvas.last, zone, most)) {
      AxisTick& out_tick = ticks.emplace_back();
      out_tick.at = canvas.x(tick.at);
      const std::string_view label = tick.label;
      const std::size_t second = label.find("\\n");
      out_tick.text = label.substr(0, second);
      if (second == std::string_view::npos) continue;
      const std::string_view rest = label.substr(second + 2);
      const std::size_t third = rest.find("\\n");
      out_tick.below = rest.substr(0, third);
      if (third != std::string_view::npos) out_tick.below_that = rest.substr(third + 2);
    }
    return ticks;
  };
  return out;
}

std::vector<ClockChange> clock_changes(Instant first, Instant last, const Zone& zone) {
  std::vector<ClockChange> changes;
  constexpr std::size_t most = 4;  // over years, marks would say nothing
  auto stretch = zone.offset_stretch(floor<seconds>(first));
  while (stretch.until < floor<seconds>(last)) {
    const auto next = zone.offset_stretch(stretch.until);
    if (next.offset != stretch.offset) {
      changes.push_back({Instant(stretch.until), next.offset - stretch.offset});
    }
    if (changes.size() > most) return {};
    stretch = next;
  }
  return changes;
}

}  // namespace zerobeat::detail
