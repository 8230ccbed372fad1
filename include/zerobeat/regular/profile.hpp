/// Profiles: statistics by part of the calendar, such as the hour of the day.
///
/// Threads may call these at the same time, on the same timelines.

#pragma once

#include <array>
#include <optional>
#include <span>
#include <string>
#include <string_view>
#include <vector>
#include <zerobeat/base/export.hpp>
#include <zerobeat/regular/resample.hpp>

namespace zerobeat {
inline namespace ZEROBEAT_API v1 {

/// What a profile goes by: a part of the calendar, or the buckets of a column's values.
struct Part {
  /// `date` is each day by itself, `day` the day of the month.
  enum class Kind { minute, hour, day, weekday, yearday, date, week, month, quarter, year, value };

  Kind kind = Kind::hour;
  Amount amount{};  ///< of value

  friend bool operator==(const Part&, const Part&) = default;
};

[[nodiscard]] constexpr auto enum_words(Part::Kind) {
  return std::array<std::string_view, 11>{"minute",  "hour", "day",  "weekday",
                                          "yearday", "date", "week", "month",
                                          "quarter", "year", "value"};
}

/// Reads "hour", "weekday" or, for buckets of values, "kg:25".
void from_text(std::string_view text, Part& out);
[[nodiscard]] std::string to_text(const Part& part);
void from_text(std::string_view text, std::vector<Part>& out);
[[nodiscard]] std::string to_text(const std::vector<Part>& parts);

struct Profile {
  static constexpr std::string_view name = "profile";
  static constexpr std::string_view help = "statistics by part of the calendar";
  static constexpr std::string_view example =
      "profile tide_gauge.csv --tolerate 1% --by hour --take 'mean(level_m)'";
  static constexpr TakenBy takes = TakenBy::profiles;

  std::vector<Part> by{};        ///< one, or several crossed; must be given
  std::vector<Take> take{};      ///< empty: the mean of every numeric column
  std::optional<Period> over{};  ///< each take in each such period, then their mean and spread
  std::optional<WeekStart> week_starts{};         ///< the first weekday of the rows; unset: Monday
  Resample::Empty empty = Resample::Empty::keep;  ///< parts without records: a missing row, or none

  friend bool operator==(const Profile&, const Profile&) = default;
};

template <typename Visitor, OptionsOf<Profile> O>
void fields(Visitor&& visit, O& o) {
  visit(
      "by", o.by, "PARTS",
      "minute, hour, day (of the month), weekday, yearday, date, week, month, quarter or year, or "
      "COLUMN:SIZE; two with a comma are crossed");
  visit("take", o.take, "TAKES", "statistics, like mean(level_m); unset: mean");
  visit("over", o.over, "PERIOD",
        "take them in each such period, as 1year; then their mean, std, min, max and n");
  visit("week-starts", o.week_starts, "mon|tue|wed|thu|fri|sat|sun",
        "the first weekday of the rows; unset: mon");
  visit("empty", o.empty, choices(o.empty), "parts without records: a missing row, or none");
}

/// A profile: rows by strand and part.
struct ProfileTable : TableResult {
  std::string name{};                ///< of the timeline
  Zone zone{};                       ///< of the timeline
  std::string key_name{};            ///< of the first column, a text; empty: there is no key
  std::vector<std::string> parts{};  ///< the columns that say which part; of values, their start
  std::vector<std::string> takes{};  ///< the columns of statistics
};

/// Returns a row for each part (or crossing of parts) of each strand, by the zone's clocks: the
/// minute of the hour (0 to 59), hour (0 to 23), day of the month, weekday (mon to sun), day of the
/// year, date (a text, 2025-10-20), ISO 8601 week, month, quarter, year; or buckets [n·size, (n +
/// 1)·size) of a column's values, with columns `COLUMN_from` and `COLUMN_to`.
///
/// Statistics are those of resample(), at() left out. twmean, integral and duration split a
/// standing reading where one part ends and the next begins; they, up and down, do not go with
/// values. With `over`, each is taken in each such period, and the row has the mean over the
/// periods that have it, and columns NAME_std, NAME_min, NAME_max and NAME_n.
///
/// Cost: a pass over the times, and one over each column that a take needs, whose rows are brought
/// together first. Throws Error when a part or a take can't be, or there would be more than 10^7
/// rows.
[[nodiscard]] ProfileTable profile(const Timeline& timeline, const Profile& options);

[[nodiscard]] Made apply(std::span<const Timeline> in, const Profile& options);
[[nodiscard]] inline bool makes_table(const Profile&) { return true; }
[[nodiscard]] std::optional<std::vector<std::string>> columns_needed(const Profile& options,
                                                                     std::string_view source);
/// The whole strand on both sides.
[[nodiscard]] Reach reach(const Profile& options);

}  // namespace v1
}  // namespace zerobeat
