#include "model/forecast/state_filter.hpp"

#include <algorithm>
#include <cmath>

#include "base/clones.hpp"

namespace zerobeat::inline v1::detail {

Differences Differences::of(int ordinary, int seasonal, std::size_t season) {
  const std::vector<double> one{1.0};
  Differences out;
  for (int i = 0; i < ordinary; ++i) out.back = times_seasonal(out.back, one, 1);
  for (int i = 0; i < seasonal; ++i) out.back = times_seasonal(out.back, one, season);
  return out;
}

std::vector<double> Differences::taken(std::span<const double> readings) const {
  if (readings.size() <= size()) return {};
  std::vector<double> out(readings.begin() + static_cast<std::ptrdiff_t>(size()), readings.end());
  for (std::size_t j = 0; j < back.size(); ++j) {
    if (back[j] == 0) continue;
    for (std::size_t t = 0; t < out.size(); ++t) out[t] -= back[j] * readings[size() + t - 1 - j];
  }
  return out;
}

namespace {

/// A covariance less what a reading told, moved up by one row and column in place.
ZEROBEAT_CLONES
void move_covariance(double* p, const double* gain, std::size_t size, double inverse) {
  for (std::size_t i = 0; i + 1 < size; ++i) {
    const double by = gain[i + 1] * inverse;
    double* to = p + i * size;
    const double* from = p + (i + 1) * size + 1;
    for (std::size_t k = 0; k + 1 < size; ++k) to[k] = from[k] - by * gain[k + 1];
  }
}

ZEROBEAT_CLONES
void add_times(double* to, const double* from, double by, std::size_t size) {
  for (std::size_t i = 0; i < size; ++i) to[i] += by * from[i];
}

}  // namespace

StateFilter::StateFilter(const Process& process, const Differences& differences)
    : r_(process.dimension()),
      size_(r_ + differences.size()),
      ar_(r_, 0.0),
      ma_(r_, 0.0),
      covariance_(size_ * size_, 0.0),
      given_(differences.size()) {
  std::ranges::copy(process.ar, ar_.begin());
  ma_[0] = 1;
  std::ranges::copy(process.ma, ma_.begin() + 1);
  for (std::size_t i = 0; i < r_; ++i) {
    if (ar_[i] != 0) ar_at_.push_back(i);
    if (ma_[i] != 0) ma_at_.push_back(i);
  }
  for (std::size_t j = 0; j < given_; ++j) {
    if (differences.back[j] != 0) before_.push_back({size_ - 1 - j, differences.back[j]});
  }
  begin(process);
}

/// Stationary: P = T P T' + R R', from the first row and column on; the readings before are known.
void StateFilter::begin(const Process& process) {
  const std::vector<double> first = state_covariances(process);
  const auto at = [&](std::size_t i, std::size_t k) {
    return i < r_ && k < r_ ? covariance_[i * size_ + k] : 0;
  };
  const auto of_first = [&](std::size_t i) { return i < r_ ? first[i] : 0; };
  for (std::size_t i = r_; i-- > 0;) {
    for (std::size_t k = r_; k-- > 0;) {
      covariance_[i * size_ + k] =
          i == 0   ? first[k]
          : k == 0 ? first[i]
                   : ar_[i] * ar_[k] * first[0] + ar_[i] * of_first(k + 1) +
                         ar_[k] * of_first(i + 1) + at(i + 1, k + 1) + ma_[i] * ma_[k];
    }
  }
}

double StateFilter::reading_of(const double* state) const {
  double sum = state[0];
  for (const Before& before : before_) sum += before.share * state[before.at];
  return sum;
}

double StateFilter::load(std::vector<double>& gain, const std::vector<double>& covariance) const {
  std::copy_n(covariance.begin(), size_, gain.begin());
  for (const Before& before : before_) {
    add_times(gain.data(), &covariance[before.at * size_], before.share, size_);
  }
  return reading_of(gain.data());
}

void StateFilter::move_on(std::vector<double>& state, double reading) const {
  const double first = state[0];
  std::copy(state.begin() + 1, state.end(), state.begin());
  // The process ends with its own last number; behind the readings before comes this one.
  state[r_ - 1] = 0;
  if (size_ > r_) state[size_ - 1] = reading;
  for (const std::size_t i : ar_at_) state[i] += ar_[i] * first;
}

void StateFilter::move_on(std::vector<double>& covariance, const std::vector<double>& gain,
                          double variance, bool is_seen) const {
  double* p = covariance.data();
  const double inverse = is_seen ? 1 / variance : 0;
  // The first number's covariances, and the reading's, with each number after the move.
  std::vector<double> first(size_, 0.0), reading(size_, 0.0);
  for (std::size_t k = 0; k + 1 < size_; ++k) {
    first[k] = p[k + 1] - gain[0] * inverse * gain[k + 1];
    if (!is_seen) reading[k] = gain[k + 1];
  }
  const double first_variance = p[0] - gain[0] * inverse * gain[0];
  const double first_and_reading = is_seen ? 0 : gain[0];
  first[r_ - 1] = reading[r_ - 1] = 0;
  if (size_ > r_) {
    first[size_ - 1] = first_and_reading;
    reading[size_ - 1] = is_seen ? 0 : variance;
  }
  move_covariance(p, gain.data(), size_, inverse);
  for (std::size_t k = 0; k < size_; ++k) p[(r_ - 1) * size_ + k] = p[k * size_ + r_ - 1] = 0;
  if (size_ > r_) {
    for (std::size_t k = 0; k < size_; ++k) {
      p[(size_ - 1) * size_ + k] = p[k * size_ + size_ - 1] = reading[k];
    }
  }
  for (const std::size_t i : ar_at_) {
    add_times(p + i * size_, first.data(), ar_[i], size_);
    for (std::size_t k = 0; k < size_; ++k) p[k * size_ + i] += ar_[i] * first[k];
    for (const std::size_t k : ar_at_) p[i * size_ + k] += ar_[i] * ar_[k] * first_variance;
  }
  for (const std::size_t i : ma_at_) {
    for (const std::size_t k : ma_at_) p[i * size_ + k] += ma_[i] * ma_[k];
  }
}

/// Whether all of the state's variance is the next shock's.
bool StateFilter::is_settled(double variance) const {
  constexpr double nothing = 1e-13;
  if (variance - 1 >= nothing) return false;
  for (std::size_t i = 0; i < size_; ++i) {
    const double shock = i < r_ ? ma_[i] : 0;
    if (std::fabs(covariance_[i * size_ + i] - shock * shock) >= nothing) return false;
  }
  return true;
}

Whitened StateFilter::take(std::span<const std::span<const double>> columns,
                           const std::vector<bool>& is_missing) {
  Whitened out(columns.size());
  const std::size_t rows = columns[0].size();
  states_.assign(columns.size(), std::vector<double>(size_, 0.0));
  for (std::size_t c = 0; c < columns.size(); ++c) {
    std::copy_n(columns[c].begin(), given_, states_[c].begin() + static_cast<std::ptrdiff_t>(r_));
  }
  std::vector<double> gain(size_), row(columns.size());
  bool settled = false;
  double variance = load(gain, covariance_);
  for (std::size_t t = given_; t < rows; ++t) {
    const bool is_seen = !is_missing[t];
    for (std::size_t c = 0; c < columns.size(); ++c) {
      const double told = reading_of(states_[c].data());
      if (is_seen) {
        row[c] = columns[c][t] - told;
        add_times(states_[c].data(), gain.data(), row[c] / variance, size_);
        row[c] /= std::sqrt(variance);
      }
      move_on(states_[c], is_seen ? columns[c][t] : told);
    }
    if (is_seen) {
      out.add(row);
      out.log_variances += std::log(variance);
      // Once no variance moves the gain stays, until a reading is missing.
      if (settled) continue;
    }
    move_on(covariance_, gain, variance, is_seen);
    variance = load(gain, covariance_);
    settled = is_seen && is_settled(variance);
  }
  out.mirror();
  return out;
}

StateAhead StateFilter::ahead(std::size_t rows) const {
  StateAhead out;
  out.values.assign(states_.size(), std::vector<double>(rows));
  out.variance.resize(rows);
  std::vector<std::vector<double>> states = states_;
  std::vector<double> covariance = covariance_, gain(size_);
  for (std::size_t h = 0; h < rows; ++h) {
    for (std::size_t c = 0; c < states.size(); ++c) {
      out.values[c][h] = reading_of(states[c].data());
      move_on(states[c], out.values[c][h]);
    }
    out.variance[h] = load(gain, covariance);
    move_on(covariance, gain, out.variance[h], false);
  }
  return out;
}

}  // namespace zerobeat::detail
