/// Timestamps: text read as instants, and judged.
///
/// A reader is made for a column, once its shape is known or found; it then
/// reads one cell after another and says of each what it is worth. A reader
/// remembers the last date and the last stretch of local time that it met, so
/// each thread has its own.

#pragma once

#include <array>
#include <cstdint>
#include <memory>
#include <optional>
#include <span>
#include <string>
#include <string_view>
#include <zerobeat/time/instant.hpp>
#include <zerobeat/time/zone.hpp>

namespace zerobeat {

namespace detail {
class IsoLayout;
}

/// The order of day, month and year in dates like 03/04/2025.
enum class DateOrder { dmy, mdy, ymd };
constexpr auto enum_words(DateOrder) {
  return std::array<std::string_view, 3>{"dmy", "mdy", "ymd"};
}

/// What to do with a local time that happens twice.
enum class Repeated { earlier, later, order, reject };
constexpr auto enum_words(Repeated) {
  return std::array<std::string_view, 4>{"earlier", "later", "order", "reject"};
}

/// What to do with a local time that never happens.
enum class Skipped { forward, reject };
constexpr auto enum_words(Skipped) { return std::array<std::string_view, 2>{"forward", "reject"}; }

/// How the text of a time column is laid out.
struct TimeFormat {
  enum class Kind { automatic, iso, epoch_s, epoch_ms, epoch_us, epoch_ns, dated, pattern };

  Kind kind = Kind::automatic;
  DateOrder order = DateOrder::dmy;  ///< when kind is dated: dates in numbers, then a clock
  std::string pattern{};             ///< when kind is pattern: a strptime pattern

  friend bool operator==(const TimeFormat&, const TimeFormat&) = default;
};

/// Reads `auto`, `iso`, `epoch-s`, `epoch-ms`, `epoch-us`, `epoch-ns`, or a pattern with `%`.
void from_text(std::string_view text, TimeFormat& out);
std::string to_text(const TimeFormat& format);

/// What a cell of the time column turned out to be.
enum class TimeVerdict : std::uint8_t {
  ok,
  unreadable,    ///< not of the format
  impossible,    ///< of the format, but there is no such time: 30 February, 25:00
  repeated,      ///< a local time that happens twice, and was to be rejected
  skipped,       ///< a local time that never happens, and was to be rejected
  out_of_range,  ///< outside the range of Instant, or of `earliest` and `latest`
  undecided,     ///< a local time that happens twice; the order of the records decides
};

/// How times are read.
struct TimestampOptions {
  TimeFormat format{};  ///< not automatic: see find_time_format
  Zone zone{};          ///< local times are its times
  Repeated repeated = Repeated::reject;
  Skipped skipped = Skipped::reject;
  std::optional<Instant> earliest{};  ///< inclusive
  std::optional<Instant> latest{};    ///< inclusive
};

/// One cell, read.
struct TimeReading {
  Instant instant{};  ///< set when the verdict is ok or undecided (then the earlier one)
  TimeVerdict verdict = TimeVerdict::unreadable;
  Nanoseconds later_by{0};  ///< undecided: from the earlier instant to the later one
};

/// What a reader has met, for findings.
struct TimestampCounts {
  std::int64_t digits_cut = 0;   ///< more than nine digits of the second
  std::int64_t with_offset = 0;  ///< the offset stood in the text
  std::int64_t without_offset = 0;
  std::int64_t only_day_first = 0;    ///< dates that can only be day first: 25/10/2025
  std::int64_t only_month_first = 0;  ///< dates that can only be month first: 10/25/2025
  std::int64_t either_order = 0;      ///< dates that are another day when read the other way
};

/// Reads the cells of one time column.
///
/// ISO 8601: extended and basic date-times, dates, weeks, ordinals, months, quarters (2025-Q3)
/// and years, with `T`, `t` or a space, a fraction after `.` or `,`, an offset `Z`, `z`, `±hh`,
/// `±hhmm`, `±hh:mm`, and 24:00. Epochs: whole or decimal, negative too. Dated: d/m/y, m/d/y or
/// y/m/d with `/`, `-`, `.` or spaces, two-digit years as POSIX %y, an optional clock of 24 or
/// 12 hours. Patterns: strptime's, with `%f` for a fraction and `%z` for an offset. A leap
/// second (:60) is impossible: instants have none. Spaces around the text are passed over.
class TimestampReader {
 public:
  explicit TimestampReader(const TimestampOptions& options);

  /// Cost: for ISO and epochs a few loads and compares; nothing is allocated.
  TimeReading read(std::string_view text);

  const TimestampCounts& counts() const { return counts_; }
  const TimestampOptions& options() const { return options_; }

  /// What a text says, before a zone makes an instant of it.
  struct Civil {
    std::int64_t seconds = 0;  ///< since 1970-01-01T00:00:00, as written
    std::int32_t nanoseconds = 0;
    std::int32_t offset = 0;  ///< seconds; what was written
    bool has_offset = false;
    bool digits_cut = false;
  };

 private:
  TimeVerdict read_civil(std::string_view text, Civil& civil);
  TimeVerdict read_iso(std::string_view text, Civil& civil);
  TimeReading resolve(const Civil& civil);
  TimeReading judge(std::int64_t seconds, std::int32_t nanoseconds) const;

  TimestampOptions options_;
  TimestampCounts counts_;
  std::int64_t earliest_;
  std::int64_t latest_;
  bool utc_;
  std::shared_ptr<detail::IsoLayout> layout_;
  Zone::LocalStretch stretch_{};
  bool has_stretch_ = false;
};

/// The format that reads the most of `samples` (missing cells left out), or nullopt when none
/// reads at least half of them. Numbers are epochs, their unit told by their magnitude, but
/// whole numbers from 1000 to 2999 are years. Of dates in numbers, the year's place is found;
/// whether day or month comes first is for the whole column to prove (see TimestampCounts).
std::optional<TimeFormat> find_time_format(std::span<const std::string> samples);

/// Reads one time given as an option: ISO 8601, in `zone` when it has no offset.
/// Throws Error when it is none.
Instant read_instant(std::string_view text, const Zone& zone);

}  // namespace zerobeat
