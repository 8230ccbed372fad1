/// How far one clock is off another, from what both saw.

#pragma once

#include <cstdint>
#include <vector>
#include <zerobeat/base/export.hpp>

#include "align/clock/equations.hpp"
#include "align/clock/lag_peaks.hpp"

namespace zerobeat {
inline namespace ZEROBEAT_API v1 {
namespace detail {

/// One clock against another: other(t) is like reference(t - offset - drift · t).
struct ClockFit {
  double offset_s = 0, offset_se_s = 0;
  double drift = 0, drift_se = 0;  ///< seconds per second
  double likeness = 0;   ///< the correlation where they meet, when slow parts are taken off
  double clearness = 0;  ///< the scale of one to the other, over its standard error
  /// How fast what the equations add falls as offset and drift grow: 1 without noise, and less when
  /// the line has some, which makes them fall short of what is missing.
  double slope = 1, drift_slope = 1;
  double spread = 0;  ///< of the differences
  bool done = false;  ///< false: there is no such fit near the peak
};

/// Sets the clock of `other` against `reference`, starting from a peak.
///
/// Gauss and Newton's method on ClockEquations, with a smooth line through the readings of one
/// source. The broken line lets what is slow differ between two sources. The other line is
/// smooth, because one from reading to reading draws the offset towards where its own noise is
/// least. The standard errors of the equations are over the slope with which they leave zero.
///
/// `turned`: the line is through the other's readings, and the reference's are compared with it.
/// `widening`: how much wider than 2.5 typical steps the line is smoothed to each side.
/// `most_readings`: of more, evenly chosen ones are used; 0: all.
class ClockFitter {
 public:
  ClockFitter(const ClockReadings& reference, const ClockReadings& other, const ClockSearch& search,
              bool turned, double widening, std::size_t most_readings);

  ClockFit operator()(const LagPeak& from) const;
  /// From a fit of fewer readings with the same line.
  ClockFit polished(const ClockFit& from) const;

 private:
  struct State;
  ClockStep step(State& state) const;
  void take_slopes(State& state) const;
  ClockFit fit_of(const ClockStep& clock_step, const State& state) const;
  State state_of(double offset, double drift) const;

  bool turned_;           // the line is the other's, and the reference's readings are compared
  ClockReadings points_;  // whose readings are compared
  SmoothLine line_;       // with this
  ClockFrame frame_;
  double beside_;  // how far off slopes are taken
};

}  // namespace detail
}  // namespace v1
}  // namespace zerobeat
