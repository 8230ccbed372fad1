/// Correlating: how readings follow those before them, or another column's.
///
/// Threads may call these at the same time, on the same timelines.

#pragma once

#include <optional>
#include <string>
#include <string_view>
#include <vector>
#include <zerobeat/base/export.hpp>
#include <zerobeat/base/option.hpp>
#include <zerobeat/table/made.hpp>
#include <zerobeat/table/reach.hpp>
#include <zerobeat/table/timeline.hpp>
#include <zerobeat/time/working_days.hpp>

namespace zerobeat {
inline namespace ZEROBEAT_API v1 {

struct Correlate {
  static constexpr std::string_view name = "correlate";
  static constexpr std::string_view help = "how readings follow those before, or another column";
  static constexpr std::string_view example =
      "correlate landings.csv --weekend sat,sun --on landed_kg --lags 20 --by-rows";

  std::optional<std::int64_t> lags{};  ///< unset: min(floor(10 log10 n), n - 1) of n readings
  std::vector<std::string> on{};       ///< empty: every numeric column
  std::string with{};                  ///< a column; empty: each with itself
  bool by_rows = false;                ///< rows are taken as they come
  WorkingDays days{};

  friend bool operator==(const Correlate&, const Correlate&) = default;
};

template <typename Visitor, OptionsOf<Correlate> O>
void fields(Visitor&& visit, O& o) {
  visit("lags", o.lags, "N", "how many rows apart at most; unset: ten times log10 of the readings");
  visit("on", o.on, "A,B", "which columns; unset: every numeric one");
  visit("with", o.with, "COLUMN", "another column, at lags both ways; unset: each with itself");
  visit("by-rows", o.by_rows, "", "rows are taken as they come, evenly or not");
  fields(visit, o.days);
}

/// A table of correlations, strand by strand, column by column.
///
/// Of each column with itself: the key's column when there is one, `column`, `lag` from 1,
/// `correlation` (of readings so many rows apart, about the mean of all; pairs of which one is
/// missing are left out, the divisor is that of all readings), `partial` (that of which the lags
/// between are no reason, by Durbin 1960 and Levinson 1946; missing from the lag on at which it
/// leaves (-1, 1)), `bound` (1.96 / √n: of noise one in twenty lies outside), `q` (Ljung and Box
/// 1978, of all lags to this one) and its `p` by chi-squared. Lags of n and more are missing.
///
/// With another: `column`, `with`, `lag` from -N to N, `correlation` of the column's reading and
/// the other's so many rows later, each about its own mean, and `bound`, n being the rows that have
/// both.
///
/// Rows must follow each other evenly, or `by_rows` is set.
/// Cost: a pass for each lag, or three Fourier transforms, whichever is less.
/// Throws Error when a column is absent or not numeric, and of kind limit when a strand is not
/// regular.
[[nodiscard]] TableResult correlate(const Timeline& timeline, const Correlate& options = {});

[[nodiscard]] inline Made apply(std::span<const Timeline> in, const Correlate& options) {
  return correlate(in[0], options);
}
[[nodiscard]] inline bool makes_table(const Correlate&) { return true; }
[[nodiscard]] std::optional<std::vector<std::string>> columns_needed(const Correlate& options,
                                                                     std::string_view source);
/// The whole strand on both sides: means are of all readings.
[[nodiscard]] Reach reach(const Correlate& options);
inline void read_inputs(Correlate& options, const InputReader& reader) {
  read_working_days(options, reader);
}

}  // namespace v1
}  // namespace zerobeat
