/// Least values of functions, within bounds.

#pragma once

#include <functional>
#include <span>
#include <vector>
#include <zerobeat/base/export.hpp>

namespace zerobeat {
inline namespace ZEROBEAT_API v1 {
namespace detail {

/// How hard a minimum is looked for: well enough to compare models, the same from more beginnings,
/// or to the last digit.
enum class Effort { search, wide, final };

struct SearchBounds {
  std::vector<double> low{}, high{};
};

struct Minimum {
  std::vector<double> at{};
  double value = 0;
};

/// When a search is at its end.
struct SearchEnd {
  double tolerance = 1e-9;  ///< of the value
  int most_calls = 2'000;
};

using ValueOf = std::function<double(std::span<const double>)>;
/// Writes the slope by each number into its second argument.
using ValueAndSlopes = std::function<double(std::span<const double>, std::span<double>)>;

/// The least value that was met on the way from `start`, first by steps of `step`: by quadratic
/// models (Powell 2009), of one number by a simplex. The same at every run. Throws what the
/// function throws; Stopped when the run is.
[[nodiscard]] Minimum least_by_values(const ValueOf& value, std::vector<double> start,
                                      const SearchBounds& bounds, double step,
                                      const SearchEnd& end = {});

/// The same by slopes: sequential quadratic programming (Kraft 1994), of many numbers with limited
/// memory (Liu and Nocedal 1989).
[[nodiscard]] Minimum least_by_slopes(const ValueAndSlopes& value, std::vector<double> start,
                                      const SearchBounds& bounds, const SearchEnd& end = {});

}  // namespace detail
}  // namespace v1
}  // namespace zerobeat
