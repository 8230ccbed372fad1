#include "io/text/named_columns.hpp"

#include <algorithm>
#include <zerobeat/base/error.hpp>
#include <zerobeat/base/text.hpp>

#include "io/judge/asked_columns.hpp"

namespace zerobeat::inline v1::detail {

std::size_t place_of(const std::string& name, const std::string& option, const std::string& source,
                     const std::vector<std::string>& names, const std::string& of) {
  const auto at = std::ranges::find(names, name);
  if (at == names.end()) {
    fail_usage("‹{}›{}: {} has no column \"{}\"{}", option, of.empty() ? "" : " " + of, source,
               shown(name), did_you_mean(name, names));
  }
  return static_cast<std::size_t>(at - names.begin());
}

std::vector<std::size_t> places_named(const std::string& text, const std::string& option,
                                      const std::string& source,
                                      const std::vector<std::string>& names) {
  const auto named = names_joined(text, names);
  std::vector<std::size_t> places;
  for (const auto& name : named) {
    places.push_back(place_of(name, option, source, names, named.size() > 1 ? text : ""));
    if (std::ranges::count(places, places.back()) > 1) {
      fail_usage("‹{}› {}: \"{}\" is named twice", option, text, name);
    }
  }
  return places;
}

}  // namespace zerobeat::detail
