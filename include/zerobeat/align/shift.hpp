/// Shifting: the times of a timeline moved, set right for a drift, or counted from an event.
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
#include <zerobeat/expression/expression.hpp>
#include <zerobeat/table/made.hpp>
#include <zerobeat/table/reach.hpp>
#include <zerobeat/table/timeline.hpp>
#include <zerobeat/time/moment.hpp>
#include <zerobeat/time/period.hpp>

namespace zerobeat {
inline namespace ZEROBEAT_API v1 {

/// How far times are moved: a period ahead, or back.
struct Offset {
  Period length{};
  bool back = false;

  friend bool operator==(const Offset&, const Offset&) = default;
};

/// Reads "90s", or "-1h" for back.
void from_text(std::string_view text, Offset& out);
[[nodiscard]] std::string to_text(const Offset& offset);

struct Shift {
  static constexpr std::string_view name = "shift";
  static constexpr std::string_view help = "times moved, or counted from an event";
  static constexpr std::string_view example =
      "shift tide_gauge.csv --tolerate 1% --to-event 'level_m > 4' --unit h";

  enum class Unit { s, min, h, d };

  std::optional<Offset> by{};     ///< later by this; earlier when it is back
  std::optional<double> drift{};  ///< parts in a million that the times gain, counted from `at`
  std::optional<Moment> at{};     ///< the instant that a drift leaves where it is
  Expression to_event{};          ///< or: elapsed since the first row at which this holds
  Unit unit = Unit::s;            ///< of the elapsed times

  friend bool operator==(const Shift&, const Shift&) = default;
};

[[nodiscard]] constexpr auto enum_words(Shift::Unit) {
  return std::array<std::string_view, 4>{"s", "min", "h", "d"};
}

template <typename Visitor, OptionsOf<Shift> O>
void fields(Visitor&& visit, O& o) {
  visit("by", o.by, "PERIOD", "later by this, or earlier: -1h; days and longer go by the calendar");
  visit("drift", o.drift, "PPM", "parts in a million that times gain from ‹at› on");
  visit("at", o.at, "T", "the instant that ‹drift› leaves where it is");
  visit("to-event", o.to_event, "CONDITION",
        "or: times elapsed since each strand's first row at which it holds");
  visit("unit", o.unit, choices(o.unit), "of ‹to_event›");
}

/// Returns `timeline` with other times: t + by + drift · 10⁻⁶ · (t − at), to the nearest
/// nanosecond. A period of the calendar moves what the clocks show: a day that a month lacks is its
/// last, a time that the zone skips is read with the offset before the jump, of one that it repeats
/// the earlier. Rows that this turns round are put in order again, those of one time as they were.
///
/// With `to_event` the times are those elapsed since the strand's first row at which the condition
/// holds, before it negative, on an elapsed axis. Strands in which it never holds are left out, and
/// the account names them.
///
/// Cost: a pass over the times; columns are shared, unless rows change places or strands are left
/// out. Throws Error when nothing is asked, when a drift has no `at` or is −10⁶ or less, when
/// `to_event` goes with others, or when a time would leave the range of Instant.
[[nodiscard]] Timeline shift(const Timeline& timeline, const Shift& options);

/// Of a row's own time; with `to_event` the whole strand on both sides.
[[nodiscard]] Reach reach(const Shift& options);

inline Timeline operator|(const Timeline& timeline, const Shift& step) {
  return shift(timeline, step);
}

}  // namespace v1
}  // namespace zerobeat
