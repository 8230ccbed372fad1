#include "model/forecast/whiten.hpp"

#include <algorithm>
#include <cmath>

#include "base/clones.hpp"

namespace zerobeat::inline v1::detail {

namespace {

/// Each number of a state moved up by one, with what its first leaves in it and what came new.
ZEROBEAT_CLONES
void move_state(double* state, const double* ar, const double* gain, std::size_t size,
                double share) {
  const double first = state[0];
  for (std::size_t i = 0; i < size; ++i) {
    state[i] = ar[i] * first + state[i + 1] + gain[i] * share;
  }
}

/// The same of the change of the filter's covariance, which moves its gain by `by` before the share
/// of that is taken off.
ZEROBEAT_CLONES
void move_change(double* change, double* gain, const double* ar, std::size_t size, double by,
                 double share) {
  const double first = change[0];
  for (std::size_t i = 0; i < size; ++i) {
    const double moved = ar[i] * first + change[i + 1], next = gain[i] + moved * by;
    gain[i] = next;
    change[i] = moved - next * share;
  }
}

/// What each state becomes, given the process' coefficients as long as the state.
class ChandrasekharFilter {
 public:
  ChandrasekharFilter(const Process& process, std::size_t columns)
      : r_(process.dimension()),
        ar_(r_ + 1, 0.0),
        gain_(r_ + 1, 0.0),
        change_(r_ + 1, 0.0),
        states_(columns * (r_ + 1), 0.0) {
    std::ranges::copy(process.ar, ar_.begin());
    std::vector<double> first = state_covariances(process);
    first.push_back(0);
    variance_ = first[0];
    for (std::size_t i = 0; i < r_; ++i) gain_[i] = ar_[i] * first[0] + first[i + 1];
    change_ = gain_;
    weight_ = -1 / variance_;
  }

  [[nodiscard]] double variance() const { return variance_; }
  [[nodiscard]] double* state(std::size_t column) { return &states_[column * (r_ + 1)]; }

  /// Takes a reading; the innovation.
  double take(std::size_t column, double reading) {
    double* a = state(column);
    const double innovation = reading - a[0];
    move_state(a, ar_.data(), gain_.data(), r_, innovation / variance_);
    return innovation;
  }

  /// Goes on to the next row's variance and gain.
  void advance() {
    const double first = change_[0], by = weight_ * first;
    const double next_variance = std::max(1.0, variance_ + first * by);
    move_change(change_.data(), gain_.data(), ar_.data(), r_, by, first / next_variance);
    weight_ += by * by / variance_;
    variance_ = next_variance;
  }

  /// Whether variance and gain stay as they are: what is told of the future is then all of the
  /// past.
  [[nodiscard]] bool settled() const {
    constexpr double nothing = 1e-18, near = 1e-10;
    if (variance_ - 1 >= near) return false;
    double largest = 0;
    for (std::size_t i = 0; i < r_; ++i) largest = std::max(largest, std::fabs(change_[i]));
    return largest * largest * std::fabs(weight_) < nothing;
  }

 private:
  std::size_t r_;
  std::vector<double> ar_, gain_, change_, states_;
  double variance_ = 1, weight_ = 0;
};

/// The filter once it has settled: readings and shocks of the past by the coefficients that are not
/// 0, states in rings.
class SettledFilter {
 public:
  SettledFilter(const Process& process, ChandrasekharFilter& before, std::size_t columns)
      : r_(process.dimension()) {
    while (size_ < r_ + 1) size_ *= 2;
    states_.assign(columns * size_, 0.0);
    for (std::size_t c = 0; c < columns; ++c) {
      std::copy_n(before.state(c), r_, &states_[c * size_]);
    }
    for (std::size_t i = 0; i < r_; ++i) {
      const double ar = i < process.ar.size() ? process.ar[i] : 0;
      const double ma = i < process.ma.size() ? process.ma[i] : 0;
      if (ar != 0 || ma != 0) taps_.push_back({i + 1, ar, ma});
    }
  }

  double take(std::size_t column, double reading) {
    double* a = &states_[column * size_];
    const std::size_t mask = size_ - 1;
    const double innovation = reading - a[at_ & mask];
    a[at_ & mask] = 0;
    for (const Tap& tap : taps_) {
      a[(at_ + tap.lag) & mask] += tap.ar * reading + tap.ma * innovation;
    }
    return innovation;
  }
  void advance() { ++at_; }
  [[nodiscard]] std::vector<double> state(std::size_t column) const {
    std::vector<double> out(r_);
    for (std::size_t i = 0; i < r_; ++i) {
      out[i] = states_[column * size_ + ((at_ + i) & (size_ - 1))];
    }
    return out;
  }

 private:
  struct Tap {
    std::size_t lag;
    double ar, ma;
  };

  std::size_t r_, size_ = 2, at_ = 0;
  std::vector<double> states_{};
  std::vector<Tap> taps_{};
};

}  // namespace

Whitened whiten(const Process& process, std::span<const std::span<const double>> columns,
                std::vector<std::vector<double>>* last) {
  Whitened out(columns.size());
  const std::size_t rows = columns.empty() ? 0 : columns[0].size();
  std::vector<double> row(columns.size());
  ChandrasekharFilter filter(process, columns.size());
  std::size_t t = 0;
  constexpr std::size_t looked_at = 16;
  constexpr double many = 1e200;
  double product = 1;
  for (; t < rows && !(t % looked_at == 0 && filter.settled()); ++t) {
    const double variance = filter.variance(), scale = 1 / std::sqrt(variance);
    for (std::size_t c = 0; c < columns.size(); ++c) {
      row[c] = filter.take(c, columns[c][t]) * scale;
    }
    out.add(row);
    filter.advance();
    // One logarithm of many.
    product *= variance;
    if (product > many) {
      out.log_variances += std::log(product);
      product = 1;
    }
  }
  out.log_variances += std::log(product);
  if (t < rows) {
    SettledFilter settled(process, filter, columns.size());
    for (; t < rows; ++t) {
      for (std::size_t c = 0; c < columns.size(); ++c) row[c] = settled.take(c, columns[c][t]);
      out.add(row);
      settled.advance();
    }
    for (std::size_t c = 0; last != nullptr && c < columns.size(); ++c) {
      last->push_back(settled.state(c));
    }
  } else {
    for (std::size_t c = 0; last != nullptr && c < columns.size(); ++c) {
      const double* state = filter.state(c);
      last->emplace_back(state, state + process.dimension());
    }
  }
  out.mirror();
  return out;
}

}  // namespace zerobeat::detail
