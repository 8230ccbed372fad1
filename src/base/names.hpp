/// Names in lists: a name that holds what lists are made of stands in double quotes, a quote within
/// it doubled.

#pragma once

#include <cstddef>
#include <string>
#include <string_view>
#include <vector>
#include <zerobeat/base/export.hpp>

namespace zerobeat {
inline namespace ZEROBEAT_API v1 {
namespace detail {

/// Where the quoted name that begins at `at` ends. Throws Error when its quote is not closed.
std::size_t end_of_quotes(std::string_view text, std::size_t at);

/// A name without its quotes; one that has none as it stands. Throws Error when something follows
/// the closing quote.
std::string unquoted(std::string_view text);

/// A name as a list holds it: in quotes when it is empty, begins with one, has spaces around it, or
/// holds one of `marks`.
std::string quoted_where_needed(std::string_view name, std::string_view marks);

/// The parts between separators outside parentheses and quotes, spaces around them dropped. A
/// quote opens where a name can begin; elsewhere it is a letter.
std::vector<std::string_view> split_outside_quotes(std::string_view text, char separator);

}  // namespace detail
}  // namespace v1
}  // namespace zerobeat
