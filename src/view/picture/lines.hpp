/// The picture of lines and bars over time.

#pragma once

#include <span>
#include <string>
#include <vector>
#include <zerobeat/base/export.hpp>
#include <zerobeat/table/timeline.hpp>
#include <zerobeat/view/figure.hpp>

#include "view/gnuplot.hpp"

namespace zerobeat {
inline namespace ZEROBEAT_API v1 {
namespace detail {

/// A picture as gnuplot draws it, and what is said of it.
struct DrawnPicture {
  std::string script;
  Caption caption;
  std::vector<std::string> notes;  ///< what could not be drawn
};

/// All timelines over one time axis, and `over`, unless null, laid over them. Throws Error when a
/// named column is in none of them or not numeric, or there is nothing to draw.
DrawnPicture lines_picture(std::span<const Timeline> timelines, const Timeline* over,
                           const Figure& look);

}  // namespace detail
}  // namespace v1
}  // namespace zerobeat
