/// The picture of what a column's readings are like: how often each value comes, and how far that
/// is from normal.

#pragma once

#include <span>
#include <string>
#include <vector>
#include <zerobeat/base/export.hpp>
#include <zerobeat/io/output.hpp>
#include <zerobeat/table/timeline.hpp>
#include <zerobeat/view/figure.hpp>

namespace zerobeat {
inline namespace ZEROBEAT_API v1 {
namespace detail {

/// Draws the column `look.describe`, a row of two panels for each strand that has readings: its
/// histogram (bins by Freedman and Diaconis 1981) with the normal curve of its mean and standard
/// deviation, and its sorted readings against the quantiles of the normal distribution, the line
/// that they would lie on beside them. Returns what is to be said besides.
std::vector<std::string> draw_description(std::span<const Timeline> timelines, const Figure& look,
                                          Output& output, const std::string& path);

}  // namespace detail
}  // namespace v1
}  // namespace zerobeat
