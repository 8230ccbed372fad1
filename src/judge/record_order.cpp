#include "judge/record_order.hpp"

#include <algorithm>
#include <atomic>
#include <zerobeat/base/text.hpp>

#include "base/parallel.hpp"
#include "table/ascending.hpp"

namespace zerobeat::inline v1::detail {

namespace {

/// Rows of each key together, keys in order of first appearance, rows as they arrived.
RecordOrder group_by_key(const Records& records) {
  RecordOrder order;
  const auto codes = records.keys->codes();
  const auto& names = records.keys->dictionary();
  constexpr std::int64_t unseen = -1;
  std::vector<std::int64_t> strand_of(names.size(), unseen);
  std::vector<std::size_t> sizes;
  for (const std::int32_t code : codes) {
    std::int64_t& strand = strand_of[static_cast<std::size_t>(code)];
    if (strand == unseen) {
      strand = static_cast<std::int64_t>(sizes.size());
      sizes.push_back(0);
      order.strands.push_back({names[static_cast<std::size_t>(code)], 0, 0});
    }
    ++sizes[static_cast<std::size_t>(strand)];
  }
  std::size_t at = 0;
  std::vector<std::size_t> next(sizes.size());
  for (std::size_t i = 0; i < sizes.size(); ++i) {
    order.strands[i].begin = next[i] = at;
    order.strands[i].end = at += sizes[i];
  }
  if (sizes.size() < 2) return order;
  order.rows.resize(codes.size());
  for (std::size_t row = 0; row < codes.size(); ++row) {
    const auto strand = static_cast<std::size_t>(strand_of[static_cast<std::size_t>(codes[row])]);
    order.rows[next[strand]++] = static_cast<std::int64_t>(row);
  }
  return order;
}

struct Entry {
  Instant time;
  std::int64_t row;
};

/// A stable sort by time. Records mostly arrive near their place: blocks are sorted by themselves,
/// and then only where they overlap are merged. When they overlap widely, all is sorted at once.
void sort_nearly_sorted(std::vector<Entry>& entries) {
  constexpr std::size_t block = 1 << 12;
  const std::size_t count = entries.size();
  const auto at = [&](std::size_t i) { return entries.begin() + static_cast<std::ptrdiff_t>(i); };
  const auto before = [](const Entry& a, const Entry& b) { return a.time < b.time; };
  detail::parallel_for(std::size_t{0}, (count + block - 1) / block, [&](std::size_t b) {
    std::stable_sort(at(b * block), at(std::min(count, (b + 1) * block)), before);
  });
  std::size_t merged = 0;
  for (std::size_t middle = block; middle < count; middle += block) {
    const std::size_t end = std::min(count, middle + block);
    if (!before(entries[middle], entries[middle - 1])) continue;
    const auto from = std::upper_bound(at(0), at(middle), entries[middle], before);
    const auto until = std::lower_bound(at(middle), at(end), entries[middle - 1], before);
    merged += static_cast<std::size_t>(until - from);
    if (merged > 4 * count) return std::stable_sort(entries.begin(), entries.end(), before);
    std::inplace_merge(from, at(middle), until, before);
  }
}

/// Puts the rows of one strand in order of time, those of one time as they arrived.
void sort_strand(std::span<const Instant> times, const Strand& strand,
                 std::vector<std::int64_t>& rows) {
  std::vector<Entry> entries(strand.size());
  for (std::size_t i = 0; i < entries.size(); ++i) {
    const std::int64_t row = rows[strand.begin + i];
    entries[i] = {times[static_cast<std::size_t>(row)], row};
  }
  sort_nearly_sorted(entries);
  for (std::size_t i = 0; i < entries.size(); ++i) rows[strand.begin + i] = entries[i].row;
}

/// Whether times ascend, looked at in parts side by side.
bool ascends(std::span<const Instant> times) {
  constexpr std::size_t part = 1 << 16;
  std::atomic<bool> good = true;
  detail::parallel_for(std::size_t{0}, (times.size() + part - 1) / part, [&](std::size_t p) {
    if (!good) return;
    // With the first of the next part, so that no step is left out.
    const std::size_t from = p * part;
    const auto stretch = times.subspan(from, std::min(part + 1, times.size() - from));
    if (!ascend(stretch)) good = false;
  });
  return good;
}

}  // namespace

void check_records(const Records& records) {
  const auto refuse = [&](std::string_view what) {
    fail_usage("records of {}: {}; RecordsBuilder makes whole ones",
               records.name.empty() ? "no name" : shown(records.name), what);
  };
  const std::size_t size = records.size();
  const bool no_times = size == 0 && records.times.type() == Column::Type::number;
  if (!no_times && records.times.type() != Column::Type::time) refuse("their times are no times");
  if (!records.times.validity().all()) refuse("some of their times are missing");
  if (records.values.rows() != size) refuse("their values are of another number of rows");
  if (records.keys.has_value() == records.key_name.empty()) {
    refuse("there is a key's name and no keys, or the other way round");
  }
  if (records.keys) {
    if (records.keys->type() != Column::Type::text) refuse("their keys are no texts");
    if (records.keys->size() != size) refuse("their keys are of another number of rows");
    if (!records.keys->validity().all()) refuse("some of their keys are missing");
  }
  if (records.source == nullptr) refuse("they have no account");
  if (records.places == nullptr || records.places->size() != size) {
    refuse("they have no places, or not as many as there are");
  }
}

RecordOrder order_records(const Records& records) {
  if (records.size() == 0) return {};
  const auto times = records.times.times();
  RecordOrder order;
  if (records.keys) {
    order = group_by_key(records);
  } else if (!times.empty()) {
    order.strands.push_back({std::nullopt, 0, times.size()});
  }
  std::vector<std::uint8_t> unordered(order.strands.size());
  detail::parallel_for(std::size_t{0}, order.strands.size(), [&](std::size_t s) {
    const Strand& strand = order.strands[s];
    if (order.rows.empty()) {
      unordered[s] = !ascends(times.subspan(strand.begin, strand.size()));
      return;
    }
    for (std::size_t i = strand.begin + 1; i < strand.end && unordered[s] == 0; ++i) {
      unordered[s] = times[static_cast<std::size_t>(order.row(i))] <
                     times[static_cast<std::size_t>(order.row(i - 1))];
    }
  });
  if (std::ranges::find(unordered, 1) == unordered.end()) return order;
  if (order.rows.empty()) {
    order.rows.resize(times.size());
    for (std::size_t i = 0; i < times.size(); ++i) order.rows[i] = static_cast<std::int64_t>(i);
  }
  detail::parallel_for(std::size_t{0}, order.strands.size(), [&](std::size_t s) {
    if (unordered[s] != 0) sort_strand(times, order.strands[s], order.rows);
  });
  return order;
}

}  // namespace zerobeat::detail
