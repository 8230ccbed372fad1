#include "take/taken.hpp"

#include <algorithm>
#include <atomic>
#include <bit>
#include <cmath>
#include <limits>
#include <map>

#include "take/bucket_numbers.hpp"
#include "take/bucket_rows.hpp"
#include "take/standing.hpp"
#include "time/wide_instant.hpp"

namespace zerobeat::detail {

namespace {

constexpr double not_there = std::numeric_limits<double>::quiet_NaN();

Column numbers_of(Buffer<double> values) {
  ValidityBuilder validity(values.size());
  for (std::size_t i = 0; i < values.size(); ++i) {
    if (std::isnan(values[i])) validity.set_missing(i);
  }
  return Column::numbers(std::move(values), validity.take());
}

template <typename Value>
Column numbers_of(std::span<const Value> all, double (*number)(const Value&)) {
  Buffer<double> values(all.size());
  for (std::size_t i = 0; i < all.size(); ++i) values[i] = number(all[i]);
  return numbers_of(std::move(values));
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
  const bool with_times = std::ranges::any_of(places, [&](std::size_t place) {
    return takes[place].stat == Stat::slope || takes[place].stat == Stat::own;
  });
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
  const auto own = values.subspan(bucket.begin, bucket.end - bucket.begin);
  if (own.empty()) return facts;
  if (column.validity().all()) {
    const auto extremes = extremes_of(own);
    facts = {0, extremes.least, extremes.most, static_cast<std::int64_t>(own.size())};
    for (const std::int64_t value : own) facts.sum += value;
    return facts;
  }
  for (std::size_t i = 0; i < own.size(); ++i) {
    if (!column.valid(bucket.begin + i)) continue;
    facts.least = facts.count == 0 ? own[i] : std::min(facts.least, own[i]);
    facts.most = facts.count == 0 ? own[i] : std::max(facts.most, own[i]);
    facts.sum += own[i];
    ++facts.count;
  }
  return facts;
}

bool is_exact_of_integers(Stat stat) {
  return stat == Stat::sum || stat == Stat::mean || stat == Stat::range || stat == Stat::min ||
         stat == Stat::max;
}

Column exact_column(std::span<const IntegerFacts> facts, const Take& take, Taken& out) {
  const auto whole = [&](const IntegerFacts& own) -> Wide {
    switch (take.stat) {
      case Stat::min:
        return own.least;
      case Stat::max:
        return own.most;
      case Stat::range:
        return Wide(own.most) - own.least;
      default:
        return own.sum;
    }
  };
  std::int64_t too_large = 0;
  for (const IntegerFacts& own : facts) {
    too_large += !fits_int64(whole(own));
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
  const bool own = stat == Stat::first || stat == Stat::last || stat == Stat::mode;
  return (own ? column : timeline.time_column()).gather(rows);
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
    means[i] = x.empty() ? not_there : sum_of_products(x, w).value() / sum_of(w).value();
  });
  if (negative > 0) {
    out.notes.push_back(fmt::format("{}: {} records with a negative weight were left out",
                                    to_text(take), grouped(negative)));
  }
  return numbers_of(std::move(means));
}

/// Pearson's correlation or the covariance, over the rows that have both.
Column take_pair(const Timeline& timeline, const Buckets& buckets, const Take& take) {
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
    if (xs.size() < 2) return;
    // Deviations from the means, so that nothing is lost to the readings' size.
    for (auto* own : {&xs, &ys}) {
      const double mean = sum_of(*own).mean(static_cast<double>(own->size()));
      for (double& value : *own) value -= mean;
    }
    const double products = sum_of_products(xs, ys).value();
    if (take.stat == Stat::cov) {
      out[i] = products / (static_cast<double>(xs.size()) - 1);
      return;
    }
    const double scale =
        std::sqrt(sum_of_products(xs, xs).value()) * std::sqrt(sum_of_products(ys, ys).value());
    if (scale > 0) out[i] = std::clamp(products / scale, -1.0, 1.0);
  });
  return numbers_of(std::move(out));
}

Column take_standing(const Timeline& timeline, const Buckets& buckets, const Take& take,
                     std::span<const Instant> labels) {
  const Column& column = timeline.values().column(take.column);
  if (take.stat == Stat::up || take.stat == Stat::down) {
    const auto counts = changes_in(timeline, buckets, column, take.stat == Stat::up);
    return Column::integers(Buffer<std::int64_t>(std::span<const std::int64_t>(counts)));
  }
  if (take.stat == Stat::at) {
    const auto values = values_at(timeline, buckets, column, take.joining, labels);
    return numbers_of(Buffer<double>(std::span<const double>(values)));
  }
  using Number = double (*)(const Stood&);
  if (take.stat == Stat::duration) {
    const auto stood = condition_in(timeline, buckets, column, take.condition);
    return numbers_of<Stood>(
        stood, Number([](const Stood& own) { return own.seconds == 0 ? not_there : own.area; }));
  }
  const auto stood = stood_in(timeline, buckets, column, take.joining);
  if (take.stat == Stat::integral) {
    return numbers_of<Stood>(
        stood, Number([](const Stood& own) { return own.seconds == 0 ? not_there : own.area; }));
  }
  return numbers_of<Stood>(stood, Number([](const Stood& own) {
                             return own.seconds == 0 ? not_there : own.area / own.seconds;
                           }));
}

}  // namespace

bool goes_by_standing(Stat stat) {
  return stat == Stat::twmean || stat == Stat::integral || stat == Stat::duration ||
         stat == Stat::up || stat == Stat::down || stat == Stat::at;
}

bool needs_typical_step(const Take& take) {
  return goes_by_standing(take.stat) && take.stat != Stat::up && take.stat != Stat::down;
}

std::int64_t count_readings(const Column& column, const Bucket& bucket) {
  const auto records = static_cast<std::int64_t>(bucket.end - bucket.begin);
  const std::uint64_t* bits = column.validity().bits();
  if (bits == nullptr || records == 0) return records;
  std::int64_t count = 0;
  const std::size_t first = bucket.begin / 64, last = (bucket.end - 1) / 64;
  for (std::size_t word = first; word <= last; ++word) {
    std::uint64_t own = bits[word];
    if (word == first) own &= ~std::uint64_t{0} << (bucket.begin % 64);
    if (word == last) own &= ~std::uint64_t{0} >> (63 - (bucket.end - 1) % 64);
    count += std::popcount(own);
  }
  return count;
}

std::vector<Take> plain_takes(const std::vector<Take>& takes) {
  std::vector<Take> plain;
  for (const Take& take : takes) {
    const std::string name = take.result_name();
    if (take.stat == Stat::ohlc) {
      plain.push_back(first(take.column).as(name + "_open"));
      plain.push_back(max(take.column).as(name + "_high"));
      plain.push_back(min(take.column).as(name + "_low"));
      plain.push_back(last(take.column).as(name + "_close"));
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
    if (take.stat == Stat::count || take.stat == Stat::distinct || take.stat == Stat::missing) {
      out.columns[k] = take_counts(timeline, buckets, take);
    } else if (take.stat == Stat::wmean) {
      out.columns[k] = take_weighted(timeline, buckets, take, out);
    } else if (take.stat == Stat::corr || take.stat == Stat::cov) {
      out.columns[k] = take_pair(timeline, buckets, take);
    } else if (goes_by_standing(take.stat)) {
      out.columns[k] = take_standing(timeline, buckets, take, labels);
    } else if (is_of_one_row(take.stat)) {
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
