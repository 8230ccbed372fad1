/// The readings of windows that slide over a strand, in order.

#pragma once

#include <algorithm>
#include <bit>
#include <cstdint>
#include <span>
#include <vector>
#include <zerobeat/base/export.hpp>
#include <zerobeat/table/column.hpp>

#include "kernel/window/rows.hpp"

namespace zerobeat {
inline namespace ZEROBEAT_API v1 {
namespace detail {

/// The readings of a window, kept sorted in a row: for windows that fit in a few cache lines.
class SortedWindow {
 public:
  void insert(double value) { sorted_.insert(std::ranges::upper_bound(sorted_, value), value); }
  void remove(double value) { sorted_.erase(std::ranges::lower_bound(sorted_, value)); }
  std::size_t size() const { return sorted_.size(); }
  double at(std::size_t k) const { return sorted_[k]; }
  void clear() { sorted_.clear(); }

 private:
  std::vector<double> sorted_;
};

/// How many readings of each rank a window holds, so that the k-th is found in log steps.
class RankTree {
 public:
  void reset(std::size_t ranks) {
    counts_.assign(ranks + 1, 0);
    top_ = std::bit_floor(std::max<std::size_t>(ranks, 1));
    size_ = 0;
  }
  void add(std::size_t rank, int count) {
    size_ = static_cast<std::size_t>(static_cast<std::int64_t>(size_) + count);
    for (std::size_t i = rank + 1; i < counts_.size(); i += i & (~i + 1)) counts_[i] += count;
  }
  std::size_t size() const { return size_; }
  /// The rank of the k-th smallest.
  std::size_t select(std::size_t k) const {
    std::size_t at = 0;
    auto left = static_cast<std::int64_t>(k);
    for (std::size_t step = top_; step != 0; step /= 2) {
      if (at + step < counts_.size() && counts_[at + step] <= left) {
        at += step;
        left -= counts_[at];
      }
    }
    return at;
  }

 private:
  std::vector<std::int32_t> counts_;
  std::size_t top_ = 1;
  std::size_t size_ = 0;
};

inline constexpr std::size_t longest_sorted = 256;

/// Calls put(window, n, at) for each window: how many readings it has, and the k-th smallest.
/// `values` are the strand's readings, of which reading i is there when validity[offset + i]; the
/// windows move ahead only. Windows of up to some hundred rows are kept sorted; of longer ones,
/// readings are ranked block by block and counted in a tree over the ranks (Fenwick 1994).
template <typename Put>
void over_sorted_windows(std::span<const double> values, const Validity& validity,
                         std::size_t offset, std::span<const RowRange> windows, Put&& put) {
  const auto there = [&](std::size_t i) { return validity[offset + i]; };
  std::size_t longest = 0;
  for (const RowRange& window : windows) {
    longest = std::max<std::size_t>(longest, window.end - window.begin);
  }
  if (longest <= longest_sorted) {
    SortedWindow sorted;
    std::size_t begin = windows.empty() ? 0 : windows[0].begin, end = begin;
    for (std::size_t w = 0; w < windows.size(); ++w) {
      for (; end < windows[w].end; ++end) {
        if (there(end)) sorted.insert(values[end]);
      }
      for (; begin < windows[w].begin; ++begin) {
        if (there(begin)) sorted.remove(values[begin]);
      }
      put(w, sorted.size(), [&](std::size_t k) { return sorted.at(k); });
    }
    return;
  }

  struct Entry {
    double value;
    std::uint32_t place;
  };
  std::vector<Entry> entries;
  std::vector<std::uint32_t> rank;
  RankTree tree;
  for (std::size_t first = 0; first < windows.size();) {
    // As many windows as touch twice the rows of the first.
    const std::size_t from = windows[first].begin;
    const std::size_t room = std::max<std::size_t>(4096, 2 * (windows[first].end - from));
    std::size_t last = first + 1;
    while (last < windows.size() && windows[last].end - from <= room) ++last;
    const std::size_t until = windows[last - 1].end;

    entries.clear();
    rank.resize(until - from);
    for (std::size_t i = from; i < until; ++i) {
      if (there(i)) entries.push_back({values[i], static_cast<std::uint32_t>(i - from)});
    }
    std::ranges::sort(entries, {}, &Entry::value);
    for (std::size_t r = 0; r < entries.size(); ++r) {
      rank[entries[r].place] = static_cast<std::uint32_t>(r);
    }
    tree.reset(entries.size());
    std::size_t begin = from, end = from;
    for (std::size_t w = first; w < last; ++w) {
      for (; end < windows[w].end; ++end) {
        if (there(end)) tree.add(rank[end - from], 1);
      }
      for (; begin < windows[w].begin; ++begin) {
        if (there(begin)) tree.add(rank[begin - from], -1);
      }
      put(w, tree.size(), [&](std::size_t k) { return entries[tree.select(k)].value; });
    }
    first = last;
  }
}

}  // namespace detail
}  // namespace v1
}  // namespace zerobeat
