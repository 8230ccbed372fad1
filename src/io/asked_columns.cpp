#include "io/asked_columns.hpp"

#include <algorithm>
#include <set>
#include <zerobeat/base/text.hpp>

namespace zerobeat::detail {

namespace {

/// Whether `name` is one of those that stand in `text` with + between them.
bool is_among(const std::string& text, const std::string& name) {
  if (text == name) return true;
  for (std::size_t from = 0; from <= text.size();) {
    const std::size_t plus = std::min(text.find('+', from), text.size());
    if (text.compare(from, plus - from, name) == 0) return true;
    from = plus + 1;
  }
  return false;
}

}  // namespace

bool is_asked_for(const std::string& name, const ReadOptions& options) {
  if (options.columns.empty()) return true;
  return std::ranges::find(options.columns, name) != options.columns.end() ||
         is_among(options.time, name) || is_among(options.key, name);
}

void check_unique(const std::vector<std::string>& names, const std::string& source) {
  std::set<std::string> seen;
  for (const auto& name : names) {
    if (!seen.insert(name).second) {
      fail_input("{}: two columns are named \"{}\"; rename one, in a database with AS", source,
                 shown(name));
    }
  }
}

}  // namespace zerobeat::detail
