/// The picture of two clocks: how alike two sources are when one's clock is taken to be off by so
/// much, and both of them before and after.

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

/// Draws what `look.tune` asks, of two timelines, or of the strands of one: the match against the
/// offset, of each strand a line with its peak marked and the width of the one that is furthest
/// off shaded; below, a lively stretch of that strand on the reference, as it was and set right.
/// Strands that are no match are drawn, too, and named in what is returned.
std::vector<std::string> draw_tuning(std::span<const Timeline> timelines, const Figure& look,
                                     Output& output, const std::string& path);

}  // namespace detail
}  // namespace v1
}  // namespace zerobeat
