#include "model/forecast/smoothing_gaps.hpp"

#include <algorithm>
#include <cmath>
#include <limits>

#include "model/forecast/products.hpp"
#include "model/forecast/whiten.hpp"

namespace zerobeat::inline v1::detail {

namespace {

/// Level, slope and seasons as one vector, and how uncertain it is.
class LinearState {
 public:
  LinearState(const SmoothingState& shares, std::size_t season, bool is_seasonal)
      : shares_(shares),
        season_(season),
        is_seasonal_(is_seasonal),
        size_(2 + (is_seasonal ? season : 0)),
        gain_(size_),
        told_(size_),
        covariance_(size_ * size_, 0.0) {}

  [[nodiscard]] std::size_t size() const { return size_; }
  [[nodiscard]] double variance() const { return variance_; }
  [[nodiscard]] double reading_of(const std::vector<double>& state) const {
    return state[0] + shares_.phi * state[1] + (is_seasonal_ ? state[2 + phase_] : 0);
  }

  /// Makes ready for a row: its variance and gain.
  void prepare() {
    std::ranges::fill(gain_, 0.0);
    variance_ = 1;
    if (!is_known_) {
      for (std::size_t i = 0; i < size_; ++i) {
        const double* row = &covariance_[i * size_];
        told_[i] = row[0] + shares_.phi * row[1] + (is_seasonal_ ? row[2 + phase_] : 0);
      }
      variance_ += reading_of(told_);
      gain_ = told_;
      gain_[0] += shares_.phi * told_[1];
      gain_[1] = shares_.phi * told_[1];
    }
    gain_[0] += shares_.alpha;
    gain_[1] += shares_.beta;
    if (is_seasonal_) gain_[2 + phase_] += shares_.gamma;
    for (double& x : gain_) x /= variance_;
  }

  void move_on(std::vector<double>& state, double innovation) const {
    state[0] += shares_.phi * state[1];
    state[1] *= shares_.phi;
    if (is_known_) {
      state[0] += gain_[0] * innovation;
      state[1] += gain_[1] * innovation;
      if (is_seasonal_) state[2 + phase_] += gain_[2 + phase_] * innovation;
      return;
    }
    for (std::size_t i = 0; i < size_; ++i) state[i] += gain_[i] * innovation;
  }

  void move_on(bool is_seen) {
    if (!is_known_ || !is_seen) spread(is_seen);
    if (is_seasonal_) phase_ = phase_ + 1 == season_ ? 0 : phase_ + 1;
  }

  /// The season of the next row first.
  [[nodiscard]] std::vector<double> covariance() const {
    if (is_known_) return {};
    std::vector<double> out(size_ * size_);
    for (std::size_t i = 0; i < size_; ++i) {
      for (std::size_t k = 0; k < size_; ++k) {
        out[i * size_ + k] = covariance_[place(i) * size_ + place(k)];
      }
    }
    return out;
  }
  [[nodiscard]] std::size_t place(std::size_t i) const {
    return i < 2 ? i : 2 + (i - 2 + phase_) % season_;
  }

 private:
  void spread(bool is_seen) {
    double* p = covariance_.data();
    const double phi = shares_.phi;
    for (std::size_t k = 0; k < size_; ++k) {
      p[k] += phi * p[size_ + k];
      p[size_ + k] *= phi;
    }
    for (std::size_t k = 0; k < size_; ++k) {
      double* row = p + k * size_;
      row[0] += phi * row[1];
      row[1] *= phi;
    }
    const std::size_t follow[] = {0, 1, 2 + phase_};
    const double by[] = {shares_.alpha, shares_.beta, shares_.gamma};
    const std::size_t followers = is_seasonal_ ? 3 : 2;
    for (std::size_t i = 0; i < followers; ++i) {
      for (std::size_t k = 0; k < followers; ++k) p[follow[i] * size_ + follow[k]] += by[i] * by[k];
    }
    is_known_ = false;
    if (!is_seen) return;
    double most = 0;
    for (std::size_t i = 0; i < size_; ++i) {
      const double share = gain_[i] * variance_;
      for (std::size_t k = 0; k < size_; ++k) p[i * size_ + k] -= share * gain_[k];
      most = std::max(most, std::fabs(p[i * size_ + i]));
    }
    constexpr double nothing = 1e-16;
    if (most < nothing) {
      is_known_ = true;
      std::ranges::fill(covariance_, 0.0);
    }
  }

  const SmoothingState& shares_;
  std::size_t season_;
  bool is_seasonal_;
  std::size_t size_, phase_ = 0;
  std::vector<double> gain_, told_, covariance_;
  double variance_ = 1;
  bool is_known_ = true;
};

}  // namespace

GapsDeviance SmoothingGaps::deviance(const SmoothingState& state) const {
  const bool is_seasonal = has_season(form_);
  const std::size_t season = readings_.season();
  LinearState filter(state, season, is_seasonal);
  const auto x = readings_.values();
  // A unit of each part that the beginning has, then the readings from the beginning as it stands.
  std::vector<std::vector<double>> begins;
  const auto part = [&](std::initializer_list<std::pair<std::size_t, double>> parts) {
    begins.emplace_back(filter.size(), 0.0);
    for (const auto& [at, value] : parts) begins.back()[at] = value;
  };
  part({{0, 1.0}});
  if (has_trend(form_)) part({{1, 1.0}});
  for (std::size_t k = 0; is_seasonal && k + 1 < season; ++k) {
    part({{2 + k, 1.0}, {1 + season, -1.0}});
  }
  begins.emplace_back(filter.size(), 0.0);
  begins.back()[0] = state.level;
  begins.back()[1] = state.slope;
  if (is_seasonal) std::ranges::copy(state.season, begins.back().begin() + 2);
  auto states = begins;
  const std::size_t n = states.size(), y = n - 1;
  Whitened whitened(n);
  std::vector<double> row(n);
  for (const double reading : x) {
    const bool is_seen = !std::isnan(reading);
    filter.prepare();
    for (std::size_t c = 0; c < n; ++c) {
      const double innovation = is_seen ? (c == y ? reading : 0) - filter.reading_of(states[c]) : 0;
      filter.move_on(states[c], innovation);
      row[c] = innovation / std::sqrt(filter.variance());
    }
    if (is_seen) {
      whitened.add(row);
      whitened.log_variances += std::log(filter.variance());
    }
    filter.move_on(is_seen);
  }
  GapsDeviance out;
  auto& triangle = whitened.products;
  out.value = std::numeric_limits<double>::infinity();
  if (!decompose_products(triangle, n)) return out;
  const auto count = static_cast<double>(readings_.counted());
  constexpr double nothing = 1e-30;
  out.variance = triangle[y * n + y] * triangle[y * n + y] / count;
  out.value = count * std::log(std::max(out.variance, nothing)) + whitened.log_variances;
  const std::vector<double> share = shares_of_last(triangle, n);
  std::vector<double> begin = begins[y], end = states[y];
  for (std::size_t c = 0; c < y; ++c) {
    for (std::size_t i = 0; i < begin.size(); ++i) {
      begin[i] -= share[c] * begins[c][i];
      end[i] -= share[c] * states[c][i];
    }
  }
  out.begin = out.end = state;
  out.begin.level = begin[0];
  out.begin.slope = begin[1];
  out.end.level = end[0];
  out.end.slope = end[1];
  for (std::size_t k = 0; is_seasonal && k < season; ++k) {
    out.begin.season[k] = begin[2 + k];
    out.end.season[k] = end[filter.place(2 + k)];
  }
  out.end_covariance = filter.covariance();
  return out;
}

}  // namespace zerobeat::detail
