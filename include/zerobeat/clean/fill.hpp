/// Filling gaps: readings put where there were none.
///
/// Filling never moves or removes a reading, and never touches a time. What it
/// put in is in the account, and, when asked for, in a flag column beside the
/// readings.

#pragma once

#include <array>
#include <optional>
#include <string>
#include <string_view>
#include <variant>
#include <vector>
#include <zerobeat/base/option.hpp>
#include <zerobeat/table/reach.hpp>
#include <zerobeat/table/timeline.hpp>
#include <zerobeat/time/period.hpp>

namespace zerobeat {

struct Fill {
  static constexpr std::string_view name = "fill";
  static constexpr std::string_view help = "put readings where there are none";
  static constexpr std::string_view example = "fill landings.csv --how linear --max-gap 1d";

  enum class How { previous, next, nearest, linear };
  /// One value, the same everywhere.
  struct Constant {
    double value = 0;
    friend bool operator==(const Constant&, const Constant&) = default;
  };
  using Method = std::variant<How, Constant>;

  Method how = How::linear;         ///< where a missing reading gets its value
  std::optional<Extent> max_gap{};  ///< gaps longer than this stay open; unset: fill all
  std::vector<std::string> on{};    ///< which to fill; empty: every numeric column
  bool flag = false;                ///< add a boolean column A_filled for each

  friend bool operator==(const Fill&, const Fill&) = default;
};

constexpr auto enum_words(Fill::How) {
  return std::array<std::string_view, 4>{"previous", "next", "nearest", "linear"};
}

/// Reads "linear", or "constant:0".
void from_text(std::string_view text, Fill::Method& out);
std::string to_text(const Fill::Method& how);

template <typename Visitor, OptionsOf<Fill> O>
void fields(Visitor&& visit, O& o) {
  visit("how", o.how, "linear|previous|next|nearest|constant:V",
        "where a missing reading gets its value; nearest: of equals the earlier");
  visit("max-gap", o.max_gap, "PERIOD|N", "gaps longer than this stay open; N counts rows");
  visit("on", o.on, "A,B", "which columns to fill; unset: every numeric column");
  visit("flag", o.flag, "", "add a boolean column A_filled for each");
}

/// Returns `timeline` with missing readings filled strand by strand.
///
/// A gap's length is from the last reading before it to the first after it; when max_gap counts
/// rows, its rows. A gap at the start or end of a strand has one side only: `previous` fills at
/// the end, `next` at the start, `constant` at both, the others at neither; its length is from
/// its one reading to the strand's last (first) row. Linear goes by time. Under `linear`, and
/// under `constant` with a fraction, a column of integers becomes one of numbers; under
/// `previous`, `next` and `nearest` columns of any type may be named.
///
/// Cost: one pass; memory: one new buffer for each column that changed.
/// Throws Error when a named column is absent, or not numeric where numbers are needed.
Timeline fill(const Timeline& timeline, const Fill& options);

/// Ahead as far as it may have to look for the end of a gap.
Reach reach(const Fill& options);

inline Timeline operator|(const Timeline& timeline, const Fill& step) {
  return fill(timeline, step);
}

}  // namespace zerobeat
