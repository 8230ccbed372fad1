#include "io/judge/path_columns.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <filesystem>
#include <map>
#include <utility>
#include <zerobeat/base/error.hpp>
#include <zerobeat/base/option.hpp>
#include <zerobeat/base/text.hpp>
#include <zerobeat/io/source_name.hpp>

#include "base/names.hpp"

namespace zerobeat::inline v1::detail {

namespace {

std::string joined(const std::vector<std::string>& names, std::string_view between) {
  return fmt::format("{}", fmt::join(names, between));
}

std::string quoted_key(std::vector<std::string> names) {
  for (std::string& name : names) name = quoted_where_needed(name, ",+()");
  return joined(names, "+");
}

}  // namespace

std::vector<PathValue> values_of_path(const std::string& path) {
  std::vector<PathValue> values;
  const std::filesystem::path file(path);
  const auto add = [&](const std::string& text) {
    const std::size_t equals = text.find('=');
    if (equals == std::string::npos || equals == 0) return;
    values.push_back({text.substr(0, equals), text.substr(equals + 1)});
  };
  for (const auto& folder : file.parent_path()) add(folder.string());
  add(source_stem(path));
  return values;
}

PathColumns::PathColumns(const OpenSource& source) {
  for (const Part& part : source.parts) {
    for (const PathValue& value : part.path_values) {
      if (std::ranges::find(names_, value.name) == names_.end()) names_.push_back(value.name);
    }
  }
  values_.resize(source.parts.size() * names_.size());
  for (std::size_t p = 0; p < source.parts.size(); ++p) {
    for (const PathValue& value : source.parts[p].path_values) {
      values_[p * names_.size() + place(value.name)] = value.value;
    }
  }
}

std::size_t PathColumns::place(const std::string& name) const {
  return static_cast<std::size_t>(std::ranges::find(names_, name) - names_.begin());
}

ReadTask PathColumns::task_without(const ReadTask& task) const {
  ReadTask without = task;
  const auto is_of_path = [&](const std::string& name) { return place(name) < names_.size(); };
  const bool columns_asked = !task.columns.empty();
  std::erase_if(without.columns, is_of_path);
  // None of the files' own: the time alone.
  if (columns_asked && without.columns.empty()) without.decode.emplace();
  if (without.decode) std::erase_if(*without.decode, is_of_path);
  std::erase_if(without.text, is_of_path);
  std::erase_if(without.number, is_of_path);
  auto key = split_names(task.key, '+');
  if (std::ranges::any_of(key, is_of_path)) {
    std::erase_if(key, is_of_path);
    without.key = quoted_key(key);
  }
  without.judge_only = false;
  return without;
}

void PathColumns::join_keys(const ReadTask& task, Assembly& assembly, FoundLayout& found) const {
  for (const auto& name : names_) {
    if (std::ranges::find(found.names, name) == found.names.end()) continue;
    fail_input("a path says {}=…, and a file has a column \"{}\"; rename one of them", shown(name),
               shown(name));
  }
  const auto key = split_names(task.key, '+');
  const bool any = std::ranges::any_of(
      key, [&](const std::string& name) { return place(name) < names_.size(); });
  if (!any) return;
  const bool had_key = !found.layout.key_cells.empty();
  const auto old_texts = assembly.key_texts.take_texts();
  Interner<std::string> texts;
  Buffer<std::int32_t> keys(assembly.times.size());
  std::map<std::pair<std::uint64_t, std::int32_t>, std::int32_t> known;
  for (std::size_t row = 0; row < keys.size(); ++row) {
    const std::uint64_t part = assembly.places.byte(row) / part_bytes;
    const std::int32_t old = had_key ? assembly.keys[row] : 0;
    const auto [at, is_new] = known.emplace(std::pair(part, old), 0);
    if (is_new) {
      std::vector<std::string> own;
      if (had_key) own = key_parts(old_texts[static_cast<std::size_t>(old)]);
      std::vector<std::string> parts;
      std::size_t next = 0;
      for (const auto& name : key) {
        const std::size_t of_path = place(name);
        parts.push_back(of_path < names_.size() ? value(part, of_path)
                        : next < own.size()     ? own[next]
                                                : std::string());
        next += of_path == names_.size();
      }
      at->second = texts.number_of(joined(parts, std::string_view(&key_mark, 1)));
    }
    keys[row] = at->second;
  }
  assembly.keys = std::move(keys);
  assembly.key_texts = std::move(texts);
  found.key_name = joined(key, std::string_view(&key_mark, 1));
  found.key_is_of_path = true;
}

void PathColumns::add_to(const ReadTask& task, Records& records) const {
  const auto key = split_names(task.key, '+');
  const auto is_listed = [](const std::vector<std::string>& names, const std::string& name) {
    return std::ranges::find(names, name) != names.end();
  };
  for (std::size_t n = 0; n < names_.size(); ++n) {
    const auto& name = names_[n];
    const bool wanted = (task.columns.empty() || is_listed(task.columns, name)) &&
                        (!task.decode || is_listed(*task.decode, name)) && !is_listed(key, name);
    if (!wanted) continue;
    auto words = std::make_shared<Column::Dictionary>();
    std::vector<std::int32_t> code_of_part;
    for (std::size_t p = 0; p * names_.size() < values_.size(); ++p) {
      const auto at = std::ranges::find(*words, value(p, n));
      code_of_part.push_back(static_cast<std::int32_t>(at - words->begin()));
      if (at == words->end()) words->push_back(value(p, n));
    }
    Buffer<std::int32_t> codes(records.size());
    ValidityBuilder validity(records.size());
    for (std::size_t row = 0; row < codes.size(); ++row) {
      const std::uint64_t part = records.places->byte(row) / part_bytes;
      codes[row] = code_of_part[part];
      if (value(part, n).empty()) validity.set_missing(row);
    }
    records.values.add(name, Column::text(std::move(codes), std::move(words), validity.take()));
  }
}

}  // namespace zerobeat::detail
