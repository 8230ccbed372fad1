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

void look_at(Pair& pair) {
  const auto values = pair.numbers.numbers();
  std::vector<double> readings;
  for (std::size_t row = pair.rows_of().begin; row < pair.rows_of().end; ++row) {
    if (pair.numbers.valid(row) && std::isfinite(values[row])) readings.push_back(values[row]);
  }
  pair.count = readings.size();
  if (readings.empty()) return;
  const auto [least, most] = std::ranges::minmax(readings);
  pair.least = least;
  pair.most = most;
  BucketNumbers numbers(readings, {});
  pair.mean = numbers(Take{.stat = Stat::mean});
  pair.std = numbers(Take{.stat = Stat::std});
  pair.histogram.assign(pair.least == pair.most ? 1 : histogram_bins, 0);
  for (const double x : readings) ++pair.histogram[bin_of(x, pair)];
  // Quantiles by selection: what was put in order for one needs no look for the next.
  std::size_t ordered = 0;
  const auto at = [&](std::size_t k) {
    if (k >= ordered) {
      const auto begin = readings.begin() + static_cast<std::ptrdiff_t>(ordered);
      std::nth_element(begin, readings.begin() + static_cast<std::ptrdiff_t>(k), readings.end());
      ordered = k + 1;
    }
    return readings[k];
  };
  for (std::size_t q = 0; q < told_quantiles.size(); ++q) {
    pair.quantiles[q] = quantile_at(pair.count, told_quantiles[q].second, at);
  }
}

}  // namespace

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
  parallel_for(std::size_t{0}, all.size(), [&](std::size_t i) { look_at(all[i]); });
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
