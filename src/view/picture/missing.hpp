/// The picture of what is there and what is not.

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

/// Draws a strip for each strand and column (`look.y`, or all), over the span of all: pale where
/// readings stand, dark where they are missing for half a pixel's time or more, between where some
/// are. What is missing is as missing_spans() has it; before a strand's first record and after its
/// last the strip is empty. Returns what is to be said besides.
std::vector<std::string> draw_missing(std::span<const Timeline> timelines, const Figure& look,
                                      Output& output, const std::string& path);

}  // namespace detail
}  // namespace v1
}  // namespace zerobeat
