/// Lines of a picture: a column of a strand as the points that are drawn.

#pragma once

#include <optional>
#include <span>
#include <string>
#include <vector>
#include <zerobeat/base/export.hpp>
#include <zerobeat/table/timeline.hpp>

#include "view/drawing/drawing.hpp"

namespace zerobeat {
inline namespace ZEROBEAT_API v1 {
namespace detail {

/// What a picture spans, and how finely.
struct Canvas {
  Instant first{}, last{};
  int width = 0;     ///< pixels
  bool log = false;  ///< what is not above zero can't be drawn
  std::optional<ElapsedUnit> unit{};

  /// Seconds from the left edge; on an elapsed axis the number that stands for the time.
  double x(Instant t) const;
};

/// One column of one strand.
struct Line {
  const Timeline* timeline = nullptr;
  Strand strand{};
  Column column{};
  std::string name{};  ///< of the column
  std::string title{};
  bool right_axis = false;
  bool over = false;
};

/// A line made ready.
struct DrawnLine {
  std::vector<std::vector<Point>> stretches;    ///< without a gap; of one point: it is alone
  std::vector<std::pair<double, double>> gaps;  ///< from and until, in order
  std::vector<Point> partial;                   ///< of rows that are partial
  double least = 0, most = 0;                   ///< of all its readings
  double mean = 0;                              ///< of those in buckets that are not partial
  std::size_t readings = 0;
  std::size_t not_drawable = 0;  ///< readings that a logarithm has no place for
};

/// Where a step is a gap, in seconds: longer than three times both the typical step and the mean
/// one, so that records that come in bursts are not all torn apart. Infinite without a step.
double longest_step(std::span<const Instant> times);
/// The same when the typical step is known, in seconds.
double longest_step(std::span<const Instant> times, double typical_s);

/// The points of a line. With more readings than pixels, the first, least, greatest and last of
/// each pixel column; and gaps narrower than a pixel are none. Cost: some passes over the readings.
DrawnLine drawn_line(const Line& line, const Canvas& canvas);

/// The stretches of [0, end] that are gaps of every line.
std::vector<std::pair<double, double>> common_gaps(
    const std::vector<std::vector<std::pair<double, double>>>& gaps);

}  // namespace detail
}  // namespace v1
}  // namespace zerobeat
