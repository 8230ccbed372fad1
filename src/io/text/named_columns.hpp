/// The columns of a source that an option names.

#pragma once

#include <string>
#include <vector>
#include <zerobeat/base/export.hpp>

namespace zerobeat {
inline namespace ZEROBEAT_API v1 {
namespace detail {

/// One; throws Error with what there is like it, and with the value `of` that it is part of.
std::size_t place_of(const std::string& name, const std::string& option, const std::string& source,
                     const std::vector<std::string>& names, const std::string& of = "");

/// With + between them: one, or several.
std::vector<std::size_t> places_named(const std::string& text, const std::string& option,
                                      const std::string& source,
                                      const std::vector<std::string>& names);

}  // namespace detail
}  // namespace v1
}  // namespace zerobeat
