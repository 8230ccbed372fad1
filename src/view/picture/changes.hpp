/// What steps changed, as a picture shows it: readings that a boolean column A_clipped or A_filled
/// names, and the band between columns A_low and A_high.

#pragma once

#include <map>
#include <string>
#include <utility>
#include <vector>
#include <zerobeat/base/export.hpp>
#include <zerobeat/table/timeline.hpp>

#include "view/picture/line.hpp"

namespace zerobeat {
inline namespace ZEROBEAT_API v1 {
namespace detail {

/// The instants at which readings of a column were changed, by column and key.
class ChangedReadings {
 public:
  ChangedReadings() = default;
  explicit ChangedReadings(const std::vector<const Timeline*>& timelines);

  bool any() const { return !at_.empty(); }
  bool has(const Line& line, std::size_t row) const;
  /// The changed readings of a line as it has them, within the canvas.
  std::vector<Point> of(const Line& line, const Canvas& canvas) const;

 private:
  std::map<std::pair<std::string, std::string>, std::vector<Instant>> at_;
};

/// The least and the greatest reading of a line that was not changed; {0, 0} and false when there
/// is none.
struct Range {
  double least = 0, most = 0;
  bool any = false;

  void add(double value);
  void add(const Range& other);
};
Range range_without(const Line& line, const ChangedReadings& changed);

/// What lies between two columns of a line's strand, in stretches without a gap; empty when its
/// timeline lacks one.
std::vector<std::vector<AreaRow>> band_between(const Line& line, const std::string& low,
                                               const std::string& high, const Canvas& canvas);

/// The column whose reading a numeric column A_low or A_high bounds: A, when all three are there.
std::optional<std::string> bounded_by(const Table& values, const std::string& name);

}  // namespace detail
}  // namespace v1
}  // namespace zerobeat
