/// What is no outlier: bounds for each reading, by one of clip's rules.

#pragma once

#include <cstdint>
#include <vector>
#include <zerobeat/base/export.hpp>
#include <zerobeat/clean/clip.hpp>

namespace zerobeat {
inline namespace ZEROBEAT_API v1 {
namespace detail {

/// Who judged a row: bounds and the centre between them. `low` is NaN where nothing judges.
struct RowJudge {
  double low = 0, high = 0, centre = 0;
};

/// A reading outside its bounds.
struct Outlier {
  std::size_t row = 0;
  RowJudge judge{};
};

struct OutlierJudges {
  std::vector<Outlier> outliers{};  ///< rows ascend
  /// The bounds of each row, when options.band asks for them; NaN where nothing judges.
  Buffer<double> low{}, high{};
  std::int64_t of_few = 0;          ///< readings that too few stood around to be judged
  std::int64_t without_spread = 0;  ///< readings that stood among equal ones
};

/// Judges a column, `numbers`, whose validity leaves out what must not judge.
OutlierJudges judges_of(const Timeline& timeline, const Column& numbers, const Clip& options);

}  // namespace detail
}  // namespace v1
}  // namespace zerobeat
