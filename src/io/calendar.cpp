#include <libical/ical.h>

#include <algorithm>
#include <memory>
#include <zerobeat/io/calendar.hpp>
#include <zerobeat/judge/source_account.hpp>
#include <zerobeat/time/timestamp.hpp>

#include "base/trim.hpp"
#include "io/source/source_text.hpp"

namespace zerobeat::inline v1 {

namespace {

using std::chrono::days;
using std::chrono::local_days;

constexpr int last_year = 2262;
/// More days than there are until then: no calendar of holidays has so many.
constexpr std::size_t most_days = 200'000;

local_days day_of(const icaltimetype& t) {
  return local_days(std::chrono::year(t.year) / std::chrono::month(static_cast<unsigned>(t.month)) /
                    std::chrono::day(static_cast<unsigned>(t.day)));
}

/// How many days an event takes: DTEND is the day after its last.
std::int64_t length_of(icalcomponent* event, local_days first) {
  if (icalcomponent_get_first_property(event, ICAL_DTEND_PROPERTY) != nullptr) {
    const icaltimetype end = icalcomponent_get_dtend(event);
    if (icaltime_is_null_time(end) == 0)
      return std::max<std::int64_t>(1, (day_of(end) - first).count());
  }
  if (icalcomponent_get_first_property(event, ICAL_DURATION_PROPERTY) != nullptr) {
    const int seconds = icaldurationtype_as_int(icalcomponent_get_duration(event));
    return std::max(1, seconds / 86'400);
  }
  return 1;
}

void add_event(const std::string& name, icalcomponent* event, std::vector<local_days>& holidays) {
  const icaltimetype start = icalcomponent_get_dtstart(event);
  if (icaltime_is_null_time(start) != 0 || start.is_date == 0) return;
  if (icalcomponent_get_status(event) == ICAL_STATUS_CANCELLED) return;
  const std::int64_t length = length_of(event, day_of(start));

  std::vector<local_days> firsts{day_of(start)};
  for (icalproperty* p = icalcomponent_get_first_property(event, ICAL_RRULE_PROPERTY); p != nullptr;
       p = icalcomponent_get_next_property(event, ICAL_RRULE_PROPERTY)) {
    icalrecur_iterator* iterator = icalrecur_iterator_new(icalproperty_get_rrule(p), start);
    if (iterator == nullptr) continue;
    for (icaltimetype next = icalrecur_iterator_next(iterator);
         icaltime_is_null_time(next) == 0 && next.year <= last_year;
         next = icalrecur_iterator_next(iterator)) {
      firsts.push_back(day_of(next));
      if (firsts.size() > most_days) break;
    }
    icalrecur_iterator_free(iterator);
  }
  for (icalproperty* p = icalcomponent_get_first_property(event, ICAL_RDATE_PROPERTY); p != nullptr;
       p = icalcomponent_get_next_property(event, ICAL_RDATE_PROPERTY)) {
    const icaldatetimeperiodtype date = icalproperty_get_rdate(p);
    if (icaltime_is_null_time(date.time) == 0) firsts.push_back(day_of(date.time));
  }
  for (icalproperty* p = icalcomponent_get_first_property(event, ICAL_EXDATE_PROPERTY);
       p != nullptr; p = icalcomponent_get_next_property(event, ICAL_EXDATE_PROPERTY)) {
    const icaltimetype date = icalproperty_get_exdate(p);
    if (icaltime_is_null_time(date) == 0) std::erase(firsts, day_of(date));
  }
  if (holidays.size() + firsts.size() * static_cast<std::size_t>(length) > most_days) {
    const char* summary = icalcomponent_get_summary(event);
    fail_input("{}: the event \"{}\" takes more days than there are until {}", name,
               printable(summary == nullptr ? "" : summary), last_year);
  }
  for (const local_days first : firsts) {
    for (std::int64_t d = 0; d < length; ++d) holidays.push_back(first + days(d));
  }
}

/// Components within one another, which no calendar needs many of: whoever walks them calls itself.
void refuse_deep(const std::string& name, std::string_view text) {
  constexpr int deepest = 64;
  int depth = 0;
  std::uint64_t line = 1;
  for (std::size_t at = 0; at < text.size(); ++line) {
    const std::size_t end = std::min(text.find('\n', at), text.size());
    const std::string_view piece = text.substr(at, end - at);
    const auto begins = [&](std::string_view word) {
      return piece.size() >= word.size() &&
             std::equal(word.begin(), word.end(), piece.begin(), [](char a, char b) {
               return a == (b >= 'a' && b <= 'z' ? static_cast<char>(b - 'a' + 'A') : b);
             });
    };
    depth += begins("BEGIN:") - begins("END:");
    if (depth > deepest) {
      fail_input("{}:{}: more than {} components of the calendar are open here", name, line,
                 deepest);
    }
    at = end + 1;
  }
}

/// Every event, in however many calendars the file holds.
void add_events(const std::string& name, icalcomponent* component,
                std::vector<local_days>& holidays) {
  if (icalcomponent_isa(component) == ICAL_VEVENT_COMPONENT) add_event(name, component, holidays);
  for (icalcomponent* inner = icalcomponent_get_first_component(component, ICAL_ANY_COMPONENT);
       inner != nullptr; inner = icalcomponent_get_next_component(component, ICAL_ANY_COMPONENT)) {
    add_events(name, inner, holidays);
  }
}

/// The first thing that the parser could not read, if there is any.
std::string first_error(icalcomponent* component) {
  icalproperty* const own = icalcomponent_get_first_property(component, ICAL_XLICERROR_PROPERTY);
  if (own != nullptr) return printable(icalproperty_get_xlicerror(own));
  for (icalcomponent* inner = icalcomponent_get_first_component(component, ICAL_ANY_COMPONENT);
       inner != nullptr; inner = icalcomponent_get_next_component(component, ICAL_ANY_COMPONENT)) {
    if (auto error = first_error(inner); !error.empty()) return error;
  }
  return {};
}

std::vector<local_days> days_of_icalendar(const std::string& name, const std::string& text) {
  refuse_deep(name, text);
  const std::unique_ptr<icalcomponent, decltype(&icalcomponent_free)> root(
      icalparser_parse_string(text.c_str()), icalcomponent_free);
  if (root == nullptr) fail_input("{}: is not an iCalendar file that can be read", name);
  if (const auto error = first_error(root.get()); !error.empty()) {
    fail_input("{}: is an iCalendar file with a fault: {}", name, error);
  }
  std::vector<local_days> holidays;
  add_events(name, root.get(), holidays);
  if (holidays.empty()) fail_input("{}: has no all-day event; holidays are such", name);
  return holidays;
}

std::vector<local_days> days_of_list(const std::string& name, std::string_view text) {
  std::vector<local_days> holidays;
  TimestampReader reader({.format = format_of(TimeFormat::Kind::iso)});
  std::uint64_t line_number = 0;
  bool header_allowed = true;
  while (!text.empty()) {
    const std::size_t newline = text.find('\n');
    std::string_view line = text.substr(0, newline);
    text.remove_prefix(newline == std::string_view::npos ? text.size() : newline + 1);
    ++line_number;
    if (!line.empty() && line.back() == '\r') line.remove_suffix(1);
    line = detail::trim(line);
    if (line.empty() || line.front() == '#') continue;
    std::string_view date = line.substr(0, line.find_first_of(",;\t "));
    if (date.size() >= 2 && date.front() == '"' && date.back() == '"') {
      date = date.substr(1, date.size() - 2);
    }
    const TimeReading reading = reader.read(date);
    const bool whole_day = date.size() >= 8 && date.find('T') == std::string_view::npos;
    if (reading.verdict != TimeVerdict::ok || !whole_day) {
      if (header_allowed && reading.verdict == TimeVerdict::unreadable) {
        header_allowed = false;
        continue;
      }
      fail_input("{}:{}: \"{}\" is not a date; write it like 2025-12-25", name, line_number,
                 printable(date));
    }
    header_allowed = false;
    holidays.push_back(
        std::chrono::floor<days>(local_days(days(0)) + reading.instant.time_since_epoch()));
  }
  if (holidays.empty()) fail_input("{}: names no day", name);
  return holidays;
}

}  // namespace

Calendar read_calendar(const WorkingDays& options) {
  if (!options.given()) return Calendar();
  if (options.calendar && options.holidays.empty()) return *options.calendar;
  std::vector<local_days> holidays;
  if (!options.holidays.empty()) {
    const auto source = detail::open_source(options.holidays.path);
    std::string text(source.text);
    if (text.starts_with("\xef\xbb\xbf")) text.erase(0, 3);
    holidays = text.find("BEGIN:VCALENDAR") != std::string::npos
                   ? days_of_icalendar(source.name, text)
                   : days_of_list(source.name, text);
  }
  return Calendar(options.weekend.value_or(Weekend{}), std::move(holidays));
}

WorkingDays working_days(WorkingDays options) {
  if (options.given()) options.calendar = read_calendar(options);
  return options;
}

}  // namespace zerobeat
