#include "model/forecast/smoothing.hpp"

#include <Eigen/Dense>
#include <catch2/catch.hpp>
#include <cmath>
#include <random>
#include <vector>

#include "model/forecast/smoothing_gaps.hpp"

namespace zerobeat::testing {

using detail::SmoothingReadings;
using detail::SmoothingState;
using Part = SmoothingForm::Part;

namespace {

std::vector<SmoothingForm> all_forms() {
  std::vector<SmoothingForm> out;
  for (const Part error : {Part::additive, Part::multiplicative}) {
    for (const Part trend : {Part::none, Part::additive, Part::damped}) {
      for (const Part season : {Part::none, Part::additive, Part::multiplicative}) {
        out.push_back({error, trend, season});
      }
    }
  }
  return out;
}

SmoothingState some_state(std::mt19937& random, const SmoothingForm& form, std::size_t season) {
  std::uniform_real_distribution<double> share(0.1, 0.9), part(-0.1, 0.1);
  SmoothingState out;
  out.alpha = share(random);
  if (detail::has_trend(form)) out.beta = share(random) * out.alpha;
  if (detail::has_season(form)) out.gamma = share(random) * (1 - out.alpha);
  if (detail::is_damped(form)) out.phi = 0.9;
  out.level = 1.3;
  if (detail::has_trend(form)) out.slope = 0.01;
  for (std::size_t k = 0; detail::has_season(form) && k < season; ++k) {
    out.season.push_back((form.season == Part::multiplicative ? 1 : 0) + part(random));
  }
  // Their mean is 0, of products 1.
  double rest = 0;
  for (const double x : out.season) rest += x - (form.season == Part::multiplicative ? 1 : 0);
  if (!out.season.empty()) out.season.back() -= rest;
  return out;
}

std::vector<double> some_readings(std::mt19937& random, std::size_t rows, bool gaps) {
  std::normal_distribution<double> normal(0, 0.03);
  std::bernoulli_distribution is_lost(0.2);
  std::vector<double> out;
  for (std::size_t t = 0; t < rows; ++t) {
    out.push_back(1.4 + 0.1 * std::sin(static_cast<double>(t)) + normal(random));
  }
  for (std::size_t t = 1; gaps && t + 1 < rows; ++t) {
    if (is_lost(random)) out[t] = std::nan("");
  }
  return out;
}

/// The definition: a model's equations as its authors print them.
double plain_deviance(const std::vector<double>& x, const SmoothingForm& form, SmoothingState s) {
  double squares = 0, logarithms = 0, count = 0;
  for (std::size_t t = 0; t < x.size(); ++t) {
    const std::size_t phase = s.season.empty() ? 0 : t % s.season.size();
    const double l = s.level, b = s.slope, trend = l + s.phi * b;
    const double part = s.season.empty() ? 0 : s.season[phase];
    const double told = form.season == Part::multiplicative ? trend * part : trend + part;
    const bool is_there = !std::isnan(x[t]);
    if (form.error == Part::multiplicative) {
      const double error = is_there ? (x[t] - told) / told : 0;
      if (form.season == Part::multiplicative) {
        s.level = trend * (1 + s.alpha * error);
        s.slope = s.phi * b + s.beta * trend * error;
        s.season[phase] = part * (1 + s.gamma * error);
      } else {
        s.level = trend + s.alpha * told * error;
        s.slope = s.phi * b + s.beta * told * error;
        if (!s.season.empty()) s.season[phase] = part + s.gamma * told * error;
      }
      squares += error * error;
      if (is_there) logarithms += std::log(told);
    } else {
      const double error = is_there ? x[t] - told : 0;
      const bool product = form.season == Part::multiplicative;
      s.level = trend + s.alpha * error / (product ? part : 1);
      s.slope = s.phi * b + s.beta * error / (product ? part : 1);
      if (!s.season.empty()) s.season[phase] = part + s.gamma * error / (product ? trend : 1);
      squares += error * error;
    }
    count += is_there ? 1 : 0;
  }
  return count * std::log(squares / count) + 2 * logarithms;
}

/// Every number of a state, to move one at a time.
std::vector<double*> numbers_of(SmoothingState& s, const SmoothingForm& form) {
  std::vector<double*> out{&s.alpha, &s.level};
  if (detail::has_trend(form)) out.insert(out.end(), {&s.beta, &s.slope});
  if (detail::is_damped(form)) out.push_back(&s.phi);
  if (!detail::has_season(form)) return out;
  out.push_back(&s.gamma);
  for (double& part : s.season) out.push_back(&part);
  return out;
}

}  // namespace

TEST_CASE("a form's deviance is that of its equations", "[forecast]") {
  std::mt19937 random(1);
  for (const bool gaps : {false, true}) {
    for (const SmoothingForm& form : all_forms()) {
      const auto x = some_readings(random, 50, gaps);
      const SmoothingState state = some_state(random, form, 4);
      CAPTURE(form_text(form), gaps);
      CHECK(detail::smoothing_deviance(SmoothingReadings(x, 4), form, state) ==
            Approx(plain_deviance(x, form, state)).epsilon(1e-10));
    }
  }
}

TEST_CASE("slopes are what the deviance moves by", "[forecast]") {
  std::mt19937 random(2);
  for (const bool gaps : {false, true}) {
    for (const SmoothingForm& form : all_forms()) {
      const SmoothingReadings readings(some_readings(random, 50, gaps), 4);
      SmoothingState state = some_state(random, form, 4), slopes;
      static_cast<void>(detail::smoothing_deviance(readings, form, state, &slopes));
      const auto moved = numbers_of(state, form);
      const auto by = numbers_of(slopes, form);
      for (std::size_t i = 0; i < moved.size(); ++i) {
        CAPTURE(form_text(form), gaps, i);
        constexpr double step = 1e-6;
        const double at = *moved[i];
        *moved[i] = at + step;
        const double above = detail::smoothing_deviance(readings, form, state);
        *moved[i] = at - step;
        const double below = detail::smoothing_deviance(readings, form, state);
        *moved[i] = at;
        CHECK(*by[i] == Approx((above - below) / (2 * step)).epsilon(1e-4).margin(1e-3));
      }
    }
  }
}

TEST_CASE("additive smoothing with readings missing is a dense normal", "[forecast]") {
  std::mt19937 random(3);
  for (const SmoothingForm& form : all_forms()) {
    if (!detail::is_linear(form)) continue;
    for (const bool gaps : {false, true}) {
      const std::size_t rows = 40, season = 4;
      const auto x = some_readings(random, rows, gaps);
      SmoothingState state = some_state(random, form, season);
      // What a shock at a row does to all after it, and each part of the beginning to all.
      const auto course = [&](SmoothingState s, std::size_t shock) {
        Eigen::VectorXd out(rows);
        for (std::size_t t = 0; t < rows; ++t) {
          const double trend = s.level + s.phi * s.slope;
          const double error = t == shock ? 1 : 0;
          out[static_cast<Eigen::Index>(t)] =
              trend + (s.season.empty() ? 0 : s.season[t % season]) + error;
          s.level = trend + s.alpha * error;
          s.slope = s.phi * s.slope + s.beta * error;
          if (!s.season.empty()) s.season[t % season] += s.gamma * error;
        }
        return out;
      };
      SmoothingState empty = state;
      empty.level = empty.slope = 0;
      std::ranges::fill(empty.season, 0.0);
      Eigen::MatrixXd spread(rows, rows);
      for (std::size_t s = 0; s < rows; ++s) {
        spread.col(static_cast<Eigen::Index>(s)) = course(empty, s);
      }
      std::vector<Eigen::VectorXd> parts;
      const auto add = [&](auto set) {
        SmoothingState one = empty;
        set(one);
        parts.push_back(course(one, rows));
      };
      add([](SmoothingState& s) { s.level = 1; });
      if (detail::has_trend(form)) add([](SmoothingState& s) { s.slope = 1; });
      for (std::size_t k = 0; detail::has_season(form) && k + 1 < season; ++k) {
        add([&](SmoothingState& s) {
          s.season[k] = 1;
          s.season[season - 1] = -1;
        });
      }
      std::vector<int> there;
      for (std::size_t t = 0; t < rows; ++t) {
        if (!std::isnan(x[t])) there.push_back(static_cast<int>(t));
      }
      const auto m = static_cast<Eigen::Index>(there.size());
      const Eigen::MatrixXd every = spread * spread.transpose();
      const Eigen::MatrixXd covariance = every(there, there);
      Eigen::MatrixXd z(m, static_cast<Eigen::Index>(parts.size()));
      Eigen::VectorXd y(m);
      for (Eigen::Index i = 0; i < m; ++i) {
        y[i] = x[static_cast<std::size_t>(there[static_cast<std::size_t>(i)])];
        for (std::size_t j = 0; j < parts.size(); ++j) {
          z(i, static_cast<Eigen::Index>(j)) = parts[j][there[static_cast<std::size_t>(i)]];
        }
      }
      const Eigen::LLT<Eigen::MatrixXd> llt(covariance);
      const Eigen::VectorXd begin =
          (z.transpose() * llt.solve(z)).ldlt().solve(z.transpose() * llt.solve(y));
      const Eigen::VectorXd rest = y - z * begin;
      const auto count = static_cast<double>(m);
      double expected = count * std::log(rest.dot(llt.solve(rest)) / count);
      const Eigen::MatrixXd lower = llt.matrixL();
      for (Eigen::Index i = 0; i < m; ++i) expected += 2 * std::log(lower(i, i));
      CAPTURE(form_text(form), gaps);
      const SmoothingReadings readings(x, season);
      const auto found = detail::SmoothingGaps(readings, form).deviance(state);
      CHECK(found.value == Approx(expected).epsilon(1e-8));
      CHECK(found.begin.level == Approx(begin[0]).epsilon(1e-6));
      // Without a gap it is what the equations say from that beginning.
      state = found.begin;
      if (!gaps) CHECK(found.value == Approx(plain_deviance(x, form, state)).epsilon(1e-9));
      CHECK(found.end_covariance.empty() == !gaps);
    }
  }
}

TEST_CASE("a fitted form is a maximum", "[forecast]") {
  std::mt19937 random(4);
  for (const bool gaps : {false, true}) {
    for (const SmoothingForm& form : all_forms()) {
      const SmoothingReadings readings(some_readings(random, 60, gaps), 4);
      const auto fit = detail::fit_smoothing(readings, form, detail::Effort::final);
      CAPTURE(form_text(form), gaps);
      REQUIRE(fit.readings == readings.counted());
      const bool is_full = gaps && detail::is_linear(form);
      const auto value = [&](const SmoothingState& state) {
        return is_full ? detail::SmoothingGaps(readings, form).deviance(state).value
                       : detail::smoothing_deviance(readings, form, state);
      };
      const auto count = static_cast<double>(fit.readings);
      const double there = value(fit.begin);
      CHECK(fit.log_likelihood ==
            Approx(-0.5 * (there + count * (std::log(2 * M_PI) + 1))).epsilon(1e-9));
      SmoothingState state = fit.begin;
      for (double* number : numbers_of(state, form)) {
        for (const double by : {-0.003, 0.003}) {
          const double at = *number;
          // A season's parts go together.
          double* last = state.season.empty() ? nullptr : &state.season.back();
          const bool is_part = last != nullptr && number >= state.season.data() && number <= last;
          if (is_part && number == last) continue;
          const double last_at = is_part ? *last : 0;
          *number += by;
          if (is_part) *last -= by;
          const bool allowed =
              state.alpha >= 1e-4 && state.alpha <= 1 - 1e-4 &&
              (!detail::has_trend(form) || (state.beta >= 1e-4 && state.beta < state.alpha)) &&
              (!detail::has_season(form) ||
               (state.gamma >= 1e-4 && state.gamma < 1 - state.alpha)) &&
              (!detail::is_damped(form) || (state.phi >= 0.8 && state.phi <= 0.98));
          if (allowed) CHECK(value(state) >= there - 1e-5);
          *number = at;
          if (is_part) *last = last_at;
        }
      }
    }
  }
}

}  // namespace zerobeat::testing
