#include <fmt/format.h>

#include <algorithm>
#include <vector>
#include <zerobeat/base/error.hpp>
#include <zerobeat/time/time_form.hpp>

#include "base/wide.hpp"
#include "time/civil_names.hpp"

namespace zerobeat::inline v1 {

namespace {

using namespace std::chrono;
using detail::IsoWeek;
using detail::month_names;
using detail::short_name;
using detail::weekday_names;

constexpr std::string_view conversions = "YymdejHkIlMSfpbBhaAzZsTRDFrntGVu%";

const std::vector<std::string>& form_words() {
  static const std::vector<std::string> all{"rfc3339",  "epoch-s", "epoch-ms", "epoch-us",
                                            "epoch-ns", "quarter", "week",     "elapsed"};
  return all;
}

/// Nanoseconds as a decimal number of `unit`; digits of the second past `digits` are cut.
void append_decimal(std::string& out, Wide nanoseconds, std::int64_t unit, int digits) {
  const bool negative = nanoseconds < 0;
  const auto size = static_cast<WideUnsigned>(negative ? -nanoseconds : nanoseconds);
  const auto wide_unit = static_cast<WideUnsigned>(unit);
  if (negative) out += '-';
  out += fmt::format("{}", static_cast<std::uint64_t>(size / wide_unit));
  std::string fraction = fmt::format("{:09}", static_cast<std::uint64_t>(size % wide_unit) *
                                                  static_cast<std::uint64_t>(1'000'000'000 / unit));
  int unit_digits = 0;
  for (std::int64_t u = unit; u < 1'000'000'000; u *= 10) ++unit_digits;
  const int kept = std::clamp(digits - unit_digits, 0, 9 - unit_digits);
  if (kept > 0) out += "." + fraction.substr(0, static_cast<std::size_t>(kept));
}

void append_offset(std::string& out, seconds offset) {
  const std::int64_t minutes_east = offset.count() / 60;
  const std::int64_t size = minutes_east < 0 ? -minutes_east : minutes_east;
  out += fmt::format("{}{:02}{:02}", minutes_east < 0 ? '-' : '+', size / 60, size % 60);
}

/// What the patterns are filled with.
struct Shown {
  Instant t;
  seconds offset{};
  local_days day;
  year_month_day date;
  hh_mm_ss<seconds> clock;
  const Zone* zone = nullptr;
  int digits = 0;
};

void append_conversion(std::string& out, char conversion, const Shown& s);

void append_pattern(std::string& out, std::string_view pattern, const Shown& s) {
  for (std::size_t i = 0; i < pattern.size(); ++i) {
    if (pattern[i] != '%') {
      out += pattern[i];
    } else {
      append_conversion(out, pattern[++i], s);
    }
  }
}

void append_conversion(std::string& out, char conversion, const Shown& s) {
  const auto put = [&](const char* format, std::int64_t value) {
    out += fmt::format(fmt::runtime(format), value);
  };
  const int year = static_cast<int>(s.date.year());
  const auto month = static_cast<unsigned>(s.date.month());
  const auto day = static_cast<unsigned>(s.date.day());
  const std::int64_t hour = s.clock.hours().count();
  const std::int64_t hour_of_12 = hour % 12 == 0 ? 12 : hour % 12;
  const auto of_week = weekday(s.day).c_encoding();
  switch (conversion) {
    case 'Y':
      return put("{:04}", year);
    case 'y':
      return put("{:02}", year % 100);
    case 'm':
      return put("{:02}", month);
    case 'd':
      return put("{:02}", day);
    case 'e':
      return put("{:2}", day);
    case 'j':
      return put("{:03}", (s.day - local_days(s.date.year() / January / 1)).count() + 1);
    case 'H':
      return put("{:02}", hour);
    case 'k':
      return put("{:2}", hour);
    case 'I':
      return put("{:02}", hour_of_12);
    case 'l':
      return put("{:2}", hour_of_12);
    case 'M':
      return put("{:02}", s.clock.minutes().count());
    case 'S':
      return put("{:02}", s.clock.seconds().count());
    case 'f': {
      const std::string nine = fmt::format("{:09}", past_second(s.t).count());
      out += nine.substr(0, static_cast<std::size_t>(std::max(1, s.digits)));
      return;
    }
    case 'p':
      out += hour < 12 ? "AM" : "PM";
      return;
    case 'b':
    case 'h':
      out += short_name(month_names[month - 1]);
      return;
    case 'B':
      out += month_names[month - 1];
      return;
    case 'a':
      out += short_name(weekday_names[of_week]);
      return;
    case 'A':
      out += weekday_names[of_week];
      return;
    case 'u':
      return put("{}", of_week == 0 ? 7 : of_week);
    case 'G':
      return put("{:04}", detail::iso_week_of(s.day).year);
    case 'V':
      return put("{:02}", detail::iso_week_of(s.day).week);
    case 'z':
      return append_offset(out, s.offset);
    case 'Z':
      out += s.zone == nullptr ? "UTC" : s.zone->abbreviation_at(s.t);
      return;
    case 's':
      return put("{}", floor<seconds>(s.t).time_since_epoch().count());
    case 'T':
      return append_pattern(out, "%H:%M:%S", s);
    case 'R':
      return append_pattern(out, "%H:%M", s);
    case 'D':
      return append_pattern(out, "%m/%d/%y", s);
    case 'F':
      return append_pattern(out, "%Y-%m-%d", s);
    case 'r':
      return append_pattern(out, "%I:%M:%S %p", s);
    case 'n':
      out += '\n';
      return;
    case 't':
      out += '\t';
      return;
    default:
      out += conversion;
  }
}

}  // namespace

void from_text(std::string_view text, TimeForm& out) {
  out = TimeForm();
  if (text.find('%') != std::string_view::npos) {
    for (std::size_t i = 0; i < text.size(); ++i) {
      if (text[i] != '%') continue;
      if (++i == text.size()) fail_usage("\"{}\" ends within a conversion: %", text);
      if (conversions.find(text[i]) == std::string_view::npos) {
        fail_usage(
            "\"{}\": %{} is not a conversion; there is %Y %m %d %H %M %S %f %z %b %p and others",
            text, text[i]);
      }
    }
    out.kind = TimeForm::Kind::pattern;
    out.pattern = text;
    return;
  }
  const auto word = std::ranges::find(form_words(), text);
  if (word == form_words().end()) {
    fail_usage("\"{}\" is not a form of times, nor a pattern with % like \"%d/%m/%Y %H:%M\"{}",
               text, did_you_mean(text, form_words()));
  }
  out.kind = static_cast<TimeForm::Kind>(word - form_words().begin());
}

std::string to_text(const TimeForm& form) {
  if (form.kind == TimeForm::Kind::pattern) return form.pattern;
  return form_words()[static_cast<std::size_t>(form.kind)];
}

void append_time(std::string& out, Instant t, const TimeForm& form, int digits, const Zone* zone,
                 Instant origin) {
  const auto decimal = [&](std::int64_t unit) {
    append_decimal(out, nanoseconds_of(t), unit, digits);
  };
  switch (form.kind) {
    case TimeForm::Kind::rfc3339: {
      char text[longest_instant];
      out.append(text, static_cast<std::size_t>(write_instant(text, t, digits, zone) - text));
      return;
    }
    case TimeForm::Kind::epoch_s:
      return decimal(1'000'000'000);
    case TimeForm::Kind::epoch_ms:
      return decimal(1'000'000);
    case TimeForm::Kind::epoch_us:
      return decimal(1'000);
    case TimeForm::Kind::epoch_ns:
      return decimal(1);
    case TimeForm::Kind::elapsed:
      return append_decimal(out, static_cast<Wide>(nanoseconds_of(t)) - nanoseconds_of(origin),
                            1'000'000'000, digits);
    default:
      break;
  }
  Shown s;
  s.t = t;
  s.zone = zone;
  s.offset = zone == nullptr ? seconds(0) : zone->offset_at(t);
  s.digits = digits;
  const auto local = local_seconds((floor<seconds>(t) + s.offset).time_since_epoch());
  s.day = floor<days>(local);
  s.date = year_month_day(s.day);
  s.clock = hh_mm_ss<seconds>(local - s.day);
  if (form.kind == TimeForm::Kind::quarter) {
    out += fmt::format("{}-Q{}", static_cast<int>(s.date.year()),
                       (static_cast<unsigned>(s.date.month()) + 2) / 3);
  } else if (form.kind == TimeForm::Kind::week) {
    const IsoWeek week = detail::iso_week_of(s.day);
    out += fmt::format("{:04}-W{:02}", week.year, week.week);
  } else {
    append_pattern(out, form.pattern, s);
  }
}

}  // namespace zerobeat
