/// Appending: the rows of several sources as those of one, and rows that come later.
///
/// Threads may call these at the same time, on the same timelines.

#pragma once

#include <optional>
#include <span>
#include <string>
#include <string_view>
#include <vector>
#include <zerobeat/base/export.hpp>
#include <zerobeat/base/option.hpp>
#include <zerobeat/table/made.hpp>
#include <zerobeat/table/reach.hpp>
#include <zerobeat/table/timeline.hpp>

namespace zerobeat {
inline namespace ZEROBEAT_API v1 {

struct Append {
  static constexpr std::string_view name = "append";
  static constexpr std::string_view help = "the rows of several sources as one";
  static constexpr std::string_view example =
      "append fish_auction.csv harbour_auction.csv --key-from venue --tolerate 5%";
  static constexpr Inputs inputs{2, Inputs::any};

  std::string key_from{};  ///< a key column that holds each source's name; empty: none

  friend bool operator==(const Append&, const Append&) = default;
};

template <typename Visitor, OptionsOf<Append> O>
void fields(Visitor&& visit, O& o) {
  visit("key-from", o.key_from, "NAME",
        "a key column of this name, before the others, that holds each source's name");
}

/// Returns the rows of all timelines, strand by strand in order of time; those of one time in the
/// order of the timelines.
///
/// Columns go together by name: one that a timeline lacks is missing there, and one without any
/// reading is of whatever type the others are. Whole numbers with numbers are numbers; other types
/// with one another are refused. The times are called, and the zone is, as the first's.
///
/// Cost: a copy of all; rows whose strands overlap are merged. The account says how many rows came
/// from each. Throws Error of kind usage when there is none, types, keys or axes differ, a column
/// has the name of the times or of a key, or there is a column called as `key_from` says.
[[nodiscard]] Timeline append(std::span<const Timeline> timelines, const Append& options);

[[nodiscard]] inline Made apply(std::span<const Timeline> in, const Append& options) {
  return append(in, options);
}

/// Nothing but the row.
[[nodiscard]] inline Reach reach(const Append&) { return {}; }

/// Returns `timeline` with the rows of `rows`, each in its strand and in order of time; those of
/// one time come after. Strands that are new follow the others. Both have the same columns and key,
/// in any order; whole numbers and numbers go together as numbers. The account has the sources of
/// both, and one entry for all rows that were appended one call after the other.
///
/// Cost: without a key, and when no row is earlier than the last one that is there, that of the
/// rows that are added, spread over many calls (see Column::appended()); else a copy of everything.
/// Throws Error of kind usage when columns, keys or axes differ.
[[nodiscard]] Timeline append(const Timeline& timeline, const Timeline& rows);

}  // namespace v1
}  // namespace zerobeat
