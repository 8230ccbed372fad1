/// Demands: what a timeline has to be like for a run to go on.
///
/// Threads may call these at the same time, on the same timelines.

#pragma once

#include <cstdint>
#include <optional>
#include <span>
#include <string>
#include <string_view>
#include <vector>
#include <zerobeat/base/bounds.hpp>
#include <zerobeat/base/export.hpp>
#include <zerobeat/base/option.hpp>
#include <zerobeat/base/share.hpp>
#include <zerobeat/expression/expression.hpp>
#include <zerobeat/table/made.hpp>
#include <zerobeat/table/reach.hpp>
#include <zerobeat/table/timeline.hpp>
#include <zerobeat/time/moment.hpp>
#include <zerobeat/time/period.hpp>

namespace zerobeat {
inline namespace ZEROBEAT_API v1 {

/// A number of things, at least and at most; both count as within.
struct CountRange {
  std::optional<std::int64_t> least{}, most{};

  friend bool operator==(const CountRange&, const CountRange&) = default;
};

template <>
inline constexpr bool takes_numbers<CountRange> = true;

/// Reads "12", "12..", "..12" or "12..20". Throws Error when it is none, or the first is greater.
void from_text(std::string_view text, CountRange& out);
[[nodiscard]] std::string to_text(const CountRange& range);

/// The readings that a column may have; both bounds count as within.
struct ColumnRange {
  std::string column{};
  Bounds bounds{};

  friend bool operator==(const ColumnRange&, const ColumnRange&) = default;
};

template <>
inline constexpr bool may_repeat<std::vector<ColumnRange>> = true;

/// Reads "level_m:0,5", several with commas between; either side may be empty.
void from_text(std::string_view text, std::vector<ColumnRange>& out);
[[nodiscard]] std::string to_text(const std::vector<ColumnRange>& ranges);

struct Expect {
  static constexpr std::string_view name = "expect";
  static constexpr std::string_view help = "demands: when one is not met, nothing is written";
  static constexpr std::string_view example =
      "expect tide_gauge.csv --tolerate 1% --rows 2000.. --max-gap 7h --range level_m:-2,6";

  std::optional<CountRange> rows{};     ///< of each strand
  std::optional<CountRange> strands{};  ///< how many there are
  std::vector<std::string> keys{};      ///< these strands are there
  std::optional<Period> regular{};      ///< each record follows the one before by this
  std::optional<Period> max_gap{};      ///< the longest step between two records
  std::optional<double> coverage{};     ///< the least share of a strand's span without gaps
  std::optional<Moment> starts_by{};    ///< each strand has a record by then
  std::optional<Moment> ends_after{};   ///< each strand has a record then or later
  std::optional<Period> fresh{};        ///< how old the last record may be, by the wall's clock
  std::optional<double> missing{};      ///< the greatest share of missing readings of a column
  std::vector<std::string> on{};        ///< the columns of `missing`; empty: all
  std::vector<ColumnRange> range{};     ///< what a column's readings may be
  Expression where{};                   ///< holds at every row; missing does not count
  bool unique = false;                  ///< no two records of a strand have one time
  bool warn = false;                    ///< tell what is not met, and go on

  friend bool operator==(const Expect&, const Expect&) = default;
};

template <typename Visitor, OptionsOf<Expect> O>
void fields(Visitor&& visit, O& o) {
  visit("rows", o.rows, "RANGE", "how many each strand has: N, N.., ..N or N..M");
  visit("strands", o.strands, "RANGE", "how many strands there are");
  visit("keys", o.keys, "A,B", "these strands are there");
  visit("regular", o.regular, "PERIOD", "each record follows the one before it by this");
  visit("max-gap", o.max_gap, "PERIOD", "no step between two records is longer");
  visit("coverage", share_field(o.coverage), "SHARE",
        "at least so much of a strand's span lies in no gap, as gaps tells it");
  visit("starts-by", o.starts_by, "T", "each strand has a record by then");
  visit("ends-after", o.ends_after, "T", "each strand has a record then or later");
  visit("fresh", o.fresh, "PERIOD", "the last record is at most so old by the wall's clock");
  visit("missing", share_field(o.missing), "SHARE",
        "at most so many readings of each column of ‹on› are missing");
  visit("on", o.on, "A,B", "the columns of ‹missing›; unset: every column");
  visit("range", o.range, "COLUMN:LO,HI",
        "a column's readings lie within; either side may be empty; may be given again");
  visit("where", o.where, "CONDITION", "it holds at every row; missing does not count");
  visit("unique", o.unique, "", "no two records of a strand have one time");
  visit("warn", o.warn, "", "tell what is not met in the account, and go on");
}

/// Returns `timeline` as it is, when it meets all that is demanded; the account has a line for each
/// demand. A bound counts as met.
///
/// Without a strand, and without a key, there is one of no rows. A strand without a record is
/// neither fresh nor does it start or end.
///
/// Cost: a pass over the times and over each column that is named.
/// Throws one Error of kind limit with all that is not met: strand, column, time, and by how much;
/// Error of kind usage when nothing is demanded, a column is absent or not numeric, or a period
/// does not go with the axis.
[[nodiscard]] Timeline expect(const Timeline& timeline, const Expect& options);

/// Nothing but the row: no row is other for what another one is.
[[nodiscard]] inline Reach reach(const Expect&) { return {}; }

inline Timeline operator|(const Timeline& timeline, const Expect& step) {
  return expect(timeline, step);
}

}  // namespace v1
}  // namespace zerobeat
