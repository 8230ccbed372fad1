/// Decomposing: a series as a trend, a season and a rest.
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
#include <zerobeat/table/made.hpp>
#include <zerobeat/table/reach.hpp>
#include <zerobeat/table/timeline.hpp>
#include <zerobeat/time/period.hpp>
#include <zerobeat/time/working_days.hpp>

namespace zerobeat {
inline namespace ZEROBEAT_API v1 {

/// How many rows of a season's subseries a loess looks at: an odd number, or all of them alike.
struct SeasonWindow {
  std::int64_t rows = 0;  ///< 0: periodic

  friend bool operator==(const SeasonWindow&, const SeasonWindow&) = default;
};

template <>
inline constexpr bool takes_numbers<SeasonWindow> = true;

void from_text(std::string_view text, SeasonWindow& out);
[[nodiscard]] std::string to_text(const SeasonWindow& window);

struct Decompose {
  static constexpr std::string_view name = "decompose";
  static constexpr std::string_view help = "trend, season and rest";
  static constexpr std::string_view example =
      "decompose landings.csv --by-rows --season 5 --on landed_kg";

  enum class How { loess, means };

  std::optional<Extent> season{};  ///< must be given: rows, or a period
  std::vector<std::string> on{};   ///< empty: every numeric column
  How how = How::loess;
  SeasonWindow season_window{};                ///< of loess
  std::optional<std::int64_t> trend_window{};  ///< of loess; unset: by the season
  bool robust = false;                         ///< outliers weigh less
  bool multiply = false;                       ///< trend × season × rest
  bool by_rows = false;                        ///< rows are taken as they come
  WorkingDays days{};

  friend bool operator==(const Decompose&, const Decompose&) = default;
};

[[nodiscard]] constexpr auto enum_words(Decompose::How) {
  return std::array<std::string_view, 2>{"loess", "means"};
}

template <typename Visitor, OptionsOf<Decompose> O>
void fields(Visitor&& visit, O& o) {
  visit("season", o.season, "N|PERIOD", "how long a season is: so many rows, or a period");
  visit("on", o.on, "A,B", "which columns; unset: every numeric one");
  visit("how", o.how, choices(Decompose::How{}),
        "by local regression, or by means of a season and of its phases");
  visit("season-window", o.season_window, "N|periodic",
        "how many seasons one's shape is made of, an odd number; periodic: all of them alike");
  visit("trend-window", o.trend_window, "N",
        "how many rows the trend is made of, an odd number; unset: by the season");
  visit("robust", o.robust, "", "outliers weigh less");
  visit("multiply", o.multiply, "", "trend times season times rest: on logarithms");
  visit("by-rows", o.by_rows, "", "rows are taken as they come, evenly or not");
  fields(visit, o.days);
}

/// Returns `timeline` with columns `A_trend`, `A_season`, `A_rest` and `A_adjusted` (A less its
/// season) for each column, after its own, strand by strand.
///
/// loess is Cleveland, Cleveland, McRae and Terpenning (1990), each smooth evaluated at every row:
/// two inner passes; `robust`: one, then 15 with weights. Missing readings are no points, and trend
/// and season have values there. means is the classical way: the trend is the centred mean over a
/// season, which has no value where a reading of it is missing; the season each phase's mean of
/// what the trend leaves. Notes say how strong trend and season are: max(0, 1 - var(rest) /
/// var(rest + trend)).
///
/// Rows must follow each other evenly, or `by_rows` is set. A strand of less than two seasons has
/// missing columns, and a note.
/// Cost: for each smooth the rows times its window.
/// Throws Error when a column is absent or not numeric, a window is even, under `multiply` a
/// reading is not positive; of kind limit when a strand is not regular, or none has two seasons.
[[nodiscard]] Timeline decompose(const Timeline& timeline, const Decompose& options);

/// The whole strand on both sides.
[[nodiscard]] Reach reach(const Decompose& options);
inline void read_inputs(Decompose& options, const InputReader& reader) {
  read_working_days(options, reader);
}

[[nodiscard]] inline Timeline operator|(const Timeline& timeline, const Decompose& step) {
  return decompose(timeline, step);
}
/// With what its picture is made of.
[[nodiscard]] Made apply(std::span<const Timeline> in, const Decompose& options);

}  // namespace v1
}  // namespace zerobeat
