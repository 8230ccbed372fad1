#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <limits>
#include <optional>
#include <vector>
#include <zerobeat/base/error.hpp>
#include <zerobeat/time/period.hpp>

#include "base/trim.hpp"
#include "base/wide.hpp"
#include "time/forward_shift.hpp"

namespace zerobeat::inline v1 {

namespace {

constexpr Wide longest = std::numeric_limits<std::int64_t>::max();

struct Unit {
  std::string_view name, word;  ///< `min` and `minute`; the word has a plural, too
  std::int64_t months, days, nanoseconds;
};

constexpr std::int64_t second = 1'000'000'000;
constexpr std::int64_t months_of_quarter = 3;
constexpr std::array<Unit, 11> units{{
    {"ns", "nanosecond", 0, 0, 1},
    {"us", "microsecond", 0, 0, 1'000},
    {"ms", "millisecond", 0, 0, 1'000'000},
    {"s", "second", 0, 0, second},
    {"min", "minute", 0, 0, 60 * second},
    {"h", "hour", 0, 0, 3600 * second},
    {"d", "day", 0, 1, 0},
    {"wk", "week", 0, 7, 0},
    {"month", "month", 1, 0, 0},
    {"quarter", "quarter", months_of_quarter, 0, 0},
    {"year", "year", 12, 0, 0},
}};

/// What people write for a unit, and which is meant.
constexpr Synonym unit_synonyms[] = {
    {"m", "min or month"}, {"M", "month or min"}, {"mo", "month"}, {"mth", "month"},
    {"q", "quarter"},      {"y", "year"},         {"yr", "year"},  {"yrs", "year"},
    {"mins", "min"},       {"sec", "s"},          {"secs", "s"},   {"hr", "h"},
    {"hrs", "h"},          {"w", "wk"},           {"wks", "wk"},   {"µs", "us"},
};

const Unit* find_unit(std::string_view name) {
  const auto is_it = [&](const Unit& unit) {
    return name == unit.name || name == unit.word ||
           (name.ends_with('s') && name.substr(0, name.size() - 1) == unit.word);
  };
  const auto unit = std::ranges::find_if(units, is_it);
  return unit == units.end() ? nullptr : &*unit;
}

bool is_digit(char c) { return c >= '0' && c <= '9'; }

/// A decimal number: whole part, and the fraction as so many units of 10^-digits.
struct Decimal {
  Wide whole = 0;
  Wide fraction = 0;
  Wide scale = 1;
};

std::optional<Decimal> read_decimal(std::string_view& rest) {
  Decimal number;
  std::size_t i = 0;
  while (i < rest.size() && is_digit(rest[i])) {
    number.whole = std::min<Wide>(number.whole * 10 + (rest[i++] - '0'), longest);
  }
  if (i == 0) return std::nullopt;
  if (i + 1 < rest.size() && (rest[i] == '.' || rest[i] == ',') && is_digit(rest[i + 1])) {
    for (++i; i < rest.size() && is_digit(rest[i]); ++i) {
      if (number.scale > longest / 10) return std::nullopt;
      number.fraction = number.fraction * 10 + (rest[i] - '0');
      number.scale *= 10;
    }
  }
  rest.remove_prefix(i);
  return number;
}

void add(std::string_view text, const Decimal& number, const Unit& unit, Period& out) {
  const auto bounded = [&](Wide value) {
    if (value > longest) fail_usage("\"{}\" is too long a period", text);
    return static_cast<std::int64_t>(value);
  };
  const Wide per_unit = unit.nanoseconds;
  if (number.fraction != 0 && (per_unit == 0 || number.fraction * per_unit % number.scale != 0)) {
    fail_usage("\"{}\": {} can't be divided so; give a whole number of a smaller unit", text,
               unit.name);
  }
  out.months = bounded(out.months + number.whole * unit.months);
  out.days = bounded(out.days + number.whole * unit.days);
  out.nanoseconds = Nanoseconds(bounded(out.nanoseconds.count() + number.whole * per_unit +
                                        number.fraction * per_unit / number.scale));
}

void read_iso_duration(std::string_view text, Period& out) {
  std::string_view rest = text.substr(1);
  bool in_time = false;
  bool any = false;
  while (!rest.empty()) {
    if (rest.front() == 'T' && !in_time) {
      in_time = true;
      rest.remove_prefix(1);
      continue;
    }
    const auto number = read_decimal(rest);
    const char letter = number && !rest.empty() ? rest.front() : '\0';
    std::string_view unit;
    if (in_time) {
      unit = letter == 'H' ? "h" : letter == 'M' ? "min" : letter == 'S' ? "s" : "";
    } else {
      unit = letter == 'Y'   ? "year"
             : letter == 'M' ? "month"
             : letter == 'W' ? "wk"
             : letter == 'D' ? "d"
                             : "";
    }
    if (unit.empty()) fail_usage("\"{}\" is not a period; ISO 8601 writes P1M or PT15M", text);
    rest.remove_prefix(1);
    add(text, *number, *std::ranges::find(units, unit, &Unit::name), out);
    any = true;
  }
  if (!any) fail_usage("\"{}\" is not a period; ISO 8601 writes P1M or PT15M", text);
}

}  // namespace

void from_text(std::string_view text, Period& out) {
  out = Period();
  if (!text.empty() && text.front() == 'P') return read_iso_duration(text, out);
  if (text.empty() || !is_digit(text.front())) {
    fail_usage("\"{}\" is not a period; write it like 15min, 1h30min or 1d", text);
  }
  std::string_view rest = text;
  bool quarters_only = true, weeks_only = true;
  while (!rest.empty()) {
    const auto number = read_decimal(rest);
    if (!number) fail_usage("\"{}\" is not a period; write it like 15min, 1h30min or 1d", text);
    std::size_t length = 0;
    while (length < rest.size() && !is_digit(rest[length])) ++length;
    const std::string_view name = detail::trim(rest.substr(0, length));
    const Unit* unit = find_unit(name);
    if (unit == nullptr) {
      if (name.empty())
        fail_usage("\"{}\" has no unit; write it like {}min or {}s", text, text, text);
      std::vector<std::string> names;
      for (const auto& known : units) names.emplace_back(known.name);
      fail_usage("\"{}\": \"{}\" is not a unit{}", text, name,
                 did_you_mean(name, names, unit_synonyms));
    }
    rest.remove_prefix(length);
    quarters_only = quarters_only && unit->months == months_of_quarter;
    weeks_only = weeks_only && unit->name == "wk";
    add(text, *number, *unit, out);
  }
  out.in_quarters = quarters_only;
  out.in_weeks = weeks_only;
}

std::string to_text(const Period& period) {
  if (period.is_zero()) return "0s";
  std::string text;
  const auto put = [&](std::int64_t n, std::string_view unit) {
    if (n != 0) text += fmt::format("{}{}", n, unit);
  };
  if (period.in_quarters && period.months % months_of_quarter == 0) {
    put(period.months / months_of_quarter, "quarter");
  } else {
    put(period.months / 12, "year");
    put(period.months % 12, "month");
  }
  const bool weeks = period.in_weeks && period.days % 7 == 0;
  put(weeks ? period.days / 7 : period.days, weeks ? "wk" : "d");
  std::int64_t rest = period.nanoseconds.count();
  for (const std::string_view name : {"h", "min", "s", "ms", "us", "ns"}) {
    const std::int64_t size = std::ranges::find(units, name, &Unit::name)->nanoseconds;
    put(rest / size, name);
    rest %= size;
  }
  return text;
}

namespace {

Instant shifted(Instant t, const Period& period, std::int64_t times, const Zone& zone,
                bool forward) {
  using namespace std::chrono;
  const auto bounded = [](Wide nanoseconds) {
    return instant_of(static_cast<std::int64_t>(
        std::clamp<Wide>(nanoseconds, std::numeric_limits<std::int64_t>::min(), longest)));
  };
  Instant moved = t;
  if (!period.is_fixed()) {
    const sys_seconds whole = floor<seconds>(t);
    const Nanoseconds fraction = past_second(t);
    const local_seconds local((whole + zone.offset_stretch(whole).offset).time_since_epoch());
    const local_days day = floor<days>(local);
    const seconds clock = local - day;

    year_month_day date(day);
    const Wide month_number = Wide(static_cast<int>(date.year())) * 12 +
                              static_cast<unsigned>(date.month()) - 1 + Wide(period.months) * times;
    const Wide year_number = month_number >= 0 ? month_number / 12 : (month_number - 11) / 12;
    if (year_number < 1000 || year_number > 3000)
      return bounded(times > 0 ? longest : -longest - 1);
    const year_month target = year(static_cast<int>(year_number)) /
                              month(static_cast<unsigned>(month_number - year_number * 12 + 1));
    const auto last = (target / std::chrono::last).day();
    date = target / std::min(date.day(), last);
    const Wide day_number =
        Wide(local_days(date).time_since_epoch().count()) + Wide(period.days) * times;
    if (day_number < -1'000'000 || day_number > 1'000'000) {
      return bounded(times > 0 ? longest : -longest - 1);
    }
    const local_days target_day{days(static_cast<int>(day_number))};
    const auto answer = zone.stretch(target_day + clock);
    const bool skipped = answer.kind == Zone::LocalStretch::Kind::skipped && !forward;
    const local_seconds landed = skipped ? answer.from : target_day + clock;
    moved = bounded(Wide((landed - answer.offset).time_since_epoch().count()) * second +
                    (skipped ? 0 : fraction.count()));
  }
  return bounded(Wide(nanoseconds_of(moved)) + Wide(period.nanoseconds.count()) * times);
}

}  // namespace

Instant shift(Instant t, const Period& period, std::int64_t times, const Zone& zone) {
  return shifted(t, period, times, zone, false);
}

namespace detail {

Instant shift_forward(Instant t, const Period& period, std::int64_t times, const Zone& zone) {
  return shifted(t, period, times, zone, true);
}

}  // namespace detail

void from_text(std::string_view text, Extent& out) {
  const bool digits_only = !text.empty() && std::ranges::all_of(text, is_digit);
  if (!digits_only) {
    Period period;
    from_text(text, period);
    if (period.is_zero())
      fail_usage("\"{}\" is no length; give a period or a number of rows", text);
    out = Extent(period);
    return;
  }
  Wide rows = 0;
  for (const char c : text) rows = std::min<Wide>(rows * 10 + (c - '0'), longest);
  if (rows == 0) fail_usage("\"{}\" is no length; give at least 1 row", text);
  out = Extent(static_cast<std::int64_t>(rows));
}

std::string to_text(const Extent& extent) {
  return extent.in_rows() ? fmt::format("{}", extent.rows) : to_text(extent.period);
}

void from_text(std::string_view text, Extents& out) {
  Extents read;
  for (const auto& part : split_commas(text)) {
    Extent one;
    from_text(part, one);
    if (std::ranges::find(read.all, one) != read.all.end()) {
      fail_usage("\"{}\": {} is given twice", text, to_text(one));
    }
    read.all.push_back(one);
  }
  if (read.all.empty()) fail_usage("\"{}\" is no length", text);
  out = std::move(read);
}

std::string to_text(const Extents& extents) {
  std::string text;
  for (const Extent& one : extents.all) text += (text.empty() ? "" : ",") + to_text(one);
  return text;
}

void detail::fail_long_period() {
  fail_usage(
      "a length of time is at most 292 years in fixed units; months and years are by the "
      "calendar, and may be more");
}

Period::Period(const char* text) : Period(std::string(text)) {}
Period::Period(const std::string& text) { from_text(text, *this); }
Extent::Extent(const char* text) : Extent(std::string(text)) {}
Extent::Extent(const std::string& text) { from_text(text, *this); }
Extents::Extents(const char* text) : Extents(std::string(text)) {}
Extents::Extents(const std::string& text) { from_text(text, *this); }

}  // namespace zerobeat
