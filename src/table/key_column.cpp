#include "table/key_column.hpp"

#include <algorithm>
#include <zerobeat/base/text.hpp>

namespace zerobeat::detail {

void add_key(Table& table, const Timeline& timeline, std::span<const std::uint32_t> strands) {
  if (!timeline.has_key()) return;
  auto words = std::make_shared<Column::Dictionary>();
  for (const Strand& strand : timeline.strands()) words->push_back(strand.key.value_or(""));
  Buffer<std::int32_t> codes(strands.size());
  ValidityBuilder validity(strands.size());
  for (std::size_t i = 0; i < strands.size(); ++i) {
    codes[i] = static_cast<std::int32_t>(strands[i]);
    if ((*words)[strands[i]].empty()) validity.set_missing(i);
  }
  table.add(timeline.key_name(), Column::text(std::move(codes), std::move(words), validity.take()));
}

void check_free(std::span<const std::string_view> own, std::span<const std::string> others) {
  for (const auto& name : others) {
    if (std::ranges::find(own, name) == own.end()) continue;
    fail_usage("two columns would be named \"{}\": the table's own and another; rename one",
               shown(name));
  }
}

}  // namespace zerobeat::detail
