/// Statistics of all readings up to a row, weighted by their age.

#pragma once

#include <cstdint>
#include <vector>
#include <zerobeat/base/export.hpp>
#include <zerobeat/table/timeline.hpp>
#include <zerobeat/take/take.hpp>

namespace zerobeat {
inline namespace ZEROBEAT_API v1 {
namespace detail {

/// The column of ewma(), ewvar(), ewsd() or ewvol(): of each row the readings up to it, from
/// starts[row] on, or from its strand's start when there are no starts. Rows with fewer than
/// `least` readings have none. The mean and the mean square move by the newest reading's share of
/// the weights (West 1979), so that nothing is subtracted. Cost: constant a row; by a half-life an
/// exponential wherever the step is another one.
Column aged(const Timeline& timeline, const Take& take, const std::vector<std::size_t>& starts,
            std::int64_t least);

}  // namespace detail
}  // namespace v1
}  // namespace zerobeat
