/// Testing: whether readings are what a hypothesis says of them.
///
/// Threads may call these at the same time, on the same timelines.

#pragma once

#include <optional>
#include <string>
#include <string_view>
#include <vector>
#include <zerobeat/base/bounds.hpp>
#include <zerobeat/base/export.hpp>
#include <zerobeat/base/option.hpp>
#include <zerobeat/base/share.hpp>
#include <zerobeat/table/made.hpp>
#include <zerobeat/table/reach.hpp>
#include <zerobeat/table/timeline.hpp>
#include <zerobeat/time/working_days.hpp>

namespace zerobeat {
inline namespace ZEROBEAT_API v1 {

struct Test {
  static constexpr std::string_view name = "test";
  static constexpr std::string_view help = "whether readings keep a level, are noise, are normal …";
  static constexpr std::string_view example =
      "test tide_gauge.csv --tolerate 1% --of normal,trend --on battery_v";

  std::vector<std::string> of{"unit-root", "level", "noise", "normal"};  ///< see test_words()
  std::vector<std::string> on{};       ///< empty: every numeric column
  std::optional<std::int64_t> lags{};  ///< of those that look at lags; unset: by the rows
  bool trend = false;                  ///< unit-root and level: about a trend
  Bounds range{};                      ///< of uniform; must be given for it
  std::optional<double> at = 0.05;     ///< a hypothesis is rejected below this
  bool by_rows = false;                ///< rows are taken as they come
  WorkingDays days{};

  friend bool operator==(const Test&, const Test&) = default;
};

/// What can be tested, in the order of the reference.
[[nodiscard]] std::vector<std::string> test_words();

template <typename Visitor, OptionsOf<Test> O>
void fields(Visitor&& visit, O& o) {
  visit("of", o.of, "TESTS",
        "which, with commas: unit-root, level, noise, normal, uniform, trend, runs");
  visit("on", o.on, "A,B", "which columns; unset: every numeric one");
  visit("lags", o.lags, "N",
        "how many rows apart unit-root, level and noise look; unset: by the rows");
  visit("trend", o.trend, "", "unit-root and level are about a trend, and not a level alone");
  visit("range", o.range, "LO,HI", "what uniform is uniform on");
  visit("at", share_field(o.at), "SHARE", "a hypothesis less likely than this is rejected");
  visit("by-rows", o.by_rows, "", "rows are taken as they come, evenly or not");
  fields(visit, o.days);
}

/// A table with a row for each strand, column and test: the key's column when there is one,
/// `column`, `test`, `null` (the hypothesis), `statistic`, `p`, `lags`, `readings` (those tested),
/// `verdict` (rejected or not rejected), and `slope` when `trend` is asked for. A test that can't
/// be made has empty cells, and a note.
///
/// unit-root: Dickey and Fuller (1979), augmented by lags by the least AIC, p by MacKinnon (1994).
/// level: Kwiatkowski, Phillips, Schmidt and Shin (1992). noise: Ljung and Box (1978). normal:
/// Jarque and Bera (1980). uniform: Kolmogorov and Smirnov, p by Marsaglia, Tsang and Wang (2003)
/// to 140 readings, then the limit's. trend: Mann (1945) and Kendall, ties corrected, with Sen's
/// (1968) slope per day (on a count per step). runs: Wald and Wolfowitz (1940) about the median.
///
/// Missing readings: unit-root, level and noise take the longest run without one; for them rows
/// must follow each other evenly, or `by_rows` is set.
/// Cost: unit-root grows with the square of its lags, trend and uniform with n log n.
/// Throws Error when a column is absent or not numeric, options do not go together, and of kind
/// limit when a strand is not regular.
[[nodiscard]] TableResult test(const Timeline& timeline, const Test& options = {});

[[nodiscard]] inline Made apply(std::span<const Timeline> in, const Test& options) {
  return test(in[0], options);
}
[[nodiscard]] inline bool makes_table(const Test&) { return true; }
[[nodiscard]] std::optional<std::vector<std::string>> columns_needed(const Test& options,
                                                                     std::string_view source);
/// The whole strand on both sides.
[[nodiscard]] Reach reach(const Test& options);
inline void read_inputs(Test& options, const InputReader& reader) {
  read_working_days(options, reader);
}

}  // namespace v1
}  // namespace zerobeat
