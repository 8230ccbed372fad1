/// Pictures as files: PNG, SVG and PDF, drawn by gnuplot.

#pragma once

#include <string>
#include <zerobeat/base/export.hpp>
#include <zerobeat/io/output.hpp>
#include <zerobeat/view/figure.hpp>

#include "view/drawing/drawing.hpp"

namespace zerobeat {
inline namespace ZEROBEAT_API v1 {
namespace detail {

enum class PictureFormat { png, svg, pdf };

/// The format that a path's ending names. Throws Error of kind usage when it is none.
PictureFormat format_of(const std::string& path);

/// Draws into the file that `path` names by its ending; nothing of it is written unless it is
/// whole. Throws Error of kind usage when the ending is none of a picture, of kind output when
/// gnuplot is not there or fails.
void write_picture(const Drawing& drawing, const Size& size, int scale, Output& output,
                   const std::string& path);

}  // namespace detail
}  // namespace v1
}  // namespace zerobeat
