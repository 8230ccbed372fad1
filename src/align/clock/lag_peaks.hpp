/// Where two series are most alike, one moved against the other.

#pragma once

#include <vector>
#include <zerobeat/base/export.hpp>

#include "align/clock/smooth_line.hpp"

namespace zerobeat {
inline namespace ZEROBEAT_API v1 {
namespace detail {

/// How far one clock may be off the other.
struct ClockSearch {
  double within_s = 3600;  ///< at the instant zero, either way
  bool drift = false;      ///< it may gain, up to `most_drift`
  double slowness = 1;     ///< how many times the usual stretch tells slow parts from the shape
};

/// A clock that gains or loses more than this, 86 s a day, is not looked for.
inline constexpr double most_drift = 1e-3;

/// A stretch in which slow parts are told from the shape that two sources share.
double slow_stretch(const ClockSearch& search, double coarser_step, double span_s);

struct LagPeak {
  double offset_s = 0;
  double drift = 0;     ///< seconds per second
  double likeness = 0;  ///< of the parts that are not slow: a correlation
};

/// The peaks of the correlation of `other` with `reference`, the highest first, at most a dozen:
/// other(t + offset + drift · t) is like reference(t). One at an end of the range is none, but then
/// `rises_beyond` is set when no peak is higher.
///
/// Both are smoothed onto one grid of half the coarser step (of very many steps, one), their moving
/// means over slow_stretch() taken off, and correlated by windows (Fourier transforms; Rabiner,
/// Gold 1975); the windows' correlations are added up along each line of offset and drift.
struct LagPeaks {
  std::vector<LagPeak> peaks{};
  bool rises_beyond = false;
};
LagPeaks lag_peaks(const ClockReadings& reference, const ClockReadings& other,
                   const ClockSearch& search);

}  // namespace detail
}  // namespace v1
}  // namespace zerobeat
