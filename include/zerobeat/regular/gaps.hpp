/// Gaps: where records and readings are missing.
///
/// Threads may call these at the same time, on the same timelines.

#pragma once

#include <string>
#include <string_view>
#include <vector>
#include <zerobeat/base/export.hpp>
#include <zerobeat/base/option.hpp>
#include <zerobeat/regular/profile.hpp>
#include <zerobeat/table/made.hpp>
#include <zerobeat/table/reach.hpp>
#include <zerobeat/table/timeline.hpp>
#include <zerobeat/time/grid.hpp>

namespace zerobeat {
inline namespace ZEROBEAT_API v1 {

struct Gaps {
  static constexpr std::string_view name = "gaps";
  static constexpr std::string_view help = "where records and readings are missing";
  static constexpr std::string_view example = "gaps tide_gauge.csv --tolerate 1% --on level_m";

  std::vector<std::string> on{};  ///< empty: every column
  double gap_factor = 3;          ///< a gap of records is a step longer than so many typical ones
  std::vector<Part> by{};         ///< instead of a list: how much is missing in each

  friend bool operator==(const Gaps&, const Gaps&) = default;
};

template <typename Visitor, OptionsOf<Gaps> O>
void fields(Visitor&& visit, O& o) {
  visit("on", o.on, "A,B", "columns whose missing readings are told; unset: every column");
  visit("gap-factor", o.gap_factor, "X",
        "a gap of records is a step longer than so many typical ones");
  visit("by", o.by, "PARTS",
        "instead: how much is missing in each part of the calendar, like year,month, or date");
}

/// One gap of a strand: of records when `column` is empty, else a run of a column's missing
/// readings.
struct GapFound {
  std::size_t strand = 0;  ///< its place among the strands
  std::string column{};
  Instant from{}, to{};   ///< the reading before and the one after; at an end the first or last row
  std::int64_t rows = 0;  ///< that are missing: of records, about how many
};

/// The gaps of a timeline, strand by strand: first those of its records, steps longer than
/// gap_factor typical ones, whatever `on` says, then column by column its runs of missing readings.
/// Cost: a pass over the times and over each column's validity.
[[nodiscard]] std::vector<GapFound> find_gaps(const Timeline& timeline, const Gaps& options = {});

/// Where a strand has nothing: from a typical step after a reading of the column (null: a record)
/// to the next one, wherever readings or records are missing between; in order.
[[nodiscard]] std::vector<TimeSpan> missing_spans(const Timeline& timeline, std::size_t strand,
                                                  const Column* column, double gap_factor = 3);

/// They as a table: the key, when there is one, `column` (missing for records), `from`, `to`,
/// `length_s`, `rows`.
///
/// With `by`, a row instead for each strand, each part (or crossing of parts) that its span meets,
/// and records (column missing) and each column: the parts, `column`, `missing_s` and
/// `missing_share`. Missing is from a typical step after the last reading to the next one, and a
/// gap of records is one of every column; the share is of the strand's span within the part.
///
/// The account says how many gaps there are, how long they are (shortest, median, mean, longest),
/// which share of the span is covered, and how many gaps are the time between sessions
/// (rhythm.hpp). Throws Error when a column is absent, the factor is not above 0, or parts go with
/// elapsed times or are of a column's values.
[[nodiscard]] TableResult gaps(const Timeline& timeline, const Gaps& options);

[[nodiscard]] inline Made apply(std::span<const Timeline> in, const Gaps& options) {
  return gaps(in[0], options);
}
[[nodiscard]] inline bool makes_table(const Gaps&) { return true; }
[[nodiscard]] std::optional<std::vector<std::string>> columns_needed(const Gaps& options,
                                                                     std::string_view source);

/// The whole strand on both sides.
[[nodiscard]] Reach reach(const Gaps& options);

}  // namespace v1
}  // namespace zerobeat
