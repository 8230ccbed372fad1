/// Statistics of the numbers of a bucket that share one pass over them.

#pragma once

#include <optional>
#include <span>
#include <tuple>
#include <vector>
#include <zerobeat/base/export.hpp>

#include "kernel/sums.hpp"
#include "take/definitions.hpp"

namespace zerobeat {
inline namespace ZEROBEAT_API v1 {
namespace detail {

/// The dense readings of one bucket. What one statistic finds out, the next need not.
class BucketNumbers {
 public:
  /// `times` are the readings' own; only statistics that need them look at them.
  BucketNumbers(std::span<const double> readings, std::span<const Instant> times)
      : readings_(readings), times_(times) {}

  /// Not a number where there is none.
  double operator()(const Take& take);

  std::size_t size() const { return readings_.size(); }

  /// The state of all readings: by a faster kernel where one stands beside the definition, else one
  /// reading after the other.
  template <typename State>
  const State& state() {
    auto& kept = std::get<std::optional<State>>(states_);
    if (!kept) {
      kept.emplace();
      gather(*kept);
    }
    return *kept;
  }

  double quantile(double share);
  double median_deviation();
  double own(const Take& take);

 private:
  template <typename State>
  void gather(State& state) {
    for (const double reading : readings_) state.merge(State::of(reading));
  }
  void gather(CompensatedSum& sum);
  void gather(Least& least);
  void gather(Greatest& greatest);
  void gather(BothExtremes& extremes);
  void gather(Moments& moments);
  void gather(HigherMoments& moments);
  void gather(LineMoments& moments);
  double mean() { return state<CompensatedSum>().mean(static_cast<double>(size())); }

  std::span<const double> readings_;
  std::span<const Instant> times_;
  std::tuple<std::optional<CompensatedSum>, std::optional<Least>, std::optional<Greatest>,
             std::optional<BothExtremes>, std::optional<Moments>, std::optional<HigherMoments>,
             std::optional<LineMoments>, std::optional<Squares>>
      states_;
  bool has_copy_ = false;
};

}  // namespace detail
}  // namespace v1
}  // namespace zerobeat
