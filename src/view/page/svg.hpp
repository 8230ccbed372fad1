/// Drawings as SVG within a page.

#pragma once

#include <string>
#include <zerobeat/base/export.hpp>

#include "view/drawing/drawing.hpp"

namespace zerobeat {
inline namespace ZEROBEAT_API v1 {
namespace detail {

/// The drawing as an <svg> element of that size, which scales to the width that it is given.
/// Texts and axes have the page's own colors, light or dark; the element has the drawing's name and
/// description for those who can't see it.
std::string page_svg(const Drawing& drawing, int width, int height);

}  // namespace detail
}  // namespace v1
}  // namespace zerobeat
