/// Names that there are, for whoever named none of them.

#pragma once

#include <fmt/format.h>

#include <algorithm>
#include <string>
#include <vector>
#include <zerobeat/base/export.hpp>
#include <zerobeat/base/text.hpp>

namespace zerobeat {
inline namespace ZEROBEAT_API v1 {
namespace detail {

/// Each on a line of its own, the first of many.
inline std::string listed(const std::vector<std::string>& names) {
  constexpr std::size_t most = 20;
  std::string all;
  for (std::size_t i = 0; i < std::min(most, names.size()); ++i) {
    all += "\n  " + shown(names[i], 200);
  }
  if (names.size() > most) all += fmt::format("\n  and {} more", names.size() - most);
  return all;
}

/// Names one after the other in a line, the first of many.
inline std::string listed_in_line(const std::vector<std::string>& names) {
  constexpr std::size_t most = 12;
  std::string all;
  for (std::size_t i = 0; i < std::min(most, names.size()); ++i) {
    all += (i > 0 ? ", " : "") + shown(names[i]);
  }
  if (names.size() > most) all += fmt::format(" and {} more", names.size() - most);
  return all;
}

}  // namespace detail
}  // namespace v1
}  // namespace zerobeat
