/// Selecting: the rows and the columns that are wanted.
///
/// A range of time is found by bisection in each strand; what calendar, keys and a condition say is
/// looked up row by row within it. What was left out is in the account, by which of the options.
///
/// Threads may call these at the same time, on the same timelines.

#pragma once

#include <optional>
#include <string>
#include <string_view>
#include <vector>
#include <zerobeat/base/export.hpp>
#include <zerobeat/base/option.hpp>
#include <zerobeat/expression/expression.hpp>
#include <zerobeat/table/made.hpp>
#include <zerobeat/table/reach.hpp>
#include <zerobeat/table/timeline.hpp>
#include <zerobeat/time/calendar.hpp>
#include <zerobeat/time/chosen_days.hpp>
#include <zerobeat/time/grid.hpp>
#include <zerobeat/time/working_days.hpp>

namespace zerobeat {
inline namespace ZEROBEAT_API v1 {

/// A range of time, `[from, to)`; either side may be open. Times as written, read in the timeline's
/// zone when they have no offset; a reduced date is its first instant. On an elapsed axis numbers
/// of its unit.
struct Between {
  std::string from{}, to{};

  friend bool operator==(const Between&, const Between&) = default;
};

template <>
inline constexpr bool takes_lists<Between> = true;

/// Reads "2025-10-20,2025-10-26T12:00" or "2025-10,". Throws Error when both sides are empty or one
/// is no time.
void from_text(std::string_view text, Between& out);
[[nodiscard]] std::string to_text(const Between& between);

/// A column that is wanted, and what it is called from there on.
struct ChosenColumn {
  std::string column{};
  std::string name{};  ///< empty: as before

  ChosenColumn() = default;
  ChosenColumn(std::string of) : column(std::move(of)) {}  // NOLINT: meant to convert
  ChosenColumn(const char* of) : column(of) {}             // NOLINT
  ChosenColumn(std::string of, std::string new_name)
      : column(std::move(of)), name(std::move(new_name)) {}

  [[nodiscard]] const std::string& new_name() const& { return name.empty() ? column : name; }
  friend bool operator==(const ChosenColumn&, const ChosenColumn&) = default;
};

/// Reads "level_m,h=level_m": names with commas between, each with a new one before it or none.
/// What stands in double quotes is a name, with = and all.
void from_text(std::string_view text, std::vector<ChosenColumn>& out);
[[nodiscard]] std::string to_text(const std::vector<ChosenColumn>& columns);

struct Select {
  static constexpr std::string_view name = "select";
  static constexpr std::string_view help = "the rows and columns that are wanted";
  static constexpr std::string_view example =
      "select tide_gauge.csv --tolerate 1% --between 2025-10-25,2025-10-27 --where 'level_m > 3'";

  std::optional<Between> between{};     ///< a range of time
  std::optional<Period> first{};        ///< from the first record of all strands on, [t, t + P)
  std::optional<Period> last{};         ///< to the last record of all strands, (t - P, t]
  std::optional<Hours> hours{};         ///< by the zone's clocks, half-open
  std::optional<Weekdays> weekdays{};   ///< by the zone's calendar
  std::optional<Months> months{};       ///< by the zone's calendar
  bool working = false;                 ///< working days alone
  WorkingDays days{};                   ///< which days are worked; see working_days()
  std::vector<std::string> keys{};      ///< only these strands; empty: all
  Expression where{};                   ///< rows at which it holds
  std::vector<ChosenColumn> columns{};  ///< only these, in this order; empty: all

  friend bool operator==(const Select&, const Select&) = default;
};

inline void read_inputs(Select& options, const InputReader& reader) {
  read_working_days(options, reader);
}

template <typename Visitor, OptionsOf<Select> O>
void fields(Visitor&& visit, O& o) {
  visit("between", o.between, "FROM,TO",
        "times from one, until before the other; either may be left out: 2025-10,");
  visit("first", o.first, "PERIOD", "so long from the first record of all strands on");
  visit("last", o.last, "PERIOD", "so long up to the last record of all strands");
  visit("hours", o.hours, "HH:MM-HH:MM",
        "by the zone's clocks, until before the second; past midnight too");
  visit("weekdays", o.weekdays, "DAYS", "like mon-fri,sun");
  visit("months", o.months, "MONTHS", "like 5-8,12");
  visit("working", o.working, "", "working days alone; unset ‹weekend›: sat,sun");
  fields(visit, o.days);
  visit("keys", o.keys, "A,B", "only these keys");
  visit("where", o.where, "CONDITION",
        "rows at which it holds, like 'level_m > 3.5 and hour() < 6'");
  visit("columns", o.columns, "A,NAME=B",
        "only these columns, in this order; with a new name, the time's and the key's, too");
}

/// Returns the rows of `timeline` at which all that is given holds, with the columns that are
/// named, under their new names; the times and the key are always there, and may be called anew.
/// The condition, which goes by the old names, may read columns that are not named. Strands of
/// which no row is left are gone; nothing left at all is a timeline of no rows.
///
/// Cost: the logarithm of a strand for a range of time; a pass over the rows of that range for
/// calendar and condition; a copy of what is kept. When all rows are, columns are shared.
/// Throws Error when a column or key is absent, the condition is none, or what goes by clocks or
/// calendar is asked of an elapsed axis.
[[nodiscard]] Timeline select(const Timeline& timeline, const Select& options);

[[nodiscard]] std::optional<std::vector<std::string>> columns_needed(const Select& options,
                                                                     std::string_view source);

/// The range of `between`, when rows outside of it make no difference: nothing else counts from the
/// first or to the last of them.
[[nodiscard]] std::optional<TimeRange> time_needed(const Select& options, const Zone& zone);

/// As far as the condition looks; `first` needs the strands' first records, and `last` looks ahead
/// to the last.
[[nodiscard]] Reach reach(const Select& options);

inline Timeline operator|(const Timeline& timeline, const Select& step) {
  return select(timeline, step);
}

}  // namespace v1
}  // namespace zerobeat
