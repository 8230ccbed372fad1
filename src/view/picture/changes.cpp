#include "view/picture/changes.hpp"

#include <algorithm>
#include <cmath>

namespace zerobeat::inline v1::detail {

ChangedReadings::ChangedReadings(const std::vector<const Timeline*>& timelines) {
  for (const Timeline* timeline : timelines) {
    const Table& values = timeline->values();
    for (std::size_t c = 0; c < values.names().size(); ++c) {
      const Column& flags = values.columns()[c];
      if (flags.type() != Column::Type::boolean) continue;
      for (const char* ending : {"_clipped", "_filled"}) {
        const std::string& name = values.names()[c];
        if (!name.ends_with(ending)) continue;
        const std::string column = name.substr(0, name.size() - std::string(ending).size());
        for (const Strand& strand : timeline->strands()) {
          auto& at = at_[{column, strand.key.value_or("")}];
          for (std::size_t row = strand.begin; row < strand.end; ++row) {
            if (flags.valid(row) && flags.boolean(row)) at.push_back(timeline->times()[row]);
          }
        }
      }
    }
  }
  for (auto& [name, at] : at_) std::ranges::sort(at);
  std::erase_if(at_, [](const auto& own) { return own.second.empty(); });
}

bool ChangedReadings::has(const Line& line, std::size_t row) const {
  const auto own = at_.find({line.name, line.strand.key.value_or("")});
  return own != at_.end() && std::ranges::binary_search(own->second, line.timeline->times()[row]);
}

std::vector<Point> ChangedReadings::of(const Line& line, const Canvas& canvas) const {
  std::vector<Point> points;
  if (at_.empty()) return points;
  for (std::size_t row = line.strand.begin; row < line.strand.end; ++row) {
    if (!line.column.valid(row) || !has(line, row)) continue;
    const double value = line.column.numbers()[row];
    if (std::isfinite(value)) points.push_back({canvas.x(line.timeline->times()[row]), value});
  }
  return points;
}

void Range::add(double value) {
  least = any ? std::min(least, value) : value;
  most = any ? std::max(most, value) : value;
  any = true;
}

void Range::add(const Range& other) {
  if (!other.any) return;
  add(other.least);
  add(other.most);
}

Range range_without(const Line& line, const ChangedReadings& changed) {
  Range range;
  for (std::size_t row = line.strand.begin; row < line.strand.end; ++row) {
    if (!line.column.valid(row)) continue;
    const double value = line.column.numbers()[row];
    if (std::isfinite(value) && !changed.has(line, row)) range.add(value);
  }
  return range;
}

std::vector<std::vector<AreaRow>> band_between(const Line& line, const std::string& low,
                                               const std::string& high, const Canvas& canvas) {
  const Table& values = line.timeline->values();
  const auto low_place = values.find(low), high_place = values.find(high);
  if (!low_place || !high_place) return {};
  const Column &lows = values.columns()[*low_place], &highs = values.columns()[*high_place];
  if (!lows.is_numeric() || !highs.is_numeric()) return {};
  const Column low_numbers = lows.as_numbers(), high_numbers = highs.as_numbers();
  std::vector<std::vector<AreaRow>> stretches(1);
  for (std::size_t row = line.strand.begin; row < line.strand.end; ++row) {
    const bool there = low_numbers.valid(row) && high_numbers.valid(row) &&
                       std::isfinite(low_numbers.numbers()[row]) &&
                       std::isfinite(high_numbers.numbers()[row]);
    if (!there) {
      if (!stretches.back().empty()) stretches.emplace_back();
      continue;
    }
    stretches.back().push_back({canvas.x(line.timeline->times()[row]), low_numbers.numbers()[row],
                                high_numbers.numbers()[row]});
  }
  if (stretches.back().empty()) stretches.pop_back();
  return stretches;
}

std::optional<std::string> bounded_by(const Table& values, const std::string& name) {
  for (const std::string_view ending : {"_low", "_high"}) {
    if (!name.ends_with(ending)) continue;
    const std::string column = name.substr(0, name.size() - ending.size());
    const bool all =
        values.find(column) && values.find(column + "_low") && values.find(column + "_high");
    if (all) return column;
  }
  return std::nullopt;
}

}  // namespace zerobeat::detail
