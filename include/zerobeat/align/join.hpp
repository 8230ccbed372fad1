/// Joining: several timelines brought onto one time axis.
///
/// Threads may call these at the same time, on the same timelines.

#pragma once

#include <array>
#include <optional>
#include <span>
#include <string_view>
#include <vector>
#include <zerobeat/base/export.hpp>
#include <zerobeat/base/option.hpp>
#include <zerobeat/table/made.hpp>
#include <zerobeat/table/reach.hpp>
#include <zerobeat/table/timeline.hpp>
#include <zerobeat/time/period.hpp>

namespace zerobeat {
inline namespace ZEROBEAT_API v1 {

struct Join {
  static constexpr std::string_view name = "join";
  static constexpr std::string_view help = "bring two or more sources onto one time axis";
  static constexpr std::string_view example =
      "join landings.csv tide_gauge.csv --tolerate 1% --match previous --tolerance 1h";
  static constexpr Inputs inputs{2, Inputs::any};

  enum class Match { previous, earlier, exact, next, nearest, linear };
  enum class Keep { left, both, all };

  Match match = Match::previous;      ///< which right record goes with a left row
  std::optional<Period> tolerance{};  ///< how far it may lie from it, inclusive; unset: any way
  Keep keep = Keep::left;             ///< which rows the result has
  bool age = false;                   ///< add age_s: seconds from the matched record to the row

  friend bool operator==(const Join&, const Join&) = default;
};

[[nodiscard]] constexpr auto enum_words(Join::Match) {
  return std::array<std::string_view, 6>{"previous", "earlier", "exact",
                                         "next",     "nearest", "linear"};
}
[[nodiscard]] constexpr auto enum_words(Join::Keep) {
  return std::array<std::string_view, 3>{"left", "both", "all"};
}

template <typename Visitor, OptionsOf<Join> O>
void fields(Visitor&& visit, O& o) {
  visit("match", o.match, choices(o.match),
        "which right record goes with a left row; earlier: previous, and not at the same time; "
        "nearest: of equals the earlier");
  visit("tolerance", o.tolerance, "PERIOD", "how far it may lie from the row, inclusive");
  visit("keep", o.keep, choices(o.keep),
        "left: every left row; both: only matched ones; all: unmatched right records too");
  visit("age", o.age, "",
        "add age_s, the seconds from the matched record to the row (of several rights age_s_NAME)");
}

/// Returns the rows of `left` with the columns of each of `rights`, strand by strand.
///
/// Strands go together by key; a right timeline without a key goes with every strand. A match is
/// a record, whether its readings are missing or not; of several right records at one time the
/// last counts. `linear` reads between the record before and the record after, both within the
/// tolerance; a record at the very time is taken as it is, and a reading missing on either side
/// leaves the result missing. Under Keep::all a right record that no left row took anything from
/// has a row of its own, and the next right timeline is joined to it too; of one instant the left
/// row comes first. A column name that two sides have gets _NAME on every side, NAME being the
/// timeline's name. Of `linear`, the age is that of the record before.
///
/// The account says, for each right side, how many rows found a match and how many did not, how far
/// apart they are (the median and the largest), and how many right records were never used, those
/// of one time that do not count among them.
///
/// Cost: linear in the rows of all: both sides advance, and left columns are shared unless rows are
/// left out or added.
/// Throws Error when `left` has no key and a right one has, or it has one and a right one has none
/// under Keep::all; when no right is given, when names clash still, or when a column that is not
/// numeric would be read between.
[[nodiscard]] Timeline join(const Timeline& left, std::span<const Timeline> rights,
                            const Join& options = {});
[[nodiscard]] Timeline join(const Timeline& left, const Timeline& right, const Join& options = {});

/// Joins the timelines after the first to it.
[[nodiscard]] Made apply(std::span<const Timeline> in, const Join& options);

[[nodiscard]] Reach reach(const Join& options);

}  // namespace v1
}  // namespace zerobeat
