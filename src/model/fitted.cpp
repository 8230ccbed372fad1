#include "model/fitted.hpp"

#include <algorithm>
#include <boost/math/distributions/fisher_f.hpp>
#include <cmath>

#include "base/parallel.hpp"

namespace zerobeat::inline v1::detail {

namespace {

double f_p(double f, double terms, double freedom) {
  if (!std::isfinite(f) || f < 0 || !(terms > 0) || !(freedom > 0)) return no_fit;
  const boost::math::fisher_f distribution(terms, freedom);
  return boost::math::cdf(boost::math::complement(distribution, f));
}

/// A square matrix of the coefficients that are kept.
using Matrix = std::vector<long double>;

Matrix inverse_of(const LeastSquares& solution) {
  const std::size_t k = solution.size();
  Matrix matrix(k * k);
  for (std::size_t i = 0; i < k; ++i) {
    for (std::size_t j = 0; j < k; ++j) matrix[i * k + j] = solution.covariance(i, j);
  }
  return matrix;
}

Matrix product(const Matrix& a, const Matrix& b, std::size_t k) {
  Matrix out(k * k);
  for (std::size_t i = 0; i < k; ++i) {
    for (std::size_t l = 0; l < k; ++l) {
      for (std::size_t j = 0; j < k; ++j) out[i * k + j] += a[i * k + l] * b[l * k + j];
    }
  }
  return out;
}

/// The covariance of the coefficients when residuals follow each other (Newey and West 1987).
Matrix autocorrelated(const Sample& sample, const Strand& strand, const Fitted& fitted,
                      std::int64_t lags) {
  const LeastSquares& solution = fitted.solution;
  const std::size_t k = solution.size();
  const auto window = static_cast<std::size_t>(std::min(lags, fitted.rows - 1));
  // The scores of the last rows, in a ring.
  std::vector<long double> ring((window + 1) * k), x(sample.columns());
  Matrix meat(k * k);
  std::size_t number = 0;
  const SampleRows rows(sample);
  for (std::size_t row = strand.begin; row < strand.end; ++row) {
    if (!rows.uses(row)) continue;
    if (number % 65'536 == 0) check_stopped();
    sample.put_terms(row, x);
    const long double rest =
        rows.residual(row, solution.coefficients) * static_cast<long double>(sample.weight(row));
    long double* own = ring.data() + number % (window + 1) * k;
    for (std::size_t i = 0; i < k; ++i) own[i] = rest * x[solution.kept[i]];
    for (std::size_t lag = 0; lag <= std::min(window, number); ++lag) {
      const long double* other = ring.data() + (number - lag) % (window + 1) * k;
      const long double weight =
          1 - static_cast<long double>(lag) / static_cast<long double>(lags + 1);
      for (std::size_t i = 0; i < k; ++i) {
        for (std::size_t j = 0; j < k; ++j) {
          const long double term = own[i] * other[j];
          meat[i * k + j] += weight * term;
          if (lag > 0) meat[j * k + i] += weight * term;
        }
      }
    }
    ++number;
  }
  const Matrix inverse = inverse_of(solution);
  Matrix out = product(product(inverse, meat, k), inverse, k);
  const auto n = static_cast<long double>(fitted.rows);
  for (long double& value : out) value *= n / (n - static_cast<long double>(k));
  return out;
}

/// Solves a symmetric positive system by elimination; false when it is none.
bool solve_in_place(Matrix a, std::vector<long double>& b) {
  const std::size_t n = b.size();
  for (std::size_t i = 0; i < n; ++i) {
    if (!(a[i * n + i] > 0)) return false;
    for (std::size_t l = i + 1; l < n; ++l) {
      const long double share = a[l * n + i] / a[i * n + i];
      for (std::size_t j = i; j < n; ++j) a[l * n + j] -= share * a[i * n + j];
      b[l] -= share * b[i];
    }
  }
  for (std::size_t i = n; i-- > 0;) {
    for (std::size_t j = i + 1; j < n; ++j) b[i] -= a[i * n + j] * b[j];
    b[i] /= a[i * n + i];
  }
  return true;
}

/// Wald's figure that all terms but the constant are nothing, over their number.
double wald_of(const Fitted& fitted, const Matrix& covariance, bool constant) {
  const LeastSquares& solution = fitted.solution;
  const std::size_t k = solution.size(), first = constant ? 1 : 0;
  if (k <= first) return no_fit;
  const std::size_t terms = k - first;
  Matrix part(terms * terms);
  std::vector<long double> b(terms), x(terms);
  for (std::size_t i = 0; i < terms; ++i) {
    b[i] = x[i] = solution.coefficients[solution.kept[first + i]];
    for (std::size_t j = 0; j < terms; ++j) {
      part[i * terms + j] = covariance[(first + i) * k + first + j];
    }
  }
  if (!solve_in_place(part, x)) return no_fit;
  long double sum = 0;
  for (std::size_t i = 0; i < terms; ++i) sum += b[i] * x[i];
  return static_cast<double>(sum / static_cast<long double>(terms));
}

/// How well it fits, but for what its errors say.
void put_fit(Fitted& fitted, const Sample& sample, long double log_weights) {
  const LeastSquares& solution = fitted.solution;
  const auto n = static_cast<double>(fitted.rows), k = static_cast<double>(fitted.size());
  const bool about_mean = sample.constant && !solution.kept.empty() && solution.kept.front() == 0;
  const long double constant = about_mean ? solution.first_explained : 0;
  const long double all = solution.y_squares - constant;
  const long double explained = solution.explained - constant;
  if (all > 0) fitted.r2 = static_cast<double>(explained / all);
  if (fitted.rows <= fitted.size()) return;
  const double freedom = n - k;
  fitted.r2_adjusted = 1 - (1 - fitted.r2) * (about_mean ? n - 1 : n) / freedom;
  fitted.sigma = static_cast<double>(std::sqrt(solution.residual_squares / freedom));
  if (solution.residual_squares == 0) return;
  const double terms = about_mean ? k - 1 : k;
  if (terms > 0) {
    fitted.f = static_cast<double>(explained / terms / (solution.residual_squares / freedom));
    fitted.p = f_p(fitted.f, terms, freedom);
  }
  const double pi = 3.14159265358979323846;
  fitted.loglik = static_cast<double>(
      -n / 2 * (std::log(2 * pi * solution.residual_squares / n) + 1) + log_weights / 2);
  fitted.aic = -2 * fitted.loglik + 2 * (k + 1);
  fitted.bic = -2 * fitted.loglik + std::log(n) * (k + 1);
}

void put_errors(Fitted& fitted, const Sample& sample, const Strand& strand,
                const Regress& options) {
  const LeastSquares& solution = fitted.solution;
  if (options.errors == Regress::Errors::plain) {
    for (std::size_t i = 0; i < solution.size(); ++i) {
      fitted.se.push_back(fitted.sigma * static_cast<double>(std::sqrt(solution.covariance(i, i))));
    }
    return;
  }
  const double usual = std::floor(4 * std::pow(static_cast<double>(fitted.rows) / 100, 2.0 / 9));
  const std::int64_t lags = options.lags.value_or(static_cast<std::int64_t>(usual));
  const Matrix covariance = autocorrelated(sample, strand, fitted, lags);
  const std::size_t k = solution.size();
  for (std::size_t i = 0; i < k; ++i) {
    fitted.se.push_back(static_cast<double>(std::sqrt(std::max(0.0L, covariance[i * k + i]))));
  }
  if (solution.residual_squares == 0) return;
  const bool about_mean = sample.constant && solution.kept.front() == 0;
  fitted.f = wald_of(fitted, covariance, about_mean);
  fitted.p = f_p(fitted.f, static_cast<double>(k) - (about_mean ? 1 : 0), fitted.freedom());
}

/// What rounding leaves of a perfect fit is nothing.
void forget_rounding(LeastSquares& solution) {
  constexpr long double least_share = 1e-15L;
  if (std::sqrt(solution.residual_squares) <= least_share * std::sqrt(solution.y_squares)) {
    solution.residual_squares = 0;
  }
}

Fitted fit_least_squares(const Sample& sample, const Strand& strand, const Regress& options) {
  Fitted fitted;
  const Reduced all = reduced(sample, strand);
  fitted.rows = all.rows;
  fitted.left_out = static_cast<std::int64_t>(strand.size()) - all.rows;
  if (all.rows == 0) return fitted;
  fitted.solution = solve(all.triangle);
  if (fitted.rows < static_cast<std::int64_t>(sample.columns()) || fitted.solution.size() == 0) {
    fitted.solution = {};
    return fitted;
  }
  forget_rounding(fitted.solution);
  fitted.is_solved = true;
  put_fit(fitted, sample, all.log_weights);
  if (fitted.rows <= fitted.size()) {
    fitted.r2 = no_fit;
    return fitted;
  }
  put_errors(fitted, sample, strand, options);
  if (fitted.solution.residual_squares > 0) {
    fitted.durbin_watson = durbin_watson(sample, strand, fitted.solution.coefficients);
  }
  return fitted;
}

/// Huber's way: least squares again and again, what is far off weighing less.
class Huber {
 public:
  Huber(const Sample& sample, const Strand& strand) : sample_(sample), strand_(strand) {}

  Fitted fit() {
    Fitted fitted;
    const Reduced all = reduced(sample_, strand_);
    fitted.rows = all.rows;
    fitted.left_out = static_cast<std::int64_t>(strand_.size()) - all.rows;
    if (all.rows == 0) return fitted;
    const LeastSquares plain = solve(all.triangle);
    fitted.solution = plain;
    if (fitted.rows < static_cast<std::int64_t>(sample_.columns()) || plain.size() == 0) {
      fitted.solution = {};
      return fitted;
    }
    fitted.is_solved = true;
    if (fitted.rows <= fitted.size()) return fitted;
    find_residuals(plain);
    constexpr int most_rounds = 500;
    for (int round = 0; round < most_rounds; ++round) {
      check_stopped();
      if (!find_scale()) break;
      put_errors(fitted, plain);
      const LeastSquares next = solve(reduced(sample_, strand_, weights()).triangle);
      const bool still = is_still(fitted, next);
      fitted.solution.coefficients = next.coefficients;
      find_residuals(next);
      if (still) break;
    }
    find_scale();
    fitted.sigma = scale_;
    put_errors(fitted, plain);
    // Of the rows, not of their last weights: what a new reading's band goes by.
    fitted.solution.inverse = plain.inverse;
    fitted.solution.residual_squares = scale_ > 0 ? 1 : 0;
    return fitted;
  }

 private:
  static constexpr double k_huber = 1.345;

  /// Of each row of the strand; NaN where it is not used.
  void find_residuals(const LeastSquares& solution) {
    residuals_.assign(strand_.size(), no_fit);
    const SampleRows rows(sample_);
    for (std::size_t row = strand_.begin; row < strand_.end; ++row) {
      if (!rows.uses(row)) continue;
      residuals_[row - strand_.begin] =
          static_cast<double>(rows.residual(row, solution.coefficients)) *
          std::sqrt(sample_.weight(row));
    }
  }

  /// The median absolute residual as a standard deviation; false when it is nothing.
  bool find_scale() {
    std::vector<double> sizes;
    for (const double rest : residuals_) {
      if (!std::isnan(rest)) sizes.push_back(std::fabs(rest));
    }
    const std::size_t middle = sizes.size() / 2;
    std::nth_element(sizes.begin(), sizes.begin() + static_cast<std::ptrdiff_t>(middle),
                     sizes.end());
    double median = sizes[middle];
    if (sizes.size() % 2 == 0) {
      median = (median + *std::max_element(sizes.begin(),
                                           sizes.begin() + static_cast<std::ptrdiff_t>(middle))) /
               2;
    }
    scale_ = median / 0.6745;
    return scale_ > 0;
  }

  std::span<const double> weights() {
    weights_.assign(residuals_.size(), 1);
    for (std::size_t i = 0; i < residuals_.size(); ++i) {
      const double size = std::fabs(residuals_[i]) / scale_;
      if (size > k_huber) weights_[i] = k_huber / size;
    }
    return weights_;
  }

  /// Huber (1981), section 7.6, his first way.
  void put_errors(Fitted& fitted, const LeastSquares& plain) const {
    double squares = 0, inside = 0;
    for (const double rest : residuals_) {
      if (std::isnan(rest)) continue;
      const double size = std::min(std::fabs(rest), k_huber * scale_);
      squares += size * size;
      inside += std::fabs(rest) <= k_huber * scale_ ? 1 : 0;
    }
    const auto n = static_cast<double>(fitted.rows), k = static_cast<double>(fitted.size());
    const double m = inside / n;
    const double correction = 1 + k / n * (1 - m) / m;
    const double variance = correction * correction * squares / (n - k) / (m * m);
    fitted.se.clear();
    for (std::size_t i = 0; i < plain.size(); ++i) {
      fitted.se.push_back(std::sqrt(variance * static_cast<double>(plain.covariance(i, i))));
    }
  }

  static bool is_still(const Fitted& fitted, const LeastSquares& next) {
    for (std::size_t i = 0; i < fitted.solution.size(); ++i) {
      const std::size_t column = fitted.solution.kept[i];
      const long double moved =
          std::fabs(next.coefficients[column] - fitted.solution.coefficients[column]);
      if (moved > 1e-9L * fitted.se[i]) return false;
    }
    return true;
  }

  const Sample& sample_;
  const Strand& strand_;
  std::vector<double> residuals_{}, weights_{};
  double scale_ = 0;
};

}  // namespace

Fitted fitted(const Sample& sample, const Strand& strand, const Regress& options) {
  return options.how == Regress::How::huber ? Huber(sample, strand).fit()
                                            : fit_least_squares(sample, strand, options);
}

}  // namespace zerobeat::detail
