/// The format of a whole time column, judged after it was read as its samples had it: another
/// format for what was not read, the order of day and month, the unit of epochs.

#pragma once

#include <zerobeat/base/export.hpp>

#include "io/judge/assembly.hpp"

namespace zerobeat {
inline namespace ZEROBEAT_API v1 {
namespace detail {

/// Judges the format by the whole column. Returns true when it was changed, and the column is to be
/// read again.
bool correct_format(const Assembly& assembly, FoundLayout& found, const ReadOptions& options,
                    const MissingWords& missing_words);

/// Whether day, month and year were read in the right order, as the whole column proves it.
/// Returns true when not, and the column is to be read again. Throws Error when it can't be told.
bool correct_date_order(const Assembly& assembly, FoundLayout& found, bool go_on);

/// What reading the times noticed: mixed formats, units and offsets, digits that were cut.
std::vector<Finding> time_findings(const Assembly& assembly, const FoundLayout& found);

}  // namespace detail
}  // namespace v1
}  // namespace zerobeat
