/// Which columns of a source with types are asked for, before they are read.

#pragma once

#include <string>
#include <vector>
#include <zerobeat/base/export.hpp>
#include <zerobeat/io/read.hpp>

namespace zerobeat {
inline namespace ZEROBEAT_API v1 {
namespace detail {

/// The names that stand in an option's text with + between them, in double quotes where they hold
/// one; the text itself when there is a column of that name.
std::vector<std::string> names_joined(const std::string& text,
                                      const std::vector<std::string>& names);

/// Whether the options ask for a column: all when they name none; else those, the time's and the
/// key's.
bool is_asked_for(const std::string& name, const ReadOptions& options);

/// Throws Error of kind input when two columns have one name.
void check_unique(const std::vector<std::string>& names, const std::string& source);

}  // namespace detail
}  // namespace v1
}  // namespace zerobeat
