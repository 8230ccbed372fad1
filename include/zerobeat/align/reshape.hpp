/// Reshaping: keys side by side as columns, and columns one below the other as keys.
///
/// Threads may call these at the same time, on the same timelines.

#pragma once

#include <array>
#include <optional>
#include <string>
#include <string_view>
#include <vector>
#include <zerobeat/base/export.hpp>
#include <zerobeat/base/option.hpp>
#include <zerobeat/judge/records.hpp>
#include <zerobeat/table/reach.hpp>
#include <zerobeat/table/timeline.hpp>
#include <zerobeat/time/timestamp.hpp>

namespace zerobeat {
inline namespace ZEROBEAT_API v1 {

struct Reshape {
  static constexpr std::string_view name = "reshape";
  static constexpr std::string_view help = "keys into columns (wide), columns into keys (long)";
  static constexpr std::string_view example = "reshape ice_store.csv --key probe --into wide";

  enum class Into { wide, long_rows };

  Into into = Into::wide;            ///< a column for each key, or a row for each column
  std::vector<std::string> on{};     ///< which columns; empty: wide: all, long: the numeric ones
  std::string key_name = "series";   ///< long: what the new key is called
  std::string value_name = "value";  ///< long: what the column of readings is called

  friend bool operator==(const Reshape&, const Reshape&) = default;
};

[[nodiscard]] constexpr auto enum_words(Reshape::Into) {
  return std::array<std::string_view, 2>{"wide", "long"};
}

template <typename Visitor, OptionsOf<Reshape> O>
void fields(Visitor&& visit, O& o) {
  visit("into", o.into, choices(o.into),
        "wide: a column for each key; long: a strand for each column, or a time for each column "
        "whose name is one");
  visit("on", o.on, "COLUMNS", "which columns; unset: wide, all; long, the numeric ones");
  visit("key-name", o.key_name, "NAME", "long: what the new key is called");
  visit("value-name", o.value_name, "NAME", "long: what the column of readings is called");
}

/// Returns `timeline` wide or long.
///
/// wide: one strand without a key, a row for each instant that any strand has, and for each column
/// and key a column `COLUMN_KEY`; of a timeline of one column, `KEY` alone. Where a strand has
/// several rows of one instant, its n-th is in that instant's n-th row, so that none is lost.
/// long: the strands of each column one below the other, with its name for a key (of a timeline
/// with keys, `KEY COLUMN`), in one column of readings; integers and numbers become numbers.
///
/// Cost: one pass, and for wide a merge of the strands. Throws Error when there is no key to make
/// wide, or no column to make long, or those are not of one type.
[[nodiscard]] Timeline reshape(const Timeline& timeline, const Reshape& options);

/// None: every row is of its own instant.
[[nodiscard]] Reach reach(const Reshape& options);

/// Whether half or more of these names of columns read as times.
[[nodiscard]] bool has_times_for_columns(const std::vector<std::string>& names,
                                         const TimestampOptions& reading,
                                         std::optional<DateOrder> date_order = {});

/// Records whose columns are times, made long: a row for each record and each column whose name
/// reads as a time. The key is the records', else the first column of texts; what other columns
/// there are is repeated. `records` carry no time of their own (ReadOptions::untimed). Throws Error
/// of kind input when no column's name reads as a time, one can't be a time though it is
/// written like one, day and month can't be told apart, two are of one time, or such a column holds
/// no numbers; of kind usage when two columns would have one name.
[[nodiscard]] Timeline columns_as_times(const Records& records, const Reshape& options,
                                        const TimestampOptions& reading,
                                        std::optional<DateOrder> date_order = {});

inline Timeline operator|(const Timeline& timeline, const Reshape& step) {
  return reshape(timeline, step);
}

}  // namespace v1
}  // namespace zerobeat
