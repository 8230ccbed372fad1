#include "view/page/pair.hpp"

#include <algorithm>
#include <cmath>

#include "base/parallel.hpp"
#include "kernel/bucket/numbers.hpp"
#include "kernel/order_statistics.hpp"
#include "view/page/html.hpp"
#include "view/page/sections.hpp"

namespace zerobeat::inline v1::detail {

namespace {

/// The bin of a reading, of so many between the least and the greatest.
std::size_t bin_of(double x, const Pair& pair) {
  if (pair.least == pair.most) return 0;
  const double place = (x - pair.least) / (pair.most - pair.least) * histogram_bins;
  return std::min(histogram_bins - 1, static_cast<std::size_t>(place));
}

void find_extremes(Pair& pair) {
  const std::size_t begin = pair.rows_of().begin;
  const auto values = pair.numbers.numbers().subspan(begin, pair.rows);
  const bool all = pair.numbers.validity().all();
  for (std::size_t row = 0; row < pair.rows; ++row) {
    const double value = values[row];
    if ((!all && !pair.numbers.valid(begin + row)) || !std::isfinite(value)) continue;
    if (pair.count == 0 || value < pair.least) {
      pair.least = value;
      pair.least_row = row;
    }
    if (pair.count == 0 || value > pair.most) {
      pair.most = value;
      pair.most_row = row;
    }
    ++pair.count;
  }
}

/// The readings that are finite: the column itself, when all are.
std::span<const double> readings_of(const Pair& pair, std::vector<double>& own) {
  const std::size_t begin = pair.rows_of().begin;
  const auto values = pair.numbers.numbers().subspan(begin, pair.rows);
  if (pair.count == pair.rows) return values;
  own.reserve(pair.count);
  for (std::size_t row = 0; row < pair.rows; ++row) {
    if (pair.numbers.valid(begin + row) && std::isfinite(values[row])) own.push_back(values[row]);
  }
  return own;
}

}  // namespace

std::vector<double> readings_at(std::span<const double> readings, double least, double most,
                                std::span<const std::size_t> ranks) {
  // Bins first: of those alone that hold a rank the readings are put in order.
  constexpr std::size_t bins = 4096;
  const double scale = most > least ? static_cast<double>(bins) / (most - least) : 0;
  const auto bin = [&](double x) {
    return std::min(bins - 1, static_cast<std::size_t>((x - least) * scale));
  };
  // Of readings so far apart that their distance is no number there is one bin.
  const bool is_one = !std::isfinite(scale) || !std::isfinite(most - least);
  std::vector<std::size_t> counts(is_one ? 1 : bins);
  if (is_one) {
    counts[0] = readings.size();
  } else {
    for (const double x : readings) ++counts[bin(x)];
  }
  std::vector<std::vector<double>> inside(counts.size());
  std::vector<std::size_t> before(counts.size() + 1);
  for (std::size_t b = 0; b < counts.size(); ++b) before[b + 1] = before[b] + counts[b];
  const auto bin_of_rank = [&](std::size_t rank) {
    return static_cast<std::size_t>(std::ranges::upper_bound(before, rank) - before.begin()) - 1;
  };
  for (const std::size_t rank : ranks) inside[bin_of_rank(rank)].reserve(1);
  for (const double x : readings) {
    auto& own = inside[is_one ? 0 : bin(x)];
    if (own.capacity() > 0) own.push_back(x);
  }
  std::vector<double> found;
  std::size_t ordered_bin = counts.size(), ordered = 0;
  for (const std::size_t rank : ranks) {
    const std::size_t b = bin_of_rank(rank);
    if (b != ordered_bin) {
      ordered_bin = b;
      ordered = 0;
    }
    const std::size_t place = rank - before[b];
    if (place >= ordered) {
      std::nth_element(inside[b].begin() + static_cast<std::ptrdiff_t>(ordered),
                       inside[b].begin() + static_cast<std::ptrdiff_t>(place), inside[b].end());
      ordered = place + 1;
    }
    found.push_back(inside[b][place]);
  }
  return found;
}

void find_statistics(Pair& pair) {
  std::vector<double> own;
  const auto readings = readings_of(pair, own);
  if (readings.empty()) return;
  BucketNumbers numbers(readings, {});
  pair.mean = numbers(Take{.stat = Stat::mean});
  pair.std = numbers(Take{.stat = Stat::std});
  pair.histogram.assign(pair.least == pair.most ? 1 : histogram_bins, 0);
  for (const double x : readings) ++pair.histogram[bin_of(x, pair)];
  // Which ranks the quantiles need, then those.
  std::vector<std::size_t> ranks;
  for (const auto& [name, share] : told_quantiles) {
    static_cast<void>(quantile_at(pair.count, share, [&](std::size_t k) {
      ranks.push_back(k);
      return 0.0;
    }));
  }
  std::ranges::sort(ranks);
  ranks.erase(std::unique(ranks.begin(), ranks.end()), ranks.end());
  const auto found = readings_at(readings, pair.least, pair.most, ranks);
  for (std::size_t q = 0; q < told_quantiles.size(); ++q) {
    pair.quantiles[q] = quantile_at(pair.count, told_quantiles[q].second, [&](std::size_t k) {
      return found[static_cast<std::size_t>(std::ranges::lower_bound(ranks, k) - ranks.begin())];
    });
  }
}

Instant Pair::last() const {
  const Instant last = timeline().times()[rows_of().end - 1];
  return last > first() ? last : first() + Nanoseconds(1);
}

std::string Pair::title() const {
  const auto& key = rows_of().key;
  return key ? name + ", " + key_text(*key) : name;
}

std::string Pair::attributes() const {
  return attribute("data-column", name) + attribute("data-key", rows_of().key.value_or(""));
}

Pairs pairs_of(const PageContent& content) {
  std::vector<Pair> all;
  const std::size_t sources = content.sources.size();
  for (std::size_t i = 0; i < sources + content.series.size(); ++i) {
    const PageSource& source = i < sources ? content.sources[i] : content.series[i - sources];
    const Timeline& timeline = source.timeline;
    for (const auto& name : timeline.values().numeric_names()) {
      const Column numbers = timeline.values().column(name).as_numbers();
      for (std::size_t s = 0; s < timeline.strands().size(); ++s) {
        all.push_back({i, &source, s, name, numbers, timeline.strands()[s].size()});
      }
    }
  }
  parallel_for(std::size_t{0}, all.size(), [&](std::size_t i) { find_extremes(all[i]); });
  if (all.size() > most_figures) {
    // The worst first: of which most is missing.
    std::ranges::stable_sort(all, std::greater(), &Pair::missing_share);
  }
  Pairs pairs;
  for (Pair& pair : all) {
    auto& group = pair.count == 0                     ? pairs.empty
                  : pairs.drawn.size() < most_figures ? pairs.drawn
                                                      : pairs.others;
    group.push_back(std::move(pair));
  }
  return pairs;
}

}  // namespace zerobeat::detail
