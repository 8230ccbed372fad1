/// Drawings in a terminal: lines in braille dots, texts in letters.

#pragma once

#include <string>
#include <zerobeat/base/export.hpp>

#include "view/drawing/drawing.hpp"

namespace zerobeat {
inline namespace ZEROBEAT_API v1 {
namespace detail {

/// The drawing in so many columns and rows of letters, each row ended by a newline; with `color` in
/// the 256 colors of terminals.
std::string terminal_text(const Drawing& drawing, int columns, int rows, bool color);

}  // namespace detail
}  // namespace v1
}  // namespace zerobeat
