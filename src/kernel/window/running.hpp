/// Running totals, from the start of a strand or of each period.

#pragma once

#include <optional>
#include <string>
#include <vector>
#include <zerobeat/base/export.hpp>
#include <zerobeat/table/timeline.hpp>
#include <zerobeat/time/period.hpp>

namespace zerobeat {
inline namespace ZEROBEAT_API v1 {
namespace detail {

/// For each row, the row at which its total starts: the strand's first, or the first of its period.
std::vector<std::size_t> starts_of_totals(const Timeline& timeline,
                                          const std::optional<Period>& restart);

/// The total of a column's readings from starts[i] to row i; missing until there are `least`
/// readings, and one. Integers stay exact, or become numbers, with a note, when one does not fit.
Column running_total(const Column& column, const std::vector<std::size_t>& starts,
                     std::int64_t least, std::vector<std::string>& notes);

}  // namespace detail
}  // namespace v1
}  // namespace zerobeat
