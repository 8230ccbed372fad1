/// What is no outlier: bounds for each reading, by one of clip's rules.

#pragma once

#include <cmath>
#include <span>
#include <vector>
#include <zerobeat/clean/clip.hpp>

namespace zerobeat::detail {

/// Who judged a row: bounds and the centre between them. `low` is NaN where nothing judges.
struct RowJudge {
  double low = 0, high = 0, centre = 0;
};

struct OutlierJudges {
  std::vector<RowJudge> rows{};     ///< of each row of the timeline
  std::int64_t of_few = 0;          ///< readings that too few stood around to be judged
  std::int64_t without_spread = 0;  ///< readings that stood among equal ones

  bool judges(std::size_t row) const { return !std::isnan(rows[row].low); }
};

/// The judges of a column, `numbers`, whose validity leaves out what must not judge.
OutlierJudges judges_of(const Timeline& timeline, const Column& numbers, const Clip& options);

}  // namespace zerobeat::detail
