#include "align/clock/equations.hpp"

#include <tbb/blocked_range.h>

#include <Eigen/Dense>
#include <algorithm>
#include <cmath>
#include <cstdint>
#include <limits>

#include "base/parallel.hpp"

namespace zerobeat::inline v1::detail {

namespace {

/// Differences beyond so many times the usual one weigh less.
constexpr double huber = 2.5;
/// Readings that are worked on at once; the same for any number of threads.
constexpr std::size_t grain = 1 << 14;

template <typename Work>
void over_chunks(std::size_t n, const Work& work) {
  const std::size_t chunks = (n + grain - 1) / grain;
  detail::parallel_for(std::size_t{0}, chunks, [&](std::size_t chunk) {
    work(chunk, chunk * grain, std::min(n, (chunk + 1) * grain));
  });
}

}  // namespace

ClockEquations::ClockEquations(const ClockReadings& points, const SmoothLine& line,
                               const ClockFrame& frame, double offset, double drift)
    : frame_(frame), span_(std::max({std::fabs(frame.first), std::fabs(frame.last), 1e-9})) {
  std::vector<std::vector<Row>> met((points.size() + grain - 1) / grain);
  over_chunks(points.size(), [&](std::size_t chunk, std::size_t from, std::size_t to) {
    met[chunk].reserve(to - from);
    for (std::size_t i = from; i < to; ++i) {
      const double at = points.at[i];
      const LinePoint there = line(at - offset - drift * at);
      if (std::isnan(there.value)) continue;
      const double place = std::max(0.0, (at - frame.first) / frame.slow);
      const std::size_t bend = std::min(frame.bends - 2, static_cast<std::size_t>(place));
      // The offset is in steps and the drift in steps per span, so that all terms are of one size.
      const double slope = -there.slope * frame.step;
      met[chunk].push_back({at,
                            points.values[i],
                            bend,
                            1 - (place - static_cast<double>(bend)),
                            {there.value, slope, frame.drifts ? slope * at / span_ : 0}});
    }
  });
  rows_.reserve(points.size());
  for (const auto& chunk : met) rows_.insert(rows_.end(), chunk.begin(), chunk.end());
  weights_.assign(rows_.size(), 1);
  differences_.resize(rows_.size());
}

std::vector<ClockEquations::Products> ClockEquations::products() const {
  std::vector<std::vector<Products>> parts((rows_.size() + grain - 1) / grain);
  over_chunks(rows_.size(), [&](std::size_t chunk, std::size_t from, std::size_t to) {
    Products sums{rows_[from].bend, {}};
    for (std::size_t i = from; i < to; ++i) {
      const Row& row = rows_[i];
      if (row.bend != sums.bend) {
        parts[chunk].push_back(sums);
        sums = {row.bend, {}};
      }
      const std::array<double, Products::terms> z{row.left,   1 - row.left, row.own[0],
                                                  row.own[1], row.own[2],   row.reading};
      for (std::size_t p = 0; p < z.size(); ++p) {
        const double weighted = weights_[i] * z[p];
        for (std::size_t q = 0; q <= p; ++q) sums.sums[p * z.size() + q] += weighted * z[q];
      }
    }
    parts[chunk].push_back(sums);
  });
  std::vector<Products> all;
  for (const auto& part : parts) all.insert(all.end(), part.begin(), part.end());
  return all;
}

void ClockEquations::solve() {
  const std::size_t terms = frame_.bends + own_terms;
  const auto size = static_cast<Eigen::Index>(terms);
  Eigen::MatrixXd a = Eigen::MatrixXd::Zero(size, size);
  Eigen::VectorXd b = Eigen::VectorXd::Zero(size);
  for (const Products& part : products()) {
    std::array<Eigen::Index, Products::terms - 1> place{static_cast<Eigen::Index>(part.bend),
                                                        static_cast<Eigen::Index>(part.bend + 1)};
    for (std::size_t k = 0; k < own_terms; ++k) {
      place[2 + k] = static_cast<Eigen::Index>(frame_.bends + k);
    }
    for (std::size_t p = 0; p < place.size(); ++p) {
      for (std::size_t q = 0; q <= p; ++q) {
        const double sum = part.sums[p * Products::terms + q];
        a(place[p], place[q]) += sum;
        if (p != q) a(place[q], place[p]) += sum;
      }
      b(place[p]) += part.sums[(Products::terms - 1) * Products::terms + p];
    }
  }
  // A bend that no reading touches stays where it is, and so does a drift that is not sought.
  for (Eigen::Index k = 0; k < size; ++k) {
    if (a(k, k) == 0) a(k, k) = 1;
  }
  a.diagonal().array() += 1e-12 * a.diagonal().maxCoeff();
  const auto factors = a.ldlt();
  const Eigen::VectorXd solution = factors.solve(b);
  solution_.assign(solution.begin(), solution.end());
  for (std::size_t k = 0; k < own_terms; ++k) {
    const Eigen::VectorXd row =
        factors.solve(Eigen::VectorXd::Unit(size, static_cast<Eigen::Index>(frame_.bends + k)));
    pull_[k].assign(row.begin(), row.end());
  }
}

void ClockEquations::find_differences() {
  over_chunks(rows_.size(), [&](std::size_t, std::size_t from, std::size_t to) {
    for (std::size_t i = from; i < to; ++i) {
      const Row& row = rows_[i];
      double fitted = row.left * solution_[row.bend] + (1 - row.left) * solution_[row.bend + 1];
      for (std::size_t k = 0; k < own_terms; ++k) {
        fitted += row.own[k] * solution_[frame_.bends + k];
      }
      differences_[i] = row.reading - fitted;
    }
  });
}

double ClockEquations::usual_difference() const {
  std::vector<double> sizes(differences_);
  for (double& x : sizes) x = std::fabs(x);
  const auto middle = sizes.begin() + static_cast<std::ptrdiff_t>(sizes.size() / 2);
  std::nth_element(sizes.begin(), middle, sizes.end());
  return 1.4826 * *middle;
}

void ClockEquations::weigh(double usual) {
  const double most = huber * usual;
  for (std::size_t i = 0; i < rows_.size(); ++i) {
    const double size = std::fabs(differences_[i]);
    weights_[i] = size <= most || most == 0 ? 1 : most / size;
  }
}

void ClockEquations::judge(ClockStep& out) const {
  // What is left hangs together over a part of the stretch from bend to bend.
  const double block = std::max(
      {20 * frame_.step, frame_.span() / 50, std::min(frame_.slow / 4, frame_.span() / 12)});
  Own sums{}, scatter{};
  double blocks = 0, rest = 0;
  std::int64_t current = -1;
  const auto close = [&] {
    for (std::size_t p = 0; p < own_terms; ++p) scatter[p] += sums[p] * sums[p];
    blocks += current >= 0;
    sums = {};
  };
  for (std::size_t i = 0; i < rows_.size(); ++i) {
    const Row& row = rows_[i];
    const auto own_block = static_cast<std::int64_t>((row.at - frame_.first) / block);
    if (own_block != current) {
      close();
      current = own_block;
    }
    const double weighted = weights_[i] * differences_[i];
    for (std::size_t p = 0; p < own_terms; ++p) {
      const auto& pull = pull_[p];
      double by = row.left * pull[row.bend] + (1 - row.left) * pull[row.bend + 1];
      for (std::size_t k = 0; k < own_terms; ++k) by += row.own[k] * pull[frame_.bends + k];
      sums[p] += by * weighted;
    }
    rest += weighted * differences_[i];
  }
  close();
  // Fewer blocks than terms tell nothing.
  const double few = blocks > own_terms + 1 ? blocks / (blocks - own_terms)
                                            : std::numeric_limits<double>::infinity();
  const double scale = solution_[frame_.bends], unit = frame_.step / scale;
  out.var_offset = few * scatter[1] * unit * unit;
  out.var_drift = few * scatter[2] * unit * unit / (span_ * span_);
  out.clearness = scale / std::sqrt(few * scatter[0]);
  // What the line explains of what the broken one leaves.
  const double explained = scale * scale / pull_[0][frame_.bends];
  out.likeness = std::sqrt(std::max(0.0, explained / (rest + explained)));
}

ClockStep ClockEquations::solved(double spread) {
  ClockStep out;
  if (rows_.size() < frame_.bends + own_terms + 4) return out;
  solve();
  for (int round = spread > 0 ? 2 : 0; round < 3; ++round) {
    find_differences();
    weigh(spread > 0 ? spread : usual_difference());
    solve();
  }
  find_differences();
  out.spread = usual_difference();
  const double scale = solution_[frame_.bends];
  out.offset = solution_[frame_.bends + 1] / scale * frame_.step;
  out.drift = solution_[frame_.bends + 2] / scale * frame_.step / span_;
  out.solved = scale > 0 && std::isfinite(out.offset) && std::isfinite(out.drift);
  if (out.solved) judge(out);
  return out;
}

}  // namespace zerobeat::detail
