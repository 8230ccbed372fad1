/// A scale between two sources that is no straight line: what one would read where the other reads
/// something.

#pragma once

#include <optional>
#include <vector>
#include <zerobeat/base/export.hpp>

#include "align/clock/fit.hpp"

namespace zerobeat {
inline namespace ZEROBEAT_API v1 {
namespace detail {

/// A rising curve of straight pieces.
class RisingCurve {
 public:
  struct Knot {
    double from = 0, to = 0;
  };
  explicit RisingCurve(std::vector<Knot> knots) : knots_(std::move(knots)) {}
  /// The first and the last piece go on.
  double operator()(double x) const;

 private:
  std::vector<Knot> knots_;  // at least two, both ascending
};

/// What the reference reads by what the other reads, where they meet: the means of bins of equal
/// number, made to ascend (pool adjacent violators; Ayer and others 1955). Unset when a straight
/// line says it nearly as well, or they hardly meet.
std::optional<RisingCurve> curved_scale(const ClockReadings& reference, const ClockReadings& other,
                                        const ClockFit& fit);

}  // namespace detail
}  // namespace v1
}  // namespace zerobeat
