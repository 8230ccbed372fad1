/// Forecasting: the rows that come next, with bands that hold what they promise.
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
#include <zerobeat/model/forecast_model.hpp>
#include <zerobeat/table/made.hpp>
#include <zerobeat/table/reach.hpp>
#include <zerobeat/table/timeline.hpp>
#include <zerobeat/time/period.hpp>
#include <zerobeat/time/working_days.hpp>

namespace zerobeat {
inline namespace ZEROBEAT_API v1 {

/// How much bands hold, in percent, in the order of their columns.
struct BandLevels {
  std::vector<double> percents{80, 95};

  friend bool operator==(const BandLevels&, const BandLevels&) = default;
};

template <>
inline constexpr bool takes_lists<BandLevels> = true;

/// Reads "80,95": numbers between 0 and 100, no two alike.
void from_text(std::string_view text, BandLevels& out);
[[nodiscard]] std::string to_text(const BandLevels& levels);

struct Forecast {
  static constexpr std::string_view name = "forecast";
  static constexpr std::string_view help = "the rows that come next, with bands";
  static constexpr std::string_view example =
      "forecast landings.csv --weekend sat,sun --by-rows --on landed_kg --ahead 20 --season 5";

  enum class Criterion { aicc, aic, bic };

  std::optional<Extent> ahead{};          ///< must be given: rows, or a period after the last row
  std::vector<std::string> on{};          ///< empty: every numeric column
  std::optional<Extent> season{};         ///< rows, or a period; unset: none is looked for
  ForecastModel model{};                  ///< automatic: the one that is nearest over hidden ends
  Criterion by = Criterion::aicc;         ///< of models of one family the one whose this is least
  BandLevels levels{};                    ///< of the bands
  bool with_past = false;                 ///< the strand's own rows before those ahead
  bool multiply = false;                  ///< on logarithms
  OutFile fit{};                          ///< where a table of the models goes
  bool by_rows = false;                   ///< rows are taken as they come
  std::vector<ForecastModel> attempts{};  ///< instead: how each would have done
  std::optional<std::int64_t> rounds{};   ///< hidden ends; unset: 5
  std::optional<std::int64_t> seed{};     ///< of simulated paths; unset: 1
  WorkingDays days{};

  friend bool operator==(const Forecast&, const Forecast&) = default;
};

[[nodiscard]] constexpr auto enum_words(Forecast::Criterion) {
  return std::array<std::string_view, 3>{"aicc", "aic", "bic"};
}

template <typename Visitor, OptionsOf<Forecast> O>
void fields(Visitor&& visit, O& o) {
  visit("ahead", o.ahead, "N|PERIOD", "how far: so many rows, or those of a period after the last");
  visit("on", o.on, "A,B", "which columns; unset: every numeric one");
  visit("season", o.season, "N|PERIOD",
        "how long a season is: so many rows, or a period; unset: none is looked for");
  visit("model", o.model, "MODEL",
        "auto, mean, naive, drift, seasonal, smoothing, smoothing:ETS (error A or M, trend N, A or "
        "Ad, season N, A or M), arima, arima:p,d,q or arima:p,d,q,P,D,Q, with :drift behind it for "
        "a mean of the differences");
  visit("by", o.by, choices(Forecast::Criterion{}),
        "of models of one family the one of which this criterion is least");
  visit("levels", o.levels, "A,B", "how much the bands hold, in percent");
  visit("with-past", o.with_past, "", "the strand's own rows come before those ahead");
  visit("multiply", o.multiply, "", "on logarithms: what varies, varies in shares");
  visit("fit", o.fit, "FILE", "the models go there: parameters, likelihood, criteria, terms");
  visit("by-rows", o.by_rows, "", "rows are taken as they come, evenly or not");
  visit("try", o.attempts, "MODEL,MODEL",
        "forecast nothing, but hide ends, forecast them by each model, and tell how near it came");
  visit("rounds", o.rounds, "N", "how many ends are hidden, by ‹try› and auto; unset: 5");
  visit("seed", o.seed, "N", "of simulated bands; unset: 1");
  fields(visit, o.days);
}

/// The rows ahead of each strand's last, one beat apart on the same calendar: of each column A its
/// forecast A, and `A_low80`, `A_high80` and so on for the levels; with `with_past` the strand's
/// own rows before them, their bands missing. `fit` is a table `column`, `model`, `readings` (that
/// the likelihood is of: what differences leave), `parameters` (the variance among them), `sigma`,
/// `loglik`, `aic`, `aicc`, `bic` and `terms`.
///
/// With `attempts` a table instead: the key's column when there is one, `column`, `model`,
/// `rounds`, `mae`, `rmse`, `mase` (errors over the mean step a season long of what lay before;
/// Hyndman and Koehler 2006), `within80`, `within95`: from ends, each `ahead` before the next, each
/// model is fitted to what lies before, and compared with what came.
///
/// mean, naive, drift, seasonal: as walks, missing readings being steps that were not seen. arima:
/// Box and Jenkins (1970) by the exact likelihood, missing readings and all; without orders those
/// of Hyndman and Khandakar's (2008) search. smoothing: the models of Hyndman, Koehler, Ord and
/// Snyder (2008) by maximum likelihood; without a form all that the readings allow. auto: of both,
/// of seasonal and of naive the one that is nearest over `rounds` hidden ends. A season of more
/// than 24 rows is taken off first, as decompose() does, and put back, unless the model is named
/// with its seasonal part. Bands are normal ones, or, where there is no formula, of 5,000 simulated
/// paths; under `multiply` the forecast is the median. Where a model needs more readings than there
/// are, the next simpler one stands for it, and a note says so.
///
/// Rows must follow each other evenly, or `by_rows` is set. A strand of one row has no rows ahead.
/// Cost: of arima and smoothing some thousand passes over the strand. Strands and hidden ends run
/// side by side.
/// Throws Error when a column is absent or not numeric, `ahead` is not given, a model needs a
/// season, or under `multiply` a reading is not positive; of kind limit when a strand is not
/// regular.
[[nodiscard]] Made forecast(const Timeline& timeline, const Forecast& options);

[[nodiscard]] inline Made apply(std::span<const Timeline> in, const Forecast& options) {
  return forecast(in[0], options);
}
[[nodiscard]] inline bool makes_table(const Forecast& options) { return !options.attempts.empty(); }
[[nodiscard]] std::optional<std::vector<std::string>> columns_needed(const Forecast& options,
                                                                     std::string_view source);
/// The whole strand behind.
[[nodiscard]] Reach reach(const Forecast& options);
inline void read_inputs(Forecast& options, const InputReader& reader) {
  read_working_days(options, reader);
}

}  // namespace v1
}  // namespace zerobeat
