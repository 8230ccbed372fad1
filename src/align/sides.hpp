/// The sides of what brings several timelines together: their axes and the names of their columns.

#pragma once

#include <span>
#include <string>
#include <vector>
#include <zerobeat/base/export.hpp>
#include <zerobeat/table/timeline.hpp>

namespace zerobeat {
inline namespace ZEROBEAT_API v1 {
namespace detail {

/// Throws Error unless the times of both are of one kind.
void check_axes(const Timeline& left, const Timeline& right);

/// A time as it stands on the axis: to the second, or a number of its unit.
std::string time_text(Instant t, const Axis& axis);

/// The same timeline with its value columns under other names.
Timeline renamed(const Timeline& timeline, const std::vector<std::string>& names);

/// The names that the value columns of each side get: those that more than one side has get _NAME
/// on every side. Throws Error when they clash still.
std::vector<std::vector<std::string>> settle_names(std::span<const Timeline* const> sides);

}  // namespace detail
}  // namespace v1
}  // namespace zerobeat
