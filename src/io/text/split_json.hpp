/// Splitting JSON lines: an object on each line, its names the columns, a name within a name `a.b`.

#pragma once

#include <set>
#include <string>
#include <string_view>
#include <vector>
#include <zerobeat/base/export.hpp>

#include "io/text/split_delimited.hpp"

namespace zerobeat {
inline namespace ZEROBEAT_API v1 {
namespace detail {

/// Splits the lines of a stretch into cells by layout.cell_names. A string is what it says, numbers
/// and booleans are as they are written, null and what is absent is empty. Lines that are no
/// object, or hold an array, are rejected. Names that the layout does not have go into the chunk's
/// further_names.
void split_json(const Stretch& stretch, SpanCells& cells);

/// Adds the names of one line's object, in its order, to those that are known. Does nothing for
/// what is none.
void add_json_names(std::string_view line, std::vector<std::string>& names);

/// The cells of one line by names, for samples. False when it is no object.
bool read_loose_json(std::string_view line, const std::vector<std::string>& names,
                     std::vector<std::string>& cells);

}  // namespace detail
}  // namespace v1
}  // namespace zerobeat
