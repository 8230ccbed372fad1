#include "take/named_statistics.hpp"

#include <algorithm>
#include <zerobeat/base/error.hpp>
#include <zerobeat/base/text.hpp>

namespace zerobeat::inline v1::detail {

namespace {

thread_local const NamedStatistics* in_scope = nullptr;

bool is_word(std::string_view name) {
  const auto is_letter = [](char c) { return (c >= 'a' && c <= 'z') || c == '_'; };
  return !name.empty() && is_letter(name[0]) &&
         std::ranges::all_of(name, [&](char c) { return is_letter(c) || (c >= '0' && c <= '9'); });
}

}  // namespace

StatisticsInScope::StatisticsInScope(const NamedStatistics& statistics) : before_(in_scope) {
  for (const auto& [name, function] : statistics) {
    if (!is_word(name)) {
      fail_usage("\"{}\" is no name for a statistic: small letters, digits and _, a letter first",
                 shown(name));
    }
    const auto rows = zerobeat::statistics();
    const bool taken = std::ranges::find(rows, name, &Statistic::word) != rows.end();
    if (taken) fail_usage("\"{}\" is a statistic already; give yours another name", name);
    if (!function) fail_usage("the statistic \"{}\" has no function", name);
  }
  in_scope = &statistics;
}

StatisticsInScope::~StatisticsInScope() { in_scope = before_; }

const NamedStatistics* named_statistics() { return in_scope; }

}  // namespace zerobeat::detail
