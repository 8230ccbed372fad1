/// What the name of a column tells: its unit, and what it was made of.

#pragma once

#include <string>
#include <zerobeat/base/export.hpp>
#include <zerobeat/table/timeline.hpp>

namespace zerobeat {
inline namespace ZEROBEAT_API v1 {
namespace detail {

/// "level (m)" of level_m, "level mean (m)" of level_m_mean; a name that tells no unit as it is.
std::string name_with_unit(const std::string& column);

/// Whether `smooth` is what a window of readings made of `column`: by its name, or by what the
/// account of its timeline says of roll.
bool is_smoothed(const Timeline& timeline, const std::string& smooth, const std::string& column);

}  // namespace detail
}  // namespace v1
}  // namespace zerobeat
