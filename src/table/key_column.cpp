#include "table/key_column.hpp"

#include <algorithm>
#include <unordered_map>
#include <zerobeat/base/text.hpp>

namespace zerobeat::inline v1::detail {

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

namespace {

/// One of the columns that make a key; a part that is empty is missing.
Column part_of_keys(const Column& keys, std::size_t part) {
  auto words = std::make_shared<Column::Dictionary>();
  std::unordered_map<std::string, std::int32_t> code_of;
  std::vector<std::int32_t> own;  // of each key
  for (const auto& key : keys.dictionary()) {
    const auto parts = key_parts(key);
    const std::string word = part < parts.size() ? parts[part] : "";
    const auto [at, added] = code_of.emplace(word, static_cast<std::int32_t>(words->size()));
    if (added) words->push_back(word);
    own.push_back(at->second);
  }
  Buffer<std::int32_t> codes(keys.size());
  ValidityBuilder validity(keys.size());
  for (std::size_t i = 0; i < keys.size(); ++i) {
    codes[i] = own.empty() ? 0 : own[static_cast<std::size_t>(keys.codes()[i])];
    if (!keys.valid(i) || (*words)[static_cast<std::size_t>(codes[i])].empty()) {
      validity.set_missing(i);
    }
  }
  return Column::text(std::move(codes), std::move(words), validity.take());
}

}  // namespace

Table with_own_keys(const Table& table) {
  const auto is_joined = [](const std::string& name) {
    return name.find(key_mark) != std::string::npos;
  };
  if (std::ranges::none_of(table.names(), is_joined)) return table;
  Table out(table.rows());
  for (std::size_t c = 0; c < table.names().size(); ++c) {
    const Column& column = table.columns()[c];
    const auto names = key_parts(table.names()[c]);
    if (names.size() == 1 || column.type() != Column::Type::text) {
      out.add(table.names()[c], column);
      continue;
    }
    for (std::size_t part = 0; part < names.size(); ++part) {
      out.add(names[part], part_of_keys(column, part));
    }
  }
  return out;
}

void check_free(std::span<const std::string_view> own, std::span<const std::string> others) {
  for (const auto& name : others) {
    if (std::ranges::find(own, name) == own.end()) continue;
    fail_usage("two columns would be named \"{}\": the table's own and another; rename one",
               shown(name));
  }
}

}  // namespace zerobeat::detail
