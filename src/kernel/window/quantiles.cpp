#include "kernel/window/quantiles.hpp"

#include <algorithm>
#include <array>
#include <bit>
#include <cstdint>
#include <limits>
#include <utility>
#include <zerobeat/base/buffer.hpp>

#include "kernel/order_statistics.hpp"

namespace zerobeat::inline v1::detail {

namespace {

/// Readings in order, as a list from which some are unlinked.
class SortedList {
 public:
  using Node = std::uint32_t;

  /// Sorts readings; none of them is linked.
  void sort(std::span<const double> readings) {
    size_ = static_cast<Node>(readings.size());
    sort_entries(readings);
    values_.resize(size_ + std::size_t{1});
    nodes_.resize(size_);
    for (Node i = 0; i < size_; ++i) {
      values_[i] = entries_[i].value;
      nodes_[entries_[i].place] = i;
    }
    values_[size_] = std::numeric_limits<double>::infinity();
    link_all();
    for (Node place = size_; place-- > 0;) unlink(nodes_[place]);
  }
  void link_all() {
    links_.resize(size_ + std::size_t{1});
    for (Node i = 0; i <= size_; ++i) links_[i] = {i == 0 ? size_ : i - 1, i + 1};
    links_[size_].next = 0;
  }

  Node end() const { return size_; }
  Node first() const { return links_[size_].next; }
  Node node_of(std::size_t place) const { return nodes_[place]; }
  double value(Node node) const { return values_[node]; }
  Node next(Node node) const { return links_[node].next; }
  Node previous(Node node) const { return links_[node].previous; }

  void unlink(Node node) {
    const Links links = links_[node];
    links_[links.previous].next = links.next;
    links_[links.next].previous = links.previous;
  }
  /// The one that was unlinked last.
  void link_again(Node node) {
    const Links links = links_[node];
    links_[links.previous].next = node;
    links_[links.next].previous = node;
  }

 private:
  struct Entry {
    double value;
    Node place;
  };
  struct Links {
    Node previous, next;
  };
  void sort_entries(std::span<const double> readings) {
    entries_.resize(size_);
    constexpr Node few = 300;
    if (size_ < few) {
      for (Node i = 0; i < size_; ++i) entries_[i] = {readings[i], i};
      std::sort(entries_.begin(), entries_.end(),
                [](const Entry& a, const Entry& b) { return a.value < b.value; });
      return;
    }
    // By bytes, the last first (Knuth, TAOCP 3, 5.2.5); negative numbers count down.
    constexpr std::uint64_t top = std::uint64_t{1} << 63;
    other_.resize(size_);
    std::array<std::array<Node, 256>, 8> counts{};
    for (Node i = 0; i < size_; ++i) {
      const auto bits = std::bit_cast<std::uint64_t>(readings[i] + 0.0);
      const std::uint64_t key = (bits & top) != 0 ? ~bits : bits | top;
      entries_[i] = {std::bit_cast<double>(key), i};
      for (unsigned b = 0; b < 8; ++b) ++counts[b][key >> (8 * b) & 255];
    }
    for (unsigned b = 0; b < 8; ++b) {
      auto& own = counts[b];
      const auto digit_of = [b](const Entry& entry) {
        return std::bit_cast<std::uint64_t>(entry.value) >> (8 * b) & 255;
      };
      if (own[digit_of(entries_[0])] == size_) continue;  // all have the same
      Node sum = 0;
      for (Node& count : own) sum += std::exchange(count, sum);
      for (Node i = 0; i < size_; ++i) other_[own[digit_of(entries_[i])]++] = entries_[i];
      std::swap(entries_, other_);
    }
    for (Node i = 0; i < size_; ++i) {
      const auto key = std::bit_cast<std::uint64_t>(entries_[i].value);
      entries_[i].value = std::bit_cast<double>((key & top) != 0 ? key ^ top : ~key);
    }
  }

  Node size_ = 0;
  Buffer<Entry> entries_, other_;
  Buffer<double> values_;
  Buffer<Node> nodes_;  // by place
  Buffer<Links> links_;
};

/// One of the two lists, and the first of its readings that is not among the least of the window.
struct Side {
  SortedList list{};
  SortedList::Node at = 0;
  std::size_t small = 0;  ///< how many readings come before it

  bool has_next() const { return at != list.end(); }
  double next() const { return list.value(at); }
  bool has_small() const { return list.previous(at) != list.end(); }
  double greatest_small() const { return list.value(list.previous(at)); }
  void advance() {
    at = list.next(at);
    ++small;
  }
  void retreat() {
    at = list.previous(at);
    --small;
  }
};

class Quantiles {
 public:
  Quantiles(std::span<const double> readings, double share) : x_(readings), share_(share) {}

  void operator()(std::span<const RowRange> windows, double* out) {
    // What goes is [from, middle), what comes [middle, end).
    std::size_t from = 0, middle = 0;
    for (std::size_t first = 0; first < windows.size();) {
      const RowRange range = windows[first];
      if (range.begin >= range.end) {
        ++first;
        continue;
      }
      if (range.begin < from || range.begin >= middle) {
        from = range.begin;
        middle = range.end;
        going_.list.sort(x_.subspan(from, middle - from));
      }
      std::size_t last = std::min<std::size_t>(windows.size(), first + (middle - range.begin));
      while (last < windows.size() && windows[last].begin < middle) ++last;
      while (windows[last - 1].begin >= middle) --last;
      const std::size_t end = windows[last - 1].end;
      coming_.list.sort(x_.subspan(middle, end - middle));
      run(windows.subspan(first, last - first), from, middle, out + first);
      std::swap(going_, coming_);
      from = middle;
      middle = end;
      first = last;
    }
  }

 private:
  void run(std::span<const RowRange> windows, std::size_t from, std::size_t middle, double* out) {
    going_.list.link_all();
    std::size_t begin = from, end = middle;
    for (; begin < windows[0].begin; ++begin) {
      going_.list.unlink(going_.list.node_of(begin - from));
    }
    going_.at = going_.list.first();
    coming_.at = coming_.list.end();
    going_.small = coming_.small = 0;
    for (std::size_t w = 0; w < windows.size(); ++w) {
      for (; end < windows[w].end; ++end) add(coming_.list.node_of(end - middle));
      for (; begin < windows[w].begin; ++begin) remove(going_.list.node_of(begin - from));
      out[w] = value_of(end - begin);
    }
  }

  /// The lesser of the next ones of both.
  Side& lesser() {
    if (!going_.has_next()) return coming_;
    if (!coming_.has_next()) return going_;
    return going_.next() <= coming_.next() ? going_ : coming_;
  }

  void add(SortedList::Node node) {
    const double value = coming_.list.value(node);
    const bool any = going_.has_next() || coming_.has_next();
    const double bound = any                  ? lesser().next()
                         : going_.has_small() ? going_.greatest_small()
                                              : -std::numeric_limits<double>::infinity();
    coming_.list.link_again(node);
    if (node > coming_.at) return;
    // What stands before one of the least is one of them.
    if (coming_.list.next(node) != coming_.at || value < bound) {
      ++coming_.small;
    } else {
      coming_.at = node;
    }
  }
  void remove(SortedList::Node node) {
    if (node < going_.at) {
      --going_.small;
    } else if (node == going_.at) {
      going_.at = going_.list.next(node);
    }
    going_.list.unlink(node);
  }

  double value_of(std::size_t n) {
    const double position = share_ * static_cast<double>(n - 1);
    const auto k = static_cast<std::size_t>(position);
    while (going_.small + coming_.small < k) lesser().advance();
    while (going_.small + coming_.small > k) {
      const bool goes = going_.has_small() && (!coming_.has_small() ||
                                               going_.greatest_small() >= coming_.greatest_small());
      (goes ? going_ : coming_).retreat();
    }
    const Side& side = lesser();
    const double low = side.next();
    const double part = position - static_cast<double>(k);
    if (part == 0 || k + 1 >= n) return low;
    const Side& other = &side == &going_ ? coming_ : going_;
    const SortedList::Node after = side.list.next(side.at);
    const bool has_after = after != side.list.end();
    const double high = !has_after          ? other.next()
                        : !other.has_next() ? side.list.value(after)
                                            : std::min(side.list.value(after), other.next());
    return low == high ? low : low + (high - low) * part;
  }

  std::span<const double> x_;
  double share_;
  Side going_{}, coming_{};
};

}  // namespace

namespace {

/// A few readings, sorted; one takes another's place in one go.
class FewSorted {
 public:
  static constexpr std::size_t most = 32;

  std::size_t size() const { return size_; }
  double at(std::size_t k) const { return sorted_[k]; }
  void insert(double value) {
    std::size_t at = size_++;
    for (; at > 0 && sorted_[at - 1] > value; --at) sorted_[at] = sorted_[at - 1];
    sorted_[at] = value;
  }
  void remove(double value) {
    std::size_t at = rank(value);
    --size_;
    for (; at < size_; ++at) sorted_[at] = sorted_[at + 1];
  }
  void replace(double old, double value) {
    std::size_t at = rank(old);
    const std::size_t to = rank(value);
    if (value > old) {
      for (; at + 1 < to; ++at) sorted_[at] = sorted_[at + 1];
    } else {
      for (; at > to; --at) sorted_[at] = sorted_[at - 1];
    }
    sorted_[at] = value;
  }

 private:
  /// How many are less.
  std::size_t rank(double value) const {
    std::size_t less = 0;
    for (std::size_t i = 0; i < size_; ++i) less += sorted_[i] < value;
    return less;
  }

  std::array<double, most + 1> sorted_{};
  std::size_t size_ = 0;
};

void few_quantiles(std::span<const double> readings, std::span<const RowRange> windows,
                   double share, double* out) {
  FewSorted few;
  std::size_t begin = windows[0].begin, end = begin;
  for (std::size_t w = 0; w < windows.size(); ++w) {
    const RowRange range = windows[w];
    while (begin < range.begin && begin < end && end < range.end) {
      few.replace(readings[begin++], readings[end++]);
    }
    for (; begin < range.begin && begin < end; ++begin) few.remove(readings[begin]);
    begin = std::max<std::size_t>(begin, range.begin);
    for (end = std::max(begin, end); end < range.end; ++end) few.insert(readings[end]);
    if (few.size() > 0) {
      out[w] = quantile_at(few.size(), share, [&](std::size_t k) { return few.at(k); });
    }
  }
}

}  // namespace

void window_quantiles(std::span<const double> readings, std::span<const RowRange> windows,
                      double share, double* out) {
  std::uint32_t longest = 0;
  for (const RowRange& range : windows) longest = std::max(longest, range.end - range.begin);
  if (longest == 0) return;
  if (longest <= FewSorted::most) return few_quantiles(readings, windows, share, out);
  Quantiles(readings, share)(windows, out);
}

}  // namespace zerobeat::detail
