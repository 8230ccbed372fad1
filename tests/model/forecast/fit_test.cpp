#include <random>

#include "model/forecast/arima.hpp"
#include "model/forecast/fitted_model.hpp"
#include "model/forecast/hidden_ends.hpp"
#include "support/strand.hpp"

namespace zerobeat::testing {

using detail::FitOptions;
using detail::FittedModel;
using detail::Series;
using Family = ForecastModel::Family;

namespace {

const FitOptions both_bands{.shares = {0.8, 0.95}};
constexpr double z80 = 1.2815515655446004, z95 = 1.959963984540054;
const double gone = std::nan("");

double as_read(double x) { return x; }

std::vector<double> ar1(std::size_t rows, double phi, double mean, std::uint64_t seed) {
  std::mt19937_64 random(seed);
  std::normal_distribution<double> normal;
  double level = 0;
  std::vector<double> out;
  for (std::size_t t = 0; t < rows + 50; ++t) {
    level = phi * level + normal(random);
    if (t >= 50) out.push_back(mean + level);
  }
  return out;
}

/// Level, slope and season with steps of their own.
std::vector<double> seasonal_walk(std::size_t rows, std::size_t season, std::uint64_t seed) {
  std::mt19937_64 random(seed);
  std::normal_distribution<double> normal;
  double level = 100;
  std::vector<double> parts, out;
  for (std::size_t k = 0; k < season; ++k) {
    parts.push_back(8 * std::sin(2 * M_PI * static_cast<double>(k) / static_cast<double>(season)));
  }
  for (std::size_t t = 0; t < rows; ++t) {
    const double error = normal(random);
    out.push_back(level + parts[t % season] + error);
    level += 0.3 + 0.3 * error;
    parts[t % season] += 0.1 * error;
  }
  return out;
}

FittedModel fit(const char* model, const std::vector<double>& readings, std::size_t season = 1) {
  return detail::fit_model(ForecastModel(model), {readings, season}, both_bands);
}

double term(const FittedModel& fitted, const std::string& name) {
  for (const auto& [known, value] : fitted.terms) {
    if (known == name) return value;
  }
  FAIL("no term " << name);
  return 0;
}

/// Half the width of the first band.
double half_width(const detail::RowsAhead& rows, std::size_t h) {
  return (rows.high[0][h] - rows.low[0][h]) / 2;
}

}  // namespace

TEST_CASE("the simple models say what their walks say", "[forecast]") {
  const std::vector<double> x{3, 5, 4, 8, 6, 9, 7, 12};
  const double n = 8;
  SECTION("mean") {
    const auto fitted = fit("mean", x);
    double squares = 0;
    for (const double v : x) squares += (v - 6.75) * (v - 6.75);
    const double sigma = std::sqrt(squares / (n - 1));
    CHECK(fitted.sigma == Approx(sigma));
    CHECK(fitted.parameters == 2);
    CHECK(fitted.log_likelihood ==
          Approx(-0.5 * n * (std::log(2 * M_PI * squares / n) + 1)).epsilon(1e-12));
    const auto rows = fitted.ahead(3);
    CHECK(rows.value == std::vector<double>{6.75, 6.75, 6.75});
    CHECK(half_width(rows, 2) == Approx(z80 * sigma * std::sqrt(1 + 1 / n)));
    CHECK(rows.high[1][0] - 6.75 == Approx(z95 * sigma * std::sqrt(1 + 1 / n)));
  }
  double steps = 0, about = 0;
  const double each = (12.0 - 3.0) / 7;
  for (std::size_t t = 1; t < x.size(); ++t) {
    steps += (x[t] - x[t - 1]) * (x[t] - x[t - 1]);
    about += (x[t] - x[t - 1] - each) * (x[t] - x[t - 1] - each);
  }
  SECTION("naive") {
    const auto fitted = fit("naive", x);
    CHECK(fitted.sigma == Approx(std::sqrt(steps / 7)));
    CHECK(fitted.readings == 7);
    const auto rows = fitted.ahead(4);
    CHECK(rows.value[3] == 12);
    CHECK(half_width(rows, 3) == Approx(z80 * std::sqrt(steps / 7) * 2));
  }
  SECTION("drift") {
    const auto fitted = fit("drift", x);
    CHECK(fitted.sigma == Approx(std::sqrt(about / 6)));
    CHECK(term(fitted, "constant") == Approx(each));
    const auto rows = fitted.ahead(4);
    CHECK(rows.value[3] == Approx(12 + 4 * each));
    CHECK(half_width(rows, 3) == Approx(z80 * std::sqrt(about / 6 * 4 * (1 + 4.0 / 7))));
  }
  SECTION("seasonal") {
    const auto fitted = fit("seasonal", x, 3);
    double squares = 0;
    for (std::size_t t = 3; t < x.size(); ++t) squares += (x[t] - x[t - 3]) * (x[t] - x[t - 3]);
    CHECK(fitted.sigma == Approx(std::sqrt(squares / 5)));
    const auto rows = fitted.ahead(7);
    CHECK(rows.value == std::vector<double>{9, 7, 12, 9, 7, 12, 9});
    CHECK(half_width(rows, 2) == Approx(z80 * fitted.sigma));
    CHECK(half_width(rows, 6) == Approx(z80 * fitted.sigma * std::sqrt(3.0)));
  }
}

TEST_CASE("a walk goes on through missing readings", "[forecast]") {
  // Over two rows a step has twice the variance, and the end is two rows back.
  const auto naive = fit("naive", {1, gone, 3, 4, gone, gone});
  CHECK(naive.sigma == Approx(std::sqrt((2 * 2 / 2.0 + 1) / 2)));
  CHECK(half_width(naive.ahead(1), 0) == Approx(z80 * naive.sigma * std::sqrt(3.0)));
  const auto drift = fit("drift", {gone, 1, gone, 5, 9});
  CHECK(term(drift, "constant") == Approx(8.0 / 3));
  const auto seasonal = fit("seasonal", {1, 2, 3, 4, gone, gone}, 2);
  const auto rows = seasonal.ahead(2);
  CHECK(rows.value == std::vector<double>{3, 4});
  CHECK(half_width(rows, 0) == Approx(z80 * seasonal.sigma * std::sqrt(2.0)));
  // Without any reading of a phase there is nothing to come again.
  CHECK(fit("seasonal", {1, gone, 3, gone, 5, gone}, 2).instead == "seasonal needs more readings");
}

TEST_CASE("a walk is an arima, and so is smoothing of a level", "[forecast]") {
  const auto x = seasonal_walk(60, 1, 3);
  const auto naive = fit("naive", x), walk = fit("arima:0,1,0", x);
  CHECK(walk.log_likelihood == Approx(naive.log_likelihood));
  CHECK(walk.ahead(5).value[4] == Approx(naive.ahead(5).value[4]));
  const auto mean = fit("mean", x), white = fit("arima:0,0,0", x);
  CHECK(white.log_likelihood == Approx(mean.log_likelihood));
  CHECK(term(white, "constant") == Approx(term(mean, "constant")));
  // Of one that is known to begin with the first reading both are the same recursion.
  const auto smooth = fit("smoothing:ANN", x), moving = fit("arima:0,1,1", x);
  CHECK(term(smooth, "alpha") == Approx(1 + term(moving, "ma1")).margin(0.02));
}

TEST_CASE("an arima that was fitted is a maximum, stationary and invertible", "[forecast]") {
  std::mt19937 random(8);
  std::bernoulli_distribution is_lost(0.1);
  for (const bool gaps : {false, true}) {
    auto x = seasonal_walk(90, 4, 5);
    for (std::size_t t = 1; gaps && t + 1 < x.size(); ++t) {
      if (is_lost(random)) x[t] = gone;
    }
    for (const ArimaOrders& orders :
         {ArimaOrders{1, 0, 1}, ArimaOrders{0, 1, 1, 0, 1, 1}, ArimaOrders{2, 1, 0, 1, 0, 0},
          ArimaOrders{1, 0, 0, 0, 1, 1, true}}) {
      const detail::ArimaReadings readings(x, orders.d, orders.seasonal_d, 4);
      const auto found = detail::fit_arima(readings, orders, 4, detail::Effort::final);
      CAPTURE(orders_text(orders), gaps);
      for (const double partial : found.partials(orders)) CHECK(std::fabs(partial) < 1);
      auto nudged = found;
      for (auto* terms : {&nudged.ar, &nudged.ma, &nudged.seasonal_ar, &nudged.seasonal_ma}) {
        for (double& number : *terms) {
          for (const double by : {-0.01, 0.01}) {
            number += by;
            const auto partials = nudged.partials(orders);
            const bool allowed =
                std::ranges::all_of(partials, [](double p) { return std::fabs(p) < 1; });
            if (allowed) {
              CHECK(readings.likelihood(nudged.process(), found.has_constant()).value <=
                    found.likelihood.value + 1e-6);
            }
            number -= by;
          }
        }
      }
    }
  }
}

TEST_CASE("the orders that are chosen are no worse than those a step away", "[forecast]") {
  for (const std::uint64_t seed : {1, 2, 3}) {
    const auto x = seasonal_walk(96, 4, seed);
    const auto chosen = detail::choose_arima({x, 4}, both_bands);
    REQUIRE(chosen.model.orders);
    const ArimaOrders best = *chosen.model.orders;
    const double criterion = chosen.criterion(Forecast::Criterion::aicc);
    CHECK(chosen.next_best >= criterion);
    for (int which = 0; which < 4; ++which) {
      for (const int by : {-1, 1}) {
        ArimaOrders near = best;
        int* orders[] = {&near.p, &near.q, &near.seasonal_p, &near.seasonal_q};
        *orders[which] += by;
        if (*orders[which] < 0 || near.seasonal_p > 2 || near.seasonal_q > 2) continue;
        const auto other = detail::fit_arima_orders({x, 4}, near, both_bands);
        if (!other.is_fitted()) continue;
        CAPTURE(seed, orders_text(best), orders_text(near));
        CHECK(criterion <= other.criterion(Forecast::Criterion::aicc) + 1);
      }
    }
  }
}

TEST_CASE("the smoothing that is chosen has the least criterion of all", "[forecast]") {
  for (const auto by : {Forecast::Criterion::aicc, Forecast::Criterion::bic}) {
    FitOptions options = both_bands;
    options.by = by;
    const auto x = seasonal_walk(60, 4, 9);
    const auto chosen = detail::choose_smoothing({x, 4}, options);
    for (const char* form : {"ANN", "AAN", "ANA", "AAA", "AAdA", "MNA", "MAM", "ANM", "MNN"}) {
      const ForecastModel model(std::string("smoothing:") + form);
      const auto other = detail::fit_smoothing_form({x, 4}, *model.form, options);
      CAPTURE(form, form_text(*chosen.model.form));
      CHECK(chosen.criterion(by) <= other.criterion(by) + 1e-6);
    }
  }
}

TEST_CASE("criteria are those of their authors", "[forecast]") {
  CHECK(detail::criterion_of(-100, 3, 50, Forecast::Criterion::aic) == Approx(206));
  CHECK(detail::criterion_of(-100, 3, 50, Forecast::Criterion::aicc) ==
        Approx(206 + 2.0 * 3 * 4 / 46));
  CHECK(detail::criterion_of(-100, 3, 50, Forecast::Criterion::bic) ==
        Approx(200 + 3 * std::log(50.0)));
  CHECK(std::isinf(detail::criterion_of(-100, 3, 4, Forecast::Criterion::aicc)));
}

TEST_CASE("a model of too few readings is the next simpler one", "[forecast]") {
  const auto fallen = [](const char* model, const std::vector<double>& x, std::size_t season = 1) {
    const auto fitted = fit(model, x, season);
    return std::pair(to_text(fitted.model), fitted.instead);
  };
  using Told = std::pair<std::string, std::string>;
  CHECK(fallen("arima:1,1,1,1,1,1", {1, 2, 3, 5, 4, 6, 5, 7, 8, 6}, 4) ==
        Told{"arima:1,1,1", "arima:1,1,1,1,1,1 needs more readings"});
  CHECK(fallen("arima:2,1,2", {1, 2, 4, 3}) ==
        Told{"arima:0,1,0", "arima:2,1,2 needs more readings"});
  CHECK(fallen("arima:2,0,2", {1, 2}) == Told{"mean", "arima:2,0,2 needs more readings"});
  CHECK(fallen("smoothing:AAA", {1, 2, 4, 3, 5, 7}, 2) ==
        Told{"smoothing:ANN", "smoothing:AAA needs more readings"});
  CHECK(fallen("smoothing:MNM", {1, 2, -4, 3, 5, 7, 8, 9, 3, 4}, 2) ==
        Told{"smoothing:ANN", "smoothing:MNM takes readings above 0 alone"});
  CHECK(fallen("smoothing", {1, 2}) == Told{"naive", "smoothing needs more readings"});
  CHECK(fallen("drift", {gone, 7, gone}) == Told{"naive", "drift needs more readings"});
  CHECK_FALSE(fit("arima", {gone, gone}).is_fitted());
  CHECK_FALSE(fit("naive", {}).is_fitted());
}

TEST_CASE("no readings are too large, too small or too equal", "[forecast]") {
  const auto x = seasonal_walk(40, 4, 2);
  for (const char* model :
       {"mean", "naive", "drift", "seasonal", "arima:1,0,1", "arima:0,1,1,0,1,1", "smoothing:AAA",
        "smoothing:MAM", "smoothing:ANM"}) {
    const auto plain = fit(model, x, 4);
    for (const int power : {-1000, 900}) {
      auto scaled = x;
      for (double& v : scaled) v = std::ldexp(v, power);
      const auto fitted = fit(model, scaled, 4);
      CAPTURE(model, power);
      // A power of two changes no digit.
      const auto ahead = fitted.ahead(5), expected = plain.ahead(5);
      for (std::size_t h = 0; h < 5; ++h) {
        CHECK(ahead.value[h] == std::ldexp(expected.value[h], power));
        CHECK(ahead.low[1][h] == std::ldexp(expected.low[1][h], power));
      }
      CHECK(fitted.log_likelihood ==
            Approx(plain.log_likelihood -
                   static_cast<double>(plain.readings) * power * std::log(2.0)));
    }
    const auto flat = fit(model, std::vector<double>(30, 7.0), 4).ahead(3);
    for (std::size_t h = 0; h < 3; ++h) {
      CHECK(flat.value[h] == Approx(7));
      CHECK(flat.high[1][h] - flat.low[1][h] == Approx(0).margin(1e-9));
    }
  }
}

TEST_CASE("the season is named from the first row on", "[forecast]") {
  auto x = seasonal_walk(48, 4, 4);
  const auto whole = fit("smoothing:ANA", x, 4);
  // The same with a row before that has no reading: each season is the next.
  x.insert(x.begin(), gone);
  const auto late = fit("smoothing:ANA", x, 4);
  for (int k = 1; k <= 4; ++k) {
    CHECK(term(late, "season" + std::to_string(k % 4 + 1)) ==
          Approx(term(whole, "season" + std::to_string(k))));
  }
}

TEST_CASE("a long season is taken off and put back", "[forecast]") {
  const std::size_t season = 48;
  std::vector<double> x;
  const auto part = [&](std::size_t t) {
    return 5 * std::sin(2 * M_PI * static_cast<double>(t % season) / season);
  };
  const auto noise = ar1(6 * season, 0.5, 20, 11);
  for (std::size_t t = 0; t < noise.size(); ++t) x.push_back(noise[t] + part(t));
  for (const char* model : {"arima", "smoothing", "arima:1,0,0"}) {
    const auto fitted = fit(model, x, season);
    CHECK_THAT(fitted.name, Catch::Contains("after a season of 48 is taken off"));
    const auto rows = fitted.ahead(season);
    for (std::size_t h = 8; h < season; ++h) {
      CHECK(rows.value[h] == Approx(20 + part(h)).margin(1.6));
    }
  }
  CHECK_THAT(fit("arima:1,0,0,0,1,0", x, season).name, !Catch::Contains("taken off"));
}

TEST_CASE("hidden ends are what a plain loop makes of them", "[forecast]") {
  auto x = seasonal_walk(40, 4, 6);
  x[33] = gone;
  const std::size_t ahead = 6;
  const std::vector<ForecastModel> models{Family::naive, Family::mean};
  const auto scores = detail::score_ends(models, {x, 4}, ahead, 5, both_bands, as_read);
  double absolute = 0, squares = 0, scaled = 0, count = 0, within = 0;
  for (std::size_t round = 5; round >= 1; --round) {
    const std::size_t rows = x.size() - round * ahead;
    double step = 0, steps = 0;
    for (std::size_t t = 4; t < rows; ++t) {
      if (std::isnan(x[t] - x[t - 4])) continue;
      step += std::fabs(x[t] - x[t - 4]);
      ++steps;
    }
    const std::vector<double> before(x.begin(), x.begin() + static_cast<std::ptrdiff_t>(rows));
    const auto told = fit("naive", before).ahead(ahead);
    for (std::size_t h = 0; h < ahead; ++h) {
      const double error = x[rows + h] - told.value[h];
      if (std::isnan(error)) continue;
      absolute += std::fabs(error);
      squares += error * error;
      scaled += std::fabs(error) / (step / steps);
      within += told.low[0][h] <= x[rows + h] && x[rows + h] <= told.high[0][h] ? 1 : 0;
      ++count;
    }
  }
  CHECK(scores[0].rounds == 5);
  CHECK(scores[0].compared == 29);
  CHECK(scores[0].mae == Approx(absolute / count));
  CHECK(scores[0].rmse == Approx(std::sqrt(squares / count)));
  CHECK(scores[0].mase == Approx(scaled / count));
  CHECK(scores[0].within[0] == Approx(within / count));
  CHECK(scores[1].mae != scores[0].mae);
  // A round needs something before it that steps a season.
  const auto few =
      detail::score_ends(models, {std::span(x).first(20), 4}, ahead, 5, both_bands, as_read);
  CHECK(few[0].rounds == 2);
}

TEST_CASE("auto takes what came nearest over the hidden ends", "[forecast]") {
  const auto chosen = [](const std::vector<double>& x, std::size_t season) {
    return detail::choose_model(Family::automatic, {x, season}, 4, 5, both_bands, as_read);
  };
  const auto seasonal = chosen(seasonal_walk(60, 4, 12), 4);
  REQUIRE(seasonal.scores.size() == 4);
  for (const auto& score : seasonal.scores) {
    CHECK(seasonal.scores[seasonal.best].mae <= score.mae);
  }
  CHECK(seasonal.compared[seasonal.best].family == seasonal.fitted.model.family);
  // Of equals the simplest.
  const auto flat = chosen(std::vector<double>(30, 5.0), 1);
  CHECK(flat.fitted.model.family == Family::naive);
  // Too short to hide an end.
  const auto few = chosen({1, 2, 3}, 1);
  CHECK(few.scores[0].rounds == 0);
  CHECK(few.fitted.model.family == Family::naive);
}

TEST_CASE("bands hold what they promise", "[forecast]") {
  struct Kind {
    const char* model;
    std::size_t season;
    std::vector<double> (*draw)(std::uint64_t seed);
  };
  constexpr std::size_t rows = 200, ahead = 8, repeats = 150;
  const Kind kinds[] = {
      {"mean", 1, [](std::uint64_t seed) { return ar1(rows + ahead, 0, 10, seed); }},
      {"naive", 1, [](std::uint64_t seed) { return ar1(rows + ahead, 1, 10, seed); }},
      {"arima:1,0,0", 1, [](std::uint64_t seed) { return ar1(rows + ahead, 0.6, 10, seed); }},
      {"smoothing:AAA", 4, [](std::uint64_t seed) { return seasonal_walk(rows + ahead, 4, seed); }},
      {"smoothing:ANM", 4, [](std::uint64_t seed) {
         auto x = seasonal_walk(rows + ahead, 4, seed);
         for (double& v : x) v += 500;
         return x;
       }}};
  for (const Kind& kind : kinds) {
    double in80 = 0, in95 = 0;
    for (std::size_t seed = 0; seed < repeats; ++seed) {
      const auto x = kind.draw(seed + 100);
      const auto told = detail::fit_model(ForecastModel(kind.model),
                                          {std::span(x).first(rows), kind.season}, both_bands)
                            .ahead(ahead);
      for (std::size_t h = 0; h < ahead; ++h) {
        in80 += told.low[0][h] <= x[rows + h] && x[rows + h] <= told.high[0][h] ? 1 : 0;
        in95 += told.low[1][h] <= x[rows + h] && x[rows + h] <= told.high[1][h] ? 1 : 0;
      }
    }
    CAPTURE(kind.model);
    CHECK(in80 / (repeats * ahead) == Approx(0.8).margin(0.07));
    CHECK(in95 / (repeats * ahead) == Approx(0.95).margin(0.04));
  }
}

TEST_CASE("variances ahead are those of paths that are drawn", "[forecast]") {
  // Classes of Hyndman and others: errors that add, that multiply, and a season that does.
  const auto x = seasonal_walk(80, 4, 21);
  for (const char* form : {"smoothing:AAdA", "smoothing:MAA", "smoothing:MAM"}) {
    const auto fitted = fit(form, x, 4);
    const auto told = fitted.ahead(8);
    const ForecastModel model(form);
    std::mt19937_64 random(3);
    std::normal_distribution<double> normal;
    // From the state at the end, found by going over the readings from where the fit begins.
    const double alpha = term(fitted, "alpha"), beta = term(fitted, "beta"),
                 gamma = term(fitted, "gamma");
    const double phi = model.form->trend == SmoothingForm::Part::damped ? term(fitted, "phi") : 1;
    const bool product = model.form->season == SmoothingForm::Part::multiplicative;
    const bool relative = model.form->error == SmoothingForm::Part::multiplicative;
    struct State {
      double level, slope;
      std::vector<double> season;
    };
    State state{term(fitted, "level"), term(fitted, "slope"), {}};
    for (int k = 1; k <= 4; ++k) state.season.push_back(term(fitted, "season" + std::to_string(k)));
    const auto told_of = [&](const State& s, std::size_t t) {
      const double trend = s.level + phi * s.slope;
      return product ? trend * s.season[t % 4] : trend + s.season[t % 4];
    };
    const auto advance = [&](State& s, std::size_t t, double error) {
      const double trend = s.level + phi * s.slope, part = s.season[t % 4];
      s.level = trend + alpha * error / (product ? part : 1);
      s.slope = phi * s.slope + beta * error / (product ? part : 1);
      s.season[t % 4] = part + gamma * error / (product ? trend : 1);
    };
    for (std::size_t t = 0; t < x.size(); ++t) advance(state, t, x[t] - told_of(state, t));
    constexpr int paths = 20'000;
    std::vector<double> sum(8, 0.0), squares(8, 0.0);
    for (int path = 0; path < paths; ++path) {
      State s = state;
      for (std::size_t h = 0; h < 8; ++h) {
        const std::size_t t = x.size() + h;
        const double mean = told_of(s, t);
        const double error = fitted.sigma * normal(random) * (relative ? mean : 1);
        const double value = mean + error;
        sum[h] += value;
        squares[h] += value * value;
        advance(s, t, error);
      }
    }
    for (std::size_t h = 0; h < 8; ++h) {
      const double mean = sum[h] / paths;
      const double deviation = std::sqrt(squares[h] / paths - mean * mean);
      CAPTURE(form, h);
      CHECK(told.value[h] == Approx(mean).epsilon(0.01));
      // Of products the formula takes a season's steps and the level's for independent.
      CHECK(half_width(told, h) / z80 == Approx(deviation).epsilon(product ? 0.08 : 0.03));
    }
  }
}

}  // namespace zerobeat::testing
