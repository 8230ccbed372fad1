#include "model/forecast/smoothing.hpp"

#include <algorithm>
#include <cmath>
#include <limits>

#include "kernel/sums.hpp"
#include "model/forecast/minimum.hpp"
#include "model/forecast/products.hpp"
#include "model/forecast/smoothing_gaps.hpp"

namespace zerobeat::inline v1::detail {

namespace {

using Part = SmoothingForm::Part;

constexpr double infinite = std::numeric_limits<double>::infinity();
}  // namespace

bool has_trend(const SmoothingForm& form) { return form.trend != Part::none; }
bool is_damped(const SmoothingForm& form) { return form.trend == Part::damped; }
bool has_season(const SmoothingForm& form) { return form.season != Part::none; }

bool is_linear(const SmoothingForm& form) {
  return form.error == Part::additive && form.season != Part::multiplicative;
}

bool multiplies(const SmoothingForm& form) {
  return form.error == Part::multiplicative || form.season == Part::multiplicative;
}

std::int64_t parameters_of(const SmoothingForm& form, std::size_t season) {
  return 3 + (has_trend(form) ? 2 : 0) + (is_damped(form) ? 1 : 0) +
         (has_season(form) ? static_cast<std::int64_t>(season) : 0);
}

SmoothingReadings::SmoothingReadings(std::span<const double> readings, std::size_t season)
    : values_(readings.begin(), readings.end()), season_(season) {
  for (const double x : values_) {
    if (std::isnan(x)) continue;
    ++counted_;
    all_positive_ &= x > 0;
  }
  std::vector<double> steps;
  double before = std::nan("");
  for (const double x : values_) {
    if (std::isnan(x)) continue;
    if (!std::isnan(before)) steps.push_back((x - before) * (x - before));
    before = x;
  }
  if (!steps.empty()) spread_ = std::sqrt(sum_of(steps).mean(steps.size()));
  if (!(spread_ > 0)) spread_ = 1;
}

namespace {

/// What a row went through, for the way back.
struct Passed {
  double slope = 0, season = 0, trend = 0, error = 0;
};

/// The rows forward, and back for the slopes.
class Deviance {
 public:
  Deviance(const SmoothingReadings& readings, const SmoothingForm& form,
           const SmoothingState& state)
      : readings_(readings),
        form_(form),
        begin_(state),
        now_(state),
        is_season_product_(form.season == Part::multiplicative),
        is_relative_(form.error == Part::multiplicative) {
    if (!has_season(form_)) now_.season.assign(1, 0.0);
  }

  double value(bool keeps) {
    const auto x = readings_.values();
    if (keeps) passed_.resize(x.size());
    const std::size_t season = now_.season.size();
    constexpr double many = 1e150;
    double logarithms = 0, product = 1;
    std::size_t phase = 0;
    for (std::size_t t = 0; t < x.size(); ++t) {
      double& part = now_.season[phase];
      phase = phase + 1 == season ? 0 : phase + 1;
      const double trend = now_.level + now_.phi * now_.slope;
      const double told = is_season_product_ ? trend * part : trend + part;
      const bool is_there = !std::isnan(x[t]);
      const double error = is_there ? x[t] - told : 0;
      if (keeps) passed_[t] = {now_.slope, part, trend, error};
      if (is_there) {
        if (is_relative_ && !(told > 0)) return infinite;
        const double relative = is_relative_ ? error / told : error;
        squares_ += relative * relative;
        // One logarithm of many.
        product *= is_relative_ ? told : 1;
        if (product > many || product < 1 / many) {
          logarithms += std::log(product);
          product = 1;
        }
      }
      const double to_trend = is_season_product_ ? error / part : error;
      const double to_season = is_season_product_ ? error / trend : error;
      now_.level = trend + now_.alpha * to_trend;
      now_.slope = now_.phi * now_.slope + now_.beta * to_trend;
      if (has_season(form_)) part += now_.gamma * to_season;
    }
    logarithms += std::log(product);
    const auto count = static_cast<double>(readings_.counted());
    constexpr double nothing = 1e-30;
    const double variance = std::max(squares_ / count, nothing);
    const double out = count * std::log(variance) + 2 * logarithms;
    return std::isfinite(out) ? out : infinite;
  }

  void slopes(SmoothingState& out) {
    const auto x = readings_.values();
    const std::size_t season = now_.season.size();
    const auto count = static_cast<double>(readings_.counted());
    out = {.phi = 0};
    out.season.assign(season, 0.0);
    std::size_t phase = x.size() % season;
    // What -2 log L moves by with the level and the slope after the row, and with each season.
    double of_level = 0, of_slope = 0;
    for (std::size_t t = x.size(); t-- > 0;) {
      phase = phase == 0 ? season - 1 : phase - 1;
      const auto& [slope, part, trend, error] = passed_[t];
      double& of_part = out.season[phase];
      double of_trend = of_level;
      if (!std::isnan(x[t])) {
        const double told = is_season_product_ ? trend * part : trend + part;
        double of_told = 0;
        if (is_relative_) {
          const double relative = error / told;
          of_told = -2 * count * relative / squares_ * x[t] / (told * told) + 2 / told;
        } else {
          of_told = -2 * count * error / squares_;
        }
        const double both = begin_.alpha * of_level + begin_.beta * of_slope;
        const double before = of_part;
        if (is_season_product_) {
          out.alpha += of_level * error / part;
          out.beta += of_slope * error / part;
          out.gamma += before * error / trend;
          of_told -= both / part + begin_.gamma * before / trend;
          of_trend += of_told * part - begin_.gamma * before * error / (trend * trend);
          of_part += of_told * trend - both * error / (part * part);
        } else {
          out.alpha += of_level * error;
          out.beta += of_slope * error;
          out.gamma += before * error;
          of_told -= both + begin_.gamma * before;
          of_trend += of_told;
          of_part += of_told;
        }
      }
      out.phi += (of_slope + of_trend) * slope;
      of_slope = begin_.phi * (of_slope + of_trend);
      of_level = of_trend;
    }
    out.level = of_level;
    out.slope = of_slope;
  }

  [[nodiscard]] double variance() const {
    return squares_ / static_cast<double>(readings_.counted());
  }
  /// After the last row, the season of the next first.
  [[nodiscard]] SmoothingState end() const {
    SmoothingState out = now_;
    if (!has_season(form_)) {
      out.season.clear();
    } else {
      const std::size_t phase = readings_.values().size() % out.season.size();
      const auto next = out.season.begin() + static_cast<std::ptrdiff_t>(phase);
      std::rotate(out.season.begin(), next, out.season.end());
    }
    return out;
  }

 private:
  const SmoothingReadings& readings_;
  SmoothingForm form_;
  SmoothingState begin_, now_;
  bool is_season_product_, is_relative_;
  double squares_ = 0;
  std::vector<Passed> passed_{};
};

}  // namespace

double smoothing_deviance(const SmoothingReadings& readings, const SmoothingForm& form,
                          const SmoothingState& state, SmoothingState* slopes) {
  Deviance deviance(readings, form, state);
  const double value = deviance.value(slopes != nullptr);
  if (slopes != nullptr && std::isfinite(value)) deviance.slopes(*slopes);
  return value;
}

namespace {

constexpr double least_share = 1e-4, most_share = 1 - 1e-4;
constexpr double least_phi = 0.8, most_phi = 0.98;

/// A state as the numbers that a search moves: shares of the room that each has, and beginnings in
/// steps of the readings' spread.
class SmoothingNumbers {
 public:
  SmoothingNumbers(const SmoothingReadings& readings, const SmoothingForm& form)
      : form_(form), season_(has_season(form) ? readings.season() : 0), spread_(readings.spread()) {
    shares_ = 1 + (has_trend(form) ? 1 : 0) + (season_ > 0 ? 1 : 0) + (is_damped(form) ? 1 : 0);
    size_ = shares_ + 1 + (has_trend(form) ? 1 : 0) + (season_ > 0 ? season_ - 1 : 0);
    // Products are about 1, and their steps relative.
    double middle = 0;
    for (const double x : readings.values()) {
      if (!std::isnan(x)) middle = std::max(middle, std::fabs(x));
    }
    season_spread_ =
        form.season == Part::multiplicative ? spread_ / std::max(middle, spread_) : spread_;
  }

  [[nodiscard]] std::size_t shares() const { return shares_; }

  [[nodiscard]] SearchBounds bounds() const {
    SearchBounds box{std::vector<double>(size_, -infinite), std::vector<double>(size_, infinite)};
    std::size_t i = 0;
    box.low[i] = least_share;
    box.high[i++] = most_share;
    for (; i < shares_; ++i) {
      box.low[i] = 0;
      box.high[i] = most_share;
    }
    if (is_damped(form_)) {
      box.low[shares_ - 1] = least_phi;
      box.high[shares_ - 1] = most_phi;
    }
    return box;
  }

  [[nodiscard]] SmoothingState state(std::span<const double> at) const {
    SmoothingState out;
    std::size_t i = 0;
    out.alpha = at[i++];
    if (has_trend(form_)) out.beta = least_share + (out.alpha - least_share) * at[i++];
    if (season_ > 0) out.gamma = least_share + (1 - out.alpha - least_share) * at[i++];
    if (is_damped(form_)) out.phi = at[i++];
    out.level = at[i++] * spread_;
    if (has_trend(form_)) out.slope = at[i++] * spread_;
    if (season_ == 0) return out;
    // The last is what the others leave: their mean is 0, of products 1.
    const double about = form_.season == Part::multiplicative ? 1 : 0;
    double last = about;
    for (std::size_t k = 0; k + 1 < season_; ++k) {
      const double part = at[i++] * season_spread_;
      out.season.push_back(about + part);
      last -= part;
    }
    out.season.push_back(last);
    return out;
  }

  [[nodiscard]] std::vector<double> numbers(const SmoothingState& state) const {
    std::vector<double> out{state.alpha};
    const auto share_of = [](double part, double room) {
      return room > 0 ? std::clamp((part - least_share) / room, 0.0, most_share) : 0.0;
    };
    if (has_trend(form_)) out.push_back(share_of(state.beta, state.alpha - least_share));
    if (season_ > 0) out.push_back(share_of(state.gamma, 1 - state.alpha - least_share));
    if (is_damped(form_)) out.push_back(state.phi);
    out.push_back(state.level / spread_);
    if (has_trend(form_)) out.push_back(state.slope / spread_);
    const double about = form_.season == Part::multiplicative ? 1 : 0;
    for (std::size_t k = 0; k + 1 < season_; ++k) {
      out.push_back((state.season[k] - about) / season_spread_);
    }
    return out;
  }

  /// The slopes by these numbers, from those by the state.
  void put_slopes(std::span<const double> at, const SmoothingState& slopes,
                  std::span<double> out) const {
    std::size_t i = 0;
    const double alpha = at[0];
    out[i++] = slopes.alpha;
    if (has_trend(form_)) {
      out[0] += slopes.beta * at[i];
      out[i++] = slopes.beta * (alpha - least_share);
    }
    if (season_ > 0) {
      out[0] -= slopes.gamma * at[i];
      out[i++] = slopes.gamma * (1 - alpha - least_share);
    }
    if (is_damped(form_)) out[i++] = slopes.phi;
    out[i++] = slopes.level * spread_;
    if (has_trend(form_)) out[i++] = slopes.slope * spread_;
    for (std::size_t k = 0; k + 1 < season_; ++k) {
      out[i++] = (slopes.season[k] - slopes.season[season_ - 1]) * season_spread_;
    }
  }

 private:
  SmoothingForm form_;
  std::size_t season_, shares_ = 1, size_ = 2;
  double spread_, season_spread_ = 1;
};

/// How much readings step from row to row, by those a season apart.
double typical_slope(std::span<const double> x, std::size_t season) {
  double sum = 0, count = 0;
  for (std::size_t t = season; t < x.size(); ++t) {
    const double step = x[t] - x[t - season];
    if (std::isnan(step)) continue;
    sum += step;
    ++count;
  }
  return count > 0 ? sum / count / static_cast<double>(season) : 0;
}

/// Where level, slope and season begin: a line through the first rows, and each phase's mean about
/// it.
SmoothingState beginning_of(const SmoothingReadings& readings, const SmoothingForm& form) {
  const std::size_t season = has_season(form) ? readings.season() : 1;
  constexpr std::size_t some = 10, seasons = 3;
  const auto x =
      readings.values().first(std::min(readings.values().size(), std::max(some, seasons * season)));
  const double slope = typical_slope(x, season);
  std::vector<double> sums(season, 0.0), counts(season, 0.0);
  for (std::size_t t = 0; t < x.size(); ++t) {
    if (std::isnan(x[t])) continue;
    sums[t % season] += x[t] - slope * static_cast<double>(t + 1);
    ++counts[t % season];
  }
  double level = 0, phases = 0;
  for (std::size_t k = 0; k < season; ++k) {
    if (counts[k] == 0) continue;
    level += sums[k] / counts[k];
    ++phases;
  }
  level /= std::max(phases, 1.0);
  SmoothingState out;
  const double middle = level + slope * static_cast<double>(x.size()) / 2;
  out.slope = has_trend(form) ? slope : 0;
  out.level = has_trend(form) ? level : middle;
  if (!has_season(form)) return out;
  for (std::size_t k = 0; k < season; ++k) {
    const double part = counts[k] > 0 ? sums[k] / counts[k] - level : 0;
    // A product that is not well above 0 has no likelihood to climb.
    constexpr double least = 0.05;
    out.season.push_back(form.season == Part::additive
                             ? part
                             : (middle > 0 ? std::max(least, 1 + part / middle) : 1));
  }
  if (form.season == Part::multiplicative) {
    double sum = 0;
    for (const double part : out.season) sum += part;
    for (double& part : out.season) part *= static_cast<double>(season) / sum;
  }
  return out;
}

struct Follows {
  double alpha, beta, gamma, phi;
};
/// Shares of the room that each has.
constexpr Follows follows[] = {
    {0.1, 0.1, 0.05, 0.9}, {0.5, 0.1, 0.1, 0.95}, {0.9, 0.05, 0.05, 0.97}};

}  // namespace

SmoothingFit fit_smoothing(const SmoothingReadings& readings, const SmoothingForm& form,
                           Effort effort) {
  const SmoothingNumbers numbers(readings, form);
  SmoothingState slopes_of_state;
  const ValueAndSlopes value = [&](std::span<const double> at, std::span<double> slopes) {
    const SmoothingState state = numbers.state(at);
    const double found =
        smoothing_deviance(readings, form, state, slopes.empty() ? nullptr : &slopes_of_state);
    if (!slopes.empty()) {
      if (std::isfinite(found)) {
        numbers.put_slopes(at, slopes_of_state, slopes);
      } else {
        std::ranges::fill(slopes, 0.0);
      }
    }
    return found;
  };
  const SmoothingState begin = beginning_of(readings, form);
  const SearchBounds bounds = numbers.bounds();
  Minimum best{{}, infinite};
  constexpr SearchEnd begun{1e-2, 60}, compared{1e-3, 400}, fine{1e-10, 500};
  for (const Follows& follow : follows) {
    SmoothingState start = begin;
    start.alpha = follow.alpha;
    start.beta = follow.beta * follow.alpha;
    start.gamma = follow.gamma * (1 - follow.alpha);
    start.phi = is_damped(form) ? follow.phi : 1;
    Minimum found = least_by_slopes(value, numbers.numbers(start), bounds, begun);
    if (found.value < best.value || best.at.empty()) best = std::move(found);
  }
  // Again from there: what was learnt of the surface on the way is left behind.
  const bool is_final = effort == Effort::final;
  for (int again = 0; again < (is_final ? 4 : 2); ++again) {
    const double before = best.value;
    Minimum found = least_by_slopes(value, best.at, bounds, is_final ? fine : compared);
    if (found.value < best.value) best = std::move(found);
    if (!(before - best.value > (is_final ? 1e-9 : 0.1))) break;
  }
  SmoothingFit out;
  out.form = form;
  out.begin = numbers.state(best.at);
  out.readings = readings.counted();
  out.parameters = parameters_of(form, readings.season());
  double value_there = best.value;
  constexpr std::size_t largest_state = 1'000;
  if (is_final && is_linear(form) && readings.has_gaps() &&
      (!has_season(form) || readings.season() < largest_state)) {
    const SmoothingGaps gaps(readings, form);
    // The shares alone: for each the likeliest beginning is known.
    const auto shares = static_cast<std::ptrdiff_t>(numbers.shares());
    SearchBounds box = bounds;
    box.low.resize(numbers.shares());
    box.high.resize(numbers.shares());
    const ValueOf full = [&](std::span<const double> at) {
      std::vector<double> all = best.at;
      std::ranges::copy(at, all.begin());
      return gaps.deviance(numbers.state(all)).value;
    };
    constexpr double step = 0.05;
    const std::vector<double> from(best.at.begin(), best.at.begin() + shares);
    const Minimum found = least_by_values(full, from, box, step);
    std::ranges::copy(found.at, best.at.begin());
    GapsDeviance there = gaps.deviance(numbers.state(best.at));
    out.begin = there.begin;
    out.end = there.end;
    out.end_covariance = std::move(there.end_covariance);
    out.variance = there.variance;
    value_there = there.value;
  } else {
    Deviance deviance(readings, form, out.begin);
    value_there = deviance.value(false);
    out.variance = deviance.variance();
    out.end = deviance.end();
  }
  const auto count = static_cast<double>(out.readings);
  out.variance *= count / (count - static_cast<double>(out.parameters - 1));
  out.log_likelihood = -0.5 * (value_there + count * (log_two_pi + 1));
  return out;
}

}  // namespace zerobeat::detail
