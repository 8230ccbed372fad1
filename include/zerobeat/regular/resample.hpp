/// Resampling: irregular records made regular buckets.
///
/// Threads may call these at the same time, on the same timelines.

#pragma once

#include <array>
#include <initializer_list>
#include <optional>
#include <span>
#include <string>
#include <string_view>
#include <variant>
#include <vector>
#include <zerobeat/base/export.hpp>
#include <zerobeat/base/option.hpp>
#include <zerobeat/base/share.hpp>
#include <zerobeat/table/made.hpp>
#include <zerobeat/table/reach.hpp>
#include <zerobeat/table/stretches.hpp>
#include <zerobeat/table/timeline.hpp>
#include <zerobeat/take/take.hpp>
#include <zerobeat/time/calendar.hpp>
#include <zerobeat/time/grid.hpp>
#include <zerobeat/time/moment.hpp>
#include <zerobeat/time/period.hpp>
#include <zerobeat/time/working_days.hpp>

namespace zerobeat {
inline namespace ZEROBEAT_API v1 {

/// The length of a bucket; or of several levels of them, like years, quarters and months.
struct Every {
  std::vector<Period> levels{};

  Every() = default;
  Every(const Period& period) : levels{period} {}            // NOLINT: meant to convert
  Every(std::initializer_list<Period> all) : levels(all) {}  // NOLINT
  template <typename Rep, typename Ratio>
  Every(std::chrono::duration<Rep, Ratio> length) : levels{Period(length)} {}  // NOLINT
  /// Reads text as from_text() does.
  Every(const char* text);         // NOLINT
  Every(const std::string& text);  // NOLINT

  friend bool operator==(const Every&, const Every&) = default;
};

template <>
inline constexpr bool takes_lists<Every> = true;

/// Reads "15min", or "1year,1quarter,1month".
void from_text(std::string_view text, Every& out);
[[nodiscard]] std::string to_text(const Every& every);

/// So much of a column: `kg:1000`.
struct Amount {
  std::string column{};
  double size = 0;

  friend bool operator==(const Amount&, const Amount&) = default;
};

/// Reads "kg:1000". Throws Error when the size is not above zero.
void from_text(std::string_view text, Amount& out);
[[nodiscard]] std::string to_text(const Amount& amount);

/// So many equal buckets over the span of all strands.
struct EqualBuckets {
  std::int64_t number = 0;
  friend bool operator==(const EqualBuckets&, const EqualBuckets&) = default;
};

/// Buckets of so many records.
struct ByCount {
  std::int64_t records = 0;
  friend bool operator==(const ByCount&, const ByCount&) = default;
};

/// Buckets of as many records as bring a column's sum to this.
struct BySum {
  Amount amount{};
  friend bool operator==(const BySum&, const BySum&) = default;
};

/// Buckets of a column's values; see profile().
struct ByValue {
  Amount amount{};
  friend bool operator==(const ByValue&, const ByValue&) = default;
};

inline void from_text(std::string_view text, EqualBuckets& out) { from_text(text, out.number); }
[[nodiscard]] inline std::string to_text(const EqualBuckets& equal_buckets) {
  return to_text(equal_buckets.number);
}
inline void from_text(std::string_view text, ByCount& out) { from_text(text, out.records); }
[[nodiscard]] inline std::string to_text(const ByCount& by_count) {
  return to_text(by_count.records);
}
inline void from_text(std::string_view text, BySum& out) { from_text(text, out.amount); }
[[nodiscard]] inline std::string to_text(const BySum& by_sum) { return to_text(by_sum.amount); }
inline void from_text(std::string_view text, ByValue& out) { from_text(text, out.amount); }
[[nodiscard]] inline std::string to_text(const ByValue& by_value) {
  return to_text(by_value.amount);
}

template <>
inline constexpr bool takes_whole_numbers<EqualBuckets> = true;
template <>
inline constexpr bool takes_whole_numbers<ByCount> = true;

/// What closes a bucket: one of these; nothing stands for none given.
using Bucketing = std::variant<std::monostate, Every, EqualBuckets, ByCount, BySum, ByValue>;

/// Which buckets have rows: of each strand from its first record to its last; from the first record
/// of all strands to the last; or those that [from, to) meets, as written, either of which may be
/// empty and is then as for all.
struct BucketSpan {
  enum class Kind { own, all, range };

  Kind kind = Kind::own;
  std::string from{}, to{};

  friend bool operator==(const BucketSpan&, const BucketSpan&) = default;
};

template <>
inline constexpr bool takes_lists<BucketSpan> = true;

/// Reads "own", "all" or "2025-10-20T08:00,2025-10-20T18:00".
void from_text(std::string_view text, BucketSpan& out);
[[nodiscard]] std::string to_text(const BucketSpan& span);

struct Resample {
  static constexpr std::string_view name = "resample";
  static constexpr std::string_view help = "regular buckets";
  static constexpr std::string_view example =
      "resample tide_gauge.csv --tolerate 1% --every 15min --take 'level=mean(level_m)'";
  static constexpr TakenBy takes = TakenBy::buckets;
  static constexpr Inputs inputs{1, Inputs::any};

  enum class RowAt { start, middle, end };
  enum class Edge { start, end };
  enum class Empty { keep, skip };
  enum class Partial { keep, drop, mark };

  static constexpr std::string_view ways =
      "resample takes one of ‹every› PERIOD, ‹buckets› N, ‹by_count› N, ‹by_sum› and ‹by_value›";

  Bucketing every{};                        ///< what closes a bucket: 15min, ByCount{500}
  std::vector<Take> take{};                 ///< empty: the mean of every numeric column
  std::optional<Moment> anchor{};           ///< an edge of the grid
  std::optional<WeekStart> week_starts{};   ///< unset: Monday
  std::optional<Hours> hours{};             ///< sessions: only what is within these hours
  WorkingDays days{};                       ///< which days are worked; see working_days()
  BucketSpan span{};                        ///< which buckets have rows
  RowAt row_at = RowAt::start;              ///< which instant of a bucket its row has
  Edge edge = Edge::start;                  ///< which of its edges a bucket holds
  Empty empty = Empty::keep;                ///< a bucket without records: a missing row, or none
  Partial partial = Partial::keep;          ///< buckets that the strand does not wholly cover
  std::optional<std::int64_t> min_count{};  ///< fewer readings make the take missing
  std::optional<double> min_coverage{};     ///< a smaller share covered makes the take missing

  friend bool operator==(const Resample&, const Resample&) = default;
};

[[nodiscard]] constexpr auto enum_words(Resample::RowAt) {
  return std::array<std::string_view, 3>{"start", "middle", "end"};
}
[[nodiscard]] constexpr auto enum_words(Resample::Edge) {
  return std::array<std::string_view, 2>{"start", "end"};
}
[[nodiscard]] constexpr auto enum_words(Resample::Empty) {
  return std::array<std::string_view, 2>{"keep", "skip"};
}
[[nodiscard]] constexpr auto enum_words(Resample::Partial) {
  return std::array<std::string_view, 3>{"keep", "drop", "mark"};
}

inline void read_inputs(Resample& options, const InputReader& reader) {
  read_working_days(options, reader);
}

template <typename Visitor, OptionsOf<Resample> O>
void fields(Visitor&& visit, O& o) {
  visit("every", way<Every>(o.every, Resample::ways), "PERIOD",
        "the length of a bucket, like 15min, 1h or 1d; several, like 1year,1quarter,1month: a "
        "column level");
  visit("buckets", way<EqualBuckets>(o.every, Resample::ways), "N",
        "or: so many equal buckets over the span of all strands");
  visit("by-count", way<ByCount>(o.every, Resample::ways), "N", "or: buckets of so many records");
  visit("by-sum", way<BySum>(o.every, Resample::ways), "COLUMN:SUM",
        "or: a bucket closes with the record that brings the column's sum to this");
  visit("by-value", way<ByValue>(o.every, Resample::ways), "COLUMN:SIZE",
        "or: buckets of a column's values; rows go by value, not by time");
  visit("take", o.take, "TAKES", "statistics, like mean(level_m); unset: mean");
  visit("anchor", o.anchor, "T", "an edge of the grid");
  visit("week-starts", o.week_starts, "mon|tue|wed|thu|fri|sat|sun",
        "the first day of a week; unset: mon");
  visit("hours", o.hours, "HH:MM-HH:MM",
        "sessions by the zone's clocks: buckets lie within them, records outside are left out");
  fields(visit, o.days);
  visit("span", o.span, "own|all|FROM,TO",
        "which buckets have rows: from a strand's first record to its last, or all strands', or of "
        "every strand those of a range of time; records outside make none");
  visit("row-at", o.row_at, choices(o.row_at), "which instant of a bucket its row has");
  visit("edge", o.edge, choices(o.edge), "which of its edges a bucket holds");
  visit("empty", o.empty, choices(o.empty), "a bucket without records: a missing row, or none");
  visit("partial", o.partial, choices(o.partial),
        "buckets that the strand does not wholly cover; mark: a boolean column partial");
  visit("min-count", o.min_count, "N", "fewer readings make the take missing");
  visit("min-coverage", share_field(o.min_coverage), "SHARE",
        "the take is missing when less of the bucket lies within a typical step after a reading");
}

/// Returns a row for each bucket of each strand, from the strand's first bucket to its last:
/// time, key and takes.
///
/// A bucket is wholly covered when no part of it beyond one typical step lies before the strand's
/// first record or after its last. Statistics skip missing readings; of nothing, count, distinct
/// and missing are 0, all else is missing. min_count and min_coverage make any take of a column
/// missing; count() counts records, and is never missing.
///
/// Several levels: the rows of all of them, by time and of one time the longest first, and a text
/// column `level`. By count and by sum, a bucket runs from its first record to the first of the
/// next, and its row at the end has its last record's time; the last one is partial when it is
/// short. With hours, records outside them belong to no bucket; the account says how many.
///
/// Sums of integers are exact, and become numbers when one does not fit; others are compensated
/// (Knuth's two-sum, in eight lanes). Variance is by the corrected two-pass method (Chan, Golub,
/// LeVeque 1983). Quantiles are exact, by selection. twmean, integral and duration let a reading
/// stand until the strand's next one, the last for one typical step; joined by lines, the last
/// has no line after it. A reading before the bucket counts into it by the time that it stands
/// there. Records with a negative weight are left out of a wmean; the account says how many.
///
/// Cost: one pass over the times and one over each column; of quantiles and mad, a copy besides.
/// Throws Error when the grid can't be (see Grid), would have more than 10^9 buckets, or a take
/// is not a statistic of buckets, or the buckets are by value (see profile()).
[[nodiscard]] Timeline resample(const Timeline& timeline, const Resample& options);

/// The same of a timeline that comes stretch by stretch: of one length of buckets from each
/// strand's first record to its last, and takes that are of a bucket's own readings. Of all else
/// unset. What is held in memory is the stretch, the rows of each strand's last bucket, and the
/// result.
[[nodiscard]] std::optional<StretchWork> begin_stretches(const Resample& options);

/// The columns that are read of a timeline of that name; nullopt: every numeric one.
[[nodiscard]] std::optional<std::vector<std::string>> columns_needed(const Resample& options,
                                                                     std::string_view source);

/// Whether a table comes of it: buckets of values have no time.
[[nodiscard]] inline bool makes_table(const Resample& options) {
  return std::holds_alternative<ByValue>(options.every);
}

/// Ahead by the bucket when its row is at its start: then the row at t holds later readings. An
/// empty bucket is kept because later records come, so under Empty::keep the whole strand lies
/// ahead.
[[nodiscard]] Reach reach(const Resample& options);

inline Timeline operator|(const Timeline& timeline, const Resample& step) {
  return resample(timeline, step);
}

}  // namespace v1
}  // namespace zerobeat
