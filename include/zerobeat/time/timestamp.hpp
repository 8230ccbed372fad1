/// Timestamps: text read as instants, and judged.
///
/// A reader is made for a column, once its shape is known or found; it then
/// reads one cell after another and says of each what it is worth. A reader
/// remembers the last date and the last stretch of local time that it met, so
/// each thread has its own.

#pragma once

#include <array>
#include <cstdint>
#include <optional>
#include <span>
#include <string>
#include <string_view>
#include <zerobeat/base/export.hpp>
#include <zerobeat/time/elapsed.hpp>
#include <zerobeat/time/instant.hpp>
#include <zerobeat/time/zone.hpp>

namespace zerobeat {
inline namespace ZEROBEAT_API v1 {

/// The order of day, month and year in dates like 03/04/2025.
enum class DateOrder { dmy, mdy, ymd };
[[nodiscard]] constexpr auto enum_words(DateOrder) {
  return std::array<std::string_view, 3>{"dmy", "mdy", "ymd"};
}

/// What to do with a local time that happens twice.
enum class Repeated { earlier, later, order, reject };
[[nodiscard]] constexpr auto enum_words(Repeated) {
  return std::array<std::string_view, 4>{"earlier", "later", "order", "reject"};
}

/// What to do with a local time that never happens.
enum class Skipped { forward, reject };
[[nodiscard]] constexpr auto enum_words(Skipped) {
  return std::array<std::string_view, 2>{"forward", "reject"};
}

/// How the text of a time column is laid out.
struct TimeFormat {
  enum class Kind {
    automatic,
    iso,
    epoch_s,
    epoch_ms,
    epoch_us,
    epoch_ns,
    dated,        ///< dates in numbers in some order, then a clock
    named,        ///< dates with the month's name: RFC 2822, HTTP, and as people write them
    compact,      ///< yyyymmdd[hhmm[ss[fff]]]
    serial_1900,  ///< days as spreadsheets count them
    serial_1904,
    elapsed,  ///< a number of a unit since a zero
    pattern,
    counted,  ///< a number of a unit since an origin: epoch:100ns:1601-01-01
  };

  Kind kind = Kind::automatic;
  DateOrder order = DateOrder::dmy;  ///< when kind is dated
  std::string pattern{};  ///< when kind is pattern: a strptime pattern; of counted ones as given
  ElapsedUnit unit = ElapsedUnit::s;  ///< when kind is elapsed
  std::int64_t count_ns = 1;          ///< when kind is counted: nanoseconds of its unit
  std::int64_t origin_s = 0;          ///< and its origin, seconds since 1970

  friend bool operator==(const TimeFormat&, const TimeFormat&) = default;
};

/// A format of that kind.
[[nodiscard]] inline TimeFormat format_of(TimeFormat::Kind kind, DateOrder order = DateOrder::dmy) {
  TimeFormat format;
  format.kind = kind;
  format.order = order;
  return format;
}

/// True for epoch_s, epoch_ms, epoch_us and epoch_ns.
[[nodiscard]] constexpr bool is_epoch(TimeFormat::Kind kind) {
  return kind >= TimeFormat::Kind::epoch_s && kind <= TimeFormat::Kind::epoch_ns;
}

/// Reads `auto`, `iso`, `epoch-s`, `epoch-ms`, `epoch-us`, `epoch-ns`, `dmy`, `mdy`, `ymd`,
/// `named`, `compact`, `serial-1900`, `serial-1904`, `epoch:UNIT:ORIGIN` or a pattern with `%`.
void from_text(std::string_view text, TimeFormat& out);
[[nodiscard]] std::string to_text(const TimeFormat& format);

/// What a cell of the time column turned out to be.
enum class TimeVerdict : std::uint8_t {
  ok,
  unreadable,    ///< not of the format
  impossible,    ///< of the format, but there is no such time: 30 February, 25:00
  repeated,      ///< a local time that happens twice, and was to be rejected
  skipped,       ///< a local time that never happens, and was to be rejected
  out_of_range,  ///< outside the range of Instant, or of `not_before` and `not_after`
  undecided,     ///< a local time that happens twice; the order of the records decides
};

/// How times are read.
struct TimestampOptions {
  TimeFormat format{};  ///< not automatic: see find_time_format
  /// The second format of a column that mixes two. A text is read when it is of just one of them,
  /// or the same time in both; of two units of epochs, its magnitude decides.
  std::optional<TimeFormat> also{};
  Zone zone{};  ///< local times are its times
  Repeated repeated = Repeated::reject;
  Skipped skipped = Skipped::reject;
  std::optional<Instant> not_before{};  ///< inclusive
  std::optional<Instant> not_after{};   ///< inclusive
};

/// One cell, read.
struct TimeReading {
  Instant instant{};  ///< set when the verdict is ok or undecided (then the earlier one)
  TimeVerdict verdict = TimeVerdict::unreadable;
  Nanoseconds later_by{0};  ///< undecided: from the earlier instant to the later one
};

/// What a reader has met, for findings.
struct TimestampCounts {
  /// Epochs of one magnitude.
  struct Magnitudes {
    std::int64_t count = 0;
    double smallest = 0;  ///< in the unit
    double largest = 0;

    void add(std::int64_t n, double low, double high);
  };

  std::int64_t digits_cut = 0;   ///< more than nine digits of the second
  std::int64_t with_offset = 0;  ///< the offset stood in the text
  std::int64_t without_offset = 0;
  std::int64_t by_also = 0;  ///< read by the second format
  /// Dates in numbers, by the orders in which they are a date: a bit each for dmy, mdy and ymd.
  std::array<std::int64_t, 8> date_orders{};
  /// Those that are one date in one order and another in another: dmy and mdy, dmy and ymd, mdy
  /// and ymd.
  std::array<std::int64_t, 3> differ{};
  /// Epochs by the unit that their size speaks for: s, ms, us, ns. Numbers below 10^8, which lie
  /// near 1970 in every unit, are left out.
  std::array<Magnitudes, 4> magnitudes{};

  void add(const TimestampCounts& other);
};

/// Reads the cells of one time column.
///
/// ISO 8601: extended and basic date-times, dates, weeks, ordinals, months, quarters (2025-Q3)
/// and years, with `T`, `t` or a space, a fraction after `.` or `,`, an offset `Z`, `z`, `±hh`,
/// `±hhmm`, `±hh:mm`, and 24:00. Epochs: whole or decimal, negative too. Dated: d/m/y, m/d/y or
/// y/m/d with `/`, `-`, `.` or spaces, one or two digits, two-digit years as POSIX %y (69 to 99
/// are 19xx), an optional clock of 24 or 12 hours. Named: RFC 2822, the three forms of the HTTP
/// date, and dates with English names of months as people write them. Compact:
/// yyyymmdd[hhmm[ss[fff]]]. Serial: days as spreadsheets count them, to the millisecond.
/// Patterns: strptime's, with `%f` for a fraction, `%z` for an offset and `%Z` for an
/// abbreviation that the zone uses at that time, or else in the stretch before or after it. A
/// leap second (:60) is impossible: instants have none. Spaces around the text are passed over.
class TimestampReader {
 public:
  explicit TimestampReader(const TimestampOptions& options);

  /// Cost: for ISO and epochs a few loads and compares; nothing is allocated.
  TimeReading read(std::string_view text);

  /// Reads one text after another; `out` is as long as `texts`. The fastest way to read many.
  void read(std::span<const std::string_view> texts, std::span<TimeReading> out);

  const TimestampCounts& counts() const { return counts_; }
  const TimestampOptions& options() const { return options_; }

  /// What a text says, before a zone makes an instant of it.
  struct Civil {
    std::int64_t seconds = 0;  ///< since 1970-01-01T00:00:00, as written
    std::int32_t nanoseconds = 0;
    std::int32_t offset = 0;  ///< seconds; what was written
    bool has_offset = false;
    bool digits_cut = false;
    std::string_view abbreviation{};  ///< of a zone, as written
  };

 private:
  TimeReading read_number(std::string_view text) const;
  TimeVerdict read_as(const TimeFormat& format, std::string_view text, Civil& civil);
  TimeVerdict read_either(std::string_view text, Civil& civil);
  void count_magnitude(std::string_view text);
  [[nodiscard]] bool resolve_abbreviation(Civil& civil) const;
  TimeReading resolve(Civil civil);
  TimeReading judge(std::int64_t seconds, std::int32_t nanoseconds) const;

  TimestampOptions options_;
  TimestampCounts counts_;
  std::int64_t earliest_;
  std::int64_t latest_;
  bool utc_;
  Zone::LocalStretch stretch_{};
  bool has_stretch_ = false;
};

/// The format that reads the most of `samples` (missing cells left out), or nullopt when none
/// reads at least half of them. Numbers are epochs, their unit told by their magnitude, but
/// whole numbers from 1000 to 2999 are years, and those of 8, 12, 14 or 17 digits that are dates
/// and clocks are that. Of dates in numbers, the year's place is found; whether day or month comes
/// first is for the whole column to prove: see decide_date_order. Cost: each sample is read in
/// each format.
[[nodiscard]] std::optional<TimeFormat> find_time_format(std::span<const std::string> samples);

/// Whether a text is enough of a time to be read as one among times of another format: one with a
/// whole date, or an epoch of nine digits or more.
[[nodiscard]] bool is_telling(std::string_view text, const TimeFormat& format);

/// What a column of dates in numbers says of their order.
struct DateOrderDecision {
  DateOrder order = DateOrder::dmy;
  bool ambiguous = false;           ///< another order fits as many, and some dates differ
  std::optional<DateOrder> also{};  ///< the rest is of this order, and no date is of both
};
DateOrderDecision decide_date_order(const TimestampCounts& counts, DateOrder found);

/// What a column of epochs says of their unit: the kinds epoch_s to epoch_ns.
struct EpochUnitDecision {
  TimeFormat::Kind unit = TimeFormat::Kind::epoch_s;
  std::optional<TimeFormat::Kind> also{};  ///< a second unit, a hundred times apart or more
};
EpochUnitDecision decide_epoch_unit(const TimestampCounts& counts, TimeFormat::Kind found);

/// Reads one time given as an option: ISO 8601, in `zone` when it has no offset.
/// Throws Error when it is none.
[[nodiscard]] Instant read_instant(std::string_view text, const Zone& zone);

}  // namespace v1
}  // namespace zerobeat
