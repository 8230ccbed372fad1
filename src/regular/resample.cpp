#include <tbb/blocked_range.h>
#include <tbb/parallel_for.h>

#include <algorithm>
#include <cmath>
#include <limits>
#include <utility>
#include <zerobeat/regular/resample.hpp>

#include "base/wide.hpp"
#include "clean/order_statistics.hpp"
#include "regular/buckets.hpp"
#include "regular/sums.hpp"

namespace zerobeat {

namespace {

using detail::Bucket;
using detail::Buckets;

constexpr Stat statistics[] = {
    Stat::count, Stat::sum,         Stat::mean,       Stat::min,   Stat::max,    Stat::first,
    Stat::last,  Stat::range,       Stat::median,     Stat::std,   Stat::var,    Stat::distinct,
    Stat::mode,  Stat::missing,     Stat::quantile,   Stat::wmean, Stat::twmean, Stat::integral,
    Stat::ohlc,  Stat::time_of_min, Stat::time_of_max};

constexpr double not_there = std::numeric_limits<double>::quiet_NaN();

/// Calls work(i) for each bucket, in parallel. Buckets do not depend on each other.
template <typename Work>
void for_each_bucket(const Buckets& buckets, Work&& work) {
  tbb::parallel_for(tbb::blocked_range<std::size_t>(0, buckets.all.size(), 64),
                    [&](const tbb::blocked_range<std::size_t>& range) {
                      for (std::size_t i = range.begin(); i != range.end(); ++i) work(i);
                    });
}

Column numbers_of(Buffer<double> values) {
  ValidityBuilder validity(values.size());
  for (std::size_t i = 0; i < values.size(); ++i) {
    if (std::isnan(values[i])) validity.set_missing(i);
  }
  return Column::numbers(std::move(values), validity.take());
}

/// The readings of a bucket, side by side: the column's own memory when none is missing, else
/// gathered into `scratch`.
std::span<const double> readings_of(const Column& numbers, const Bucket& bucket,
                                    std::vector<double>& scratch) {
  const auto values = numbers.numbers();
  if (numbers.validity().all()) return values.subspan(bucket.begin, bucket.end - bucket.begin);
  scratch.clear();
  for (std::size_t i = bucket.begin; i < bucket.end; ++i) {
    if (numbers.valid(i)) scratch.push_back(values[i]);
  }
  return scratch;
}

double statistic_of(std::span<const double> readings, const Take& take) {
  const std::size_t n = readings.size();
  if (n == 0) return not_there;
  switch (take.stat) {
    case Stat::sum:
      return detail::sum_of(readings).value();
    case Stat::mean:
      return detail::sum_of(readings).mean(n);
    case Stat::range:
      return *std::ranges::max_element(readings) - *std::ranges::min_element(readings);
    case Stat::var:
      return n < 2 ? not_there : detail::variance_of(readings);
    case Stat::std:
      return n < 2 ? not_there : std::sqrt(detail::variance_of(readings));
    default: {
      std::vector<double> copy(readings.begin(), readings.end());
      return detail::quantile_of(copy, take.stat == Stat::median ? 0.5 : take.share);
    }
  }
}

/// A statistic of numbers, for each bucket.
Column take_numbers(const Column& column, const Buckets& buckets, const Take& take) {
  const Column numbers = column.as_numbers();
  Buffer<double> out(buckets.all.size());
  for_each_bucket(buckets, [&](std::size_t i) {
    thread_local std::vector<double> scratch;
    out[i] = statistic_of(readings_of(numbers, buckets.all[i], scratch), take);
  });
  return numbers_of(std::move(out));
}

/// Sums, means and ranges of integers: exact, numbers only when one does not fit.
Column take_integers(const Column& column, const Buckets& buckets, const Take& take) {
  const auto values = column.integers();
  std::vector<Wide> totals(buckets.all.size());
  std::vector<std::size_t> counts(buckets.all.size());
  for_each_bucket(buckets, [&](std::size_t i) {
    Wide total = 0, least = 0, most = 0;
    std::size_t count = 0;
    for (std::size_t row = buckets.all[i].begin; row < buckets.all[i].end; ++row) {
      if (!column.valid(row)) continue;
      const Wide value = values[row];
      total += value;
      least = count == 0 ? value : std::min(least, value);
      most = count == 0 ? value : std::max(most, value);
      ++count;
    }
    totals[i] = take.stat == Stat::range ? most - least : total;
    counts[i] = count;
  });
  bool fits = take.stat != Stat::mean;
  for (const Wide total : totals) {
    fits &= total >= std::numeric_limits<std::int64_t>::min() &&
            total <= std::numeric_limits<std::int64_t>::max();
  }
  if (fits) {
    Buffer<std::int64_t> out(totals.size());
    ValidityBuilder validity(totals.size());
    for (std::size_t i = 0; i < totals.size(); ++i) {
      out[i] = static_cast<std::int64_t>(totals[i]);
      if (counts[i] == 0) validity.set_missing(i);
    }
    return Column::integers(std::move(out), validity.take());
  }
  Buffer<double> out(totals.size());
  for (std::size_t i = 0; i < totals.size(); ++i) {
    const auto total = static_cast<long double>(totals[i]);
    const auto count = static_cast<long double>(counts[i]);
    out[i] = counts[i] == 0 ? not_there
                            : static_cast<double>(take.stat == Stat::mean ? total / count : total);
  }
  return numbers_of(std::move(out));
}

/// Compares readings of any type that has an order.
int compare(const Column& column, std::size_t a, std::size_t b) {
  const auto three_way = [](const auto& x, const auto& y) { return x < y ? -1 : y < x ? 1 : 0; };
  switch (column.type()) {
    case Column::Type::number:
      return three_way(column.numbers()[a], column.numbers()[b]);
    case Column::Type::integer:
      return three_way(column.integers()[a], column.integers()[b]);
    case Column::Type::time:
      return three_way(column.times()[a], column.times()[b]);
    case Column::Type::boolean:
      return three_way(column.boolean(a), column.boolean(b));
    case Column::Type::text:
      break;
  }
  return column.codes()[a] == column.codes()[b] ? 0 : three_way(column.text(a), column.text(b));
}

/// The rows of a bucket's readings, the smallest first, equals in order.
std::vector<std::size_t> sorted_rows(const Column& column, const Bucket& bucket) {
  std::vector<std::size_t> rows;
  for (std::size_t i = bucket.begin; i < bucket.end; ++i) {
    if (column.valid(i)) rows.push_back(i);
  }
  std::ranges::stable_sort(rows,
                           [&](std::size_t a, std::size_t b) { return compare(column, a, b) < 0; });
  return rows;
}

/// The row of the reading that stands most often; of equals the smallest. -1: there is none.
std::int64_t row_of_mode(const Column& column, const Bucket& bucket) {
  const auto rows = sorted_rows(column, bucket);
  std::int64_t best = -1;
  std::size_t best_run = 0;
  for (std::size_t i = 0; i < rows.size();) {
    std::size_t end = i + 1;
    while (end < rows.size() && compare(column, rows[i], rows[end]) == 0) ++end;
    if (end - i > best_run) {
      best_run = end - i;
      best = static_cast<std::int64_t>(rows[i]);
    }
    i = end;
  }
  return best;
}

std::int64_t count_distinct(const Column& column, const Bucket& bucket) {
  const auto rows = sorted_rows(column, bucket);
  std::int64_t distinct = 0;
  for (std::size_t i = 0; i < rows.size(); ++i) {
    distinct += i == 0 || compare(column, rows[i - 1], rows[i]) != 0;
  }
  return distinct;
}

template <typename Value>
std::int64_t row_of_extreme(const Column& column, std::span<const Value> values,
                            const Bucket& bucket, bool most) {
  std::int64_t best = -1;
  for (std::size_t i = bucket.begin; i < bucket.end; ++i) {
    if (!column.valid(i)) continue;
    const bool better = best < 0 || (most ? values[static_cast<std::size_t>(best)] < values[i]
                                          : values[i] < values[static_cast<std::size_t>(best)]);
    if (better) best = static_cast<std::int64_t>(i);
  }
  return best;
}

std::int64_t picked_row(const Column& column, const Bucket& bucket, Stat stat) {
  if (stat == Stat::first) {
    for (std::size_t i = bucket.begin; i < bucket.end; ++i) {
      if (column.valid(i)) return static_cast<std::int64_t>(i);
    }
    return -1;
  }
  if (stat == Stat::last) {
    for (std::size_t i = bucket.end; i > bucket.begin; --i) {
      if (column.valid(i - 1)) return static_cast<std::int64_t>(i - 1);
    }
    return -1;
  }
  if (stat == Stat::mode) return row_of_mode(column, bucket);
  const bool most = stat == Stat::max || stat == Stat::time_of_max;
  if (column.type() == Column::Type::integer) {
    return row_of_extreme(column, column.integers(), bucket, most);
  }
  return row_of_extreme(column, column.numbers(), bucket, most);
}

/// One reading of each bucket, of the column's own type; or, of time_of_…, its time.
Column take_picked(const Timeline& timeline, const Column& column, const Buckets& buckets,
                   Stat stat) {
  std::vector<std::int64_t> rows(buckets.all.size());
  for_each_bucket(buckets,
                  [&](std::size_t i) { rows[i] = picked_row(column, buckets.all[i], stat); });
  const bool time = stat == Stat::time_of_min || stat == Stat::time_of_max;
  return (time ? timeline.time_column() : column).gather(rows);
}

std::int64_t count_readings(const Column& column, const Bucket& bucket) {
  if (column.validity().all()) return static_cast<std::int64_t>(bucket.end - bucket.begin);
  std::int64_t count = 0;
  for (std::size_t i = bucket.begin; i < bucket.end; ++i) count += column.valid(i);
  return count;
}

Column take_counts(const Timeline& timeline, const Buckets& buckets, const Take& take) {
  Buffer<std::int64_t> out(buckets.all.size());
  for_each_bucket(buckets, [&](std::size_t i) {
    const Bucket& bucket = buckets.all[i];
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
Column take_weighted(const Timeline& timeline, const Buckets& buckets, const Take& take) {
  const Column values = timeline.values().column(take.column).as_numbers();
  const Column weights = timeline.values().column(take.weights).as_numbers();
  Buffer<double> out(buckets.all.size());
  for_each_bucket(buckets, [&](std::size_t i) {
    thread_local std::vector<double> x, w;
    x.clear();
    w.clear();
    for (std::size_t row = buckets.all[i].begin; row < buckets.all[i].end; ++row) {
      if (!values.valid(row) || !weights.valid(row)) continue;
      x.push_back(values.numbers()[row]);
      w.push_back(weights.numbers()[row]);
    }
    const double total = detail::sum_of(w).value();
    out[i] = total == 0 ? not_there : detail::sum_of_products(x, w).value() / total;
  });
  return numbers_of(std::move(out));
}

double seconds_between(Instant from, Instant to) {
  return static_cast<double>(static_cast<Wide>(nanoseconds_of(to)) - nanoseconds_of(from)) / 1e9;
}

/// For each row, the row of the last reading before it within its strand, or -1.
std::vector<std::int64_t> readings_before(const Timeline& timeline, const Column& column) {
  std::vector<std::int64_t> before(timeline.rows() + 1, -1);
  for (const Strand& strand : timeline.strands()) {
    std::int64_t latest = -1;
    for (std::size_t i = strand.begin; i < strand.end; ++i) {
      before[i] = latest;
      if (column.valid(i)) latest = static_cast<std::int64_t>(i);
    }
  }
  return before;
}

/// Calls visit(row, from, until) for each reading that stands within a bucket, and for how long:
/// from its time to the next reading's, or `longest` at most when given; the strand's last one
/// for `last_stands`.
template <typename Visit>
void for_each_standing(const Timeline& timeline, const Column& column, const Strand& strand,
                       const Bucket& bucket, std::int64_t before, Nanoseconds last_stands,
                       std::optional<Nanoseconds> longest, Visit&& visit) {
  const auto times = timeline.times();
  const auto put = [&](std::size_t row, std::optional<Instant> next) {
    Wide until = next ? nanoseconds_of(*next)
                      : static_cast<Wide>(nanoseconds_of(times[row])) + last_stands.count();
    if (longest) {
      until =
          std::min<Wide>(until, static_cast<Wide>(nanoseconds_of(times[row])) + longest->count());
    }
    const auto from = std::max<Wide>(nanoseconds_of(times[row]), nanoseconds_of(bucket.start));
    until = std::min<Wide>(until, nanoseconds_of(bucket.stop));
    if (until > from) visit(row, static_cast<double>(until - from) / 1e9);
  };
  std::int64_t standing = before;
  for (std::size_t i = bucket.begin; i < bucket.end; ++i) {
    if (!column.valid(i)) continue;
    if (standing >= 0) put(static_cast<std::size_t>(standing), times[i]);
    standing = static_cast<std::int64_t>(i);
  }
  if (standing < 0) return;
  std::size_t next = bucket.end;
  while (next < strand.end && !column.valid(next)) {
    if (times[next] >= bucket.stop) break;  // whatever comes, it is past the bucket
    ++next;
  }
  put(static_cast<std::size_t>(standing),
      next < strand.end ? std::optional(times[next]) : std::nullopt);
}

/// Calls work(bucket number, its strand, the strand's number).
template <typename Work>
void for_each_bucket_of_strands(const Timeline& timeline, const Buckets& buckets, Work&& work) {
  for (std::size_t s = 0; s < buckets.strands.size(); ++s) {
    tbb::parallel_for(buckets.strands[s].begin, buckets.strands[s].end,
                      [&](std::size_t i) { work(i, timeline.strands()[s], s); });
  }
}

Column take_standing(const Timeline& timeline, const Buckets& buckets, const Take& take) {
  const Column column = timeline.values().column(take.column).as_numbers();
  const auto values = column.numbers();
  const auto before = readings_before(timeline, column);
  Buffer<double> out(buckets.all.size());
  for_each_bucket_of_strands(
      timeline, buckets, [&](std::size_t i, const Strand& strand, std::size_t s) {
        const Nanoseconds step = buckets.typical_steps[s].value_or(Nanoseconds(0));
        const Bucket& bucket = buckets.all[i];
        std::vector<double> x, stood;
        // A bucket after the strand's last row can't be; before[begin] is of the row at its start.
        std::int64_t earlier = -1;
        if (bucket.begin < strand.end) {
          earlier = before[bucket.begin];
        }
        for_each_standing(timeline, column, strand, bucket, earlier, step, std::nullopt,
                          [&](std::size_t row, double seconds) {
                            x.push_back(values[row]);
                            stood.push_back(seconds);
                          });
        const double total = detail::sum_of(stood).value();
        const double area = detail::sum_of_products(x, stood).value();
        out[i] = total == 0 ? not_there : take.stat == Stat::twmean ? area / total : area;
      });
  return numbers_of(std::move(out));
}

/// The share of each bucket that lies within one typical step after a reading.
std::vector<double> coverage_of(const Timeline& timeline, const Buckets& buckets,
                                const Column& column) {
  const auto before = readings_before(timeline, column);
  std::vector<double> shares(buckets.all.size());
  for_each_bucket_of_strands(
      timeline, buckets, [&](std::size_t i, const Strand& strand, std::size_t s) {
        const Nanoseconds step = buckets.typical_steps[s].value_or(Nanoseconds(0));
        const Bucket& bucket = buckets.all[i];
        double covered = 0;
        for_each_standing(timeline, column, strand, bucket,
                          bucket.begin < strand.end ? before[bucket.begin] : -1, step, step,
                          [&](std::size_t, double seconds) { covered += seconds; });
        shares[i] = covered / seconds_between(bucket.start, bucket.stop);
      });
  return shares;
}

/// Makes missing what has too few readings or too little coverage.
Column withhold(const Timeline& timeline, const Buckets& buckets, const Take& take, Column taken,
                const Resample& options) {
  if (take.of_records || (!options.min_count && !options.min_coverage)) return taken;
  const Column& column = timeline.values().column(take.column);
  std::vector<double> shares;
  if (options.min_coverage) shares = coverage_of(timeline, buckets, column);
  std::vector<std::int64_t> rows(buckets.all.size());
  for (std::size_t i = 0; i < rows.size(); ++i) {
    const bool few =
        options.min_count && count_readings(column, buckets.all[i]) < *options.min_count;
    // A hair below is what rounding leaves of the share itself.
    const bool thin = options.min_coverage && shares[i] < *options.min_coverage - 1e-12;
    rows[i] = few || thin ? -1 : static_cast<std::int64_t>(i);
  }
  return taken.gather(rows);
}

Column take_one(const Timeline& timeline, const Buckets& buckets, const Take& take) {
  switch (take.stat) {
    case Stat::count:
    case Stat::distinct:
    case Stat::missing:
      return take_counts(timeline, buckets, take);
    case Stat::wmean:
      return take_weighted(timeline, buckets, take);
    case Stat::twmean:
    case Stat::integral:
      return take_standing(timeline, buckets, take);
    default:
      break;
  }
  const Column& column = timeline.values().column(take.column);
  switch (take.stat) {
    case Stat::min:
    case Stat::max:
    case Stat::first:
    case Stat::last:
    case Stat::mode:
    case Stat::time_of_min:
    case Stat::time_of_max:
      return take_picked(timeline, column, buckets, take.stat);
    case Stat::sum:
    case Stat::mean:
    case Stat::range:
      if (column.type() == Column::Type::integer) return take_integers(column, buckets, take);
      break;
    default:
      break;
  }
  return take_numbers(column, buckets, take);
}

Instant label_of(const Bucket& bucket, Resample::Label label) {
  switch (label) {
    case Resample::Label::end:
      return bucket.stop;
    case Resample::Label::middle: {
      const auto length =
          static_cast<Wide>(nanoseconds_of(bucket.stop)) - nanoseconds_of(bucket.start);
      return bucket.start + Nanoseconds(static_cast<std::int64_t>(length / 2));
    }
    case Resample::Label::start:
      break;
  }
  return bucket.start;
}

}  // namespace

Timeline resample(const Timeline& timeline, const Resample& options) {
  StepTimer timer("resample", describe_options(options), timeline);
  const auto takes = resolve_takes(options.take, timeline.values(), Stat::mean, statistics,
                                   "resample", timeline.time_name(), timeline.key_name());
  const bool standing = options.min_coverage || std::ranges::any_of(takes, [](const Take& take) {
                          return take.stat == Stat::twmean || take.stat == Stat::integral;
                        });
  const Buckets buckets = detail::find_buckets(timeline, options, standing);

  Timeline::Parts parts = timeline.parts();
  parts.strands = buckets.strands;
  Buffer<Instant> labels(buckets.all.size());
  for (std::size_t i = 0; i < labels.size(); ++i) {
    labels[i] = label_of(buckets.all[i], options.label);
  }
  parts.times = Column::times(std::move(labels));
  parts.values = Table(buckets.all.size());
  const auto add = [&](std::string name, const Take& take) {
    Column taken = take_one(timeline, buckets, take);
    parts.values.add(std::move(name), withhold(timeline, buckets, take, std::move(taken), options));
  };
  for (const Take& take : takes) {
    const std::string name = take.result_name();
    if (take.stat == Stat::ohlc) {
      add(name + "_open", first(take.column));
      add(name + "_high", max(take.column));
      add(name + "_low", min(take.column));
      add(name + "_close", last(take.column));
    } else {
      add(name, take);
    }
  }
  if (options.partial == Resample::Partial::mark) {
    Buffer<std::uint64_t> bits((buckets.all.size() + 63) / 64, 0);
    for (std::size_t i = 0; i < buckets.all.size(); ++i) {
      bits[i / 64] |= std::uint64_t{buckets.all[i].partial} << (i % 64);
    }
    parts.values.add("partial", Column::booleans(std::move(bits), buckets.all.size()));
  }
  return timer.finish(std::move(parts));
}

Reach reach(const Resample& options) {
  const bool standing = std::ranges::any_of(options.take, [](const Take& take) {
    return take.stat == Stat::twmean || take.stat == Stat::integral;
  });
  // The typical step is the whole strand's.
  if (options.buckets || options.partial != Resample::Partial::keep || options.min_coverage ||
      standing || !options.every) {
    return {ReachSide::whole(), ReachSide::whole()};
  }
  const ReachSide bucket = ReachSide::of(Extent(*options.every));
  switch (options.label) {
    case Resample::Label::start:
      return {{}, bucket};
    case Resample::Label::end:
      return {bucket, {}};
    case Resample::Label::middle:
      break;
  }
  return {bucket, bucket};
}

}  // namespace zerobeat
