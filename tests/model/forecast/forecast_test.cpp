#include <random>
#include <zerobeat/model/forecast.hpp>

#include "model/beat.hpp"
#include "support/strand.hpp"

namespace zerobeat::testing {

namespace {

Timeline regular(const std::vector<std::string>& times, const Readings& readings,
                 const Zone& zone = {}) {
  std::vector<Instant> instants;
  for (const auto& time : times) instants.push_back(at(time));
  return timeline_of({instants, {}, {{"level", column_of(readings)}}}, zone);
}

/// The times ahead of a timeline of ones.
std::vector<std::string> times_ahead(const std::vector<std::string>& times, Forecast options,
                                     const Zone& zone = {}) {
  options.model = ForecastModel::Family::naive;
  const auto timeline = regular(times, Readings(times.size(), 1.0), zone);
  const auto made = forecast(timeline, options);
  std::vector<std::string> out;
  for (const Instant t : made.timeline->times()) out.push_back(to_text(t));
  return out;
}

using Texts = std::vector<std::string>;

/// A day apart from 20 October on.
Timeline by_day(const Readings& readings, const std::vector<std::string>& keys = {}) {
  std::vector<Instant> times;
  for (std::size_t i = 0; i < readings.size(); ++i) {
    const std::size_t row = keys.empty() ? i : i % (readings.size() / 2);
    times.push_back(clock("00:00") + std::chrono::hours(24 * row));
  }
  return timeline_of({times, keys, {{"level", column_of(readings)}}});
}

Readings waves(std::size_t rows, std::uint64_t seed) {
  std::mt19937_64 random(seed);
  std::normal_distribution<double> normal;
  Readings out;
  for (std::size_t t = 0; t < rows; ++t) {
    out.push_back(50 + 5 * std::sin(static_cast<double>(t) * 2 * M_PI / 7) + normal(random));
  }
  return out;
}

std::string notes_of(const Made& made) {
  std::string out;
  for (const auto& note : made.did.notes) out += note + "\n";
  return out;
}

}  // namespace

TEST_CASE("rows ahead keep the beat of their calendar", "[forecast]") {
  CHECK(times_ahead({"2025-11-30T00:00:00Z", "2025-12-31T00:00:00Z", "2026-01-31T00:00:00Z"},
                    {.ahead = 3}) ==
        Texts{"2026-02-28T00:00:00Z", "2026-03-31T00:00:00Z", "2026-04-30T00:00:00Z"});
  CHECK(times_ahead({"2025-07-01T00:00:00Z", "2025-10-01T00:00:00Z"}, {.ahead = "1year"}) ==
        Texts{"2026-01-01T00:00:00Z", "2026-04-01T00:00:00Z", "2026-07-01T00:00:00Z",
              "2026-10-01T00:00:00Z"});
  // The clocks go back on 26 October: a day of 25 hours.
  const Zone dublin("Europe/Dublin");
  CHECK(times_ahead({"2025-10-23T23:00:00Z", "2025-10-24T23:00:00Z"}, {.ahead = "2d"}, dublin) ==
        Texts{"2025-10-25T23:00:00Z", "2025-10-27T00:00:00Z"});
  CHECK(times_ahead({"2025-10-25T22:30:00Z", "2025-10-25T23:00:00Z"}, {.ahead = "1d"}, dublin)
            .size() == 50);
  // Friday, then Monday; the holiday of the last Monday is passed over.
  Forecast working{.ahead = 3};
  working.days.calendar =
      Calendar(Weekend{}, {std::chrono::local_days(std::chrono::year(2025) / 10 / 27)});
  CHECK(times_ahead({"2025-10-22T09:00:00Z", "2025-10-23T09:00:00Z", "2025-10-24T09:00:00Z"},
                    working) ==
        Texts{"2025-10-28T09:00:00Z", "2025-10-29T09:00:00Z", "2025-10-30T09:00:00Z"});
  // As they come: the typical step, but on days that are worked.
  working.by_rows = true;
  working.ahead = "1wk";
  CHECK(times_ahead({"2025-10-21T09:00:00Z", "2025-10-22T09:00:00Z", "2025-10-24T09:00:00Z",
                     "2025-10-25T09:00:00Z"},
                    working)
            .front() == "2025-10-28T09:00:00Z");
  CHECK_THROWS_WITH(times_ahead({"2025-10-21T00:00:00Z", "2025-10-22T00:00:00Z"}, {.ahead = "1h"}),
                    Catch::Contains("shorter than a step of a day"));
  CHECK_THROWS_WITH(
      times_ahead({"2262-01-01T00:00:00Z", "2262-03-01T00:00:00Z"}, {.ahead = 3, .by_rows = true}),
      Catch::Contains("beyond the year 2262"));
}

TEST_CASE("a forecast has its bands beside it, and the past before it when asked", "[forecast]") {
  const auto made = forecast(by_day({1, 3, 2, missing, 4}), {.ahead = 2,
                                                             .model = ForecastModel::Family::naive,
                                                             .levels = {{50, 99.5}},
                                                             .with_past = true});
  const Timeline& out = *made.timeline;
  CHECK(out.values().names() == std::vector<std::string>{"level", "level_low50", "level_high50",
                                                         "level_low99_5", "level_high99_5"});
  REQUIRE(out.rows() == 7);
  const Column level = out.values().column("level"), low = out.values().column("level_low50");
  CHECK(level.numbers()[0] == 1);
  CHECK_FALSE(level.valid(3));
  CHECK_FALSE(low.valid(4));
  CHECK(level.numbers()[5] == 4);
  CHECK(low.valid(6));
  CHECK(low.numbers()[6] < low.numbers()[5]);
  CHECK(out.values().column("level_low99_5").numbers()[5] < low.numbers()[5]);
}

TEST_CASE("of logarithms the forecast is the median", "[forecast]") {
  Readings readings, logarithms;
  for (const auto& x : waves(50, 3)) {
    readings.push_back(*x);
    logarithms.push_back(std::log(*x));
  }
  const Forecast plain{.ahead = 4, .model = "arima:1,0,0"};
  Forecast multiplied = plain;
  multiplied.multiply = true;
  const auto by = forecast(by_day(readings), multiplied);
  const auto expected = forecast(by_day(logarithms), plain);
  for (const char* name : {"level", "level_low80", "level_high95"}) {
    const auto found = by.timeline->values().column(name);
    const auto of_logarithms = expected.timeline->values().column(name);
    for (std::size_t row = 0; row < 4; ++row) {
      CHECK(found.numbers()[row] == Approx(std::exp(of_logarithms.numbers()[row])));
    }
  }
  readings[7] = -1;
  CHECK_THROWS_WITH(forecast(by_day(readings), multiplied),
                    Catch::Contains("level is -1 at 2025-10-27T00:00:00Z"));
}

TEST_CASE("what was chosen is told, and why", "[forecast]") {
  const auto made = forecast(by_day(waves(70, 1)), {.ahead = 7, .season = 7, .fit = {"fit.csv"}});
  const std::string notes = notes_of(made);
  CHECK_THAT(notes, Catch::Contains("level: ") &&
                        Catch::Contains("over 5 hidden ends its mean "
                                        "absolute error is ") &&
                        Catch::Contains("naive's ") && Catch::Contains("seasonal's "));
  REQUIRE(made.beside.size() == 1);
  const Table& fit = made.beside[0].table;
  CHECK(fit.names() == std::vector<std::string>{"column", "model", "readings", "parameters",
                                                "sigma", "loglik", "aic", "aicc", "bic", "terms"});
  const double loglik = fit.column("loglik").numbers()[0];
  const auto k = static_cast<double>(fit.column("parameters").integers()[0]);
  const auto n = static_cast<double>(fit.column("readings").integers()[0]);
  CHECK(fit.column("aic").numbers()[0] == Approx(-2 * loglik + 2 * k));
  CHECK(fit.column("bic").numbers()[0] == Approx(-2 * loglik + k * std::log(n)));
}

TEST_CASE("models are tried on the same ends, and none better than naive is praised",
          "[forecast]") {
  Forecast options{.ahead = 5, .season = 7};
  options.attempts = {"naive", "seasonal", "drift"};
  Readings walk;
  double level = 0;
  std::mt19937_64 random(4);
  std::normal_distribution<double> normal;
  for (int t = 0; t < 80; ++t) walk.push_back(level += normal(random));
  const auto made = forecast(by_day(walk), options);
  REQUIRE(made.table);
  CHECK(made.table->names() == std::vector<std::string>{"column", "model", "rounds", "mae", "rmse",
                                                        "mase", "within80", "within95"});
  CHECK(made.table->rows() == 3);
  CHECK(made.table->column("rounds").integers()[2] == 5);
  CHECK_THAT(notes_of(made), Catch::Contains("level: seasonal is no better than naive over 5 "
                                             "hidden ends"));
}

TEST_CASE("strands are forecast each by itself, the short ones too", "[forecast]") {
  Readings readings = waves(40, 5);
  std::vector<std::string> keys(40, "north");
  for (std::size_t i = 20; i < 40; ++i) keys[i] = "south";
  const Timeline both = by_day(readings, keys);
  const auto made = forecast(both, {.ahead = 3, .season = 14, .model = "smoothing:ANN"});
  REQUIRE(made.timeline->strands().size() == 2);
  CHECK(made.timeline->rows() == 6);
  CHECK_THAT(notes_of(made), Catch::Contains("level, north: 20 rows are less than two seasons of "
                                             "14; it goes on without"));
  const Timeline alone = by_day(Readings(readings.begin(), readings.begin() + 20));
  const auto one = forecast(alone, {.ahead = 3, .model = "smoothing:ANN"});
  for (std::size_t row = 0; row < 3; ++row) {
    CHECK(made.timeline->values().column("level").numbers()[row] ==
          one.timeline->values().column("level").numbers()[row]);
  }
}

TEST_CASE("nothing to go on is said, not passed over", "[forecast]") {
  const auto one = forecast(by_day({7}), {.ahead = 3});
  CHECK(one.timeline->rows() == 0);
  CHECK_THAT(notes_of(one), Catch::Contains("a strand of one row has no beat, so no rows ahead"));
  const auto none = forecast(by_day({missing, missing, missing}), {.ahead = 2});
  REQUIRE(none.timeline->rows() == 2);
  CHECK_FALSE(none.timeline->values().column("level").valid(0));
  CHECK_THAT(notes_of(none), Catch::Contains("none of its readings is there"));
  const auto two = forecast(by_day({7, 9}), {.ahead = 1, .model = "arima:1,0,1"});
  CHECK_THAT(notes_of(two), Catch::Contains("level: mean, since arima:1,0,1 needs more readings"));
}

TEST_CASE("options of forecast that do not go together are refused", "[forecast]") {
  const Timeline level = by_day(waves(30, 2));
  CHECK_THROWS_WITH(forecast(level, {}), Catch::Contains("forecast takes ‹ahead› N or PERIOD"));
  CHECK_THROWS_WITH(forecast(level, {.ahead = 2, .model = "seasonal"}),
                    Catch::Contains("‹model› seasonal: it has a season"));
  CHECK_THROWS_WITH(forecast(level, {.ahead = 2, .model = "arima:1,0,0,1,0,0"}),
                    Catch::Contains("there is no ‹season›"));
  Forecast tried{.ahead = 2, .with_past = true};
  tried.attempts = {"naive"};
  CHECK_THROWS_WITH(forecast(level, tried), Catch::Contains("does not go with ‹with_past›"));
  CHECK_THROWS_WITH(forecast(level, {.ahead = 2, .rounds = 0}), Catch::Contains("‹rounds› 0"));
  CHECK_THROWS_WITH(forecast(level, {.ahead = 2'000'000}), Catch::Contains("at most 1,000,000"));
  CHECK_THROWS_WITH(
      forecast(regular({"2025-10-20T00:00:00Z", "2025-10-20T01:00:00Z", "2025-10-20T03:00:00Z"},
                       {1, 2, 3}),
               {.ahead = 2}),
      Catch::Contains("do not follow each other evenly"));
}

TEST_CASE("models are named by their letters and orders", "[forecast]") {
  for (const char* text : {"auto", "mean", "naive", "drift", "seasonal", "smoothing", "arima",
                           "arima:1,0,2", "arima:0,1,1:drift", "arima:1,0,1,0,1,1",
                           "arima:0,1,1,1,0,1:drift", "smoothing:ANN", "smoothing:MAdM"}) {
    CHECK(to_text(ForecastModel(text)) == text);
  }
  std::vector<ForecastModel> several;
  from_text("arima:1,0,1,0,1,1,naive,arima:0,1,1:drift,smoothing:AAdA", several);
  CHECK(to_text(several) == "arima:1,0,1,0,1,1,naive,arima:0,1,1:drift,smoothing:AAdA");
  CHECK(several.size() == 4);
  CHECK(orders_text(*several[0].orders) == "1,0,1 0,1,1");
  CHECK_THROWS_WITH(from_text("naive,mean,naive", several), Catch::Contains("given twice"));
  for (const char* wrong : {"arma", "arima:", "arima:1,0", "arima:1,0,1,2", "arima:1,-1,0",
                            "arima:1,0,x", "smoothing:XNN", "smoothing:AAB", "smoothing:AAAA",
                            "naive:3", "arima:1,0,0:drift", "arima:99,0,0", "arima:0,4,0", ""}) {
    CAPTURE(wrong);
    CHECK_THROWS_AS(ForecastModel(wrong), Error);
  }
  CHECK_THROWS_WITH(ForecastModel("smoothing:AAB"), Catch::Contains("season (N, A or M)"));
  BandLevels levels;
  from_text("50,99.5", levels);
  CHECK(to_text(levels) == "50,99.5");
  CHECK_THROWS_WITH(from_text("0,95", levels), Catch::Contains("more than 0"));
  CHECK_THROWS_WITH(from_text("95,95", levels), Catch::Contains("twice"));
}

}  // namespace zerobeat::testing
