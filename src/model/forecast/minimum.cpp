#include "model/forecast/minimum.hpp"

#include <nlopt.h>

#include <algorithm>
#include <cmath>
#include <exception>
#include <limits>
#include <memory>

#include "base/parallel.hpp"

namespace zerobeat::inline v1::detail {

namespace {

/// What is asked of the function, and the best that it said. Nothing may be thrown through the
/// optimiser, which is not ours: it is kept until that has ended.
struct Search {
  const ValueAndSlopes* value;
  nlopt_opt optimiser;
  Minimum best{{}, std::numeric_limits<double>::infinity()};
  std::exception_ptr thrown{};

  double ask(std::span<const double> at, std::span<double> slopes) {
    // Beyond what can be computed lies a wall, no better than anything.
    constexpr double wall = 1e100;
    if (thrown) return wall;
    try {
      check_stopped();
      const double found = (*value)(at, slopes);
      if (found < best.value) best = {{at.begin(), at.end()}, found};
      return std::isfinite(found) ? std::min(found, wall) : wall;
    } catch (...) {
      thrown = std::current_exception();
      nlopt_force_stop(optimiser);
      return wall;
    }
  }
};

double asked(unsigned size, const double* at, double* slopes, void* search) {
  return static_cast<Search*>(search)->ask(
      {at, size}, {slopes, slopes == nullptr ? std::size_t{0} : std::size_t{size}});
}

Minimum searched(nlopt_algorithm algorithm, const ValueAndSlopes& value, std::vector<double> start,
                 const SearchBounds& bounds, double step, const SearchEnd& end) {
  const std::unique_ptr<nlopt_opt_s, void (*)(nlopt_opt)> optimiser(
      nlopt_create(algorithm, static_cast<unsigned>(start.size())), nlopt_destroy);
  if (!optimiser) throw std::bad_alloc();
  Search search{.value = &value, .optimiser = optimiser.get()};
  for (std::size_t i = 0; i < start.size(); ++i) {
    start[i] = std::clamp(start[i], bounds.low[i], bounds.high[i]);
  }
  nlopt_set_min_objective(optimiser.get(), asked, &search);
  nlopt_set_lower_bounds(optimiser.get(), bounds.low.data());
  nlopt_set_upper_bounds(optimiser.get(), bounds.high.data());
  nlopt_set_ftol_abs(optimiser.get(), end.tolerance);
  nlopt_set_xtol_rel(optimiser.get(), 1e-12);
  nlopt_set_maxeval(optimiser.get(), end.most_calls);
  if (step > 0) nlopt_set_initial_step1(optimiser.get(), step);
  double last = 0;
  // What it says of its end does not matter: the best that was met counts.
  static_cast<void>(nlopt_optimize(optimiser.get(), start.data(), &last));
  if (search.thrown) std::rethrow_exception(search.thrown);
  if (search.best.at.empty()) search.best.at = std::move(start);
  return std::move(search.best);
}

}  // namespace

Minimum least_by_values(const ValueOf& value, std::vector<double> start, const SearchBounds& bounds,
                        double step, const SearchEnd& end) {
  const ValueAndSlopes without = [&value](std::span<const double> at, std::span<double>) {
    return value(at);
  };
  return searched(start.size() < 2 ? NLOPT_LN_NELDERMEAD : NLOPT_LN_BOBYQA, without,
                  std::move(start), bounds, step, end);
}

Minimum least_by_slopes(const ValueAndSlopes& value, std::vector<double> start,
                        const SearchBounds& bounds, const SearchEnd& end) {
  // That of the first is a matrix of all numbers by all.
  constexpr std::size_t many = 64;
  const auto algorithm = start.size() > many ? NLOPT_LD_LBFGS : NLOPT_LD_SLSQP;
  return searched(algorithm, value, std::move(start), bounds, 0, end);
}

}  // namespace zerobeat::detail
