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

inline constexpr const char* changed_ink = "#b03a1e";
inline constexpr const char* band_ink = "#dfe8ee";

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

/// One row of a band: where, from, to.
struct BandRow {
  double x = 0, low = 0, high = 0;
};
/// The band of a line's column, in stretches without a gap; empty when its timeline has none.
std::vector<std::vector<BandRow>> band_of(const Line& line, const Canvas& canvas);

}  // namespace detail
}  // namespace v1
}  // namespace zerobeat
