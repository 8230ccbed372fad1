#include "kernel/bucket/taken.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <atomic>
#include <bit>
#include <cmath>
#include <limits>
#include <map>

#include "kernel/bucket/numbers.hpp"
#include "kernel/bucket/picked_rows.hpp"
#include "kernel/bucket/standing.hpp"
#include "time/wide_instant.hpp"

namespace zerobeat::inline v1::detail {

namespace {

constexpr double not_there = no_value;

Column numbers_of(Buffer<double> values) {
  ValidityBuilder validity(values.size());
  for (std::size_t i = 0; i < values.size(); ++i) {
    if (std::isnan(values[i])) validity.set_missing(i);
  }
  return Column::numbers(std::move(values), validity.take());
}

struct BucketScratch {
  std::vector<double> some;
  std::vector<Instant> their_times;
};

/// The takes of one column that are of its numbers, in one pass over each bucket.
void take_numbers(const Timeline& timeline, const Buckets& buckets, const Column& column,
                  std::span<const Take> takes, std::span<const std::size_t> places, Taken& out) {
  const Column numbers = column.as_numbers();
  const auto values = numbers.numbers();
  const auto times = timeline.times();
  const bool with_times = std::ranges::any_of(
      places, [&](std::size_t place) { return row_of(takes[place].stat).needs == Needs::times; });
  std::vector<Buffer<double>> results;
  for (std::size_t k = 0; k < places.size(); ++k) results.emplace_back(buckets.all.size());
  // What is kept from bucket to bucket is each block's own: a statistic of the program's may start
  // other work on this thread.
  for_each_bucket<BucketScratch>(
      buckets, [&](std::size_t i, const Bucket& bucket, BucketScratch& scratch) {
        auto& [some, their_times] = scratch;
        std::span<const double> readings = values.subspan(bucket.begin, bucket.end - bucket.begin);
        std::span<const Instant> own_times = times.subspan(bucket.begin, readings.size());
        if (!numbers.validity().all()) {
          some.clear();
          their_times.clear();
          for (std::size_t row = bucket.begin; row < bucket.end; ++row) {
            if (!numbers.valid(row)) continue;
            some.push_back(values[row]);
            if (with_times) their_times.push_back(times[row]);
          }
          readings = some;
          own_times = their_times;
        }
        BucketNumbers numbers_here(readings, own_times);
        for (std::size_t k = 0; k < places.size(); ++k) {
          results[k][i] = numbers_here(takes[places[k]]);
        }
      });
  for (std::size_t k = 0; k < places.size(); ++k) {
    out.columns[places[k]] = numbers_of(std::move(results[k]));
  }
}

/// What a bucket of integers comes to, exactly.
struct IntegerFacts {
  Wide sum = 0;
  std::int64_t least = 0, most = 0, count = 0;
};

IntegerFacts facts_of(const Column& column, std::span<const std::int64_t> values,
                      const Bucket& bucket) {
  IntegerFacts facts;
  const auto stretch = values.subspan(bucket.begin, bucket.end - bucket.begin);
  if (stretch.empty()) return facts;
  if (column.validity().all()) {
    const auto extremes = extremes_of(stretch);
    facts = {0, extremes.least, extremes.most, static_cast<std::int64_t>(stretch.size())};
    for (const std::int64_t value : stretch) facts.sum += value;
    return facts;
  }
  for (std::size_t i = 0; i < stretch.size(); ++i) {
    if (!column.valid(bucket.begin + i)) continue;
    facts.least = facts.count == 0 ? stretch[i] : std::min(facts.least, stretch[i]);
    facts.most = facts.count == 0 ? stretch[i] : std::max(facts.most, stretch[i]);
    facts.sum += stretch[i];
    ++facts.count;
  }
  return facts;
}

/// What of them a statistic is; the mean is of the exact sum.
struct ExactWay {
  Stat stat;
  Wide (*whole)(const IntegerFacts&);
};
constexpr ExactWay exact_ways[] = {
    {Stat::sum, [](const IntegerFacts& facts) { return facts.sum; }},
    {Stat::mean, [](const IntegerFacts& facts) { return facts.sum; }},
    {Stat::min, [](const IntegerFacts& facts) { return Wide(facts.least); }},
    {Stat::max, [](const IntegerFacts& facts) { return Wide(facts.most); }},
    {Stat::range, [](const IntegerFacts& facts) { return Wide(facts.most) - facts.least; }},
};

bool is_exact_of_integers(Stat stat) {
  return std::ranges::find(exact_ways, stat, &ExactWay::stat) != std::end(exact_ways);
}

Column exact_column(std::span<const IntegerFacts> facts, const Take& take, Taken& out) {
  const auto whole = std::ranges::find(exact_ways, take.stat, &ExactWay::stat)->whole;
  std::int64_t too_large = 0;
  for (const IntegerFacts& integer_facts : facts) {
    too_large += !fits_int64(whole(integer_facts));
  }
  if (take.stat != Stat::mean && too_large == 0) {
    Buffer<std::int64_t> values(facts.size());
    ValidityBuilder validity(facts.size());
    for (std::size_t i = 0; i < facts.size(); ++i) {
      values[i] = static_cast<std::int64_t>(whole(facts[i]));
      if (facts[i].count == 0) validity.set_missing(i);
    }
    return Column::integers(std::move(values), validity.take());
  }
  Buffer<double> values(facts.size());
  for (std::size_t i = 0; i < facts.size(); ++i) {
    const auto total = static_cast<long double>(whole(facts[i]));
    const auto count = static_cast<long double>(facts[i].count);
    values[i] = facts[i].count == 0
                    ? not_there
                    : static_cast<double>(take.stat == Stat::mean ? total / count : total);
  }
  if (take.stat != Stat::mean) {
    out.notes.push_back(fmt::format(
        "{}: {} of {} results do not fit a whole number of 64 bits; all are written "
        "as numbers, rounded to 16 digits",
        take.result_name(), grouped(too_large), grouped(static_cast<std::int64_t>(facts.size()))));
  }
  return numbers_of(std::move(values));
}

void take_integers(const Buckets& buckets, const Column& column, std::span<const Take> takes,
                   std::span<const std::size_t> places, Taken& out) {
  const auto values = column.integers();
  std::vector<IntegerFacts> facts(buckets.all.size());
  for_each_bucket(buckets, [&](std::size_t i, const Bucket& bucket) {
    facts[i] = facts_of(column, values, bucket);
  });
  for (const std::size_t place : places) {
    out.columns[place] = exact_column(facts, takes[place], out);
  }
}

/// One reading of each bucket, of the column's own type; or its time.
Column take_row(const Timeline& timeline, const Column& column, const Buckets& buckets, Stat stat) {
  std::vector<std::int64_t> rows(buckets.all.size());
  for_each_bucket(buckets, [&](std::size_t i, const Bucket& bucket) {
    rows[i] = picked_row(column, bucket, stat);
  });
  const bool is_reading = row_of(stat).result == Result::reading;
  return (is_reading ? column : timeline.time_column()).gather(rows);
}

Column take_counts(const Timeline& timeline, const Buckets& buckets, const Take& take) {
  Buffer<std::int64_t> out(buckets.all.size());
  for_each_bucket(buckets, [&](std::size_t i, const Bucket& bucket) {
    const auto records = static_cast<std::int64_t>(bucket.end - bucket.begin);
    if (take.of_records) {
      out[i] = records;
      return;
    }
    const Column& column = timeline.values().column(take.column);
    if (take.stat == Stat::distinct) {
      out[i] = count_distinct(column, bucket);
    } else {
      const std::int64_t readings = count_readings(column, bucket);
      out[i] = take.stat == Stat::missing ? records - readings : readings;
    }
  });
  return Column::integers(std::move(out));
}

/// The mean weighted by another column, over the rows that have both.
Column take_weighted(const Timeline& timeline, const Buckets& buckets, const Take& take,
                     Taken& out) {
  const Column values = timeline.values().column(take.column).as_numbers();
  const Column weights = timeline.values().column(take.with).as_numbers();
  Buffer<double> means(buckets.all.size());
  std::atomic<std::int64_t> negative = 0;
  for_each_bucket(buckets, [&](std::size_t i, const Bucket& bucket) {
    thread_local std::vector<double> x, w;
    x.clear();
    w.clear();
    for (std::size_t row = bucket.begin; row < bucket.end; ++row) {
      if (!values.valid(row) || !weights.valid(row)) continue;
      const double weight = weights.numbers()[row];
      if (weight < 0) {
        negative.fetch_add(1, std::memory_order_relaxed);
        continue;
      }
      if (weight == 0) continue;
      x.push_back(values.numbers()[row]);
      w.push_back(weight);
    }
    means[i] = definition::WeightedMean::value({sum_of_products(x, w), sum_of(w)}, 0);
  });
  if (negative > 0) {
    out.notes.push_back(fmt::format("{}: {} records with a negative weight were left out",
                                    to_text(take), grouped(negative)));
  }
  return numbers_of(std::move(means));
}

/// Statistics of the moments of pairs, as they are defined.
using PairValue = double (*)(const PairMoments&, double n);
constexpr auto pair_values = for_each_statistic<PairValue>([]<typename D>(D) -> PairValue {
  if constexpr (Merging<D>) {
    if constexpr (std::is_same_v<typename D::State, PairMoments>) return &D::value;
  }
  return nullptr;
});

/// A statistic of pairs, over the rows that have both.
Column take_pair(const Timeline& timeline, const Buckets& buckets, const Take& take) {
  const PairValue value = pair_values[static_cast<std::size_t>(take.stat)];
  const auto least = static_cast<std::size_t>(row_of(take.stat).least);
  const Column x = timeline.values().column(take.column).as_numbers();
  const Column y = timeline.values().column(take.with).as_numbers();
  Buffer<double> out(buckets.all.size());
  for_each_bucket(buckets, [&](std::size_t i, const Bucket& bucket) {
    thread_local std::vector<double> xs, ys;
    xs.clear();
    ys.clear();
    for (std::size_t row = bucket.begin; row < bucket.end; ++row) {
      if (!x.valid(row) || !y.valid(row)) continue;
      xs.push_back(x.numbers()[row]);
      ys.push_back(y.numbers()[row]);
    }
    out[i] = not_there;
    if (xs.size() < least) return;
    const auto n = static_cast<double>(xs.size());
    // Deviations from the means, so that nothing is lost to the readings' size.
    PairMoments moments{.count = n};
    const auto centred = [&](std::vector<double>& readings) {
      const double mean = sum_of(readings).mean(n);
      for (double& reading : readings) reading -= mean;
      return mean;
    };
    moments.mean_x = centred(xs);
    moments.mean_y = centred(ys);
    moments.squares_x = sum_of_products(xs, xs).value();
    moments.squares_y = sum_of_products(ys, ys).value();
    moments.products = sum_of_products(xs, ys).value();
    out[i] = value(moments, n);
  });
  return numbers_of(std::move(out));
}

Column take_standing(const Timeline& timeline, const Buckets& buckets, const Take& take,
                     std::span<const Instant> labels) {
  const Column& column = timeline.values().column(take.column);
  if (row_of(take.stat).needs == Needs::before) {
    const auto counts = changes_in(timeline, buckets, column, change_counted(take.stat));
    ValidityBuilder validity(counts.size());
    for (std::size_t i = 0; i < counts.size(); ++i) {
      if (count_readings(column, buckets.all[i]) == 0) validity.set_missing(i);
    }
    return Column::integers(Buffer<std::int64_t>(std::span<const std::int64_t>(counts)),
                            validity.take());
  }
  if (take.stat == Stat::at) {
    const auto values = values_at(timeline, buckets, column, take.joining, labels);
    return numbers_of(Buffer<double>(std::span<const double>(values)));
  }
  const auto stood = row_of(take.stat).form == TakeForm::condition
                         ? condition_in(timeline, buckets, column, take.condition)
                         : stood_in(timeline, buckets, column, take.joining);
  const StoodValue value = stood_value(take.stat);
  Buffer<double> values(stood.size());
  for (std::size_t i = 0; i < values.size(); ++i) {
    values[i] = stood[i].seconds == 0 ? not_there : value(stood[i], 0);
  }
  return numbers_of(std::move(values));
}

}  // namespace

bool goes_by_standing(Stat stat) {
  return row_of(stat).needs == Needs::standing || row_of(stat).needs == Needs::before;
}

bool needs_typical_step(const Take& take) { return row_of(take.stat).needs == Needs::standing; }

std::int64_t count_readings(const Column& column, const Bucket& bucket) {
  const auto records = static_cast<std::int64_t>(bucket.end - bucket.begin);
  const std::uint64_t* bits = column.validity().bits();
  if (bits == nullptr || records == 0) return records;
  std::int64_t count = 0;
  const std::size_t first = bucket.begin / 64, last = (bucket.end - 1) / 64;
  for (std::size_t word = first; word <= last; ++word) {
    std::uint64_t bit = bits[word];
    if (word == first) bit &= ~std::uint64_t{0} << (bucket.begin % 64);
    if (word == last) bit &= ~std::uint64_t{0} >> (63 - (bucket.end - 1) % 64);
    count += std::popcount(bit);
  }
  return count;
}

std::vector<Take> plain_takes(const std::vector<Take>& takes) {
  std::vector<Take> plain;
  for (const Take& take : takes) {
    const std::string name = take.result_name();
    if (take.stat == Stat::ohlc) {
      plain.push_back(take::first(take.column).as(name + "_open"));
      plain.push_back(take::max(take.column).as(name + "_high"));
      plain.push_back(take::min(take.column).as(name + "_low"));
      plain.push_back(take::last(take.column).as(name + "_close"));
    } else {
      plain.push_back(take.as(name));
    }
  }
  return plain;
}

Taken take_all(const Timeline& timeline, const Buckets& buckets, std::span<const Take> takes,
               std::span<const Instant> labels) {
  Taken out;
  out.columns.resize(takes.size());
  // What is of one column's numbers goes together; the order of columns is that of the takes.
  std::map<std::string, std::vector<std::size_t>> of_numbers, of_integers;
  for (std::size_t k = 0; k < takes.size(); ++k) {
    const Take& take = takes[k];
    const Statistic& row = row_of(take.stat);
    if (goes_by_standing(take.stat)) {
      out.columns[k] = take_standing(timeline, buckets, take, labels);
    } else if (row.result == Result::count) {
      out.columns[k] = take_counts(timeline, buckets, take);
    } else if (row.form == TakeForm::weights) {
      out.columns[k] = take_weighted(timeline, buckets, take, out);
    } else if (row.needs == Needs::pairs) {
      out.columns[k] = take_pair(timeline, buckets, take);
    } else if (row.result == Result::reading || row.result == Result::time) {
      out.columns[k] =
          take_row(timeline, timeline.values().column(take.column), buckets, take.stat);
    } else if (is_exact_of_integers(take.stat) &&
               timeline.values().column(take.column).type() == Column::Type::integer) {
      of_integers[take.column].push_back(k);
    } else {
      of_numbers[take.column].push_back(k);
    }
  }
  for (const auto& [name, places] : of_integers) {
    take_integers(buckets, timeline.values().column(name), takes, places, out);
  }
  for (const auto& [name, places] : of_numbers) {
    take_numbers(timeline, buckets, timeline.values().column(name), takes, places, out);
  }
  return out;
}

}  // namespace zerobeat::detail
