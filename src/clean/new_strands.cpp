#include "clean/new_strands.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <map>
#include <unordered_map>
#include <utility>
#include <vector>
#include <zerobeat/base/error.hpp>
#include <zerobeat/base/option.hpp>
#include <zerobeat/base/text.hpp>

#include "base/parallel.hpp"
#include "table/key_column.hpp"

namespace zerobeat::inline v1::detail {

namespace {

/// All columns of a timeline's rows but their times: the values, then the key's.
Table all_columns(const Timeline& timeline) {
  std::vector<std::uint32_t> strands(timeline.rows());
  for (std::size_t s = 0; s < timeline.strands().size(); ++s) {
    const Strand& strand = timeline.strands()[s];
    std::fill(strands.begin() + static_cast<long>(strand.begin),
              strands.begin() + static_cast<long>(strand.end), static_cast<std::uint32_t>(s));
  }
  Table keys(timeline.rows());
  add_key(keys, timeline, strands);
  keys = with_own_keys(keys);
  Table all = timeline.values();
  for (std::size_t i = 0; i < keys.names().size(); ++i) all.add(keys.names()[i], keys.columns()[i]);
  return all;
}

/// A column as places in a list of texts, -1 where it is missing.
struct KeyCodes {
  std::vector<std::int32_t> of_row;
  std::vector<std::string> texts;
};

std::string text_at(const Column& column, std::size_t row) {
  switch (column.type()) {
    case Column::Type::integer:
      return fmt::to_string(column.integers()[row]);
    case Column::Type::boolean:
      return column.boolean(row) ? "true" : "false";
    case Column::Type::time:
      return to_text(column.times()[row]);
    case Column::Type::text:
      return column.text(row);
    default:
      return fmt::format("{}", column.numbers()[row]);
  }
}

KeyCodes codes_of(const Column& column) {
  KeyCodes places;
  places.of_row.assign(column.size(), -1);
  if (column.type() == Column::Type::text) {
    places.texts = column.dictionary();
    for (std::size_t i = 0; i < column.size(); ++i) {
      if (column.valid(i) && !column.text(i).empty()) places.of_row[i] = column.codes()[i];
    }
    return places;
  }
  std::unordered_map<std::string, std::int32_t> known;
  for (std::size_t i = 0; i < column.size(); ++i) {
    if (!column.valid(i)) continue;
    const auto [at, is_new] =
        known.emplace(text_at(column, i), static_cast<std::int32_t>(places.texts.size()));
    if (is_new) places.texts.push_back(at->first);
    places.of_row[i] = at->second;
  }
  return places;
}

/// The columns that a key names: itself when there is one of that name, else those with + between.
std::vector<std::string> names_of(const std::string& key, const Table& all) {
  return all.find(key) ? std::vector{key} : split_names(key, '+');
}

}  // namespace

NewStrands with_strands_of(const Timeline& timeline, const std::string& key) {
  const Table all = all_columns(timeline);
  const auto names = names_of(key, all);
  std::vector<KeyCodes> parts;
  for (const auto& name : names) {
    if (name == timeline.time_name()) {
      fail_usage("‹key› {}: are the times, which are no key", shown(name));
    }
    if (std::ranges::count(names, name) > 1) {
      fail_usage("‹key› {}: {} is named twice", shown(key), shown(name));
    }
    parts.push_back(codes_of(all.column(name)));
  }
  // Each row's strand; -1 where all parts of its key are missing.
  std::map<std::vector<std::int32_t>, std::int32_t> known;
  std::vector<std::vector<std::int64_t>> rows;
  std::vector<Strand> strands;
  NewStrands out{timeline, 0};
  std::vector<std::int32_t> place(parts.size()), last(parts.size(), -2);
  std::int32_t strand = -1;
  for (std::size_t row = 0; row < timeline.rows(); ++row) {
    bool any = false;
    for (std::size_t p = 0; p < parts.size(); ++p) {
      place[p] = parts[p].of_row[row];
      any |= place[p] >= 0;
    }
    if (!any) {
      ++out.without_key;
      continue;
    }
    if (place != last) {
      const auto [at, is_new] = known.emplace(place, static_cast<std::int32_t>(rows.size()));
      strand = at->second;
      last = place;
      if (is_new) {
        std::string text;
        for (std::size_t p = 0; p < parts.size(); ++p) {
          if (p > 0) text += key_mark;
          if (place[p] >= 0) text += parts[p].texts[static_cast<std::size_t>(place[p])];
        }
        strands.push_back({std::move(text), 0, 0});
        rows.emplace_back();
      }
    }
    rows[static_cast<std::size_t>(strand)].push_back(static_cast<std::int64_t>(row));
  }
  const auto times = timeline.times();
  const auto earlier = [&](std::int64_t a, std::int64_t b) {
    return times[static_cast<std::size_t>(a)] < times[static_cast<std::size_t>(b)];
  };
  parallel_for(std::size_t{0}, rows.size(), [&](std::size_t s) {
    if (!std::ranges::is_sorted(rows[s], earlier)) std::ranges::stable_sort(rows[s], earlier);
  });
  std::vector<std::int64_t> order;
  order.reserve(timeline.rows());
  for (std::size_t s = 0; s < rows.size(); ++s) {
    strands[s].begin = order.size();
    order.insert(order.end(), rows[s].begin(), rows[s].end());
    strands[s].end = order.size();
  }
  Timeline::Parts made = timeline.parts();
  made.key_name = fmt::format("{}", fmt::join(names, std::string(1, key_mark)));
  made.times = timeline.time_column().gather(order);
  made.strands = std::move(strands);
  made.values = Table(order.size());
  for (std::size_t i = 0; i < all.names().size(); ++i) {
    if (std::ranges::find(names, all.names()[i]) != names.end()) continue;
    made.values.add(all.names()[i], all.columns()[i].gather(order));
  }
  out.timeline = Timeline(std::move(made));
  return out;
}

}  // namespace zerobeat::detail
