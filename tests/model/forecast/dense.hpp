/// The definition of the exact likelihood: readings as one draw from a normal of as many
/// dimensions, its covariance written out.

#pragma once

#include <Eigen/Dense>
#include <cmath>
#include <span>
#include <vector>

#include "model/forecast/process.hpp"
#include "model/forecast/state_filter.hpp"

namespace dense {

/// Covariances of a process by its responses to shocks, far into the past.
inline std::vector<double> covariances(const zerobeat::detail::Process& process, std::size_t lags) {
  constexpr std::size_t far = 40'000;
  const auto psi = zerobeat::detail::responses(process, far + lags);
  std::vector<double> out(lags + 1, 0.0);
  for (std::size_t k = 0; k <= lags; ++k) {
    for (std::size_t j = 0; j <= far; ++j) out[k] += psi[j] * psi[j + k];
  }
  return out;
}

struct Result {
  double log_likelihood = 0, variance = 0, constant = 0;
  std::vector<double> ahead{}, deviation{};  ///< of rows after the last
};

/// Of readings whose differences are the process, about a constant when there is one; NaN is
/// missing, of the first, as many as differences take, whatever they were.
inline Result likelihood(std::span<const double> readings, const zerobeat::detail::Process& process,
                         const zerobeat::detail::Differences& differences, bool has_constant,
                         std::size_t rows_ahead = 0) {
  const std::size_t given = differences.size(), all = readings.size() + rows_ahead;
  const std::size_t n = all - given;
  // x = spread of differences: each row of `spread` is what the differences up to it come to.
  Eigen::MatrixXd spread = Eigen::MatrixXd::Zero(n, n);
  const auto column = [&](std::vector<double> first, double each) {
    for (std::size_t t = given; t < all; ++t) {
      double next = each;
      for (std::size_t j = 0; j < given; ++j) next += differences.back[j] * first[t - 1 - j];
      first.push_back(next);
    }
    Eigen::VectorXd out(n);
    for (std::size_t t = 0; t < n; ++t) out[t] = first[given + t];
    return out;
  };
  for (std::size_t s = 0; s < n; ++s) {
    std::vector<double> x(all, 0.0);
    for (std::size_t t = given + s; t < all; ++t) {
      x[t] = t == given + s ? 1 : 0;
      for (std::size_t j = 0; j < given; ++j) x[t] += differences.back[j] * x[t - 1 - j];
      spread(t - given, s) = x[t];
    }
  }
  const auto gamma = covariances(process, n);
  Eigen::MatrixXd of_process(n, n);
  for (std::size_t i = 0; i < n; ++i) {
    for (std::size_t j = 0; j < n; ++j) of_process(i, j) = gamma[i > j ? i - j : j - i];
  }
  const Eigen::MatrixXd every = spread * of_process * spread.transpose();
  std::vector<double> first;
  std::vector<Eigen::VectorXd> unknown;
  for (std::size_t t = 0; t < given; ++t) {
    first.push_back(std::isnan(readings[t]) ? 0 : readings[t]);
    if (!std::isnan(readings[t])) continue;
    std::vector<double> one(given, 0.0);
    one[t] = 1;
    unknown.push_back(column(one, 0));
  }
  const Eigen::VectorXd known = column(first, 0);
  std::vector<int> there, later;
  for (std::size_t t = 0; t < n; ++t) {
    if (t + given >= readings.size()) {
      later.push_back(static_cast<int>(t));
    } else if (!std::isnan(readings[t + given])) {
      there.push_back(static_cast<int>(t));
    }
  }
  const auto m = static_cast<Eigen::Index>(there.size());
  const std::size_t flat = unknown.size();
  if (has_constant) unknown.push_back(column(std::vector<double>(given, 0.0), 1));
  const auto k = static_cast<Eigen::Index>(unknown.size());
  Eigen::MatrixXd z(m, k);
  Eigen::VectorXd y(m);
  for (Eigen::Index i = 0; i < m; ++i) {
    y[i] = readings[static_cast<std::size_t>(there[i]) + given] - known[there[i]];
    for (Eigen::Index j = 0; j < k; ++j) z(i, j) = unknown[static_cast<std::size_t>(j)][there[i]];
  }
  const Eigen::MatrixXd covariance = every(there, there);
  const Eigen::LLT<Eigen::MatrixXd> llt(covariance);
  const Eigen::MatrixXd weighted = llt.solve(z);
  const Eigen::MatrixXd information = z.transpose() * weighted;
  const Eigen::VectorXd share =
      k > 0 ? Eigen::VectorXd(information.ldlt().solve(weighted.transpose() * y))
            : Eigen::VectorXd();
  const Eigen::VectorXd rest = k > 0 ? Eigen::VectorXd(y - z * share) : y;
  const double count = static_cast<double>(m) - static_cast<double>(flat);
  Result out;
  out.variance = rest.dot(llt.solve(rest)) / count;
  double log_determinant = 0;
  const Eigen::MatrixXd lower = llt.matrixL();
  for (Eigen::Index i = 0; i < m; ++i) log_determinant += 2 * std::log(lower(i, i));
  if (flat > 0) {
    const auto f = static_cast<Eigen::Index>(flat);
    log_determinant += std::log(information.topLeftCorner(f, f).determinant());
  }
  out.log_likelihood = -0.5 * (count * (std::log(2 * M_PI * out.variance) + 1) + log_determinant);
  if (has_constant) out.constant = share[k - 1];
  // What lies ahead, given what is there; the constant is taken as known.
  const Eigen::MatrixXd across = every(later, there);
  const Eigen::VectorXd put = llt.solve(rest);
  for (std::size_t h = 0; h < later.size(); ++h) {
    double value = known[later[h]] + across.row(static_cast<Eigen::Index>(h)).dot(put);
    double variance = every(later[h], later[h]);
    const Eigen::VectorXd cross = across.row(static_cast<Eigen::Index>(h)).transpose();
    variance -= cross.dot(llt.solve(cross));
    for (Eigen::Index j = 0; j < k; ++j) {
      value += unknown[static_cast<std::size_t>(j)][later[h]] * share[j];
    }
    if (flat > 0) {
      const auto f = static_cast<Eigen::Index>(flat);
      Eigen::VectorXd open(f);
      for (Eigen::Index j = 0; j < f; ++j) {
        open[j] = unknown[static_cast<std::size_t>(j)][later[h]] - weighted.col(j).dot(cross);
      }
      variance += open.dot(information.topLeftCorner(f, f).ldlt().solve(open));
    }
    out.ahead.push_back(value);
    out.deviation.push_back(std::sqrt(out.variance * variance));
  }
  return out;
}

}  // namespace dense
