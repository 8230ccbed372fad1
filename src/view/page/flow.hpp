/// What flows where, as a drawing: sources on the left, what is made of them to the right.

#pragma once

#include <span>
#include <string>
#include <zerobeat/base/export.hpp>
#include <zerobeat/view/page.hpp>

namespace zerobeat {
inline namespace ZEROBEAT_API v1 {
namespace detail {

/// As an <svg> element with a box for each, its name and lines in it, and a line from each that it
/// takes from; of more than fit the first, and how many more there are.
std::string flow_svg(std::span<const PageFlow> flow);

}  // namespace detail
}  // namespace v1
}  // namespace zerobeat
