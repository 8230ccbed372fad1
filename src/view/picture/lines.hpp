/// The picture of lines and bars over time: of records, and of any step that makes a timeline.

#pragma once

#include <zerobeat/base/export.hpp>

#include "view/picture/picture.hpp"

namespace zerobeat {
inline namespace ZEROBEAT_API v1 {
namespace detail {

/// All timelines over one time axis, and what is laid over them. Lines stay open where readings are
/// missing, and where a step is longer than three times both the typical step and the mean one; of
/// more readings than pixels the first, least, greatest and last of each pixel column are drawn. A
/// change of the clocks is marked, and so are partial rows and what the columns of clip and fill
/// tell of. Throws Error of kind usage when a named column is in none of the timelines or not
/// numeric.
DrawnPicture draw_lines(const PictureTask& task);

/// Points of two columns, strand by strand, and the least-squares line through each.
DrawnPicture draw_scatter(const PictureTask& task);

}  // namespace detail
}  // namespace v1
}  // namespace zerobeat
