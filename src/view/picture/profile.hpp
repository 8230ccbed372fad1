/// Pictures of profiles: bars by one part of the calendar, a heat map by two.

#pragma once

#include <string>
#include <zerobeat/base/export.hpp>
#include <zerobeat/regular/profile.hpp>
#include <zerobeat/view/figure.hpp>

namespace zerobeat {
inline namespace ZEROBEAT_API v1 {
namespace detail {

/// The commands that draw a profile; a panel for each strand and take. Throws Error of kind usage
/// With look.mean, bars have a dashed line at their mean. Throws Error of kind usage
/// when it goes by more than two parts, a take is no number, or there are too many panels.
std::string profile_script(const ProfileTable& profile, const Zone& zone, const Figure& look);

}  // namespace detail
}  // namespace v1
}  // namespace zerobeat
