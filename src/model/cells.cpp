#include "model/cells.hpp"

#include <fmt/format.h>

#include <cmath>
#include <unordered_map>
#include <zerobeat/base/text.hpp>

namespace zerobeat::inline v1::detail {

Column column_of_texts(const std::vector<std::optional<std::string>>& cells) {
  auto dictionary = std::make_shared<Column::Dictionary>();
  std::unordered_map<std::string, std::int32_t> codes;
  Buffer<std::int32_t> values(cells.size());
  ValidityBuilder validity(cells.size());
  for (std::size_t i = 0; i < cells.size(); ++i) {
    values[i] = 0;
    if (!cells[i]) {
      validity.set_missing(i);
      continue;
    }
    const auto [at, is_new] =
        codes.emplace(*cells[i], static_cast<std::int32_t>(dictionary->size()));
    if (is_new) dictionary->push_back(*cells[i]);
    values[i] = at->second;
  }
  if (dictionary->empty()) dictionary->emplace_back();
  return Column::text(std::move(values), std::move(dictionary), validity.take());
}

Column column_of_words(const std::vector<std::int32_t>& places, std::vector<std::string> words) {
  return Column::text(Buffer<std::int32_t>(std::span<const std::int32_t>(places)),
                      std::make_shared<const Column::Dictionary>(std::move(words)));
}

Column column_of_one(std::size_t rows, const std::string& text) {
  return Column::text(Buffer<std::int32_t>(rows, 0),
                      std::make_shared<const Column::Dictionary>(Column::Dictionary{text}));
}

Column column_of_counts(const std::vector<std::optional<std::int64_t>>& cells) {
  Buffer<std::int64_t> values(cells.size());
  ValidityBuilder validity(cells.size());
  for (std::size_t i = 0; i < cells.size(); ++i) {
    values[i] = cells[i].value_or(0);
    if (!cells[i]) validity.set_missing(i);
  }
  return Column::integers(std::move(values), validity.take());
}

Column column_of_numbers(const std::vector<double>& cells) {
  Buffer<double> values(cells.size());
  ValidityBuilder validity(cells.size());
  for (std::size_t i = 0; i < cells.size(); ++i) {
    const bool there = std::isfinite(cells[i]);
    values[i] = there ? cells[i] : 0;
    if (!there) validity.set_missing(i);
  }
  return Column::numbers(std::move(values), validity.take());
}

std::vector<double> readings_in(const Timeline& timeline, const Strand& strand,
                                const Column& numbers, const std::string& name, bool multiply) {
  std::vector<double> readings;
  readings.reserve(strand.size());
  for (std::size_t row = strand.begin; row < strand.end; ++row) {
    const double value = numbers.numbers()[row];
    if (!numbers.valid(row) || !std::isfinite(value)) {
      readings.push_back(std::nan(""));
      continue;
    }
    if (multiply && !(value > 0)) {
      std::string at;
      if (timeline.axis().is_instants()) {
        at = to_text(timeline.times()[row]);
      } else {
        append_elapsed(at, timeline.times()[row], *timeline.axis().elapsed);
      }
      fail_usage("‹multiply›: {} is {} at {}{}: only what is above 0 has a logarithm", shown(name),
                 value, at, strand.key ? ", " + shown(key_text(*strand.key)) : "");
    }
    readings.push_back(multiply ? std::log(value) : value);
  }
  return readings;
}

std::string strand_title(const Strand& strand, const std::string& column) {
  return strand.key ? column + ", " + shown(key_text(*strand.key)) : column;
}

void MarkedRows::add(std::size_t strand, std::size_t column, Instant at, double value, bool up) {
  strands_.push_back(static_cast<std::int64_t>(strand));
  columns_.push_back(static_cast<std::int64_t>(column));
  at_.push_back(at);
  values_.push_back(value);
  up_.push_back(up ? 1 : 0);
}

Table MarkedRows::table() const {
  Table table(strands_.size());
  table.add("strand", Column(strands_));
  table.add("column", Column(columns_));
  table.add("at", Column(at_));
  table.add("value", Column(values_));
  table.add("up", Column(up_));
  return table;
}

}  // namespace zerobeat::detail
