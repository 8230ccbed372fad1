/// Stamping: times for records that carry none.
///
/// The n-th record is given the n-th beat of a sample clock, or the n-th of a
/// row of periods. A record that was rejected has had its beat, so that those
/// after it keep theirs.

#pragma once

#include <optional>
#include <string>
#include <string_view>
#include <vector>
#include <zerobeat/base/option.hpp>
#include <zerobeat/judge/records.hpp>
#include <zerobeat/time/calendar.hpp>
#include <zerobeat/time/moment.hpp>
#include <zerobeat/time/period.hpp>
#include <zerobeat/time/working_days.hpp>

namespace zerobeat {

/// Samples a second, as an exact fraction of whole numbers.
struct Rate {
  std::int64_t samples = 0;
  std::int64_t seconds = 1;

  friend bool operator==(const Rate&, const Rate&) = default;
};

/// Reads "51.2kHz", "44100", "51200 Hz", "0.5 Hz", "48 kS/s". Throws Error when it is no rate, or
/// not greater than 0.
void from_text(std::string_view text, Rate& out);
std::string to_text(const Rate& rate);

struct Stamp {
  static constexpr std::string_view name = "stamp";
  static constexpr std::string_view help = "give records that carry no time their times";

  std::optional<Moment> start{};             ///< the first record's time
  std::optional<Rate> rate{};                ///< of the sample clock
  std::optional<Period> every{};             ///< from one record to the next, when there is no rate
  std::string start_from{};                  ///< the line of the preamble that states the start
  std::string rate_from{};                   ///< the line of the preamble that states the rate
  std::optional<std::int64_t> count_from{};  ///< or: times are N, N + 1 and so on, a count
  bool elapsed = false;                      ///< add a column elapsed_s
  WorkingDays days{};                        ///< which days are worked, as `calendar` is read from
  std::optional<Calendar> calendar{};        ///< working days; read_calendar(days) makes one

  friend bool operator==(const Stamp&, const Stamp&) = default;
};

template <typename Visitor, OptionsOf<Stamp> O>
void fields(Visitor&& visit, O& o) {
  visit("start", o.start, "T", "the time of the first record, like 2025-10-25T22:14Z or 2009-Q2");
  visit("rate", o.rate, "RATE", "samples a second, like 51.2kHz");
  visit("every", o.every, "PERIOD",
        "from one record to the next; days are working days with --holidays or --weekend");
  visit("start-from", o.start_from, "NAME", "the line before the header that states the start");
  visit("rate-from", o.rate_from, "NAME", "the line before the header that states the rate");
  visit("count-from", o.count_from, "N", "or: the times are a count: N, N + 1 and so on");
  visit("elapsed", o.elapsed, "", "add a column elapsed_s: seconds since the start");
  fields(visit, o.days);
}

/// Returns untimed `records` with times: record n has start + n / rate, to the nearest nanosecond,
/// or start and n times the period, by the zone's calendar; a period of days counts the working
/// days of the calendar, and starts on the first of them. With a key, each key's records are
/// counted by themselves, those that were kept.
///
/// A line of the preamble may state several values, one for each channel, and be there several
/// times; they must agree. Times of the preamble without an offset are read in the zone.
///
/// With a rate and no start the times are seconds elapsed since the first record, named
/// `elapsed_s`; with `count_from` they are a count, named `count`.
///
/// Cost: one pass; for calendar periods a look-up in the zone for each record. Throws Error of kind
/// usage unless there is one start and one of rate and period, and when the times leave the range
/// of Instant; of kind input when the preamble does not say, or its channels disagree.
Records stamp(const Records& records, const Stamp& options);

}  // namespace zerobeat
