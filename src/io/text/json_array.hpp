/// Arrays in JSON, which stay as their text.

#pragma once

#include <cstddef>
#include <string_view>
#include <zerobeat/base/export.hpp>

namespace zerobeat {
inline namespace ZEROBEAT_API v1 {
namespace detail {

/// The length of the array that `text` begins with, from bracket to bracket; 0 when it is not well
/// formed (RFC 8259), does not end, or holds arrays and objects within one another more than
/// `deepest` levels. UTF-8 is not looked at. Cost: one pass.
std::size_t json_array_length(std::string_view text, int deepest);

}  // namespace detail
}  // namespace v1
}  // namespace zerobeat
