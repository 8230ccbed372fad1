#include "io/judge/asked_columns.hpp"

#include <algorithm>
#include <set>
#include <zerobeat/base/option.hpp>
#include <zerobeat/base/text.hpp>

namespace zerobeat::inline v1::detail {

namespace {

/// Whether `name` is one of those that stand in `text` with + between them.
bool is_among(const std::string& text, const std::string& name) {
  return text == name || std::ranges::count(split_names(text, '+'), name) > 0;
}

}  // namespace

std::vector<std::string> names_joined(const std::string& text,
                                      const std::vector<std::string>& names) {
  if (std::ranges::find(names, text) != names.end()) return {text};
  return split_names(text, '+');
}

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
