/// Stamping: times for records that carry none.
///
/// The n-th record is given the n-th beat of a sample clock, or the n-th of a
/// row of periods. A record that was rejected has had its beat, so that those
/// after it keep theirs.
///
/// Threads may call these at the same time, on the same timelines.

#pragma once

#include <optional>
#include <string>
#include <string_view>
#include <variant>
#include <vector>
#include <zerobeat/base/export.hpp>
#include <zerobeat/base/option.hpp>
#include <zerobeat/judge/records.hpp>
#include <zerobeat/time/calendar.hpp>
#include <zerobeat/time/moment.hpp>
#include <zerobeat/time/period.hpp>
#include <zerobeat/time/working_days.hpp>

namespace zerobeat {
inline namespace ZEROBEAT_API v1 {

/// Samples a second, as an exact fraction of whole numbers.
struct Rate {
  std::int64_t samples = 0;
  std::int64_t seconds = 1;

  friend bool operator==(const Rate&, const Rate&) = default;
};

/// Reads "51.2kHz", "44100", "51200 Hz", "0.5 Hz", "48 kS/s". Throws Error when it is no rate, or
/// not greater than 0.
void from_text(std::string_view text, Rate& out);
[[nodiscard]] std::string to_text(const Rate& rate);

/// The line of the preamble that states a thing, by its name.
struct Stated {
  std::string name{};

  Stated() = default;
  explicit Stated(std::string line) : name(std::move(line)) {}
  friend bool operator==(const Stated&, const Stated&) = default;
};
inline void from_text(std::string_view text, Stated& out) { out.name = text; }
[[nodiscard]] inline std::string to_text(const Stated& stated) { return stated.name; }

/// Times that are a count: N, N + 1 and so on.
struct CountFrom {
  std::int64_t first = 0;
  friend bool operator==(const CountFrom&, const CountFrom&) = default;
};
inline void from_text(std::string_view text, CountFrom& out) { from_text(text, out.first); }
[[nodiscard]] inline std::string to_text(const CountFrom& count) { return to_text(count.first); }

template <>
inline constexpr bool takes_whole_numbers<CountFrom> = true;

struct Stamp {
  static constexpr std::string_view name = "stamp";
  static constexpr std::string_view help = "give records that carry no time their times";

  static constexpr std::string_view starts = "stamp takes one of ‹start› T and ‹start_from› NAME";
  static constexpr std::string_view ways =
      "stamp takes one of ‹rate› RATE, ‹rate_from› NAME, ‹every› PERIOD and ‹count_from› N";

  /// The first record's time, or the line that states it; none: seconds elapsed, or a count.
  std::variant<std::monostate, Moment, Stated> start{};
  /// From one record to the next: by a rate or the line that states it, a period, a count.
  std::variant<std::monostate, Rate, Stated, Period, CountFrom> by{};
  bool elapsed = false;  ///< add a column elapsed_s
  WorkingDays days{};    ///< which days are worked; see working_days()

  friend bool operator==(const Stamp&, const Stamp&) = default;
};

inline void read_inputs(Stamp& options, const InputReader& reader) {
  read_working_days(options, reader);
}

template <typename Visitor, OptionsOf<Stamp> O>
void fields(Visitor&& visit, O& o) {
  visit("start", way<Moment>(o.start, Stamp::starts), "T",
        "the time of the first record, like 2025-10-25T22:14Z or 2009-Q2");
  visit("rate", way<Rate>(o.by, Stamp::ways), "RATE", "samples a second, like 51.2kHz");
  visit("every", way<Period>(o.by, Stamp::ways), "PERIOD",
        "from one record to the next; days are working days with ‹holidays› or ‹weekend›");
  visit("start-from", way<Stated>(o.start, Stamp::starts), "NAME",
        "the line before the header that states the start");
  visit("rate-from", way<Stated>(o.by, Stamp::ways), "NAME",
        "the line before the header that states the rate");
  visit("count-from", way<CountFrom>(o.by, Stamp::ways), "N",
        "or: the times are a count: N, N + 1 and so on");
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
/// `elapsed_s`; with CountFrom they are a count, named `count`.
///
/// Cost: one pass; for calendar periods a look-up in the zone for each record. Throws Error of kind
/// usage unless there is a start and a rate or a period, or one of the others, and when the times
/// leave the range of Instant; of kind input when the preamble does not say, or its channels
/// disagree.
[[nodiscard]] Records stamp(const Records& records, const Stamp& options);

}  // namespace v1
}  // namespace zerobeat
