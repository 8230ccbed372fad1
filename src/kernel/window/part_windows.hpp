/// The windows of a part of a strand, and the readings in them.

#pragma once

#include <algorithm>
#include <map>
#include <memory>
#include <string>
#include <tuple>
#include <vector>
#include <zerobeat/base/export.hpp>
#include <zerobeat/table/place.hpp>
#include <zerobeat/table/timeline.hpp>
#include <zerobeat/time/period.hpp>

#include "kernel/window/dense_windows.hpp"
#include "kernel/window/parts.hpp"
#include "kernel/window/standing.hpp"

namespace zerobeat {
inline namespace ZEROBEAT_API v1 {
namespace detail {

/// One column's readings (or those of the rows that have two) in the windows of a part.
struct WindowReadings {
  DenseWindows dense;
  std::span<const double> numbers{};                    ///< of numeric columns
  std::span<const double> others{};                     ///< of the second column
  std::vector<std::vector<WindowStretch>> stretches{};  ///< of each run of windows
  Buffer<double> room{}, others_room{};

  std::span<const RowRange> windows() const { return dense.windows(); }
};

/// The windows of a part, all of one extent.
class PartWindows {
 public:
  PartWindows(const Timeline& timeline, const WindowPart& part, const Extent& window, Place place);

  const Strand& strand() const { return strand_; }
  std::size_t size() const { return rows_.size(); }
  /// The first row, in the timeline.
  std::size_t first_row() const { return strand_.begin + part_.from; }
  /// Rows of the strand.
  std::span<const RowRange> rows() const { return rows_.span(); }
  /// Windows that move ahead only: all of them, but where clocks change.
  std::span<const RowStretch> runs() const { return runs_; }
  std::span<const Instant> strand_times() const { return times_; }

  /// Of a column, and of another one where it is given; `compact`: of no more than the windows'
  /// readings. Made once.
  const WindowReadings& readings(const std::string& column, const std::string& with, bool compact);
  /// The readings' times.
  std::span<const Instant> times_of(const WindowReadings& readings, Buffer<Instant>& room) const {
    return readings.dense.of(times_, room);
  }
  /// The windows' edges, of a period.
  std::vector<TimeEdges> edges() const;

 private:
  const Timeline& timeline_;
  const WindowPart& part_;
  const Strand& strand_;
  const Extent& window_;
  Place place_;
  std::span<const Instant> times_;
  Buffer<RowRange> rows_;
  std::vector<RowStretch> runs_{};
  std::vector<std::vector<WindowStretch>> stretches_{};  // of each run, in rows
  std::map<std::tuple<std::string, std::string, bool>, std::unique_ptr<WindowReadings>> readings_;
};

}  // namespace detail
}  // namespace v1
}  // namespace zerobeat
