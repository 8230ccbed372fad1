/// The columns of a source that an option names.

#pragma once

#include <string>
#include <vector>

namespace zerobeat::detail {

/// One; throws Error with what there is like it.
std::size_t place_of(const std::string& name, const std::string& option, const std::string& source,
                     const std::vector<std::string>& names);

/// With + between them: one, or several.
std::vector<std::size_t> places_named(const std::string& text, const std::string& option,
                                      const std::string& source,
                                      const std::vector<std::string>& names);

}  // namespace zerobeat::detail
