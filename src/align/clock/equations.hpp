/// The linear equations that say how an offset and a drift are to change.

#pragma once

#include <array>
#include <cstddef>
#include <vector>
#include <zerobeat/base/export.hpp>

#include "align/clock/smooth_line.hpp"

namespace zerobeat {
inline namespace ZEROBEAT_API v1 {
namespace detail {

/// What all equations of one fit have in common.
struct ClockFrame {
  double first = 0, last = 0;  ///< of the readings that are compared
  double slow = 1;             ///< from bend to bend of the broken line
  std::size_t bends = 2;
  double step = 1;      ///< the coarser typical step
  bool drifts = false;  ///< a drift is sought, too

  double span() const { return last - first; }
};

/// What solving came to: what to add to offset and drift, how sure that is, how alike they are.
struct ClockStep {
  bool solved = false;
  double offset = 0, drift = 0;
  double var_offset = 0, var_drift = 0;
  double likeness = 0;   ///< a correlation, slow parts taken off
  double clearness = 0;  ///< the scale over its standard error
  double spread = 0;     ///< of the differences: 1.4826 times their median size
};

/// Readings against a line set back by an offset and a drift: reading = broken line + scale · (line
/// - slope · (more offset + more drift · t)), by least squares, readings far off weighing less
/// (Huber 1964). Variances are of blocks of time (Liang, Zeger 1986): a quarter of what lies
/// between two bends, if that leaves twelve, but twenty coarser steps and a fiftieth of the whole
/// at least.
class ClockEquations {
 public:
  ClockEquations(const ClockReadings& points, const SmoothLine& line, const ClockFrame& frame,
                 double offset, double drift);

  /// `spread` of the differences, when it is known; else 0.
  ClockStep solved(double spread);

 private:
  /// Besides the heights of the broken line: the scale, and what the offset and the drift add.
  static constexpr std::size_t own_terms = 3;
  using Own = std::array<double, own_terms>;

  /// A reading that meets the line.
  struct Row {
    double at, reading;
    std::size_t bend;
    double left;  ///< how near the bend is; the next one is 1 - left
    Own own;
  };
  /// The inner products of the rows between two bends.
  struct Products {
    static constexpr std::size_t terms = 2 + own_terms + 1;
    std::size_t bend = 0;
    std::array<double, terms * terms> sums{};
  };

  std::vector<Products> products() const;
  void solve();
  void find_differences();
  double usual_difference() const;
  void weigh(double usual);
  void judge(ClockStep& out) const;

  const ClockFrame frame_;
  double span_;  // that a drift is counted over
  std::vector<Row> rows_;
  std::vector<double> weights_, differences_;
  std::vector<double> solution_;                     // the bends' heights, then own terms
  std::array<std::vector<double>, own_terms> pull_;  // rows of the inverse
};

}  // namespace detail
}  // namespace v1
}  // namespace zerobeat
